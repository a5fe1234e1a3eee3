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
	"dogbane/internal/catalogue"
	"dogbane/internal/money"
	"dogbane/internal/pricing"
	"dogbane/internal/store"
)

// importShelf keeps files that were read and wait for somebody to say whether to import them.
type importShelf struct {
	mu    sync.Mutex
	files map[string]*waitingFile
}

type waitingFile struct {
	name, kind string
	table      *catalogue.Table
	at         time.Time

	mu      sync.Mutex
	planned string // the mapping and the book's version that the plan is of
	plan    *plan
	preview ImportPreview
}

const (
	filesKept   = 8
	largestFile = 64 << 20
	previewRows = 200
)

// ImportPreview is what importing a file would do.
type ImportPreview struct {
	Token      string                `json:"token" doc:"names the file until it is imported"`
	Kind       string                `json:"kind" enum:"products,sales,agreed,rates"`
	File       string                `json:"file"`
	Headers    []string              `json:"headers"`
	Fields     []ImportField         `json:"fields" doc:"what a column can fill"`
	Mapping    map[string]string     `json:"mapping" doc:"header by field"`
	Remembered bool                  `json:"remembered" doc:"the columns are matched as they were the last time"`
	Problem    string                `json:"problem,omitempty" doc:"why nothing can be compared yet"`
	Rows       int                   `json:"rows"`
	New        int                   `json:"new"`
	Changed    int                   `json:"changed"`
	Unchanged  int                   `json:"unchanged"`
	BadCount   int                   `json:"badCount"`
	Bad        []catalogue.BadCell   `json:"bad" doc:"the first 200"`
	Changes    []catalogue.RowChange `json:"changes" doc:"the first 200"`
}

// ImportField is something that a column can fill.
type ImportField struct {
	Key      string `json:"key"`
	Name     string `json:"name"`
	Required bool   `json:"required"`
}

// ImportMapping says which column fills which field.
type ImportMapping struct {
	Mapping map[string]string `json:"mapping" doc:"header by field"`
}

