package basket

import (
	"cmp"
	"slices"

	"dogbane/internal/money"
	"dogbane/internal/pricing"
)

// Nudge is what to add to a basket so that a rule reaches its next break, or an offer applies once more.
type Nudge struct {
	Rule  string
	Add   []Added
	Costs money.Rat // how much more the whole costs with it; below 0: the whole is cheaper
	// Saves is what the whole then costs less than now with the added goods paid for at their present prices.
	Saves money.Rat
}

// Added is units of a product.
type Added struct {
	SKU      string
	Quantity int
}

// Bounds of the search for nudges: baskets that are tried, what is shown, and goods looked at for a need.
const (
	mostTrials  = 80
	mostNudges  = 12
	mostFillers = 32
)

// nudges are what to add for the next break or offer, cheapest first. Each was tried: the whole basket is priced with
// it. Of several ways to the same rule the cheapest is told.
func (t *till) nudges(a *Answer) []Nudge {
	best, trials := map[string]Nudge{}, 0
	try := func(rule string, add []Added, reached func(before, after *Answer) bool) {
		if trials++; trials > mostTrials || len(add) == 0 {
			return
		}
		n, ok := t.tryNudge(a, rule, add, reached)
		if was, known := best[rule]; ok && (!known || n.Costs.Less(was.Costs)) {
			best[rule] = n
		}
	}
	for i := range a.Lines {
		l := &a.Lines[i]
		for _, next := range l.Next {
			try(next.Rule, []Added{{l.SKU, next.Units}}, func(_, after *Answer) bool {
				return slices.ContainsFunc(after.Lines[i].Runs, func(r pricing.Run) bool {
					return slices.Contains(r.Rules, next.Rule)
				})
			})
		}
	}
	for _, o := range t.offers {
		for _, add := range t.missing(o, a) {
			try(o.Code, add, func(before, after *Answer) bool { return before.times(o.Code) < after.times(o.Code) })
		}
	}
	list := []Nudge{}
	for _, n := range best {
		list = append(list, n)
	}
	slices.SortFunc(list, func(x, y Nudge) int {
		return cmp.Or(x.Costs.Cmp(y.Costs), y.Saves.Cmp(x.Saves), cmp.Compare(x.Rule, y.Rule))
	})
	return list[:min(len(list), mostNudges)]
}

// times is how often an offer was applied.
func (a *Answer) times(rule string) int {
	for i := range a.Offers {
		if a.Offers[i].Rule == rule {
			return a.Offers[i].Applications
		}
	}
	return 0
}

// tryNudge prices the basket with goods added; false where the rule is not reached or nothing is saved.
func (t *till) tryNudge(a *Answer, rule string, add []Added, reached func(before, after *Answer) bool) (Nudge, bool) {
	q := *t.q
	q.Explain, q.Lines = false, slices.Clone(q.Lines)
	paid := money.Int(0) // for the added goods, at present prices
	for _, x := range add {
		at := slices.IndexFunc(q.Lines, func(l pricing.Line) bool { return l.SKU == x.SKU })
		var each money.Rat
		if at >= 0 && a.Lines[at].Runs != nil {
			q.Lines[at].Quantity += x.Quantity
			runs := a.Lines[at].Runs
			each = runs[len(runs)-1].Price
		} else {
			q.Lines = append(q.Lines, pricing.Line{SKU: x.SKU, Quantity: x.Quantity})
			alone, err := t.prices.Price(pricing.Question{Viewpoint: t.q.alone(), SKU: x.SKU})
			if err != nil || alone.Unit == nil {
				return Nudge{}, false
			}
			each = *alone.Unit
		}
		paid = paid.Add(each.Mul(money.Int(int64(x.Quantity))))
	}
	after, err := t.Price(q)
	if err != nil || len(after.Problems) > len(a.Problems) || !reached(a, after) {
		return Nudge{}, false
	}
	n := Nudge{Rule: rule, Add: add, Costs: after.Total.Sub(a.Total)}
	n.Saves = paid.Sub(n.Costs)
	return n, n.Saves.Sign() > 0
}

// alone is the viewpoint of a question for one unit.
func (q *Question) alone() pricing.Viewpoint {
	vp := q.Viewpoint
	vp.Quantity, vp.Term = 1, 1
	return vp
}

// missing is what would have to be added, in each of several ways, for an offer to apply once more.
func (t *till) missing(o *offer, a *Answer) (ways [][]Added) {
	f, times := o.Offer, a.times(o.Code)+1
	if t.scope.Barred(o.ordinal, grace(f)) != "" || f.After != nil && !t.bought(o) || f.Codes != nil && !t.presented(o) ||
		t.left(o) < times {
		return nil
	}
	free := t.free(o, a)
	used := make([]bool, len(t.units))
	add := map[string]int{}
	var order []string
	want := func(sku string, units int) bool {
		if units > 0 && sku != "" && add[sku] == 0 {
			order = append(order, sku)
		}
		if units > 0 {
			add[sku] += units
		}
		return units <= 0 || sku != ""
	}
	for i := range o.needs {
		n := &o.needs[i]
		there := t.takeFree(free, used, n.where, n.Quantity*times)
		sku := ""
		if n.Same != "" {
			var rest int
			sku, rest = t.mostAlike(n, free)
			there = n.Quantity*(times-1) + rest
		}
		if sku == "" {
			sku = t.filler(o.where.And(n.where), n.cheapest)
		}
		if !want(sku, n.Quantity*times-there) {
			return nil
		}
	}
	for i := range o.gives {
		g := &o.gives[i]
		if g.where == nil {
			continue
		}
		each := max(g.units, 1) // AllUnits: one at least
		there := t.takeFree(free, used, g.where, each*times)
		if there < each*times && !want(t.filler(o.where.And(g.where), g.cheapest), each*times-there) {
			return nil
		}
	}
	if f.Spend == nil {
		return [][]Added{flat(order, add)}
	}
	amount, known := t.scope.Amount(o.Rule, f.Spend.Amount)
	if !known || !f.Spend.Every && times > 1 {
		return nil
	}
	missing := amount
	if f.Spend.Every {
		missing = missing.Mul(money.Int(int64(times)))
	}
	missing = missing.Sub(t.spent(o, free))
	if missing.Sign() <= 0 {
		return [][]Added{flat(order, add)}
	}
	for _, x := range t.worth(o, missing) {
		way := append(flat(order, add), x)
		if at := slices.Index(order, x.SKU); at >= 0 { // added already: so much is spent with it
			way = flat(order, add)
			way[at].Quantity = max(way[at].Quantity, x.Quantity)
		}
		ways = append(ways, way)
	}
	return ways
}

