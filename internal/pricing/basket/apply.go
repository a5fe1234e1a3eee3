package basket

import (
	"cmp"
	"slices"

	"dogbane/internal/money"
	"dogbane/internal/pricing"
)

// application is what an offer does when it is applied a number of times.
type application struct {
	times    int
	needed   []int   // units
	rewarded []taken // goods, in the order of the basket
	off      money.Rat
	shipping money.Rat // the part of off that is taken from the shipping
}

// taken is what is taken from one unit: exactly, then as whole minor units.
type taken struct {
	unit int
	off  money.Rat
}

// try applies an offer to what is left, as often as it can; nil where it does not apply.
func (t *till) try(c candidate, s *standing) *application {
	p := &t.plan
	*p = plan{till: t, candidate: c, by: s.by, shipping: s.shipping, open: p.open[:0], chosen: p.chosen[:0],
		gains: p.gains[:0], marks: p.marks, stamp: p.stamp}
	if len(p.marks) < len(t.units) {
		p.marks = make([]int, len(t.units))
	}
	for _, u := range t.eligible(c.offer) {
		if s.by[u] == 0 {
			p.open = append(p.open, u)
		}
	}
	for times := t.most(c.offer, p.open); times >= 1; times-- {
		if !p.fill(times) {
			continue
		}
		idle := p.reward(times)
		if idle < 0 {
			return p.total(times)
		}
		if c.settled() {
			times = idle + 1 // the same application gains nothing either while fewer are tried
		}
	}
	return nil
}

// settled reports whether the units of an application are the same however many applications are tried.
func (o *offer) settled() bool {
	return len(o.needs) == 1 && len(o.gives) == 1 && o.gives[0].where == nil && o.Offer.MaxUnits == 0
}

// most is a bound of the number of applications.
func (t *till) most(o *offer, open []int) int {
	f := o.Offer
	most := min(t.left(o), max(len(open), 1))
	if f.Spend != nil {
		full, known := t.fullAmounts(o, open)
		if !known || full < 1 {
			return 0
		}
		if f.Spend.Every {
			most = min(most, full)
		}
	}
	if len(o.needs) == 0 && (f.Spend == nil || !f.Spend.Every) {
		most = min(most, 1)
	}
	each := 0 // units of an application
	for i := range o.needs {
		n, matching := &o.needs[i], 0
		for _, u := range open {
			if n.where.Has(t.units[u].p) {
				matching++
			}
		}
		most = min(most, matching/n.Quantity)
		each += n.Quantity
	}
	outside, bounded := true, 0
	for i := range o.gives {
		g := &o.gives[i]
		if g.where == nil {
			outside = false
		}
		if !g.toUnits() {
			if g.To == "basket" || g.To == "shipping" {
				most = min(most, 1)
			}
			bounded = -1
		} else if bounded >= 0 && f.MaxUnits > 0 && g.units > 0 {
			bounded += (f.MaxUnits + g.units - 1) / g.units
		}
	}
	if outside { // each application rewards at least one unit that filled no need
		most = min(most, len(open)/(each+1))
	}
	if bounded > 0 {
		most = min(most, bounded)
	}
	if toUnits := !slices.ContainsFunc(o.gives, func(g give) bool {
		return g.To == "shipping" &&
			g.where == nil
	}); toUnits && most > 1 {
		most = min(most, t.lowerable(o, open)) // each application lowers a unit
	}
	return most
}

// lowerable counts the units of which some give of the offer could lower the price.
func (t *till) lowerable(o *offer, open []int) (n int) {
	each := make([]money.Rat, len(o.gives))
	for i := range o.gives {
		if price := o.gives[i].Each; price != nil {
			each[i], _ = t.scope.Amount(o.Rule, *price)
		}
	}
	for _, u := range open {
		price := t.units[u].Price
		for i := range o.gives {
			if price.Sign() > 0 && (o.gives[i].Each == nil || each[i].Less(price)) {
				n++
				break
			}
		}
	}
	return n
}

