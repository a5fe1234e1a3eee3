package basket_test

import (
	"fmt"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"dogbane/internal/money"
	"dogbane/internal/pricing"
	"dogbane/internal/pricing/basket"
)

// How much of what could be saved the offers of a basket save, in rank order and in the best order, against the best
// possible use of the units, which a mixed-integer optimiser finds (CBC, Debian's coinor-cbc). The offers are numbers of
// pieces for one price, whose best use can be written down: each application takes so many of its goods, each unit
// serves one application.
func BenchmarkAgainstTheBestUse(b *testing.B) {
	if _, err := exec.LookPath("cbc"); err != nil {
		b.Skip("there is no cbc here; ./test bench installs it")
	}
	var inRank, inBest []float64
	for b.Loop() {
		inRank, inBest = nil, nil
		for seed := range uint64(40) {
			book, q, prices := competing(rand.New(rand.NewPCG(seed, 11)))
			best := optimum(b, book, q, prices)
			if best == 0 {
				continue
			}
			for _, mode := range []pricing.LayerMode{pricing.Stack, pricing.Lowest} {
				book.Settings.Layers[pricing.LayerCount-1].Mode = mode
				a, err := basket.Compile(pricing.Compile(book)).Price(q)
				require.NoError(b, err)
				off, _ := a.Off.Minor(2, money.HalfUp)
				require.LessOrEqual(b, off, best+1, "no order saves more than the best use of the units")
				short := 100 * (1 - float64(off)/float64(best))
				if mode == pricing.Stack {
					inRank = append(inRank, short)
				} else {
					inBest = append(inBest, short)
				}
			}
		}
	}
	b.ReportMetric(median(inRank), "rank-short-%")
	b.ReportMetric(median(inBest), "best-order-short-%")
	b.ReportMetric(0, "ns/op")
}

func median(list []float64) float64 {
	slices.Sort(list)
	return list[len(list)/2]
}

// competing is five offers over goods that several of them want, and a basket of a dozen units with their prices in
// cents.
func competing(rng *rand.Rand) (*pricing.Book, basket.Question, []int64) {
	book := &pricing.Book{Settings: pricing.Settings{Currency: "EUR", TimeZone: "UTC", Layers: slices.Clone(pricing.DefaultLayers())}}
	q := basket.Question{}
	var prices []int64
	for i := range 12 {
		cents := int64(300 + rng.IntN(2500))
		list := money.FromMinor(cents, 2)
		sku := fmt.Sprintf("P%d", i)
		book.Products = append(book.Products, &pricing.Product{SKU: sku, List: &list, Unit: "each"})
		q.Lines = append(q.Lines, pricing.Line{SKU: sku, Quantity: 1})
		prices = append(prices, cents)
	}
	for i := range 5 {
		n := 2 + rng.IntN(2)
		var goods []string
		for p := range book.Products {
			if rng.IntN(5) < 2 {
				goods = append(goods, book.Products[p].SKU)
			}
		}
		total := money.FromMinor(int64(n)*int64(700+rng.IntN(600)), 2)
		book.Rules = append(book.Rules, pricing.Rule{Code: fmt.Sprintf("O%d", i), Layer: pricing.Promotion, Rank: i + 1,
			Status: pricing.On, Where: pricing.Where{Field: pricing.FieldAll, Parts: []pricing.Where{}}, MinQuantity: 1,
			HireMatch: "days", Counting: pricing.DefaultCounting(), Offer: &pricing.Offer{
				Needs: []pricing.Need{{ID: "a", Where: pricing.Where{Field: pricing.FieldSKU, Values: goods}, Quantity: n}},
				Gives: []pricing.Give{{To: "needs", ForTotal: &total}}}})
	}
	return book, q, prices
}

var objective = regexp.MustCompile(`(?i)objective value:?\s+(-?[\d.]+)`)

// optimum is the most that can be saved, in cents.
func optimum(b *testing.B, book *pricing.Book, q basket.Question, prices []int64) int64 {
	b.Helper()
	var goal, rows, bounds, general strings.Builder
	perUnit := make([][]string, len(prices))
	for o := range book.Rules {
		need := book.Rules[o].Offer.Needs[0]
		total, _ := book.Rules[o].Offer.Gives[0].ForTotal.Minor(2, money.HalfUp)
		fmt.Fprintf(&goal, " - %d k%d", total, o)
		fmt.Fprintf(&rows, " c%d: %d k%d", o, need.Quantity, o)
		for u := range prices {
			if slices.Contains(need.Where.Values, q.Lines[u].SKU) {
				x := fmt.Sprintf("x%d_%d", u, o)
				fmt.Fprintf(&goal, " + %d %s", prices[u], x)
				fmt.Fprintf(&rows, " - %s", x)
				fmt.Fprintf(&general, " %s", x) // at most 1, by the row of its unit
				perUnit[u] = append(perUnit[u], x)
			}
		}
		fmt.Fprintf(&rows, " = 0\n")
		fmt.Fprintf(&general, " k%d", o)
		fmt.Fprintf(&bounds, " 0 <= k%d <= %d\n", o, len(prices))
	}
	for u, xs := range perUnit {
		if len(xs) > 0 {
			fmt.Fprintf(&rows, " u%d: %s <= 1\n", u, strings.Join(xs, " + "))
		}
	}
	file := filepath.Join(b.TempDir(), "use.lp")
	lp := "Maximize\n obj:" + goal.String() + "\nSubject To\n" + rows.String() + "Bounds\n" + bounds.String() + "General\n" + general.String() +
		"\nEnd\n"
	require.NoError(b, os.WriteFile(file, []byte(lp), 0o600))
	// With its cuts on, version 2.10.8 misses the optimum of some of these (an order of offers saved more).
	out, err := exec.Command("cbc", file, "preprocess", "off", "cuts", "off", "solve", "quit").CombinedOutput()
	require.NoError(b, err, string(out))
	found := objective.FindAllSubmatch(out, -1)
	require.NotEmpty(b, found, string(out))
	value, err := strconv.ParseFloat(string(found[len(found)-1][1]), 64)
	require.NoError(b, err)
	if value < 0 { // the solver minimises inside
		value = -value
	}
	return int64(value + 0.5)
}
