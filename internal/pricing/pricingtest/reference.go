// Package pricingtest holds what tests hold the engine against: a second, slow reading of docs/book.md and a generator
// of random books and questions. Nothing but tests imports it.
package pricingtest

import (
	"cmp"
	"math/big"
	"slices"
	"strings"

	"dogbane/internal/money"
	"dogbane/internal/pricing"
)

// Result is what the reference answers.
type Result struct {
	Unit, Total *big.Rat // nil: no price
	Rules       []string
}

// Price answers a question by sections 1 to 4 of docs/book.md, read once more: arbitrary precision, every rule looked
// at for every unit, no index, nothing shared. It answers only questions that are valid.
func Price(book *pricing.Book, q pricing.Question) Result {
	r, p := alone(book, q)
	if !r.listed(p) {
		return Result{}
	}
	total := new(big.Rat)
	res := Result{}
	for k := 1; k <= r.quantity; k++ {
		u := r.unit(p, r.quantity, k, r.term, q.Options)
		if u.price == nil {
			return Result{}
		}
		total.Add(total, r.finish(p, u))
		for _, code := range u.applied {
			if !slices.Contains(res.Rules, code) {
				res.Rules = append(res.Rules, code)
			}
		}
	}
	res.Unit = r.round(quo(total, num(int64(r.quantity))))
	if p.Unit == "month" {
		total.Mul(total, num(int64(r.term)))
	}
	res.Total = total
	return res
}

// LastUnit is what the last unit of the line that is asked for costs, and the rules that it was priced by.
func LastUnit(book *pricing.Book, q pricing.Question) Result {
	r, p := alone(book, q)
	if !r.listed(p) {
		return Result{}
	}
	u := r.unit(p, r.quantity, r.quantity, r.term, nil)
	if u.price == nil {
		return Result{}
	}
	return Result{Unit: r.finish(p, u), Rules: u.applied}
}

// alone looks up the product that is asked for by itself.
func alone(book *pricing.Book, q pricing.Question) (*reference, *pricing.Product) {
	r := newReference(book, q)
	r.quantity, r.term = max(q.Quantity, 1), max(q.Term, 1)
	return r, r.product(q.SKU)
}

// newReference looks up what a viewpoint names.
func newReference(book *pricing.Book, q pricing.Question) *reference {
	book = figured(book, q.At)
	r := &reference{book: book, q: q, at: q.At, currency: book.Settings.Currency}
	for i := range book.Channels {
		if book.Channels[i].Code == q.Channel && q.Channel != "" {
			r.channel = &book.Channels[i]
		}
	}
	for i := range book.Customers {
		if book.Customers[i].Code == q.Customer {
			r.customer = &book.Customers[i]
		}
	}
	if r.channel != nil && r.channel.Currency != "" {
		r.currency = r.channel.Currency
	}
	r.digits, _ = money.Digits(r.currency)
	return r
}

// figured is the book as if the figures of a moment were those of its products, and nothing came later.
func figured(book *pricing.Book, at pricing.Moment) *pricing.Book {
	now := *book
	now.Products = nil
	for _, p := range book.Products {
		q := *p
		q.Later = nil
		merge := func(into *map[string]money.Rat, from map[string]money.Rat) {
			both := map[string]money.Rat{}
			for _, m := range []map[string]money.Rat{*into, from} {
				for name, figure := range m {
					both[name] = figure
				}
			}
			*into = both
		}
		for _, f := range p.Later {
			if f.From > at {
				continue
			}
			q.List, q.Cost = cmp.Or(f.List, q.List), cmp.Or(f.Cost, q.Cost)
			q.RRP, q.MAP = cmp.Or(f.RRP, q.RRP), cmp.Or(f.MAP, q.MAP)
			merge(&q.Costs, f.Costs)
			merge(&q.Levels, f.Levels)
			merge(&q.ListIn, f.ListIn)
		}
		now.Products = append(now.Products, &q)
	}
	return &now
}

type reference struct {
	book     *pricing.Book
	q        pricing.Question
	at       pricing.Moment
	quantity int
	term     int
	channel  *pricing.Channel
	customer *pricing.Customer
	currency string
	digits   int
	asking   []string // SKUs whose prices are being worked out
}