// plan chooses the units for a number of applications.
type plan struct {
	*till
	candidate
	by       []int // by unit, who used it before
	open     []int // the eligible units that nobody used
	shipping money.Rat

	chosen [][]int // by need, its units: those of the first application first, quantity of each
	gains  []gain  // by give and application
	// marks say which units the plan has taken: stamp for a need, stamp + 1 for a reward, both rising from plan to plan.
	marks []int
	stamp int
}

func (p *plan) isNeeded(u int) bool   { return p.marks[u] >= p.stamp }
func (p *plan) isRewarded(u int) bool { return p.marks[u] > p.stamp }

// gain is what one give takes in one application.
type gain struct {
	give, application int
	units             []taken
	shipping          money.Rat
}

// byPrice orders units by price, ties as they stand in the basket.
func (t *till) byPrice(units []int, dearest bool) {
	slices.SortStableFunc(units, func(a, b int) int {
		c := t.units[a].Price.Cmp(t.units[b].Price)
		if dearest {
			return -c
		}
		return c
	})
}

// ready is an offer with the eligible units put into the orders in which it takes them.
func (t *till) ready(o *offer, place int, eligible []int) candidate {
	c := candidate{offer: o, place: place, sorted: make([][]int, len(o.needs)), pool: make([][]int, len(o.gives))}
	match := func(s pricing.Set) (units []int) {
		for _, u := range eligible {
			if s.Has(t.units[u].p) {
				units = append(units, u)
			}
		}
		return units
	}
	for i := range o.needs {
		units := match(o.needs[i].where)
		if g := o.needs[i].rewarded; g >= 0 {
			t.byPrice(units, o.gives[g].pick() != "cheapest") // in turn: dearest first
		} else {
			t.byPrice(units, true)
			slices.SortStableFunc(units, func(a, b int) int { return cmp.Compare(o.wants(t.units[a].p), o.wants(t.units[b].p)) })
		}
		c.sorted[i] = units
	}
	for i := range o.gives {
		if g := &o.gives[i]; g.where != nil {
			c.pool[i] = match(g.where)
			t.byPrice(c.pool[i], g.pick() == "dearest")
		}
	}
	return c
}

// wants is 1 for goods that a give to other goods could reward: they fill a need last.
func (o *offer) wants(p int32) int {
	for i := range o.gives {
		if o.gives[i].where != nil && o.gives[i].where.Has(p) {
			return 1
		}
	}
	return 0
}

// fill chooses the units that fill the needs, one need after the other.
func (p *plan) fill(times int) bool {
	p.chosen, p.stamp = p.chosen[:0], p.stamp+2
	for i := range p.needs {
		n := &p.needs[i]
		var free []int
		for _, u := range p.sorted[i] {
			if p.by[u] == 0 && !p.isNeeded(u) {
				free = append(free, u)
			}
		}
		if n.Same != "" {
			free = p.groups(n, free)
		}
		if len(free) < times*n.Quantity {
			return false
		}
		free = free[:times*n.Quantity]
		for _, u := range free {
			p.marks[u] = p.stamp
		}
		p.chosen = append(p.chosen, free)
	}
	return true
}

// alike names what the units of one application of a need share.
func (t *till) alike(n *need, u int) string {
	product := t.prices.Products()[t.units[u].p]
	if n.Same == "style" && product.Style != "" {
		return "style " + product.Style
	}
	return "sku " + product.SKU
}

// groups keeps, of each SKU or style in the order of its first unit, as many whole groups as it has.
func (p *plan) groups(n *need, units []int) (whole []int) {
	by := map[string][]int{}
	var order []string
	for _, u := range units {
		k := p.alike(n, u)
		if by[k] == nil {
			order = append(order, k)
		}
		by[k] = append(by[k], u)
	}
	for _, k := range order {
		g := by[k]
		whole = append(whole, g[:len(g)/n.Quantity*n.Quantity]...)
	}
	return whole
}

