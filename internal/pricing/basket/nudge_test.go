package basket_test

import (
	"fmt"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"

	"dogbane/internal/bookfile"
	"dogbane/internal/money"
	"dogbane/internal/pricing"
	"dogbane/internal/pricing/basket"
	"dogbane/internal/pricing/pricingtest"
)

func decoded(t *testing.T, doc string) *basket.Engine {
	t.Helper()
	book, err := bookfile.Decode([]byte(doc))
	require.NoError(t, err)
	return basket.Compile(pricing.Compile(book))
}

// What is missing for the next break, for a deal, for its reward and for an amount is named with what it saves.
func TestNudges(t *testing.T) {
	t.Parallel()
	e := decoded(t, `{"book":"dogbane/1","settings":{"currency":"EUR","timeZone":"UTC"},
		"groups":[{"code":"tier","name":"T"},{"code":"deal","name":"D"},{"code":"gift","name":"G"},{"code":"spend","name":"S"}],
		"products":[{"sku":"A & <B>","list":"10.00"},{"sku":"B","list":"4.00"},{"sku":"C","list":"7.00"}],
		"rules":[
		{"code":"SIX","layer":"tier","rank":1,"audience":{"groups":["tier"]},"where":{"sku":"A & <B>"},"breaks":[{"from":6,"percentOff":"20"}]},
		{"code":"THREE","layer":"promotion","rank":1,"audience":{"groups":["deal"]},"where":{"all":[]},"offer":{"needs":[{"id":"a","where":{"sku":["B","C"]},"quantity":3}],"gives":{"to":"a","units":1,"percentOff":"100"}}},
		{"code":"GIFT","layer":"promotion","rank":2,"audience":{"groups":["gift"]},"where":{"all":[]},"offer":{"needs":[{"id":"a","where":{"sku":"A & <B>"}}],"gives":{"to":{"where":{"sku":["C","B"]}},"percentOff":"50"}}},
		{"code":"FIFTY","layer":"promotion","rank":3,"audience":{"groups":["spend"]},"where":{"all":[]},"offer":{"spend":{"amount":"50.00"},"gives":{"to":"basket","percentOff":"10"}}}]}`)
	for _, c := range []struct {
		group string
		lines []pricing.Line
		want  string
	}{
		// six for 48 instead of 60, five cost 50
		{"tier", []pricing.Line{{SKU: "A & <B>", Quantity: 5}}, "SIX +1 A & <B> costs -2 saves 12"},
		// the cheaper one of two kinds in the basket, and it is free itself
		{"deal", []pricing.Line{{SKU: "C", Quantity: 1}, {SKU: "B", Quantity: 1}}, "THREE +1 B costs 0 saves 4"},
		// of all goods that can be rewarded the cheapest
		{"gift", []pricing.Line{{SKU: "A & <B>", Quantity: 1}}, "GIFT +1 B costs 2 saves 2"},
		// 46 spent: one B makes it 50, less 5
		{"spend", []pricing.Line{{SKU: "A & <B>", Quantity: 3}, {SKU: "B", Quantity: 4}}, "FIFTY +1 B costs -1 saves 5"},
	} {
		a, err := e.Price(basket.Question{Viewpoint: pricing.Viewpoint{Groups: []string{c.group}}, Lines: c.lines, Explain: true})
		require.NoError(t, err)
		var got []string
		for _, n := range a.Nudges {
			text := n.Rule
			for _, x := range n.Add {
				text += fmt.Sprintf(" +%d %s", x.Quantity, x.SKU)
			}
			got = append(got, fmt.Sprintf("%s costs %s saves %s", text, n.Costs, n.Saves))
		}
		require.Equal(t, []string{c.want}, got)
	}
}