func num(n int64) *big.Rat       { return new(big.Rat).SetInt64(n) }
func add(a, b *big.Rat) *big.Rat { return new(big.Rat).Add(a, b) }
func sub(a, b *big.Rat) *big.Rat { return new(big.Rat).Sub(a, b) }
func mul(a, b *big.Rat) *big.Rat { return new(big.Rat).Mul(a, b) }
func quo(a, b *big.Rat) *big.Rat { return new(big.Rat).Quo(a, b) }

func rat(a money.Rat) *big.Rat {
	r, ok := new(big.Rat).SetString(a.String())
	if !ok {
		panic(a.String())
	}
	return r
}

func ratp(a *money.Rat) *big.Rat {
	if a == nil {
		return nil
	}
	return rat(*a)
}

// share is percent/100.
func share(percent money.Rat) *big.Rat { return quo(rat(percent), num(100)) }

func least(a, b *big.Rat) *big.Rat {
	if a.Cmp(b) <= 0 {
		return a
	}
	return b
}

func most(a, b *big.Rat) *big.Rat {
	if a.Cmp(b) >= 0 {
		return a
	}
	return b
}

// toWhole rounds; how is "half-up" (away from zero), "half-even", "up", "down" or "nearest" (ties up).
func toWhole(a *big.Rat, how string) *big.Rat {
	floor := new(big.Int).Div(a.Num(), a.Denom())
	f := new(big.Rat).SetInt(floor)
	rest := sub(a, f)
	if rest.Sign() == 0 {
		return f
	}
	c := rest.Cmp(big.NewRat(1, 2))
	up := false
	switch how {
	case "up":
		up = true
	case "nearest":
		up = c >= 0
	case "half-up":
		up = c > 0 || c == 0 && a.Sign() > 0
	case "half-even":
		up = c > 0 || c == 0 && floor.Bit(0) == 1
	}
	if up {
		return add(f, num(1))
	}
	return f
}

func (r *reference) scale() *big.Rat {
	s := num(1)
	for range r.digits {
		s = mul(s, num(10))
	}
	return s
}

func (r *reference) roundHow(a *big.Rat, how string) *big.Rat {
	return quo(toWhole(mul(a, r.scale()), how), r.scale())
}

func (r *reference) round(a *big.Rat) *big.Rat {
	if r.book.Settings.Rounding.Mode == money.HalfEven {
		return r.roundHow(a, "half-even")
	}
	return r.roundHow(a, "half-up")
}

func end(e *pricing.Ending, a *big.Rat) *big.Rat {
	if e == nil {
		return a
	}
	return add(mul(toWhole(quo(a, rat(e.Step)), string(e.Direction)), rat(e.Step)), rat(e.Shift))
}

func (r *reference) product(sku string) *pricing.Product {
	for i := range r.book.Products {
		if r.book.Products[i].SKU == sku {
			return r.book.Products[i]
		}
	}
	return nil
}

// converted is an amount of the book in the channel's currency.
func (r *reference) converted(a *big.Rat) *big.Rat {
	if a == nil || r.currency == r.book.Settings.Currency {
		return a
	}
	rate, known := r.book.Settings.Rates[r.currency]
	if !known {
		return nil
	}
	return mul(a, rat(rate))
}

func (r *reference) ruleAmount(u *pricing.Rule, a money.Rat) *big.Rat {
	if u.Currency != "" {
		return rat(a)
	}
	return r.converted(rat(a))
}

func (r *reference) listOf(p *pricing.Product) *big.Rat {
	if own, fixed := p.ListIn[r.currency]; fixed {
		return rat(own)
	}
	return r.converted(ratp(p.List))
}

func (r *reference) taxFactor(p *pricing.Product) *big.Rat {
	percent, taxed := r.book.Settings.TaxRates[p.TaxClass]
	if !taxed {
		return num(1)
	}
	return add(num(1), share(percent))
}

// taxHere is 1 + the rate of the channel's country.
func (r *reference) taxHere(p *pricing.Product) *big.Rat {
	if r.channel != nil {
		if c, known := r.book.Settings.Countries[r.channel.Country]; known {
			if percent, own := c.TaxRates[p.TaxClass]; own {
				return add(num(1), share(percent))
			}
		}
	}
	return r.taxFactor(p)
}

// shows reports whether prices shown include tax.
func (r *reference) shows() bool {
	if r.channel != nil && r.channel.TaxExcluded != nil {
		return !*r.channel.TaxExcluded
	}
	return r.book.Settings.PricesIncludeTax
}

