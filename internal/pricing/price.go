package pricing

import (
	"fmt"
	"slices"

	"dogbane/internal/money"
)

// Question asks for one product's price.
type Question struct {
	Viewpoint
	SKU     string
	Options []string // codes of chosen options
}

// Answer is a price with its reasons. Amounts are in Currency, on the channel's footing.
type Answer struct {
	SKU      string
	Currency string
	Digits   int
	Quantity int
	List     *money.Rat
	Unit     *money.Rat // of one month, where the product is sold by the month; rounded; nil: there is no price
	Total    *money.Rat // for all months of the term
	Rules    []string   // that applied, in the order in which they first did
	Portions []Portion
	Margin   *Margin // of Unit without options; nil where cost or price is missing
}

// Portion is units of a line that come out alike.
type Portion struct {
	Quantity int
	Unit     *money.Rat // finished, with options
	Rules    []string
	Trail    Trail
}

// Margin is what remains of a price. Net is the price without tax; Amount is net less fee and cost; all in the
// channel's currency, not rounded.
type Margin struct {
	Net, Fee, Cost, Amount money.Rat
}

// Percent is the gross margin, Amount ÷ Net in percent; false where net is 0.
func (m *Margin) Percent() (money.Rat, bool) {
	if m.Net.Sign() == 0 {
		return money.Rat{}, false
	}
	return m.Amount.Div(m.Net).Mul(money.Int(100)), true
}

// Price answers a question, with the trail. Its errors are QuestionErrors.
func (e *Engine) Price(q Question) (*Answer, error) {
	v, err := e.look(q.Viewpoint)
	if err != nil {
		return nil, err
	}
	e = v.Engine // of the figures at the moment
	p, exists := e.index.number(q.SKU)
	if !exists {
		return nil, unknown("sku", "product", q.SKU)
	}
	var chosen []Option
	for i, code := range q.Options {
		at := slices.IndexFunc(e.products[p].Options, func(o Option) bool { return o.Code == code })
		if at < 0 {
			return nil, &QuestionError{fmt.Sprintf("options[%d]", i), fmt.Sprintf("product %q has no option %q", q.SKU, code)}
		}
		chosen = append(chosen, e.products[p].Options[at])
	}
	a := &Answer{SKU: q.SKU, Currency: v.currency, Digits: v.digits, Quantity: v.quantity, List: v.listPrice(p).ptr(),
		Rules: []string{}}
	total, bare, priced := money.Int(0), money.Int(0), true // bare: without options
	for _, seg := range v.segments(&state{product: p, quantity: v.quantity, term: v.term}) {
		trail := &Trail{List: a.List}
		s := state{product: p, quantity: v.quantity, unit: seg.last, term: v.term, trail: trail}
		s.options = v.chosen(chosen)
		if v.sells(p) {
			v.unit(&s)
		}
		portion := Portion{Quantity: seg.units, Rules: []string{}}
		for i := range trail.Steps {
			trail.Steps[i].Margin = v.margin(p, v.toChannel(p, trail.Steps[i].After))
		}
		if s.price.ok {
			fin := v.finish(&s)
			trail.Finish = &fin.Finish
			bare = bare.Add(fin.price.Mul(money.Int(int64(seg.units))))
			unit := fin.price.Add(v.optionSum(&s))
			portion.Unit = &unit
			total = total.Add(unit.Mul(money.Int(int64(seg.units))))
			for _, r := range s.applied {
				portion.Rules = append(portion.Rules, r.Code)
				if !slices.Contains(a.Rules, r.Code) {
					a.Rules = append(a.Rules, r.Code)
				}
			}
		} else {
			priced = false
		}
		portion.Trail = *trail
		a.join(portion)
	}
	if priced {
		unit := v.perUnit(total)
		a.Margin = v.margin(p, v.perUnit(bare))
		if v.products[p].Unit == "month" {
			total = total.Mul(money.Int(int64(v.term)))
		}
		total = total.Round(v.digits, v.settings.Rounding.Mode)
		a.Total, a.Unit = &total, &unit
	}
	return a, nil
}

// chosen are options as they enter the layers.
func (v *view) chosen(options []Option) (prices []optionPrice) {
	for _, o := range options {
		prices = append(prices, optionPrice{o, v.bookAmount(&o.Price)})
	}
	return prices
}

// optionSum is what the options of a unit that went through the layers cost, finished.
func (v *view) optionSum(s *state) money.Rat {
	sum := money.Int(0)
	for _, o := range s.options {
		if o.price.ok {
			sum = sum.Add(money.Max(money.Int(0), v.toChannel(s.product, o.price.v)).Round(v.digits, v.settings.Rounding.Mode))
		}
	}
	return sum
}

// perUnit is the unit price, for one month where that is the unit, of a line whose finished units sum to total.
func (v *view) perUnit(total money.Rat) money.Rat {
	return total.Div(money.Int(int64(v.quantity))).Round(v.digits, v.settings.Rounding.Mode)
}

// join adds a portion, to an earlier one that came out alike where there is one.
func (a *Answer) join(p Portion) {
	for i := range a.Portions {
		o := &a.Portions[i]
		if slices.Equal(o.Rules, p.Rules) && (o.Unit == nil) == (p.Unit == nil) && (p.Unit == nil || o.Unit.Equal(*p.Unit)) {
			o.Quantity += p.Quantity
			return
		}
	}
	a.Portions = append(a.Portions, p)
}