// reward chooses the units that are rewarded and finds the first application that gains nothing; -1 if all gain.
func (p *plan) reward(times int) (idle int) {
	p.gains = p.gains[:0]
	for gi := range p.gives {
		g := &p.gives[gi]
		per := make([][]int, times)
		switch {
		case g.need >= 0:
			per = p.ofNeed(g, times)
		case g.where != nil:
			var free []int
			for _, u := range p.pool[gi] {
				if p.by[u] == 0 && !p.isNeeded(u) {
					free = append(free, u)
				}
			}
			per = chunks(p.atMost(free, g.units, times), g.units, times)
		case g.To == "needs":
			for n := range p.needs {
				for k, units := range p.ofEach(n, times) {
					for _, u := range units {
						if !p.isRewarded(u) {
							per[k] = append(per[k], u)
						}
					}
				}
			}
		case g.To == "basket":
			for _, u := range p.open {
				if !p.isRewarded(u) {
					per[0] = append(per[0], u)
				}
			}
		}
		for k, units := range per {
			for _, u := range units {
				p.marks[u] = p.stamp + 1
			}
			p.gains = append(p.gains, p.gain(gi, k, units))
		}
	}
	lowered := make([]bool, times)
	for i := range p.gains {
		g := &p.gains[i]
		if g.shipping.Sign() > 0 || slices.ContainsFunc(g.units, func(x taken) bool { return x.off.Sign() > 0 }) {
			lowered[g.application] = true
		}
	}
	return slices.Index(lowered, false)
}

// atMost cuts units to what so many applications, and the offer's bound, reward.
func (p *plan) atMost(units []int, each, times int) []int {
	n := len(units)
	if each != pricing.AllUnits {
		n = min(n, each*times)
	}
	if p.Offer.MaxUnits > 0 {
		n = min(n, p.Offer.MaxUnits)
	}
	return units[:n]
}

// chunks deals units out to the applications.
func chunks(units []int, each, times int) [][]int {
	per := make([][]int, times)
	if each == pricing.AllUnits {
		per[0] = units
		return per
	}
	for k := range per {
		n := min(each, len(units))
		per[k], units = units[:n], units[n:]
	}
	return per
}

// ofNeed are the units of a need that a give rewards, by application.
func (p *plan) ofNeed(g *give, times int) [][]int {
	n := &p.needs[g.need]
	open := func(units []int) (free []int) {
		for _, u := range units {
			if !p.isRewarded(u) {
				free = append(free, u)
			}
		}
		return free
	}
	inTurn := g.pick() == "in-turn"
	if n.Same == "" && !inTurn {
		free := open(p.chosen[g.need])
		p.byPrice(free, g.pick() == "dearest")
		return chunks(p.atMost(free, g.units, times), g.units, times)
	}
	left := MaxUnits
	if p.Offer.MaxUnits > 0 {
		left = p.Offer.MaxUnits
	}
	per := make([][]int, times)
	for k := range per {
		free := open(p.chosen[g.need][k*n.Quantity : (k+1)*n.Quantity])
		p.byPrice(free, g.pick() != "cheapest")
		if inTurn {
			free = free[max(len(free)-g.units, 0):]
		}
		free = free[:min(len(free), g.units, left)]
		per[k], left = free, left-len(free)
	}
	return per
}

// ofEach are the units of a need by application, whether rewarded or not.
func (p *plan) ofEach(n, times int) [][]int {
	quantity := p.needs[n].Quantity
	per := make([][]int, times)
	for k := range per {
		per[k] = p.chosen[n][k*quantity : (k+1)*quantity]
	}
	return per
}

