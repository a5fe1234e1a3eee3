package pricing_test

import (
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/require"

	"dogbane/internal/pricing"
	"dogbane/internal/pricing/pricingtest"
)

// The spans of windows are what asking them every quarter of an hour shows.
func TestOpenSpansEqualAskingEachMoment(t *testing.T) {
	t.Parallel()
	var windows []*pricing.Window
	for seed := range uint64(60) {
		book := pricingtest.Book(rand.New(rand.NewPCG(seed, 5)))
		for i := range book.Rules {
			if w := book.Rules[i].Window; w != nil {
				windows = append(windows, w)
			}
		}
	}
	require.Greater(t, len(windows), 100)
	rng := rand.New(rand.NewPCG(7, 7))
	from, err := pricing.ParseMoment("2026-11-01T00:00")
	require.NoError(t, err)
	to := from + 40*pricing.Day
	opened := 0
	for range 300 {
		both := []*pricing.Window{windows[rng.IntN(len(windows))], windows[rng.IntN(len(windows))]}
		spans, whole := pricing.OpenSpans(both, from, to, 1000)
		require.True(t, whole)
		for i := 1; i < len(spans); i++ {
			require.Less(t, spans[i-1].To, spans[i].From)
		}
		for at := from; at < to; at += 15 * pricing.Minute {
			in := false
			for _, s := range spans {
				in = in || s.From <= at && at < s.To
			}
			require.Equal(t, both[0].Open(at) && both[1].Open(at), in, "%v %+v", at, both)
			if in {
				opened++
			}
		}
		one, _ := pricing.OpenSpans(both[:1], from, to, 1000)
		other, _ := pricing.OpenSpans(both[1:], from, to, 1000)
		require.Equal(t, total(spans), total(pricing.Overlap(one, other)))
	}
	require.Positive(t, opened)
}

func total(spans []pricing.Span) (sum pricing.Moment) {
	for _, s := range spans {
		sum += s.To - s.From
	}
	return sum
}

func TestOpenSpansStopAtTheMost(t *testing.T) {
	nights := &pricing.Window{Hours: &pricing.Hours{From: 22 * pricing.Hour, To: 2 * pricing.Hour}}
	spans, whole := pricing.OpenSpans([]*pricing.Window{nights}, 0, 10*pricing.Day, 3)
	require.False(t, whole)
	require.Equal(t, []pricing.Span{{From: 0, To: 2 * pricing.Hour}, {From: 22 * pricing.Hour, To: 26 * pricing.Hour},
		{From: 46 * pricing.Hour, To: 50 * pricing.Hour}}, spans)
}
