package flags

import (
	"slices"

	"dogbane/internal/money"
	"dogbane/internal/pricing"
	"dogbane/internal/pricing/basket"
)

// offers are the flags of offers. What an offer does to goods is tried on the smallest sets that fill it, bought alone
// with it, at one question of each class that the rules reaching its goods, and its own audience and windows, tell
// apart. Of many goods those are tried that cost and that leave most and least: each flag is true, and where there are
// few kinds of goods none is missed.
func (s *Search) offers() (list []Flag, err error) {
	a := s.asked
	baskets := basket.Compile(a.engine)
	s.mu.Lock()
	defer s.mu.Unlock()
	words := map[string][]int{}
	for ordinal := range ordered(a.rules) {
		r := a.rules[ordinal]
		if r.Offer == nil || !a.live[ordinal] {
			continue
		}
		if r.Offer.After != nil && (r.Show == nil || r.Show.Message == "") {
			list = append(list, a.ofRule(Unannounced, r))
		}
		if a.overStock(r) {
			list = append(list, a.ofRule(OfferOverStock, r))
		}
		if open := a.open[ordinal]; len(a.moments) == 0 || open != nil && open.empty() {
			continue
		}
		if r.Offer.Codes != nil {
			for _, word := range r.Offer.Codes.Words {
				words[word] = append(words[word], ordinal)
			}
		}
		found, known := s.ofOffers[r.Code]
		if !known {
			if found, err = s.offer(ordinal, r, baskets); err != nil {
				return nil, err
			}
			s.ofOffers[r.Code] = found
		}
		list = append(list, found...)
	}
	return append(list, a.codesTwice(words)...), nil
}

// codesTwice are pairs of offers that take the same word at the same moment.
func (a *asked) codesTwice(words map[string][]int) (list []Flag) {
	told := map[[2]int]bool{}
	var sorted []string
	for word := range words {
		sorted = append(sorted, word)
	}
	slices.Sort(sorted)
	for _, word := range sorted {
		of := words[word]
		for i, x := range of {
			for _, y := range of[i+1:] {
				at := slices.IndexFunc(indexes(len(a.moments)), func(m int) bool { return a.isOpen(x, m) && a.isOpen(y, m) })
				if x == y || at < 0 || told[[2]int{x, y}] {
					continue
				}
				told[[2]int{x, y}] = true
				f := a.ofRule(CodeTwice, a.rules[x])
				f.Rule, f.Rules, f.Words = "", []string{a.rules[x].Code, a.rules[y].Code}, word
				slices.Sort(f.Rules)
				f.Witness.At = a.moments[at]
				list = append(list, f)
			}
		}
	}
	return list
}

func indexes(n int) []int {
	list := make([]int, n)
	for i := range list {
		list[i] = i
	}
	return list
}

func (a *asked) isOpen(ordinal, moment int) bool {
	return a.open[ordinal] == nil || a.open[ordinal].has(moment)
}

// overStock reports whether an offer may be had more often than the goods that fill its needs last.
func (a *asked) overStock(r *pricing.Rule) bool {
	if r.Offer.Stock == nil {
		return false
	}
	return slices.ContainsFunc(a.eras(), func(at pricing.Moment) bool {
		lasts, known := Lasts(a.engine.At(at), r)
		return known && lasts.Less(money.Int(int64(*r.Offer.Stock)))
	})
}

// Lasts is how often the stock of the goods that may fill an offer's needs can; false where nothing of it is short.
func Lasts(e *pricing.Engine, r *pricing.Rule) (lasts money.Rat, known bool) {
	products := e.Products()
	where := e.Match(&r.Where)
	for i := range r.Offer.Needs {
		n := &r.Offer.Needs[i]
		sum, short := money.Int(0), true
		where.And(e.Match(&n.Where)).Each(func(p int32) bool {
			if products[p].Stock == nil {
				short = false
				return false
			}
			sum = sum.Add(*products[p].Stock)
			return true
		})
		if of := sum.Div(money.Int(int64(n.Quantity))).Round(0, money.Down); short && (!known || of.Less(lasts)) {
			lasts, known = of, true
		}
	}
	return lasts, known
}

// lacks reports whether the rule of an ordinal needs what a channel cannot do.
func (a *asked) lacks(c *pricing.Channel, ordinal int) bool {
	can := func(what string) bool { return c.Can == nil || slices.Contains(c.Can, what) }
	r := a.rules[ordinal]
	breaks, counting := a.engine.Breaks(ordinal)
	if len(breaks) > 0 && (!can("breaks") || counting.Method == pricing.Graduated && !can("brackets")) ||
		r.Offer != nil && (!can("offers") || r.Offer.Codes != nil && !can("codes")) {
		return true
	}
	narrow := func(au *pricing.Audience) bool {
		return au != nil && (au.Groups != nil || au.Customers != nil) &&
			(c.Group == "" || !slices.Contains(au.Groups, c.Group))
	}
	campaign := a.engine.Campaign(ordinal)
	return !can("groups") && (narrow(r.Audience) || campaign != nil && narrow(campaign.Audience))
}

