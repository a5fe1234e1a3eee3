package pricing

import (
	"cmp"
	"maps"
	"slices"
	"sync"

	"dogbane/internal/money"
)

// Figures of products that hold from a moment on cut time into eras, in each of which nothing but rules moves a price.
// Each era has goods, and an engine, of its own: what figures decide is made anew for it, all else is that of the era
// before the first. A book without such figures has one era, and pays nothing.

// At is the product with the figures that hold at a moment; the product itself where no later ones have begun.
func (p *Product) At(at Moment) *Product {
	begun := 0
	for begun < len(p.Later) && p.Later[begun].From <= at {
		begun++
	}
	if begun == 0 {
		return p
	}
	now := *p
	now.Costs, now.Levels, now.ListIn = maps.Clone(p.Costs), maps.Clone(p.Levels), maps.Clone(p.ListIn)
	for i := range p.Later[:begun] {
		now.take(&p.Later[i])
	}
	return &now
}

func (p *Product) take(f *Figures) {
	one := func(to **money.Rat, figure *money.Rat) {
		if figure != nil {
			*to = figure
		}
	}
	each := func(to *map[string]money.Rat, figures map[string]money.Rat) {
		if *to == nil && len(figures) > 0 {
			*to = map[string]money.Rat{}
		}
		maps.Copy(*to, figures)
	}
	one(&p.List, f.List)
	one(&p.Cost, f.Cost)
	one(&p.RRP, f.RRP)
	one(&p.MAP, f.MAP)
	each(&p.Costs, f.Costs)
	each(&p.Levels, f.Levels)
	each(&p.ListIn, f.ListIn)
}

// Figure is one of a product's figures that people change by itself.
type Figure string

// The figures that have one value.
const (
	ListFigure Figure = "list"
	CostFigure Figure = "cost"
	RRPFigure  Figure = "rrp"
	MAPFigure  Figure = "map"
)

// Since is the moment from which a figure that holds at a moment has held, where a later entry gives it.
func (p *Product) Since(which Figure, at Moment) (since Moment, later bool) {
	for i := range p.Later {
		if f := &p.Later[i]; f.From <= at && *f.own(which) != nil {
			since, later = f.From, true
		}
	}
	return since, later
}

// Next is the next moment after a moment from which a figure is another, and what it is then.
func (p *Product) Next(which Figure, after Moment) (from Moment, amount *money.Rat) {
	for i := range p.Later {
		if f := &p.Later[i]; f.From > after && *f.own(which) != nil {
			return f.From, *f.own(which)
		}
	}
	return 0, nil
}

// Own is where a product keeps a figure that holds before any later one.
func (p *Product) Own(which Figure) **money.Rat {
	return map[Figure]**money.Rat{ListFigure: &p.List, CostFigure: &p.Cost, RRPFigure: &p.RRP, MAPFigure: &p.MAP}[which]
}

func (f *Figures) own(which Figure) **money.Rat {
	return map[Figure]**money.Rat{ListFigure: &f.List, CostFigure: &f.Cost, RRPFigure: &f.RRP, MAPFigure: &f.MAP}[which]
}

// Empty reports whether there is no figure.
func (f *Figures) Empty() bool {
	return f.List == nil && f.Cost == nil && f.RRP == nil && f.MAP == nil && len(f.Costs)+len(f.Levels)+len(f.ListIn) == 0
}

// Put is the product with an amount in the place of the figure that holds at a moment, be that its own or one of a
// later entry; nil takes it away, and what held before it holds on.
func (p *Product) Put(which Figure, at Moment, amount *money.Rat) *Product {
	next := *p
	next.Later = slices.Clone(p.Later)
	for i := len(next.Later) - 1; i >= 0; i-- {
		if f := &next.Later[i]; f.From <= at && *f.own(which) != nil {
			if *f.own(which) = amount; f.Empty() {
				next.Later = slices.Delete(next.Later, i, i+1)
			}
			return &next
		}
	}
	*next.Own(which) = amount
	return &next
}

// PutAll is Put for each of some figures, of costs, levels and list prices by currency each by itself; their own moment
// does not matter.
func (p *Product) PutAll(at Moment, f *Figures) *Product {
	next := p
	for _, which := range []Figure{ListFigure, CostFigure, RRPFigure, MAPFigure} {
		if amount := *f.own(which); amount != nil {
			next = next.Put(which, at, amount)
		}
	}
	next = next.putNamed(at, f.Costs, func(p *Product) *map[string]money.Rat { return &p.Costs },
		func(f *Figures) *map[string]money.Rat { return &f.Costs })
	next = next.putNamed(at, f.Levels, func(p *Product) *map[string]money.Rat { return &p.Levels },
		func(f *Figures) *map[string]money.Rat { return &f.Levels })
	return next.putNamed(at, f.ListIn, func(p *Product) *map[string]money.Rat { return &p.ListIn },
		func(f *Figures) *map[string]money.Rat { return &f.ListIn })
}

