package intake

import (
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"
	"unicode"

	"dogbane/internal/bookfile"
	"dogbane/internal/money"
	"dogbane/internal/pricing"
)

// Column is something that a column of a file can fill.
type Column struct {
	Key      string // as in the document
	Name     string // as people say it
	Required bool
	Holds    Kind
}

// Kind is what the cells of a column hold: texts, or what can be written in several ways.
type Kind int8

// The kinds of cells.
const (
	Texts Kind = iota
	Numbers
	Dates
)

// Field is a column of a product file.
type Field struct {
	Key   string
	Name  string
	write func(p *pricing.Product, cell string, t *Table) error
	set   func(p *pricing.Product, a *money.Rat) // of numbers
	money bool                                   // a number that is an amount in the book's currency
}

// ProductColumns are what a product file can fill, with the price levels, further costs and attributes that the book's
// products have.
func ProductColumns(book *pricing.Book) []Column {
	var list []Column
	for _, f := range Fields {
		c := Column{Key: f.Key, Name: f.Name, Required: f.Key == "sku"}
		if f.set != nil {
			c.Holds = Numbers
		}
		list = append(list, c)
	}
	list = append(list, Column{Key: fromKey, Name: "Holds from", Holds: Dates})
	return append(list, namedIn(book)...)
}

// fromKey is the column that says from when on the amounts of a row hold; where it is empty, at once.
const fromKey = "from"

func textField(set func(p *pricing.Product, text string), most int) func(*pricing.Product, string, *Table) error {
	return func(p *pricing.Product, cell string, _ *Table) error {
		if len([]rune(cell)) > most {
			return fmt.Errorf("must have at most %d characters", most)
		}
		set(p, cell)
		return nil
	}
}

// The most characters of a name and of other texts, as docs/book.md bounds them.
const longestName, longestText = 200, 2000

// Fields are all that a product file can fill. Only the SKU must be there.
var Fields = []Field{
	{Key: "sku", Name: "SKU", write: func(p *pricing.Product, c string, _ *Table) error {
		if len([]rune(c)) > 100 || strings.ContainsFunc(c, unicode.IsControl) {
			return fmt.Errorf("a SKU has 1 to 100 characters and no control characters")
		}
		p.SKU = c
		return nil
	}},
	{Key: "name", Name: "Name", write: textField(func(p *pricing.Product, c string) { p.Name = c }, longestName)},
	{Key: "list", Name: "List price", money: true, set: func(p *pricing.Product, a *money.Rat) { p.List = a }},
	{Key: "cost", Name: "Cost", money: true, set: func(p *pricing.Product, a *money.Rat) { p.Cost = a }},
	{Key: "rrp", Name: "Recommended retail price", money: true, set: func(p *pricing.Product, a *money.Rat) { p.RRP = a }},
	{Key: "category", Name: "Category", write: textField(func(p *pricing.Product, c string) { p.Category = c },
		longestText)},
	{Key: "brand", Name: "Brand", write: textField(func(p *pricing.Product, c string) { p.Brand = c }, longestText)},
	{Key: "supplier", Name: "Supplier", write: textField(func(p *pricing.Product, c string) { p.Supplier = c },
		longestText)},
	{Key: "style", Name: "Style", write: textField(func(p *pricing.Product, c string) { p.Style = c }, longestText)},
	{Key: "tags", Name: "Tags", write: textField(func(p *pricing.Product, c string) { p.Tags = words(c) }, longestText)},
	{Key: "stock", Name: "Stock", set: func(p *pricing.Product, a *money.Rat) { p.Stock = a }},
	{Key: "gtin", Name: "GTIN", write: func(p *pricing.Product, c string,
		_ *Table) error {
		p.GTIN = c
		return CheckGTIN(c)
	}},
	{Key: "map", Name: "Lowest advertised price", money: true, set: func(p *pricing.Product, a *money.Rat) { p.MAP = a }},
	{Key: "type", Name: "Type", write: textField(func(p *pricing.Product, c string) { p.Type = c }, longestText)},
	{Key: "rating", Name: "Rating", set: func(p *pricing.Product, a *money.Rat) { p.Rating = a }},
	{Key: "minOrder", Name: "Least order", write: func(p *pricing.Product, c string, _ *Table) error {
		n, err := strconv.Atoi(c)
		if err != nil || n < 1 || n > 1_000_000_000 {
			return fmt.Errorf("is not a whole number from 1")
		}
		p.MinOrder = n
		return nil
	}},
	{Key: "content", Name: "Content", write: func(p *pricing.Product, c string, t *Table) error {
		cut := strings.LastIndexAny(c, "0123456789.,") + 1
		n, err := t.number(strings.TrimSpace(c[:cut]), "")
		of := strings.TrimSpace(c[cut:])
		if err != nil || n.Sign() <= 0 || of == "" || len([]rune(of)) > longestText {
			return fmt.Errorf("is not an amount and what it is of, such as 12.5 kg")
		}
		p.Content = &pricing.Content{Amount: n, Of: of}
		return nil
	}},
	{Key: "taxClass", Name: "Tax class", write: func(p *pricing.Product, c string,
		_ *Table) error {
		p.TaxClass = c
		return nil
	}},
}

