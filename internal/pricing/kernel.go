package pricing

import (
	"math/bits"
	"slices"

	"dogbane/internal/money"
)

// A sweep prices products a shard at a time: every rule is reduced, for the viewpoint, to a kernel that is a few whole
// numbers, and runs over the prices of the shard that it selects. Prices are exact fractions of 63-bit numbers. What does
// not fit, and the few kinds of rules that no kernel expresses, is left to unit, which prices one product by the letter
// of the book; both must agree, which the tests hold them to.

// shardSize is how many products are priced together: their columns fit into a core's cache.
const (
	shardBits  = 10
	shardSize  = 1 << shardBits
	shardWords = shardSize / 64
)

// kernel is a rule made ready for a viewpoint.
type kernel struct {
	*rule
	of     Basis // what the effect starts from; OfEntering is the price entering the rule
	op     kernelOp
	n, d   int64 // the factor, the amount or the price; n of an amount may be negative
	within Set   // further restricts what the rule reaches; nil does not
	refuse bool  // a result above the price entering is no candidate
	shaped bool  // something is done to the effect's result
	ending *wholeEnding
	maxOff kernelLimit
	floor  kernelLimit
	slot   int // in a layer where every rule applies: where the products are noted that it applied to
}

type kernelOp int8

const (
	opScale kernelOp = iota // basis × n/d
	opShift                 // basis + n/d
	opSet                   // n/d
)

// kernelLimit is a greatest reduction or a floor as a factor or an amount.
type kernelLimit struct {
	kind limitKind
	n, d int64
}

type limitKind int8

const (
	noBound    limitKind = iota
	scaleBound           // of the price entering (maxOff) or the cost (floor)
	fixedBound           // an amount off the price entering (maxOff), or the floor itself
)

// kernelOf reduces a rule that takes part. none says that it changes no price at this viewpoint; slow that no kernel
// expresses it.
func (v *view) kernelOf(r *rule) (k kernel, none, slow bool) {
	k = kernel{rule: r}
	if v.quantity < r.MinQuantity {
		return k, true, false
	}
	e := r.effect
	if r.breaks != nil {
		count := v.quantity
		switch r.counting.Measure {
		case "quantity":
			if r.HistoryDays > 0 && len(v.history) > 0 || r.counting.Method == Graduated && v.quantity > 1 {
				return k, false, true
			}
			if r.counting.Count == "where" {
				k.within = r.counted
			}
		case "term":
			count = v.term
		case "days":
			count = 1
		default:
			return k, false, true
		}
		found := false
		for i := range r.breaks {
			if money.Int(int64(count)).Less(r.breaks[i].from) {
				break
			}
			e, found = r.breaks[i].effect, true
		}
		if !found {
			return k, true, false
		}
	}
	fits := true
	parts := func(x money.Rat) (int64, int64) {
		n, d, ok := x.Reduce().Parts()
		fits = fits && ok
		return n, d
	}
	lowers := r.Of == OfEntering
	k.of = r.Of
	switch {
	case e.percent:
		if r.On != nil && !slices.Contains(r.On, "base") {
			if r.Of != OfEntering {
				return k, false, true
			}
			k.n, k.d = 1, 1
			break
		}
		k.n, k.d = parts(e.factor)
		lowers = lowers && e.Kind == PercentOff
	case e.Kind == AmountOff || e.Kind == AmountOn:
		amount := v.ruleAmount(r, e.Value)
		if !amount.ok {
			return k, true, false
		}
		if e.Kind == AmountOff {
			amount.v = amount.v.Neg()
		}
		k.op = opShift
		k.n, k.d = parts(amount.v)
		lowers = lowers && e.Kind == AmountOff
	case e.Kind == SetPrice:
		price := v.ruleAmount(r, e.Value)
		if !price.ok {
			return k, true, false
		}
		k.op, lowers = opSet, false
		k.n, k.d = parts(price.v)
	case e.Kind == ToLevel:
		k.of, k.n, k.d, lowers = Basis("level:"+e.Level), 1, 1, false
	case e.Kind == Markup:
		k.of, lowers = OfCost, false
		k.n, k.d = parts(money.Int(1).Add(money.PercentOf(e.Value)))
	case e.Kind == ToMargin:
		k.of, lowers = OfCost, false
		k.n, k.d = parts(money.Int(1).Sub(money.PercentOf(e.Value)).Inv())
	default:
		return k, false, true
	}
	if r.MaxOff != nil {
		if r.MaxOff.Percent != nil {
			k.maxOff.kind = scaleBound
			k.maxOff.n, k.maxOff.d = parts(money.Int(1).Sub(money.PercentOf(*r.MaxOff.Percent)))
		} else if amount := v.ruleAmount(r, *r.MaxOff.Amount); amount.ok {
			k.maxOff.kind = fixedBound
			k.maxOff.n, k.maxOff.d = parts(amount.v)
		}
	}
	if r.Floor != nil {
		if r.Floor.Amount != nil {
			if amount := v.ruleAmount(r, *r.Floor.Amount); amount.ok {
				k.floor.kind = fixedBound
				k.floor.n, k.floor.d = parts(amount.v)
			}
		} else {
			k.floor = kernelLimit{scaleBound, 1, 1}
			if r.Floor.Margin != nil {
				k.floor.n, k.floor.d = parts(money.Int(1).Sub(money.PercentOf(*r.Floor.Margin)).Inv())
			}
		}
	}
	if r.Ending != nil {
		var ok bool
		k.ending, ok = wholeEndingOf(r.Ending)
		fits = fits && ok
	}
	everyStep := v.settings.Rounding.EveryStep
	k.shaped = k.maxOff.kind != noBound || k.floor.kind != noBound || k.ending != nil || everyStep
	k.refuse = r.Layer != Catalog && !e.raises() && !r.MayRaise && !(lowers && k.ending == nil && !everyStep)
	return k, false, !fits
}

