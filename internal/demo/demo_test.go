package demo

import (
	"testing"

	"github.com/stretchr/testify/require"

	"dogbane/internal/bookfile"
	"dogbane/internal/pricing"
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
