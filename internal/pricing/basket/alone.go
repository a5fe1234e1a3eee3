package basket

import (
	"cmp"
	"slices"

	"dogbane/internal/money"
	"dogbane/internal/pricing"
)

// Alone is one offer of the book for a viewpoint, other offers aside.
type Alone struct {
	trial
	offer *offer
}

// Set is goods that are bought together.
type Set []Added

// Bounds of what is tried of an offer: so many sets, and of a part for which more goods will do so many kinds.
const (
	mostSets  = 3000
	mostKinds = 8
	someSets  = 40 // where they cannot be all
)

// Alone is an offer at work without any other; nil where there is no such offer.
func (e *Engine) Alone(code string, vp pricing.Viewpoint) (*Alone, error) {
	e = e.in(vp.At)
	at := e.place(code)
	if at < 0 {
		return nil, nil
	}
	scope, err := e.prices.Scope(vp)
	if err != nil {
		return nil, err
	}
	a := &Alone{offer: e.offers[at]}
	a.trial = *e.only(a.offer).trialAt(vp, scope)
	a.open(a.offer)
	return a, nil
}

// Buy is what a set costs with the offer, with margins, and the question that says so.
func (a *Alone) Buy(set Set) (*Answer, Question, error) {
	q := a.q
	for _, x := range set {
		q.Lines = append(q.Lines, pricing.Line{SKU: x.SKU, Quantity: x.Quantity})
	}
	answer, err := a.Engine.price(q, true)
	return answer, q, err
}

// Sets are the smallest sets that fill the offer's needs and, with rewards, its rewards of other goods. complete says
// whether they are all: of many kinds of goods those are taken that cost, that bring in and that leave least and most.
func (a *Alone) Sets(rewards bool) (sets []Set, complete bool) {
	type part struct {
		goods []int32
		units int
		same  string
	}
	var parts []part
	o := a.offer
	complete = true
	add := func(of pricing.Set, units int, same string) {
		goods, all := a.telling(o.where.And(of))
		complete = complete && all
		parts = append(parts, part{goods, units, same})
	}
	for i := range o.needs {
		add(o.needs[i].where, o.needs[i].Quantity, o.needs[i].Same)
	}
	for i := range o.gives {
		if g := &o.gives[i]; rewards && g.where != nil {
			add(g.where, max(g.units, 1), "")
		}
	}
	bound := mostSets
	if !complete {
		bound = someSets
	}
	sets = []Set{nil}
	for _, p := range parts {
		var next []Set
		for _, set := range sets {
			choose(p.goods, p.units, func(kinds []int32, counts []int) bool {
				if len(kinds) > 1 && (!complete || !a.alike(kinds, p.same)) { // of many goods, each kind is tried by itself
					return true
				}
				with := set
				for i, k := range kinds {
					with = merged(with, Added{a.prices.Products()[k].SKU, counts[i]})
				}
				next = append(next, with)
				return len(next) < bound
			})
			if len(next) >= bound {
				complete = false
				break
			}
		}
		sets = next
	}
	if len(parts) == 0 {
		return nil, complete
	}
	return sets, complete
}

// alike reports whether kinds of goods share what an offer wants them to share.
func (a *Alone) alike(kinds []int32, same string) bool {
	switch same {
	case "sku":
		return len(kinds) == 1
	case "style":
		style := a.prices.Products()[kinds[0]].Style
		return len(kinds) == 1 || style != "" &&
			!slices.ContainsFunc(kinds, func(k int32) bool { return a.prices.Products()[k].Style != style })
	}
	return true
}

// telling are the goods of a set that have a price: all, or of many those that tell most.
func (a *Alone) telling(of pricing.Set) (goods []int32, all bool) {
	count := 0
	of.Each(func(p int32) bool {
		if a.scope.Sells(p) {
			if count++; count <= thinnestLookups && a.price(p) != nil {
				goods = append(goods, p)
			}
		}
		return true
	})
	if count <= thinnestLookups && len(goods) <= mostKinds {
		return goods, true
	}
	left := func(p int32) money.Rat {
		if m := a.price(p).Margin; m != nil {
			if percent, known := m.Percent(); known {
				return percent
			}
		}
		return money.Int(1000)
	}
	var chosen []int32
	take := func(order func(x, y int32) int) {
		slices.SortStableFunc(goods, order)
		for _, p := range goods[:min(2, len(goods))] {
			if !slices.Contains(chosen, p) {
				chosen = append(chosen, p)
			}
		}
	}
	unit := func(p int32) money.Rat { return *a.price(p).Unit }
	take(func(x, y int32) int { return left(x).Cmp(left(y)) })
	take(func(x, y int32) int { return unit(y).Cmp(unit(x)) })
	take(func(x, y int32) int { return unit(x).Cmp(unit(y)) })
	take(func(x, y int32) int { return cmp.Or(left(y).Cmp(left(x)), unit(y).Cmp(unit(x))) })
	return chosen, false
}

// choose gives every choice of so many units of kinds of goods, however often the same, while visit wants more.
func choose(goods []int32, units int, visit func(kinds []int32, counts []int) bool) {
	var kinds []int32
	var counts []int
	var from func(i, left int) bool
	from = func(i, left int) bool {
		if left == 0 {
			return visit(kinds, counts)
		}
		if i == len(goods) {
			return true
		}
		for n := left; n > 0; n-- {
			kinds, counts = append(kinds, goods[i]), append(counts, n)
			more := from(i+1, left-n)
			kinds, counts = kinds[:len(kinds)-1], counts[:len(counts)-1]
			if !more {
				return false
			}
		}
		return from(i+1, left)
	}
	from(0, units)
}

// MostApart is a bound that no set which fills the offer's needs costs more than, other offers aside; false where it
// cannot be told.
func (a *Alone) MostApart() (money.Rat, bool) {
	sum, units := money.Int(0), 0
	for i := range a.offer.needs {
		units += a.offer.needs[i].Quantity
	}
	for i := range a.offer.needs {
		most, known := money.Rat{}, false
		a.offer.where.And(a.offer.needs[i].where).Each(func(p int32) bool {
			if !a.scope.Sells(p) {
				return true
			}
			for n := 1; n <= units; n++ {
				vp := a.q.alone()
				vp.Quantity = n
				x, err := a.prices.Price(pricing.Question{Viewpoint: vp, SKU: a.prices.Products()[p].SKU})
				if err != nil {
					return false
				}
				for _, portion := range x.Portions {
					if portion.Unit != nil && (!known || most.Less(*portion.Unit)) {
						most, known = *portion.Unit, true
					}
				}
			}
			return true
		})
		if !known {
			return sum, false
		}
		sum = sum.Add(most.Mul(money.Int(int64(a.offer.needs[i].Quantity))))
	}
	return sum, true
}

// Amount is an amount of the offer in the channel's currency; false where there is no rate.
func (a *Alone) Amount(of money.Rat) (money.Rat, bool) { return a.scope.Amount(a.offer.Rule, of) }
