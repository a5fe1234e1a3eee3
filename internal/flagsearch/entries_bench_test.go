package flagsearch

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/require"

	"dogbane/internal/book"
	"dogbane/internal/bookfile"
	"dogbane/internal/pricing"
)

// How long a hundred thousand flags take to become what is listed; the baseline is telling what each is about.
func BenchmarkEntries(b *testing.B) {
	doc, err := bookfile.Decode([]byte(`{"book":"dogbane/1","settings":{"currency":"EUR","timeZone":"UTC"}}`))
	require.NoError(b, err)
	snap, err := book.NewSnapshot(doc, 1, pricing.Compile(doc), nil)
	require.NoError(b, err)
	found := make([]*bookfile.FlagAnswer, 100_000)
	for i := range found {
		loss := fmt.Sprintf("-%d.%02d", i%97, i%100)
		found[i] = &bookfile.FlagAnswer{Kind: []string{"below-cost", "above-list", "dearer-by-quantity"}[i%3], SKU: fmt.Sprint("S", i),
			MarginAmount: &loss, Currency: "EUR"}
	}
	b.Run("listed", func(b *testing.B) {
		for b.Loop() {
			require.Len(b, entries(snap, found), len(found))
		}
	})
	b.Run("baseline=subjects", func(b *testing.B) {
		for b.Loop() {
			for i := range found {
				Subject(found[i])
			}
		}
	})
}
