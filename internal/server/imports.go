package server

import (
	"context"
	"crypto/rand"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"maps"
	"net/http"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"dogbane/internal/bookfile"
	"dogbane/internal/intake"
	"dogbane/internal/money"
	"dogbane/internal/pricing"
	"dogbane/internal/store"
)

// importShelf keeps files that were read and wait for whoever brought them to say whether to import them.
type importShelf struct {
	mu    sync.Mutex
	files map[string]*waitingFile
}

type waitingFile struct {
	name, kind, who string
	data            []byte
	at              time.Time

	mu      sync.Mutex
	table   *intake.Table
	planned string // the mapping, the format and the book's version that the plan is of
	plan    *plan
	preview ImportPreview
}

const (
	filesKept   = 16 // of everybody
	filesOfOne  = 3  // of one person
	largestFile = 64 << 20
	previewRows = 200

	longestFileName = 200 // in characters; the rest is cut off
)

// ImportPreview is what importing a file would do.
type ImportPreview struct {
	Token      string             `json:"token" doc:"names the file until it is imported"`
	Kind       string             `json:"kind" enum:"products,sales,agreed,rates"`
	File       string             `json:"file"`
	Headers    []string           `json:"headers"`
	Fields     []ImportField      `json:"fields" doc:"what a column can fill"`
	Mapping    map[string]string  `json:"mapping" doc:"header by field"`
	Remembered bool               `json:"remembered" doc:"the columns are matched as they were the last time"`
	Problem    string             `json:"problem,omitempty" doc:"why nothing can be compared yet"`
	Format     intake.Format      `json:"format" doc:"how the file is written, as it was found or chosen"`
	Asks       []ImportAsk        `json:"asks" doc:"what could be read in two ways and has to be chosen"`
	Top        []string           `json:"top" doc:"the first rows, of which one names the columns"`
	Sheet      bool               `json:"sheet" doc:"it is a spreadsheet, whose cells need no separator"`
	Rows       int                `json:"rows"`
	New        int                `json:"new"`
	Changed    int                `json:"changed"`
	Unchanged  int                `json:"unchanged"`
	BadCount   int                `json:"badCount"`
	Bad        []intake.BadCell   `json:"bad" doc:"the first 200"`
	Changes    []intake.RowChange `json:"changes" doc:"the first 200"`
}

// ImportField is something that a column can fill.
type ImportField struct {
	Key      string `json:"key"`
	Name     string `json:"name"`
	Required bool   `json:"required"`
}

// ImportAsk is something in a file that could be read in two ways.
type ImportAsk struct {
	What    string `json:"what" enum:"decimal,dates"`
	Example string `json:"example"`
}

// ImportMapping says which column fills which field, and how the file is written.
type ImportMapping struct {
	Mapping map[string]string `json:"mapping" doc:"header by field"`
	Format  *intake.Format    `json:"format,omitempty" doc:"absent: as it was found or last chosen; a value left out is found out"`
}

// plan is what importing a file does: changes of the book, and what is kept beside it.
type plan struct {
	summary  string
	products []intake.RowChange // of products; written as changes only when they are wanted
	changes  []store.Change
	sales    []store.Sale
	rateDays []store.RateDay
	written  sync.Once
}

// write makes changes of the products that a file makes or changes, once, on all cores.
func (p *plan) write() []store.Change {
	p.written.Do(func() {
		if len(p.products) == 0 {
			return
		}
		p.changes = make([]store.Change, len(p.products))
		pricing.InParallel(len(p.changes), func(from, to int) {
			for i := from; i < to; i++ {
				c := &p.products[i]
				p.changes[i] = store.Change{Kind: store.Products, Code: c.SKU, After: bookfile.EncodeProduct(&c.After)}
				if c.Before != nil {
					p.changes[i].Before = bookfile.EncodeProduct(c.Before)
				}
			}
		})
	})
	return p.changes
}

// book is the book that the plan leads to. Products are taken as they were read from the file.
func (p *plan) book(now *pricing.Book) (*pricing.Book, error) {
	if len(p.products) == 0 {
		return store.Apply(now, p.changes)
	}
	next := *now
	next.Products = slices.Clone(now.Products)
	at := make(map[string]int, len(next.Products))
	for i := range next.Products {
		at[next.Products[i].SKU] = i
	}
	for i := range p.products {
		if n, exists := at[p.products[i].SKU]; exists {
			next.Products[n] = p.products[i].After
		} else {
			next.Products = append(next.Products, p.products[i].After)
		}
	}
	return &next, nil
}