// wholeEnding is an ending whose step and shift have a common denominator.
type wholeEnding struct {
	stepN, stepD int64 // the step
	step, shift  int64 // in units of 1/unit
	unit         int64
	direction    Direction
}

func wholeEndingOf(e *Ending) (*wholeEnding, bool) {
	sn, sd, ok1 := e.Step.Reduce().Parts()
	hn, hd, ok2 := e.Shift.Reduce().Parts()
	if !ok1 || !ok2 {
		return nil, false
	}
	w := &wholeEnding{stepN: sn, stepD: sd, direction: e.Direction}
	var ok3, ok4, ok5 bool
	w.unit, ok3 = times(sd, hd/gcd(sd, hd))
	w.step, ok4 = times(sn, w.unit/sd)
	w.shift, ok5 = times(max(hn, -hn), w.unit/hd)
	if hn < 0 {
		w.shift = -w.shift
	}
	return w, ok3 && ok4 && ok5
}

// apply ends n/d and holds the result at 0.
func (w *wholeEnding) apply(n, d int64) (int64, int64, bool) {
	den, ok := times(d, w.stepN)
	if !ok {
		return 0, 0, false
	}
	hi, lo := bits.Mul64(uint64(n), uint64(w.stepD))
	if hi >= uint64(den) {
		return 0, 0, false
	}
	var q, rem uint64
	if hi == 0 {
		q, rem = lo/uint64(den), lo%uint64(den)
	} else {
		q, rem = bits.Div64(hi, lo, uint64(den))
	}
	switch {
	case w.direction == UpTo && rem > 0, w.direction == Nearest && rem >= uint64(den)-rem:
		q++
	}
	if q >= 1<<62 {
		return 0, 0, false
	}
	m, ok := times(int64(q), w.step)
	if !ok || m > 1<<62 || w.shift > 1<<61 || w.shift < -1<<61 {
		return 0, 0, false
	}
	return max(m+w.shift, 0), w.unit, true
}

func gcd(a, b int64) int64 {
	for b != 0 {
		a, b = b, a%b
	}
	return a
}

// times is a × b of numbers not below 0, and whether it fits.
func times(a, b int64) (int64, bool) {
	hi, lo := bits.Mul64(uint64(a), uint64(b))
	return int64(lo), hi == 0 && lo < 1<<63
}

// below reports whether an/ad < bn/bd; numerators are not below 0.
func below(an, ad, bn, bd int64) bool {
	if ad == bd {
		return an < bn
	}
	xh, xl := bits.Mul64(uint64(an), uint64(bd))
	yh, yl := bits.Mul64(uint64(bn), uint64(ad))
	return xh < yh || xh == yh && xl < yl
}

// mask is one bit for each product of a shard.
type mask [shardWords]uint64

// lane prices shards, one after the other. It belongs to one goroutine.
type lane struct {
	*view
	plan  *plan
	first int32 // the shard's first product

	live   mask // still on the way through the layers here
	slow   mask // left to unit
	priced mask // have a price
	ended  mask // no later layer

	n, d   [shardSize]int64 // the price; d is 0 where there is none
	ln, ld [shardSize]int64 // the list price, in the channel's currency
	cn, cd [shardSize]int64 // the price after the catalog layer; cd is 0 where there is none
	bn, bd [shardSize]int64 // the best result in this layer, or the price entering it
}