// factor is what step 3 multiplies a price by.
func (r *reference) factor(p *pricing.Product) *big.Rat {
	h, c := r.taxFactor(p), r.taxHere(p)
	switch from, to := r.book.Settings.PricesIncludeTax, r.shows(); {
	case from && !to:
		return quo(num(1), h)
	case !from && to:
		return c
	case from && to && r.channel != nil && r.channel.KeepsNet:
		return quo(c, h)
	}
	return num(1)
}

// enough is the price shown at which a margin is left of it in the channel; nil where there is none.
func (r *reference) enough(p *pricing.Product, margin money.Rat) *big.Rat {
	cost, left := r.converted(ratp(p.Cost)), sub(num(1), share(margin))
	if cost == nil {
		return nil
	}
	if r.channel != nil {
		cost, left = add(cost, rat(r.channel.FeeAmount)), sub(left, share(r.channel.FeePercent))
	}
	if left.Sign() <= 0 {
		return nil
	}
	if r.shows() {
		return mul(quo(cost, left), r.taxHere(p))
	}
	return quo(cost, left)
}

// footed is a cost on the book's footing.
func (r *reference) footed(p *pricing.Product, cost *big.Rat) *big.Rat {
	cost = r.converted(cost)
	if cost != nil && r.book.Settings.PricesIncludeTax {
		cost = mul(cost, r.taxFactor(p))
	}
	return cost
}

// way is one unit on its way.
type way struct {
	p            *pricing.Product
	line, k      int // the line's quantity, and which of its units this is
	term         int // months
	list, price  *big.Rat
	catalog      *big.Rat
	past         bool // the catalog layer is behind it
	over         bool // the price is ended
	applied      []string
	optionPrices []*big.Rat
	optionParts  []string
}

func (r *reference) unit(p *pricing.Product, line, k, term int, options []string) *way {
	w := &way{p: p, line: line, k: k, term: term}
	r.asking = append(r.asking, p.SKU)
	w.list = r.listOf(p)
	w.price = w.list
	if p.OnRequest {
		w.price, w.past = nil, true
		r.asking = r.asking[:len(r.asking)-1]
		return w
	}
	for _, code := range options {
		for i := range p.Options {
			if p.Options[i].Code == code {
				w.optionPrices = append(w.optionPrices, r.converted(rat(p.Options[i].Price)))
				w.optionParts = append(w.optionParts, p.Options[i].Part)
			}
		}
	}
	for i, l := range r.book.Settings.Layers {
		if !w.over {
			r.layer(w, l)
		}
		if i == 0 {
			w.catalog, w.past = w.price, true
		}
	}
	r.asking = r.asking[:len(r.asking)-1]
	return w
}

// listed reports whether the channel sells a product.
func (r *reference) listed(p *pricing.Product) bool {
	return r.channel == nil || r.channel.Where == nil || r.holds(r.channel.Where, p, false)
}

// made is what a candidate makes of the price.
type made struct {
	rule   *pricing.Rule
	effect *pricing.Effect
	result *big.Rat
}