func (p *Product) putNamed(at Moment, amounts map[string]money.Rat, own func(*Product) *map[string]money.Rat,
	later func(*Figures) *map[string]money.Rat) *Product {
	if len(amounts) == 0 {
		return p
	}
	next := *p
	next.Later = slices.Clone(p.Later)
	for name, amount := range amounts {
		into := own(&next)
		for i := range next.Later {
			if f := &next.Later[i]; f.From <= at {
				if _, names := (*later(f))[name]; names {
					into = later(f)
				}
			}
		}
		if *into = maps.Clone(*into); *into == nil {
			*into = map[string]money.Rat{}
		}
		(*into)[name] = amount
	}
	return &next
}

// Differing are the figures of a product that another one lacks or has otherwise, later ones aside.
func (p *Product) Differing(from *Product) (f Figures) {
	for _, which := range []Figure{ListFigure, CostFigure, RRPFigure, MAPFigure} {
		is, was := *p.Own(which), *from.Own(which)
		if is != nil && (was == nil || !was.Equal(*is)) {
			*f.own(which) = is
		}
	}
	differing := func(is, was map[string]money.Rat) (found map[string]money.Rat) {
		for name, amount := range is {
			if old, had := was[name]; !had || !old.Equal(amount) {
				if found == nil {
					found = map[string]money.Rat{}
				}
				found[name] = amount
			}
		}
		return found
	}
	f.Costs, f.Levels, f.ListIn = differing(p.Costs, from.Costs), differing(p.Levels, from.Levels),
		differing(p.ListIn, from.ListIn)
	return f
}

// Merge puts figures among later ones: where some begin at the same moment, each that is put takes the place of the
// same one, and the others stay. The list that is given is left as it is.
func Merge(list []Figures, f Figures) []Figures {
	i, exists := slices.BinarySearchFunc(list, f.From, func(f Figures, at Moment) int { return cmp.Compare(f.From, at) })
	list = slices.Clone(list)
	if !exists {
		return slices.Insert(list, i, f)
	}
	into := &list[i]
	into.List, into.Cost = cmp.Or(f.List, into.List), cmp.Or(f.Cost, into.Cost)
	into.RRP, into.MAP = cmp.Or(f.RRP, into.RRP), cmp.Or(f.MAP, into.MAP)
	both := func(into *map[string]money.Rat, from map[string]money.Rat) {
		if *into = maps.Clone(*into); *into == nil {
			*into = from
			return
		}
		maps.Copy(*into, from)
	}
	both(&into.Costs, f.Costs)
	both(&into.Levels, f.Levels)
	both(&into.ListIn, f.ListIn)
	return list
}

// PutFrom is the product of which a figure is an amount from a moment on, until a later entry names it again.
func (p *Product) PutFrom(which Figure, from Moment, amount *money.Rat) *Product {
	next, f := *p, Figures{From: from}
	*f.own(which) = amount
	next.Later = Merge(p.Later, f)
	return &next
}

// Begins are the moments at which later figures of some product begin to hold, ascending.
func (e *Engine) Begins() []Moment { return e.goods.begins }

// At is the engine of the figures that hold at a moment: the one to ask for what products and selections are then.
// Questions and sweeps find it by themselves. Numbers of products and ordinals of rules are those of every other era.
func (e *Engine) At(at Moment) *Engine {
	if len(e.begins) == 0 {
		return e
	}
	era := eraOf(e.begins, at)
	switch era {
	case e.era:
		return e
	case 0:
		return e.first()
	}
	return e.eras.get(era, func() *Engine { return e.inEra(era) })
}

// eraOf is how many of some moments have begun.
func eraOf(begins []Moment, at Moment) int {
	k, found := slices.BinarySearch(begins, at)
	if found {
		k++
	}
	return k
}

// erasKept is how many eras are kept ready beside the first: a page at the present, one of a later day and a search
// through the days ahead each stay in theirs.
const erasKept = 4

// PerEra is what was made of an engine for some eras, those used last. What is in it is made once, by whoever comes
// first; others make other eras meanwhile. The zero value is ready.
type PerEra[T any] struct {
	mu   sync.Mutex
	list []*madeEra[T] // the one that was used last in front
}

type madeEra[T any] struct {
	era  int
	made func() T
}

// Of is what an engine's era has.
func (e *PerEra[T]) Of(engine *Engine, build func() T) T { return e.get(engine.era, build) }

func (e *PerEra[T]) get(era int, build func() T) T {
	e.mu.Lock()
	at := slices.IndexFunc(e.list, func(m *madeEra[T]) bool { return m.era == era })
	var m *madeEra[T]
	if at >= 0 {
		m = e.list[at]
		e.list = slices.Delete(e.list, at, at+1)
	} else {
		m = &madeEra[T]{era, sync.OnceValue(build)}
	}
	e.list = slices.Insert(e.list, 0, m)
	if len(e.list) > erasKept {
		e.list = slices.Delete(e.list, erasKept, len(e.list))
	}
	e.mu.Unlock()
	return m.made()
}

