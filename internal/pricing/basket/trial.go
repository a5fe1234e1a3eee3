package basket

import (
	"cmp"
	"slices"

	"dogbane/internal/money"
	"dogbane/internal/pricing"
)

// Trial is an offer or an order at work on real goods, one step after the other.
type Trial struct {
	Currency string
	Digits   int
	Reach    int // products that can take part
	Steps    []TrialStep
	// Thinnest is, of the smallest sets that make the offer apply and were tried, the one with the lowest margin; nil
	// where no cost is known or it never applies.
	Thinnest *Thinnest
}

// TrialStep is the basket after some more units were put in.
type TrialStep struct {
	Added        Added
	Units        int       // in the basket now
	Apart        money.Rat // what the goods cost before offers
	Off          money.Rat // by this offer
	Others       money.Rat // by other offers
	Total        money.Rat
	Applications int
	TakenBy      string // the offer that took the units where this one did not apply for that
	Problem      string // of an order: why so many cannot be ordered
}

// trialSteps bounds a trial.
const trialSteps = 12

// Try shows a rule of the book, an offer or an order, at work for a viewpoint at which it is open.
func (e *Engine) Try(code string, vp pricing.Viewpoint) (*Trial, error) {
	e = e.in(vp.At)
	scope, err := e.prices.Scope(vp)
	if err != nil {
		return nil, err
	}
	tr := e.trialAt(vp, scope)
	t := tr.Trial
	if at := slices.IndexFunc(e.offers, func(o *offer) bool { return o.Code == code }); at >= 0 {
		return t, tr.offer(e.offers[at])
	}
	if at := slices.IndexFunc(e.orders, func(o *order) bool { return o.Code == code }); at >= 0 {
		return t, tr.order(e.orders[at])
	}
	return t, nil
}

type trial struct {
	*Engine
	*Trial
	scope *pricing.Scope
	q     Question
	known map[int32]*pricing.Answer
}

func (e *Engine) trialAt(vp pricing.Viewpoint, scope *pricing.Scope) *trial {
	out := &Trial{Steps: []TrialStep{}}
	out.Currency, out.Digits = scope.Currency()
	return &trial{Engine: e, Trial: out, scope: scope, q: Question{Viewpoint: vp}, known: map[int32]*pricing.Answer{}}
}

// price is what a product costs alone; nil where it has no price.
func (t *trial) price(p int32) *pricing.Answer {
	if a, done := t.known[p]; done {
		return a
	}
	a, err := t.prices.Price(pricing.Question{Viewpoint: t.q.alone(), SKU: t.prices.Products()[p].SKU})
	if err != nil || a.Unit == nil || a.Unit.Sign() <= 0 {
		a = nil
	}
	t.known[p] = a
	return a
}

// wellSold are products of a set that have a price, those first of which most were sold; none of without unless there
// is no other.
func (t *trial) wellSold(of pricing.Set, most int, without ...int32) (list []int32) {
	var all []int32
	products := t.prices.Products()
	of.Each(func(p int32) bool {
		if t.scope.Sells(p) {
			all = append(all, p)
		}
		return true
	})
	sold := func(p int32) money.Rat {
		if s := products[p].Sold; s != nil {
			return *s
		}
		return money.Int(0)
	}
	slices.SortStableFunc(all, func(a, b int32) int {
		used := func(p int32) int {
			if slices.Contains(without, p) {
				return 1
			}
			return 0
		}
		return cmp.Or(used(a)-used(b), sold(b).Cmp(sold(a)))
	})
	for _, p := range all[:min(len(all), thinnestLookups)] {
		if a := t.price(p); a != nil {
			if list = append(list, p); len(list) == most {
				break
			}
		}
	}
	return list
}

// kinds are two products of a set, of different prices where there are such, best sold first.
func (t *trial) kinds(of pricing.Set, without ...int32) []int32 {
	list := t.wellSold(of, 20, without...)
	for i, p := range list {
		if i > 0 && !t.price(p).Unit.Equal(*t.price(list[0]).Unit) {
			return []int32{list[0], p}
		}
	}
	return list[:min(len(list), 1)]
}

