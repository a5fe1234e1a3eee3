package bulk

import (
	"fmt"
	"slices"

	"dogbane/internal/book"
	"dogbane/internal/pricing"
)

// Later moves later figures of products to another moment, or drops them.
type Later struct {
	At   string   `json:"at" doc:"the moment from which they were to hold"`
	To   string   `json:"to,omitempty" doc:"the moment from which they hold instead; absent: they are dropped"`
	SKUs []string `json:"skus,omitempty" doc:"only these; absent: all"`
}

// Changes are those of products; summary says them. Where figures of a product begin at the new moment already, those
// that are moved take the place of the same ones. What has begun is history, and is not moved.
func (f *Later) Changes(b *pricing.Book, now pricing.Moment) (changes []book.Change, summary string, err error) {
	at, err := pricing.ParseMoment(f.At)
	if err != nil {
		return nil, "", book.Invalid("at", err.Error())
	}
	if at <= now {
		return nil, "", book.Invalid("at", "These figures hold already: change them at the product.")
	}
	to := pricing.Moment(0)
	if f.To != "" {
		if to, err = pricing.ParseMoment(f.To); err != nil {
			return nil, "", book.Invalid("to", err.Error())
		}
		if to <= now {
			return nil, "", book.Invalid("to", "Later figures begin after now.")
		}
	}
	for _, p := range b.Products {
		i := slices.IndexFunc(p.Later, func(l pricing.Figures) bool { return l.From == at })
		if i < 0 || f.SKUs != nil && !slices.Contains(f.SKUs, p.SKU) {
			continue
		}
		next := *p
		moved := p.Later[i]
		next.Later = slices.Delete(slices.Clone(p.Later), i, i+1)
		if f.To != "" {
			moved.From = to
			next.Later = pricing.Merge(next.Later, moved)
		}
		changes = append(changes, book.OfProduct(p, &next))
	}
	if len(changes) == 0 {
		return nil, "", book.Invalid("at", "No figures begin at that moment.")
	}
	day := func(m pricing.Moment) string { return m.Format("2 Jan 2006 15:04") }
	if f.To == "" {
		return changes, fmt.Sprintf("Dropped the figures of %s from %s", Counted(len(changes), "product"), day(at)), nil
	}
	return changes, fmt.Sprintf("Moved the figures of %s from %s to %s", Counted(len(changes), "product"), day(at),
		day(to)), nil
}