func (r *reference) layer(w *way, l pricing.LayerSetting) {
	reduced := w.past && w.price != nil && w.catalog != nil && w.price.Cmp(w.catalog) < 0
	var rules []*pricing.Rule
	for i := range r.book.Rules {
		u := &r.book.Rules[i]
		if u.Layer == l.Layer && u.Offer == nil && u.Order == nil && r.takesPart(u) && r.holds(&u.Where, w.p, reduced) {
			rules = append(rules, u)
		}
	}
	slices.SortFunc(rules, func(a, b *pricing.Rule) int {
		return cmp.Or(cmp.Compare(a.Rank, b.Rank),
			cmp.Compare(a.Code, b.Code))
	})
	entering := w.price
	var applied []made
	switch l.Mode {
	case pricing.First, pricing.Lowest, pricing.Highest:
		var all []made
		for _, u := range rules {
			if l.Mode == pricing.First && len(all) > 0 && u.Rank > all[0].rule.Rank {
				break
			}
			if m, ok := r.make(w, u, entering); ok {
				all = append(all, m)
			}
		}
		slices.SortStableFunc(all, func(a, b made) int {
			byResult := a.result.Cmp(b.result)
			switch l.Mode {
			case pricing.First:
				return cmp.Or(cmp.Compare(a.rule.Rank, b.rule.Rank), byResult, cmp.Compare(a.rule.Code, b.rule.Code))
			case pricing.Highest:
				byResult = -byResult
			}
			return cmp.Or(byResult, cmp.Compare(a.rule.Rank, b.rule.Rank), cmp.Compare(a.rule.Code, b.rule.Code))
		})
		if len(all) > 0 {
			w.price = all[0].result
			applied = all[:1]
		}
	case pricing.Stack:
		for _, u := range rules {
			if m, ok := r.make(w, u, w.price); ok {
				w.price = m.result
				applied = append(applied, m)
				if u.Then != "" {
					break
				}
			}
		}
	case pricing.Add:
		for _, u := range rules {
			if m, ok := r.make(w, u, entering); ok {
				w.price = add(w.price, sub(m.result, entering))
				applied = append(applied, m)
				if u.Then != "" {
					break
				}
			}
		}
		if len(applied) > 0 {
			w.price = most(w.price, num(0))
		}
	}
	before := slices.Clone(w.optionPrices)
	for _, m := range applied {
		w.applied = append(w.applied, m.rule.Code)
		if m.rule.Then == pricing.EndPrice || l.EndPrice {
			w.over = true
		}
		if m.effect.Kind != pricing.PercentOff && m.effect.Kind != pricing.PercentOn {
			continue
		}
		for i, part := range w.optionParts {
			if w.optionPrices[i] == nil || !slices.Contains(m.rule.On, part) {
				continue
			}
			if l.Mode == pricing.Add {
				w.optionPrices[i] = add(w.optionPrices[i], sub(r.stepped(percented(m.effect, before[i])), before[i]))
			} else {
				w.optionPrices[i] = r.stepped(percented(m.effect, w.optionPrices[i]))
			}
		}
	}
}

func percented(e *pricing.Effect, b *big.Rat) *big.Rat {
	if e.Kind == pricing.PercentOn {
		return mul(b, add(num(1), share(e.Value)))
	}
	return mul(b, sub(num(1), share(e.Value)))
}

// takesPart is everything about a rule that does not depend on the product.
func (r *reference) takesPart(u *pricing.Rule) bool {
	if u.Status != pricing.On && !slices.Contains(r.q.With, u.Code) || u.Currency != "" && u.Currency != r.currency {
		return false
	}
	if !r.inChannel(u.Channels) || !r.admitted(u.Audience) || !u.Window.Open(r.at) {
		return false
	}
	for i := range r.book.Campaigns {
		c := &r.book.Campaigns[i]
		if c.Code != u.Campaign {
			continue
		}
		if c.Status != pricing.On && !slices.Contains(r.q.With, c.Code) || !r.inChannel(c.Channels) ||
			!r.admitted(c.Audience) || !c.Window.Open(r.at) {
			return false
		}
	}
	return true
}

func (r *reference) inChannel(codes []string) bool {
	return codes == nil || r.channel != nil && slices.Contains(codes, r.channel.Code)
}

func (r *reference) admitted(a *pricing.Audience) bool {
	if a == nil {
		return true
	}
	groups := slices.Clone(r.q.Groups)
	if r.customer != nil {
		groups = append(groups, r.customer.Groups...)
	}
	country := r.q.Country
	if r.channel != nil {
		groups = append(groups, r.channel.Group)
		if country == "" {
			country = r.channel.Country
		}
	}
	if a.Groups != nil || a.Customers != nil {
		ok := r.customer != nil && slices.Contains(a.Customers, r.customer.Code)
		for _, g := range groups {
			ok = ok || g != "" && slices.Contains(a.Groups, g)
		}
		if !ok {
			return false
		}
	}
	if a.Countries != nil && !slices.Contains(a.Countries, country) {
		return false
	}
	for name, wanted := range a.CustomerAttr {
		if r.customer == nil || r.customer.Attrs[name] == "" || !slices.Contains(wanted, r.customer.Attrs[name]) {
			return false
		}
	}
	signedIn := r.customer != nil
	if r.q.SignedIn != nil {
		signedIn = *r.q.SignedIn
	}
	return (a.FirstOrder == nil || *a.FirstOrder == r.q.FirstOrder) && (a.SignedIn == nil || *a.SignedIn == signedIn)
}

