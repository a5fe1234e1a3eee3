package pricing

import (
	"math"
	"slices"

	"dogbane/internal/money"
)

// derived is the price that a product takes from another.
func (v *view) derived(s *state, r *rule, d *Derive) optional {
	v.deriving = append(v.deriving, r)
	source := v.source(d)
	v.deriving = v.deriving[:len(v.deriving)-1]
	if !source.ok {
		return source
	}
	price := source.v.Mul(money.PercentOf(d.Percent))
	if d.Min != nil {
		low := v.ruleAmount(r, *d.Min)
		if !low.ok {
			return low
		}
		price = money.Max(price, low.v)
	}
	if d.Max != nil {
		high := v.ruleAmount(r, *d.Max)
		if !high.ok {
			return high
		}
		price = money.Min(price, high.v)
	}
	return some(price)
}

// source is what a derived price is a percent of.
func (v *view) source(d *Derive) optional {
	if d.From == Basket {
		return v.wholeBasket(d)
	}
	p, exists := v.index.number(d.From)
	if !exists {
		return optional{}
	}
	if d.Basis == "list" {
		return v.asked().listPrice(p)
	}
	if d.Basis != "subtotal" {
		return v.net(p)
	}
	sum := money.Int(0)
	counted := false
	add := func(o optional, times int) {
		if o.ok {
			sum, counted = sum.Add(o.v.Mul(money.Int(int64(times)))), true
		}
	}
	if d.Counts != "owned" && v.holds(p) {
		lines := v.linesOf(p)
		if !lines.ok {
			return lines
		}
		add(lines, 1)
	}
	if d.Counts != "basket" {
		owned := 0
		for _, h := range v.history { // of any age
			if h.SKU == d.From {
				owned += h.Quantity
			}
		}
		if owned > 0 {
			net := v.single().net(p)
			if !net.ok && !counted {
				return net
			}
			add(net, owned)
		}
	}
	if !counted {
		return v.single().net(p)
	}
	return some(sum)
}

// wholeBasket is what the goods in the basket, and those of earlier purchases, sum to, as the derived price counts
// them. Goods whose price is itself derived from the basket are left out.
func (v *view) wholeBasket(d *Derive) optional {
	sum := some(money.Int(0))
	// take adds a product's price, times over; false where it closes a circle.
	take := func(p int32, price func(int32) optional, times int) bool {
		if v.fromBasket(p) {
			return true
		}
		inCircle := slices.Contains(v.path, p)
		if o := price(p); o.ok {
			sum.v = sum.v.Add(o.v.Mul(money.Int(int64(times))))
		}
		return !inCircle
	}
	if d.Counts != "owned" && v.basket != nil {
		seen := map[int32]bool{}
		for _, l := range v.lines {
			if l.counts && !seen[l.product] {
				seen[l.product] = true
				if !take(l.product, v.linesOf, 1) {
					return optional{}
				}
			}
		}
	}
	if d.Counts != "basket" {
		for _, h := range v.history {
			if p, exists := v.index.number(h.SKU); exists && !take(p, v.single().net, h.Quantity) {
				return optional{}
			}
		}
	}
	return sum
}

// fromBasket reports whether a rule that takes part derives a product's price from the basket.
func (v *view) fromBasket(p int32) bool {
	for _, layer := range v.active {
		for _, r := range layer {
			if r.derivesFrom(Basket) && (r.reach[0].Has(p) || r.reach[1].Has(p)) {
				return true
			}
		}
	}
	return false
}

// derivesFrom reports whether an effect of the rule takes its price from a source.
func (r *rule) derivesFrom(source string) bool {
	is := func(e effect) bool { return e.Effect != nil && e.Kind == ToDerived && e.Derive.From == source }
	return is(r.effect) || slices.ContainsFunc(r.breaks, func(s step) bool { return is(s.effect) })
}

// noCut says that no circle was closed.
const noCut = math.MaxInt

// net is the price of one unit of a product after the layers, for one day or one month, at the question's moment: of
// its first unit in the basket, or as a question for that one unit answers it. There is none where the product's own
// price is being worked out already: the rule that asks would close a circle, and is no candidate.
func (v *view) net(p int32) optional {
	v = v.asked()
	line := v.firstLine(p)
	if line == nil {
		v = v.single()
	}
	if i := slices.Index(v.path, p); i >= 0 {
		v.cut = min(v.cut, i)
		if v.onCircle != nil && i < len(v.deriving) {
			v.onCircle(v.deriving[i:])
		}
		return optional{}
	}
	if o, done := v.nets[p]; done {
		return o
	}
	s := state{product: p, quantity: 1, unit: 1, term: 1}
	if line != nil {
		s = line.state(1)
	}
	if v.uncut(func() { v.unit(&s) }) {
		if v.nets == nil {
			v.nets = map[int32]optional{}
		}
		v.nets[p] = s.price
	}
	return s.price
}

// uncut works something out and reports whether no circle was closed on the way. What was found within a circle depends
// on where it was entered, and is not kept for another question.
func (v *view) uncut(work func()) bool {
	before := v.cut
	v.cut = noCut
	work()
	whole := v.cut == noCut
	v.cut = min(before, v.cut)
	return whole
}

// sells reports whether the channel lists a product: one that it does not has no price there, but others may take
// theirs from it.
func (v *view) sells(p int32) bool { return v.listed == nil || v.listed.Has(p) }

// unit works out one unit's price after all layers.
func (v *view) unit(s *state) {
	v.path = append(v.path, s.product)
	v.run(s, v.lastLayer())
	v.path = v.path[:len(v.path)-1]
}
