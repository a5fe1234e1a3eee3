package pricing

import (
	"math"
	"slices"

	"dogbane/internal/money"
)

// derived is the price that a product takes from another.
func (v *view) derived(s *state, r *rule, d *Derive) opt {
	source := v.source(d)
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

// source is what a derived price is a percent of, where the question is about one product alone.
func (v *view) source(d *Derive) opt {
	if d.From == Basket {
		return v.ownedBasket(d)
	}
	p, exists := v.index.number(d.From)
	if !exists {
		return opt{}
	}
	if d.Basis == "list" {
		return v.listPrice(p)
	}
	net := v.net(p)
	if d.Basis == "subtotal" && d.Counts != "basket" && net.ok {
		owned := 0
		for _, h := range v.history { // of any age
			if h.SKU == d.From {
				owned += h.Quantity
			}
		}
		if owned > 0 {
			net.v = net.v.Mul(money.Int(int64(owned)))
		}
	}
	return net
}

// ownedBasket is what the goods of earlier purchases sum to, where they count: nothing else is in the basket. Goods whose
// price is itself derived from the basket are left out.
func (v *view) ownedBasket(d *Derive) opt {
	sum := some(money.Int(0))
	if d.Counts == "basket" {
		return sum
	}
	for _, h := range v.history {
		p, exists := v.index.number(h.SKU)
		if !exists || v.fromBasket(p) {
			continue
		}
		if slices.Contains(v.path, p) {
			return v.net(p) // closes a circle
		}
		if net := v.net(p); net.ok {
			sum.v = sum.v.Add(net.v.Mul(money.Int(int64(h.Quantity))))
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

// net is the price of one unit of a product after the layers, for one day or one month, as a question for that one unit
// answers it. There is none where the product's own price is being worked out already: the rule that asks would close a
// circle, and is no candidate.
func (v *view) net(p int32) opt {
	if i := slices.Index(v.path, p); i >= 0 {
		v.cut = min(v.cut, i)
		return opt{}
	}
	if o, done := v.nets[p]; done {
		return o
	}
	s := state{product: p, quantity: 1, unit: 1, term: 1}
	if v.uncut(func() { v.unit(&s) }) {
		if v.nets == nil {
			v.nets = map[int32]opt{}
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

// unit works out one unit's price after all layers: none for a product that the channel does not list.
func (v *view) unit(s *state) {
	if v.listed != nil && !v.listed.Has(s.product) {
		return
	}
	v.path = append(v.path, s.product)
	v.run(s, v.lastLayer())
	v.path = v.path[:len(v.path)-1]
}