// make is what a rule makes of the price entering it; false where it is no candidate or refused.
func (r *reference) make(w *way, u *pricing.Rule, entering *big.Rat) (made, bool) {
	m := made{rule: u, effect: u.Effect}
	if w.line < u.MinQuantity {
		return m, false
	}
	breaks, counting := u.Breaks, u.Counting
	for i := range r.book.Ladders {
		if u.Ladder != "" && r.book.Ladders[i].Code == u.Ladder {
			breaks, counting = r.book.Ladders[i].Breaks, r.book.Ladders[i].Counting
		}
	}
	if breaks != nil {
		m.effect = nil
		count := r.count(w, u, counting)
		for i := range breaks {
			from := rat(breaks[i].From)
			if counting.Measure == "spend" {
				from = r.ruleAmount(u, breaks[i].From)
			}
			if count != nil && from != nil && count.Cmp(from) >= 0 {
				m.effect = &breaks[i].Effect
			}
		}
		if m.effect == nil {
			return m, false
		}
	}
	e := m.effect
	basis := entering
	if u.Of != "" {
		basis = r.basis(w, u.Of)
	}
	var res *big.Rat
	switch e.Kind {
	case pricing.PercentOff, pricing.PercentOn:
		if basis == nil {
			return m, false
		}
		if u.On != nil && !slices.Contains(u.On, "base") { // options alone: nothing is done to the price
			m.result = entering
			return m, entering != nil
		}
		res = percented(e, basis)
	case pricing.AmountOff, pricing.AmountOn:
		a := r.ruleAmount(u, e.Value)
		if basis == nil || a == nil {
			return m, false
		}
		if res = add(basis, a); e.Kind == pricing.AmountOff {
			res = sub(basis, a)
		}
	case pricing.SetPrice:
		res = r.ruleAmount(u, e.Value)
	case pricing.ToLevel:
		res = r.basis(w, pricing.Basis("level:"+e.Level))
	case pricing.Markup:
		if c := r.footed(w.p, ratp(w.p.Cost)); c != nil {
			res = mul(c, add(num(1), share(e.Value)))
		}
	case pricing.ToMargin:
		if c := r.footed(w.p, ratp(w.p.Cost)); c != nil {
			res = quo(c, sub(num(1), share(e.Value)))
		}
	case pricing.ToDerived:
		res = r.derived(u, e.Derive)
	}
	if res == nil {
		return m, false
	}
	res = most(res, num(0))
	if u.MaxOff != nil && entering != nil {
		if u.MaxOff.Percent != nil {
			res = most(res, mul(entering, sub(num(1), share(*u.MaxOff.Percent))))
		} else if a := r.ruleAmount(u, *u.MaxOff.Amount); a != nil {
			res = most(res, sub(entering, a))
		}
	}
	if f := u.Floor; f != nil {
		var floor *big.Rat
		switch cost := r.footed(w.p, ratp(w.p.Cost)); {
		case f.Amount != nil:
			floor = r.ruleAmount(u, *f.Amount)
		case f.Level != "":
			floor = r.basis(w, pricing.Basis("level:"+f.Level))
		case cost == nil:
		case f.WithFee:
			margin := money.Int(0)
			if f.Margin != nil {
				margin = *f.Margin
			}
			if shown := r.enough(w.p, margin); shown != nil {
				floor = quo(shown, r.factor(w.p))
			}
		case f.Margin != nil:
			floor = quo(cost, sub(num(1), share(*f.Margin)))
		default:
			floor = cost
		}
		if floor != nil {
			if entering != nil {
				floor = least(floor, entering)
			}
			res = most(res, floor)
		}
	}
	res = most(end(u.Ending, res), num(0))
	res = r.stepped(res)
	raises := u.Layer == pricing.Catalog || e.Kind == pricing.PercentOn || e.Kind == pricing.AmountOn || u.MayRaise
	if entering != nil && res.Cmp(entering) > 0 && !raises {
		return m, false
	}
	m.result = res
	return m, true
}

// stepped rounds where the book rounds at every step.
func (r *reference) stepped(a *big.Rat) *big.Rat {
	if r.book.Settings.Rounding.EveryStep {
		return r.round(a)
	}
	return a
}

func (r *reference) basis(w *way, of pricing.Basis) *big.Rat {
	kind, name, _ := strings.Cut(string(of), ":")
	named := func(m map[string]money.Rat) *big.Rat {
		if v, known := m[name]; known {
			return rat(v)
		}
		return nil
	}
	switch {
	case of == pricing.OfList:
		return w.list
	case of == pricing.OfCost:
		return r.footed(w.p, ratp(w.p.Cost))
	case kind == "cost":
		return r.footed(w.p, named(w.p.Costs))
	case of == pricing.OfRRP:
		return r.converted(ratp(w.p.RRP))
	case of == pricing.OfCatalog:
		return w.catalog
	}
	return r.converted(named(w.p.Levels))
}

