package telling

import (
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"sync"
	"testing"
	_ "time/tzdata"

	"github.com/stretchr/testify/require"

	"dogbane/internal/bookfile"
	"dogbane/internal/money"
	"dogbane/internal/pricing"
	"dogbane/internal/pricing/basket"
	"dogbane/internal/pricing/pricingtest"
)

func tellingOf(t testing.TB, doc, channel string) *Telling {
	t.Helper()
	b, err := bookfile.Decode([]byte(doc))
	require.NoError(t, err)
	e := pricing.Compile(b)
	tell, err := Tell(e, basket.Compile(e), channel, Lowest30)
	require.NoError(t, err)
	return tell
}

func moment(t testing.TB, text string) pricing.Moment {
	t.Helper()
	m, err := pricing.ParseMoment(text)
	require.NoError(t, err)
	return m
}

// A line says all that a channel is told of a product, as the publication protocol writes it.
func TestALine(t *testing.T) {
	tell := tellingOf(t, `{"book":"dogbane/1","settings":{"currency":"EUR","timeZone":"Europe/Amsterdam","taxRates":{"standard":"21"}},
		"groups":[{"code":"trade"},{"code":"club"}],"channels":[{"code":"web"}],
		"products":[{"sku":"GB-01","name":"Glaze & \"co\" <b>","list":"8.30","content":{"amount":"0.12","of":"l"},"minOrder":1}],
		"rules":[
			{"code":"WEEK","layer":"sale","rank":1,"where":{"all":[]},"effect":{"setPrice":"6.95"},"window":{"from":"2026-11-20T00:00","to":"2026-12-06T00:00"},
				"show":{"label":"Week","badge":"%","alt":"a","image":"x.png"},"liveTags":{"add":["daily"]}},
			{"code":"SIX","layer":"tier","rank":1,"where":{"all":[]},"breaks":[{"from":6,"percentOff":"5"},{"from":12,"percentOff":"5"}]},
			{"code":"TRADE","layer":"group","rank":1,"where":{"all":[]},"audience":{"groups":["trade"]},"effect":{"amountOff":"1"}},
			{"code":"ORDER","layer":"promotion","rank":1,"where":{"all":[]},"order":{"multiple":1}}]}`, "web")
	lines, err := tell.At(moment(t, "2026-11-26T09:00"), &Reductions{Lows: &Lows{}, Read: func(skus []string) (map[string]money.Rat, error) {
		return map[string]money.Rat{skus[0]: money.MustParse("8.30")}, nil
	}})
	require.NoError(t, err)
	told, is := lines.Of(0)
	require.True(t, is)
	untils, err := lines.Untils(nil, map[int32]Digest{0: told.Digest()})
	require.NoError(t, err)
	told.Until = untils[0].Instant(tell.Zone).Format("2006-01-02T15:04:05Z07:00")
	have, err := json.Marshal(told.Line)
	require.NoError(t, err)
	require.JSONEq(t, `{"sku":"GB-01","name":"Glaze & \"co\" <b>","price":"6.95","currency":"EUR","tax":"included","reference":"8.30",
		"referenceKind":"lowest30","as":"reduced","until":"2026-12-06T00:00:00+01:00","breaks":[{"from":6,"price":"6.60"}],
		"groups":{"trade":{"price":"5.95","breaks":[{"from":6,"price":"5.60"}]}},"perUnit":{"price":"57.92","of":"l"},
		"label":"Week","badge":"%","alt":"a","image":"x.png","tags":{"add":["daily"]}}`, string(have))
}

// Where products have many smallest orders, each is told the price of the last unit of its own; also where units before
// it cost as much again.
func TestManySmallestOrders(t *testing.T) {
	var products []string
	for least := range 12 {
		products = append(products, fmt.Sprintf(`{"sku":"P%d","list":"10","minOrder":%d}`, least+1, least+1))
	}
	tell := tellingOf(t, `{"book":"dogbane/1","settings":{"currency":"EUR","timeZone":"Europe/Amsterdam"},
		"groups":[{"code":"trade"}],"channels":[{"code":"web"}],"products":[`+strings.Join(products, ",")+`],"rules":[
			{"code":"ALL","layer":"tier","rank":1,"where":{"all":[]},"method":"graduated","breaks":[{"from":1,"percentOff":"10"}]},
			{"code":"MID","layer":"tier","rank":2,"where":{"all":[]},"method":"graduated",
				"breaks":[{"from":3,"percentOff":"20"},{"from":5,"percentOff":"5"}]},
			{"code":"TRADE","layer":"group","rank":1,"where":{"sku":"P12"},"audience":{"groups":["trade"]},"effect":{"amountOff":"1"}}]}`,
		"web")
	lines, err := tell.At(moment(t, "2026-11-26T09:00"), nil)
	require.NoError(t, err)
	for p, product := range tell.Engine.Products() {
		told, is := lines.Of(int32(p))
		require.True(t, is)
		want, rule := "9.00", "ALL"
		if product.MinOrder == 3 || product.MinOrder == 4 {
			want, rule = "8.00", "MID"
		}
		require.Equal(t, want, told.Price, product.SKU)
		require.Equal(t, rule, told.Rules[0].Code, product.SKU)
		require.Equal(t, product.SKU == "P12", told.Groups["trade"].Price == "8.00", product.SKU)
	}
}

