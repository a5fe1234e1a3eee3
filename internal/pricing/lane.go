package pricing

import (
	"math/bits"
	"slices"
	"sync"

	"dogbane/internal/money"
)

// mask is one bit for each product of a shard.
type mask [shardWords]uint64

// way is how far the products of a shard have come.
type way struct {
	live   mask // still on the way through the layers here
	slow   mask // left to unit
	priced mask // have a price
	ended  mask // no later layer

	n, d [shardSize]int64 // the price; d is 0 where there is none
}

// bases are what effects may start from besides the price entering.
type bases struct {
	ln, ld [shardSize]int64 // the list price, in the channel's currency
	cn, cd [shardSize]int64 // the price after the catalog layer; cd is 0 where there is none
}

// lane prices shards, one after the other. It belongs to one goroutine.
type lane struct {
	*view
	plan     *plan
	first    int32            // the shard's first product
	gathered bool             // the products are not those of a shard but the ones in ids
	ids      [shardSize]int32 // product numbers, where gathered
	reached  []mask           // by ordinal, which of them a rule selects, where gathered; not for rules in direct
	direct   []bool           // by ordinal, rules that are asked themselves

	way
	bases
	bn, bd [shardSize]int64 // the best result in this layer, or the price entering it
}

// lanes are used again: they are large.
var lanes = sync.Pool{New: func() any { return &lane{} }}

func newLane() *lane { return lanes.Get().(*lane) }

func (l *lane) free() {
	l.view, l.plan, l.gathered, l.reached, l.direct = nil, nil, false, l.reached[:0], l.direct[:0]
	lanes.Put(l)
}

// gather takes products from anywhere into the lane.
func (l *lane) gather(ids []int32) {
	copy(l.ids[:], ids)
	if len(l.direct) == 0 {
		l.lists.ready(len(l.products))
		l.reached, l.direct = slices.Grow(l.reached, len(l.rules))[:len(l.rules)], slices.Grow(l.direct, len(l.rules))[:len(l.rules)]
		for o, r := range l.rules {
			l.direct[o] = r != nil && r.usesReduced
		}
		for _, o := range l.stale {
			l.direct[o] = true
		}
	}
	clear(l.reached)
	for i, p := range ids {
		for _, ordinal := range l.lists.of(p) {
			l.reached[ordinal][i>>6] |= 1 << (i & 63)
		}
	}
}

// number is the number of the lane's i-th product.
func (l *lane) number(i int) int32 {
	if l.gathered {
		return l.ids[i&(shardSize-1)]
	}
	return l.first + int32(i)
}

// here is the part of a set that concerns some of the products of a word.
func (l *lane) here(s Set, w int, of uint64) uint64 {
	if !l.gathered {
		return s[int(l.first>>6)+w] & of
	}
	var in uint64
	for ; of != 0; of &= of - 1 {
		bit := bits.TrailingZeros64(of)
		p := l.ids[(w<<6+bit)&(shardSize-1)]
		in |= s[p>>6] >> (uint(p) & 63) & 1 << bit
	}
	return in
}

// start lays the list prices of some products of the shard that begins with first into the lane.
func (l *lane) start(first int32, of mask) {
	l.first, l.live, l.ended, l.slow, l.priced = first, of, mask{}, mask{}, mask{}
	plain := l.view.same && l.plan.fixedHere == nil
	for w, live := range of {
		if live == 0 {
			continue
		}
		if l.listed != nil {
			live = l.here(l.listed, w, live)
		}
		slow := l.here(l.plan.slow, w, live)
		live &^= slow
		var priced, left uint64
		for m := live; m != 0; m &= m - 1 {
			bit := bits.TrailingZeros64(m)
			i := (w<<6 + bit) & (shardSize - 1)
			p := l.number(i)
			n, d, fits := l.list.n[p], l.list.d[p], true
			if !plain || d < 0 {
				n, d, fits = l.startPrice(p)
			}
			l.n[i], l.d[i] = n, d
			if !fits {
				left |= 1 << bit
			} else if d > 0 {
				priced |= 1 << bit
			}
		}
		l.slow[w], l.live[w], l.priced[w] = slow|left, live&^left, priced
	}
	if l.plan.usesList {
		l.ln, l.ld = l.n, l.d
	}
}

