package pricing

import (
	"slices"
	"strings"

	"dogbane/internal/money"
)

// outcome is what a rule makes of a price, or why it is no candidate.
type outcome struct {
	reason          Reason
	effect          effect
	from            *money.Rat // of the break
	basis           optional
	raw, result     money.Rat
	shaped          []string
	counted, wanted optional
}

// optionFactor is what the rule multiplies an option of a part by.
func (o *outcome) optionFactor(r *rule, part string) (money.Rat, bool) {
	return o.effect.factor, o.effect.percent && slices.Contains(r.On, part)
}

func (v *view) reachOptions(s *state, r *rule, o outcome) {
	for i := range s.options {
		if f, reaches := o.optionFactor(r, s.options[i].Part); reaches && s.options[i].price.ok {
			s.options[i].price.v = v.step(s.options[i].price.v.Mul(f))
		}
	}
}

// outcome works out what a rule makes of the price entering it.
func (v *view) outcome(s *state, r *rule, entering optional) outcome {
	o, reached := v.reached(s, r)
	if o.reason != "" {
		return o
	}
	if s.watch != nil && reached > 0 {
		v.compareBreaks(s, r, reached, entering)
	}
	return v.result(s, r, o, entering)
}

// reached finds the effect of a rule on a unit, of the highest break that the count reaches where it has breaks, or
// that there are too few units. Its second result is the place of that break.
func (v *view) reached(s *state, r *rule) (o outcome, at int) {
	if s.quantity < r.MinQuantity {
		return outcome{reason: TooFew, counted: some(money.Int(int64(s.quantity))),
			wanted: some(money.Int(int64(r.MinQuantity)))}, 0
	}
	o.effect = r.effect
	if r.breaks == nil {
		return o, 0
	}
	count, known := v.count(s, r)
	if known {
		for i := range r.breaks {
			from := r.breaks[i].from
			if r.counting.Measure == "spend" {
				from = v.ruleAmount(r, from).v
			}
			if count.Less(from) {
				o.wanted = some(from)
				break
			}
			o.effect, o.from, at = r.breaks[i].effect, &r.breaks[i].from, i
		}
	}
	if o.from == nil {
		return outcome{reason: TooFew, counted: optional{count, known}, wanted: o.wanted}, 0
	}
	return o, at
}

// result is what the effect that was reached makes of the price entering.
func (v *view) result(s *state, r *rule, o outcome, entering optional) outcome {
	e := o.effect
	var raw optional
	if e.relative() {
		b := entering
		if r.Of != OfEntering {
			if b, o.reason = v.basis(s, r.Of); o.reason != "" {
				return o
			}
		}
		if !b.ok {
			o.reason = NoPrice
			return o
		}
		o.basis, raw = b, b
		if e.percent {
			if !r.reachesBase() {
				if !entering.ok {
					o.reason = NoPrice
				}
				o.raw, o.result = entering.v, entering.v
				return o
			}
			raw.v = b.v.Mul(e.factor)
		} else if amount := v.ruleAmount(r, e.Value); !amount.ok {
			raw.ok = false
		} else if e.Kind == AmountOff {
			raw.v = b.v.Sub(amount.v)
		} else {
			raw.v = b.v.Add(amount.v)
		}
		if !raw.ok {
			o.reason = NoPrice
			return o
		}
	} else if raw, o.reason = v.setTo(s, r, e); o.reason != "" {
		return o
	}
	o.raw, o.result = raw.v, raw.v
	v.shape(s, r, &o, entering)
	if entering.ok && entering.v.Less(o.result) && r.Layer != Catalog && !e.raises() && !r.MayRaise {
		o.reason = WouldRaise
	}
	return o
}