// A nudge keeps its promise: with the goods added the whole costs what it says, and more is saved than before.
func TestNudgesKeepTheirPromise(t *testing.T) {
	t.Parallel()
	nudges := 0
	for seed := range uint64(rounds(t, 150)) {
		rng, book := random(seed, 5)
		e := basket.Compile(pricing.Compile(book))
		for range 3 {
			q := pricingtest.Basket(rng, book)
			q.Explain = true
			a, err := e.Price(q)
			require.NoError(t, err)
			for _, n := range a.Nudges {
				nudges++
				with := q
				with.Lines = slices.Clone(q.Lines)
				for _, x := range n.Add {
					require.Positive(t, x.Quantity)
					if at := slices.IndexFunc(with.Lines, func(l pricing.Line) bool { return l.SKU == x.SKU }); at >= 0 &&
						a.Lines[at].Runs != nil {
						with.Lines[at].Quantity += x.Quantity
					} else {
						with.Lines = append(with.Lines, pricing.Line{SKU: x.SKU, Quantity: x.Quantity})
					}
				}
				after, err := e.Price(with)
				require.NoError(t, err)
				require.True(t, after.Total.Equal(a.Total.Add(n.Costs)), "seed %d %+v\n%s", seed, n, bookfile.Encode(book))
				require.Positive(t, n.Saves.Sign())
			}
			require.True(t, slices.IsSortedFunc(a.Nudges, func(x, y basket.Nudge) int { return x.Costs.Cmp(y.Costs) }))
		}
	}
	require.Positive(t, nudges)
}

// What is left of a basket is what is left of its lines, and of a line alone what the price question says of its units.
func TestMarginOfABasket(t *testing.T) {
	t.Parallel()
	compared := 0
	for seed := range uint64(rounds(t, 200)) {
		rng, book := random(seed, 0)
		prices := pricing.Compile(book)
		e := basket.Compile(prices)
		q := pricingtest.Basket(rng, book)
		q.Lines = q.Lines[:1]
		q.Lines[0].Quantity, q.Lines[0].Term, q.Explain = 1, 0, true
		a, err := e.Price(q)
		require.NoError(t, err)
		vp := q.Viewpoint
		vp.Quantity, vp.Term = 1, 1
		one, err := prices.Price(pricing.Question{Viewpoint: vp, SKU: q.Lines[0].SKU, Options: q.Lines[0].Options})
		require.NoError(t, err)
		if fromBasket(book) || one.Total == nil {
			continue
		}
		compared++
		require.Equal(t, one.Margin == nil, a.Margin == nil)
		if a.Margin != nil {
			require.True(t, one.Margin.Amount.Equal(a.Margin.Amount), "seed %d: %s, %s", seed, one.Margin.Amount, a.Margin.Amount)
			require.True(t, a.Margin.Net.Equal(a.Margin.Amount.Add(a.Margin.Fee).Add(a.Margin.Cost)))
		}
	}
	require.Positive(t, compared)
	e := decoded(t, `{"book":"dogbane/1","settings":{"currency":"EUR","timeZone":"UTC","taxRates":{"s":"25"}},
		"channels":[{"code":"m","name":"M","fee":{"percent":"10","amount":"0.50"}}],
		"products":[{"sku":"A","list":"12.50","cost":"4.00","taxClass":"s"},{"sku":"W","list":"25.00","cost":"3.00","taxClass":"s","unit":"day"}],
		"rules":[{"code":"HALF","layer":"promotion","rank":1,"where":{"sku":"A"},"offer":{"needs":[{"id":"a","where":{"all":[]},"quantity":2}],"gives":{"to":"a","units":1,"percentOff":"50"}}}]}`)
	a, err := e.Price(basket.Question{Viewpoint: pricing.Viewpoint{Channel: "m"}, Explain: true, Lines: []pricing.Line{{SKU: "A", Quantity: 2},
		{SKU: "W", Quantity: 1, Hire: &pricing.Hire{From: 0, To: 2 * pricing.Day}}}})
	require.NoError(t, err)
	// 18.75 paid for two: 15.00 without tax, less 1.50 and 2 × 0.50, less 2 × 4.00; three days: 60.00, less 6.00 and 0.50, less 3 × 3.00
	require.Equal(t, "4.5", a.Lines[0].Margin.Amount.String())
	require.Equal(t, "44.5", a.Lines[1].Margin.Amount.String())
	require.True(t, a.Margin.Amount.Equal(money.MustParse("49")))
}
