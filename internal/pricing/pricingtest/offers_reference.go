package pricingtest

import (
	"cmp"
	"math/big"
	"slices"

	"dogbane/internal/pricing"
	"dogbane/internal/pricing/basket"
)

// AppliedOffer is an offer that the reference applied. Needed and Rewarded count units by line.
type AppliedOffer struct {
	Rule             string
	Applications     int
	Off, Shipping    *big.Rat
	Needed, Rewarded map[int]int
	OffByLine        map[int]*big.Rat
}

// unitSold is one unit of a basket with its price.
type unitSold struct {
	line                          int
	p                             *pricing.Product
	price, list, catalog, options *big.Rat
	ended, reduced, used          bool
}

// Offers applies the offers of a book in rank order to lines that have their prices, by section 5 of docs/book.md read
// once more: each offer tries every number of applications from the most to one, and chooses its units anew each time.
func Offers(book *pricing.Book, q basket.Question, lines []basket.Line) []AppliedOffer {
	r := newReference(book, pricing.Question{Viewpoint: q.Viewpoint})
	var units []*unitSold
	for i := range lines {
		for _, run := range lines[i].Runs {
			for range run.Units {
				units = append(units, &unitSold{line: i, p: r.product(lines[i].SKU), price: rat(run.Price), list: ratp(run.List),
					catalog: ratp(run.Catalog), options: rat(run.Options), ended: run.Ended, reduced: run.Reduced})
			}
		}
	}
	shipping := num(0)
	if q.Shipping != nil {
		shipping = rat(*q.Shipping)
	}
	var offers []*pricing.Rule
	for i := range book.Rules {
		if book.Rules[i].Offer != nil {
			offers = append(offers, &book.Rules[i])
		}
	}
	slices.SortStableFunc(offers, func(a, b *pricing.Rule) int {
		return cmp.Or(cmp.Compare(a.Rank, b.Rank), cmp.Compare(a.Code, b.Code))
	})
	var applied []AppliedOffer
	for _, u := range offers {
		d := &deal{reference: r, u: u, f: u.Offer, q: &q, units: units, shipping: shipping}
		if out := d.apply(); out != nil {
			applied = append(applied, *out)
			shipping = sub(shipping, out.Shipping)
			if u.Then != "" {
				break
			}
		}
	}
	return applied
}

// deal is one offer on its way.
type deal struct {
	*reference
	u        *pricing.Rule
	f        *pricing.Offer
	q        *basket.Question
	units    []*unitSold
	eligible []int
	shipping *big.Rat
	parts    []partOff
}

// partOff is what one give takes in one application, from each of its units.
type partOff struct {
	application int
	units       []int
	off         []*big.Rat
	shipping    *big.Rat
}

// open reports whether the offer takes part, with the grace of its codes.
func (d *deal) open() bool {
	grace := pricing.Moment(0)
	if d.f.Codes != nil && d.f.Codes.GraceDays != nil {
		grace = pricing.Moment(*d.f.Codes.GraceDays) * pricing.Day
	}
	later := func(w *pricing.Window) *pricing.Window {
		if w == nil || w.To == nil {
			return w
		}
		l := *w
		l.To = new(*w.To + grace)
		return &l
	}
	u := *d.u
	u.Window = later(u.Window)
	other := *d.book
	other.Campaigns = slices.Clone(d.book.Campaigns)
	for i := range other.Campaigns {
		other.Campaigns[i].Window = later(other.Campaigns[i].Window)
	}
	r := *d.reference
	r.book = &other
	return r.takesPart(&u)
}

func (d *deal) matches(w *pricing.Where, i int) bool { return d.holds(w, d.units[i].p, false) }