// count is what breaks are measured against; nil where it cannot be known.
func (r *reference) count(w *way, u *pricing.Rule, c pricing.Counting) *big.Rat {
	switch c.Measure {
	case "term":
		return num(int64(w.term))
	case "days":
		return num(1)
	}
	units := w.line
	if c.Method == pricing.Graduated {
		units = w.k
	}
	if c.Count == "where" && !r.holds(c.Where, w.p, false) {
		units = 0
	}
	total := r.measure(w.p, units, c.Measure)
	if u.HistoryDays == 0 {
		return total
	}
	for _, h := range r.q.History {
		days := func(m pricing.Moment) pricing.Moment { return m / pricing.Day }
		p := r.product(h.SKU)
		if p == nil || h.At >= r.at || days(r.at)-days(h.At) > pricing.Moment(u.HistoryDays) {
			continue
		}
		counts := false
		switch c.Count {
		case "line":
			counts = p == w.p
		case "style":
			counts = p == w.p || p.Style != "" && p.Style == w.p.Style
		case "basket":
			counts = true
		case "selection":
			counts = r.holds(&u.Where, p, false)
		case "where":
			counts = r.holds(c.Where, p, false)
		}
		if !counts {
			continue
		}
		if more := r.measure(p, h.Quantity, c.Measure); more != nil {
			if total == nil {
				total = num(0)
			}
			total = add(total, more)
		}
	}
	return total
}

func (r *reference) measure(p *pricing.Product, units int, how string) *big.Rat {
	n := num(int64(units))
	switch how {
	case "quantity":
		return n
	case "spend":
		alone := &way{p: p, line: 1, k: 1, term: 1, list: r.listOf(p)}
		if alone.price = alone.list; p.OnRequest {
			return nil
		}
		r.layer(alone, r.book.Settings.Layers[0])
		if alone.price == nil {
			return nil
		}
		return mul(n, alone.price)
	}
	a, known := p.Attrs[strings.TrimPrefix(how, "attr:")]
	if !known || a.Number == nil {
		if units == 0 {
			return num(0)
		}
		return nil
	}
	return mul(n, rat(*a.Number))
}

func (r *reference) derived(u *pricing.Rule, d *pricing.Derive) *big.Rat {
	source := num(0)
	if d.From == "basket" { // with nothing else in it but what is owned
		for _, h := range r.q.History {
			p := r.product(h.SKU)
			if d.Counts == "basket" || p == nil || r.derivedFromBasket(p) {
				continue
			}
			if slices.Contains(r.asking, p.SKU) {
				return nil
			}
			if net := r.unit(p, 1, 1, 1, nil).price; net != nil {
				source = add(source, mul(net, num(int64(h.Quantity))))
			}
		}
	} else {
		p := r.product(d.From)
		if p == nil {
			return nil
		}
		if d.Basis == "list" {
			source = r.listOf(p)
		} else {
			if slices.Contains(r.asking, p.SKU) {
				return nil // closes a circle
			}
			source = r.unit(p, 1, 1, 1, nil).price
			if source != nil && d.Basis == "subtotal" && d.Counts != "basket" {
				owned := 0
				for _, h := range r.q.History {
					if h.SKU == d.From {
						owned += h.Quantity
					}
				}
				if owned > 0 {
					source = mul(source, num(int64(owned)))
				}
			}
		}
		if source == nil {
			return nil
		}
	}
	price := mul(source, share(d.Percent))
	if d.Min != nil {
		low := r.ruleAmount(u, *d.Min)
		if low == nil {
			return nil
		}
		price = most(price, low)
	}
	if d.Max != nil {
		high := r.ruleAmount(u, *d.Max)
		if high == nil {
			return nil
		}
		price = least(price, high)
	}
	return price
}

// derivedFromBasket reports whether a rule that takes part derives a product's price from the basket.
func (r *reference) derivedFromBasket(p *pricing.Product) bool {
	for i := range r.book.Rules {
		u := &r.book.Rules[i]
		effects := []*pricing.Effect{u.Effect}
		breaks := u.Breaks
		for k := range r.book.Ladders {
			if u.Ladder != "" && r.book.Ladders[k].Code == u.Ladder {
				breaks = r.book.Ladders[k].Breaks
			}
		}
		for k := range breaks {
			effects = append(effects, &breaks[k].Effect)
		}
		from := slices.ContainsFunc(effects, func(e *pricing.Effect) bool {
			return e != nil && e.Derive != nil &&
				e.Derive.From == "basket"
		})
		if from && r.takesPart(u) && (r.holds(&u.Where, p, false) || r.holds(&u.Where, p, true)) {
			return true
		}
	}
	return false
}