// read puts a cell into a product.
func (f *Field) read(p *pricing.Product, cell string, t *Table, book *pricing.Book) error {
	if f.set != nil {
		currency := ""
		if f.money {
			currency = book.Settings.Currency
		}
		n, err := t.number(cell, currency)
		if err == nil {
			f.set(p, &n)
		}
		return err
	}
	if f.Key == "taxClass" {
		class, err := taxClass(cell, t, book)
		if err != nil {
			return err
		}
		cell = class
	}
	return f.write(p, cell, t)
}

// taxClass is the tax class that a cell names, or whose rate it says.
func taxClass(cell string, t *Table, book *pricing.Book) (string, error) {
	if _, rated := book.Settings.TaxRates[cell]; rated {
		return cell, nil
	}
	number, _, _ := bare(cell)
	if percent, err := t.number(number, ""); err == nil {
		found := ""
		for class, rate := range book.Settings.TaxRates {
			if rate.Equal(percent) {
				if found != "" {
					return "", fmt.Errorf("is the rate of several tax classes; write the class")
				}
				found = class
			}
		}
		if found != "" {
			return found, nil
		}
	}
	return "", fmt.Errorf("is not a tax class of the book; it has %s",
		strings.Join(slices.Sorted(maps.Keys(book.Settings.TaxRates)), ", "))
}

// number reads a cell as a decimal that is not negative. currency is that of amounts, or "".
func (t *Table) number(cell, currency string) (money.Rat, error) {
	if t.Sheet && !t.texts[cell] {
		if n, err := money.Parse(cell); err == nil { // stored as a number
			f := Format{Decimal: Point}
			_, err := f.number(cell, "")
			return n, err
		}
	}
	return t.Format.number(cell, currency)
}

// Settle finds out how the numbers and dates of the mapped columns are written, where the format does not say it yet.
// asks holds an example of what could be read in two ways, by "decimal" and "dates".
func (t *Table) Settle(columns []Column, mapping map[string]string) (asks map[string]string) {
	asks = map[string]string{}
	cells := func(kind Kind) func(yield func(string) bool) {
		return func(yield func(string) bool) {
			for _, c := range columns {
				at := slices.Index(t.Headers, mapping[c.Key])
				if c.Holds != kind || mapping[c.Key] == "" || at < 0 {
					continue
				}
				for _, row := range t.Rows {
					if at >= len(row) || row[at] == "" || t.Sheet && !t.texts[row[at]] && !strings.ContainsAny(row[at], ",/-") &&
						kind == Numbers {
						continue
					}
					if !yield(strings.TrimSpace(row[at])) {
						return
					}
				}
			}
		}
	}
	if t.Format.Decimal == "" {
		mark, either := FindDecimal(cells(Numbers))
		if t.Format.Decimal = mark; either != "" {
			asks["decimal"] = either
		}
	}
	if t.Format.Dates == "" {
		order, either := FindDates(cells(Dates))
		if t.Format.Dates = order; either != "" {
			asks["dates"] = either
		}
	}
	return asks
}

// words splits tags at commas, semicolons and bars.
func words(cell string) []string {
	var list []string
	for _, w := range strings.FieldsFunc(cell, func(r rune) bool { return strings.ContainsRune(",;|", r) }) {
		if w = strings.TrimSpace(w); w != "" && !slices.Contains(list, w) {
			list = append(list, w)
		}
	}
	return list
}