type importPath struct {
	Token string `path:"token"`
	Body  ImportMapping
}

func (s *Server) registerImports(api huma.API) {
	huma.Register(api, huma.Operation{Method: http.MethodPost, Path: "/api/imports", MaxBodyBytes: largestFile + 1<<20, BodyReadTimeout: time.Minute}, func(ctx context.Context, in *struct {
		Kind    string `query:"kind" enum:"products,sales,agreed,rates" default:"products"`
		RawBody huma.MultipartFormFiles[struct {
			File huma.FormFile `form:"file" required:"true"`
		}]
	}) (*body[ImportPreview], error) {
		return answer(s.readImport(ctx, in.Kind, in.RawBody.Data().File))
	})
	huma.Register(api, huma.Operation{Method: http.MethodPost, Path: "/api/imports/paste", MaxBodyBytes: longTextBody}, func(ctx context.Context, in *struct{ Body SKUText }) (*body[ImportPreview], error) {
		return answer(s.readPaste(ctx, in.Body.Text))
	})
	huma.Register(api, huma.Operation{Method: http.MethodPost, Path: "/api/imports/{token}/preview"}, func(ctx context.Context, in *importPath) (*body[ImportPreview], error) {
		_, out, err := s.previewImport(ctx, in.Token, &in.Body)
		return answer(out, err)
	})
	huma.Register(api, huma.Operation{Method: http.MethodPost, Path: "/api/imports/{token}/effect/preview"}, func(ctx context.Context, in *importPath) (*body[EditEffect], error) {
		p, _, err := s.ready(ctx, in.Token, &in.Body)
		if err != nil {
			return nil, asProblem(err)
		}
		snap := s.live.Current()
		next, err := p.book(snap.Book)
		if err != nil {
			return nil, asProblem(err)
		}
		return answer(s.effect(ctx, snap, next, s.moment(snap)))
	})
	huma.Register(api, huma.Operation{Method: http.MethodPost, Path: "/api/imports/{token}/import"}, func(ctx context.Context, in *importPath) (*body[Job], error) {
		p, out, err := s.ready(ctx, in.Token, &in.Body)
		if err != nil {
			return nil, asProblem(err)
		}
		format, err := json.Marshal(out.Format)
		if err == nil {
			err = s.store.KeepMapping(ctx, out.Kind, out.Headers, store.Matched{Mapping: out.Mapping, Format: format})
		}
		if err != nil {
			return nil, asProblem(err)
		}
		return &body[Job]{s.begin(ctx, out.File, func(ctx context.Context, tell report) (Saved, error) {
			saved, err := s.doImport(ctx, p, out.File, tell)
			if err == nil {
				s.imports.forget(in.Token)
			}
			return saved, err
		})}, nil
	})
}

// keepOnly lets go of the plans of all files but one: a plan of 100,000 rows is large, and quickly made again.
func (b *importShelf) keepOnly(file *waitingFile) {
	b.mu.Lock()
	defer b.mu.Unlock()
	for _, other := range b.files {
		if other != file && other.mu.TryLock() {
			other.plan, other.planned = nil, ""
			other.mu.Unlock()
		}
	}
}

func (b *importShelf) forget(token string) {
	b.mu.Lock()
	defer b.mu.Unlock()
	delete(b.files, token)
}

func (s *Server) readImport(ctx context.Context, kind string, f huma.FormFile) (ImportPreview, error) {
	data, err := io.ReadAll(io.LimitReader(f, largestFile+1))
	if err != nil {
		return ImportPreview{}, fmt.Errorf("read the uploaded file: %w", err)
	}
	if len(data) > largestFile {
		return ImportPreview{}, invalid("file", "The file is larger than 64 MB. Split it.")
	}
	table, err := intake.Read(data, nil)
	var broken *intake.FileError
	if errors.As(err, &broken) {
		return ImportPreview{}, invalid("file", fmt.Sprintf("%s cannot be read: %s", f.Filename, broken))
	} else if err != nil {
		return ImportPreview{}, err
	}
	return s.shelve(ctx, kind, clipped(f.Filename, longestFileName), data, table)
}

