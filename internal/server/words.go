package server

import (
	"cmp"
	"context"
	"fmt"
	"maps"
	"net/http"
	"slices"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	"dogbane/internal/bookfile"
	"dogbane/internal/intake"
	"dogbane/internal/pricing"
	"dogbane/internal/store"
)

// WordsForm says how a word of many products changes: a tag, an attribute, or one of their other texts.
type WordsForm struct {
	Do    string   `json:"do" enum:"add,remove,set"`
	Field string   `json:"field" doc:"tag, brand, supplier, category, type, taxClass or attr:NAME"`
	Value string   `json:"value" maxLength:"200" doc:"set: empty takes the text away"`
	SKUs  []string `json:"skus,omitempty" doc:"only these; absent: all that the board's filter leaves"`
}

// WordsPreview is what such a change would do.
type WordsPreview struct {
	Reached int          `json:"reached"`
	Changed int          `json:"changed"`
	Sample  []BulkChange `json:"sample"`
	Effect  *EditEffect  `json:"effect"`
}

func (s *Server) registerWords(api huma.API) {
	type input struct {
		BoardFilter
		Body WordsForm
	}
	huma.Register(api, huma.Operation{Method: http.MethodPost, Path: "/api/bulk/words/preview"}, func(ctx context.Context, in *input) (*body[WordsPreview], error) {
		changes, out, err := s.words(ctx, &in.BoardFilter, &in.Body)
		if err != nil || len(changes) == 0 {
			return answer(out, err)
		}
		snap := s.live.Current()
		next, err := store.Apply(snap.Book, changes)
		if err != nil {
			return nil, asProblem(err)
		}
		effect, err := s.effect(ctx, snap, next, s.moment(snap))
		out.Effect = &effect
		return answer(out, err)
	})
	huma.Register(api, huma.Operation{Method: http.MethodPost, Path: "/api/bulk/words"}, func(ctx context.Context, in *input) (*body[Saved], error) {
		changes, out, err := s.words(ctx, &in.BoardFilter, &in.Body)
		if err != nil {
			return nil, asProblem(err)
		}
		if len(changes) == 0 {
			return nil, huma.Error409Conflict("This changes nothing.")
		}
		f := in.Body
		name := strings.TrimPrefix(f.Field, "attr:")
		summary := fmt.Sprintf("Set %s to “%s” on %d products", name, f.Value, out.Changed)
		switch {
		case f.Do == "add":
			summary = fmt.Sprintf("Tagged %d products “%s”", out.Changed, f.Value)
		case f.Do == "remove":
			summary = fmt.Sprintf("Took the tag “%s” off %d products", f.Value, out.Changed)
		case f.Value == "":
			summary = fmt.Sprintf("Took %s off %d products", name, out.Changed)
		}
		return s.commit(ctx, summary, changes)
	})
}

func (s *Server) words(ctx context.Context, filter *BoardFilter, form *WordsForm) ([]store.Change, WordsPreview, error) {
	out := WordsPreview{Sample: []BulkChange{}}
	value := strings.TrimSpace(form.Value)
	attr, isAttr := strings.CutPrefix(form.Field, "attr:")
	switch {
	case (form.Do == "add" || form.Do == "remove") != (form.Field == "tag"):
		return nil, out, invalid("field", "Tags are added and removed; everything else is set.")
	case form.Field == "tag" && value == "":
		return nil, out, invalid("value", "Write the tag.")
	case isAttr && strings.TrimSpace(attr) == "":
		return nil, out, invalid("field", "Write the name of the attribute.")
	}
	v, err := s.see(ctx, filter, "category", false)
	if err != nil {
		return nil, out, err
	}
	numbers, err := v.chosen(form.SKUs)
	if err != nil {
		return nil, out, err
	}
	if form.Field == "taxClass" && value != "" {
		if _, rated := v.snap.Book.Settings.TaxRates[value]; !rated {
			return nil, out, invalid("value", "Is not a tax class of the book; it has "+strings.Join(slices.Sorted(maps.Keys(v.snap.Book.Settings.TaxRates)), ", ")+".")
		}
	}
	var changes []store.Change
	for _, n := range numbers {
		p := v.snap.Engine.Products()[n]
		after := *p
		out.Reached++
		was, is := "", value
		texts := map[string]*string{"brand": &after.Brand, "supplier": &after.Supplier, "category": &after.Category, "type": &after.Type, "taxClass": &after.TaxClass}
		switch to := texts[form.Field]; {
		case to != nil:
			was, *to = *to, value
		case isAttr:
			was = p.Attrs[attr].Text
			after.Attrs = maps.Clone(p.Attrs)
			if value == "" {
				delete(after.Attrs, attr)
			} else {
				if after.Attrs == nil {
					after.Attrs = map[string]pricing.Attr{}
				}
				after.Attrs[attr] = intake.TextAttr(value)
			}
		case form.Field == "tag":
			was = strings.Join(p.Tags, ", ")
			after.Tags = slices.DeleteFunc(slices.Clone(p.Tags), func(t string) bool { return t == value })
			if form.Do == "add" {
				if slices.Contains(p.Tags, value) {
					continue
				}
				after.Tags = append(after.Tags, value)
			}
			is = strings.Join(after.Tags, ", ")
		default:
			return nil, out, invalid("field", "There is no such field.")
		}
		if was == is {
			continue
		}
		out.Changed++
		if len(out.Sample) < 8 {
			out.Sample = append(out.Sample, BulkChange{p.SKU, cmp.Or(p.Name, p.SKU), was, is})
		}
		changes = append(changes, store.Change{Kind: store.Products, Code: p.SKU, Before: bookfile.EncodeProduct(p), After: bookfile.EncodeProduct(&after)})
	}
	return changes, out, nil
}

// chosen are the products named or, where none are, all that the filter left.
func (v *seen) chosen(skus []string) ([]int32, error) {
	if skus == nil {
		return v.list, nil
	}
	var numbers []int32
	for _, sku := range skus {
		p, known := v.snap.Engine.ProductNumber(sku)
		if !known {
			return nil, invalid("skus", fmt.Sprintf("There is no product %s.", sku))
		}
		numbers = append(numbers, p)
	}
	return numbers, nil
}
