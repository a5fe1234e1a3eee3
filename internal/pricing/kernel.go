package pricing

import (
	"math/bits"
	"strings"

	"dogbane/internal/money"
)

// A sweep prices products a shard at a time: every rule is reduced, for the viewpoint, to a kernel that is a few whole
// numbers, and runs over the prices of the shard that it selects. Prices are exact fractions of 63-bit numbers. What
// does not fit, and the few kinds of rules that no kernel expresses, is left to unit, which prices one product by the
// letter of the book; both must agree, which the tests hold them to.

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
	pure   bool // the result is the price entering × n/d, whatever that is
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
	noBound     limitKind = iota
	scaleBound            // of the price entering (maxOff) or the cost (floor)
	fixedBound            // an amount off the price entering (maxOff), or the floor itself
	letterBound           // a floor that is asked for by the letter
)

// reduced is a rule reduced to kernels, one for each break that products may reach; none: it changes no price at the
// viewpoint. slow says that no kernel expresses it.
type reduced struct {
	kernels []*kernel
	slow    bool
}

// kernelsOf reduces a rule that takes part.
func (v *view) kernelsOf(r *rule) *reduced {
	if v.same && v.quantity == 1 && v.term == 1 && len(v.history) == 0 {
		return r.plain
	}
	return v.reduce(r)
}

func (v *view) reduce(r *rule) *reduced {
	if v.quantity < r.MinQuantity {
		return &reduced{}
	}
	reached, told := []reachedBreak{{effect: r.effect}}, true
	if r.breaks != nil {
		reached, told = v.reachedBreaks(r)
	}
	if !told {
		return &reduced{slow: true}
	}
	all := &reduced{}
	for _, b := range reached {
		k, none, slow := v.kernelOf(r, b.effect)
		if slow {
			return &reduced{slow: true}
		}
		if !none {
			k.within = b.within
			all.kernels = append(all.kernels, &k)
		}
	}
	return all
}

// reachedBreak is the effect of a break with the products that reach it, and none above it; nil: all.
type reachedBreak struct {
	effect
	within Set
}

// reachedBreaks are the breaks of a rule that products of the line reach; told is false where that is left to reached.
func (v *view) reachedBreaks(r *rule) (list []reachedBreak, told bool) {
	if r.HistoryDays > 0 && len(v.history) > 0 {
		return nil, false
	}
	count, within := v.quantity, Set(nil)
	switch measure := r.counting.Measure; {
	case measure == "quantity":
		if r.counting.Method == Graduated && v.quantity > 1 && !v.lastUnit {
			return nil, false
		}
		if r.counting.Count == "where" {
			within = r.counted
		}
	case measure == "term":
		count = v.term
	case measure == "days":
		count = 1
	case strings.HasPrefix(measure, "attr:"):
		return v.measuredBreaks(r, strings.TrimPrefix(measure, "attr:")), true
	default:
		return nil, false
	}
	for i := len(r.breaks) - 1; i >= 0; i-- {
		if !money.Int(int64(count)).Less(r.breaks[i].from) {
			return []reachedBreak{{r.breaks[i].effect, within}}, true
		}
	}
	return nil, true
}

// measuredBreaks are those by an attribute, of which each product has its own.
func (v *view) measuredBreaks(r *rule, attr string) (list []reachedBreak) {
	numbers, each := v.index.attrNumbers(attr), money.Int(int64(v.quantity))
	for i := range r.breaks {
		from := r.breaks[i].from.Div(each)
		reach := v.index.empty()
		numbers.within(Bounds{Min: &from}, reach)
		if r.counting.Count == "where" {
			reach.and(r.counted)
		}
		if i > 0 {
			list[i-1].within.andNot(reach)
		}
		list = append(list, reachedBreak{r.breaks[i].effect, reach})
	}
	return list
}

// kernelOf is an effect of a rule as a kernel. none says that it changes no price at the viewpoint, slow that no kernel
// expresses it.
func (v *view) kernelOf(r *rule, e effect) (k kernel, none, slow bool) {
	k = kernel{rule: r}
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
		if !r.reachesBase() {
			if r.Of != OfEntering { // no candidate where that value is missing
				return k, false, true
			}
			k.n, k.d, k.pure = 1, 1, true
			return k, false, false
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
		if r.Floor.Level != "" || r.Floor.WithFee {
			k.floor.kind = letterBound
		} else if r.Floor.Amount != nil {
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
	k.pure = k.op == opScale && k.of == OfEntering && !k.shaped // percents off and on are never refused
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
	q, rem := money.Quotient(hi, lo, uint64(den))
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
