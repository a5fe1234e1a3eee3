package publish

import (
	"testing"

	"github.com/stretchr/testify/require"

	"dogbane/internal/book"
	"dogbane/internal/bookfile"
	"dogbane/internal/money"
	"dogbane/internal/pricing"
)

// What changes are worth, by hand: 10 pieces that earn 1.50 less each and cost 2.00 less, 4 that earn 0.25 more. What was
// not sold counts for nothing, what nobody knows is said, what is new, gone, held or the same has no worth.
func TestWorth(t *testing.T) {
	amount := func(s string) *money.Rat { a := money.MustParse(s); return &a }
	changes := []Difference{
		{SKU: "A", Was: amount("10"), Price: amount("8"), Gain: amount("-1.50")},
		{SKU: "B", Was: amount("3"), Price: amount("3.25"), Gain: amount("0.25")},
		{SKU: "NONE", Was: amount("5"), Price: amount("4"), Gain: amount("-1")},
		{SKU: "C", Was: amount("5"), Price: amount("4")},
		{SKU: "C", Price: amount("4"), Gain: amount("-1")},
		{SKU: "C", Was: amount("4")},
		{SKU: "C", Was: amount("4"), Price: amount("4"), Gain: amount("0")},
		{SKU: "C", Was: amount("4"), Price: amount("2"), Gain: amount("-2"), Held: true},
	}
	w := Worth{sold: &Sold{units: map[string]int64{"A": 10, "B": 4, "C": 3}}}
	for _, d := range changes {
		w.Add(&d)
	}
	require.Equal(t, WorthText{"-14.00", "-19.00", 2, 1, false}, w.Text(2))
	// Where no sale bears a channel, what was sold anywhere counts, and that is said.
	b, err := bookfile.Decode([]byte(`{"book":"dogbane/1","settings":{"currency":"EUR","timeZone":"Europe/Amsterdam"},
		"products":[{"sku":"A","list":"10","sold":2},{"sku":"B","list":"3"},{"sku":"NONE","list":"5","sold":0}]}`))
	require.NoError(t, err)
	snap, err := book.NewSnapshot(b, 1, pricing.Compile(b), nil)
	require.NoError(t, err)
	w = Worth{sold: &Sold{snap: snap}}
	for _, d := range changes[:3] {
		w.Add(&d)
	}
	require.Equal(t, WorthText{"-3.00", "-4.00", 1, 1, true}, w.Text(2))
}