// Of many books, a line says of guests and of each group what the slow reading says that a unit costs at each quantity
// at which a break in pieces of the goods themselves begins, or a least quantity.
func TestLinesTellEveryBreak(t *testing.T) {
	broken, grouped, unpriced := 0, 0, 0
	for seed := range uint64(60) {
		rng := rand.New(rand.NewPCG(seed, 29))
		b := pricingtest.Book(rng)
		if len(b.Channels) == 0 {
			continue
		}
		for i := range b.Products {
			b.Products[i].MinOrder = rng.IntN(8)
		}
		for i := range b.Channels {
			b.Channels[i].Can = []string{"breaks", "brackets", "groups"}
		}
		e := pricing.Compile(b)
		tell, err := Tell(e, basket.Compile(e), b.Channels[0].Code, Lowest30)
		require.NoError(t, err)
		lines, err := tell.At(pricingtest.Noon, nil)
		require.NoError(t, err)
		quantities := saidInLines(b)
		for p := range int32(len(e.Products())) {
			told, is := lines.Of(p)
			sku := e.Products()[p].SKU
			least, _ := tell.Baskets.Least(lines.Scope, p)
			asked := func(group string, quantity int) string {
				q := pricing.Question{SKU: sku, Viewpoint: tell.Viewpoint(pricingtest.Noon, quantity)}
				if group != "" {
					q.Groups = []string{group}
				}
				if r := pricingtest.LastUnit(b, q); r.Unit != nil {
					return r.Unit.FloatString(lines.Digits)
				}
				return ""
			}
			want := func(group string) GroupPrices {
				g := GroupPrices{Price: asked(group, least)}
				last := g.Price
				for _, quantity := range quantities {
					if price := asked(group, quantity); quantity > least && price != "" && price != last {
						last = price
						g.Breaks = append(g.Breaks, LineBreak{quantity, price})
					}
				}
				return g
			}
			guests := want("")
			require.Equal(t, guests.Price != "", is, "seed %d %s", seed, sku)
			if !is {
				unpriced++
				continue
			}
			broken += len(told.Breaks)
			for _, g := range append([]string{""}, tell.Groups...) {
				have, differs := told.Groups[g]
				if grouped++; !differs {
					have = GroupPrices{Price: told.Price, Breaks: told.Breaks, Method: told.Method, Ask: told.Ask}
				}
				one := want(g)
				if one.Price == "" {
					continue
				}
				if have.Ask {
					one.Breaks = nil
				}
				have.Method, have.Ask = "", false
				require.Equal(t, one, have, "seed %d %s for %q", seed, sku, g)
			}
		}
	}
	t.Logf("%d breaks, %d times a group, %d without a price", broken, grouped, unpriced)
	require.Greater(t, broken, 100)
	require.Greater(t, grouped, 500)
}

// saidInLines are the quantities at which lines say prices, ascending.
func saidInLines(b *pricing.Book) (list []int) {
	for _, r := range b.Rules {
		breaks, counting := r.Breaks, r.Counting
		for _, l := range b.Ladders {
			if l.Code == r.Ladder {
				breaks, counting = l.Breaks, l.Counting
			}
		}
		if r.Status == pricing.Off || r.Offer != nil || r.Order != nil {
			continue
		}
		list = append(list, r.MinQuantity)
		pieces := slices.Contains([]string{"line", "selection", "style", "basket"}, counting.Count)
		for _, step := range breaks {
			if n, fits := step.From.Minor(0, money.Up); fits && pieces && counting.Measure == "quantity" && r.HistoryDays == 0 {
				list = append(list, int(n))
			}
		}
	}
	slices.Sort(list)
	return slices.Compact(list)
}

