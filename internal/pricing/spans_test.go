package pricing_test

import (
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"

	"dogbane/internal/pricing"
	"dogbane/internal/pricing/pricingtest"
)

// someWindows are those of the rules of random books; nil where a rule has none.
func someWindows(kind uint64) (windows []*pricing.Window) {
	for seed := range uint64(60) {
		book := pricingtest.Book(rand.New(rand.NewPCG(seed, kind)))
		for i := range book.Rules {
			windows = append(windows, book.Rules[i].Window)
		}
	}
	return windows
}

// The spans of windows are what asking them every quarter of an hour shows.
func TestOpenSpansEqualAskingEachMoment(t *testing.T) {
	t.Parallel()
	windows := slices.DeleteFunc(someWindows(5), func(w *pricing.Window) bool { return w == nil })
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

// The next opening and shutting are those of the spans; what never opens says so.
func TestNextOpenAndShutAreThoseOfTheSpans(t *testing.T) {
	t.Parallel()
	windows := someWindows(6)
	rng := rand.New(rand.NewPCG(8, 8))
	begin, err := pricing.ParseMoment("2026-11-01T00:00")
	require.NoError(t, err)
	never := 0
	for range 2000 {
		both := []*pricing.Window{windows[rng.IntN(len(windows))], windows[rng.IntN(len(windows))]}
		from := begin + pricing.Moment(rng.IntN(60*24*60))*pricing.Minute
		spans, _ := pricing.OpenSpans(both, from, from+3*366*pricing.Day, 2)
		at, opens := pricing.NextOpen(both, from)
		if len(spans) == 0 {
			if opens {
				require.Greater(t, at, from+3*366*pricing.Day, "%+v from %v", both, from)
			}
			never++
			continue
		}
		require.True(t, opens, "%+v from %v", both, from)
		require.Equal(t, spans[0].From, at, "%+v from %v", both, from)
		shut, ends := pricing.NextShut(both, at)
		if ends {
			require.Equal(t, spans[0].To, shut, "%+v from %v", both, from)
		} else {
			require.GreaterOrEqual(t, spans[0].To, from+3*366*pricing.Day)
		}
	}
	require.Greater(t, never, 20)
}

// Moments that are far apart: worked out with a calendar.
func TestNextOpenFarAhead(t *testing.T) {
	sunday, friday := []pricing.Weekday{6}, []pricing.Weekday{4}
	moment := func(text string) pricing.Moment {
		m, err := pricing.ParseMoment(text)
		require.NoError(t, err)
		return m
	}
	ptr := func(text string) *pricing.Moment { m := moment(text); return &m }
	for _, tc := range []struct {
		window       pricing.Window
		after, opens string
	}{
		{pricing.Window{Days: sunday, Yearly: &pricing.Yearly{From: 217, To: 405}}, "2026-11-26T12:00", "2027-02-21T00:00"},
		{pricing.Window{Days: sunday, Yearly: &pricing.Yearly{From: 229, To: 301}}, "2026-11-26T12:00", "2032-02-29T00:00"},
		{pricing.Window{Days: friday, Hours: &pricing.Hours{From: 18 * pricing.Hour, To: 22 * pricing.Hour}},
			"2026-11-26T12:00", "2026-11-27T18:00"},
		{pricing.Window{Days: friday, Hours: &pricing.Hours{From: 22 * pricing.Hour, To: 2 * pricing.Hour}},
			"2026-11-28T01:59", "2026-11-28T01:59"},
		{pricing.Window{Days: friday, From: ptr("2030-01-01T00:00")}, "2026-11-26T12:00", "2030-01-04T00:00"},
		{pricing.Window{Days: sunday, From: ptr("2026-11-27T00:00"), To: ptr("2026-12-31T00:00"),
			Yearly: &pricing.Yearly{From: 217, To: 405}}, "2026-11-26T12:00", ""},
		{pricing.Window{Days: friday, Weekly: &pricing.Weekly{From: 0, To: pricing.Day}}, "2026-11-26T12:00", ""},
		{pricing.Window{Days: []pricing.Weekday{}}, "2026-11-26T12:00", ""},
	} {
		at, opens := pricing.NextOpen([]*pricing.Window{nil, &tc.window}, moment(tc.after))
		require.Equal(t, tc.opens != "", opens, "%+v", tc.window)
		if opens {
			require.Equal(t, tc.opens, at.String()[:16], "%+v", tc.window)
		}
	}
}

// A window that ends years ahead ends then; one that nothing ends does not.
func TestNextShutFarAhead(t *testing.T) {
	now, err := pricing.ParseMoment("2026-11-26T12:00")
	require.NoError(t, err)
	end := now + 5*366*pricing.Day
	every := []pricing.Weekday{0, 1, 2, 3, 4, 5, 6}
	at, ends := pricing.NextShut([]*pricing.Window{{Days: every}, {To: &end}}, now)
	require.True(t, ends)
	require.Equal(t, end, at)
	_, ends = pricing.NextShut([]*pricing.Window{nil, {Days: every}}, now)
	require.False(t, ends)
}

// The most contradictory window is one of 5,000 that a list of rules asks: it is told without a walk through the years.
func BenchmarkNeverOpen(b *testing.B) {
	from, err := pricing.ParseMoment("2026-11-26T12:00")
	require.NoError(b, err)
	all := &pricing.Yearly{From: 102, To: 1230}
	for name, w := range map[string]*pricing.Window{
		"weekly":   {Days: []pricing.Weekday{4}, Weekly: &pricing.Weekly{From: 0, To: pricing.Day}, Yearly: all},
		"baseline": {Days: []pricing.Weekday{4}, Yearly: all},
	} {
		b.Run(name, func(b *testing.B) {
			for b.Loop() {
				pricing.NextOpen([]*pricing.Window{w}, from)
			}
		})
	}
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
