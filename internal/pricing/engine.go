package pricing

import (
	"cmp"
	"fmt"
	"maps"
	"reflect"
	"slices"
	"sync"

	"dogbane/internal/money"
)

// Engine answers questions about one book. It never changes once made, so goroutines share it.
type Engine struct {
	*goods
	book      func() *Book
	layers    []layer // in the order in which prices pass through them
	rules     []*rule // all rules, offers and orders too, by ordinal; nil where one was taken out
	campaigns map[string]*Campaign
	ladders   map[string]*Ladder
	lists     *ruleLists
	stale     []int           // ordinals of which lists knows nothing, or no longer the truth
	codes     map[string]bool // codes of rules and campaigns

	era  int     // how many later figures' moments have begun
	of   *Engine // the engine of the first era; nil: this one
	eras *PerEra[*Engine]
}

// layer is one layer with its price rules by rank, then code.
type layer struct {
	LayerSetting
	rules       []*rule
	usesReduced bool // a selection looks at the price entering the layer
}

// rule is a price rule made ready.
type rule struct {
	*Rule
	ordinal  int
	campaign *Campaign
	// the products that Where selects, while the price entering the layer is not reduced, and while it is
	reach       [2]Set
	usesReduced bool
	shards      Set      // the shards in which it selects anything
	plain       *reduced // what plainView makes of it
	effect      effect
	breaks      []step
	counting    Counting
	counted     Set // the counted goods, with count "where" or "selection"
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
	e := &Engine{goods: newGoods(book), book: func() *Book { return book }, eras: &PerEra[*Engine]{}}
	e.compileRules(book)
	return e
}

// Recompile is an engine for another book. Where that has the very products, ranges, customers, channels and settings
// of this engine's book (the same slices, not copies), only rules, campaigns and ladders are made ready anew.
func (e *Engine) Recompile(book *Book) *Engine {
	b := e.book()
	if !same(book.Products, b.Products) || !same(book.Ranges, b.Ranges) || !same(book.Channels, b.Channels) ||
		!same(book.Customers, b.Customers) ||
		!same(book.Groups, b.Groups) || !sameSettings(&book.Settings, &b.Settings) {
		return Compile(book)
	}
	next := &Engine{goods: e.first().goods, book: func() *Book { return book }, eras: &PerEra[*Engine]{}}
	next.compileRules(book)
	return next
}

func same[T any](a, b []T) bool {
	return len(a) == len(b) && (len(a) == 0 || &a[0] == &b[0])
}

// sameSettings compares what is cheap to compare; settings that were decoded anew count as different.
func sameSettings(a, b *Settings) bool {
	return same(a.Layers, b.Layers) && same(a.Guards, b.Guards) && a.Currency == b.Currency && a.TimeZone == b.TimeZone &&
		a.Rounding == b.Rounding &&
		a.PricesIncludeTax == b.PricesIncludeTax && a.Guard.Hold == b.Guard.Hold && a.Guard.MaxOff == b.Guard.MaxOff &&
		a.Guard.MinMargin.Equal(b.Guard.MinMargin) &&
		reflect.ValueOf(a.TaxRates).Pointer() == reflect.ValueOf(b.TaxRates).Pointer() &&
		reflect.ValueOf(a.Rates).Pointer() == reflect.ValueOf(b.Rates).Pointer() &&
		reflect.ValueOf(a.Countries).Pointer() == reflect.ValueOf(b.Countries).Pointer()
}

func (e *Engine) compileRules(book *Book) {
	e.campaigns, e.ladders, e.codes = map[string]*Campaign{}, map[string]*Ladder{}, map[string]bool{}
	for i := range book.Campaigns {
		c := &book.Campaigns[i]
		e.campaigns[c.Code], e.codes[c.Code] = c, true
	}
	for i := range book.Ladders {
		e.ladders[book.Ladders[i].Code] = &book.Ladders[i]
	}
	for i := range book.Rules {
		doc := &book.Rules[i]
		e.codes[doc.Code] = true
		e.rules = append(e.rules, &rule{Rule: doc, ordinal: i})
	}
	InParallel(len(e.rules), func(from, to int) {
		for _, r := range e.rules[from:to] {
			e.ready(r, nil)
		}
	})
	e.lists = &ruleLists{rules: e.rules}
	for _, setting := range e.settings.Layers {
		l := layer{LayerSetting: setting}
		for _, r := range e.rules {
			if r.Layer == setting.Layer && r.prices() {
				l.rules = append(l.rules, r)
			}
		}
		l.sort()
		e.layers = append(e.layers, l)
	}
}