func (d *deal) apply() *AppliedOffer {
	if !d.open() {
		return nil
	}
	for i, u := range d.units {
		if d.matches(&d.u.Where, i) && !u.used && !u.ended && !(d.f.SkipReduced && u.reduced) {
			d.eligible = append(d.eligible, i)
		}
	}
	most := len(d.units) + 1
	if d.f.Repeat > 0 {
		most = min(most, d.f.Repeat)
	}
	used := d.q.Used[d.u.Code]
	byCustomer := func(u basket.Uses) int {
		if d.q.Customer == "" {
			return 0
		}
		return u.Customer
	}
	if d.f.Stock != nil {
		most = min(most, *d.f.Stock-used.Total)
	}
	if d.f.PerCustomer != nil {
		most = min(most, *d.f.PerCustomer-byCustomer(used.Uses))
	}
	every := false
	if s := d.f.Spend; s != nil {
		amount, sum := d.ruleAmount(d.u, s.Amount), num(0)
		if amount == nil {
			return nil
		}
		for _, i := range d.eligible {
			if d.matches(&s.Where, i) {
				sum = add(sum, d.units[i].price)
			}
		}
		if sum.Cmp(amount) < 0 {
			return nil
		}
		if every = s.Every; every {
			full := new(big.Int).Quo(quo(sum, amount).Num(), quo(sum, amount).Denom())
			most = int(min(int64(most), full.Int64()))
		}
	}
	if d.f.After != nil && !slices.ContainsFunc(d.q.History, func(h pricing.Purchase) bool {
		p := d.product(h.SKU)
		midnight := d.at - d.at%pricing.Day
		return p != nil && h.Quantity > 0 && d.holds(&d.f.After.Where, p, false) && h.At < d.at &&
			h.At >= midnight-pricing.Moment(d.f.After.Days)*pricing.Day
	}) {
		return nil
	}
	if c := d.f.Codes; c != nil && !slices.ContainsFunc(d.q.Codes, func(word string) bool {
		if !slices.Contains(c.Words, word) {
			return false
		}
		u := used.Codes[word]
		return (c.Uses == nil || u.Total < *c.Uses) && (c.UsesPerCustomer == nil || byCustomer(u) < *c.UsesPerCustomer)
	}) {
		return nil
	}
	if len(d.f.Needs) == 0 && !every {
		most = min(most, 1)
	}
	for i := range d.f.Gives {
		if g := &d.f.Gives[i]; g.Where == nil && (g.To == "basket" || g.To == "shipping") {
			most = min(most, 1)
		}
	}
	for k := most; k >= 1; k-- {
		if needed, ok := d.fill(k); ok && d.reward(k, needed) {
			return d.sum(k, needed)
		}
	}
	return nil
}

// pick is a give's order of units.
func pick(g *pricing.Give) string {
	if g.Pick != "" {
		return g.Pick
	}
	if g.ForTotal != nil {
		return "dearest"
	}
	return "cheapest"
}

func (d *deal) sorted(units []int, dearest bool) []int {
	list := slices.Clone(units)
	slices.SortStableFunc(list, func(a, b int) int {
		if dearest {
			a, b = b, a
			return d.units[a].price.Cmp(d.units[b].price)
		}
		return d.units[a].price.Cmp(d.units[b].price)
	})
	return list
}

// fill chooses the units of every need for k applications.
func (d *deal) fill(k int) (needed [][]int, ok bool) {
	taken := map[int]bool{}
	for n := range d.f.Needs {
		need := &d.f.Needs[n]
		var free []int
		for _, i := range d.eligible {
			if d.matches(&need.Where, i) && !taken[i] {
				free = append(free, i)
			}
		}
		var by *pricing.Give
		for g := range d.f.Gives {
			give := &d.f.Gives[g]
			if by == nil && give.Where == nil && (give.To == need.ID || give.To == "needs") {
				by = give
			}
		}
		if by != nil {
			free = d.sorted(free, pick(by) != "cheapest")
		} else {
			free = d.sorted(free, true)
			wanted := func(i int) bool {
				return slices.ContainsFunc(d.f.Gives, func(g pricing.Give) bool { return g.Where != nil && d.matches(g.Where, i) })
			}
			var first, last []int
			for _, i := range free {
				if wanted(i) {
					last = append(last, i)
				} else {
					first = append(first, i)
				}
			}
			free = append(first, last...)
		}
		if need.Same != "" {
			var keys []string
			groups := map[string][]int{}
			for _, i := range free {
				key := "sku " + d.units[i].p.SKU
				if need.Same == "style" && d.units[i].p.Style != "" {
					key = "style " + d.units[i].p.Style
				}
				if groups[key] == nil {
					keys = append(keys, key)
				}
				groups[key] = append(groups[key], i)
			}
			free = nil
			for _, key := range keys {
				g := groups[key]
				free = append(free, g[:len(g)-len(g)%need.Quantity]...)
			}
		}
		if len(free) < k*need.Quantity {
			return nil, false
		}
		free = free[:k*need.Quantity]
		for _, i := range free {
			taken[i] = true
		}
		needed = append(needed, free)
	}
	return needed, true
}

