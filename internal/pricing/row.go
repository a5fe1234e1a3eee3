package pricing

import "dogbane/internal/money"

// Row is everything about one product's price. The amounts are valid where the flag beside them says so.
type Row struct {
	List, Price int64
	Lowest      int64             // the lowest permitted price, rounded up; 0 where there is none
	Cost        int64             // on the channel's footing, rounded
	After       [LayerCount]int64 // the price after each layer in order, on the channel's footing, rounded
	Margin      int64             // net − fee − cost, rounded
	Net         int64             // the price without tax, rounded
	HasList     bool
	HasPrice    bool
	HasCost     bool
	BelowCost   bool // the exact margin is under 0
	UnderGuard  bool // the price is below what the guard permits
	Held        bool // the guard lifted the price
	OnRequest   bool // it has no price and is to have none
	Rules       []*Rule
}

// Row prices one product once more, by the letter, for what the columns do not hold. Where a line falls into several
// portions, After is that of the first.
func (sw *Sweep) Row(p int32) Row {
	v := sw.view.own()
	row := Row{OnRequest: v.products[p].OnRequest}
	minor := func(o optional, mode money.Mode) (int64, bool) {
		if !o.ok {
			return 0, false
		}
		return o.v.Minor(v.digits, mode)
	}
	toChannel := func(o optional) optional {
		if o.ok {
			o.v = v.toChannel(p, o.v)
		}
		return o
	}
	mode := v.settings.Rounding.Mode
	row.List, row.HasList = minor(toChannel(v.listPrice(p)), mode)
	if cost := v.bookAmount(v.products[p].Cost); cost.ok {
		row.Cost, row.HasCost = minor(some(v.shown(p, cost.v)), mode)
	}
	if limit, _ := v.limit(p, v.guard(p).MinMargin); limit.ok {
		row.Lowest, _ = minor(limit, money.Up)
	}
	first := true
	_, ok := v.unitPrice(p, func(s *state) {
		fin := v.finish(s)
		row.UnderGuard = row.UnderGuard || fin.UnderGuard || fin.OverMaxOff
		row.Held = row.Held || fin.Held
		if first {
			for k, after := range s.after {
				row.After[k], _ = minor(toChannel(after), mode)
			}
		}
		first = false
	})
	if !ok {
		return row
	}
	if row.Price, row.HasPrice = sw.Price(p); !row.HasPrice {
		return row
	}
	row.Rules = sw.Rules(p)
	if m := v.margin(p, money.FromMinor(row.Price, v.digits)); m != nil {
		row.Margin, _ = m.Amount.Minor(v.digits, money.HalfUp)
		row.Net, _ = m.Net.Minor(v.digits, money.HalfUp)
		row.BelowCost = m.Amount.Sign() < 0
	}
	return row
}
