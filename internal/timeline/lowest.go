package timeline

import (
	"slices"

	"dogbane/internal/money"
	"dogbane/internal/pricing"
)

// PriceFrom is a price from a moment on, until the next one; nil is no price.
type PriceFrom struct {
	At    pricing.Moment
	Price *money.Rat
}

// LowestBefore is, from each moment on at which it changes, the lowest price that was shown in the time of the given
// length before: what a reduction announced at that moment is measured against. (Article 6a of Directive 98/6/EC, for
// at least 30 days.) Prices come in order of time.
func LowestBefore(prices []PriceFrom, length, from, to pricing.Moment) []PriceFrom {
	moments := []pricing.Moment{from}
	for _, p := range prices {
		// it comes in just after it was first shown; the one before it falls out
		for _, at := range []pricing.Moment{p.At + 1, p.At + length} {
			if at > from && at < to {
				moments = append(moments, at)
			}
		}
	}
	slices.Sort(moments)
	var out []PriceFrom
	for _, at := range moments {
		lowest := lowestIn(prices, at-length, at)
		if n := len(out); n > 0 && samePrice(out[n-1].Price, lowest) {
			continue
		}
		out = append(out, PriceFrom{at, lowest})
	}
	return out
}

// lowestIn is the lowest price shown at any moment of [from, to).
func lowestIn(prices []PriceFrom, from, to pricing.Moment) *money.Rat {
	var lowest *money.Rat
	for i, p := range prices {
		if p.Price == nil || p.At >= to || i+1 < len(prices) && prices[i+1].At <= from {
			continue
		}
		if lowest == nil || p.Price.Less(*lowest) {
			lowest = p.Price
		}
	}
	return lowest
}

func same(a, b *money.Rat) bool { return a == nil && b == nil || a != nil && b != nil && a.Equal(*b) }
