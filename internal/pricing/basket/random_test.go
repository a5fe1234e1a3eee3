package basket_test

import (
	"fmt"
	"math/rand/v2"
	"os"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"

	"dogbane/internal/bookfile"
	"dogbane/internal/money"
	"dogbane/internal/pricing"
	"dogbane/internal/pricing/basket"
	"dogbane/internal/pricing/pricingtest"
)

// rounds are how many random books a test tries.
func rounds(t *testing.T, n int) int {
	t.Helper()
	switch {
	case testing.Short():
		return n / 10
	case os.Getenv("DOGBANE_LONG") != "":
		return n * 40
	}
	return n
}

func random(seed uint64, offers int) (*rand.Rand, *pricing.Book) {
	rng := rand.New(rand.NewPCG(seed, 7))
	book := pricingtest.Book(rng)
	pricingtest.AddOffers(rng, book, offers)
	return rng, book
}

// The parts make the whole, no offer raises a total, nothing is below 0, and no unit is used twice.
func TestPartsMakeTheWhole(t *testing.T) {
	t.Parallel()
	applied := 0
	for seed := range uint64(rounds(t, 150)) {
		rng, book := random(seed, 6)
		e := basket.Compile(pricing.Compile(book))
		for range 4 {
			q := pricingtest.Basket(rng, book)
			q.Explain = true
			a, err := e.Price(q)
			require.NoError(t, err)
			about := func() string { return fmt.Sprintf("seed %d, %+v\n%s", seed, q, bookfile.Encode(book)) }
			sum, off, used := money.Int(0), money.Int(0), map[int]int{}
			for _, l := range a.Lines {
				if l.Total == nil {
					continue
				}
				require.False(t, l.Total.Sign() < 0, about())
				require.False(t, l.PricedLine.Total().Less(*l.Total), about())
				sum = sum.Add(*l.Total)
			}
			for _, o := range a.Offers {
				applied++
				require.Positive(t, o.Off.Sign(), about())
				off = off.Add(o.Off)
				parts := o.Shipping
				most := map[int]int{} // of an offer, a unit may fill a need and be rewarded
				for _, s := range o.Rewarded {
					parts = parts.Add(s.Off)
					most[s.Line] = s.Units
				}
				require.True(t, parts.Equal(o.Off), about())
				for _, s := range o.Needed {
					most[s.Line] = max(most[s.Line], s.Units)
				}
				for line, n := range most {
					used[line] += n
				}
				sum = sum.Sub(o.Shipping)
			}
			for line, n := range used {
				require.LessOrEqual(t, n, a.Lines[line].Quantity, about())
			}
			if q.Shipping != nil {
				sum = sum.Add(*q.Shipping)
			}
			require.True(t, sum.Equal(a.Total), about())
			require.True(t, off.Equal(a.Off), about())
			require.True(t, a.Subtotal.Equal(linesBefore(a)), about())
			require.Len(t, a.Missed, len(offersOf(book))-len(a.Offers), about())
		}
	}
	require.Positive(t, applied)
}

func linesBefore(a *basket.Answer) money.Rat {
	sum := money.Int(0)
	for i := range a.Lines {
		sum = sum.Add(a.Lines[i].PricedLine.Total())
	}
	return sum
}

func offersOf(book *pricing.Book) (offers []*pricing.Rule) {
	for i := range book.Rules {
		if book.Rules[i].Offer != nil {
			offers = append(offers, &book.Rules[i])
		}
	}
	return offers
}

// In a book without offers a basket of one line, of a product not derived from the basket, is the price question.
func TestOneLineIsThePriceQuestion(t *testing.T) {
	t.Parallel()
	for seed := range uint64(rounds(t, 300)) {
		rng, book := random(seed, 0)
		prices := pricing.Compile(book)
		e := basket.Compile(prices)
		for range 8 {
			q := pricingtest.Question(rng, book)
			want, err := prices.Price(q)
			require.NoError(t, err)
			a, err := e.Price(basket.Question{Viewpoint: q.Viewpoint,
				Lines: []pricing.Line{{SKU: q.SKU, Quantity: max(q.Quantity, 1), Options: q.Options, Term: q.Term}}})
			require.NoError(t, err)
			about := fmt.Sprintf("seed %d, %+v", seed, q)
			if fromBasket(book) {
				continue
			}
			require.Equal(t, want.Total == nil, a.Lines[0].Total == nil, about)
			if want.Total != nil {
				require.True(t, want.Total.Equal(*a.Lines[0].Total), "%s: %s is %s\n%s", about, want.Total, a.Lines[0].Total,
					bookfile.Encode(book))
			}
		}
	}
}

