package pricing_test

import (
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/require"

	"dogbane/internal/bookfile"
	"dogbane/internal/money"
	"dogbane/internal/pricing"
	"dogbane/internal/pricing/pricingtest"
)

// A book that shares with another says what it said, its engine what one of its own would, and what is the same lies in
// memory once.
func TestShare(t *testing.T) {
	for seed := range uint64(40) {
		rng := rand.New(rand.NewPCG(seed, 37))
		doc := bookfile.Encode(pricingtest.Book(rng))
		with, err := bookfile.Decode(doc)
		require.NoError(t, err)
		b, err := bookfile.Decode(doc)
		require.NoError(t, err)
		b.Rules = b.Rules[rng.IntN(len(b.Rules)):]
		changed := rng.IntN(2) == 0 && len(b.Products) > 0
		if changed {
			price := money.MustParse("123.45")
			b.Products[rng.IntN(len(b.Products))].List = &price
		}
		said := bookfile.Encode(b)
		b.Share(with)
		require.Equal(t, string(said), string(bookfile.Encode(b)), "seed %d", seed)
		if len(b.Products) > 0 {
			require.Equal(t, !changed, &b.Products[0] == &with.Products[0], "seed %d", seed)
		}
		vp := pricingtest.Viewpoint(rng, b)
		vp.With = nil
		have, err := pricing.Compile(with).Recompile(b).Sweep(vp)
		require.NoError(t, err)
		want, err := pricing.Compile(b).Sweep(vp)
		require.NoError(t, err)
		for p := range int32(len(b.Products)) {
			a, okA := want.Price(p)
			c, okC := have.Price(p)
			require.Equal(t, []any{a, okA}, []any{c, okC}, "seed %d", seed)
		}
	}
}