// reward chooses what is rewarded and reports whether every application lowers something.
func (d *deal) reward(k int, needed [][]int) bool {
	d.parts = nil
	rewarded, isNeeded := map[int]bool{}, map[int]bool{}
	for _, units := range needed {
		for _, i := range units {
			isNeeded[i] = true
		}
	}
	left := num(0)
	left = add(left, d.shipping)
	for g := range d.f.Gives {
		give := &d.f.Gives[g]
		at := slices.IndexFunc(d.f.Needs, func(n pricing.Need) bool { return give.Where == nil && n.ID == give.To })
		per := make([][]int, k)
		bound := len(d.units) + 1
		if d.f.MaxUnits > 0 {
			bound = d.f.MaxUnits
		}
		switch {
		case give.Where == nil && give.To == "shipping":
			off := num(0)
			switch {
			case give.PercentOff != nil:
				off = mul(left, share(*give.PercentOff))
			case give.AmountOff != nil:
				if a := d.ruleAmount(d.u, *give.AmountOff); a != nil {
					off = least(a, left)
				}
			case give.Each != nil:
				if a := d.ruleAmount(d.u, *give.Each); a != nil {
					off = most(sub(left, a), num(0))
				}
			}
			left = sub(left, off)
			d.parts = append(d.parts, partOff{application: 0, shipping: off})
			continue
		case at >= 0:
			need := &d.f.Needs[at]
			units := give.Units
			if units == 0 {
				units = need.Quantity
			}
			switch {
			case need.Same != "" || pick(give) == "in-turn":
				for a := range k {
					group := d.sorted(open(needed[at][a*need.Quantity:(a+1)*need.Quantity], rewarded), pick(give) != "cheapest")
					if pick(give) == "in-turn" {
						group = group[max(len(group)-units, 0):]
					}
					per[a] = group[:min(len(group), units, bound)]
					bound -= len(per[a])
				}
			default:
				all := d.sorted(open(needed[at], rewarded), pick(give) == "dearest")
				all = all[:min(len(all), k*units, bound)]
				for a := range k {
					from := min(a*units, len(all))
					per[a] = all[from:min(from+units, len(all))]
				}
			}
		case give.Where == nil && give.To == "needs":
			for n := range needed {
				size := d.f.Needs[n].Quantity
				for a := range k {
					per[a] = append(per[a], open(needed[n][a*size:(a+1)*size], rewarded)...)
				}
			}
		case give.Where == nil: // the basket
			per[0] = open(d.eligible, rewarded)
		default:
			var free []int
			for _, i := range d.eligible {
				if d.matches(give.Where, i) && !isNeeded[i] && !rewarded[i] {
					free = append(free, i)
				}
			}
			free = d.sorted(free, pick(give) == "dearest")
			free = free[:min(len(free), bound)]
			if give.Units == pricing.AllUnits {
				per[0] = free
				break
			}
			units := max(give.Units, 1)
			for a := range k {
				from := min(a*units, len(free))
				per[a] = free[from:min(from+units, len(free))]
			}
		}
		for a, units := range per {
			for _, i := range units {
				rewarded[i] = true
			}
			d.parts = append(d.parts, d.part(give, a, units))
		}
	}
	for a := range k {
		lowered := false
		for _, p := range d.parts {
			if p.application != a {
				continue
			}
			lowered = lowered || p.shipping != nil && p.shipping.Sign() > 0
			for _, off := range p.off {
				lowered = lowered || off.Sign() > 0
			}
		}
		if !lowered {
			return false
		}
	}
	return true
}

func open(units []int, rewarded map[int]bool) (free []int) {
	for _, i := range units {
		if !rewarded[i] {
			free = append(free, i)
		}
	}
	return free
}

