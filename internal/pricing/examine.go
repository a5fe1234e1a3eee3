package pricing

import (
	"slices"

	"dogbane/internal/money"
)

// Examiner prices products by the letter from one viewpoint, with rules of the asker's choice, and tells what each rule
// that fits did. It belongs to one goroutine.
type Examiner struct {
	v      view
	watch  watch
	layers [][]*rule // room for the active rules
	exams  []Exam
}

// watch collects what the rules that fit one unit did.
type watch struct {
	applied  []Applied
	shut     []Shut
	inverted []Inverted
	losers   []loser // room for those of one layer
}

// Applied is a rule that applied to a unit. Amounts are in the channel's currency on the book's footing, not rounded.
type Applied struct {
	Ordinal int
	Rule    *Rule
	Before  money.Rat // the price before it; Priced says whether there was one
	Priced  bool
	After   money.Rat
	Raw     money.Rat // what the effect alone made of the price entering the rule
	Result  money.Rat // the same with its limits and its ending
	Effect  *Effect
	From    *money.Rat // the break whose effect this is
}

// Lowered reports whether the price was lower after the rule than before.
func (a *Applied) Lowered() bool { return a.Priced && a.After.Less(a.Before) }

// Shut is a rule that takes part and selects a unit, as if its layer and its turn were reached, and did not apply. With
// TooFew it does not fit it.
type Shut struct {
	Ordinal int
	Reason  Reason
	By      int       // the ordinal of the rule that shut it out; -1: none did
	Would   money.Rat // with Outranked, NotLowest and NotHighest: its result
}

// Inverted is a break that makes a higher price of a unit than a lower break of its rule.
type Inverted struct {
	Ordinal       int
	Lower, Higher *money.Rat // from how many on
	By            money.Rat  // the difference
}

// Exam is units of a line that came out alike.
type Exam struct {
	Units    int
	Priced   bool
	Catalog  money.Rat // the price after the catalog layer, on the book's footing; HasCatalog says whether there is one
	Raw      money.Rat // the price after the layers
	Finished money.Rat // on the channel's footing
	Finish   Finish
	Reduced  bool // Raw is below Catalog

	HasCatalog bool
	Applied    []Applied
	Shut       []Shut
	Inverted   []Inverted
}

// Examine resolves a viewpoint; its moment is that of Take. Its errors are QuestionErrors.
func (e *Engine) Examine(vp Viewpoint) (*Examiner, error) {
	v, err := e.resolve(vp)
	if err != nil {
		return nil, err
	}
	v.blocked = make([]Reason, len(v.rules))
	v.workings = &workings{cut: noCut}
	return &Examiner{v: *v, layers: make([][]*rule, len(e.layers))}, nil
}

// Admits reports whether a rule may take part at some moment: whether it is on, and for the viewpoint's channel,
// currency and audience.
func (x *Examiner) Admits(ordinal int) bool {
	r := x.v.rules[ordinal]
	return r != nil && x.v.keepsOut(r.Rule, r.campaign) == ""
}

// Hold has the figures of a moment hold from here on. It is for those who know until when nothing changes about the
// products that they ask for: eras of others are passed over.
func (x *Examiner) Hold(at Moment) {
	if then := x.v.Engine.At(at); then != x.v.Engine {
		x.v.inEra(then)
		x.v.nets, x.v.alone = nil, nil
	}
}

// Take has the rules with these ordinals, and no others, take part at a moment, with the figures that hold. They stand
// in the order in which prices meet them.
func (x *Examiner) Take(ordinals []int, at Moment) {
	x.v.at, x.v.nets, x.v.alone = at, nil, nil
	for i := range x.layers {
		x.layers[i] = x.layers[i][:0]
	}
	for _, o := range ordinals {
		r := x.v.rules[o]
		i := slices.IndexFunc(x.v.layers, func(l layer) bool { return l.Layer == r.Layer })
		x.layers[i] = append(x.layers[i], r)
	}
	x.v.active = x.layers
}