// readPaste reads cells copied from a spreadsheet: with a header, or as SKU, list price and cost.
func (s *Server) readPaste(ctx context.Context, text string) (ImportPreview, error) {
	first, _, _ := strings.Cut(strings.TrimLeft(text, "\r\n"), "\n")
	cells := strings.Split(strings.TrimRight(first, "\r"), "\t")
	if _, headed := intake.Match(cells, s.columns("products"))["sku"]; !headed {
		text = strings.Join([]string{"SKU", "List price", "Cost"}[:min(3, max(2, len(cells)))], "\t") + "\n" + text
	}
	data := []byte(text)
	table, err := intake.ReadText(data, &intake.Format{Encoding: intake.UTF8, Separator: "tab", Header: 1})
	var broken *intake.FileError
	if errors.As(err, &broken) {
		return ImportPreview{}, invalid("text", "What was pasted cannot be read: "+broken.Error())
	} else if err != nil {
		return ImportPreview{}, err
	}
	return s.shelve(ctx, "products", "pasted cells", data, table)
}

// clipped is a text cut to so many characters.
func clipped(s string, most int) string {
	if r := []rune(s); len(r) > most {
		return string(r[:most-1]) + "…"
	}
	return s
}

// columns are what files of a kind can fill.
func (s *Server) columns(kind string) []intake.Column {
	switch kind {
	case "sales":
		return intake.SaleColumns
	case "agreed":
		return intake.AgreedColumns
	case "rates":
		return intake.RateColumns
	}
	return intake.ProductColumns(s.live.Current().Book)
}

// shelve keeps a table until somebody says whether to import it, and previews it.
func (s *Server) shelve(ctx context.Context, kind, name string, data []byte, table *intake.Table) (ImportPreview, error) {
	token, who := rand.Text(), personOf(ctx).Name
	s.imports.put(token, &waitingFile{name: name, kind: kind, who: who, data: data, table: table, at: time.Now()})
	matched, err := s.store.Mapping(ctx, kind, table.Headers)
	if err != nil {
		return ImportPreview{}, err
	}
	as := ImportMapping{}
	if matched != nil {
		var before intake.Format
		if len(matched.Format) > 0 {
			if err := json.Unmarshal(matched.Format, &before); err != nil {
				return ImportPreview{}, fmt.Errorf("read how a file was written: %w", err)
			}
		}
		as.Mapping = matched.Mapping
		// What the file itself says holds; where it could be read in two ways, it is read as the last time.
		asks := table.Settle(s.columns(kind), as.Mapping)
		if asks["decimal"] != "" {
			table.Format.Decimal = before.Decimal
		}
		if asks["dates"] != "" {
			table.Format.Dates = before.Dates
		}
	} else {
		as.Mapping = s.match(kind, table.Headers)
	}
	_, out, err := s.previewImport(ctx, token, &as)
	out.Remembered = matched != nil
	return out, err
}

// match is what the headers of a file mean; in a file of products the others become attributes.
func (s *Server) match(kind string, headers []string) map[string]string {
	columns := s.columns(kind)
	mapping := intake.Match(headers, columns)
	if kind == "products" {
		intake.MatchAttributes(columns, headers, mapping)
	}
	return mapping
}

// put lays a file onto the shelf. A person's oldest makes room for it, or the oldest of all.
func (b *importShelf) put(token string, file *waitingFile) {
	b.mu.Lock()
	defer b.mu.Unlock()
	if b.files == nil {
		b.files = map[string]*waitingFile{}
	}
	drop := func(most int, of func(w *waitingFile) bool) {
		for {
			n, oldest := 0, ""
			for t, w := range b.files {
				if !of(w) {
					continue
				}
				if n++; oldest == "" || w.at.Before(b.files[oldest].at) {
					oldest = t
				}
			}
			if n < most {
				return
			}
			delete(b.files, oldest)
		}
	}
	drop(filesOfOne, func(w *waitingFile) bool { return w.who == file.who })
	drop(filesKept, func(*waitingFile) bool { return true })
	b.files[token] = file
}

