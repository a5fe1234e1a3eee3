package pricing

import (
	"slices"

	"dogbane/internal/money"
)

// ActiveRules visits the price rules that take part from a viewpoint, with the breaks of each.
func (s *Scope) ActiveRules(visit func(ordinal int, r *Rule, breaks []Break, counting Counting)) {
	for _, layer := range s.v.active {
		for _, r := range layer {
			breaks, counting := s.v.Breaks(r.ordinal)
			visit(r.ordinal, r.Rule, breaks, counting)
		}
	}
}

// Course tells what lines of one product cost that is bought by itself, however many units there are. It belongs to one
// goroutine.
type Course struct {
	v       *view
	product int32
}

// Course is that of a product.
func (s *Scope) Course(p int32) *Course {
	v := s.v.own()
	v.lastUnit = false
	return &Course{v, p}
}

// Total is what a line of so many units costs before offers, for one month where it is sold by the month; false where
// it has no price.
func (c *Course) Total(quantity int) (total money.Rat, priced bool) {
	if !c.v.sells(c.product) {
		return total, false
	}
	line := state{product: c.product, quantity: quantity, term: 1}
	for _, seg := range c.v.segments(&line) {
		s := state{product: c.product, quantity: quantity, unit: seg.last, term: 1}
		c.v.unit(&s)
		if !s.price.ok {
			return total, false
		}
		total = total.Add(c.v.finish(&s).price.Mul(money.Int(int64(seg.units))))
	}
	return total, true
}

// Begins are the quantities above 1, ascending, at which something begins that may move what a unit costs: a break,
// whatever it is counted by, or a rule that wants as many; with the ordinals of the rules by which.
func (c *Course) Begins() (list, by []int) {
	var r *rule
	add := func(n int64, ok bool) {
		if ok && n > 1 && n <= MaxQuantity {
			if list = append(list, int(n)); len(by) == 0 || by[len(by)-1] != r.ordinal {
				by = append(by, r.ordinal)
			}
		}
	}
	for _, layer := range c.v.active {
		for _, r = range layer {
			if !r.reach[0].Has(c.product) && !r.reach[1].Has(c.product) {
				continue
			}
			add(int64(r.MinQuantity), true)
			measure := r.counting.Measure
			if len(r.breaks) == 0 || measure == "term" || measure == "days" ||
				!c.v.counts(&state{product: c.product}, r, c.product) {
				continue
			}
			one, known := c.v.measure(r, c.product, 1)
			if !known || one.Sign() <= 0 {
				continue
			}
			for _, b := range r.breaks {
				from := some(b.from)
				if measure == "spend" {
					from = c.v.ruleAmount(r, b.from)
				}
				if from.ok {
					add(from.v.Div(one).Minor(0, money.Up))
				}
			}
		}
	}
	slices.Sort(list)
	return slices.Compact(list), by
}
