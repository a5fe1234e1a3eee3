package basket

import (
	"slices"
	"sync"

	"dogbane/internal/money"
	"dogbane/internal/pricing"
)

// offer is an offer made ready.
type offer struct {
	*pricing.Rule
	ordinal             int
	where, spend, after pricing.Set
	needs               []need
	gives               []give
	cheapest            func() []int32 // of the goods that count for the spend
}

type need struct {
	*pricing.Need
	where    pricing.Set
	rewarded int // the first give to it, or to all needs; -1: none
	cheapest func() []int32
}

type give struct {
	*pricing.Give
	where    pricing.Set // nil: not to goods outside the needs
	need     int         // -1: not to one need
	units    int         // per application; pricing.AllUnits: all
	cheapest func() []int32
}

func (g *give) toUnits() bool { return g.need >= 0 || g.where != nil }

func compileOffer(prices *pricing.Engine, ordinal int, r *pricing.Rule, selected pricing.Set) *offer {
	o := &offer{Rule: r, ordinal: ordinal, where: selected}
	f := r.Offer
	within := func(s pricing.Set) func() []int32 { // looked up once, and only where a basket has none of them
		return sync.OnceValue(func() []int32 { return cheapest(prices, selected.And(s)) })
	}
	if f.Spend != nil {
		o.spend = prices.Match(&f.Spend.Where)
		o.cheapest = within(o.spend)
	}
	if f.After != nil {
		o.after = prices.Match(&f.After.Where)
	}
	for i := range f.Needs {
		where := prices.Match(&f.Needs[i].Where)
		o.needs = append(o.needs, need{&f.Needs[i], where, -1, within(where)})
	}
	for i := range f.Gives {
		g := give{Give: &f.Gives[i], need: -1, units: max(f.Gives[i].Units, 1)}
		if f.Gives[i].Units == pricing.AllUnits {
			g.units = pricing.AllUnits
		}
		if g.Where != nil {
			g.where = prices.Match(g.Where)
			g.cheapest = within(g.where)
		}
		for n := range o.needs {
			to := g.To == o.needs[n].ID && g.Where == nil
			if to {
				g.need = n
				if g.Units == 0 {
					g.units = o.needs[n].Quantity
				}
			}
			if (to || g.To == "needs" && g.Where == nil) && o.needs[n].rewarded < 0 {
				o.needs[n].rewarded = i
			}
		}
		o.gives = append(o.gives, g)
	}
	return o
}

// pick is the order in which a give takes units.
func (g *give) pick() string {
	switch {
	case g.Pick != "":
		return g.Pick
	case g.ForTotal != nil:
		return "dearest"
	}
	return "cheapest"
}

// unit is one unit in the basket that has a price.
type unit struct {
	line int
	p    int32
	*pricing.Run
}

// till is one question on its way.
type till struct {
	*Engine
	scope  *pricing.Scope
	q      *Question
	digits int
	units  []unit // in the order of the basket
	plan   plan   // of the offer that is tried
	// scratch is where the units of one offer after the other are put together.
	scratch []int
}

func (t *till) take(line int, l *pricing.PricedLine) {
	for r := range l.Runs {
		for range l.Runs[r].Units {
			t.units = append(t.units, unit{line, l.Product, &l.Runs[r]})
		}
	}
}

// standing is what the offers tried so far have left.
type standing struct {
	by       []int // by unit, 1 + the position of the offer that used it; 0: nobody
	shipping money.Rat
}

// bars is the first reason, whatever other offers do, that keeps an offer from applying; its reason is "" where there
// is none. eligible are the units that the offer may use, as far as it came to that.
func (t *till) bars(o *offer) (m Miss, eligible []int) {
	m.Rule = o.Code
	f := o.Offer
	if m.Reason = t.scope.Barred(o.ordinal, grace(f)); m.Reason != "" {
		return m, nil
	}
	eligible = t.eligible(o)
	for i := range o.needs {
		n := &o.needs[i]
		matching := 0
		for _, u := range eligible {
			if n.where.Has(t.units[u].p) {
				matching++
			}
		}
		if matching < n.Quantity {
			m.Reason, m.Counted, m.Wanted = NoNeeds, new(money.Int(int64(matching))), new(money.Int(int64(n.Quantity)))
			return m, eligible
		}
	}
	if f.Spend != nil {
		if full, known := t.fullAmounts(o, eligible); !known || full < 1 {
			m.Reason = NoSpend
			if amount, known := t.scope.Amount(o.Rule, f.Spend.Amount); known {
				m.Counted, m.Wanted = new(t.spent(o, eligible)), &amount
			}
			return m, eligible
		}
	}
	switch {
	case f.After != nil && !t.bought(o):
		m.Reason = NoPurchase
	case f.Codes != nil && !t.presented(o):
		if m.Reason = NoCode; t.names(o) {
			m.Reason = UsedUp
		}
	case t.left(o) < 1:
		m.Reason = UsedUp
	}
	return m, eligible
}

