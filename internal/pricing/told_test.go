package pricing_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"dogbane/internal/money"
	"dogbane/internal/pricing"
)

// tell prices lines in a shop that was told some prices, for a visitor of groups.
func tell(t *testing.T, e *pricing.Engine, told map[string]*pricing.ToldPrice, groups []string,
	lines ...pricing.Line) []pricing.PricedLine {
	t.Helper()
	scope, err := e.Scope(pricing.Viewpoint{At: moment("2026-11-26T10:00"), Channel: "web", Groups: groups})
	require.NoError(t, err)
	scope.Tell(told)
	return scope.Lines(lines, false)
}

func amount(t *testing.T, s string) money.Rat {
	t.Helper()
	a, err := money.Parse(s)
	require.NoError(t, err)
	return a
}

// The lowest price of a visitor's groups stands in the place of the guest's, with its own breaks.
func TestAToldPriceIsTheLowestOfAVisitorsGroups(t *testing.T) {
	book := compile(t, "", "").Book()
	book.Groups = []pricing.Group{{Code: "trade"}, {Code: "schools"}, {Code: "clubs"}}
	e := pricing.Compile(book)
	told := map[string]*pricing.ToldPrice{"A": {
		Price:  amount(t, "39.00"),
		Breaks: []pricing.ToldBreak{{From: 3, Price: amount(t, "37.00")}, {From: 6, Price: amount(t, "35.00")}},
		Groups: map[string]*pricing.ToldPrice{
			"trade":   {Price: amount(t, "33.00")},
			"schools": {Price: amount(t, "34.00"), Breaks: []pricing.ToldBreak{{From: 3, Price: amount(t, "30.00")}}},
		},
	}}
	for _, c := range []struct {
		name     string
		groups   []string
		quantity int
		unit     string
	}{
		{"a guest", nil, 1, "39.00"},
		{"just below a break", nil, 2, "39.00"},
		{"at a break", nil, 3, "37.00"},
		{"above the last", nil, 60, "35.00"},
		{"a group without breaks", []string{"trade"}, 60, "33.00"},
		{"two groups, one piece", []string{"schools", "trade"}, 1, "33.00"},
		{"two groups, three pieces", []string{"schools", "trade"}, 3, "30.00"},
		{"a group that was told nothing of its own", []string{"clubs"}, 1, "39.00"},
	} {
		lines := tell(t, e, told, c.groups, pricing.Line{SKU: "A", Quantity: c.quantity})
		require.Len(t, lines[0].Runs, 1, c.name)
		require.Equal(t, c.unit, lines[0].Runs[0].Price.Fixed(2), c.name)
		require.Equal(t, c.quantity, lines[0].Runs[0].Units, c.name)
	}
}

// What a channel does not show has no price in it, and what it was told nothing else about is the book's.
func TestWhatAChannelDoesNotShowHasNoPrice(t *testing.T) {
	e := compile(t, "", "")
	lines := tell(t, e, map[string]*pricing.ToldPrice{"A": nil}, nil,
		pricing.Line{SKU: "A", Quantity: 1}, pricing.Line{SKU: "B", Quantity: 1}, pricing.Line{SKU: "?", Quantity: 1})
	require.Empty(t, lines[0].Runs)
	require.Equal(t, []pricing.LineProblem{{Problem: `product "A" has no price here`}}, lines[0].Problems)
	require.Equal(t, "10.00", lines[1].Runs[0].Price.Fixed(2))
	require.Empty(t, lines[2].Runs)
	// What the book has no price for, but the channel still shows, costs what it shows.
	lines = tell(t, e, map[string]*pricing.ToldPrice{"D": {Price: amount(t, "5.00")}}, nil, pricing.Line{SKU: "D", Quantity: 2})
	require.Equal(t, "10.00", lines[0].Total().Fixed(2))
}

// What is taken off by hand goes off what the channel shows, up to what settings allow, with endings and the guard.
func TestByHandGoesOffAToldPrice(t *testing.T) {
	told := map[string]*pricing.ToldPrice{"A": {Price: amount(t, "36.00")}, "B": {Price: amount(t, "9.00")}}
	percent := func(s string) *pricing.ByHand { off := amount(t, s); return &pricing.ByHand{PercentOff: &off} }
	e := compile(t, `,"byHand":{"maxPercent":"10"}`, "")
	lines := tell(t, e, told, nil, pricing.Line{SKU: "A", Quantity: 2, ByHand: percent("10")},
		pricing.Line{SKU: "B", Quantity: 1, ByHand: percent("10.5")})
	require.Equal(t, "64.80", lines[0].Total().Fixed(2), "2 × 36.00 less a tenth")
	require.Empty(t, lines[0].Problems)
	require.Equal(t, "9.00", lines[1].Total().Fixed(2), "more than may be taken is not taken")
	require.True(t, lines[1].ByHandRefused)
	require.Len(t, lines[1].Problems, 1)

	e = compile(t, `,"byHand":{"maxPercent":"50"},"guard":{"minMargin":"10","action":"hold"}`, "")
	lines = tell(t, e, told, nil, pricing.Line{SKU: "A", Quantity: 1, ByHand: percent("50")})
	require.Equal(t, "27.78", lines[0].Total().Fixed(2), "a tenth of 27.78 is left over a cost of 25.00")
}
