package catalogue

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
	Key      string   // as in the document
	Name     string   // as people say it
	Also     []string // further headers that are matched, in lower case without spaces and signs
	Required bool
}

// Field is a column of a product file.
type Field struct {
	Key   string
	Name  string
	Also  []string
	write func(p *pricing.Product, cell string) error
}

// attrPrefix begins the key of an attribute: any column can fill one.
const attrPrefix = "attr:"

// ProductColumns are what a product file can fill, with the attributes that the book's products have.
func ProductColumns(book *pricing.Book) []Column {
	var list []Column
	for _, f := range Fields {
		list = append(list, Column{f.Key, f.Name, f.Also, f.Key == "sku"})
	}
	names := map[string]bool{}
	for i := range book.Products {
		for name := range book.Products[i].Attrs {
			names[name] = true
		}
	}
	for _, name := range slices.Sorted(maps.Keys(names)) {
		list = append(list, Column{Key: attrPrefix + name, Name: name})
	}
	return list
}

// Fields are all that a product file can fill. Only the SKU must be there.
var Fields = []Field{
	{"sku", "SKU", []string{"articlenumber", "itemnumber", "productcode", "code"}, func(p *pricing.Product, c string) error { p.SKU = c; return nil }},
	{"name", "Name", []string{"title", "description", "productname"}, func(p *pricing.Product, c string) error { p.Name = c; return nil }},
	{"list", "List price", []string{"price", "listprice", "retailprice"}, amount(func(p *pricing.Product, a *money.Rat) { p.List = a })},
	{"cost", "Cost", []string{"costprice", "purchaseprice", "unitcost"}, amount(func(p *pricing.Product, a *money.Rat) { p.Cost = a })},
	{"rrp", "Recommended retail price", []string{"recommendedretailprice", "recommendedprice"}, amount(func(p *pricing.Product, a *money.Rat) { p.RRP = a })},
	{"category", "Category", []string{"categorypath", "productgroup"}, func(p *pricing.Product, c string) error { p.Category = c; return nil }},
	{"brand", "Brand", []string{"make"}, func(p *pricing.Product, c string) error { p.Brand = c; return nil }},
	{"supplier", "Supplier", []string{"vendor"}, func(p *pricing.Product, c string) error { p.Supplier = c; return nil }},
	{"style", "Style", []string{"parent", "parentsku"}, func(p *pricing.Product, c string) error { p.Style = c; return nil }},
	{"tags", "Tags", []string{"labels"}, func(p *pricing.Product, c string) error { p.Tags = words(c); return nil }},
	{"stock", "Stock", []string{"onhand", "quantity", "stockquantity"}, amount(func(p *pricing.Product, a *money.Rat) { p.Stock = a })},
	{"gtin", "GTIN", []string{"ean", "barcode"}, func(p *pricing.Product, c string) error { p.GTIN = c; return CheckGTIN(c) }},
	{"map", "Lowest advertised price", []string{"lowestadvertised"}, amount(func(p *pricing.Product, a *money.Rat) { p.MAP = a })},
	{"type", "Type", []string{"producttype"}, func(p *pricing.Product, c string) error { p.Type = c; return nil }},
	{"rating", "Rating", []string{"stars"}, amount(func(p *pricing.Product, a *money.Rat) { p.Rating = a })},
	{"minOrder", "Least order", []string{"minimumorder", "minimumquantity", "moq"}, func(p *pricing.Product, c string) error {
		n, err := strconv.Atoi(c)
		if err != nil || n < 1 {
			return fmt.Errorf("is not a whole number from 1")
		}
		p.MinOrder = n
		return nil
	}},
	{"content", "Content", []string{"netcontent", "weight", "volume"}, func(p *pricing.Product, c string) error {
		cut := strings.LastIndexAny(c, "0123456789.") + 1
		n, err := money.Parse(strings.TrimSpace(c[:cut]))
		of := strings.TrimSpace(c[cut:])
		if err != nil || n.Sign() <= 0 || of == "" {
			return fmt.Errorf("is not an amount and what it is of, such as 12.5 kg")
		}
		p.Content = &pricing.Content{Amount: n, Of: of}
		return nil
	}},
	{"taxClass", "Tax class", []string{"tax", "taxcode"}, func(p *pricing.Product, c string) error { p.TaxClass = c; return nil }},
}

