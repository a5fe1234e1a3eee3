package pricing

import (
	"slices"
	"strings"

	"dogbane/internal/money"
)

// Break is one step of a quantity break: its effect holds from this count on.
type Break struct {
	From   money.Rat
	Effect Effect
}

// Method says whether the highest break reached prices every unit or the units are priced bracket by bracket.
type Method string

// The methods of breaks.
const (
	Whole     Method = "whole"
	Graduated Method = "graduated"
)

// Counting says what breaks are counted by.
type Counting struct {
	Method  Method
	Count   string // "line", "style", "selection", "basket", or "where" with Where
	Where   *Where // the goods that are counted
	Measure string // "quantity", "spend", "term", "days" or "attr:NAME"
}

// DefaultCounting is that of breaks which say nothing else.
func DefaultCounting() Counting { return Counting{Method: Whole, Count: "line", Measure: "quantity"} }

// Quantities are 1 and every quantity at which a break or a rule of the book begins and that a question may name,
// ascending.
func (b *Book) Quantities() []int {
	list := []int{1}
	breaks := func(steps []Break, c Counting) {
		for _, step := range steps {
			if n, fits := step.From.Minor(0, money.Up); fits && c.Measure == "quantity" {
				list = append(list, int(n))
			}
		}
	}
	for i := range b.Rules {
		r := &b.Rules[i]
		list = append(list, max(r.MinQuantity, 1))
		breaks(r.Breaks, r.Counting)
	}
	for i := range b.Ladders {
		breaks(b.Ladders[i].Breaks, b.Ladders[i].Counting)
	}
	slices.Sort(list)
	past, _ := slices.BinarySearch(list, MaxQuantity+1)
	return slices.Compact(list[:past])
}

// count is what the breaks of a rule are measured against; false where it cannot be known.
func (v *view) count(s *state, r *rule) (money.Rat, bool) {
	switch r.counting.Measure {
	case "term":
		return money.Int(int64(s.term)), true
	case "days":
		return money.Int(int64(max(s.days, 1))), true
	}
	total, known := v.countNow(s, r)
	if r.HistoryDays == 0 {
		return total, known
	}
	today, _ := v.at.day()
	for _, h := range v.history {
		day, _ := h.At.day()
		if h.At >= v.at || today-day > Moment(r.HistoryDays) {
			continue
		}
		p, exists := v.index.number(h.SKU)
		if !exists || !v.counts(s, r, p) {
			continue
		}
		if more, ok := v.measure(r, p, h.Quantity); ok {
			total, known = total.Add(more), true
		}
	}
	return total, known
}

// countNow is count without what was bought before.
func (v *view) countNow(s *state, r *rule) (total money.Rat, known bool) {
	if s.line != nil && r.counting.Count != "line" {
		for _, l := range v.lines {
			if !l.counts || !v.counts(s, r, l.product) {
				continue
			}
			if more, ok := v.measure(r, l.product, l.Quantity); ok {
				total, known = total.Add(more), true
			}
		}
		return total, known
	}
	units := s.quantity
	if r.counting.Method == Graduated {
		units = s.unit
	}
	if r.counting.Count == "where" && !r.counted.Has(s.product) {
		units = 0
	}
	return v.measure(r, s.product, units)
}

// counts reports whether units of product p count for the breaks of a rule on the line's product.
func (v *view) counts(s *state, r *rule, p int32) bool {
	switch r.counting.Count {
	case "line":
		return p == s.product
	case "style":
		style := v.products[s.product].Style
		return p == s.product || style != "" && v.products[p].Style == style
	case "basket":
		return true
	}
	return r.counted.Has(p)
}

// measure is what some units of a product count.
func (v *view) measure(r *rule, p int32, units int) (money.Rat, bool) {
	n := money.Int(int64(units))
	switch r.counting.Measure {
	case "quantity":
		return n, true
	case "spend":
		price := v.boughtAlone(p)
		return price.v.Mul(n), price.ok
	}
	name := strings.TrimPrefix(r.counting.Measure, "attr:")
	a, known := v.products[p].Attrs[name]
	if !known || a.Number == nil {
		return money.Rat{}, units == 0
	}
	return a.Number.Mul(n), true
}

// boughtAlone is the price of one unit after the catalog layer, for one day or one month, as a question for that one
// unit finds it; the channel need not list the product.
func (v *view) boughtAlone(p int32) optional {
	v = v.single()
	if o, done := v.alone[p]; done {
		return o
	}
	s := state{product: p, quantity: 1, unit: 1, term: 1}
	if v.uncut(func() { v.run(&s, 1) }) {
		if v.alone == nil {
			v.alone = map[int32]optional{}
		}
		v.alone[p] = s.price
	}
	return s.price
}