// Match finds for every column the header that means it, if one does. A header means one thing.
func Match(headers []string, columns []Column) map[string]string {
	mapping := map[string]string{}
	plain := make([]string, len(headers))
	for i, h := range headers {
		plain[i] = normal(h)
	}
	taken := map[int]bool{}
	take := func(c Column, words []string) {
		if _, found := mapping[c.Key]; found {
			return
		}
		for _, word := range words {
			want := normal(word)
			for i, h := range plain {
				if h == want && h != "" && !taken[i] {
					mapping[c.Key], taken[i] = headers[i], true
					return
				}
			}
		}
	}
	for _, c := range columns {
		take(c, []string{c.Key, c.Name})
	}
	for _, c := range columns {
		take(c, tradeWords[c.Key])
		if n, is := namedBy(c.Key); is {
			take(c, []string{n.name})
		}
	}
	return mapping
}

// BadCell is one reason why a file cannot be imported as it is.
type BadCell struct {
	Line    int    `json:"line"`
	Column  string `json:"column"`
	Value   string `json:"value"`
	Problem string `json:"problem"`
}

// CellChange is one field of a product that an import changes.
type CellChange struct {
	Field string `json:"field"`
	Was   string `json:"was"`
	Is    string `json:"is"`
}

// RowChange is what an import does to one product.
type RowChange struct {
	SKU     string       `json:"sku"`
	Name    string       `json:"name"`
	New     bool         `json:"new"`
	Changes []CellChange `json:"changes"`

	Before *pricing.Product `json:"-"` // nil for a new product
	After  pricing.Product  `json:"-"`
}

// Comparison is what importing a table of products would do. It can be imported only when nothing is bad.
type Comparison struct {
	Changes   []RowChange
	Unchanged int
	Bad       []BadCell
}

// New counts the products that would be added.
func (p *Comparison) New() int {
	n := 0
	for i := range p.Changes {
		if p.Changes[i].New {
			n++
		}
	}
	return n
}

// Compare says what importing a table into a book would do. mapping names a header for each field that is to be
// filled; an empty cell leaves what is there. Amounts take the place of those that hold at the present, or from the
// moment on that their row says. The error is a *MissingColumn, or names a header that the table does not have.
func Compare(t *Table, mapping map[string]string, book *pricing.Book, present pricing.Moment) (*Comparison, error) {
	column, err := t.places([]Column{{Key: "sku", Name: "SKU", Required: true}}, mapping)
	if err != nil {
		return nil, err
	}
	skuAt := column["sku"]
	var names []named
	for _, key := range slices.Sorted(maps.Keys(column)) {
		if n, is := namedBy(key); is {
			names = append(names, n)
		}
	}
	now := make(map[string]*pricing.Product, len(book.Products))
	for i := range book.Products {
		now[book.Products[i].SKU] = book.Products[i]
	}
	out, seen := &Comparison{}, map[string]int{}
	for n, cells := range t.Rows {
		line := t.Lines[n]
		bad := func(at int, problem string) {
			cell := BadCell{Line: line, Problem: problem}
			if at >= 0 && at < len(t.Headers) {
				cell.Column = t.Headers[at]
			}
			if at >= 0 && at < len(cells) {
				cell.Value = shorten(cells[at])
			}
			out.Bad = append(out.Bad, cell)
		}
		if len(cells) != len(t.Headers) {
			bad(-1, fmt.Sprintf("has %d cells where the header has %d", len(cells), len(t.Headers)))
			continue
		}
		sku := strings.TrimSpace(cells[skuAt])
		switch first, twice := seen[sku]; {
		case sku == "":
			bad(skuAt, "a row needs a SKU")
			continue
		case twice:
			bad(skuAt, fmt.Sprintf("this SKU stands in line %d already", first))
			continue
		}
		seen[sku] = line
		failed, at, dated := false, present, false
		if place, mapped := column[fromKey]; mapped {
			if cell := strings.TrimSpace(cells[place]); cell != "" {
				if at, err = t.Format.date(cell); err != nil {
					bad(place, err.Error())
					failed = true
				}
				dated = true
			}
		}
		before := now[sku]
		then := &pricing.Product{Unit: "each"} // as it is at that moment
		if before != nil {
			then = before.At(at)
		}
		after := *then
		for _, f := range Fields {
			at, mapped := column[f.Key]
			if !mapped {
				continue
			}
			cell := strings.TrimSpace(cells[at])
			if cell == "" {
				continue
			}
			if err := f.read(&after, cell, t, book); err != nil {
				bad(at, err.Error())
				failed = true
			}
		}
		for _, n := range names {
			at := column[n.key()]
			if cell := strings.TrimSpace(cells[at]); cell == "" {
				continue
			} else if err := n.read(&after, cell, t, book); err != nil {
				bad(at, err.Error())
				failed = true
			}
		}
		if failed {
			continue
		}
		if before == nil {
			then = nil
		}
		change := RowChange{SKU: sku, Name: after.Name, New: before == nil, Before: before,
			Changes: cellChanges(then, &after, column, names)}
		var later bool
		if change.After, later = kept(before, &after, at, dated); later {
			change.Changes = append(change.Changes, CellChange{Field: fromKey, Is: at.String()})
		}
		if len(change.Changes) == 0 && before != nil {
			out.Unchanged++
			continue
		}
		out.Changes = append(out.Changes, change)
	}
	return out, nil
}