// part is units of some kinds of goods that go into the basket in turn.
type part struct {
	kinds []int32
	units int
}

// one is what has to be in the basket for an offer to apply once.
func (t *trial) one(o *offer) (parts []part, ok bool) {
	var used []int32
	add := func(of pricing.Set, units int, alike bool) bool {
		kinds := t.kinds(of, used...)
		if alike && len(kinds) > 1 {
			kinds = kinds[:1]
		}
		if len(kinds) == 0 {
			return false
		}
		used = append(used, kinds...)
		parts = append(parts, part{kinds, units})
		return true
	}
	for i := range o.needs {
		n := &o.needs[i]
		if !add(o.where.And(n.where), n.Quantity, n.Same != "" || n.Quantity == 1) {
			return nil, false
		}
	}
	for i := range o.gives {
		if g := &o.gives[i]; g.where != nil && !add(o.where.And(g.where), max(g.units, 1), true) {
			return nil, false
		}
	}
	if o.Offer.Spend != nil {
		kinds := t.kinds(o.where.And(o.spend), used...)
		amount, known := t.scope.Amount(o.Rule, o.Offer.Spend.Amount)
		if !known || len(kinds) == 0 {
			return nil, false
		}
		units, fits := amount.Div(*t.price(kinds[0]).Unit).Minor(0, money.Up)
		if !fits || units > 500 {
			return nil, false
		}
		parts = append(parts, part{kinds[:1], max(int(units), 1)})
	}
	if parts == nil {
		if !add(o.where, 1, true) {
			return nil, false
		}
	}
	return parts, true
}

func (t *trial) offer(o *offer) error {
	t.Trial.Reach = o.taking().Count()
	t.open(o)
	once, ok := t.one(o)
	if !ok {
		return nil
	}
	if slices.ContainsFunc(o.gives, func(g give) bool { return g.To == "shipping" && g.where == nil }) {
		shipping := money.MustParse("6.95")
		t.q.Shipping = &shipping
	}
	for len(t.Steps) < trialSteps {
		for _, p := range once {
			for _, add := range p.steps() {
				if err := t.step(o.Code, t.prices.Products()[add.kind].SKU, add.units); err != nil {
					return err
				}
			}
		}
		if o.settledOnce() {
			break
		}
	}
	t.Steps = t.Steps[:min(len(t.Steps), trialSteps)]
	return t.thinnest(o)
}

// settledOnce reports whether more goods do not make the offer apply again.
func (o *offer) settledOnce() bool {
	return o.Offer.Repeat == 1 || len(o.needs) == 0 && (o.Offer.Spend == nil || !o.Offer.Spend.Every) ||
		slices.ContainsFunc(o.gives, func(g give) bool { return g.where == nil && (g.To == "basket" || g.To == "shipping") })
}

type kindUnits struct {
	kind  int32
	units int
}

// steps are a part's units one by one or, of many, all but the last and the last.
func (p *part) steps() (list []kindUnits) {
	if p.units > 6 {
		list = append(list, kindUnits{p.kinds[0], p.units - 1})
		return append(list, kindUnits{p.kinds[0], 1})
	}
	for k := range p.units {
		list = append(list, kindUnits{p.kinds[k%len(p.kinds)], 1})
	}
	return list
}

// Reach is how many products can take part in an offer or an order of the book; false where there is none of that code.
func (e *Engine) Reach(code string) (int, bool) {
	for _, o := range e.offers {
		if o.Code == code {
			return o.taking().Count(), true
		}
	}
	for _, o := range e.orders {
		if o.Code == code {
			return o.where.Count(), true
		}
	}
	return 0, false
}

