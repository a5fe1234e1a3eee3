package pricing

import (
	"slices"

	"dogbane/internal/money"
)

// state is the price of one unit on its way through the layers.
type state struct {
	product  int32
	quantity int         // of the line
	unit     int         // which unit of the line, from 1: graduated breaks look at it
	term     int         // months
	days     int         // of a hire; 0: none
	line     *basketLine // nil: a product alone
	list     optional
	price    optional
	catalog  optional // the price after the catalog layer
	past     bool
	endedBy  *rule
	applied  []*rule
	after    [LayerCount]optional // the price after each layer, by position
	trail    *Trail               // nil: not asked for
	watch    *watch               // nil: nobody looks on
	options  []optionPrice
}

// optionPrice is a chosen option on its way through the layers.
type optionPrice struct {
	Option
	price optional
}

// listPrice is the list price in the channel's currency.
func (v *view) listPrice(p int32) optional {
	product := v.products[p]
	if own, fixed := product.ListIn[v.currency]; fixed {
		return some(own)
	}
	return v.bookAmount(product.List)
}

// bookAmount converts an amount in the book's currency to the channel's.
func (v *view) bookAmount(a *money.Rat) optional {
	if a == nil || !v.rated {
		return optional{}
	}
	if v.same {
		return some(*a)
	}
	return some(a.Mul(v.rate))
}

// ruleAmount converts an amount of a rule: a rule with a currency of its own is already in the channel's.
func (v *view) ruleAmount(r *rule, a money.Rat) optional {
	if r.Currency != "" {
		return some(a)
	}
	return v.bookAmount(&a)
}

// footing brings a cost, which is without tax, to the book's footing.
func (v *view) footing(p int32, cost *money.Rat) optional {
	o := v.bookAmount(cost)
	if o.ok && v.bookTax {
		o.v = o.v.Mul(v.tax(p))
	}
	return o
}

// run takes a unit through the layers, up to and including the last-th (or all with last = LayerCount).
func (v *view) run(s *state, last int) {
	s.list = v.listPrice(s.product)
	if v.onRequest.has(s.product) {
		s.past = true
		return
	}
	s.price = s.list
	for i := range min(last, len(v.layers)) {
		v.layer(s, i)
		if i == 0 {
			s.catalog, s.past = s.price, true
		}
		s.after[i] = s.price
	}
}

// reduced reports whether the price entering a layer is below the price after the catalog layer.
func (s *state) reduced() int {
	if s.past && s.price.ok && s.catalog.ok && s.price.v.Less(s.catalog.v) {
		return 1
	}
	return 0
}

// layer takes a unit through one layer.
func (v *view) layer(s *state, i int) {
	l := &v.layers[i]
	rules, which := v.active[i], s.reduced()
	if s.endedBy != nil && s.trail == nil {
		if s.watch != nil {
			for _, r := range rules {
				v.shutOut(s, r, which, PriceEnded, s.endedBy)
			}
		}
		return
	}
	if s.trail != nil {
		rules = l.rules
	}
	switch l.Mode {
	case Stack:
		v.stack(s, l, rules, which, false)
	case Add:
		v.stack(s, l, rules, which, true)
	default:
		v.choose(s, l, rules, which)
	}
}

// takes reports whether a rule of the layer may be looked at; where a trail is asked for it notes why not.
func (v *view) takes(s *state, r *rule, which int) bool {
	if !r.reach[which].Has(s.product) {
		return false
	}
	reason := v.blocked[r.ordinal]
	if reason == "" && s.endedBy != nil {
		s.miss(r, PriceEnded, s.endedBy)
		return false
	}
	if reason != "" {
		s.miss(r, reason, nil)
		return false
	}
	return true
}

func (s *state) miss(r *rule, reason Reason, by *rule) {
	if s.trail == nil {
		return
	}
	m := Miss{Rule: r.Code, Layer: r.Layer, Reason: reason}
	if by != nil {
		m.By = by.Code
	}
	s.trail.Missed = append(s.trail.Missed, m)
}

// loser is a rule with what it made of a price that another one's result is.
type loser struct {
	*rule
	result money.Rat
}

