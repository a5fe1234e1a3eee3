package pricing

import (
	"slices"

	"dogbane/internal/money"
)

// priceSlow prices one product of the shard by unit.
func (l *lot) priceSlow(i int, out *shard) {
	for at := range out.won {
		out.won[at][i] = 0
	}
	for slot := range l.plan.stacked {
		out.also[slot*shardWords+i>>6] &^= 1 << (i & 63)
	}
	p := l.number(i)
	unit, ok := l.unitPrice(p, func(s *state) {
		for _, r := range s.applied {
			at := slices.IndexFunc(l.layers, func(ly layer) bool { return ly.Layer == r.Layer })
			if m := l.layers[at].Mode; m == Stack || m == Add {
				slot := slices.IndexFunc(l.plan.stacked, func(o *rule) bool { return o.ordinal == r.ordinal })
				out.also[slot*shardWords+i>>6] |= 1 << (i & 63)
			} else if out.won[at][i] == 0 {
				out.won[at][i] = int32(r.ordinal) + 1
			}
		}
	})
	out.price[i] = missing
	if ok {
		if n, fits := unit.Minor(l.digits, l.settings.Rounding.Mode); fits {
			out.price[i] = n
		}
	}
}

// unitPrice is a product's unit price as Price answers it; each portion's unit is given to visit.
func (v *view) unitPrice(p int32, visit func(s *state)) (money.Rat, bool) {
	if v.quantity > 1 || v.term > 1 {
		v.nets = nil // a source that is the line itself stands there in that quantity, so what others found does not hold
	}
	total := money.Int(0)
	if !v.sells(p) {
		return total, false
	}
	for _, seg := range v.segments(&state{product: p, quantity: v.quantity, term: v.term}) {
		s := state{product: p, quantity: v.quantity, unit: seg.last, term: v.term}
		v.unit(&s)
		if !s.price.ok {
			return total, false
		}
		if visit != nil {
			visit(&s)
		}
		total = total.Add(v.finish(&s).price.Mul(money.Int(int64(seg.units))))
	}
	return v.perUnit(total), true
}
