package pricing_test

import (
	"fmt"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/require"

	"dogbane/internal/money"
	"dogbane/internal/pricing"
	"dogbane/internal/pricing/basket"
	"dogbane/internal/pricing/pricingtest"
)

func figure(s string) *money.Rat { a := money.MustParse(s); return &a }

// Each figure stands until a later entry names it again, of costs, levels and list prices by currency each by itself.
func TestFiguresStandUntilNamedAgain(t *testing.T) {
	p := &pricing.Product{SKU: "A", List: figure("10"), Cost: figure("4"),
		Levels: map[string]money.Rat{"B": *figure("9"), "C": *figure("8")}}
	p.Later = []pricing.Figures{
		{From: 100, List: figure("11"), Levels: map[string]money.Rat{"B": *figure("9.5")}},
		{From: 200, Cost: figure("5"), ListIn: map[string]money.Rat{"GBP": *figure("7")}}}
	at := func(m pricing.Moment) string {
		now := p.At(m)
		return fmt.Sprint(now.List, now.Cost, now.Levels["B"], now.Levels["C"], len(now.ListIn))
	}
	require.Equal(t, "10 4 9 8 0", at(99))
	require.Equal(t, "11 4 9.5 8 0", at(100))
	require.Equal(t, "11 5 9.5 8 1", at(200))
	require.Same(t, p, p.At(99), "nothing is made where nothing changed")
	require.Len(t, p.Levels, 2)
	require.Equal(t, "9", p.Levels["B"].String(), "what was is left as it was")
}

// A hire over the turn of the year: each day costs what it does on that day, and is reduced where the rule selects the
// product at that day's figures; what it costs the house follows.
func TestHireAcrossLaterFigures(t *testing.T) {
	book := &pricing.Book{Settings: pricing.Settings{Currency: "EUR", TimeZone: "Europe/Amsterdam", PricesIncludeTax: true,
		Layers: pricing.DefaultLayers()}}
	book.Products = []*pricing.Product{{SKU: "WHEEL", Unit: "day", List: figure("20"), Cost: figure("10"),
		Later: []pricing.Figures{{From: moment("2027-01-01T00:00"), List: figure("30"), Cost: figure("12")}}}}
	book.Rules = []pricing.Rule{{Code: "DEAR", Layer: pricing.Sale, Rank: 1, Status: pricing.On, MinQuantity: 1,
		Where:  pricing.Where{Field: pricing.FieldList, Bounds: pricing.Bounds{Min: figure("25")}},
		Effect: &pricing.Effect{Kind: pricing.PercentOff, Value: *figure("10")}}}
	e := basket.Compile(pricing.Compile(book))
	a, err := e.Price(basket.Question{Explain: true, Viewpoint: pricing.Viewpoint{At: moment("2026-12-01T10:00")},
		Lines: []pricing.Line{{SKU: "WHEEL", Quantity: 2,
			Hire: &pricing.Hire{From: moment("2026-12-30T09:00"), To: moment("2027-01-02T17:00")}}}})
	require.NoError(t, err)
	require.Equal(t, "188", a.Total.String(), "two wheels, two days at 20 and two at 27")
	require.Equal(t, []string{"DEAR"}, a.Lines[0].Runs[0].Rules)
	require.Equal(t, "88", a.Lines[0].Margin.Cost.String(), "two wheels, two days at 10 and two at 12")
	require.Equal(t, "20", a.Lines[0].List.String(), "the list price at the moment of the question")
}

// What offers and orders look at are the figures at the moment of the question.
func TestOffersAtLaterFigures(t *testing.T) {
	dear := pricing.Where{Field: pricing.FieldList, Bounds: pricing.Bounds{Min: figure("25")}}
	all := pricing.Where{Field: pricing.FieldAll}
	book := &pricing.Book{Settings: pricing.Settings{Currency: "EUR", TimeZone: "UTC", PricesIncludeTax: true,
		Layers: pricing.DefaultLayers()}}
	book.Products = []*pricing.Product{{SKU: "A", Unit: "each", List: figure("20"),
		Later: []pricing.Figures{{From: 1000, List: figure("30")}}}}
	book.Rules = []pricing.Rule{
		{Code: "PAIR", Layer: pricing.Promotion, Rank: 1, Status: pricing.On, MinQuantity: 1, Where: all,
			Offer: &pricing.Offer{Needs: []pricing.Need{{ID: "a", Where: dear, Quantity: 2}},
				Gives: []pricing.Give{{To: "a", Units: 1, PercentOff: figure("50")}}}},
		{Code: "SIX", Layer: pricing.Promotion, Rank: 2, Status: pricing.On, MinQuantity: 1, Where: dear,
			Order: &pricing.Order{Min: 6}}}
	e := basket.Compile(pricing.Compile(book))
	at := func(m pricing.Moment) (string, int) {
		a, err := e.Price(basket.Question{Viewpoint: pricing.Viewpoint{At: m},
			Lines: []pricing.Line{{SKU: "A", Quantity: 2}}})
		require.NoError(t, err)
		return a.Total.String(), len(a.Problems)
	}
	for range 2 { // the second time from what was made before
		total, problems := at(999)
		require.Equal(t, "40", total)
		require.Zero(t, problems)
		total, problems = at(1000)
		require.Equal(t, "45", total)
		require.Equal(t, 1, problems, "from then on six is the least")
	}
}

