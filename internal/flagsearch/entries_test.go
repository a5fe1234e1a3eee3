package flagsearch

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"

	"dogbane/internal/book"
	"dogbane/internal/bookfile"
	"dogbane/internal/pricing"
)

// What is carried over from the book before an edit, merged with what was seen anew, is what the flags of both would be
// listed as at once: in one order, with the same money at stake.
func TestCarriedEntriesAreListedAsIfMadeAtOnce(t *testing.T) {
	text := `{"book":"dogbane/1","settings":{"currency":"EUR","timeZone":"UTC"},"products":[{"sku":"& \"0\"","sold":"7"}`
	skus := []string{`& "0"`}
	for i := 1; i < 40; i++ {
		skus = append(skus, fmt.Sprint("=", i))
		text += fmt.Sprintf(`,{"sku":"=%d","sold":"%d"}`, i, i%5)
	}
	doc, err := bookfile.Decode([]byte(text + "]}"))
	require.NoError(t, err)
	snap, err := book.NewSnapshot(doc, 1, pricing.Compile(doc), nil)
	require.NoError(t, err)
	now, err := pricing.ParseMoment("2026-11-27T10:00")
	require.NoError(t, err)
	const later = "2026-12-24T00:00"
	random := rand.New(rand.NewPCG(7, 7))
	flag := func(sku string, at string) *bookfile.FlagAnswer {
		loss := fmt.Sprintf("-%d.%02d", random.IntN(3), random.IntN(3))
		return &bookfile.FlagAnswer{Kind: []string{"below-cost", "above-list"}[random.IntN(2)], SKU: sku, MarginAmount: &loss,
			Channel: fmt.Sprint(random.IntN(3)), Currency: "EUR", Witness: bookfile.Witness{At: at}}
	}
	for range 300 {
		var before, anew []*bookfile.FlagAnswer
		var touched, left []int32
		for _, sku := range skus {
			p, _ := snap.Engine.ProductNumber(sku)
			if touch := random.IntN(2) == 0; touch {
				touched = append(touched, p)
				if random.IntN(2) == 0 {
					left = append(left, p)
				}
			}
			for range random.IntN(4) {
				before = append(before, flag(sku, []string{now.String(), later}[random.IntN(2)]))
			}
			if slices.Contains(touched, p) && !slices.Contains(left, p) && random.IntN(2) == 0 {
				anew = append(anew, flag(sku, now.String()))
			}
		}
		old, seen, set := entries(snap, before), entries(snap, anew), snap.Engine.SetOf(left)
		got := merged(seen, newCarried(old, snap.Engine, snap.Engine.SetOf(touched), now).left(snap, set, seen))

		known := map[string]bool{}
		for _, f := range anew {
			known[Subject(f)] = true
		}
		stands := func(f *bookfile.FlagAnswer) bool {
			p, _ := snap.Engine.ProductNumber(f.SKU)
			return !known[Subject(f)] && (!slices.Contains(touched, p) || set.Has(p) || f.Witness.At == later)
		}
		all := slices.Clone(anew)
		for _, f := range before {
			if stands(f) {
				all = append(all, f)
			}
		}
		want := entries(snap, all)
		require.Len(t, got, len(want))
		for i := range want {
			require.Zero(t, graver(want[i], got[i]), "place %d", i)
		}
		of := map[string]*Entry{}
		for _, e := range want {
			of[e.Subject] = e
		}
		for _, e := range got {
			require.Equal(t, of[e.Subject].Loss, e.Loss, e.Subject)
			require.Equal(t, of[e.Subject].Week, e.Week)
			require.ElementsMatch(t, of[e.Subject].Flags, e.Flags)
		}
	}
}