// taking are the products that can take part in an offer.
func (o *offer) taking() pricing.Set {
	var all pricing.Set
	join := func(s pricing.Set) {
		if all == nil {
			all = o.where.And(s)
		} else {
			all = all.Or(o.where.And(s))
		}
	}
	for i := range o.needs {
		join(o.needs[i].where)
	}
	for i := range o.gives {
		if g := &o.gives[i]; g.where != nil {
			join(g.where)
		} else if g.To == "basket" {
			join(o.where)
		}
	}
	if o.spend != nil {
		join(o.spend)
	}
	if all == nil {
		return o.where
	}
	return all
}

// open meets what an offer wants besides goods.
func (t *trial) open(o *offer) {
	if c := o.Offer.Codes; c != nil {
		if len(c.Words) > 0 {
			t.q.Codes = c.Words[:1]
		} else {
			t.q.Codes, t.q.Listed = []string{"ON-TRIAL"}, map[string][]string{"ON-TRIAL": {o.Code}}
		}
	}
	if o.after != nil {
		o.after.Each(func(p int32) bool {
			t.q.History = append(slices.Clone(t.q.History), pricing.Purchase{SKU: t.prices.Products()[p].SKU, Quantity: 1,
				At: t.q.At - pricing.Day})
			return false
		})
	}
}

// step puts units into the basket and prices it.
func (t *trial) step(rule, sku string, units int) error {
	at := slices.IndexFunc(t.q.Lines, func(l pricing.Line) bool { return l.SKU == sku })
	if at < 0 {
		at = len(t.q.Lines)
		t.q.Lines = append(t.q.Lines, pricing.Line{SKU: sku})
	}
	t.q.Lines[at].Quantity += units
	q := t.q
	a, err := t.Price(q)
	if err != nil {
		return err
	}
	s := TrialStep{Added: Added{sku, units}, Apart: a.Subtotal, Off: money.Int(0), Others: a.Off, Total: a.Total}
	for i := range t.q.Lines {
		s.Units += t.q.Lines[i].Quantity
	}
	for i := range a.Offers {
		if o := &a.Offers[i]; o.Rule == rule {
			s.Off, s.Others, s.Applications = o.Off, a.Off.Sub(o.Off), o.Applications
		}
	}
	if s.Applications == 0 && len(a.Offers) > 0 {
		q.Explain = true
		if a, err = t.Price(q); err != nil {
			return err
		}
		for _, m := range a.Missed {
			if m.Rule == rule && m.Reason == UnitsTaken {
				s.TakenBy = m.By
			}
		}
	}
	t.Steps = append(t.Steps, s)
	return nil
}

// order tries the quantities at which an order rule decides.
func (t *trial) order(o *order) error {
	t.Trial.Reach = o.where.Count()
	kinds := t.wellSold(o.where, 1)
	if len(kinds) == 0 {
		return nil
	}
	sku := t.prices.Products()[kinds[0]].SKU
	tries := []int{1, o.Order.Min - 1, o.Order.Min, o.Order.Multiple, 2 * o.Order.Multiple, o.Order.Max, o.Order.Max + 1,
		o.Order.PerCustomer, o.Order.PerCustomer + 1}
	slices.Sort(tries)
	for _, n := range slices.Compact(tries) {
		if n < 1 || n > MaxUnits || n == 1 && o.Order.Max+o.Order.PerCustomer == 0 && o.Order.Min+o.Order.Multiple == 0 {
			continue
		}
		q := t.q
		q.Lines = []pricing.Line{{SKU: sku, Quantity: n}}
		a, err := t.Price(q)
		if err != nil {
			return err
		}
		s := TrialStep{Added: Added{sku, n}, Units: n, Apart: a.Subtotal, Off: money.Int(0), Others: a.Off, Total: a.Total}
		if len(a.Problems) > 0 {
			s.Problem = a.Problems[0].Problem
		}
		t.Steps = append(t.Steps, s)
	}
	return nil
}

// merged is a set with more units of a product.
func merged(set []Added, x Added) []Added {
	next := slices.Clone(set)
	if at := slices.IndexFunc(next, func(y Added) bool { return y.SKU == x.SKU }); at >= 0 {
		next[at].Quantity += x.Quantity
		return next
	}
	return append(next, x)
}
