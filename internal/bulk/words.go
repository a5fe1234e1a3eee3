package bulk

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"dogbane/internal/board"
	"dogbane/internal/book"
	"dogbane/internal/intake"
	"dogbane/internal/pricing"
)

// Words says how a word of many products changes: a tag, an attribute, or one of their other texts.
type Words struct {
	Do    string   `json:"do" enum:"add,remove,set"`
	Field string   `json:"field" doc:"tag, brand, supplier, category, type, taxClass or attr:NAME"`
	Value string   `json:"value" maxLength:"200" doc:"set: empty takes the text away"`
	SKUs  []string `json:"skus,omitempty" doc:"only these; absent: all that the board's filter leaves"`
}

// texts are the fields of a product that hold one text.
var texts = map[string]func(p *pricing.Product) *string{
	"brand":    func(p *pricing.Product) *string { return &p.Brand },
	"supplier": func(p *pricing.Product) *string { return &p.Supplier },
	"category": func(p *pricing.Product) *string { return &p.Category },
	"type":     func(p *pricing.Product) *string { return &p.Type },
	"taxClass": func(p *pricing.Product) *string { return &p.TaxClass },
}

// Edit changes the words of products of a board.
func (f *Words) Edit(v *board.View) (*Edit, error) {
	value := strings.TrimSpace(f.Value)
	change, err := f.change(v, value)
	if err != nil {
		return nil, err
	}
	out, err := edit(v, f.SKUs, change)
	if err != nil {
		return nil, err
	}
	name := strings.TrimPrefix(f.Field, "attr:")
	switch {
	case f.Do == "add":
		out.Summary = fmt.Sprintf("Tagged %s “%s”", Counted(out.Changed, "product"), value)
	case f.Do == "remove":
		out.Summary = fmt.Sprintf("Took the tag “%s” off %s", value, Counted(out.Changed, "product"))
	case value == "":
		out.Summary = fmt.Sprintf("Took %s off %s", name, Counted(out.Changed, "product"))
	default:
		out.Summary = fmt.Sprintf("Set %s to “%s” on %s", name, value, Counted(out.Changed, "product"))
	}
	return out, nil
}

func (f *Words) change(v *board.View, value string) (func(p *pricing.Product) (was, is string, err error), error) {
	attr, isAttr := strings.CutPrefix(f.Field, "attr:")
	text := texts[f.Field]
	rates := v.Snap.Book.Settings.TaxRates
	_, rated := rates[value]
	switch {
	case (f.Do == "add" || f.Do == "remove") != (f.Field == "tag"):
		return nil, book.Invalid("field", "Tags are added and removed; everything else is set.")
	case f.Field == "tag" && value == "":
		return nil, book.Invalid("value", "Write the tag.")
	case isAttr && strings.TrimSpace(attr) == "":
		return nil, book.Invalid("field", "Write the name of the attribute.")
	case f.Field == "taxClass" && value != "" && !rated:
		return nil, book.Invalid("value", "Is not a tax class of the book; it has "+strings.Join(
			slices.Sorted(maps.Keys(rates)), ", ")+".")
	case text != nil:
		return func(p *pricing.Product) (was, is string, err error) {
			to := text(p)
			was, *to = *to, value
			return was, value, nil
		}, nil
	case isAttr:
		return func(p *pricing.Product) (was, is string, err error) {
			was = p.Attrs[attr].Text
			p.Attrs = maps.Clone(p.Attrs)
			if value == "" {
				delete(p.Attrs, attr)
				return was, "", nil
			}
			if p.Attrs == nil {
				p.Attrs = map[string]pricing.Attr{}
			}
			p.Attrs[attr] = intake.TextAttr(value)
			return was, value, nil
		}, nil
	case f.Field == "tag":
		return func(p *pricing.Product) (was, is string, err error) {
			was = strings.Join(p.Tags, ", ")
			if f.Do == "add" && slices.Contains(p.Tags, value) {
				return was, was, nil
			}
			p.Tags = slices.DeleteFunc(slices.Clone(p.Tags), func(t string) bool { return t == value })
			if f.Do == "add" {
				p.Tags = append(p.Tags, value)
			}
			return was, strings.Join(p.Tags, ", "), nil
		}, nil
	}
	return nil, book.Invalid("field", "There is no such field.")
}