// basis is the value that Of names.
func (v *view) basis(s *state, of Basis) (optional, Reason) {
	product := v.products[s.product]
	var b optional
	missing := NoBasis
	switch kind, name, _ := strings.Cut(string(of), ":"); {
	case of == OfList:
		b = s.list
	case of == OfCost:
		b, missing = v.footing(s.product, product.Cost), NoCost
	case kind == "cost":
		if further, known := product.Costs[name]; known {
			b = v.footing(s.product, &further)
		}
		missing = NoCost
	case of == OfRRP:
		b = v.bookAmount(product.RRP)
	case of == OfCatalog:
		b = s.catalog
	case kind == "level":
		if level, known := product.Levels[name]; known {
			b = v.bookAmount(&level)
		}
		missing = NoLevel
	}
	if !b.ok {
		return b, missing
	}
	return b, ""
}

// setTo is the result of an effect that sets a price of its own.
func (v *view) setTo(s *state, r *rule, e effect) (optional, Reason) {
	product := v.products[s.product]
	switch e.Kind {
	case SetPrice:
		if price := v.ruleAmount(r, e.Value); price.ok {
			return price, ""
		}
		return optional{}, NoPrice
	case ToLevel:
		return v.basis(s, Basis("level:"+e.Level))
	case Markup, ToMargin:
		cost := v.footing(s.product, product.Cost)
		if !cost.ok {
			return optional{}, NoCost
		}
		percent := money.PercentOf(e.Value)
		if e.Kind == Markup {
			return some(cost.v.Mul(money.Int(1).Add(percent))), ""
		}
		return some(cost.v.Div(money.Int(1).Sub(percent))), ""
	default:
		if price := v.derived(s, r, e.Derive); price.ok {
			return price, ""
		}
		return optional{}, NoBasis
	}
}

// shape holds, limits, lifts and ends a result.
func (v *view) shape(s *state, r *rule, o *outcome, entering optional) {
	zero := money.Int(0)
	to := func(result money.Rat, by string) {
		if o.result = result; s.trail != nil {
			o.shaped = append(o.shaped, by)
		}
	}
	hold := func() {
		if o.result.Sign() < 0 {
			to(zero, "zero")
		}
	}
	hold()
	if r.MaxOff != nil && entering.ok {
		limit := entering
		if r.MaxOff.Percent != nil {
			limit.v = entering.v.Mul(money.Int(1).Sub(money.PercentOf(*r.MaxOff.Percent)))
		} else if amount := v.ruleAmount(r, *r.MaxOff.Amount); amount.ok {
			limit.v = entering.v.Sub(amount.v)
		} else {
			limit.ok = false
		}
		if limit.ok && o.result.Less(limit.v) {
			to(limit.v, "max-off")
		}
	}
	if r.Floor != nil {
		if floor := v.floor(s, r); floor.ok {
			if entering.ok {
				floor.v = money.Min(floor.v, entering.v)
			}
			if o.result.Less(floor.v) {
				to(floor.v, "floor")
			}
		}
	}
	if r.Ending != nil {
		if ended := r.Ending.Apply(o.result); !ended.Equal(o.result) {
			to(ended, "ending")
		}
		hold()
	}
	o.result = v.step(o.result)
}

// step rounds a result where the book rounds at every step.
func (v *view) step(result money.Rat) money.Rat {
	if v.settings.Rounding.EveryStep {
		return result.Round(v.digits, v.settings.Rounding.Mode)
	}
	return result
}

// floor is what a rule does not go below, on the book's footing; none where the product lacks what it is made of.
func (v *view) floor(s *state, r *rule) optional {
	f := r.Floor
	if f.Amount != nil {
		return v.ruleAmount(r, *f.Amount)
	}
	if f.Level != "" {
		level, _ := v.basis(s, Basis("level:"+f.Level))
		return level
	}
	margin := money.Rat{}
	if f.Margin != nil {
		margin = *f.Margin
	}
	if f.WithFee {
		limit, _ := v.limit(s.product, margin)
		if limit.ok {
			limit.v = limit.v.Div(v.toChannel(s.product, money.Int(1)))
		}
		return limit
	}
	cost := v.footing(s.product, v.products[s.product].Cost)
	if cost.ok {
		cost.v = cost.v.Div(money.Int(1).Sub(money.PercentOf(margin)))
	}
	return cost
}
