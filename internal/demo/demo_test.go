package demo

import (
	"testing"

	"github.com/stretchr/testify/require"

	"dogbane/internal/bookfile"
	"dogbane/internal/money"
	"dogbane/internal/pricing"
	"dogbane/internal/pricing/basket"
	"dogbane/internal/pricing/flags"
)

// The demo is a valid document, large enough to read as a store, and shows each kind of trouble that it promises.
func TestDemoBook(t *testing.T) {
	book := Book(0)
	require.GreaterOrEqual(t, len(book.Products), 300)
	_, err := bookfile.Decode(bookfile.Encode(book))
	require.NoError(t, err)

	engine := pricing.Compile(book)
	now := *moment(Now)
	found, err := flags.Find(engine, flags.Question{From: now, To: now + 90*pricing.Day})
	require.NoError(t, err)
	kinds := map[flags.Kind][]string{}
	for _, f := range found {
		kinds[f.Kind] = append(kinds[f.Kind], f.SKU)
	}
	require.Contains(t, kinds[flags.BelowCost], "SET-OXIDE")
	require.Contains(t, kinds[flags.BelowCost], "SPRIG-OLD")
	require.NotEmpty(t, kinds[flags.Tie])
	t.Logf("%d products, flags %v", len(book.Products), kinds)
}

func TestScaledBookKeepsSKUsUnique(t *testing.T) {
	book := Book(5000)
	require.Len(t, book.Products, 5000)
	seen := map[string]bool{}
	for _, p := range book.Products {
		require.False(t, seen[p.SKU], p.SKU)
		seen[p.SKU] = true
	}
}

// Units sold are what the sales of the last 30 days add up to, and the pinned prices hold but for the last, which is
// there to be found.
func TestRecordFitsTheBook(t *testing.T) {
	b := Book(0)
	now, err := pricing.ParseMoment(Now)
	require.NoError(t, err)
	units, buyers := map[string]int64{}, map[string]bool{}
	for _, s := range Sales(b) {
		require.Less(t, s.At, now)
		buyers[s.Customer] = true
		if s.At >= now-30*pricing.Day {
			units[s.SKU] += int64(s.Quantity)
		}
	}
	for i := range b.Products {
		if p := &b.Products[i]; p.Sold != nil {
			require.Equal(t, p.Sold.String(), money.Int(units[p.SKU]).String(), p.SKU)
		}
	}
	require.True(t, buyers["C-01"] && buyers[""])
	require.False(t, buyers["C-12"], "one customer's first order is still to come")

	engine := pricing.Compile(b)
	checks := Checks()
	for i, c := range checks {
		x, err := bookfile.ReadExpectation([]byte(c.Doc))
		require.NoError(t, err)
		differences, err := x.Run(engine, func() *basket.Engine { return basket.Compile(engine) })
		require.NoError(t, err)
		require.Equal(t, i == len(checks)-1, len(differences) > 0, "%s: %v", c.Name, differences)
	}
}
