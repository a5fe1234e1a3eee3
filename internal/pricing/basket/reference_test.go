package basket_test

import (
	"fmt"
	"math/big"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"

	"dogbane/internal/bookfile"
	"dogbane/internal/money"
	"dogbane/internal/pricing"
	"dogbane/internal/pricing/basket"
	"dogbane/internal/pricing/pricingtest"
)

// In rank order offers do what a slow second reading of docs/book.md does, unit by unit, on random books and baskets of
// every form.
func TestOffersAgreeWithTheReference(t *testing.T) {
	t.Parallel()
	applied, several, spread := 0, 0, 0
	for seed := range uint64(rounds(t, 1500)) {
		rng, book := random(seed, 6)
		book.Settings.Layers = slices.Clone(book.Settings.Layers)
		for i := range book.Settings.Layers {
			if l := &book.Settings.Layers[i]; l.Layer == pricing.Promotion && l.Mode == pricing.Lowest {
				l.Mode = pricing.Stack
			}
		}
		e := basket.Compile(pricing.Compile(book))
		for range 3 {
			q := pricingtest.Basket(rng, book)
			a, err := e.Price(q)
			require.NoError(t, err)
			var have, want []string
			for _, o := range a.Offers {
				applied++
				if o.Applications > 1 {
					several++
				}
				spread += len(o.Rewarded) / 2
				have = append(have, told(o.Rule, o.Applications, o.Off.Fixed(a.Digits), o.Shipping.Fixed(a.Digits), func(add func(kind string, line, units int, off string)) {
					for _, s := range o.Needed {
						add("needs", s.Line, s.Units, "")
					}
					for _, s := range o.Rewarded {
						add("gets", s.Line, s.Units, s.Off.Fixed(a.Digits))
					}
				}))
			}
			fixed := func(r *big.Rat) string { return r.FloatString(a.Digits) }
			for _, o := range pricingtest.Offers(book, q, a.Lines) {
				want = append(want, told(o.Rule, o.Applications, fixed(o.Off), fixed(o.Shipping), func(add func(kind string, line, units int, off string)) {
					for line := range a.Lines {
						if n := o.Needed[line]; n > 0 {
							add("needs", line, n, "")
						}
					}
					for line := range a.Lines {
						if n := o.Rewarded[line]; n > 0 {
							add("gets", line, n, fixed(o.OffByLine[line]))
						}
					}
				}))
			}
			require.Equal(t, want, have, "seed %d\n%s\n%s", seed, bookfile.EncodeBasket(&q), bookfile.Encode(book))
		}
	}
	least := rounds(t, 1500) / 3 // what is never met is not tried
	require.Greater(t, applied, least)
	require.Greater(t, several, least/10)
	require.Greater(t, spread, least/5)
	t.Logf("%d offers applied, %d of them several times", applied, several)
}

func told(rule string, times int, off, shipping string, each func(func(kind string, line, units int, off string))) string {
	text := fmt.Sprintf("%s ×%d −%s (%s)", rule, times, off, shipping)
	each(func(kind string, line, units int, off string) {
		text += fmt.Sprintf(" %s %d×%d %s", kind, line, units, off)
	})
	return text
}

// A basket question that was written and read again is the same.
func TestQuestionsAreWrittenAsTheyAreRead(t *testing.T) {
	t.Parallel()
	for seed := range uint64(rounds(t, 200)) {
		rng, book := random(seed, 3)
		q := pricingtest.Basket(rng, book)
		q.Viewpoint.Quantity, q.Viewpoint.Term, q.Viewpoint.Attrs = 1, 0, nil
		q.Lines[0].ByHand = &pricing.ByHand{PercentOff: new(money.MustParse("2.5"))}
		q.Lines[0].Hire = &pricing.Hire{From: q.At, To: q.At + pricing.Day}
		doc := bookfile.EncodeBasket(&q)
		again, err := bookfile.DecodeBasket(doc)
		require.NoError(t, err, string(doc))
		require.JSONEq(t, string(doc), string(bookfile.EncodeBasket(&again)))
		e := basket.Compile(pricing.Compile(book))
		a, err := e.Price(q)
		require.NoError(t, err)
		b, err := e.Price(again)
		require.NoError(t, err)
		require.True(t, a.Total.Equal(b.Total))
	}
}
