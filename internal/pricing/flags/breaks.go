package flags

import (
	"slices"

	"dogbane/internal/money"
	"dogbane/internal/pricing"
)

// breaksAt looks at the breaks of the rules that applied at the question of the n-th quantity; before are the answers
// at those below it.
func (w *worker) breaksAt(c *class, n int, units []pricing.Exam, here answer, before []answer) {
	quantity, total := c.quantities[n], here.total
	w.inverted(c, quantity, units)
	if !here.priced {
		return
	}
	var lost []*pricing.Applied
	var cliffs []int
	for i := range units {
		for k := range units[i].Applied {
			a := &units[i].Applied[k]
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
			known := func(b *pricing.Applied) bool { return b.Ordinal == a.Ordinal }
			if a.Lowered() && later && !slices.ContainsFunc(lost, known) {
				lost = append(lost, a)
			}
		}
	}
	for _, o := range cliffs {
		fewer, priced := money.Rat{}, false
		if n > 0 && before[n-1].priced && c.alike(c.quantities[n-1], quantity-1) {
			each := before[n-1].total.Div(money.Int(int64(c.quantities[n-1])))
			fewer, priced = each.Mul(money.Int(int64(quantity-1))), true
		} else {
			fewer, priced = w.x.Total(w.product, quantity-1)
		}
		if priced && total.Less(fewer) {
			w.keep(c.once(), quantity, finding{kind: breakCliff, rule: int32(o), other: -1, cause: -1,
				worst: fewer.Sub(total), price: total, priced: true, against: fewer})
		}
	}
	for _, a := range lost {
		if same, priced := w.without(c, quantity, a, units); priced && same.Equal(total) {
			w.keep(c.once(), quantity, finding{kind: breakLost, rule: int32(a.Ordinal), other: -1, cause: -1, price: total,
				priced: true})
		}
	}
}

// without is what all units come to without the rule of a break that applied to them. Where they came out alike and one
// rule of its layer wins, what would win instead is known, and the layers after that are all there is to work out; but
// prices that are derived from those of other goods may rest on the rule, too.
func (w *worker) without(c *class, quantity int, a *pricing.Applied, units []pricing.Exam) (money.Rat, bool) {
	layer := a.Rule.Layer
	mode := w.modes[layer]
	if !c.derives && len(units) == 1 && a.Priced && layer != pricing.Catalog && mode != pricing.Stack &&
		mode != pricing.Add {
		instead, by := w.instead(mode, a, &units[0])
		if by < 0 || w.rules[by].Then != pricing.EndPrice && !w.endsPrice(layer) {
			price, priced := w.x.From(w.product, quantity, layer, instead, &units[0])
			return price.Mul(money.Int(int64(quantity))), priced
		}
	}
	w.x.Take(slices.DeleteFunc(slices.Clone(c.rules), func(o int) bool { return o == a.Ordinal }), c.seen[0].at)
	defer w.x.Take(c.rules, c.seen[0].at)
	return w.x.Total(w.product, quantity)
}

// instead is the price that wins a layer in the place of a rule's, and whose it is; -1: that of no rule.
func (w *worker) instead(mode pricing.LayerMode, a *pricing.Applied, u *pricing.Exam) (price money.Rat, by int) {
	price, by = a.Before, -1
	for _, h := range u.Shut {
		other := w.rules[h.Ordinal]
		if other.Layer != a.Rule.Layer || h.By != a.Ordinal {
			continue
		}
		wins := by < 0
		if by >= 0 {
			switch c := h.Would.Cmp(price); mode {
			case pricing.Lowest:
				wins = c < 0
			case pricing.Highest:
				wins = c > 0
			default:
				wins = other.Rank < w.rules[by].Rank || other.Rank == w.rules[by].Rank && c < 0
			}
		}
		if wins {
			price, by = h.Would, h.Ordinal
		}
	}
	return price, by
}

func (a *asked) endsPrice(l pricing.Layer) bool {
	ends := func(s pricing.LayerSetting) bool { return s.Layer == l && s.EndPrice }
	return slices.ContainsFunc(a.book.Settings.Layers, ends)
}

// reaches reports whether a rule can select the product that is looked at.
func (w *worker) reaches(ordinal int) bool { return w.x.Reaches(ordinal, w.product) }

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
