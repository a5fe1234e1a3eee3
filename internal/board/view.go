// Package board is the page of products from a viewpoint: which products, in which order, with their prices, what those
// are compared with, spread over groups, quantities, channels or time, counted in histograms and categories, and
// written as a file. What a price is belongs to package pricing; what an edit would change of it to package impact.
package board

import (
	"context"
	"fmt"
	"strings"

	"dogbane/internal/book"
	"dogbane/internal/pricing"
)

// Prices give the price of a product by its number, in minor units; false where there is none.
type Prices func(p int32) (int64, bool)

// Boards make the boards of versions of the book.
type Boards struct {
	Sweeps *Sweeps

	shown  func(ctx context.Context, snap *book.Snapshot, channel string, digits int) (Prices, error)
	buyers *book.Buyers
	words  words
}

// New makes boards that know what channels show, in minor units of so many digits, and what customers bought.
func New(sweeps *Sweeps, buyers *book.Buyers,
	shown func(ctx context.Context, snap *book.Snapshot, channel string, digits int) (Prices, error)) *Boards {
	return &Boards{Sweeps: sweeps, buyers: buyers, shown: shown}
}

// View is a board: its viewpoint, prices, comparison, and the products that the filter leaves, in their order.
type View struct {
	Snap      *book.Snapshot
	Viewpoint pricing.Viewpoint
	Products  []int32 // by number

	boards   *Boards
	sweep    *Sweep
	against  comparison
	channels []*Sweep // whose margins are looked at, where not only the viewpoint's own
}

// Look filters and orders the products of a book. Its errors are QuestionErrors, or those of what it asks.
func (b *Boards) Look(ctx context.Context, snap *book.Snapshot, f Filter, by Order) (*View, error) {
	sw, err := b.Sweeps.Of(snap, f.Viewpoint)
	if err != nil {
		return nil, err
	}
	v := &View{Snap: snap, Viewpoint: f.Viewpoint, boards: b, sweep: sw, Products: []int32{}}
	if v.against, err = b.against(ctx, snap, &f, sw); err != nil {
		return nil, err
	}
	keep, err := v.filter(&f)
	if err != nil {
		return nil, err
	}
	texts, wanted := b.words.of(snap), strings.Fields(strings.ToLower(f.Words))
	for _, p := range v.order(by) {
		if keep(p) && containsAll(texts[p], wanted) {
			v.Products = append(v.Products, p)
		}
	}
	if by.Key == "change" {
		v.sortByChange(by.Desc)
	}
	if f.First > 0 {
		v.Products = v.Products[:min(f.First, len(v.Products))]
	}
	return v, nil
}

// Page is some of the board's rows, their prices spread over something.
func (v *View) Page(start, limit int, spread string) (Page, error) {
	out := Page{Version: v.Snap.Version, Currency: v.sweep.Currency, At: v.Viewpoint.At.String(), Total: len(v.Products),
		Start: start, Rows: []Row{}}
	columns, sweeps, err := v.spread(spread)
	if err != nil {
		return out, err
	}
	out.Columns = columns
	for _, p := range v.Products[min(start, len(v.Products)):min(start+limit, len(v.Products))] {
		row := v.row(p)
		for _, sw := range sweeps {
			price, priced := sw.Price(p)
			row.Spread = append(row.Spread, Minor(price, priced, sw.Digits))
		}
		out.Rows = append(out.Rows, row)
	}
	return out, nil
}

// Chosen are the products named or, where none are, all that the filter left.
func (v *View) Chosen(skus []string) ([]int32, error) {
	if skus == nil {
		return v.Products, nil
	}
	numbers := make([]int32, len(skus))
	for i, sku := range skus {
		p, known := v.Snap.Engine.ProductNumber(sku)
		if !known {
			return nil, &pricing.QuestionError{Path: "skus", Problem: fmt.Sprintf("There is no product %s.", sku)}
		}
		numbers[i] = p
	}
	return numbers, nil
}
