package pricing

import "dogbane/internal/money"

// Margin is what remains of a product's price, in minor units: net is the price without tax, amount is net less fee and
// cost. ok is false where price or cost is missing.
func (sw *Sweep) Margin(p int32) (net, amount int64, ok bool) {
	price, ok := sw.Price(p)
	if !ok {
		return 0, 0, false
	}
	// Nearly all amounts are whole minor units and all factors short: the same figures, without fractions.
	l := sw.view.limitsOf()
	if f, spent := l.shares[sw.view.taxOf[p]], l.spent[p]; spent != noLimit && f.leftD != 0 && price <= 1<<40 {
		net, _ = money.RoundRatio(price*f.netN, f.netD, 0, money.HalfUp)
		amount, _ = money.RoundRatio(price*f.leftN-spent*f.leftD, f.leftD, 0, money.HalfUp)
		return net, amount, true
	}
	m := sw.view.margin(p, money.FromMinor(price, sw.Digits))
	if m == nil {
		return 0, 0, false
	}
	net, ok1 := m.Net.Minor(sw.Digits, money.HalfUp)
	amount, ok2 := m.Amount.Minor(sw.Digits, money.HalfUp)
	return net, amount, ok1 && ok2
}

// Margins are the margins of all products.
type Margins struct {
	Net, Amount []int64
	Known       []bool
}

// Margins are worked out when first asked for.
func (sw *Sweep) Margins() *Margins {
	sw.once.Do(func() {
		n := sw.Len()
		m := Margins{make([]int64, n), make([]int64, n), make([]bool, n)}
		InParallel(n, func(from, to int) {
			for p := from; p < to; p++ {
				m.Net[p], m.Amount[p], m.Known[p] = sw.Margin(int32(p))
			}
		})
		sw.margins = m
	})
	return &sw.margins
}

// Cost is a product's cost on the price's footing, in minor units, rounded; false where it is unknown.
func (sw *Sweep) Cost(p int32) (int64, bool) {
	cost := sw.view.bookAmount(sw.view.products[p].Cost)
	if !cost.ok {
		return 0, false
	}
	return sw.view.shown(p, cost.v).Minor(sw.Digits, sw.view.settings.Rounding.Mode)
}

// BelowCost reports whether the exact margin of a product's price is under 0.
func (sw *Sweep) BelowCost(p int32) bool {
	price, ok := sw.Price(p)
	return ok && sw.Loses(p, price)
}

// Loses reports whether the exact margin of a product would be under 0 at a price in minor units.
func (sw *Sweep) Loses(p int32, price int64) bool { return price < sw.view.limitsOf().breakEven[p] }

// UnderGuard reports whether a product's price is below what the guard's margin permits.
func (sw *Sweep) UnderGuard(p int32) bool {
	price, ok := sw.Price(p)
	return ok && price < sw.view.limitsOf().guarded[p]
}
