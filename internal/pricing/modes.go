package pricing

import "math/bits"

// pass takes the lot's products through layers from..to-1.
func (l *lot) pass(from, to int, out *shard) {
	for at := from; at < to; at++ {
		l.through(at, out)
	}
}

// through takes the lot's products through one layer.
func (l *lot) through(at int, out *shard) {
	ly := &l.plan.layers[at]
	var reduced mask
	if ly.usesReduced && at > 0 {
		for w := range reduced {
			for m := l.live[w] & l.priced[w]; m != 0; m &= m - 1 {
				bit := bits.TrailingZeros64(m)
				if i := w<<6 + bit; l.cd[i] != 0 && below(l.n[i], l.d[i], l.cn[i], l.cd[i]) {
					reduced[w] |= 1 << bit
				}
			}
		}
	}
	switch {
	case len(ly.kernels) == 0:
	case ly.Mode == Stack || ly.Mode == Add:
		l.applyEach(ly, &reduced, out)
	default:
		l.applyOne(at, ly, &reduced, out)
	}
	if at == 0 && l.plan.usesCatalog {
		l.cn, l.cd = l.n, l.d
	}
}

// takers are the products of the lot that a kernel may look at, and whether there are any.
func (l *lot) takers(k *kernel, reduced *mask) (m mask, any bool) {
	if !l.gathered && !k.shards.Has(l.first>>shardBits) {
		return m, false
	}
	var some uint64
	for w := range m {
		of := l.live[w] &^ l.ended[w]
		if of == 0 {
			continue
		}
		var r uint64
		if l.gathered && !l.direct[k.ordinal] {
			r = l.reached[k.ordinal][w] & of
		} else {
			r = l.here(k.reach[0], w, of)
		}
		if k.usesReduced {
			r = r&^reduced[w] | l.here(k.reach[1], w, of)&reduced[w]
		}
		if k.within != nil {
			r = l.here(k.within, w, r)
		}
		m[w] = r
		some |= r
	}
	return m, some != 0
}

// leave hands a product over to unit.
func (l *lot) leave(w, bit int) {
	l.slow[w] |= 1 << bit
	l.live[w] &^= 1 << bit
}

// applyOne is the modes in which one rule wins.
func (l *lot) applyOne(at int, ly *planLayer, reduced *mask, out *shard) {
	won := &out.won[at]
	var got, decided mask // have a candidate; need no other
	var nothing mask      // a price of 0 stays one under every factor: rank decides
	if ly.pure > 1 {
		for w := range nothing {
			for m := l.live[w] & l.priced[w]; m != 0; m &= m - 1 {
				bit := bits.TrailingZeros64(m)
				if l.n[(w<<6+bit)&(shardSize-1)] == 0 {
					nothing[w] |= 1 << bit
				}
			}
		}
	}
	for k := range ly.kernels {
		kern := ly.kernels[k]
		switch {
		case ly.Mode == First && k > 0 && kern.Rank > ly.kernels[k-1].Rank:
			decided = got
		case ly.Mode != First && k <= ly.pure:
			// The kernels that only scale stand first, the best factor at the front: of them, the first one wins.
			decided = got
			for w := range nothing {
				decided[w] &^= nothing[w]
			}
			if k == ly.pure {
				decided = mask{}
			}
		}
		takers, any := l.takers(kern, reduced)
		if !any {
			continue
		}
		for w, m := range takers {
			m &^= decided[w]
			if kern.pure {
				m &= l.priced[w]
			}
			for ; m != 0; m &= m - 1 {
				bit := bits.TrailingZeros64(m)
				i := (w<<6 + bit) & (shardSize - 1)
				var n, d int64
				is := candidate
				if kern.pure {
					var ok1, ok2 bool
					n, ok1 = times(l.n[i], kern.n)
					if d, ok2 = times(l.d[i], kern.d); !ok1 || !ok2 {
						is = doesNotFit
					}
				} else {
					n, d, is = l.result(kern, i, l.n[i], l.d[i])
				}
				if is == doesNotFit {
					l.leave(w, bit)
				}
				if is != candidate {
					continue
				}
				if got[w]>>bit&1 == 1 && !l.better(ly, kern, n, d, l.bn[i], l.bd[i], won[i]-1) {
					continue
				}
				got[w] |= 1 << bit
				l.bn[i], l.bd[i] = n, d
				won[i] = int32(kern.ordinal) + 1
			}
		}
	}
	for w := range got {
		got := got[w] & l.live[w]
		for m := got; m != 0; m &= m - 1 {
			i := (w<<6 + bits.TrailingZeros64(m)) & (shardSize - 1)
			l.n[i], l.d[i] = l.bn[i], l.bd[i]
		}
		l.priced[w] |= got
		if ly.EndPrice {
			l.ended[w] |= got
		} else if ly.ends {
			for m := got; m != 0; m &= m - 1 {
				bit := bits.TrailingZeros64(m)
				if l.rules[won[w<<6+bit]-1].Then == EndPrice {
					l.ended[w] |= 1 << bit
				}
			}
		}
	}
}

