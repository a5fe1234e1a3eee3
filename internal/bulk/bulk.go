// Package bulk is one thing done to many at once: amounts, tags and texts of the products of a board, and states, dates
// and ranks of rules. What such an edit would do to prices belongs to package impact.
package bulk

import (
	"cmp"
	"errors"

	"dogbane/internal/board"
	"dogbane/internal/book"
	"dogbane/internal/pricing"
)

// Edit is what is done to products.
type Edit struct {
	Outcome
	Summary string // for the log
	Changes []book.Change

	products []pricing.Product // as they are afterwards
}

// Outcome counts what an edit does.
type Outcome struct {
	Reached int      `json:"reached"`
	Changed int      `json:"changed"`
	Missing int      `json:"missing" doc:"products without the amount, which stay as they are"`
	Sample  []Sample `json:"sample" doc:"the first eight that change"`
}

// Sample is one product that changes.
type Sample struct {
	SKU    string `json:"sku"`
	Name   string `json:"name"`
	Before string `json:"before"`
	After  string `json:"after"`
}

const samplesShown = 8

// Book is the book that the edit leads to.
func (e *Edit) Book(now *pricing.Book) *pricing.Book { return book.WithProducts(now, e.products) }

// errMissing says that a product lacks what is to be changed.
var errMissing = errors.New("missing")

// edit changes products of a board: those named or, with nil, all that its filter leaves. change changes a copy of a
// product and says in words what was and what is; where both are the same, nothing changes.
func edit(v *board.View, skus []string, change func(p *pricing.Product) (was, is string, err error)) (*Edit, error) {
	numbers, err := v.Chosen(skus)
	if err != nil {
		return nil, err
	}
	out := &Edit{Outcome: Outcome{Sample: []Sample{}}}
	for _, n := range numbers {
		p := v.Snap.Engine.Products()[n]
		after := *p
		out.Reached++
		was, is, err := change(&after)
		if errors.Is(err, errMissing) {
			out.Missing++
			continue
		} else if err != nil {
			return nil, err
		}
		if was == is {
			continue
		}
		out.Changed++
		if len(out.Sample) < samplesShown {
			out.Sample = append(out.Sample, Sample{p.SKU, cmp.Or(p.Name, p.SKU), was, is})
		}
		out.products = append(out.products, after)
		out.Changes = append(out.Changes, book.OfProduct(p, &after))
	}
	return out, nil
}