// Sells reports whether the channel lists a product.
func (x *Examiner) Sells(p int32) bool { return x.v.sells(p) }

// Currency is the channel's, with its number of decimals.
func (x *Examiner) Currency() (code string, digits int) { return x.v.currency, x.v.digits }

// Price prices so many units of a product and sums them, finished. onCircle, where given, is told the rules of each
// circle of derived prices that is closed. What it answers holds until it is asked again.
func (x *Examiner) Price(p int32, quantity int, onCircle func(rules []*Rule)) (units []Exam, total money.Rat,
	priced bool) {
	v := &x.v
	v.quantity, v.nets, v.onCircle = quantity, nil, nil
	if onCircle != nil {
		v.onCircle = func(rules []*rule) {
			list := make([]*Rule, len(rules))
			for i, r := range rules {
				list[i] = r.Rule
			}
			onCircle(list)
		}
	}
	x.exams, x.watch = x.exams[:0], watch{x.watch.applied[:0], x.watch.shut[:0], x.watch.inverted[:0], x.watch.losers}
	total, priced = money.Int(0), true
	for _, seg := range v.segments(&state{product: p, quantity: quantity, term: v.term}) {
		a, h, n := len(x.watch.applied), len(x.watch.shut), len(x.watch.inverted)
		s := state{product: p, quantity: quantity, unit: seg.last, term: v.term, watch: &x.watch}
		v.unit(&s)
		exam := Exam{Units: seg.units, Priced: s.price.ok, Catalog: s.catalog.v, HasCatalog: s.catalog.ok, Raw: s.price.v,
			Reduced: s.reduced() == 1, Applied: x.watch.applied[a:], Shut: x.watch.shut[h:], Inverted: x.watch.inverted[n:]}
		if s.price.ok {
			fin := v.finish(&s)
			exam.Finish, exam.Finished = fin.Finish, fin.price
			total = total.Add(fin.price.Mul(money.Int(int64(seg.units))))
		}
		priced = priced && s.price.ok
		x.exams = append(x.exams, exam)
	}
	return x.exams, total, priced
}

// Total is the sum that Price tells, without the rest.
func (x *Examiner) Total(p int32, quantity int) (total money.Rat, priced bool) {
	v := &x.v
	v.quantity, v.nets, v.onCircle = quantity, nil, nil
	total = money.Int(0)
	for _, seg := range v.segments(&state{product: p, quantity: quantity, term: v.term}) {
		s := state{product: p, quantity: quantity, unit: seg.last, term: v.term}
		if v.unit(&s); !s.price.ok {
			return total, false
		}
		total = total.Add(v.finish(&s).price.Mul(money.Int(int64(seg.units))))
	}
	return total, true
}

// From is what one of so many units of a product comes to, finished, if the price after a layer other than catalog is
// this one, and no rule has ended it. u is an exam of the unit.
func (x *Examiner) From(p int32, quantity int, after Layer, price money.Rat, u *Exam) (money.Rat, bool) {
	v := &x.v
	v.quantity, v.nets, v.onCircle = quantity, nil, nil
	s := state{product: p, quantity: quantity, unit: quantity, term: v.term, list: v.listPrice(p), price: some(price),
		catalog: optional{u.Catalog, u.HasCatalog}, past: true}
	v.path = append(v.path, p)
	later := false
	for i := range v.layers {
		if later {
			v.layer(&s, i)
		}
		later = later || v.layers[i].Layer == after
	}
	v.path = v.path[:len(v.path)-1]
	if !s.price.ok {
		return money.Rat{}, false
	}
	return v.finish(&s).price, true
}

// Margin is what is left of a finished price; nil where the cost is unknown.
func (x *Examiner) Margin(p int32, price money.Rat) *Margin { return x.v.margin(p, price) }

// ListPrice is a product's list price, finished without guard.
func (x *Examiner) ListPrice(p int32) (money.Rat, bool) {
	list := x.v.listPrice(p)
	if !list.ok {
		return money.Rat{}, false
	}
	rounded, _ := x.v.round(p, list.v)
	return money.Max(rounded, money.Int(0)), true
}

