package pricing_test

import (
	"fmt"
	"runtime"
	"slices"
	"testing"

	"dogbane/internal/money"
	"dogbane/internal/pricing"
	"dogbane/internal/pricing/pricingtest"
)

const benchAt = pricingtest.Noon

func sizes() []int {
	if testing.Short() {
		return []int{1_000, 10_000}
	}
	return []int{1_000, 10_000, 100_000, 1_000_000}
}

// allGroups sweeps from the viewpoint of each group: with 100,000 products, 600,000 prices.
func allGroups(b *testing.B, e *pricing.Engine) {
	var vps []pricing.Viewpoint
	for _, group := range pricingtest.LargeGroups {
		vps = append(vps, pricing.Viewpoint{At: benchAt, Channel: "web", Groups: []string{group}})
	}
	if _, err := e.Sweeps(vps); err != nil {
		b.Fatal(err)
	}
}

func perPrice(b *testing.B, prices int) {
	b.ReportMetric(float64(b.Elapsed().Nanoseconds())/float64(b.N)/float64(prices), "ns/price")
}

func BenchmarkCompile(b *testing.B) {
	for _, n := range sizes() {
		b.Run(fmt.Sprint(n), func(b *testing.B) {
			book := pricingtest.Large(n)
			var before, after runtime.MemStats
			runtime.GC()
			runtime.ReadMemStats(&before)
			e := pricing.Compile(book)
			runtime.GC()
			runtime.ReadMemStats(&after)
			for b.Loop() {
				pricing.Compile(book)
			}
			b.ReportMetric(float64(int64(after.HeapAlloc)-int64(before.HeapAlloc))/float64(n), "heap-B/product")
			runtime.KeepAlive(e)
		})
	}
}

func BenchmarkSweepOfSixGroups(b *testing.B) {
	for _, n := range sizes() {
		b.Run(fmt.Sprint(n), func(b *testing.B) {
			e := pricing.Compile(pricingtest.Large(n))
			b.ReportAllocs()
			for b.Loop() {
				allGroups(b, e)
			}
			perPrice(b, n*len(pricingtest.LargeGroups))
		})
	}
}

// BenchmarkLimit is the least that the same prices can cost: a dense loop that does as many multiplications, on 64-bit
// numbers that it rounds to cents each time.
func BenchmarkLimit(b *testing.B) {
	const n = 100_000
	e := pricing.Compile(pricingtest.Large(n))
	steps := 0
	for _, group := range pricingtest.LargeGroups {
		sw, err := e.Sweep(pricing.Viewpoint{At: benchAt, Channel: "web", Groups: []string{group}})
		if err != nil {
			b.Fatal(err)
		}
		for p := range int32(n) {
			steps += len(sw.Rules(p))
		}
	}
	perProduct := (steps + 6*n - 1) / (6 * n)
	prices := make([]int64, n)
	for i := range prices {
		prices[i] = int64(1000 + i)
	}
	b.ResetTimer()
	for b.Loop() {
		for range pricingtest.LargeGroups {
			for i, price := range prices {
				for k := range perProduct {
					price = (price*int64(85+k) + 50) / 100
				}
				prices[i] = price + 1000
			}
		}
	}
	perPrice(b, 6*n)
	b.ReportMetric(float64(perProduct), "steps/price")
}

func benchWith(b *testing.B, edit func(r *pricing.Rule)) {
	book := pricingtest.Large(100_000)
	e := pricing.Compile(book)
	type sized struct{ index, reach int }
	var rules []sized
	for i := range book.Rules {
		n, _ := e.Reach(book.Rules[i].Code)
		rules = append(rules, sized{i, n})
	}
	slices.SortFunc(rules, func(a, b sized) int { return a.reach - b.reach })
	for _, name := range []string{"narrowest", "median", "widest"} {
		chosen := map[string]sized{"narrowest": rules[0], "median": rules[len(rules)/2], "widest": rules[len(rules)-1]}[name]
		r := book.Rules[chosen.index]
		vp := pricing.Viewpoint{At: benchAt, Channel: "web"}
		if r.Audience != nil {
			vp.Groups = r.Audience.Groups
		}
		before, err := e.Sweep(vp)
		if err != nil {
			b.Fatal(err)
		}
		b.Run(name, func(b *testing.B) {
			for b.Loop() {
				changed := r
				edit(&changed)
				next, touched := e.With(pricing.Edit{Code: r.Code, Rule: &changed})
				if _, err := next.Resweep(before, vp, touched); err != nil {
					b.Fatal(err)
				}
			}
			b.ReportMetric(float64(chosen.reach), "products")
		})
	}
}

// BenchmarkWithPercent is an edit of a rule's percent, with all prices that it touches.
func BenchmarkWithPercent(b *testing.B) {
	benchWith(b, func(r *pricing.Rule) {
		r.Effect, r.Breaks = &pricing.Effect{Kind: pricing.PercentOff, Value: money.Int(17)}, nil
	})
}

// BenchmarkWithSelection is an edit of a rule's selection.
func BenchmarkWithSelection(b *testing.B) {
	benchWith(b, func(r *pricing.Rule) {
		r.Where = pricing.Where{Field: pricing.FieldAny, Parts: []pricing.Where{r.Where,
			{Field: pricing.FieldTag, Values: []string{"tag 7"}}}}
	})
}

// BenchmarkWithRank is an edit of a rule's rank.
func BenchmarkWithRank(b *testing.B) { benchWith(b, func(r *pricing.Rule) { r.Rank = 1 }) }

// BenchmarkExplain is one price with its whole trail.
func BenchmarkExplain(b *testing.B) {
	e := pricing.Compile(pricingtest.Large(100_000))
	for b.Loop() {
		if _, err := e.Price(pricing.Question{SKU: "SKU-0050000", Viewpoint: pricing.Viewpoint{At: benchAt, Channel: "web",
			Groups: []string{"trade"}}}); err != nil {
			b.Fatal(err)
		}
	}
}
