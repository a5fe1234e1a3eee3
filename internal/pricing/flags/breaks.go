package flags

import (
	"slices"

	"dogbane/internal/money"
	"dogbane/internal/pricing"
)

// breaksAt looks at the breaks of the rules that applied at the question of the n-th quantity; before are the answers at
// those below it.
func (w *worker) breaksAt(c *class, n int, units []pricing.Exam, here answer, before []answer) {
	quantity, total := c.quantities[n], here.total
	w.inverted(c, quantity, units)
	if !here.priced {
		return
	}
	type lowered struct {
		ordinal int
		layer   pricing.Layer
	}
	var lost []lowered
	var cliffs []int
	for i := range units {
		for _, a := range units[i].Applied {
			if a.From == nil {
				continue
			}
			_, counting := w.engine.Breaks(a.Ordinal)
			if counting.Method == pricing.Whole && counting.Measure == "quantity" && quantity > 1 &&
				a.From.Equal(money.Int(int64(quantity))) && !slices.Contains(cliffs, a.Ordinal) {
				cliffs = append(cliffs, a.Ordinal)
			}
			later := slices.ContainsFunc(units[i].Applied, func(b pricing.Applied) bool {
				return w.positions[b.Rule.Layer] > w.positions[a.Rule.Layer]
			})
			if l := (lowered{a.Ordinal, a.Rule.Layer}); a.Lowered() && later && !slices.Contains(lost, l) &&
				!w.surelyFelt(c, &a, &units[i]) {
				lost = append(lost, l)
			}
		}
	}
	price := func(rules []int, quantity int) (money.Rat, bool) {
		w.x.Take(rules, c.seen[0].at)
		return w.x.Total(w.product, quantity)
	}
	for _, o := range cliffs {
		fewer, priced := money.Rat{}, false
		if n > 0 && before[n-1].priced && c.alike(c.quantities[n-1], quantity-1) {
			each := before[n-1].total.Div(money.Int(int64(c.quantities[n-1])))
			fewer, priced = each.Mul(money.Int(int64(quantity-1))), true
		} else {
			fewer, priced = price(c.rules, quantity-1)
		}
		if priced && total.Less(fewer) {
			w.keep(c.once(), quantity, finding{kind: breakCliff, rule: int32(o), other: -1, cause: -1,
				worst: fewer.Sub(total), price: total, priced: true, against: fewer})
		}
	}
	for _, l := range lost {
		without := slices.DeleteFunc(slices.Clone(c.rules), func(o int) bool { return o == l.ordinal })
		if same, priced := price(without, quantity); priced && same.Equal(total) {
			w.keep(c.once(), quantity, finding{kind: breakLost, rule: int32(l.ordinal), other: -1, cause: -1, price: total,
				priced: true})
		}
	}
	if len(cliffs)+len(lost) > 0 {
		w.x.Take(c.rules, c.seen[0].at)
	}
}

// surelyFelt reports whether a unit would surely cost something else without the rule of a break. What its layer would
// then make of the price is known where one rule of it wins; and where all rules of later layers take or add a percent
// of the price entering them, the price after them moves in proportion: so it is enough that this is more than what
// rounding could hide.
func (w *worker) surelyFelt(c *class, a *pricing.Applied, u *pricing.Exam) bool {
	layer := a.Rule.Layer
	mode := w.modes[layer]
	if w.careful || a.After.Sign() <= 0 || mode == pricing.Stack || mode == pricing.Add {
		return false
	}
	for _, o := range c.rules {
		if w.positions[w.rules[o].Layer] > w.positions[layer] && !w.inProportion(o) && w.reaches(o) {
			return false
		}
	}
	instead, by := a.Before, -1 // what wins without it
	for _, h := range u.Shut {
		other := w.rules[h.Ordinal]
		if other.Layer != layer || h.By != a.Ordinal {
			continue
		}
		wins := by < 0
		if by >= 0 {
			switch c := h.Would.Cmp(instead); mode {
			case pricing.Lowest:
				wins = c < 0
			case pricing.Highest:
				wins = c > 0
			default:
				wins = other.Rank < w.rules[by].Rank || other.Rank == w.rules[by].Rank && c < 0
			}
		}
		if wins {
			instead, by = h.Would, h.Ordinal
		}
	}
	if by >= 0 && w.rules[by].Then == pricing.EndPrice {
		return false
	}
	more := u.Raw.Mul(instead.Sub(a.After)).Div(a.After)
	if more.Sign() < 0 {
		more = nothing.Sub(more)
	}
	_, digits := w.x.Currency()
	return money.FromMinor(10, digits).Less(more)
}

// reaches reports whether a rule can select the product that is looked at.
func (w *worker) reaches(ordinal int) bool { return w.reach[ordinal].Has(w.product) }

// inProportion reports whether a rule takes or adds a percent, below 100, of the price entering it, and nothing else.
func (w *worker) inProportion(ordinal int) bool {
	if known, is := w.plain[ordinal]; is {
		return known
	}
	r := w.rules[ordinal]
	percent := func(e *pricing.Effect) bool {
		return e.Kind == pricing.PercentOn || e.Kind == pricing.PercentOff && e.Value.Less(money.Int(100))
	}
	breaks, counting := w.engine.Breaks(ordinal)
	is := r.Of == pricing.OfEntering && r.Ending == nil && r.Floor == nil && r.MaxOff == nil && !r.Where.UsesReduced() &&
		(r.On == nil || slices.Contains(r.On, "base")) && (r.Effect == nil || percent(r.Effect)) &&
		(len(breaks) == 0 || counting.Measure == "quantity") &&
		!slices.ContainsFunc(breaks, func(b pricing.Break) bool { return !percent(&b.Effect) })
	w.plain[ordinal] = is
	return is
}

// inverted notes breaks that make a higher price than a lower one of their rule.
func (w *worker) inverted(c *class, quantity int, units []pricing.Exam) {
	for i := range units {
		for _, n := range units[i].Inverted {
			w.keep(c.once(), quantity, finding{kind: breakInverted, rule: int32(n.Ordinal), other: -1, cause: -1, worst: n.By})
		}
	}
}

// tryBreaks looks at a quantity that is not asked for, where a break of a rule begins.
func (w *worker) tryBreaks(c *class, quantity int) {
	units, _, _ := w.x.Price(w.product, quantity, nil)
	for i := range units {
		units[i].Inverted = slices.DeleteFunc(slices.Clone(units[i].Inverted), func(n pricing.Inverted) bool {
			breaks, _ := w.engine.Breaks(n.Ordinal)
			return !slices.ContainsFunc(breaks, func(b pricing.Break) bool { return b.From.Equal(money.Int(int64(quantity))) })
		})
	}
	w.inverted(c, quantity, units)
}
