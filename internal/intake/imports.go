package intake

import (
	"context"
	"crypto/rand"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"dogbane/internal/book"
	"dogbane/internal/clock"
)

// Preview is what importing a file would do.
type Preview struct {
	Token      string            `json:"token" doc:"names the file until it is imported"`
	Kind       string            `json:"kind" enum:"products,sales,agreed,rates"`
	File       string            `json:"file"`
	Headers    []string          `json:"headers"`
	Fields     []Fillable        `json:"fields" doc:"what a column can fill"`
	Mapping    map[string]string `json:"mapping" doc:"header by field"`
	Remembered bool              `json:"remembered" doc:"the columns are matched as they were the last time"`
	Problem    string            `json:"problem,omitempty" doc:"why nothing can be compared yet"`
	Format     Format            `json:"format" doc:"how the file is written, as it was found or chosen"`
	Asks       []Ask             `json:"asks" doc:"what could be read in two ways and has to be chosen"`
	Top        []string          `json:"top" doc:"the first rows, of which one names the columns"`
	Sheet      bool              `json:"sheet" doc:"it is a spreadsheet, whose cells need no separator"`
	Rows       int               `json:"rows"`
	New        int               `json:"new"`
	Changed    int               `json:"changed"`
	Unchanged  int               `json:"unchanged"`
	BadCount   int               `json:"badCount"`
	Bad        []BadCell         `json:"bad" doc:"the first 200"`
	Changes    []RowChange       `json:"changes" doc:"the first 200"`
}

// Fillable is something that a column can fill.
type Fillable struct {
	Key      string `json:"key"`
	Name     string `json:"name"`
	Required bool   `json:"required"`
	IsNew    bool   `json:"isNew" doc:"a price level, further cost or attribute that no product has yet"`
}

// Ask is something in a file that could be read in two ways.
type Ask struct {
	What    string `json:"what" enum:"decimal,dates"`
	Example string `json:"example"`
}

// Matching says which column fills which field, and how the file is written.
type Matching struct {
	Mapping map[string]string `json:"mapping" doc:"header by field"`
	Format  *Format           `json:"format,omitempty" doc:"absent: as it was found or last chosen; a value left out is found out"`
}

// Imports bring files in: a file is read and laid onto a shelf, previewed under a matching of its columns, and carried
// out as a whole or, with one bad row, not at all.
type Imports struct {
	keeper Keeper
	live   *book.Live
	clocks clock.Clocks
	shelf  shelf
}

// NewImports bring files into a live book.
func NewImports(keeper Keeper, live *book.Live, clocks clock.Clocks) *Imports {
	return &Imports{keeper: keeper, live: live, clocks: clocks}
}

// ErrGone says that a file is no longer at hand.
var ErrGone = errors.New("the file is no longer at hand")

// ErrNothing says that a file changes nothing.
var ErrNothing = errors.New("the file changes nothing")

// today is the day on the book's wall clock, as midnight UTC.
func (i *Imports) today(snap *book.Snapshot) time.Time {
	now := i.clocks.Book().In(snap.Zone)
	return time.Date(now.Year(), now.Month(), now.Day(), 0, 0, 0, 0, time.UTC)
}

// ReadFile reads a file of a kind and previews it.
func (i *Imports) ReadFile(ctx context.Context, who, kind, name string, data []byte) (Preview, error) {
	table, err := Read(data, nil)
	var broken *FileError
	if errors.As(err, &broken) {
		return Preview{}, book.Invalid("file", fmt.Sprintf("%s cannot be read: %s", name, broken))
	} else if err != nil {
		return Preview{}, err
	}
	return i.shelve(ctx, who, kind, clipped(name, longestFileName), data, table)
}

// ReadPaste reads cells copied from a spreadsheet: with a header, or as SKU, list price and cost.
func (i *Imports) ReadPaste(ctx context.Context, who, text string) (Preview, error) {
	as := Format{Encoding: UTF8, Separator: "tab"}
	if !strings.Contains(text, "\t") { // typed, or copied from a text
		as.Separator = findSeparator([]byte(text))
	}
	table, err := ReadText([]byte(text), &as)
	if err != nil && strings.Contains(text, `"`) { // a quote is an inch, or stands around one word
		text = quoted(text, separators[as.Separator])
		table, err = ReadText([]byte(text), &as)
	}
	if err == nil {
		if _, headed := Match(table.Rows[0], i.columns("products"))["sku"]; !headed {
			sep := string(separators[as.Separator])
			text = strings.Join(headerOf(table.Rows), sep) + "\n" + strings.TrimLeft(text, "\r\n")
		}
		as.Header = 1
		table, err = ReadText([]byte(text), &as)
	}
	var broken *FileError
	if errors.As(err, &broken) {
		return Preview{}, book.Invalid("text", "What was pasted cannot be read: "+broken.Error())
	} else if err != nil {
		return Preview{}, err
	}
	return i.shelve(ctx, who, "products", "pasted cells", []byte(text), table)
}

