package timeline

import (
	"slices"

	"dogbane/internal/money"
	"dogbane/internal/pricing"
)

const (
	plannedPoints = 500              // changes of a price course
	lowestOver    = 30 * pricing.Day // how far back a reduction is measured
)

// Shown is a price that a channel showed from a moment on; Until is nil while it does, Price where it showed none.
type Shown struct {
	From  pricing.Moment
	Until *pricing.Moment
	Price *money.Rat
}

// Course is one product's price over a span, in Currency.
type Course struct {
	Currency  string
	Digits    int
	Published []PriceFrom // what the channel showed, up to now
	Planned   []PriceFrom // what the book says, over the whole span
	Lowest    []PriceFrom // the lowest of the 30 days before each moment: shown up to now, planned from then on
}

// CourseOf follows the price of a product from a moment to another. shown is what the viewpoint's channel showed, the
// latest first; without a channel nothing was. Its errors are pricing.QuestionErrors.
func CourseOf(e *pricing.Engine, vp pricing.Viewpoint, sku string, now, from, to pricing.Moment, shown []Shown) (Course,
	error) {
	c := Course{}
	var err error
	if c.Planned, err = c.plan(e, vp, sku, from, to, plannedPoints); err != nil {
		return c, err
	}
	if vp.Channel == "" {
		return c, nil
	}
	for _, s := range slices.Backward(shown) {
		if s.From > now {
			continue
		}
		c.Published = append(c.Published, PriceFrom{s.From, s.Price})
		if s.Until != nil && *s.Until <= now {
			c.Published = append(c.Published, PriceFrom{At: *s.Until})
		}
	}
	c.Published = dropSuperseded(c.Published)
	known := slices.Clone(c.Published)
	if to > now {
		ahead, err := c.plan(e, vp, sku, now, to, plannedPoints) // also what lies between now and a span further ahead
		if err != nil {
			return c, err
		}
		known = append(known, ahead...)
	}
	c.Lowest = LowestBefore(known, lowestOver, from, to)
	return c, nil
}

// plan is what the book says from a moment on, at each at which the price changes.
func (c *Course) plan(e *pricing.Engine, vp pricing.Viewpoint, sku string, from, to pricing.Moment,
	most int) ([]PriceFrom, error) {
	var list []PriceFrom
	moments := append(e.Changes(from, to, most, vp.With), ageing(e.Book(), vp.History, from, to)...)
	slices.Sort(moments)
	moments = append([]pricing.Moment{from}, slices.Compact(moments)...)
	for _, at := range moments[:min(len(moments), most)] {
		vp.At = at
		a, err := e.Price(pricing.Question{Viewpoint: vp, SKU: sku})
		if err != nil {
			return nil, err
		}
		c.Currency, c.Digits = a.Currency, a.Digits
		if n := len(list); n == 0 || !samePrice(list[n-1].Price, a.Unit) {
			list = append(list, PriceFrom{at, a.Unit})
		}
	}
	return list, nil
}

// ageing are the moments at which a purchase begins or ceases to count for breaks that count earlier orders.
func ageing(b *pricing.Book, history []pricing.Purchase, from, to pricing.Moment) (moments []pricing.Moment) {
	for i := range b.Rules {
		days := b.Rules[i].HistoryDays
		if days == 0 {
			continue
		}
		for _, h := range history {
			midnight := h.At - (h.At%pricing.Day+pricing.Day)%pricing.Day
			for _, at := range []pricing.Moment{h.At + 1, midnight + pricing.Moment(days+1)*pricing.Day} {
				if from < at && at < to {
					moments = append(moments, at)
				}
			}
		}
	}
	return moments
}

// dropSuperseded leaves of several prices from one moment on the last.
func dropSuperseded(list []PriceFrom) []PriceFrom {
	var out []PriceFrom
	for i, p := range list {
		if i+1 < len(list) && list[i+1].At == p.At {
			continue
		}
		out = append(out, p)
	}
	return out
}

func samePrice(a, b *money.Rat) bool { return (a == nil) == (b == nil) && (a == nil || a.Equal(*b)) }
