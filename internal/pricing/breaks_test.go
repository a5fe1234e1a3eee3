package pricing_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"dogbane/internal/pricing"
)

// The quantities that matter are those that a question may name: a break far beyond is no reason to refuse the others.
func TestQuantities(t *testing.T) {
	e := compile(t, "", `{"code":"T","layer":"tier","rank":1,"where":{"all":[]},"breaks":[{"from":3,"percentOff":"5"},
			{"from":1000000,"percentOff":"6"},{"from":1000001,"percentOff":"7"}]},
		{"code":"KG","layer":"tier","rank":2,"where":{"all":[]},"measure":"spend","breaks":[{"from":"77","percentOff":"5"}]},
		{"code":"MIN","layer":"sale","rank":1,"where":{"all":[]},"minQuantity":12,"effect":{"percentOff":"5"}}`)
	require.Equal(t, []int{1, 3, 12, 1_000_000}, e.Book().Quantities())
	for _, n := range e.Book().Quantities() {
		_, err := e.Sweep(pricing.Viewpoint{Quantity: n})
		require.NoError(t, err)
	}
}

// The margin of a line whose pieces have several prices is that of a piece over all of them, as a sweep has it.
// Two at 40.00 and two at 20.00 are 30.00 each, of which 25.00 is cost.
func TestMarginOfBrackets(t *testing.T) {
	e := compile(t, `,"taxRates":{}`, `{"code":"T","layer":"tier","rank":1,"where":{"sku":"A"},"method":"graduated",
		"breaks":[{"from":3,"percentOff":"50"}]}`)
	vp := pricing.Viewpoint{Quantity: 4, At: moment("2026-11-26T10:00")}
	a := ask(t, e, "A", vp)
	require.Len(t, a.Portions, 2)
	require.Equal(t, "30.00", unit(a))
	require.Equal(t, "5.00", a.Margin.Amount.Fixed(2))
	percent, known := a.Margin.Percent()
	require.True(t, known)
	require.Equal(t, "16.67", percent.Fixed(2))
	sw, err := e.Sweep(vp)
	require.NoError(t, err)
	number, _ := e.ProductNumber("A")
	_, amount, known := sw.Margin(number)
	require.True(t, known)
	require.EqualValues(t, 500, amount)
}
