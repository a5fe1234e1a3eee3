package timeline

import (
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/require"

	"dogbane/internal/money"
	"dogbane/internal/pricing"
)

func priced(at pricing.Moment, text string) PriceFrom {
	if text == "" {
		return PriceFrom{At: at}
	}
	p := money.MustParse(text)
	return PriceFrom{at, &p}
}

// A sale of a week, and what the next reduction is measured against: the sale's price until 30 days after its end.
func TestLowestBefore(t *testing.T) {
	day := pricing.Day
	prices := []PriceFrom{priced(0, "20.00"), priced(40*day, "15.00"), priced(47*day, "20.00"), priced(60*day, "18.00")}
	got := LowestBefore(prices, 30*day, 40*day, 120*day)
	want := []PriceFrom{priced(40*day, "20.00"), priced(40*day+1, "15.00"), priced(77*day, "18.00")}
	require.Equal(t, len(want), len(got), got)
	for i := range want {
		require.Equal(t, want[i].At, got[i].At)
		require.Equal(t, want[i].Price.String(), got[i].Price.String())
	}
}

// The steps say at every moment what looking at each moment before it says.
func TestLowestBeforeEqualsLooking(t *testing.T) {
	rng := rand.New(rand.NewPCG(3, 4))
	for range 200 {
		var prices []PriceFrom
		for at := pricing.Moment(0); at < 100; at += pricing.Moment(1 + rng.IntN(20)) {
			text := money.Int(int64(1 + rng.IntN(9))).String()
			if rng.IntN(6) == 0 {
				text = ""
			}
			prices = append(prices, priced(at, text))
		}
		const length, from, to = 15, 30, 100
		steps := LowestBefore(prices, length, from, to)
		for at := pricing.Moment(from); at < to; at++ {
			var want *money.Rat
			for then := at - length; then < at; then++ {
				var shown *money.Rat
				for _, p := range prices {
					if p.At <= then {
						shown = p.Price
					}
				}
				if shown != nil && (want == nil || shown.Less(*want)) {
					want = shown
				}
			}
			var have *money.Rat
			for _, s := range steps {
				if s.At <= at {
					have = s.Price
				}
			}
			require.True(t, same(want, have), "%d: want %v, have %v of %v", at, want, have, prices)
		}
	}
}