func (l *layer) sort() {
	slices.SortFunc(l.rules, func(a, b *rule) int {
		return cmp.Or(cmp.Compare(a.Rank, b.Rank),
			cmp.Compare(a.Code, b.Code))
	})
	l.usesReduced = slices.ContainsFunc(l.rules, func(r *rule) bool { return r.usesReduced })
}

// ready makes a rule ready: the products that it selects, its effects as factors, its breaks. like, where given, is a
// rule whose selection is the same.
func (e *Engine) ready(r, like *rule) {
	doc := r.Rule
	r.campaign, r.counting = e.campaigns[doc.Campaign], doc.Counting
	if like != nil {
		r.reach, r.usesReduced, r.shards = like.reach, like.usesReduced, like.shards
	} else {
		r.reach[0] = e.index.match(&doc.Where, false)
		r.reach[1] = r.reach[0]
		if r.usesReduced = doc.Where.UsesReduced(); r.usesReduced {
			r.reach[1] = e.index.match(&doc.Where, true)
		}
	}
	if r.shards == nil {
		r.shards = make(Set, (len(r.reach[0])/shardWords+1)/64+1)
		for w := range r.reach[0] {
			if r.reach[0][w]|r.reach[1][w] != 0 {
				r.shards.add(int32(w / shardWords))
			}
		}
	}
	if !doc.prices() {
		return
	}
	breaks := doc.Breaks
	if l := e.ladders[doc.Ladder]; l != nil {
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
	r.plain = e.plainView().reduce(r)
}

// plainView is the viewpoint of one piece, without a channel: most kernels are the same from most viewpoints.
func (e *Engine) plainView() *view {
	one := money.Int(1)
	return &view{Engine: e, quantity: 1, term: 1, currency: e.settings.Currency, rate: one, same: true, rated: true,
		bookTax: e.settings.PricesIncludeTax, showTax: e.settings.PricesIncludeTax, here: e.taxes}
}

// Edit is one rule put in the place of another: Code names the rule that goes ("" for none), Rule is the one that comes
// (nil for none).
type Edit struct {
	Code string
	Rule *Rule
}

// With is an engine for the book after an edit of one rule, and the products whose prices the edit can touch: all
// others cost what they did. Everything but that rule is shared with this engine.
func (e *Engine) With(edit Edit) (*Engine, Set) {
	e = e.first()
	next := &Engine{goods: e.goods, campaigns: e.campaigns, ladders: e.ladders, codes: maps.Clone(e.codes), lists: e.lists,
		stale: slices.Clone(e.stale), eras: &PerEra[*Engine]{}}
	next.book = sync.OnceValue(func() *Book { return edited(e.book(), edit) })
	next.rules, next.layers = slices.Clone(e.rules), slices.Clone(e.layers)
	touched, note := e.index.empty(), func(ordinal int) {
		if !slices.Contains(next.stale, ordinal) {
			next.stale = append(next.stale, ordinal)
		}
	}
	ordinal := slices.IndexFunc(e.rules, func(r *rule) bool { return r != nil && r.Code == edit.Code })
	delete(next.codes, edit.Code)
	if ordinal >= 0 {
		gone := e.rules[ordinal]
		next.rules[ordinal] = nil
		note(ordinal)
		if gone.prices() {
			touched.or(e.ever(gone))
		}
		next.place(gone.Layer, func(rules []*rule) []*rule {
			return slices.DeleteFunc(rules, func(r *rule) bool { return r == gone })
		})
	}
	if edit.Rule != nil {
		next.codes[edit.Rule.Code] = true
		come := &rule{Rule: edit.Rule, ordinal: ordinal}
		if ordinal < 0 {
			come.ordinal = len(next.rules)
			next.rules = append(next.rules, nil)
		}
		next.rules[come.ordinal] = come
		note(come.ordinal)
		var like *rule
		if ordinal >= 0 && sameSelection(&e.rules[ordinal].Where, &edit.Rule.Where) {
			like = e.rules[ordinal]
		}
		next.ready(come, like)
		if come.prices() {
			touched.or(e.ever(come))
			next.place(come.Layer, func(rules []*rule) []*rule { return append(rules, come) })
		}
	}
	// Prices that are derived from others may follow those, and so may breaks by what was spent earlier on other goods.
	for _, r := range next.rules {
		if r != nil && (r.derives() || r.HistoryDays > 0 && r.counting.Measure == "spend") {
			touched.or(e.ever(r))
		}
	}
	return next, touched
}

// edited is a book after an edit.
func edited(before *Book, edit Edit) *Book {
	book := *before
	book.Rules = make([]Rule, 0, len(before.Rules)+1)
	placed := edit.Rule == nil
	for i := range before.Rules {
		switch {
		case before.Rules[i].Code != edit.Code:
			book.Rules = append(book.Rules, before.Rules[i])
		case !placed:
			book.Rules, placed = append(book.Rules, *edit.Rule), true
		}
	}
	if !placed {
		book.Rules = append(book.Rules, *edit.Rule)
	}
	return &book
}

// place changes the rules of one layer of an engine that is being made.
func (e *Engine) place(which Layer, change func([]*rule) []*rule) {
	for i := range e.layers {
		if l := &e.layers[i]; l.Layer == which {
			l.rules = change(slices.Clone(l.rules))
			l.sort()
		}
	}
}

// derives reports whether a price that the rule makes rests on another product's.
func (r *rule) derives() bool {
	return r.effect.Effect != nil && r.effect.Kind == ToDerived ||
		slices.ContainsFunc(r.breaks, func(s step) bool { return s.Kind == ToDerived })
}

// ruleLists are, for each product, the rules that select it: what is needed to price a few products from anywhere. They
// are made when first asked for, and shared by the engines that With makes.
type ruleLists struct {
	rules []*rule
	once  sync.Once
	from  []int32 // by product, where its list begins
	list  []int32 // ordinals
}

func (x *ruleLists) of(p int32) []int32 { return x.list[x.from[p]:x.from[p+1]] }

// ready makes the lists of n products. Rules whose reach depends on the price are left out.
func (x *ruleLists) ready(n int) {
	x.once.Do(func() {
		x.from = make([]int32, n+1)
		each := func(visit func(p, ordinal int32)) {
			for _, r := range x.rules {
				if r != nil && r.prices() && !r.usesReduced {
					r.reach[0].Each(func(p int32) bool { visit(p, int32(r.ordinal)); return true })
				}
			}
		}
		each(func(p, _ int32) { x.from[p+1]++ })
		for p := range n {
			x.from[p+1] += x.from[p]
		}
		x.list = make([]int32, x.from[n])
		at := slices.Clone(x.from)
		each(func(p, ordinal int32) {
			x.list[at[p]] = ordinal
			at[p]++
		})
	})
}

// Book is the book that the engine was made of; it must not be changed.
func (e *Engine) Book() *Book { return e.book() }

// Products are all products in the engine's order; their index is the number that sweeps and sets use.
func (e *Engine) Products() []*Product { return e.products }

// ProductNumber finds a product by its SKU.
func (e *Engine) ProductNumber(sku string) (int32, bool) {
	return e.index.number(sku)
}

// Match is the set of products that a selection holds while their prices are not reduced.
func (e *Engine) Match(w *Where) Set { return e.index.match(w, false) }

// SetOf is the products with some numbers.
func (e *Engine) SetOf(numbers []int32) Set {
	s := e.index.empty()
	for _, p := range numbers {
		s.add(p)
	}
	return s
}

// Rules gives every rule with its ordinal, which stays its own in the engines that With makes, and the products that it
// selects while their prices are not reduced.
func (e *Engine) Rules(visit func(ordinal int, r *Rule, selected Set)) {
	for _, r := range e.rules {
		if r != nil {
			visit(r.ordinal, r.Rule, r.reach[0])
		}
	}
}

// Reach is how many products the selection of a rule holds, at most; false where there is no such rule.
func (e *Engine) Reach(code string) (int, bool) {
	for _, r := range e.rules {
		if r != nil && r.Code == code {
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

// Selected are the products that some price rule which is on, with its campaign, selects, if it is open at a moment or
// at a later one; whoever it is for.
func (e *Engine) Selected(at Moment) Set {
	all := e.index.empty()
	for _, r := range e.rules {
		if r == nil || !r.prices() || r.Status != On || r.campaign != nil && r.campaign.Status != On {
			continue
		}
		windows := []*Window{r.Window}
		if r.campaign != nil {
			windows = append(windows, r.campaign.Window)
		}
		if _, opens := NextOpen(windows, at); opens {
			all.or(e.ever(r))
		}
	}
	return all
}