// amount reads a cell as a decimal that is not negative.
func amount(set func(p *pricing.Product, a *money.Rat)) func(*pricing.Product, string) error {
	return func(p *pricing.Product, cell string) error {
		a, err := money.Parse(cell)
		if err != nil {
			if plain, e := money.Parse(strings.ReplaceAll(cell, ",", ".")); e == nil {
				return fmt.Errorf("has a decimal comma; write %s with a point", plain.Fixed(2))
			}
			return fmt.Errorf("is not a number such as 19.99")
		}
		if a.Sign() < 0 {
			return fmt.Errorf("must not be negative")
		}
		set(p, &a)
		return nil
	}
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

// Match finds for every column the header that means it, if one does.
func Match(headers []string, columns []Column) map[string]string {
	mapping := map[string]string{}
	for _, c := range columns {
		meant := append([]string{normal(c.Key), normal(c.Name)}, c.Also...)
		for _, want := range meant {
			if i := slices.IndexFunc(headers, func(h string) bool { return normal(h) == want }); i >= 0 {
				mapping[c.Key] = headers[i]
				break
			}
		}
	}
	return mapping
}

func normal(header string) string {
	return strings.Map(func(r rune) rune {
		if !unicode.IsLetter(r) && !unicode.IsDigit(r) {
			return -1
		}
		return unicode.ToLower(r)
	}, header)
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

// Preview is what importing a table would do. It can be imported only when nothing is bad.
type Preview struct {
	Changes   []RowChange
	Unchanged int
	Bad       []BadCell
}

// New counts the products that would be added.
func (p *Preview) New() int {
	n := 0
	for i := range p.Changes {
		if p.Changes[i].New {
			n++
		}
	}
	return n
}

// ErrNoSKU says that no column holds the SKU.
var ErrNoSKU = fmt.Errorf("no column holds the SKU")

// Compare says what importing a table into a book would do. mapping names a header for each field that is to be
// filled; an empty cell leaves what is there. The error is ErrNoSKU, or names a header that the table does not have.
func Compare(t *Table, mapping map[string]string, book *pricing.Book) (*Preview, error) {
	column := map[string]int{}
	for key, header := range mapping {
		if header == "" {
			continue
		}
		i := slices.Index(t.Headers, header)
		if i < 0 {
			return nil, fmt.Errorf("the file has no column %q", header)
		}
		column[key] = i
	}
	skuAt, known := column["sku"]
	if !known {
		return nil, ErrNoSKU
	}
	var attrs []string
	for key := range column {
		if name, is := strings.CutPrefix(key, attrPrefix); is {
			attrs = append(attrs, name)
		}
	}
	slices.Sort(attrs)
	now := make(map[string]*pricing.Product, len(book.Products))
	for i := range book.Products {
		now[book.Products[i].SKU] = &book.Products[i]
	}
	out, seen := &Preview{}, map[string]int{}
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
		case len([]rune(sku)) > 100:
			bad(skuAt, "a SKU may have at most 100 characters")
			continue
		case twice:
			bad(skuAt, fmt.Sprintf("this SKU stands in line %d already", first))
			continue
		}
		seen[sku] = line
		before := now[sku]
		after := pricing.Product{Unit: "each"}
		if before != nil {
			after = *before
		}
		failed := false
		for _, f := range Fields {
			at, mapped := column[f.Key]
			if !mapped {
				continue
			}
			cell := strings.TrimSpace(cells[at])
			if cell == "" {
				continue
			}
			if err := f.write(&after, cell); err != nil {
				bad(at, err.Error())
				failed = true
			} else if f.Key == "taxClass" && !hasRate(book, cell) {
				bad(at, fmt.Sprintf("is not a tax class of the book; it has %s", strings.Join(slices.Sorted(maps.Keys(book.Settings.TaxRates)), ", ")))
				failed = true
			}
		}
		for _, name := range attrs {
			at := column[attrPrefix+name]
			if cell := strings.TrimSpace(cells[at]); cell != "" {
				after.Attrs = maps.Clone(after.Attrs)
				if after.Attrs == nil {
					after.Attrs = map[string]pricing.Attr{}
				}
				if old, known := after.Attrs[name]; !known || old.Text != cell {
					after.Attrs[name] = TextAttr(cell)
				}
			}
		}
		if failed {
			continue
		}
		change := RowChange{SKU: sku, Name: after.Name, New: before == nil, Changes: cellChanges(before, &after, column), Before: before, After: after}
		if len(change.Changes) == 0 && before != nil {
			out.Unchanged++
			continue
		}
		out.Changes = append(out.Changes, change)
	}
	return out, nil
}

// TextAttr is an attribute with a text, which counts as a number too where it reads as one.
func TextAttr(text string) pricing.Attr {
	a := pricing.Attr{Text: text, Quoted: true}
	if n, err := money.Parse(text); err == nil {
		a.Number = &n
	}
	return a
}

func hasRate(book *pricing.Book, class string) bool {
	_, rated := book.Settings.TaxRates[class]
	return rated
}

func shorten(s string) string {
	if r := []rune(s); len(r) > 80 {
		return string(r[:79]) + "…"
	}
	return s
}

// cellChanges are the mapped fields in which two products differ; all filled ones of a new product.
func cellChanges(before, after *pricing.Product, mapped map[string]int) []CellChange {
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
	for _, name := range slices.Sorted(maps.Keys(after.Attrs)) {
		if _, here := mapped[attrPrefix+name]; !here {
			continue
		}
		was := ""
		if before != nil {
			was = before.Attrs[name].Text
		}
		if is := after.Attrs[name].Text; was != is {
			list = append(list, CellChange{attrPrefix + name, was, is})
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