// CatalogPrice is the price after the catalog layer, finished; the exam's product is p.
func (x *Examiner) CatalogPrice(p int32, e *Exam) (money.Rat, bool) {
	if !e.HasCatalog {
		return money.Rat{}, false
	}
	c := some(e.Catalog)
	return x.v.finish(&state{product: p, price: c, catalog: c}).price, true
}

// Shown is an amount of a product in the book's currency, such as its recommended price, as the channel would show it.
func (x *Examiner) Shown(p int32, amount *money.Rat) (money.Rat, bool) {
	o := x.v.bookAmount(amount)
	if !o.ok {
		return money.Rat{}, false
	}
	return x.v.toChannel(p, o.v).Round(x.v.digits, x.v.settings.Rounding.Mode), true
}

// Least is the lowest price that earns enough; the zero value is that of a product whose cost is unknown.
type Least struct {
	price money.Rat
	known bool
	never bool // no price does
}

// Under reports whether a finished price may be too low. It never says no of one that is.
func (l *Least) Under(price money.Rat) bool { return l.never || l.known && price.Less(l.price) }

// Leasts are the lowest finished prices of a product at which nothing is lost, and at which its guard's margin is kept.
func (x *Examiner) Leasts(p int32) (loss, guard Least) {
	of := func(margin money.Rat) Least {
		limit, never := x.v.limit(p, margin)
		return Least{limit.v, limit.ok, never}
	}
	loss = of(money.Int(0))
	if guard = loss; x.v.guard(p).MinMargin.Sign() != 0 {
		guard = of(x.v.guard(p).MinMargin)
	}
	return loss, guard
}

// ListFor is the list price, in the book's currency and on its footing, of which a margin in percent is left where no
// rule applies; false where the cost is unknown or no price leaves it.
func (x *Examiner) ListFor(p int32, margin money.Rat) (money.Rat, bool) {
	limit, never := x.v.limit(p, margin)
	if !limit.ok || never || x.v.rate.Sign() <= 0 {
		return money.Rat{}, false
	}
	price := limit.v.Div(x.v.toChannel(p, money.Int(1)))
	return price.Div(x.v.rate), true
}

// PricesAs reports whether both examine from channels in which the same rules make the same finished prices.
func (x *Examiner) PricesAs(y *Examiner) bool {
	a, b := &x.v, &y.v
	ending := func(v *view) *Ending {
		if v.channel == nil {
			return nil
		}
		return v.channel.Ending
	}
	e, f := ending(a), ending(b)
	if a.keepsNet != b.keepsNet || a.keepsNet && a.channel.Country != b.channel.Country || !a.bookTax && a.showTax &&
		!slices.EqualFunc(a.here, b.here, money.Rat.Equal) {
		return false
	}
	if a.currency != b.currency || a.showTax != b.showTax || (e == nil) != (f == nil) ||
		e != nil && !e.Same(f) {
		return false
	}
	// What a guard or a floor lifts a price to depends on the channel's fee, and on its country's tax.
	holds := a.settings.Guard.Hold || slices.ContainsFunc(a.settings.Guards, func(g Guard) bool { return g.Hold }) ||
		slices.ContainsFunc(a.rules, func(r *rule) bool { return r != nil && r.Floor != nil && r.Floor.WithFee })
	fee := func(v *view) (percent, amount money.Rat) {
		if v.channel == nil {
			return money.Int(0), money.Int(0)
		}
		return v.channel.FeePercent, v.channel.FeeAmount
	}
	ap, aa := fee(a)
	bp, ba := fee(b)
	return !holds || ap.Equal(bp) && aa.Equal(ba) && slices.EqualFunc(a.here, b.here, money.Rat.Equal)
}

// MinMargin is what the guard of a product wants, in percent.
func (x *Examiner) MinMargin(p int32) money.Rat { return x.v.guard(p).MinMargin }

