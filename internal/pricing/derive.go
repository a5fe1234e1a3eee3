package pricing

import (
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
	if d.From == "basket" {
		return some(money.Int(0)) // nothing else is in the basket
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
		for _, h := range v.history {
			if h.SKU == d.From && h.At <= v.at {
				owned += h.Quantity
			}
		}
		if owned > 0 {
			net.v = net.v.Mul(money.Int(int64(owned)))
		}
	}
	return net
}

// net is the price of one unit of a product after the layers, at quantity 1. A price that needs itself does not exist:
// every product on such a circle is noted as cyclic.
func (v *view) net(p int32) opt {
	if i := slices.Index(v.path, p); i >= 0 {
		if v.cyclic == nil {
			v.cyclic = map[int32]bool{}
		}
		for _, q := range v.path[i:] {
			v.cyclic[q] = true
		}
		return opt{}
	}
	if o, done := v.nets[p]; done {
		return o
	}
	s := state{product: p, quantity: 1, unit: 1}
	v.unit(&s)
	// Within a circle a price is only known once the circle is closed: what was found on the way is not kept.
	if len(v.cyclic) == 0 {
		if v.nets == nil {
			v.nets = map[int32]opt{}
		}
		v.nets[p] = s.price
	}
	return s.price
}

// unit works out one unit's price after all layers: none for a product that the channel does not list, and none for a
// price that needs itself.
func (v *view) unit(s *state) {
	if v.listed != nil && !v.listed.Has(s.product) {
		return
	}
	v.path = append(v.path, s.product)
	v.run(s, v.lastLayer())
	v.path = v.path[:len(v.path)-1]
	if v.cyclic[s.product] {
		s.price = opt{}
		if s.trail != nil {
			s.trail.Cycle = true
		}
	}
	if len(v.path) == 0 {
		v.cyclic = nil
	}
}
