package pricing

import (
	"cmp"
	"fmt"
	"slices"

	"dogbane/internal/money"
)

// Engine answers questions about one book. It never changes once made.
type Engine struct {
	book     *Book
	products []Product // in the order of their categories; their index is the product's number
	index    *index
	layers   []layer // in the order in which prices pass through them
	rules    []*rule // the price rules of all layers, by ordinal
	channels map[string]*Channel
	groups   map[string]bool
	people   map[string]*Customer
	taxes    []money.Rat // 1 + tax rate, by product
	guards   []Set       // which products each of the settings' guards holds for
	listed   map[string]Set
	codes    map[string]bool // codes of rules and campaigns
}

// layer is one layer with its price rules by rank, then code.
type layer struct {
	LayerSetting
	rules []*rule
}

// rule is a price rule made ready.
type rule struct {
	*Rule
	ordinal  int
	campaign *Campaign
	reach    [2]Set // the products that Where selects, while the price entering the layer is not reduced, and while it is
	effect   effect
	breaks   []step
	counting Counting
	counted  Set // the counted goods, with count "where" or "selection"
}

// effect is an effect with its percent as a factor.
type effect struct {
	*Effect
	factor  money.Rat
	percent bool
}

type step struct {
	from money.Rat
	effect
}

func ready(e *Effect) effect {
	factor, percent := e.percentFactor()
	return effect{Effect: e, factor: factor, percent: percent}
}

// Compile checks nothing that package bookfile has checked; references that do not resolve match nothing. The engine
// keeps the book, which must not be changed afterwards.
func Compile(book *Book) *Engine {
	e := &Engine{book: book, channels: map[string]*Channel{}, groups: map[string]bool{}, people: map[string]*Customer{},
		listed: map[string]Set{}, codes: map[string]bool{}}
	e.products = slices.Clone(book.Products)
	slices.SortStableFunc(e.products, func(a, b Product) int { return cmp.Compare(categoryOrder(a.Category), categoryOrder(b.Category)) })
	e.index = newIndex(e.products, book.Ranges)
	for i := range book.Channels {
		c := &book.Channels[i]
		e.channels[c.Code] = c
		if c.Where != nil {
			e.listed[c.Code] = e.index.match(c.Where, false)
		}
	}
	for _, g := range book.Groups {
		e.groups[g.Code] = true
	}
	for i := range book.Customers {
		e.people[book.Customers[i].Code] = &book.Customers[i]
	}
	e.taxes = make([]money.Rat, len(e.products))
	for i := range e.products {
		e.taxes[i] = money.Int(1)
		if percent, taxed := book.Settings.TaxRates[e.products[i].TaxClass]; taxed {
			e.taxes[i] = money.Int(1).Add(money.PercentOf(percent)).Reduce()
		}
	}
	for _, g := range book.Settings.Guards {
		e.guards = append(e.guards, e.index.match(g.Where, false))
	}
	e.compileRules()
	return e
}

// With is an engine for another book with the same products, ranges, channels and settings: only its rules, campaigns
// and ladders are made ready anew. For a book that differs in anything else it compiles all.
func (e *Engine) With(book *Book) *Engine {
	if len(book.Products) == 0 || len(e.book.Products) != len(book.Products) || &book.Products[0] != &e.book.Products[0] {
		return Compile(book)
	}
	next := *e
	next.book, next.layers, next.rules, next.codes = book, nil, nil, map[string]bool{}
	next.compileRules()
	return &next
}

