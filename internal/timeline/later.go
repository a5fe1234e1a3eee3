package timeline

import (
	"cmp"
	"maps"
	"slices"

	"dogbane/internal/money"
	"dogbane/internal/pricing"
)

// Later is a moment from which figures of products are others.
type Later struct {
	At    pricing.Moment
	Goods []*pricing.Product // as the book has them
}

// LaterOf are the moments after a moment at which later figures of an engine's book begin to hold, ascending.
func LaterOf(e *pricing.Engine, after pricing.Moment) (list []Later) {
	if len(e.Begins()) == 0 {
		return nil
	}
	at := map[pricing.Moment][]*pricing.Product{}
	for _, p := range e.Products() {
		for i := range p.Later {
			if from := p.Later[i].From; from > after {
				at[from] = append(at[from], p)
			}
		}
	}
	for _, m := range slices.Sorted(maps.Keys(at)) {
		list = append(list, Later{m, at[m]})
	}
	return list
}

// FigureChange is one figure of a product that is another from a moment on; nil: it had none before.
type FigureChange struct {
	Product *pricing.Product
	Figure  string // "list", "cost", "rrp", "map", "costs", "levels" or "listIn"
	Name    string // of a further cost, a level or a currency
	Was, Is *money.Rat
}

// Changes are the figures that begin to hold at the moment, in the order of goods.
func (l *Later) Changes() (list []FigureChange) {
	for _, p := range l.Goods {
		before := p.At(l.At - 1)
		i := slices.IndexFunc(p.Later, func(f pricing.Figures) bool { return f.From == l.At })
		f := &p.Later[i]
		one := func(figure string, was, is *money.Rat) {
			if is != nil {
				list = append(list, FigureChange{p, figure, "", was, is})
			}
		}
		one("list", before.List, f.List)
		one("cost", before.Cost, f.Cost)
		one("rrp", before.RRP, f.RRP)
		one("map", before.MAP, f.MAP)
		each := func(figure string, was, is map[string]money.Rat) {
			for _, name := range slices.SortedFunc(maps.Keys(is), cmp.Compare[string]) {
				change := FigureChange{Product: p, Figure: figure, Name: name, Is: ptr(is[name])}
				if old, had := was[name]; had {
					change.Was = &old
				}
				list = append(list, change)
			}
		}
		each("costs", before.Costs, f.Costs)
		each("levels", before.Levels, f.Levels)
		each("listIn", before.ListIn, f.ListIn)
	}
	return list
}

func ptr[T any](v T) *T { return &v }