// part is what a give takes from the units of one application.
func (d *deal) part(g *pricing.Give, application int, units []int) partOff {
	p := partOff{application: application, units: units}
	sum := num(0)
	for _, i := range units {
		sum = add(sum, d.units[i].price)
	}
	together := num(0)
	switch {
	case g.AmountOff != nil:
		if a := d.ruleAmount(d.u, *g.AmountOff); a != nil {
			together = least(a, sum)
		}
	case g.ForTotal != nil:
		if a := d.ruleAmount(d.u, *g.ForTotal); a != nil {
			together = most(sub(sum, a), num(0))
		}
	}
	for _, i := range units {
		u := d.units[i]
		off := num(0)
		switch {
		case g.PercentOff != nil:
			from := map[pricing.Basis]*big.Rat{"": u.price, pricing.OfList: u.list, pricing.OfCatalog: u.catalog}[g.Of]
			if g.Of == "" {
				off = mul(u.price, share(*g.PercentOff))
			} else if from != nil {
				off = most(sub(sub(u.price, u.options), mul(from, sub(num(1), share(*g.PercentOff)))), num(0))
			}
		case g.Each != nil:
			if a := d.ruleAmount(d.u, *g.Each); a != nil {
				off = most(sub(u.price, a), num(0))
			}
		default:
			if sum.Sign() > 0 {
				off = quo(mul(together, u.price), sum)
			}
		}
		p.off = append(p.off, off)
	}
	return p
}

// sum rounds, bounds and deals out; nil where nothing is left.
func (d *deal) sum(k int, needed [][]int) *AppliedOffer {
	goods, shipping := num(0), num(0)
	type one struct {
		unit int
		off  *big.Rat
	}
	var all []one
	for _, p := range d.parts {
		for n, i := range p.units {
			goods = add(goods, p.off[n])
			all = append(all, one{i, p.off[n]})
		}
		if p.shipping != nil {
			shipping = add(shipping, p.shipping)
		}
	}
	slices.SortStableFunc(all, func(a, b one) int { return a.unit - b.unit })
	left := (*big.Rat)(nil)
	if d.f.MaxOff != nil {
		if a := d.ruleAmount(d.u, *d.f.MaxOff); a != nil {
			left = d.roundHow(a, "half-up")
		}
	}
	bounded := func(off *big.Rat) *big.Rat {
		off = d.roundHow(off, "half-up")
		if left != nil {
			off = least(off, left)
			left = sub(left, off)
		}
		return off
	}
	exact := goods
	goods = bounded(goods)
	shipping = bounded(shipping)
	off := add(goods, shipping)
	if off.Sign() <= 0 {
		return nil
	}
	out := &AppliedOffer{Rule: d.u.Code, Applications: k, Off: off, Shipping: shipping, Needed: map[int]int{},
		Rewarded: map[int]int{}, OffByLine: map[int]*big.Rat{}}
	// Largest remainder: whole minor units first, then one more to those with the greatest fractions.
	minor := mul(goods, d.scale())
	parts, rest := make([]*big.Rat, len(all)), minor
	fraction := make([]*big.Rat, len(all))
	for i, x := range all {
		parts[i], fraction[i] = num(0), num(0)
		if exact.Sign() > 0 {
			fair := quo(mul(minor, x.off), exact)
			parts[i] = toWhole(fair, "down")
			fraction[i] = sub(fair, parts[i])
			rest = sub(rest, parts[i])
		}
	}
	order := make([]int, len(all))
	for i := range order {
		order[i] = i
	}
	slices.SortStableFunc(order, func(a, b int) int { return fraction[b].Cmp(fraction[a]) })
	for _, i := range order {
		if rest.Sign() > 0 {
			parts[i], rest = add(parts[i], num(1)), sub(rest, num(1))
		}
	}
	for i, x := range all {
		u := d.units[x.unit]
		u.used = true
		out.Rewarded[u.line]++
		if out.OffByLine[u.line] == nil {
			out.OffByLine[u.line] = num(0)
		}
		out.OffByLine[u.line] = add(out.OffByLine[u.line], quo(parts[i], d.scale()))
	}
	for _, units := range needed {
		for _, i := range units {
			d.units[i].used = true
			out.Needed[d.units[i].line]++
		}
	}
	return out
}