// kept is a product as the book keeps it, that is after at a moment: its own figures and later ones. later says that
// some begin at the moment.
func kept(before, after *pricing.Product, at pricing.Moment, dated bool) (p pricing.Product, later bool) {
	if len(after.Later) == 0 && !dated {
		return *after, false
	}
	own := &pricing.Product{}
	if before != nil {
		own = before
	}
	figures, next := after.Differing(own.At(at)), *after
	next.List, next.Cost, next.RRP, next.MAP = own.List, own.Cost, own.RRP, own.MAP
	next.Costs, next.Levels, next.ListIn, next.Later = own.Costs, own.Levels, own.ListIn, own.Later
	switch {
	case figures.Empty():
		return next, false
	case dated:
		figures.From = at
		next.Later = pricing.Merge(next.Later, figures)
		return next, true
	}
	return *next.PutAll(at, &figures), false
}

func shorten(s string) string {
	if r := []rune(s); len(r) > 80 {
		return string(r[:79]) + "…"
	}
	return s
}

// cellChanges are the mapped fields in which two products differ; all filled ones of a new product.
func cellChanges(before, after *pricing.Product, mapped map[string]int, names []named) []CellChange {
	list := []CellChange{}
	for _, f := range Fields {
		if _, here := mapped[f.Key]; !here {
			continue
		}
		was, is := "", text(after, f.Key)
		if before != nil {
			was = text(before, f.Key)
		}
		if was != is && f.Key != "sku" {
			list = append(list, CellChange{f.Key, was, is})
		}
	}
	for _, n := range names {
		was, is := "", n.text(after)
		if before != nil {
			was = n.text(before)
		}
		if was != is {
			list = append(list, CellChange{n.key(), was, is})
		}
	}
	return list
}

// text is a field of a product as a cell would show it.
func text(p *pricing.Product, key string) string {
	amount := func(a *money.Rat) string {
		if a == nil {
			return ""
		}
		return bookfile.Amount(*a)
	}
	switch key {
	case "name":
		return p.Name
	case "list":
		return amount(p.List)
	case "cost":
		return amount(p.Cost)
	case "rrp":
		return amount(p.RRP)
	case "category":
		return p.Category
	case "brand":
		return p.Brand
	case "supplier":
		return p.Supplier
	case "style":
		return p.Style
	case "tags":
		return strings.Join(p.Tags, ", ")
	case "stock":
		if p.Stock == nil {
			return ""
		}
		return p.Stock.String()
	case "gtin":
		return p.GTIN
	case "taxClass":
		return p.TaxClass
	case "map":
		return amount(p.MAP)
	case "type":
		return p.Type
	case "rating":
		if p.Rating == nil {
			return ""
		}
		return p.Rating.String()
	case "minOrder":
		if p.MinOrder == 0 {
			return ""
		}
		return strconv.Itoa(p.MinOrder)
	case "content":
		if p.Content == nil {
			return ""
		}
		return p.Content.Amount.String() + " " + p.Content.Of
	}
	return p.SKU
}
