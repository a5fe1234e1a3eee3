package basket

import (
	"slices"

	"dogbane/internal/money"
	"dogbane/internal/pricing"
)

// Thinnest is a set of goods with what is left of it.
type Thinnest struct {
	Lines  []Added
	Total  money.Rat
	Margin pricing.Margin
}

// Bounds of the search for the thinnest set.
const (
	thinnestKinds   = 6   // of each need and each reward
	thinnestLookups = 400 // products whose margin is looked at
)

// thin are products of a set by what is left of their prices in percent, the least first.
func (t *trial) thin(of pricing.Set, most int) (list []int32) {
	percent := map[int32]money.Rat{}
	for _, p := range t.wellSold(of, thinnestLookups) {
		if m := t.price(p).Margin; m != nil {
			if left, known := m.Percent(); known {
				percent[p] = left
				list = append(list, p)
			}
		}
	}
	slices.SortStableFunc(list, func(a, b int32) int { return percent[a].Cmp(percent[b]) })
	return list[:min(len(list), most)]
}

// thinnest looks among the smallest sets of the goods with the least margins for the one of which least is left.
func (t *trial) thinnest(o *offer) error {
	kinds := thinnestKinds
	if parts := len(o.needs) + len(o.gives); parts > 2 {
		kinds = 2
	} else if parts < 2 {
		kinds = 20
	}
	sets := [][]Added{nil}
	cross := func(of pricing.Set, units func(p int32) int) {
		var next [][]Added
		for _, p := range t.thin(of, kinds) {
			for _, set := range sets {
				if len(next) < 60 {
					next = append(next, merged(set, Added{t.prices.Products()[p].SKU, units(p)}))
				}
			}
		}
		sets = next
	}
	fixed := func(n int) func(int32) int { return func(int32) int { return n } }
	for i := range o.needs {
		cross(o.where.And(o.needs[i].where), fixed(o.needs[i].Quantity))
	}
	for i := range o.gives {
		if g := &o.gives[i]; g.where != nil {
			cross(o.where.And(g.where), fixed(max(g.units, 1)))
		}
	}
	if o.Offer.Spend != nil {
		amount, known := t.scope.Amount(o.Rule, o.Offer.Spend.Amount)
		if !known {
			return nil
		}
		cross(o.where.And(o.spend), func(p int32) int {
			n, fits := amount.Div(*t.price(p).Unit).Minor(0, money.Up)
			if !fits || n > 10_000 {
				return 1
			}
			return max(int(n), 1)
		})
	}
	if len(o.needs) == 0 && o.Offer.Spend == nil && len(sets) == 1 && sets[0] == nil {
		cross(o.where, fixed(1))
	}
	for _, set := range sets {
		q := t.q
		q.Lines, q.Shipping = nil, nil
		for _, x := range set {
			q.Lines = append(q.Lines, pricing.Line{SKU: x.SKU, Quantity: x.Quantity})
		}
		a, err := t.Engine.price(q, true)
		if err != nil {
			return err
		}
		if a.times(o.Code) == 0 || a.Margin == nil {
			continue
		}
		if left, known := a.Margin.Percent(); known {
			if was, has := t.percentLeft(); !has || left.Less(was) {
				t.Thinnest = &Thinnest{set, a.Total, *a.Margin}
			}
		}
	}
	return nil
}

func (t *trial) percentLeft() (money.Rat, bool) {
	if t.Thinnest == nil {
		return money.Rat{}, false
	}
	return t.Thinnest.Margin.Percent()
}