// quoted writes cells whose quotes mean nothing so that they are read as they stand.
func quoted(text string, sep rune) string {
	var out strings.Builder
	for line := range strings.Lines(text) {
		cells := strings.Split(strings.TrimRight(line, "\r\n"), string(sep))
		for i, c := range cells {
			cells[i] = `"` + strings.ReplaceAll(c, `"`, `""`) + `"`
		}
		out.WriteString(strings.Join(cells, string(sep)) + "\n")
	}
	return out.String()
}

// headerOf names the columns of pasted cells that say nothing of them: the SKU first; then words are the name, and
// numbers the list price and the cost.
func headerOf(rows [][]string) []string {
	wide := 0
	for _, cells := range rows {
		wide = max(wide, len(cells))
	}
	names := map[bool][]string{true: {"List price", "Cost"}, false: {"Name"}}
	header := []string{"SKU"}
	for at := 1; at < wide; at++ {
		numbers := !slices.ContainsFunc(rows, func(cells []string) bool {
			if at >= len(cells) {
				return false
			}
			number, _, _ := bare(cells[at])
			return strings.TrimSpace(cells[at]) != "" && strings.Trim(number, "0123456789.,'- ") != ""
		})
		if left := names[numbers]; len(left) > 0 {
			header, names[numbers] = append(header, left[0]), left[1:]
		} else {
			header = append(header, "") // means nothing
		}
	}
	return header
}

// columns are what files of a kind can fill.
func (i *Imports) columns(kind string) []Column {
	switch kind {
	case "sales":
		return SaleColumns
	case "agreed":
		return AgreedColumns
	case "rates":
		return RateColumns
	}
	return ProductColumns(i.live.Current().Book)
}

// filled are what files of a kind can fill, with what the headers of one file and its mapping add.
func (i *Imports) filled(kind string, headers []string, mapping map[string]string) []Column {
	columns := i.columns(kind)
	if kind == "products" {
		columns = WithNamed(columns, headers, mapping)
	}
	return columns
}

// shelve keeps a table until somebody says whether to import it, and previews it.
func (i *Imports) shelve(ctx context.Context, who, kind, name string, data []byte, table *Table) (Preview, error) {
	token := rand.Text()
	i.shelf.put(token, &waitingFile{name: name, kind: kind, who: who, data: data, table: table, at: i.clocks.Machine()})
	matched, err := i.keeper.Mapping(ctx, kind, table.Headers)
	if err != nil {
		return Preview{}, err
	}
	as := Matching{}
	if matched != nil {
		var before Format
		if len(matched.Format) > 0 {
			if err := json.Unmarshal(matched.Format, &before); err != nil {
				return Preview{}, fmt.Errorf("read how a file was written: %w", err)
			}
		}
		as.Mapping = matched.Mapping
		// What the file itself says holds; where it could be read in two ways, it is read as the last time.
		asks := table.Settle(i.filled(kind, table.Headers, as.Mapping), as.Mapping)
		if asks["decimal"] != "" {
			table.Format.Decimal = before.Decimal
		}
		if asks["dates"] != "" {
			table.Format.Dates = before.Dates
		}
	} else {
		as.Mapping = i.match(kind, table.Headers)
	}
	_, out, err := i.Preview(ctx, who, token, &as)
	out.Remembered = matched != nil
	return out, err
}

// match is what the headers of a file mean; in a file of products the others become price levels, further costs or
// attributes.
func (i *Imports) match(kind string, headers []string) map[string]string {
	columns := i.columns(kind)
	mapping := Match(headers, columns)
	if kind == "products" {
		MatchNamed(columns, headers, mapping)
	}
	return mapping
}