// startPrice is the list price in the channel's currency; d is 0 where there is none.
func (l *lane) startPrice(p int32) (n, d int64, fits bool) {
	n, d = l.list.n[p], l.list.d[p]
	if l.view.same && l.plan.fixedHere == nil {
		return n, d, d >= 0
	}
	if l.plan.fixedHere.has(p) {
		if own, fixed := l.products[p].ListIn[l.currency]; fixed {
			return own.Parts()
		}
	}
	if d <= 0 || l.view.same {
		return n, d, d >= 0
	}
	if !l.rated {
		return 0, 0, true
	}
	return l.inChannelCurrency(n, d)
}

func (l *lane) inChannelCurrency(n, d int64) (int64, int64, bool) {
	if l.view.same {
		return n, d, true
	}
	n, ok1 := times(n, l.plan.rateN)
	d, ok2 := times(d, l.plan.rateD)
	return n, d, ok1 && ok2 && l.plan.rateD > 0
}

// costHere is a product's cost on the book's footing in the channel's currency; d is 0 where there is none.
func (l *lane) costHere(p int32) (n, d int64, fits bool) {
	n, d = l.cost.n[p], l.cost.d[p]
	if d <= 0 || !l.rated {
		return 0, 0, d >= 0
	}
	n, d, fits = l.inChannelCurrency(n, d)
	if fits && l.bookTax {
		t := l.plan.taxes[l.taxOf[p]]
		var ok1, ok2 bool
		n, ok1 = times(n, t.n)
		d, ok2 = times(d, t.d)
		fits = ok1 && ok2 && t.d > 0
	}
	return n, d, fits
}

type verdict int8

const (
	candidate verdict = iota
	noCandidate
	doesNotFit
)

// result is what a kernel makes of product i of the shard, whose price entering the rule is en/ed (ed 0: none).
func (l *lane) result(k *kernel, i int, en, ed int64) (n, d int64, is verdict) {
	bn, bd := en, ed
	if k.op == opSet {
		n, d = k.n, k.d
	} else {
		if k.of != OfEntering {
			var fits bool
			if bn, bd, fits = l.basisHere(k.of, i); !fits {
				return 0, 0, doesNotFit
			}
		}
		if bd == 0 {
			return 0, 0, noCandidate
		}
		var ok1, ok2 bool
		if k.op == opScale {
			n, ok1 = times(bn, k.n)
			d, ok2 = times(bd, k.d)
		} else {
			var ok3 bool
			d, ok3 = times(bd, k.d)
			n, ok1 = times(bn, k.d)
			shift, ok := times(max(k.n, -k.n), bd)
			if ok2 = ok && ok3 && n < 1<<62 && shift < 1<<62; k.n < 0 {
				shift = -shift
			}
			n = max(n+shift, 0)
		}
		if !ok1 || !ok2 {
			return 0, 0, doesNotFit
		}
	}
	if k.shaped {
		var fits bool
		if n, d, fits = l.shapeHere(k, i, n, d, en, ed); !fits {
			return 0, 0, doesNotFit
		}
	}
	if k.refuse && ed != 0 && below(en, ed, n, d) {
		return 0, 0, noCandidate
	}
	return n, d, candidate
}

// basisHere is the value that an effect starts from, where that is not the price entering.
func (l *lane) basisHere(of Basis, i int) (n, d int64, fits bool) {
	p := l.number(i)
	switch of {
	case OfList:
		return l.ln[i], l.ld[i], true
	case OfCatalog:
		return l.cn[i], l.cd[i], true
	case OfCost:
		return l.costHere(p)
	}
	b, reason := l.basis(&state{product: p}, of)
	if reason != "" {
		return 0, 0, true
	}
	return b.v.Parts()
}