// read reads a file anew where its encoding, separator or header row is to be another.
func (w *waitingFile) read(as *intake.Format) error {
	now := w.table.Format
	if as == nil {
		return nil
	}
	next := *as
	if next.Encoding == "" {
		next.Encoding = now.Encoding
	}
	if next.Separator == "" {
		next.Separator = now.Separator
	}
	if next.Encoding == now.Encoding && next.Separator == now.Separator && next.Header == now.Header {
		w.table.Format.Decimal, w.table.Format.Dates = next.Decimal, next.Dates
		return nil
	}
	table, err := intake.Read(w.data, &next)
	var broken *intake.FileError
	if errors.As(err, &broken) {
		return invalid("format", "Read like this, the file makes no table: "+broken.Error())
	} else if err != nil {
		return err
	}
	w.table = table
	return nil
}

// previewImport says what a file would do; the plan is nil where columns are missing, and not to be used where rows are
// bad.
func (s *Server) previewImport(ctx context.Context, token string, as *ImportMapping) (*plan, ImportPreview, error) {
	s.imports.mu.Lock()
	file := s.imports.files[token]
	s.imports.mu.Unlock()
	if file == nil || file.who != personOf(ctx).Name {
		return nil, ImportPreview{}, huma.Error410Gone("This file is no longer at hand. Choose it again.")
	}
	file.mu.Lock()
	defer file.mu.Unlock()
	headers := file.table.Headers
	if err := file.read(as.Format); err != nil {
		return nil, ImportPreview{}, err
	}
	mapping := as.Mapping
	if !slices.Equal(headers, file.table.Headers) {
		mapping = s.match(file.kind, file.table.Headers)
	}
	if mapping == nil {
		mapping = map[string]string{}
	}
	asks := file.table.Settle(s.columns(file.kind), mapping)
	said, err := json.Marshal([]any{mapping, file.table.Format})
	if err != nil {
		return nil, ImportPreview{}, fmt.Errorf("read how columns are matched: %w", err)
	}
	key := fmt.Sprint(s.live.Current().Version, string(said))
	if file.plan != nil && file.planned == key && file.kind != "sales" { // what was sold before is asked anew
		return file.plan, file.preview, nil
	}
	out := ImportPreview{Token: token, Kind: file.kind, File: file.name, Headers: file.table.Headers, Mapping: mapping, Rows: len(file.table.Rows), Bad: []intake.BadCell{}, Changes: []intake.RowChange{}, Fields: []ImportField{},
		Format: file.table.Format, Asks: []ImportAsk{}, Top: file.table.Top, Sheet: file.table.Sheet}
	for _, what := range slices.Sorted(maps.Keys(asks)) {
		out.Asks = append(out.Asks, ImportAsk{what, asks[what]})
	}
	columns := s.columns(file.kind)
	if file.kind == "products" {
		columns = intake.WithAttributes(columns, file.table.Headers, mapping)
	}
	for _, c := range columns {
		out.Fields = append(out.Fields, ImportField{c.Key, c.Name, c.Required})
	}
	p := &plan{}
	var bad []intake.BadCell
	switch file.kind {
	case "products":
		bad, err = s.planProducts(file, p, &out)
	case "sales":
		bad, err = s.planSales(ctx, file, p, &out)
	case "agreed":
		bad, err = s.planAgreed(file, p, &out)
	case "rates":
		bad, err = s.planRates(file, p, &out)
	}
	var missing *intake.MissingColumn
	switch {
	case errors.As(err, &missing):
		out.Problem = missing.Error()
		return nil, out, nil
	case err != nil:
		return nil, out, invalid("mapping", err.Error())
	}
	out.BadCount = len(bad)
	out.Bad = append(out.Bad, bad[:min(len(bad), previewRows)]...)
	file.planned, file.plan, file.preview = key, p, out
	s.imports.keepOnly(file)
	return p, out, nil
}

// ready is the plan of a file that can be imported: all of it or, with one bad row, nothing.
func (s *Server) ready(ctx context.Context, token string, as *ImportMapping) (*plan, ImportPreview, error) {
	p, out, err := s.previewImport(ctx, token, as)
	switch {
	case err != nil:
		return nil, out, err
	case p == nil:
		return nil, out, invalid("mapping", out.Problem)
	case out.BadCount > 0:
		return nil, out, invalid("file", fmt.Sprintf("%d rows cannot be imported as they are; nothing was imported.", out.BadCount))
	case len(p.products)+len(p.changes)+len(p.sales) == 0:
		return nil, out, huma.Error409Conflict("The file changes nothing.")
	}
	return p, out, nil
}