// inEra is the engine of an era.
func (e *Engine) inEra(era int) *Engine {
	first := e.first()
	g := first.goods.inEra(era)
	next := &Engine{goods: g, book: first.book, campaigns: first.campaigns, ladders: first.ladders, lists: first.lists,
		codes: first.codes, stale: slices.Clone(first.stale), era: era, of: first, eras: first.eras}
	next.rules = slices.Clone(first.rules)
	for i, r := range next.rules {
		if r == nil || !first.figured(r) {
			continue
		}
		own := &rule{Rule: r.Rule, ordinal: r.ordinal}
		next.ready(own, nil)
		next.rules[i] = own
		if !slices.Contains(next.stale, i) {
			next.stale = append(next.stale, i)
		}
	}
	next.layers = slices.Clone(first.layers)
	for i := range next.layers {
		l := &next.layers[i]
		l.rules = slices.Clone(l.rules)
		for k, r := range l.rules {
			l.rules[k] = next.rules[r.ordinal]
		}
	}
	return next
}

// first is the engine of the era before any later figures.
func (e *Engine) first() *Engine {
	if e.of != nil {
		return e.of
	}
	return e
}

// ever is what a rule selects, or may select when figures change.
func (e *Engine) ever(r *rule) Set {
	e = e.first()
	if r.reach[0] == nil {
		return e.index.empty()
	}
	all := r.reach[0].Or(r.reach[1])
	if len(e.later) > 0 && e.index.figured(&r.Where) {
		for _, p := range e.later {
			all.add(p)
		}
	}
	return all
}

// figured reports whether a rule reaches or counts other products when figures change.
func (e *Engine) figured(r *rule) bool {
	return e.index.figured(&r.Where) || r.counting.Where != nil && e.index.figured(r.counting.Where)
}

// figured reports whether a condition looks at figures.
func (x *index) figured(w *Where) bool {
	switch w.Field {
	case FieldList, FieldCost:
		return true
	case FieldRange:
		return slices.ContainsFunc(w.Values, func(code string) bool { return x.figuredRanges[code] })
	}
	return slices.ContainsFunc(w.Parts, func(p Where) bool { return x.figured(&p) })
}

// findLater notes the products that have later figures, and when those begin.
func (g *goods) findLater(products []*Product, numberOf []int32) {
	seen := map[Moment]bool{}
	for i, p := range products {
		if len(p.Later) == 0 {
			continue
		}
		g.later = append(g.later, numberOf[i])
		for k := range p.Later {
			seen[p.Later[k].From] = true
		}
	}
	g.begins = slices.Sorted(maps.Keys(seen))
}

// inEra are the goods of an era after the first, made of those of the first.
func (g *goods) inEra(era int) *goods {
	return g.eras.get(era, func() *goods { return g.withFigures(era) })
}

func (g *goods) withFigures(era int) *goods {
	at := g.begins[era-1]
	next := &goods{settings: g.settings, products: slices.Clone(g.products), taxes: g.taxes, taxOf: g.taxOf,
		taxesIn: g.taxesIn, channels: g.channels, groups: g.groups, people: g.people, fixedIn: maps.Clone(g.fixedIn),
		onRequest: g.onRequest, later: g.later, begins: g.begins, eras: g.eras, limits: map[*Channel]*limits{},
		list: column{slices.Clone(g.list.n), slices.Clone(g.list.d)},
		cost: column{slices.Clone(g.cost.n), slices.Clone(g.cost.d)}}
	own := map[string]bool{} // currencies whose sets are this era's own
	for _, number := range g.later {
		p := g.products[number].At(at)
		next.products[number] = p
		next.list.set(number, p.List)
		next.cost.set(number, p.Cost)
		for currency := range p.ListIn {
			if !own[currency] {
				if next.fixedIn[currency] = slices.Clone(g.fixedIn[currency]); next.fixedIn[currency] == nil {
					next.fixedIn[currency] = g.index.empty()
				}
				own[currency] = true
			}
			next.fixedIn[currency].add(number)
		}
	}
	next.index = g.index.withFigures(next.products)
	next.listed, next.guards = maps.Clone(g.listed), slices.Clone(g.guards)
	for code, c := range g.channels {
		if c.Where != nil && g.index.figured(c.Where) {
			next.listed[code] = next.index.match(c.Where, false)
		}
	}
	for i := range g.settings.Guards {
		if where := g.settings.Guards[i].Where; g.index.figured(where) {
			next.guards[i] = next.index.match(where, false)
		}
	}
	return next
}

// withFigures is the index of the same products with other figures, by their number.
func (x *index) withFigures(products []*Product) *index {
	next := &index{book: make([]*Product, len(x.book)), numberOf: x.numberOf, categories: x.categories, ranges: x.ranges,
		figuredRanges: x.figuredRanges, rangeSets: map[string]Set{}, first: x}
	for i, number := range x.numberOf {
		next.book[i] = products[number]
	}
	for code := range x.ranges {
		if x.figuredRanges[code] {
			next.rangeSet(code)
		} else {
			next.rangeSets[code] = x.rangeSets[code]
		}
	}
	return next
}