// goodsOf are the goods that fill an offer's needs and those that it rewards.
func (a *asked) goodsOf(r *pricing.Rule) pricing.Set {
	where := a.matches(&r.Where)
	goods := a.engine.Match(&pricing.Where{Field: pricing.FieldAny})
	for i := range r.Offer.Needs {
		goods = goods.Or(where.And(a.matches(&r.Offer.Needs[i].Where)))
	}
	for i := range r.Offer.Gives {
		if w := r.Offer.Gives[i].Where; w != nil {
			goods = goods.Or(where.And(a.matches(w)))
		}
	}
	return goods
}

// offerReaches reports whether what an offer comes to may rest on some of these products.
func (a *asked) offerReaches(r *pricing.Rule, products pricing.Set) bool {
	return r.Offer == nil || r.Offer.After != nil || a.goodsOf(r).And(products).Count() > 0
}

// offer looks at one offer that is open at some moment.
func (s *Search) offer(ordinal int, r *pricing.Rule, baskets *basket.Engine) (list []Flag, err error) {
	a := s.asked
	goods := a.goodsOf(r)
	k := &kin{begins: a.beginsOf(slices.Collect(goods.Each)...)}
	toAll := func(g pricing.Give) bool { return g.To == "basket" }
	whole := r.Offer.Spend != nil || slices.ContainsFunc(r.Offer.Gives, toAll)
	for _, o := range a.order {
		if a.engine.MayReach(o).And(goods).Count() > 0 {
			k.rules = append(k.rules, o)
		}
	}
	k.rules = append(k.rules, ordinal)
	own := len(k.rules) - 1
	worst := map[Kind]*Flag{}
	for c, code := range a.channels {
		x := s.examiners[c]
		channel := a.channelOf(c)
		d := a.divide(k, []int{c}, a.admitting())
		lists := func(at pricing.Moment) (some bool) {
			there := x.In(at)
			a.engine.At(at).Match(&r.Where).Each(func(p int32) bool { some = there.Sells(p); return !some })
			return some
		}
		for i := range d.classes {
			class := &d.classes[i]
			if len(class.seen) == 0 || !class.active.has(own) {
				continue
			}
			vp := a.viewpoint(class.seen[0].who)
			vp.At, vp.Channel, vp.With = class.seen[0].at, code, a.With
			if channel != nil && a.lacks(channel, ordinal) &&
				!slices.ContainsFunc(list, func(f Flag) bool { return f.Channel == code }) && lists(vp.At) {
				f := a.ofRule(ChannelCannot, r)
				f.Channel, f.Witness.Viewpoint = code, vp
				list = append(list, f)
			}
			if whole || goods.Count() == 0 {
				continue
			}
			alone, err := baskets.Alone(r.Code, vp)
			if err != nil || alone == nil {
				return nil, err
			}
			if err := a.sets(alone, r, worst); err != nil {
				return nil, err
			}
		}
	}
	for _, kind := range []Kind{OfferBelowCost, BundleDearer} {
		if f := worst[kind]; f != nil {
			list = append(list, *f)
		}
	}
	return list, nil
}

// sets tries an offer on the smallest sets that fill it.
func (a *asked) sets(alone *basket.Alone, r *pricing.Rule, worst map[Kind]*Flag) error {
	keep := func(kind Kind, q basket.Question, x *basket.Answer, by money.Rat) {
		f := a.ofRule(kind, r)
		f.Witness.Viewpoint, f.Basket = q.Viewpoint, &q
		f.Currency, f.Digits, f.Price, f.Other = x.Currency, x.Digits, &x.Total, &by
		if x.Margin != nil {
			f.Cost, f.Margin = &x.Margin.Cost, &x.Margin.Amount
		}
		old := worst[kind]
		if old == nil || old.Other.Less(by) || old.Other.Equal(by) && f.Witness.At < old.Witness.At {
			worst[kind] = &f
		}
	}
	sets, _ := alone.Sets(true)
	for _, set := range sets {
		x, q, err := alone.Buy(set)
		if err != nil {
			return err
		}
		if len(x.Offers) > 0 && x.Margin != nil && x.Margin.Amount.Sign() < 0 {
			keep(OfferBelowCost, q, x, nothing.Sub(x.Margin.Amount))
		}
	}
	forTotal := slices.ContainsFunc(r.Offer.Gives, func(g pricing.Give) bool { return g.ForTotal != nil })
	if !forTotal {
		return nil
	}
	sets, complete := alone.Sets(false)
	if len(sets) == 0 {
		return nil
	}
	var dearest *basket.Answer
	var asked basket.Question
	for _, set := range sets {
		x, q, err := alone.Buy(set)
		if err != nil {
			return err
		}
		if len(x.Offers) > 0 {
			return nil // it costs more without the offer
		}
		if dearest == nil || dearest.Subtotal.Less(x.Subtotal) {
			dearest, asked = x, q
		}
	}
	if !complete {
		most, known := alone.MostApart()
		price := money.Int(0)
		for _, g := range r.Offer.Gives {
			if amount, rated := alone.Amount(*g.ForTotal); rated {
				price = amount
			}
		}
		if !known || price.Less(most) {
			return nil
		}
	}
	keep(BundleDearer, asked, dearest, nothing)
	return nil
}