// shutOut notes a rule that a rule before it keeps from its turn.
func (v *view) shutOut(s *state, r *rule, which int, reason Reason, by *rule) {
	if s.watch == nil || !r.reach[which].Has(s.product) {
		return
	}
	h := Shut{Ordinal: r.ordinal, Reason: reason, By: by.ordinal}
	if o, _ := v.reached(s, r); o.reason != "" {
		h.Reason, h.By = o.reason, -1
	}
	s.watch.shut = append(s.watch.shut, h)
}

// compareBreaks notes breaks of a rule up to the one reached that make more of the price entering than a lower one.
func (v *view) compareBreaks(s *state, r *rule, reached int, entering optional) {
	var room [16]optional
	results := append(room[:0], make([]optional, reached+1)...)
	for i := range results {
		o := v.result(s, r, outcome{effect: r.breaks[i].effect, from: &r.breaks[i].from}, entering)
		results[i] = optional{o.result, o.reason == "" || o.reason == WouldRaise}
	}
	for hi := 1; hi <= reached; hi++ {
		for lo := range hi {
			if results[hi].ok && results[lo].ok && results[lo].v.Less(results[hi].v) {
				s.watch.inverted = append(s.watch.inverted, Inverted{r.ordinal, &r.breaks[lo].from, &r.breaks[hi].from,
					results[hi].v.Sub(results[lo].v)})
			}
		}
	}
}

// Reaches are the products that the rule of an ordinal can select with the figures of the engine's era: while their
// prices are reduced, or while they are not. nil where there is no such rule.
func (e *Engine) Reaches(ordinal int) Set {
	r := e.rules[ordinal]
	if r == nil {
		return nil
	}
	if !r.usesReduced {
		return r.reach[0]
	}
	return r.reach[0].Or(r.reach[1])
}

// MayReach are the products that the rule of an ordinal can select in some era; more than those where it looks at
// figures. nil where there is no such rule.
func (e *Engine) MayReach(ordinal int) Set {
	r := e.rules[ordinal]
	if r == nil {
		return nil
	}
	if len(e.begins) == 0 || !e.index.figured(&r.Where) {
		return e.Reaches(ordinal)
	}
	return e.ever(r)
}

// In is the examiner with the figures of a moment; rules are taken anew.
func (x *Examiner) In(at Moment) *Examiner {
	then := x.v.Engine.At(at)
	if then == x.v.Engine {
		return x
	}
	o := &Examiner{v: x.v, layers: make([][]*rule, len(x.layers))}
	o.v.workings, o.v.nets, o.v.alone = &workings{cut: noCut}, nil, nil
	o.v.inEra(then)
	return o
}

// Reaches reports whether the rule of an ordinal can select a product with the figures that hold.
func (x *Examiner) Reaches(ordinal int, p int32) bool {
	r := x.v.rules[ordinal]
	return r.reach[0].Has(p) || r.reach[1].Has(p)
}

// Product is one by its number, with the figures that hold.
func (x *Examiner) Product(p int32) *Product { return x.v.products[p] }

// Rule is that of an ordinal.
func (e *Engine) Rule(ordinal int) *Rule { return e.rules[ordinal].Rule }

// Breaks are those of a rule, its ladder's where it has one, with what they are counted by.
func (e *Engine) Breaks(ordinal int) ([]Break, Counting) {
	r := e.rules[ordinal]
	if l := e.ladders[r.Ladder]; l != nil {
		return l.Breaks, l.Counting
	}
	return r.Breaks, r.counting
}

// Campaign is the campaign of a rule; nil: none.
func (e *Engine) Campaign(ordinal int) *Campaign { return e.rules[ordinal].campaign }

// PriceRules are the ordinals of the price rules, in the order in which prices meet them.
func (e *Engine) PriceRules() (ordinals []int) {
	for i := range e.layers {
		for _, r := range e.layers[i].rules {
			ordinals = append(ordinals, r.ordinal)
		}
	}
	return ordinals
}