// shapeHere is shape for a kernel.
func (l *lane) shapeHere(k *kernel, i int, n, d, en, ed int64) (int64, int64, bool) {
	if k.maxOff.kind != noBound && ed != 0 {
		ln, ok1 := times(en, k.maxOff.n)
		ld, ok2 := times(ed, k.maxOff.d)
		if k.maxOff.kind == fixedBound {
			var off int64
			var ok3 bool
			ln, ok1 = times(en, k.maxOff.d)
			off, ok3 = times(k.maxOff.n, ed)
			ok2 = ok2 && ok3
			ln -= off
		}
		if !ok1 || !ok2 {
			return 0, 0, false
		}
		if ln > 0 && below(n, d, ln, ld) {
			n, d = ln, ld
		}
	}
	if k.floor.kind != noBound {
		fn, fd := k.floor.n, k.floor.d
		if k.floor.kind == scaleBound {
			cn, cd, fits := l.costHere(l.number(i))
			if !fits {
				return 0, 0, false
			}
			var ok1, ok2 bool
			fn, ok1 = times(cn, fn)
			fd, ok2 = times(cd, fd)
			if !ok1 || !ok2 {
				return 0, 0, false
			}
		}
		if fd != 0 {
			if ed != 0 && below(en, ed, fn, fd) {
				fn, fd = en, ed
			}
			if below(n, d, fn, fd) {
				n, d = fn, fd
			}
		}
	}
	ok := true
	if k.ending != nil {
		if n, d, ok = k.ending.apply(n, d); !ok {
			return 0, 0, false
		}
	}
	if r := l.settings.Rounding; r.EveryStep {
		n, ok = money.RoundRatio(n, d, l.digits, r.Mode)
		d = l.plan.minorUnits
	}
	return n, d, ok
}

// pass takes the lane's products through layers from..to-1.
func (l *lane) pass(from, to int, out *shard) {
	for at := from; at < to; at++ {
		l.through(at, out)
	}
}

// through takes the lane's products through one layer.
func (l *lane) through(at int, out *shard) {
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

// takers are the products of the lane that a kernel may look at, and whether there are any.
func (l *lane) takers(k *kernel, reduced *mask) (m mask, any bool) {
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
func (l *lane) leave(w, bit int) {
	l.slow[w] |= 1 << bit
	l.live[w] &^= 1 << bit
}

// applyOne is the modes in which one rule wins.
func (l *lane) applyOne(at int, ly *planLayer, reduced *mask, out *shard) {
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
func (l *lane) better(ly *planLayer, k *kernel, n, d, bn, bd int64, best int32) bool {
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
func (l *lane) applyEach(ly *planLayer, reduced *mask, out *shard) {
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
func (l *lane) sum(i int, n, d, en, ed int64) (int64, int64, verdict) {
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

// finish writes the prices shown of the products that are still in the lane, and prices those that left it one by one.
func (l *lane) finish(out *shard) {
	mode := l.settings.Rounding.Mode
	for w := range l.live {
		for m := l.live[w] & l.priced[w]; m != 0; m &= m - 1 {
			bit := bits.TrailingZeros64(m)
			i := w<<6 + bit
			p := l.number(i)
			n, d, ok := l.n[i], l.d[i], true
			if l.bookTax != l.showTax {
				t := l.plan.taxes[l.taxOf[p]]
				tn, td := t.n, t.d
				if l.bookTax {
					tn, td = td, tn
				}
				var ok1, ok2 bool
				n, ok1 = times(n, tn)
				d, ok2 = times(d, td)
				ok = ok1 && ok2 && t.d > 0
			}
			if ok && l.plan.ending != nil {
				n, d, ok = l.plan.ending.apply(n, d)
			}
			var price int64
			if ok {
				price, ok = money.RoundRatio(n, d, l.digits, mode)
			}
			if ok && l.plan.held != nil && l.plan.held.Has(p) {
				if limit := l.plan.limits.guarded[p]; limit != maxLimit && price < limit {
					price = limit
				}
			}
			if !ok {
				l.leave(w, bit)
				continue
			}
			out.price[i] = price
		}
	}
	for w, m := range l.slow {
		for ; m != 0; m &= m - 1 {
			l.priceSlow(w<<6+bits.TrailingZeros64(m), out)
		}
	}
}