// finish is section 2, step 3, and the chosen options.
func (r *reference) finish(p *pricing.Product, w *way) *big.Rat {
	set := &r.book.Settings
	toChannel := func(a *big.Rat) *big.Rat { return mul(a, r.factor(p)) }
	price := toChannel(w.price)
	if r.channel != nil {
		price = end(r.channel.Ending, price)
	}
	price = r.round(price)
	guard := &set.Guard
	for i := range set.Guards {
		if r.holds(set.Guards[i].Where, p, false) {
			guard = &set.Guards[i]
		}
	}
	if limit := r.enough(p, guard.MinMargin); guard.Hold && limit != nil && price.Cmp(limit) < 0 {
		price = r.roundHow(limit, "up")
	}
	if guard.MaxOff != nil && guard.Hold && w.catalog != nil {
		if limit := toChannel(mul(w.catalog, sub(num(1), share(*guard.MaxOff)))); price.Cmp(limit) < 0 {
			price = r.roundHow(limit, "up")
		}
	}
	price = most(price, num(0))
	for _, o := range w.optionPrices {
		if o != nil {
			price = add(price, r.round(most(toChannel(o), num(0))))
		}
	}
	return price
}

// holds reads a condition off its definition.
func (r *reference) holds(w *pricing.Where, p *pricing.Product, reduced bool) bool {
	within := func(b pricing.Bounds, v *money.Rat) bool {
		return v != nil && (b.Min == nil || rat(*v).Cmp(rat(*b.Min)) >= 0) && (b.Max == nil || rat(*v).Cmp(rat(*b.Max)) <= 0)
	}
	switch w.Field {
	case pricing.FieldAll:
		return !slices.ContainsFunc(w.Parts, func(c pricing.Where) bool { return !r.holds(&c, p, reduced) })
	case pricing.FieldAny:
		return slices.ContainsFunc(w.Parts, func(c pricing.Where) bool { return r.holds(&c, p, reduced) })
	case pricing.FieldNot:
		return !r.holds(&w.Parts[0], p, reduced)
	case pricing.FieldSKU:
		return slices.Contains(w.Values, p.SKU)
	case pricing.FieldStyle:
		return p.Style != "" && slices.Contains(w.Values, p.Style)
	case pricing.FieldBrand:
		return p.Brand != "" && slices.Contains(w.Values, p.Brand)
	case pricing.FieldSupplier:
		return p.Supplier != "" && slices.Contains(w.Values, p.Supplier)
	case pricing.FieldType:
		return p.Type != "" && slices.Contains(w.Values, p.Type)
	case pricing.FieldTaxClass:
		return p.TaxClass != "" && slices.Contains(w.Values, p.TaxClass)
	case pricing.FieldTag:
		return slices.ContainsFunc(p.Tags, func(t string) bool { return slices.Contains(w.Values, t) })
	case pricing.FieldRange:
		return slices.ContainsFunc(r.book.Ranges, func(g pricing.Range) bool {
			return slices.Contains(w.Values, g.Code) && r.holds(&g.Where, p, false)
		})
	case pricing.FieldCategory:
		return slices.ContainsFunc(w.Values, func(path string) bool {
			return p.Category == path || strings.HasPrefix(p.Category, path+"/")
		})
	case pricing.FieldAttr:
		for name, test := range w.Attrs {
			a, known := p.Attrs[name]
			if !known || !(slices.Contains(test.Values, a.Text) || test.Bounds != nil && within(*test.Bounds, a.Number)) {
				return false
			}
		}
		return true
	case pricing.FieldList:
		return within(w.Bounds, p.List)
	case pricing.FieldCost:
		return within(w.Bounds, p.Cost)
	case pricing.FieldStock:
		return within(w.Bounds, p.Stock)
	case pricing.FieldRating:
		return within(w.Bounds, p.Rating)
	case pricing.FieldSold:
		return within(w.Bounds, p.Sold)
	}
	return w.Reduced == reduced // FieldReduced
}