func flat(order []string, add map[string]int) (list []Added) {
	for _, sku := range order {
		list = append(list, Added{sku, add[sku]})
	}
	return list
}

// free are the units that the offer may use and that no other offer of the answer has used.
func (t *till) free(o *offer, a *Answer) (units []int) {
	taken := map[int]int{} // by line
	for i := range a.Offers {
		if a.Offers[i].Rule == o.Code {
			continue
		}
		most := map[int]int{}
		for _, s := range a.Offers[i].Needed {
			most[s.Line] = s.Units
		}
		for _, s := range a.Offers[i].Rewarded {
			most[s.Line] = max(most[s.Line], s.Units)
		}
		for line, n := range most {
			taken[line] += n
		}
	}
	for _, u := range t.eligible(o) {
		if line := t.units[u].line; taken[line] > 0 {
			taken[line]--
			continue
		}
		units = append(units, u)
	}
	return units
}

// takeFree uses up to so many free units that match, and says how many there were.
func (t *till) takeFree(free []int, used []bool, where pricing.Set, most int) (n int) {
	for _, u := range free {
		if n == most {
			break
		}
		if !used[u] && where.Has(t.units[u].p) {
			used[u] = true
			n++
		}
	}
	return n
}

// mostAlike is the SKU or style of which most units are there beyond whole groups of a need, by one of its goods.
func (t *till) mostAlike(n *need, free []int) (sku string, most int) {
	counts, one := map[string]int{}, map[string]string{}
	var order []string
	for _, u := range free {
		if !n.where.Has(t.units[u].p) {
			continue
		}
		key := t.alike(n, u)
		if counts[key]++; counts[key] == 1 {
			one[key], order = t.prices.Products()[t.units[u].p].SKU, append(order, key)
		}
	}
	for _, key := range order {
		if rest := counts[key] % n.Quantity; rest > most {
			sku, most = one[key], rest
		}
	}
	return sku, most
}

// filler is the cheapest product of a selection: of those in the basket or, where none is, of all; "" where there is
// none.
func (t *till) filler(where pricing.Set, others func() []int32) (sku string) {
	var price money.Rat
	for i := range t.units {
		u := &t.units[i]
		if where.Has(u.p) && (sku == "" || u.Price.Less(price)) {
			sku, price = t.prices.Products()[u.p].SKU, u.Price
		}
	}
	if sku != "" {
		return sku
	}
	for _, p := range others() {
		if t.scope.Sells(p) {
			return t.prices.Products()[p].SKU
		}
	}
	return ""
}

// worth is goods, of each kind in the basket that counts and of the cheapest others, that cost at least an amount.
func (t *till) worth(o *offer, amount money.Rat) (list []Added) {
	spend := o.where.And(o.spend)
	seen := map[int32]bool{}
	consider := func(p int32, price money.Rat) {
		if seen[p] || price.Sign() <= 0 {
			return
		}
		seen[p] = true
		if n, fits := amount.Div(price).Minor(0, money.Up); fits && n < MaxUnits {
			list = append(list, Added{t.prices.Products()[p].SKU, int(n)})
		}
	}
	for i := range t.units {
		if u := &t.units[i]; spend.Has(u.p) && len(list) < 8 {
			consider(u.p, u.Price)
		}
	}
	if len(list) > 0 {
		return list
	}
	for _, p := range o.cheapest() {
		if len(list) == 4 {
			break
		}
		if !t.scope.Sells(p) {
			continue
		}
		if a, err := t.prices.Price(pricing.Question{Viewpoint: t.q.alone(), SKU: t.prices.Products()[p].SKU}); err == nil &&
			a.Unit != nil {
			consider(p, *a.Unit)
		}
	}
	return list
}

// cheapest are the products of a set with the lowest list prices, ascending.
func cheapest(prices *pricing.Engine, of pricing.Set) []int32 {
	var list []int32
	products := prices.Products()
	byList := func(a, b int32) int {
		return cmp.Or(products[a].List.Cmp(*products[b].List), cmp.Compare(products[a].SKU, products[b].SKU))
	}
	of.Each(func(p int32) bool {
		if l := products[p].List; l == nil || l.Sign() <= 0 {
			return true
		}
		if at, _ := slices.BinarySearchFunc(list, p, byList); at < mostFillers {
			list = slices.Insert(list, at, p)
			list = list[:min(len(list), mostFillers)]
		}
		return true
	})
	return list
}
