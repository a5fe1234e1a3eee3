package publish

import (
	"testing"

	"github.com/stretchr/testify/require"

	"dogbane/internal/money"
)

// What changes are worth, by hand: 10 pieces that earn 1.50 less each and cost 2.00 less, 4 that earn 0.25 more. What was
// not sold counts for nothing, what nobody knows is said, what is new, gone, held or the same has no worth.
func TestWorth(t *testing.T) {
	amount := func(s string) *money.Rat { a := money.MustParse(s); return &a }
	w := Worth{}
	for _, d := range []Difference{
		{Was: amount("10"), Price: amount("8"), Gain: amount("-1.50"), Sold: amount("10")},
		{Was: amount("3"), Price: amount("3.25"), Gain: amount("0.25"), Sold: amount("4")},
		{Was: amount("5"), Price: amount("4"), Gain: amount("-1"), Sold: amount("0")},
		{Was: amount("5"), Price: amount("4"), Sold: amount("3")},
		{Was: amount("5"), Price: amount("4"), Gain: amount("-1")},
		{Price: amount("4"), Gain: amount("-1"), Sold: amount("3")},
		{Was: amount("4"), Sold: amount("3")},
		{Was: amount("4"), Price: amount("4"), Gain: amount("0"), Sold: amount("3")},
		{Was: amount("4"), Price: amount("2"), Gain: amount("-2"), Sold: amount("3"), Held: true},
	} {
		w.Add(&d)
	}
	require.Equal(t, WorthText{"-14.00", "-19.00", 2, 2}, w.Text(2))
}
