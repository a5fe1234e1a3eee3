package basket_test

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"dogbane/internal/money"
	"dogbane/internal/pricing"
	"dogbane/internal/pricing/basket"
	"dogbane/internal/pricing/pricingtest"
)

// large is a book with 300 price rules and offers of each shape, and a basket of 40 lines.
func large(offers int, mode pricing.LayerMode) (*pricing.Book, basket.Question) {
	rng := rand.New(rand.NewPCG(3, 3))
	book := pricingtest.Large(10_000)
	book.Settings.Layers = pricing.DefaultLayers()
	book.Settings.Layers[pricing.LayerCount-1].Mode = mode
	all := pricing.Where{Field: pricing.FieldAll, Parts: []pricing.Where{}}
	percent := money.MustParse("20")
	for i := range offers {
		first := book.Products[rng.IntN(40)].Category
		some := pricing.Where{Field: pricing.FieldCategory, Values: []string{first}}
		f := &pricing.Offer{Needs: []pricing.Need{{ID: "a", Where: some, Quantity: 1 + i%3}}, Repeat: 3}
		switch i % 3 {
		case 0:
			f.Gives = []pricing.Give{{To: "a", Units: 1, PercentOff: &percent}}
		case 1:
			f.Gives = []pricing.Give{{Where: &some, PercentOff: &percent}}
		default:
			f.Gives = []pricing.Give{{To: "needs", PercentOff: &percent}}
		}
		book.Rules = append(book.Rules, pricing.Rule{Code: fmt.Sprintf("OFFER-%d", i), Layer: pricing.Promotion, Rank: i + 1,
			Status: pricing.On, Where: all,
			MinQuantity: 1, HireMatch: "days", Counting: pricing.DefaultCounting(), Offer: f})
	}
	q := basket.Question{Viewpoint: pricing.Viewpoint{At: pricingtest.Noon}}
	for i := range 40 {
		q.Lines = append(q.Lines, pricing.Line{SKU: book.Products[i].SKU, Quantity: 1 + i%3})
	}
	return book, q
}

// A basket of 40 lines beside the same lines asked for one by one.
func BenchmarkBasketOf40Lines(b *testing.B) {
	book, q := large(60, pricing.Stack)
	prices := pricing.Compile(book)
	e := basket.Compile(prices)
	b.Run("one by one", func(b *testing.B) {
		timed(b, func() {
			for _, l := range q.Lines {
				vp := q.Viewpoint
				vp.Quantity = l.Quantity
				_, err := prices.Price(pricing.Question{Viewpoint: vp, SKU: l.SKU})
				require.NoError(b, err)
			}
		})
	})
	b.Run("with 60 offers", func(b *testing.B) {
		timed(b, func() {
			a, err := e.Price(q)
			require.NoError(b, err)
			require.NotEmpty(b, a.Offers)
		})
	})
}

// timed reports the 99th percentile and the worst of what is done over and over, besides its mean.
func timed(b *testing.B, do func()) {
	b.Helper()
	var took []time.Duration
	for b.Loop() {
		begun := time.Now()
		do()
		took = append(took, time.Since(begun))
	}
	slices.Sort(took)
	b.ReportMetric(float64(took[len(took)/2].Microseconds()), "p50-µs")
	b.ReportMetric(float64(took[len(took)*99/100].Microseconds()), "p99-µs")
	b.ReportMetric(float64(took[len(took)-1].Microseconds()), "worst-µs")
}

// The best order of eight offers beside their rank order.
func BenchmarkBestOrderOfEight(b *testing.B) {
	for _, mode := range []pricing.LayerMode{pricing.Stack, pricing.Lowest} {
		b.Run(string(mode), func(b *testing.B) {
			book, q := large(8, mode)
			for i := range book.Rules {
				if f := book.Rules[i].Offer; f != nil { // of all goods, so that all compete
					f.Needs[0].Where = book.Rules[i].Where
				}
			}
			e := basket.Compile(pricing.Compile(book))
			timed(b, func() {
				a, err := e.Price(q)
				require.NoError(b, err)
				require.True(b, a.Exact)
			})
		})
	}
}