// choose is the modes in which one rule wins: first, lowest, highest.
func (v *view) choose(s *state, l *layer, rules []*rule, which int) {
	var won outcome
	var winner *rule
	var losers []loser
	if s.watch != nil {
		losers = s.watch.losers[:0]
	}
	for _, r := range rules {
		if winner != nil && l.Mode == First && s.trail == nil && s.watch == nil && r.Rank > winner.Rank {
			break
		}
		if !v.takes(s, r, which) {
			continue
		}
		o := v.outcome(s, r, s.price)
		if o.reason != "" {
			s.refuse(r, o)
			continue
		}
		better := winner == nil
		if winner != nil {
			c := o.result.Cmp(won.result)
			switch l.Mode {
			case First:
				better = r.Rank == winner.Rank && c < 0
			case Lowest:
				better = c < 0
			case Highest:
				better = c > 0
			}
		}
		lost := loser{r, o.result}
		if better {
			lost = loser{winner, won.result}
			winner, won = r, o
		}
		if lost.rule != nil && (s.trail != nil || s.watch != nil) {
			losers = append(losers, lost)
		}
	}
	if s.watch != nil {
		s.watch.losers = losers
	}
	if winner == nil {
		return
	}
	for _, r := range losers {
		reason := Reason(Outranked)
		switch l.Mode {
		case Lowest:
			reason = NotLowest
		case Highest:
			reason = NotHighest
		}
		if s.watch != nil {
			s.watch.shut = append(s.watch.shut, Shut{r.ordinal, reason, winner.ordinal, r.result})
		}
		if s.trail == nil {
			continue
		}
		s.miss(r.rule, reason, winner)
		would := r.result
		s.trail.Missed[len(s.trail.Missed)-1].Would = &would
	}
	before := s.price
	s.price = some(won.result)
	v.settle(s, l, winner, won, before, s.price)
	v.reachOptions(s, winner, won)
}

// stack is the modes in which every rule applies: each to the result before it, or (adding) each to the price entering
// the layer, their differences summed.
func (v *view) stack(s *state, l *layer, rules []*rule, which int, adding bool) {
	entering := s.price
	var optionsEntering []optionPrice
	if adding {
		optionsEntering = slices.Clone(s.options)
	}
	var ender *rule
	applied := false
	for _, r := range rules {
		if !v.takes(s, r, which) {
			continue
		}
		if ender != nil {
			s.miss(r, LayerEnded, ender)
			v.shutOut(s, r, which, LayerEnded, ender)
			continue
		}
		basis := s.price
		if adding {
			basis = entering
		}
		o := v.outcome(s, r, basis)
		if o.reason != "" {
			s.refuse(r, o)
			continue
		}
		before := s.price
		s.price = some(o.result)
		if adding {
			s.price = some(before.v.Add(o.result.Sub(entering.v)))
		}
		v.settle(s, nil, r, o, before, s.price)
		if adding {
			for i := range s.options {
				if f, reaches := o.optionFactor(r, s.options[i].Part); reaches && s.options[i].price.ok {
					from := optionsEntering[i].price.v
					s.options[i].price.v = s.options[i].price.v.Add(v.step(from.Mul(f)).Sub(from))
				}
			}
		} else {
			v.reachOptions(s, r, o)
		}
		applied = true
		if r.Then != "" {
			ender = r
			if s.trail == nil && s.watch == nil {
				break
			}
		}
	}
	if adding && s.price.ok && s.price.v.Sign() < 0 {
		s.price = some(money.Int(0))
		if s.trail != nil {
			last := &s.trail.Steps[len(s.trail.Steps)-1]
			last.After, last.Shaped = money.Int(0), append(last.Shaped, "zero")
		}
	}
	if applied {
		last := s.applied[len(s.applied)-1]
		if l.EndPrice || last.Then == EndPrice {
			v.endPrice(s, last)
		}
	}
}

// settle notes a rule that applied; l is set where the rule is the only one of its layer.
func (v *view) settle(s *state, l *layer, r *rule, o outcome, before, after optional) {
	s.applied = append(s.applied, r)
	if s.watch != nil {
		s.watch.applied = append(s.watch.applied, Applied{Ordinal: r.ordinal, Rule: r.Rule, Before: before.v,
			Priced: before.ok, After: after.v, Raw: o.raw, Result: o.result, Effect: o.effect.Effect, From: o.from})
	}
	if s.trail != nil {
		st := Step{Rule: r.Code, Layer: r.Layer, Before: before.ptr(), After: after.v, Effect: *o.effect.Effect,
			Shaped: o.shaped, Raw: o.raw}
		if o.from != nil {
			st.From = o.from
		}
		if r.Of != OfEntering {
			st.Basis = o.basis.ptr()
		}
		if l == nil && r.Then != "" {
			st.Ended = "layer"
		}
		s.trail.Steps = append(s.trail.Steps, st)
	}
	if l != nil && (l.EndPrice || r.Then == EndPrice) {
		v.endPrice(s, r)
	}
}

func (v *view) endPrice(s *state, r *rule) {
	s.endedBy = r
	if s.trail != nil {
		s.trail.Steps[len(s.trail.Steps)-1].Ended = "price"
	}
}

func (s *state) refuse(r *rule, o outcome) {
	if s.watch != nil {
		s.watch.shut = append(s.watch.shut, Shut{r.ordinal, o.reason, -1, o.result})
	}
	if s.trail == nil {
		return
	}
	m := Miss{Rule: r.Code, Layer: r.Layer, Reason: o.reason, Counted: o.counted.ptr(), Wanted: o.wanted.ptr()}
	if o.reason == WouldRaise {
		m.Would = &o.result
	}
	s.trail.Missed = append(s.trail.Missed, m)
}