func grace(f *pricing.Offer) pricing.Moment {
	if f.Codes == nil || f.Codes.GraceDays == nil {
		return 0
	}
	return pricing.Moment(*f.Codes.GraceDays) * pricing.Day
}

// eligible are the units that the offer may use, whoever used them before; they are good until it is asked again.
func (t *till) eligible(o *offer) []int {
	units := t.scratch[:0]
	for i := range t.units {
		u := &t.units[i]
		if o.where.Has(u.p) && !u.Ended && !(o.Offer.SkipReduced && u.Reduced) {
			units = append(units, i)
		}
	}
	t.scratch = units
	return units
}

// fullAmounts is how often the amount to be spent is spent on the units; false where it has no rate.
func (t *till) fullAmounts(o *offer, units []int) (int, bool) {
	amount, known := t.scope.Amount(o.Rule, o.Offer.Spend.Amount)
	if !known {
		return 0, false
	}
	if amount.Sign() == 0 {
		return MaxUnits, true
	}
	full, fits := t.spent(o, units).Div(amount).Minor(0, money.Down)
	if !fits || full > MaxUnits {
		full = MaxUnits
	}
	return int(full), true
}

// spent is what those of the units cost that count for the spend.
func (t *till) spent(o *offer, units []int) money.Rat {
	sum := money.Int(0)
	for _, u := range units {
		if o.spend.Has(t.units[u].p) {
			sum = sum.Add(t.units[u].Price)
		}
	}
	return sum
}

// bought reports whether the customer bought what the offer follows.
func (t *till) bought(o *offer) bool {
	since := t.q.At - t.q.At%pricing.Day - pricing.Moment(o.Offer.After.Days)*pricing.Day
	return slices.ContainsFunc(t.q.History, func(h pricing.Purchase) bool {
		p, exists := t.prices.ProductNumber(h.SKU)
		return exists && h.Quantity > 0 && since <= h.At && h.At < t.q.At && o.after.Has(p)
	})
}

// names reports whether a word of the offer was presented, used up or not.
func (t *till) names(o *offer) bool {
	return slices.ContainsFunc(t.q.Codes, func(word string) bool { return t.has(o, word) })
}

// has reports whether a word is one of the offer's, in the book or kept beside it.
func (t *till) has(o *offer, word string) bool {
	c := o.Offer.Codes
	return slices.Contains(c.Words, word) || c.Listed && slices.Contains(t.q.Listed[word], o.Code)
}

// presented reports whether a word of the offer was presented that may still be used.
func (t *till) presented(o *offer) bool {
	return slices.ContainsFunc(t.q.Codes, func(word string) bool { return t.opens(o, word) })
}

func (t *till) opens(o *offer, word string) bool {
	c := o.Offer.Codes
	if !t.has(o, word) {
		return false
	}
	used := t.q.Used[o.Code].Codes[word]
	return (c.Uses == nil || used.Total < *c.Uses) && (c.UsesPerCustomer == nil ||
		t.q.byCustomer(used) < *c.UsesPerCustomer)
}

func (q *Question) byCustomer(u Uses) int {
	if q.Customer == "" {
		return 0
	}
	return u.Customer
}

// left is how many applications stock and customer leave.
func (t *till) left(o *offer) int {
	left, used := MaxUnits, t.q.Used[o.Code]
	if o.Offer.Repeat > 0 {
		left = min(left, o.Offer.Repeat)
	}
	if o.Offer.Stock != nil {
		left = min(left, *o.Offer.Stock-used.Total)
	}
	if o.Offer.PerCustomer != nil {
		left = min(left, *o.Offer.PerCustomer-t.q.byCustomer(used.Uses))
	}
	return left
}

// idle names the presented words that are accepted and change nothing: no offer that one of them opens applied.
func (t *till) idle(a *Answer, applied []done) {
	for _, word := range slices.Compact(slices.Clone(t.q.Codes)) {
		opens := func(o *offer) bool {
			return o.Offer.Codes != nil && t.opens(o, word) && t.scope.Barred(o.ordinal, grace(o.Offer)) == ""
		}
		if slices.ContainsFunc(applied, func(d done) bool { return opens(d.offer) }) {
			continue
		}
		for _, m := range a.Missed { // the first, by rank
			if i := slices.IndexFunc(t.offers, func(o *offer) bool { return o.Code == m.Rule }); opens(t.offers[i]) {
				a.Idle = append(a.Idle, Idle{word, m})
				break
			}
		}
	}
}

// checkCodes names the presented words that open nothing.
func (t *till) checkCodes(a *Answer) {
	for i, word := range t.q.Codes {
		opens := slices.ContainsFunc(t.offers, func(o *offer) bool {
			return o.Offer.Codes != nil && t.opens(o, word) && t.scope.Barred(o.ordinal, grace(o.Offer)) == ""
		})
		if !opens {
			a.Problems = append(a.Problems, Problem{path("codes", i), "the code \"" + word + "\" opens nothing here"})
		}
	}
}