func (e *Engine) compileRules() {
	campaigns := map[string]*Campaign{}
	for i := range e.book.Campaigns {
		c := &e.book.Campaigns[i]
		campaigns[c.Code], e.codes[c.Code] = c, true
	}
	ladders := map[string]*Ladder{}
	for i := range e.book.Ladders {
		ladders[e.book.Ladders[i].Code] = &e.book.Ladders[i]
	}
	byLayer := map[Layer][]*rule{}
	for i := range e.book.Rules {
		doc := &e.book.Rules[i]
		e.codes[doc.Code] = true
		if !doc.prices() {
			continue
		}
		r := &rule{Rule: doc, campaign: campaigns[doc.Campaign], counting: doc.Counting}
		r.reach[0] = e.index.match(&doc.Where, false)
		r.reach[1] = r.reach[0]
		if doc.Where.UsesReduced() {
			r.reach[1] = e.index.match(&doc.Where, true)
		}
		breaks := doc.Breaks
		if l := ladders[doc.Ladder]; l != nil {
			breaks, r.counting = l.Breaks, l.Counting
		}
		if doc.Effect != nil {
			r.effect = ready(doc.Effect)
		}
		for k := range breaks {
			r.breaks = append(r.breaks, step{from: breaks[k].From, effect: ready(&breaks[k].Effect)})
		}
		switch r.counting.Count {
		case "selection":
			r.counted = r.reach[0]
		case "where":
			r.counted = e.index.match(r.counting.Where, false)
		}
		byLayer[doc.Layer] = append(byLayer[doc.Layer], r)
	}
	for _, setting := range e.book.Settings.Layers {
		rules := byLayer[setting.Layer]
		slices.SortFunc(rules, func(a, b *rule) int { return cmp.Or(cmp.Compare(a.Rank, b.Rank), cmp.Compare(a.Code, b.Code)) })
		for _, r := range rules {
			r.ordinal = len(e.rules)
			e.rules = append(e.rules, r)
		}
		e.layers = append(e.layers, layer{setting, rules})
	}
}

// Book is the book that the engine was made of; it must not be changed.
func (e *Engine) Book() *Book { return e.book }

// Products are all products in the engine's order; their index is the number that sweeps and sets use.
func (e *Engine) Products() []Product { return e.products }

// ProductNumber finds a product by its SKU.
func (e *Engine) ProductNumber(sku string) (int32, bool) {
	p, known := e.index.bySKU[sku]
	return p, known
}

// Match is the set of products that a selection holds while their prices are not reduced.
func (e *Engine) Match(w *Where) Set { return e.index.match(w, false) }

// Reach is how many products the selection of a price rule holds, at most; false for a rule that sets no unit prices.
func (e *Engine) Reach(code string) (int, bool) {
	for _, r := range e.rules {
		if r.Code == code {
			s := e.index.empty()
			for k := range s {
				s[k] = r.reach[0][k] | r.reach[1][k]
			}
			return s.Count(), true
		}
	}
	return 0, false
}

// QuestionError says which part of a question cannot be answered, and why.
type QuestionError struct{ Path, Problem string }

func (e *QuestionError) Error() string { return e.Path + ": " + e.Problem }

func unknown(path, what, code string) error {
	return &QuestionError{path, fmt.Sprintf("there is no %s %q in the book", what, code)}
}

// view is a viewpoint resolved against an engine. It belongs to one goroutine.
type view struct {
	*Engine
	at       Moment
	quantity int
	term     int
	visitor  visitor
	history  []Purchase
	channel  *Channel // nil: none
	listed   Set      // nil: everything
	currency string
	digits   int
	rate     money.Rat // book currency to the channel's
	same     bool      // the rate is 1
	rated    bool      // the rate is known
	bookTax  bool      // the book's prices include tax
	showTax  bool      // the channel's do
	blocked  []Reason  // why each rule takes no part, whatever the product
	active   [][]*rule // by layer: the rules that take part

	nets   map[int32]opt // prices of other products that prices were derived from
	path   []int32       // the products whose prices are being worked out
	cyclic map[int32]bool
	alone  map[int32]opt // prices after the catalog layer at quantity 1
	onTie  func(winner, other *rule, p int32, won, lost money.Rat)
}

// opt is a number that may be missing.
type opt struct {
	v  money.Rat
	ok bool
}

