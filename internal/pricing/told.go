package pricing

import (
	"slices"

	"dogbane/internal/money"
)

// ToldPrice is what a channel was told that a unit of a product costs, finished, on the channel's footing. Where a
// channel still shows it, it stands in the place of what the layers make.
type ToldPrice struct {
	Price  money.Rat
	Breaks []ToldBreak
	Groups map[string]*ToldPrice // what groups pay instead; theirs have no groups
}

// ToldBreak is the price of each unit of a line of at least so many.
type ToldBreak struct {
	From  int
	Price money.Rat
}

// of is the price of each unit of a line for a visitor of groups: of several the lowest.
func (t *ToldPrice) of(quantity int, groups []string) money.Rat {
	price, found := money.Rat{}, false
	for _, g := range groups {
		if own := t.Groups[g]; own != nil {
			if p := own.of(quantity, nil); !found || p.Less(price) {
				price, found = p, true
			}
		}
	}
	if found {
		return price
	}
	price = t.Price
	for _, b := range t.Breaks {
		if b.From <= quantity {
			price = b.Price
		}
	}
	return price
}

// Tell has some products, by SKU, cost what their channel was told; nil: it shows none, so it has no price.
func (s *Scope) Tell(told map[string]*ToldPrice) { s.told = told }

// tell prices a line by what the channel was told. Options come to it as they do to the book's price, and what is taken
// off by hand goes off it.
func (s *Scope) tell(l *PricedLine, known *basketLine) {
	told, is := s.told[l.SKU]
	if !is || l.Product < 0 {
		return
	}
	if told == nil {
		l.Runs = nil
		return
	}
	run := Run{Units: l.Quantity, Reduced: true}
	if len(l.Runs) > 0 {
		first := l.Runs[0]
		run.Options, run.List, run.Catalog, run.Days = first.Options, first.List, first.Catalog, first.Days
		run.Reduced = slices.ContainsFunc(l.Runs, func(r Run) bool { return r.Reduced })
	}
	times := money.Int(int64(max(l.Times, 1)))
	unit := told.of(l.Quantity, s.v.visitor.groups)
	if l.ByHandRefused = false; l.ByHand != nil {
		catalog := optional{}
		if run.Catalog != nil {
			catalog = some(run.Catalog.Div(times))
		}
		unit, l.ByHandRefused = s.v.takeOff(known, unit, catalog)
	}
	run.Price = unit.Mul(times).Add(run.Options)
	l.Runs = []Run{run}
}

// takeOff takes off by hand what a line asks for from a finished price of a unit; endings and the guard hold as they do
// for a price of the book. catalog is the finished price after the catalog layer.
func (v *view) takeOff(l *basketLine, finished money.Rat, catalog optional) (price money.Rat, refused bool) {
	factor := v.toChannel(l.product, money.Int(1))
	raw := finished.Div(factor)
	off, refused := v.byHand(l, raw)
	if off.Sign() == 0 {
		return finished, refused
	}
	if catalog.ok {
		catalog.v = catalog.v.Div(factor)
	}
	fin := v.finish(&state{product: l.product, quantity: l.Quantity, price: some(raw.Sub(off)), catalog: catalog})
	return fin.price, refused
}
