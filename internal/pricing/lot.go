package pricing

import (
	"math/bits"
	"slices"
	"sync"

	"dogbane/internal/money"
)

// mask is one bit for each product of a shard.
type mask [shardWords]uint64

// progress is how far the products of a shard have come.
type progress struct {
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

// lot prices shards, one after the other. It belongs to one goroutine.
type lot struct {
	*view
	plan     *plan
	first    int32            // the shard's first product
	gathered bool             // the products are not those of a shard but the ones in ids
	ids      [shardSize]int32 // product numbers, where gathered
	reached  []mask           // by ordinal, which of them a rule selects, where gathered; not for rules in direct
	direct   []bool           // by ordinal, rules that are asked themselves

	progress
	bases
	bn, bd [shardSize]int64 // the best result in this layer, or the price entering it
}

// lots are used again: they are large.
var lots = sync.Pool{New: func() any { return &lot{} }}

func newLot() *lot { return lots.Get().(*lot) }

func (l *lot) free() {
	l.view, l.plan, l.gathered, l.reached, l.direct = nil, nil, false, l.reached[:0], l.direct[:0]
	lots.Put(l)
}

// gather takes products from anywhere into the lot.
func (l *lot) gather(ids []int32) {
	copy(l.ids[:], ids)
	if len(l.direct) == 0 {
		l.lists.ready(len(l.products))
		l.reached, l.direct = slices.Grow(l.reached, len(l.rules))[:len(l.rules)],
			slices.Grow(l.direct, len(l.rules))[:len(l.rules)]
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

// number is the number of the lot's i-th product.
func (l *lot) number(i int) int32 {
	if l.gathered {
		return l.ids[i&(shardSize-1)]
	}
	return l.first + int32(i)
}

// here is the part of a set that concerns some of the products of a word.
func (l *lot) here(s Set, w int, of uint64) uint64 {
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

// start lays the list prices of some products of the shard that begins with first into the lot.
func (l *lot) start(first int32, of mask) {
	l.first, l.live, l.ended, l.slow, l.priced = first, of, mask{}, mask{}, mask{}
	plain := l.view.same && l.plan.fixedHere == nil
	for w, live := range of {
		if live == 0 {
			continue
		}
		if l.listed != nil {
			live = l.here(l.listed, w, live)
		}
		if l.onRequest != nil {
			live &^= l.here(l.onRequest, w, live)
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
func (l *lot) startPrice(p int32) (n, d int64, fits bool) {
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

func (l *lot) inChannelCurrency(n, d int64) (int64, int64, bool) {
	if l.view.same {
		return n, d, true
	}
	n, ok1 := times(n, l.plan.rateN)
	d, ok2 := times(d, l.plan.rateD)
	return n, d, ok1 && ok2 && l.plan.rateD > 0
}

// costHere is a product's cost on the book's footing in the channel's currency; d is 0 where there is none.
func (l *lot) costHere(p int32) (n, d int64, fits bool) {
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

// finish writes the prices shown of the products that are still in the lot, and prices those that left it one by one.
func (l *lot) finish(out *shard) {
	mode := l.settings.Rounding.Mode
	for w := range l.live {
		for m := l.live[w] & l.priced[w]; m != 0; m &= m - 1 {
			bit := bits.TrailingZeros64(m)
			i := w<<6 + bit
			p := l.number(i)
			n, d, ok := l.n[i], l.d[i], true
			if l.plan.factors != nil {
				t := l.plan.factors[l.taxOf[p]]
				var ok1, ok2 bool
				n, ok1 = times(n, t.n)
				d, ok2 = times(d, t.d)
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