func some(v money.Rat) opt { return opt{v, true} }

func (o opt) ptr() *money.Rat {
	if !o.ok {
		return nil
	}
	v := o.v
	return &v
}

// look resolves a viewpoint.
func (e *Engine) look(vp Viewpoint) (*view, error) {
	s := &e.book.Settings
	v := &view{Engine: e, at: vp.At, quantity: max(vp.Quantity, 1), term: max(vp.Term, 1), history: vp.History,
		currency: s.Currency, bookTax: s.PricesIncludeTax, showTax: s.PricesIncludeTax}
	if vp.Quantity < 0 {
		return nil, &QuestionError{"quantity", "must be at least 1"}
	}
	v.visitor = visitor{groups: slices.Clone(vp.Groups), country: vp.Country, firstOrder: vp.FirstOrder, signedIn: vp.Customer != ""}
	for _, g := range vp.Groups {
		if !e.groups[g] {
			return nil, unknown("group", "group", g)
		}
	}
	if vp.SignedIn != nil {
		v.visitor.signedIn = *vp.SignedIn
	}
	if vp.Customer != "" {
		c := e.people[vp.Customer]
		if c == nil {
			return nil, unknown("customer", "customer", vp.Customer)
		}
		v.visitor.customer = c
		v.visitor.groups = append(v.visitor.groups, c.Groups...)
	}
	if vp.Channel != "" {
		c := e.channels[vp.Channel]
		if c == nil {
			return nil, unknown("channel", "channel", vp.Channel)
		}
		v.channel, v.listed = c, e.listed[c.Code]
		if c.Currency != "" {
			v.currency = c.Currency
		}
		if c.Group != "" {
			v.visitor.groups = append(v.visitor.groups, c.Group)
		}
		if v.visitor.country == "" {
			v.visitor.country = c.Country
		}
		if c.TaxExcluded != nil {
			v.showTax = !*c.TaxExcluded
		}
	}
	v.digits, _ = money.Digits(v.currency)
	v.same = v.currency == s.Currency
	v.rate, v.rated = s.Rates[v.currency]
	if v.same {
		v.rate, v.rated = money.Int(1), true
	}
	v.rate = v.rate.Reduce()
	with := map[string]bool{}
	for _, code := range vp.With {
		if !e.codes[code] {
			return nil, unknown("with", "rule or campaign", code)
		}
		with[code] = true
	}
	v.blocked = make([]Reason, len(e.rules))
	v.active = make([][]*rule, len(e.layers))
	for i := range e.layers {
		for _, r := range e.layers[i].rules {
			if v.blocked[r.ordinal] = v.bars(r, with); v.blocked[r.ordinal] == "" {
				v.active[i] = append(v.active[i], r)
			}
		}
	}
	return v, nil
}

// bars is the first reason that keeps a rule from taking part at all, or "".
func (v *view) bars(r *rule, with map[string]bool) Reason {
	c := r.campaign
	if r.Status != On && !with[r.Code] || c != nil && c.Status != On && !with[c.Code] {
		return SwitchedOff
	}
	if r.Currency != "" && r.Currency != v.currency {
		return OtherCurrency
	}
	if !v.inChannels(r.Channels) || c != nil && !v.inChannels(c.Channels) {
		return OtherChannel
	}
	if !r.Audience.admits(&v.visitor) || c != nil && !c.Audience.admits(&v.visitor) {
		return OtherAudience
	}
	// The order of the reasons holds for rule and campaign together: not yet, ended, hours.
	reason := r.Window.test(v.at)
	if c != nil {
		switch other := c.Window.test(v.at); {
		case reason == NotYet || other == NotYet:
			return NotYet
		case reason == Ended || other == Ended:
			return Ended
		case reason == "":
			return other
		}
	}
	return reason
}

func (v *view) inChannels(codes []string) bool {
	return codes == nil || v.channel != nil && slices.Contains(codes, v.channel.Code)
}