// better reports whether a candidate wins over the best so far.
func (l *lot) better(ly *planLayer, k *kernel, n, d, bn, bd int64, best int32) bool {
	an, ad := n, d
	if ly.Mode == Highest {
		an, ad, bn, bd = bn, bd, an, ad
	}
	if below(an, ad, bn, bd) {
		return true
	}
	return !below(bn, bd, an, ad) && l.plan.places[k.ordinal] < l.plan.places[best]
}

// applyEach is the modes in which every rule applies.
func (l *lot) applyEach(ly *planLayer, reduced *mask, out *shard) {
	adding := ly.Mode == Add
	if adding {
		l.bn, l.bd = l.n, l.d
	}
	var applied, layerEnded, priceEnded mask
	for k := range ly.kernels {
		kern := ly.kernels[k]
		takers, any := l.takers(kern, reduced)
		if !any {
			continue
		}
		also := out.also[l.plan.slots[kern.ordinal]*shardWords:][:shardWords]
		for w, m := range takers {
			var did uint64
			if m &^= layerEnded[w]; kern.pure {
				m &= l.priced[w]
			}
			for ; m != 0; m &= m - 1 {
				bit := bits.TrailingZeros64(m)
				i := (w<<6 + bit) & (shardSize - 1)
				en, ed := l.n[i], l.d[i]
				if adding {
					en, ed = l.bn[i], l.bd[i]
				}
				var n, d int64
				is := candidate
				if kern.pure && !adding {
					var ok1, ok2 bool
					n, ok1 = times(en, kern.n)
					if d, ok2 = times(ed, kern.d); !ok1 || !ok2 {
						is = doesNotFit
					}
				} else {
					n, d, is = l.result(kern, i, en, ed)
				}
				if is == candidate && adding {
					n, d, is = l.sum(i, n, d, en, ed)
				}
				switch is {
				case doesNotFit:
					l.leave(w, bit)
				case candidate:
					l.n[i], l.d[i] = n, d
					did |= 1 << bit
				}
			}
			l.priced[w] |= did
			applied[w] |= did
			also[w] |= did
			if kern.Then != "" {
				layerEnded[w] |= did
				if kern.Then == EndPrice {
					priceEnded[w] |= did
				}
			}
		}
	}
	for w := range applied {
		if adding {
			for m := applied[w] & l.live[w]; m != 0; m &= m - 1 {
				i := w<<6 + bits.TrailingZeros64(m)
				l.n[i] = max(l.n[i], 0)
			}
		}
		if ly.EndPrice {
			priceEnded[w] = applied[w]
		}
		l.ended[w] |= priceEnded[w]
	}
}

// sum is the price so far plus what a rule makes of the price entering the layer, less that.
func (l *lot) sum(i int, n, d, en, ed int64) (int64, int64, verdict) {
	// The running price may lie below 0 until the layer is through.
	difference, dd, ok := minus(n, d, en, ed)
	if !ok {
		return 0, 0, doesNotFit
	}
	n, d, ok = minus(l.n[i], l.d[i], -difference, dd)
	if !ok {
		return 0, 0, doesNotFit
	}
	return n, d, candidate
}

// minus is an/ad − bn/bd, numerators of either sign.
func minus(an, ad, bn, bd int64) (n, d int64, ok bool) {
	if ad == bd {
		n = an - bn
		return n, ad, max(an, -an) < 1<<61 && max(bn, -bn) < 1<<61
	}
	g := gcd(ad, bd)
	x, ok1 := times(max(an, -an), bd/g)
	y, ok2 := times(max(bn, -bn), ad/g)
	d, ok3 := times(ad, bd/g)
	if !ok1 || !ok2 || !ok3 || x >= 1<<61 || y >= 1<<61 {
		return 0, 0, false
	}
	if an < 0 {
		x = -x
	}
	if bn < 0 {
		y = -y
	}
	return x - y, d, true
}