// fromBasket reports whether a rule takes a price from the sum of other goods, which one line alone changes.
func fromBasket(book *pricing.Book) bool {
	derives := func(e *pricing.Effect) bool {
		return e != nil && e.Kind == pricing.ToDerived && (e.Derive.From == pricing.Basket || e.Derive.Basis == "subtotal")
	}
	return slices.ContainsFunc(book.Rules, func(r pricing.Rule) bool {
		return derives(r.Effect) || slices.ContainsFunc(r.Breaks, func(b pricing.Break) bool { return derives(&b.Effect) })
	})
}

// The best order is as good as the best of all orders tried one by one, each as a book in which the offers have those
// ranks, and it is the first of these.
func TestBestOrderIsTheBestOfAll(t *testing.T) {
	t.Parallel()
	better := 0
	for seed := range uint64(rounds(t, 120)) {
		rng, book := random(seed, 4)
		q := pricingtest.Basket(rng, book)
		mode := func(m pricing.LayerMode) *pricing.Book {
			b := *book
			b.Settings.Layers = slices.Clone(book.Settings.Layers)
			for i := range b.Settings.Layers {
				if b.Settings.Layers[i].Layer == pricing.Promotion {
					b.Settings.Layers[i].Mode = m
				}
			}
			// The price rules of the layer would work in another mode too: only offers are looked at.
			b.Rules = slices.DeleteFunc(slices.Clone(book.Rules), func(
				r pricing.Rule) bool {
				return r.Layer == pricing.Promotion && r.Offer == nil
			})
			return &b
		}
		q.With = nil
		best, err := basket.Compile(pricing.Compile(mode(pricing.Lowest))).Price(q)
		require.NoError(t, err)
		require.True(t, best.Exact)
		inRank := mode(pricing.Stack)
		offers := offersOf(inRank)
		slices.SortStableFunc(offers, func(a, b *pricing.Rule) int { return a.Rank - b.Rank })
		var least *basket.Answer
		permute(len(offers), func(order []int) {
			for rank, i := range order {
				offers[i].Rank = rank + 1
			}
			a, err := basket.Compile(pricing.Compile(inRank)).Price(q)
			require.NoError(t, err)
			if least != nil && a.Total.Less(least.Total) {
				better++
			}
			if least == nil || a.Total.Less(least.Total) {
				least = a
			}
		})
		require.True(t, least.Total.Equal(best.Total), "seed %d: %s is not %s\n%+v\n%s", seed, best.Total, least.Total, q,
			bookfile.Encode(book))
		require.ElementsMatch(t, offsOf(least), offsOf(best), "seed %d", seed)
	}
	require.True(t, better > 0 || testing.Short(), "no order was better than rank order")
}

func offsOf(a *basket.Answer) (offs []string) {
	for _, o := range a.Offers {
		offs = append(offs, o.Rule+" "+o.Off.String())
	}
	return offs
}

// permute calls with every order of n things, those that begin with earlier things first.
func permute(n int, with func([]int)) {
	var rest func(order []int)
	rest = func(order []int) {
		if len(order) == n {
			with(order)
			return
		}
		for i := range n {
			if !slices.Contains(order, i) {
				rest(append(slices.Clone(order), i))
			}
		}
	}
	rest(nil)
}

// Where all prices differ, the order of the lines does not matter.
func TestTheOrderOfLinesDoesNotMatter(t *testing.T) {
	t.Parallel()
	compared := 0
	for seed := range uint64(rounds(t, 400)) {
		rng, book := random(seed, 5)
		e := basket.Compile(pricing.Compile(book))
		q := pricingtest.Basket(rng, book)
		for i := range q.Lines {
			q.Lines[i].Quantity = 1
		}
		a, err := e.Price(q)
		require.NoError(t, err)
		if !allDiffer(a) {
			continue
		}
		compared++
		turned := q
		turned.Lines = slices.Clone(q.Lines)
		slices.Reverse(turned.Lines)
		b, err := e.Price(turned)
		require.NoError(t, err)
		require.True(t, a.Total.Equal(b.Total), "seed %d: %s, turned %s", seed, a.Total, b.Total)
	}
	require.Positive(t, compared)
}

func allDiffer(a *basket.Answer) bool {
	seen := map[string]bool{}
	for _, l := range a.Lines {
		if l.Unit == nil || seen[l.Unit.String()] || seen[l.SKU] {
			return false
		}
		seen[l.Unit.String()], seen[l.SKU] = true, true
	}
	return true
}