func (s *Server) planProducts(file *waitingFile, p *plan, out *ImportPreview) ([]intake.BadCell, error) {
	compared, err := intake.Compare(file.table, out.Mapping, s.live.Current().Book)
	if err != nil {
		return nil, err
	}
	out.New, out.Unchanged = compared.New(), compared.Unchanged
	out.Changed = len(compared.Changes) - out.New
	out.Changes = append(out.Changes, compared.Changes[:min(len(compared.Changes), previewRows)]...)
	p.summary = fmt.Sprintf("Imported %s: %d new, %d changed products", out.File, out.New, out.Changed)
	p.products = compared.Changes
	return compared.Bad, nil
}

func amountText(a *money.Rat) string {
	if a == nil {
		return ""
	}
	return bookfile.Amount(*a)
}

func (s *Server) planRates(file *waitingFile, p *plan, out *ImportPreview) ([]intake.BadCell, error) {
	snap := s.live.Current()
	today := s.now().In(snap.Zone)
	rates, bad, err := intake.ReadRates(file.table, out.Mapping, time.Date(today.Year(), today.Month(), today.Day(), 0, 0, 0, 0, time.UTC))
	if err != nil || len(bad) > 0 {
		return bad, err
	}
	next := snap.Book.Settings
	next.Rates = maps.Clone(next.Rates)
	if next.Rates == nil {
		next.Rates = map[string]money.Rat{}
	}
	for _, r := range rates {
		if r.Currency == next.Currency {
			continue
		}
		was, known := next.Rates[r.Currency]
		p.rateDays = append(p.rateDays, store.RateDay{Currency: r.Currency, Rate: r.Rate.String(), Day: r.Day})
		if known && was.Equal(r.Rate) {
			out.Unchanged++
			continue
		}
		change := intake.CellChange{Field: "rate", Is: r.Rate.String()}
		if known {
			change.Was = was.String()
			out.Changed++
		} else {
			out.New++
		}
		next.Rates[r.Currency] = r.Rate
		out.Changes = append(out.Changes, intake.RowChange{SKU: r.Currency, Name: r.Day.Format("2006-01-02"), New: !known, Changes: []intake.CellChange{change}})
	}
	p.summary = fmt.Sprintf("Imported %s: %d exchange rates", out.File, out.New+out.Changed)
	if before, after := bookfile.EncodeSettings(&snap.Book.Settings), bookfile.EncodeSettings(&next); string(before) != string(after) {
		p.changes = []store.Change{{Kind: store.Settings, Before: before, After: after}}
	}
	return nil, nil
}

// doImport carries a plan out.
func (s *Server) doImport(ctx context.Context, p *plan, name string, tell report) (Saved, error) {
	file := store.SalesFile{Name: name, Who: personOf(ctx).Name, At: s.now().UTC()}
	if len(p.sales) > 0 {
		if err := s.store.AddSales(ctx, &file, p.sales, func(n int) { tell("Writing sales", n, len(p.sales)) }); err != nil {
			return Saved{}, err
		}
		s.purchases.forget()
	}
	saved := Saved{Version: s.live.Current().Version, Summary: p.summary}
	tell("Checking", 0, len(p.products))
	if changes := p.write(); len(changes) > 0 {
		before := s.live.Current()
		next, err := p.book(before.Book)
		if err != nil {
			return Saved{}, err
		}
		entry, err := s.live.Save(ctx, store.Edit{Who: personOf(ctx).Name, At: s.now(), Summary: p.summary, Changes: changes, Base: before.Book, Next: next, BreaksSeen: breaksSeen(ctx), Progress: func(n int) {
			step := "Writing"
			if n == len(changes) {
				step = "Working out prices"
			}
			tell(step, n, len(changes))
		}})
		if err != nil {
			if len(p.sales) > 0 {
				err = errors.Join(err, s.store.DropSales(context.WithoutCancel(ctx), file.ID))
				s.purchases.forget()
			}
			return Saved{}, err
		}
		s.moved.look()
		if len(p.sales) > 0 {
			if err := s.store.SetSalesEntry(ctx, file.ID, entry.ID); err != nil {
				return Saved{}, err
			}
		}
		saved = Saved{entry.Version, entry.ID, entry.Summary}
	}
	return saved, s.store.KeepRateDays(ctx, p.rateDays)
}