// start lays the list prices of some products of the shard into the lane.
func (l *lane) start(first int32, of mask) {
	l.first, l.live, l.ended = first, of, mask{}
	at := first >> 6
	for w := range l.live {
		if int(at)+w >= len(l.plan.slow) {
			l.live[w], l.slow[w], l.priced[w] = 0, 0, 0
			continue
		}
		if l.listed != nil {
			l.live[w] &= l.listed[int(at)+w]
		}
		l.slow[w] = l.live[w] & l.plan.slow[int(at)+w]
		l.live[w] &^= l.slow[w]
		priced := uint64(0)
		for m := l.live[w]; m != 0; m &= m - 1 {
			bit := bits.TrailingZeros64(m)
			i := w<<6 + bit
			n, d, fits := l.startPrice(first + int32(i))
			l.n[i], l.d[i] = n, d
			switch {
			case !fits:
				l.slow[w] |= 1 << bit
			case d > 0:
				priced |= 1 << bit
			}
		}
		l.live[w] &^= l.slow[w]
		l.priced[w] = priced
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
	p := l.first + int32(i)
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
			cn, cd, fits := l.costHere(l.first + int32(i))
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

// pass takes the lane's products through one layer.
func (l *lane) pass(at int, out *shard) {
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
	if at == 0 {
		l.cn, l.cd = l.n, l.d
	}
}

// takers are the products in one word of the shard that a kernel may look at.
func (l *lane) takers(k *kernel, w int, reduced *mask) uint64 {
	at := int(l.first>>6) + w
	if at >= len(k.reach[0]) {
		return 0
	}
	m := k.reach[0][at]
	if k.usesReduced {
		m = m&^reduced[w] | k.reach[1][at]&reduced[w]
	}
	if k.within != nil {
		m &= k.within[at]
	}
	return m & l.live[w] &^ l.ended[w]
}

// leave hands a product over to unit.
func (l *lane) leave(w, bit int) {
	l.slow[w] |= 1 << bit
	l.live[w] &^= 1 << bit
}

// applyOne is the modes in which one rule wins.
func (l *lane) applyOne(at int, ly *planLayer, reduced *mask, out *shard) {
	won := &out.won[at]
	for w := range l.live {
		if l.live[w]&^l.ended[w] == 0 {
			continue
		}
		var got, decided uint64
		for k := range ly.kernels {
			kern := &ly.kernels[k]
			if ly.Mode == First && k > 0 && kern.Rank > ly.kernels[k-1].Rank {
				decided = got
			}
			m := l.takers(kern, w, reduced) &^ decided
			for ; m != 0; m &= m - 1 {
				bit := bits.TrailingZeros64(m)
				i := w<<6 + bit
				n, d, is := l.result(kern, i, l.n[i], l.d[i])
				if is == doesNotFit {
					l.leave(w, bit)
				}
				if is != candidate {
					continue
				}
				if got>>bit&1 == 1 {
					better := below(n, d, l.bn[i], l.bd[i])
					if ly.Mode == Highest {
						better = below(l.bn[i], l.bd[i], n, d)
					}
					if !better {
						continue
					}
				}
				got |= 1 << bit
				l.bn[i], l.bd[i] = n, d
				won[i] = int32(kern.ordinal) + 1
			}
		}
		got &= l.live[w]
		for m := got; m != 0; m &= m - 1 {
			i := w<<6 + bits.TrailingZeros64(m)
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

// applyEach is the modes in which every rule applies.
func (l *lane) applyEach(ly *planLayer, reduced *mask, out *shard) {
	adding := ly.Mode == Add
	for w := range l.live {
		open := l.live[w] &^ l.ended[w]
		if open == 0 {
			continue
		}
		var applied, layerEnded, priceEnded uint64
		if adding {
			for m := open; m != 0; m &= m - 1 {
				i := w<<6 + bits.TrailingZeros64(m)
				l.bn[i], l.bd[i] = l.n[i], l.d[i]
			}
		}
		for k := range ly.kernels {
			kern := &ly.kernels[k]
			var did uint64
			for m := l.takers(kern, w, reduced) &^ layerEnded; m != 0; m &= m - 1 {
				bit := bits.TrailingZeros64(m)
				i := w<<6 + bit
				en, ed := l.n[i], l.d[i]
				if adding {
					en, ed = l.bn[i], l.bd[i]
				}
				n, d, is := l.result(kern, i, en, ed)
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
			applied |= did
			out.also[kern.slot*shardWords+w] |= did
			if kern.Then != "" {
				layerEnded |= did
				if kern.Then == EndPrice {
					priceEnded |= did
				}
			}
		}
		if adding {
			for m := applied & l.live[w]; m != 0; m &= m - 1 {
				i := w<<6 + bits.TrailingZeros64(m)
				l.n[i] = max(l.n[i], 0)
			}
		}
		if ly.EndPrice {
			priceEnded = applied
		}
		l.ended[w] |= priceEnded
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

// finish writes the prices shown of the products that are still in the lane.
func (l *lane) finish(out *shard) {
	mode := l.settings.Rounding.Mode
	for w := range l.live {
		for m := l.live[w] & l.priced[w]; m != 0; m &= m - 1 {
			bit := bits.TrailingZeros64(m)
			i := w<<6 + bit
			p := l.first + int32(i)
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
			if ok && l.term > 1 && l.monthly.Has(p) {
				price, ok = times(price, int64(l.term))
			}
			if !ok {
				l.leave(w, bit)
				continue
			}
			out.price[i] = price
		}
	}
}