// However many eras there are and in whatever order they are asked for, a sweep is that of a book whose products have
// the figures of that moment and nothing later; edits in between do not mix them.
func TestErasAgainstBooksOfTheirFigures(t *testing.T) {
	for seed := range uint64(12) {
		rng := rand.New(rand.NewPCG(seed, 27))
		book := pricingtest.Book(rng)
		for i, p := range book.Products { // more moments than are kept
			if i%2 == 0 {
				p.Later = append(p.Later[:0:0], pricing.Figures{From: pricingtest.Noon + pricing.Moment(i-8)*pricing.Hour,
					List: figure(fmt.Sprint(10 + i)), Cost: figure(fmt.Sprint(3 + i))})
			}
		}
		e := pricing.Compile(book)
		for range 30 {
			vp := pricingtest.Viewpoint(rng, book)
			vp.At = pricingtest.Noon + pricing.Moment(rng.IntN(50)-10)*pricing.Hour
			vp.With = nil
			if rng.IntN(3) == 0 {
				r := book.Rules[rng.IntN(len(book.Rules))]
				r.Rank = 1 + rng.IntN(5)
				other, touched := e.With(pricing.Edit{Code: r.Code, Rule: &r})
				before, err := e.Sweep(vp)
				require.NoError(t, err)
				after, err := other.Resweep(before, vp, touched)
				require.NoError(t, err)
				same(t, then(other.Book(), vp.At), vp, after)
				continue
			}
			sw, err := e.Sweep(vp)
			require.NoError(t, err)
			same(t, then(book, vp.At), vp, sw)
		}
	}
}

// then is a book with the figures of a moment alone.
func then(b *pricing.Book, at pricing.Moment) *pricing.Book {
	now := *b
	now.Products = nil
	for _, p := range b.Products {
		q := *p.At(at)
		q.Later = nil
		now.Products = append(now.Products, &q)
	}
	return &now
}

func same(t *testing.T, book *pricing.Book, vp pricing.Viewpoint, sw *pricing.Sweep) {
	t.Helper()
	want, err := pricing.Compile(book).Sweep(vp)
	require.NoError(t, err)
	for p := range int32(want.Len()) {
		x, priced := want.Price(p)
		y, also := sw.Price(p)
		require.Equal(t, priced, also)
		require.Equal(t, x, y)
		xn, xa, _ := want.Margin(p)
		yn, ya, _ := sw.Margin(p)
		require.Equal(t, []int64{xn, xa}, []int64{yn, ya})
	}
}

// BenchmarkSweepOfEras sweeps a book with as many later figures as products, at three moments, in each of its eras
// beside the same book without any; what making an era costs is told apart.
func BenchmarkSweepOfEras(b *testing.B) {
	const n = 100_000
	book := pricingtest.Large(n)
	plain := pricing.Compile(book)
	dated := *book
	dated.Products = make([]*pricing.Product, n)
	for i, p := range book.Products {
		q := *p
		dear := p.List.Mul(money.MustParse("1.04")).Round(2, money.HalfUp)
		q.Later = []pricing.Figures{{From: benchAt + pricing.Moment(i%3)*pricing.Day, List: &dear}}
		dated.Products[i] = &q
	}
	with := pricing.Compile(&dated)
	sweep := func(e *pricing.Engine, at pricing.Moment) func(b *testing.B) {
		return func(b *testing.B) {
			e.At(at)
			for b.Loop() {
				if _, err := e.Sweep(pricing.Viewpoint{At: at, Channel: "web"}); err != nil {
					b.Fatal(err)
				}
			}
		}
	}
	for round := range 3 { // one after the other, as machines are noisy
		b.Run(fmt.Sprint("without/", round), sweep(plain, benchAt))
		for era := range 3 {
			b.Run(fmt.Sprintf("era %d/%d", era+1, round), sweep(with, benchAt+pricing.Moment(era)*pricing.Day))
		}
	}
	b.Run("making an era", func(b *testing.B) {
		for b.Loop() {
			pricing.Compile(&dated).At(benchAt)
		}
	})
	b.Run("compiling alone", func(b *testing.B) {
		for b.Loop() {
			pricing.Compile(&dated)
		}
	})
}