// Preview says what a file would do; the plan is nil where columns are missing, and not to be used where rows are
// bad.
func (i *Imports) Preview(ctx context.Context, who, token string, as *Matching) (*Plan, Preview, error) {
	file := i.shelf.find(token, who)
	if file == nil {
		return nil, Preview{}, ErrGone
	}
	file.mu.Lock()
	defer file.mu.Unlock()
	headers := file.table.Headers
	if err := file.read(as.Format); err != nil {
		return nil, Preview{}, err
	}
	mapping := as.Mapping
	if !slices.Equal(headers, file.table.Headers) {
		mapping = i.match(file.kind, file.table.Headers)
	}
	if mapping == nil {
		mapping = map[string]string{}
	}
	columns := i.filled(file.kind, file.table.Headers, mapping)
	asks := file.table.Settle(columns, mapping)
	said, err := json.Marshal([]any{mapping, file.table.Format})
	if err != nil {
		return nil, Preview{}, fmt.Errorf("read how columns are matched: %w", err)
	}
	snap := i.live.Current()
	key := fmt.Sprint(snap.Version, string(said))
	if file.plan != nil && file.planned == key && file.kind != "sales" { // what was sold before is asked anew
		return file.plan, file.preview, nil
	}
	out := Preview{Token: token, Kind: file.kind, File: file.name, Headers: file.table.Headers, Mapping: mapping,
		Rows: len(file.table.Rows), Bad: []BadCell{}, Changes: []RowChange{}, Fields: []Fillable{},
		Format: file.table.Format, Asks: []Ask{}, Top: file.table.Top, Sheet: file.table.Sheet}
	for _, what := range slices.Sorted(maps.Keys(asks)) {
		out.Asks = append(out.Asks, Ask{what, asks[what]})
	}
	var known []string
	for _, c := range i.columns(file.kind) {
		known = append(known, c.Key)
	}
	for _, c := range columns {
		out.Fields = append(out.Fields, Fillable{c.Key, c.Name, c.Required, !slices.Contains(known, c.Key)})
	}
	p := &Plan{}
	var bad []BadCell
	switch file.kind {
	case "products":
		bad, err = i.planProducts(snap, file, p, &out)
	case "sales":
		bad, err = i.planSales(ctx, snap, file, p, &out)
	case "agreed":
		bad, err = i.planAgreed(snap, file, p, &out)
	case "rates":
		bad, err = i.planRates(snap, file, p, &out)
	}
	var missing *MissingColumn
	switch {
	case errors.As(err, &missing):
		out.Problem = missing.Error()
		return nil, out, nil
	case err != nil:
		return nil, out, book.Invalid("mapping", err.Error())
	}
	out.BadCount = len(bad)
	out.Bad = append(out.Bad, bad[:min(len(bad), previewRows)]...)
	file.planned, file.plan, file.preview = key, p, out
	i.shelf.keepOnly(file)
	return p, out, nil
}

// Ready is the plan of a file that can be imported.
func (i *Imports) Ready(ctx context.Context, who, token string, as *Matching) (*Plan, Preview, error) {
	p, out, err := i.Preview(ctx, who, token, as)
	switch {
	case err != nil:
		return nil, out, err
	case p == nil:
		return nil, out, book.Invalid("mapping", out.Problem)
	case out.BadCount > 0:
		return nil, out, book.Invalid("file", fmt.Sprintf("%d rows cannot be imported as they are; nothing was imported.",
			out.BadCount))
	case len(p.products)+len(p.changes)+len(p.sales) == 0:
		return nil, out, ErrNothing
	}
	return p, out, nil
}

// Remember keeps how the columns of a file were matched, for the next one like it.
func (i *Imports) Remember(ctx context.Context, p *Preview) error {
	format, err := json.Marshal(p.Format)
	if err != nil {
		return fmt.Errorf("write how a file is written: %w", err)
	}
	return i.keeper.KeepMapping(ctx, p.Kind, p.Headers, Matched{Mapping: p.Mapping, Format: format})
}

// Forget takes a file off the shelf.
func (i *Imports) Forget(token string) { i.shelf.forget(token) }

// Carrying is how a plan is carried out.
type Carrying struct {
	File, Who  string
	ChecksSeen bool
	Tell       func(step string, done, total int)
}

// CarryOut carries a plan out, whole or, where ctx ends or something fails, not at all. An entry without an ID says
// that the book stays as it is.
func (i *Imports) CarryOut(ctx context.Context, p *Plan, by Carrying) (book.Entry, error) {
	at := i.clocks.Book().UTC()
	file := SalesFile{Name: by.File, Who: by.Who, At: at}
	if len(p.sales) > 0 {
		if err := i.keeper.AddSales(ctx, &file, p.sales, func(n int) {
			by.Tell("Writing sales", n,
				len(p.sales))
		}); err != nil {
			return book.Entry{}, err
		}
	}
	before := i.live.Current()
	entry := book.Entry{Version: before.Version, Summary: p.summary}
	by.Tell("Checking", 0, len(p.products))
	if changes := p.write(); len(changes) > 0 {
		next, err := p.Book(before.Book)
		if err != nil {
			return entry, err
		}
		edit := book.Edit{Who: by.Who, At: at, Summary: p.summary, Changes: changes, Base: before.Book, Next: next,
			ChecksSeen: by.ChecksSeen}
		edit.Progress = func(n int) {
			step := "Writing"
			if n == len(changes) {
				step = "Working out prices"
			}
			by.Tell(step, n, len(changes))
		}
		if entry, err = i.live.Save(ctx, edit); err != nil {
			if len(p.sales) > 0 {
				err = errors.Join(err, i.keeper.DropSales(context.WithoutCancel(ctx), file.ID))
			}
			return entry, err
		}
		if len(p.sales) > 0 {
			if err := i.keeper.SetSalesEntry(ctx, file.ID, entry.ID); err != nil {
				return entry, err
			}
		}
	}
	return entry, i.keeper.KeepRateDays(ctx, p.rateDays)
}