// segment is a run of units of a line that every graduated break treats alike; last is the last of them.
type segment struct{ units, last int }

// segments cuts a line where graduated breaks begin. Where the last unit is asked for, all count as it does.
func (v *view) segments(line *state) []segment {
	p, cuts := line.product, []int{line.quantity}
	if v.lastUnit || !slices.ContainsFunc(v.active, func(l []*rule) bool {
		return slices.ContainsFunc(l, func(r *rule) bool { return r.counting.Method == Graduated })
	}) {
		return []segment{{line.quantity, line.quantity}}
	}
	for _, l := range v.active {
		for _, r := range l {
			if r.counting.Method != Graduated || !r.reach[0].Has(p) && !r.reach[1].Has(p) {
				continue
			}
			// What was bought before counts in front of the line's first unit.
			before := int64(0)
			if r.HistoryDays > 0 {
				if counted, known := v.count(line, r); known {
					before, _ = counted.Minor(0, money.Down)
				}
			}
			for _, b := range r.breaks {
				// Counts of a line are whole numbers: the unit before the break's first ends a segment.
				first, ok := b.from.Minor(0, money.Up)
				first -= before
				if ok && first > 1 && first <= int64(line.quantity) {
					cuts = append(cuts, int(first)-1)
				}
			}
		}
	}
	slices.Sort(cuts)
	cuts = slices.Compact(cuts)
	segs, before := make([]segment, 0, len(cuts)), 0
	for _, c := range cuts {
		segs = append(segs, segment{c - before, c})
		before = c
	}
	return segs
}

// toChannel converts a price from the book's tax footing to the channel's.
func (v *view) toChannel(p int32, price money.Rat) money.Rat {
	if !v.converts() {
		return price
	}
	return price.Mul(v.factor(int(v.taxOf[p])))
}

// converts reports whether toChannel changes anything.
func (v *view) converts() bool { return v.bookTax != v.showTax || v.bookTax && v.keepsNet }

// factor is what brings a price of a tax class from the book's footing to the channel's.
func (v *view) factor(class int) money.Rat {
	switch {
	case v.bookTax && !v.showTax:
		return v.taxes[class].Inv()
	case !v.bookTax && v.showTax:
		return v.here[class]
	case v.bookTax && v.keepsNet:
		return v.here[class].Div(v.taxes[class])
	}
	return money.Int(1)
}

// shown brings an amount without tax to the channel's footing.
func (v *view) shown(p int32, net money.Rat) money.Rat {
	if v.showTax {
		return net.Mul(v.taxHere(p))
	}
	return net
}

type finished struct {
	Finish
	price money.Rat
}

// round brings a price of the layers to the channel's footing, ending and minor unit; it reports whether the ending
// changed it.
func (v *view) round(p int32, price money.Rat) (rounded money.Rat, ended bool) {
	price = v.toChannel(p, price)
	if v.channel != nil && v.channel.Ending != nil && (!v.catalogOnly || v.withEnding) {
		other := v.channel.Ending.Apply(price)
		ended, price = !other.Equal(price), other
	}
	return price.Round(v.digits, v.settings.Rounding.Mode), ended
}

// finish makes the price shown of the price after the layers.
func (v *view) finish(s *state) finished {
	p := s.product
	f := finished{Finish: Finish{Raw: s.price.v}}
	if v.converts() && s.trail != nil {
		if factor := v.toChannel(p, money.Int(1)); v.bookTax != v.showTax || !factor.Equal(money.Int(1)) {
			f.TaxFactor = &factor
		}
	}
	price, ended := v.round(p, s.price.v)
	if v.catalogOnly {
		f.price = money.Max(price, money.Int(0))
		return f
	}
	f.Ending, f.Rounded = ended, price
	guard := v.guard(p)
	limit, outOfReach := v.limit(p, guard.MinMargin)
	f.Lowest = limit.ptr()
	f.UnderGuard = outOfReach
	if limit.ok && price.Less(limit.v) {
		if guard.Hold {
			price, f.Held = limit.v.Round(v.digits, money.Up), true
		} else {
			f.UnderGuard = true
		}
	}
	if guard.MaxOff != nil && s.catalog.ok {
		limit := v.toChannel(p, s.catalog.v.Mul(money.Int(1).Sub(money.PercentOf(*guard.MaxOff))))
		f.LowestByOff = &limit
		if price.Less(limit) {
			if guard.Hold {
				price, f.Held = limit.Round(v.digits, money.Up), true
			} else {
				f.OverMaxOff = true
			}
		}
	}
	f.price = money.Max(price, money.Int(0))
	return f
}

// margin is what is left of a finished price; nil where the cost is unknown.
func (v *view) margin(p int32, price money.Rat) *Margin {
	cost := v.bookAmount(v.products[p].Cost)
	if !cost.ok {
		return nil
	}
	m := &Margin{Net: price, Cost: cost.v}
	if v.showTax {
		m.Net = price.Div(v.taxHere(p))
	}
	if v.channel != nil {
		m.Fee = m.Net.Mul(money.PercentOf(v.channel.FeePercent)).Add(v.channel.FeeAmount)
	}
	m.Amount = m.Net.Sub(m.Fee).Sub(m.Cost)
	return m
}