// A line differs also when its price stays and becomes a reduction, which is shown against what was shown before; that is
// asked of no other product.
func TestUntilAReductionBegins(t *testing.T) {
	tell := tellingOf(t, `{"book":"dogbane/1","settings":{"currency":"EUR","timeZone":"Europe/Amsterdam"},"channels":[{"code":"web"}],
		"products":[{"sku":"A & <b>","list":"8"},{"sku":"B","list":"8"},{"sku":"C","list":"20"}],"rules":[
			{"code":"UP","layer":"catalog","rank":1,"where":{"sku":["A & <b>","B"]},"effect":{"setPrice":"12"},"window":{"from":"2026-12-01T00:00"}},
			{"code":"AT8","layer":"sale","rank":1,"where":{"sku":["A & <b>","B"]},"effect":{"setPrice":"8"}},
			{"code":"DOWN","layer":"sale","rank":2,"where":{"sku":"C"},"effect":{"setPrice":"15"},"window":{"from":"2026-12-02T00:00"}}]}`, "web")
	var asked []string
	lines, err := tell.At(moment(t, "2026-11-26T09:00"), &Reductions{Lows: &Lows{},
		Read: func(skus []string) (map[string]money.Rat, error) {
			asked = append(asked, skus...)
			return map[string]money.Rat{"A & <b>": money.MustParse("9.50"), "B": money.MustParse("7")}, nil
		}})
	require.NoError(t, err)
	digests := map[int32]Digest{}
	for p := range int32(3) {
		told, _ := lines.Of(p)
		digests[p] = told.Digest()
	}
	require.Empty(t, asked)
	untils, err := lines.Untils(nil, digests)
	require.NoError(t, err)
	require.Equal(t, map[int32]pricing.Moment{0: moment(t, "2026-12-01T00:00"), 2: moment(t, "2026-12-02T00:00")}, untils)
	require.ElementsMatch(t, []string{"A & <b>", "B"}, asked)
}

// Of many books, until is the first moment at which a line comes out otherwise when it is built anew at every moment at
// which anything opens or closes.
func TestUntilIsTheFirstDifference(t *testing.T) {
	found, never := 0, 0
	for seed := range uint64(30) {
		rng := rand.New(rand.NewPCG(seed, 23))
		b := pricingtest.Book(rng)
		if len(b.Channels) == 0 {
			continue
		}
		e := pricing.Compile(b)
		tell, err := Tell(e, basket.Compile(e), b.Channels[0].Code, Lowest30)
		require.NoError(t, err)
		at := pricingtest.Noon
		lines, err := tell.At(at, nil)
		require.NoError(t, err)
		digests := map[int32]Digest{}
		var mu sync.Mutex
		lines.Each(func(p int32, told Told, is bool) {
			mu.Lock()
			defer mu.Unlock()
			if is {
				digests[p] = told.Digest()
			}
		})
		have, err := lines.Untils(nil, digests)
		require.NoError(t, err)
		want := map[int32]pricing.Moment{}
		for _, m := range e.Changes(at, at+Ahead, 60, nil) {
			then, err := tell.At(m, nil)
			require.NoError(t, err)
			for p := range int32(len(e.Products())) {
				told, is := then.Of(p)
				was, had := digests[p]
				if _, known := want[p]; !known && (is != had || is && told.Digest() != was) {
					want[p] = m
				}
			}
		}
		last := slices.Max(append(e.Changes(at, at+Ahead, 60, nil), at))
		for p, m := range have {
			if m > last {
				delete(have, p)
			}
		}
		require.Equal(t, want, have, "seed %d", seed)
		found, never = found+len(want), never+len(e.Products())-len(want)
	}
	require.Greater(t, found, 40)
	require.Greater(t, never, 20)
}

// A list price that rises at midnight is told at midnight, of a product that is derived from it, too; a cost that changes
// is told to nobody.
func TestDuesOfLaterFigures(t *testing.T) {
	tell := tellingOf(t, `{"book":"dogbane/1","settings":{"currency":"EUR","timeZone":"Europe/Amsterdam"},"channels":[{"code":"web"}],
		"products":[{"sku":"A & <b>","list":"8","later":[{"from":"2026-12-01T00:00","list":"9"},{"from":"2026-12-05T00:00","cost":"3"}]},
			{"sku":"B","list":"8"},{"sku":"C"},{"sku":"D","list":"5","later":[{"from":"2026-12-03T00:00","rrp":"7"}]}],"rules":[
			{"code":"HALF","layer":"catalog","rank":1,"where":{"sku":"C"},"effect":{"derive":{"from":"A & <b>","basis":"net","percent":"50"}}},
			{"code":"DEAR","layer":"sale","rank":1,"where":{"list":{"min":"8.50"}},"effect":{"percentOff":"10"}}]}`, "web")
	lines, err := tell.At(moment(t, "2026-11-26T09:00"), nil)
	require.NoError(t, err)
	dues, err := lines.Dues(moment(t, "2027-01-01T00:00"), 10)
	require.NoError(t, err)
	require.Len(t, dues, 1, "%v", dues)
	require.Equal(t, moment(t, "2026-12-01T00:00"), dues[0].At)
	require.ElementsMatch(t, []string{"A & <b>", "C"}, dues[0].SKUs)
	then, err := tell.At(dues[0].At, nil)
	require.NoError(t, err)
	told, _ := then.Of(dues[0].Changed[0])
	require.Equal(t, "8.10", told.Price, "the rule reaches it at its new list price")
}