// plan is what importing a file does: changes of the book, and what is kept beside it.
type plan struct {
	summary  string
	products []catalogue.RowChange // of products; written as changes only when they are wanted
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
	huma.Register(api, huma.Operation{Method: http.MethodPost, Path: "/api/imports/paste"}, func(ctx context.Context, in *struct{ Body SKUText }) (*body[ImportPreview], error) {
		return answer(s.readPaste(ctx, in.Body.Text))
	})
	huma.Register(api, huma.Operation{Method: http.MethodPost, Path: "/api/imports/{token}/preview"}, func(ctx context.Context, in *importPath) (*body[ImportPreview], error) {
		_, out, err := s.previewImport(ctx, in.Token, in.Body.Mapping)
		return answer(out, err)
	})
	huma.Register(api, huma.Operation{Method: http.MethodPost, Path: "/api/imports/{token}/effect/preview"}, func(ctx context.Context, in *importPath) (*body[EditEffect], error) {
		p, _, err := s.ready(ctx, in.Token, in.Body.Mapping)
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
		p, out, err := s.ready(ctx, in.Token, in.Body.Mapping)
		if err != nil {
			return nil, asProblem(err)
		}
		if err := s.store.KeepMapping(ctx, out.Kind, out.Headers, out.Mapping); err != nil {
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
	table, err := catalogue.Read(data)
	var broken *catalogue.FileError
	if errors.As(err, &broken) {
		return ImportPreview{}, invalid("file", fmt.Sprintf("%s cannot be read: %s", f.Filename, broken))
	} else if err != nil {
		return ImportPreview{}, err
	}
	return s.shelve(ctx, kind, f.Filename, table)
}

// readPaste reads cells copied from a spreadsheet: with a header, or as SKU, list price and cost.
func (s *Server) readPaste(ctx context.Context, text string) (ImportPreview, error) {
	first, _, _ := strings.Cut(strings.TrimLeft(text, "\r\n"), "\n")
	cells := strings.Split(strings.TrimRight(first, "\r"), "\t")
	if _, headed := catalogue.Match(cells, s.columns("products"))["sku"]; !headed {
		text = strings.Join([]string{"SKU", "List price", "Cost"}[:min(3, max(2, len(cells)))], "\t") + "\n" + text
	}
	table, err := catalogue.ReadCSV([]byte(text))
	var broken *catalogue.FileError
	if errors.As(err, &broken) {
		return ImportPreview{}, invalid("text", "What was pasted cannot be read: "+broken.Error())
	} else if err != nil {
		return ImportPreview{}, err
	}
	return s.shelve(ctx, "products", "pasted cells", table)
}

// columns are what files of a kind can fill.
func (s *Server) columns(kind string) []catalogue.Column {
	switch kind {
	case "sales":
		return catalogue.SaleColumns
	case "agreed":
		return catalogue.AgreedColumns
	case "rates":
		return catalogue.RateColumns
	}
	return catalogue.ProductColumns(s.live.Current().Book)
}

// shelve keeps a table until somebody says whether to import it, and previews it.
func (s *Server) shelve(ctx context.Context, kind, name string, table *catalogue.Table) (ImportPreview, error) {
	token := rand.Text()
	shelf := &s.imports
	shelf.mu.Lock()
	if shelf.files == nil {
		shelf.files = map[string]*waitingFile{}
	}
	for len(shelf.files) >= filesKept {
		oldest := ""
		for t, w := range shelf.files {
			if oldest == "" || w.at.Before(shelf.files[oldest].at) {
				oldest = t
			}
		}
		delete(shelf.files, oldest)
	}
	shelf.files[token] = &waitingFile{name: name, kind: kind, table: table, at: time.Now()}
	shelf.mu.Unlock()
	mapping, err := s.store.Mapping(ctx, kind, table.Headers)
	if err != nil {
		return ImportPreview{}, err
	}
	remembered := mapping != nil
	if !remembered {
		mapping = catalogue.Match(table.Headers, s.columns(kind))
	}
	_, out, err := s.previewImport(ctx, token, mapping)
	out.Remembered = remembered
	return out, err
}

// previewImport says what a file would do; the plan is nil where columns are missing, and not to be used where rows are
// bad.
func (s *Server) previewImport(ctx context.Context, token string, mapping map[string]string) (*plan, ImportPreview, error) {
	s.imports.mu.Lock()
	file := s.imports.files[token]
	s.imports.mu.Unlock()
	if file == nil {
		return nil, ImportPreview{}, huma.Error410Gone("This file is no longer at hand. Choose it again.")
	}
	file.mu.Lock()
	defer file.mu.Unlock()
	said, err := json.Marshal(mapping)
	if err != nil {
		return nil, ImportPreview{}, fmt.Errorf("read how columns are matched: %w", err)
	}
	key := fmt.Sprint(s.live.Current().Version, string(said))
	if file.plan != nil && file.planned == key && file.kind != "sales" { // what was sold before is asked anew
		return file.plan, file.preview, nil
	}
	out := ImportPreview{Token: token, Kind: file.kind, File: file.name, Headers: file.table.Headers, Mapping: mapping, Rows: len(file.table.Rows), Bad: []catalogue.BadCell{}, Changes: []catalogue.RowChange{}, Fields: []ImportField{}}
	for _, c := range s.columns(file.kind) {
		out.Fields = append(out.Fields, ImportField{c.Key, c.Name, c.Required})
	}
	p := &plan{}
	var bad []catalogue.BadCell
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
	var missing *catalogue.MissingColumn
	switch {
	case errors.Is(err, catalogue.ErrNoSKU):
		out.Problem = "No column holds the SKU. Say below which one does."
		return nil, out, nil
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
func (s *Server) ready(ctx context.Context, token string, mapping map[string]string) (*plan, ImportPreview, error) {
	p, out, err := s.previewImport(ctx, token, mapping)
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

func (s *Server) planProducts(file *waitingFile, p *plan, out *ImportPreview) ([]catalogue.BadCell, error) {
	compared, err := catalogue.Compare(file.table, out.Mapping, s.live.Current().Book)
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

func (s *Server) planRates(file *waitingFile, p *plan, out *ImportPreview) ([]catalogue.BadCell, error) {
	snap := s.live.Current()
	today := s.now().In(snap.Zone)
	rates, bad, err := catalogue.ReadRates(file.table, out.Mapping, time.Date(today.Year(), today.Month(), today.Day(), 0, 0, 0, 0, time.UTC))
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
		change := catalogue.CellChange{Field: "rate", Is: r.Rate.String()}
		if known {
			change.Was = was.String()
			out.Changed++
		} else {
			out.New++
		}
		next.Rates[r.Currency] = r.Rate
		out.Changes = append(out.Changes, catalogue.RowChange{SKU: r.Currency, Name: r.Day.Format("2006-01-02"), New: !known, Changes: []catalogue.CellChange{change}})
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
