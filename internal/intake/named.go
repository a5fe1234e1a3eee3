package intake

import (
	"fmt"
	"maps"
	"regexp"
	"slices"
	"strings"

	"dogbane/internal/agreed"
	"dogbane/internal/book"
	"dogbane/internal/bookfile"
	"dogbane/internal/money"
	"dogbane/internal/pricing"
)

// named is a field of products that the book gives a name of its own: an attribute, a price level or a further cost.
// Any column of a file can fill one, also one that no product has yet.
type named struct {
	of   namedKind
	name string
}

// namedKind begins the key of a named field.
type namedKind string

const (
	attribute   namedKind = "attr:"
	priceLevel  namedKind = "level:"
	furtherCost namedKind = "cost:"
)

var namedKinds = []namedKind{priceLevel, furtherCost, attribute}

// namedBy is the field that a key names.
func namedBy(key string) (named, bool) {
	for _, kind := range namedKinds {
		if name, is := strings.CutPrefix(key, string(kind)); is && name != "" {
			return named{kind, name}, true
		}
	}
	return named{}, false
}

func (n named) key() string { return string(n.of) + n.name }

func (n named) column() Column {
	switch n.of {
	case priceLevel:
		return Column{Key: n.key(), Name: "Price level " + n.name, Holds: Numbers}
	case furtherCost:
		return Column{Key: n.key(), Name: "Cost " + n.name, Holds: Numbers}
	}
	return Column{Key: n.key(), Name: n.name}
}

// amounts are the price levels or the further costs of a product.
func (n named) amounts(p *pricing.Product) *map[string]money.Rat {
	if n.of == priceLevel {
		return &p.Levels
	}
	return &p.Costs
}

// read puts a cell into a product, whose maps it leaves as they are for others.
func (n named) read(p *pricing.Product, cell string, t *Table, b *pricing.Book) error {
	if n.of == priceLevel && agreed.IsLevel(n.name) {
		return fmt.Errorf("was agreed with a customer: bring it in as agreed prices")
	}
	if n.of != attribute {
		amount, err := t.number(cell, b.Settings.Currency)
		if err != nil {
			return err
		}
		all := n.amounts(p)
		*all = book.With(*all, n.name, amount)
		return nil
	}
	if len([]rune(cell)) > longestText {
		return fmt.Errorf("must have at most %d characters", longestText)
	}
	if old, known := p.Attrs[n.name]; !known || old.Text != cell {
		p.Attrs = book.With(p.Attrs, n.name, TextAttr(cell))
	}
	return nil
}

// text is the field of a product as a cell would show it.
func (n named) text(p *pricing.Product) string {
	if n.of == attribute {
		return p.Attrs[n.name].Text
	}
	amount, has := (*n.amounts(p))[n.name]
	if !has {
		return ""
	}
	return bookfile.Amount(amount)
}

// TextAttr is an attribute with a text, which counts as a number too where it reads as one.
func TextAttr(text string) pricing.Attr {
	a := pricing.Attr{Text: text, Quoted: true}
	if n, err := money.Parse(text); err == nil {
		a.Number = &n
	}
	return a
}

// namedIn are the columns of the named fields that a book's products have. What was agreed with a customer is brought
// in as that.
func namedIn(b *pricing.Book) []Column {
	found := map[named]bool{}
	for i := range b.Products {
		p := b.Products[i]
		for name := range p.Levels {
			found[named{priceLevel, name}] = !agreed.IsLevel(name)
		}
		for name := range p.Costs {
			found[named{furtherCost, name}] = true
		}
		for name := range p.Attrs {
			found[named{attribute, name}] = true
		}
	}
	var list []Column
	for _, kind := range namedKinds {
		all := slices.SortedFunc(maps.Keys(found), func(a, b named) int { return strings.Compare(a.name, b.name) })
		for _, n := range all {
			if n.of == kind && found[n] {
				list = append(list, n.column())
			}
		}
	}
	return list
}

// longestNamed is how many characters the name of a new field may have.
const longestNamed = 100

// WithNamed are the columns of a product file and one for each header that means none of them: it becomes what the
// mapping says, else an attribute of that name.
func WithNamed(columns []Column, headers []string, mapping map[string]string) []Column {
	taken, known := map[string]bool{}, map[string]bool{}
	for _, header := range mapping {
		taken[header] = true
	}
	for _, c := range columns {
		known[c.Key] = true
	}
	list := slices.Clone(columns)
	for key, header := range mapping { // those that were matched before
		if n, is := namedBy(key); is && header != "" && !known[key] {
			known[key] = true
			list = append(list, n.column())
		}
	}
	for _, h := range headers {
		if n := (named{attribute, h}); h != "" && !taken[h] && !known[n.key()] && len([]rune(h)) <= longestName {
			list = append(list, n.column())
		}
	}
	slices.SortStableFunc(list[len(columns):], func(a, b Column) int { return strings.Compare(a.Name, b.Name) })
	return list
}

// levelHeader and costHeader are what a header says that fills a price level or a further cost which may be new, in the
// languages of tradeWords.
var (
	levelHeader = regexp.MustCompile(`(?i)^(?:price ?level|price ?list|level|preisstufe|preisliste|preisgruppe|niveau de prix|liste de prix|` +
		`prijsniveau|prijslijst|nivel de precio|livello di prezzo|nível de preço|poziom cen|prisniveau|prisnivå)[ :_-]+(.+)$`)
	costHeader = regexp.MustCompile(`(?i)^(?:cost|further cost|extra cost|kosten|coût|frais|kost|coste|costo|custo|koszt|kostnad|omkostning)` +
		`[ :_-]+(.+)$`)
)

// MatchNamed adds to a mapping each header that means nothing else: a price level or a further cost where it says so,
// else an attribute of its name.
func MatchNamed(columns []Column, headers []string, mapping map[string]string) {
	for _, c := range WithNamed(columns, headers, mapping)[len(columns):] {
		header := c.Name
		key := c.Key
		for kind, says := range map[namedKind]*regexp.Regexp{priceLevel: levelHeader, furtherCost: costHeader} {
			if m := says.FindStringSubmatch(header); m != nil && len([]rune(m[1])) <= longestNamed && !agreed.IsLevel(m[1]) {
				key = named{kind, strings.TrimSpace(m[1])}.key()
			}
		}
		if _, chosen := mapping[c.Key]; !chosen && mapping[key] == "" {
			mapping[key] = header
		}
	}
}
