package pricing

import (
	"slices"

	"dogbane/internal/money"
)

// ToldPrice is what a channel was told that units of a product cost, finished, on the channel's footing. Where a
// channel still shows it, it stands in the place of what the layers make.
type ToldPrice struct {
	Price  money.Rat
	Breaks []ToldBreak
	// Brackets says that each piece costs what the entry says that this very piece reaches; else each costs what the
	// line's quantity reaches.
	Brackets bool
	Groups   map[string]*ToldPrice // what groups pay instead; theirs have no groups
	// Asked, where set, is an engine to ask in the place of this one: the line said that its price has to be asked for.
	Asked *Engine
}

// ToldBreak is what a piece costs from a quantity on.
type ToldBreak struct {
	From  int
	Price money.Rat
}

// toldRun is neighbouring units of a line that cost the same.
type toldRun struct {
	units int
	price money.Rat
}

// of are the units of a line for a visitor of groups: of several groups as the one of which they cost least.
func (t *ToldPrice) of(quantity int, groups []string) []toldRun {
	var least []toldRun
	sum := func(runs []toldRun) (total money.Rat) {
		for _, r := range runs {
			total = total.Add(r.price.Mul(money.Int(int64(r.units))))
		}
		return total
	}
	for _, g := range groups {
		if own := t.Groups[g]; own != nil {
			if runs := own.of(quantity, nil); least == nil || sum(runs).Less(sum(least)) {
				least = runs
			}
		}
	}
	if least != nil {
		return least
	}
	runs := []toldRun{{quantity, t.Price}}
	for _, b := range t.Breaks {
		switch {
		case b.From > quantity:
		case t.Brackets && b.From > 1:
			last := &runs[len(runs)-1]
			rest := quantity - b.From + 1
			last.units -= rest
			runs = append(runs, toldRun{rest, b.Price})
		default:
			runs = []toldRun{{quantity, b.Price}}
		}
	}
	return runs
}

// Quantities are those at which what a piece costs changes, for guests or a group.
func (t *ToldPrice) Quantities() (list []int) {
	for _, b := range t.Breaks {
		list = append(list, b.From)
	}
	for _, own := range t.Groups {
		list = append(list, own.Quantities()...)
	}
	return list
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
	if told.Asked != nil {
		return // askElsewhere did
	}
	run := Run{Units: l.Quantity, Reduced: true}
	if len(l.Runs) > 0 {
		first := l.Runs[0]
		run.Options, run.List, run.Catalog, run.Days = first.Options, first.List, first.Catalog, first.Days
		run.Reduced = slices.ContainsFunc(l.Runs, func(r Run) bool { return r.Reduced })
	}
	times := money.Int(int64(max(l.Times, 1)))
	l.Runs, l.ByHandRefused = nil, false
	for _, piece := range told.of(l.Quantity, s.v.visitor.groups) {
		unit, own := piece.price, run
		if l.ByHand != nil {
			catalog := optional{}
			if run.Catalog != nil {
				catalog = some(run.Catalog.Div(times))
			}
			var refused bool
			unit, refused = s.v.takeOff(known, unit, catalog)
			l.ByHandRefused = l.ByHandRefused || refused
		}
		own.Units, own.Price = piece.units, unit.Mul(times).Add(run.Options)
		l.Runs = append(l.Runs, own)
	}
}

// askElsewhere prices lines whose price has to be asked for by the engines that are to be asked.
func (s *Scope) askElsewhere(lines []PricedLine, explain bool) {
	answers := map[*Engine][]PricedLine{}
	for i := range lines {
		told := s.told[lines[i].SKU]
		if told == nil || told.Asked == nil || lines[i].Product < 0 {
			continue
		}
		priced, asked := answers[told.Asked]
		if !asked {
			if other, err := told.Asked.Scope(s.vp); err == nil {
				asking := make([]Line, len(lines))
				for k := range lines {
					asking[k] = lines[k].Line
				}
				priced = other.Lines(asking, explain)
			}
			answers[told.Asked] = priced
		}
		lines[i].Runs, lines[i].ByHandRefused = nil, false
		if priced != nil {
			l := &priced[i]
			lines[i].List, lines[i].Runs, lines[i].ByHandRefused, lines[i].Times, lines[i].Next = l.List, l.Runs,
				l.ByHandRefused, l.Times, l.Next
		}
	}
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