// gain is what a give takes from the units of one application, and from the shipping.
func (p *plan) gain(gi, application int, units []int) gain {
	g, out := &p.gives[gi], gain{give: gi, application: application}
	zero := money.Int(0)
	amount := func(a *money.Rat) (money.Rat, bool) { return p.scope.Amount(p.Rule, *a) }
	if g.To == "shipping" && g.Where == nil {
		left := p.shipping
		for i := range p.gains {
			left = left.Sub(p.gains[i].shipping)
		}
		switch {
		case g.PercentOff != nil:
			out.shipping = left.Mul(money.PercentOf(*g.PercentOff))
		case g.AmountOff != nil:
			if off, known := amount(g.AmountOff); known {
				out.shipping = money.Min(off, left)
			}
		case g.Each != nil:
			if price, known := amount(g.Each); known {
				out.shipping = money.Max(left.Sub(price), zero)
			}
		}
		return out
	}
	sum := zero
	for _, u := range units {
		sum = sum.Add(p.units[u].Price)
	}
	together := func(off money.Rat) { // off all of them, by price
		if off.Sign() <= 0 || sum.Sign() == 0 {
			off = zero
		}
		for _, u := range units {
			share := zero
			if off.Sign() > 0 {
				share = off.Mul(p.units[u].Price).Div(sum)
			}
			out.units = append(out.units, taken{u, share})
		}
	}
	switch {
	case g.PercentOff != nil:
		factor := money.PercentOf(*g.PercentOff)
		for _, u := range units {
			out.units = append(out.units, taken{u, p.percentOff(u, g.Of, factor)})
		}
	case g.AmountOff != nil:
		off, known := amount(g.AmountOff)
		if !known {
			off = zero
		}
		together(money.Min(off, sum))
	case g.Each != nil:
		price, known := amount(g.Each)
		for _, u := range units {
			off := zero
			if known {
				off = money.Max(p.units[u].Price.Sub(price), zero)
			}
			out.units = append(out.units, taken{u, off})
		}
	case g.ForTotal != nil:
		off := zero
		if price, known := amount(g.ForTotal); known {
			off = sum.Sub(price)
		}
		together(off)
	}
	return out
}

// percentOff is what a percent takes from a unit, of its own price or of another: then it pays the lower of both, and
// its options are left as they are.
func (p *plan) percentOff(u int, of pricing.Basis, factor money.Rat) money.Rat {
	unit := &p.units[u]
	var from *money.Rat
	switch of {
	case pricing.OfList:
		from = unit.List
	case pricing.OfCatalog:
		from = unit.Catalog
	default:
		return unit.Price.Mul(factor)
	}
	if from == nil {
		return money.Int(0)
	}
	own := unit.Price.Sub(unit.Options)
	return money.Max(own.Sub(from.Mul(money.Int(1).Sub(factor))), money.Int(0))
}

// total rounds and bounds the reduction and deals it out; nil where nothing is left of it.
func (p *plan) total(times int) *application {
	a := &application{times: times, off: money.Int(0), shipping: money.Int(0)}
	limit, limited := money.Int(0), false
	if p.Offer.MaxOff != nil {
		if limit, limited = p.scope.Amount(p.Rule, *p.Offer.MaxOff); limited {
			limit = limit.Round(p.digits, money.HalfUp)
		}
	}
	bound := func(off money.Rat) money.Rat {
		off = off.Round(p.digits, money.HalfUp)
		if limited {
			off = money.Min(off, limit.Sub(a.off))
		}
		return off
	}
	goods, shipping := money.Int(0), money.Int(0)
	for i := range p.gains {
		for _, x := range p.gains[i].units {
			goods = goods.Add(x.off)
			a.rewarded = append(a.rewarded, x)
		}
		shipping = shipping.Add(p.gains[i].shipping)
	}
	slices.SortStableFunc(a.rewarded, func(x, y taken) int { return cmp.Compare(x.unit, y.unit) })
	a.off = bound(goods)
	whole, _ := a.off.Minor(p.digits, money.Down)
	weights := make([]money.Rat, len(a.rewarded))
	for i := range a.rewarded {
		weights[i] = a.rewarded[i].off
	}
	for i, part := range money.Spread(whole, weights) {
		a.rewarded[i].off = money.FromMinor(part, p.digits)
	}
	a.shipping = bound(shipping)
	a.off = a.off.Add(a.shipping)
	if a.off.Sign() <= 0 {
		return nil
	}
	for _, units := range p.chosen {
		a.needed = append(a.needed, units...)
	}
	slices.Sort(a.needed)
	return a
}
