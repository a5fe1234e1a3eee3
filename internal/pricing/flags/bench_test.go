package flags_test

import (
	"fmt"
	"io"
	"runtime"
	"slices"
	"testing"
	_ "time/tzdata"

	"github.com/stretchr/testify/require"

	"dogbane/internal/demo"
	"dogbane/internal/money"
	"dogbane/internal/pricing"
	"dogbane/internal/pricing/flags"
	"dogbane/internal/pricing/pricingtest"
)

// store is a large book with six channels, one abroad, two that take commissions and one with limits.
func store(products int) *pricing.Book {
	book := pricingtest.Large(products)
	percent, most := money.Int(12), money.Int(60)
	book.Channels = append(book.Channels, pricing.Channel{Code: "fair", FeePercent: percent,
		Limits: &pricing.Limits{NeedsReference: true, MaxOffPercent: &most}},
		pricing.Channel{Code: "desk", Group: "trade"}, pricing.Channel{Code: "isle", Currency: "GBP"},
		pricing.Channel{Code: "market", FeePercent: percent})
	return book
}

func question(days pricing.Moment) flags.Question {
	if days == 0 {
		return flags.Question{From: pricingtest.Noon, To: pricingtest.Noon + 1}
	}
	return flags.Question{From: pricingtest.Noon, To: pricingtest.Noon + days*pricing.Day}
}

// How the search grows with products and days. The baseline is the sweep of every question of the present moment, one
// after the other, without looking at what comes out.
func BenchmarkSearch(b *testing.B) {
	for _, products := range []int{10_000, 100_000} {
		book := store(products)
		e := pricing.Compile(book)
		for _, days := range []pricing.Moment{0, 90} {
			b.Run(fmt.Sprintf("products=%d/days=%d", products, days), func(b *testing.B) {
				before := heap()
				for b.Loop() {
					s, err := flags.NewSearch(e, question(days))
					require.NoError(b, err)
					b.ReportMetric(float64(heap()-before)/1e6, "MB-kept")
					found, err := s.Flags()
					require.NoError(b, err)
					b.ReportMetric(float64(len(found)), "flags")
				}
			})
		}
		b.Run(fmt.Sprintf("products=%d/baseline=sweeps", products), func(b *testing.B) {
			for b.Loop() {
				for _, c := range append([]pricing.Channel{{}}, book.Channels...) {
					for _, g := range append([]pricing.Group{{}}, book.Groups...) {
						for _, q := range book.Quantities() {
							vp := pricing.Viewpoint{At: pricingtest.Noon, Channel: c.Code, Quantity: q}
							if g.Code != "" {
								vp.Groups = []string{g.Code}
							}
							_, err := e.Sweep(vp)
							require.NoError(b, err)
						}
					}
				}
			}
		})
	}
}

// How the search grows with rules: the same products under a quarter of them, a half and all.
func BenchmarkRules(b *testing.B) {
	for _, part := range []int{4, 2, 1} {
		book := store(10_000)
		some := book.Rules[:0]
		for i := range book.Rules {
			if i%part == 0 {
				some = append(some, book.Rules[i])
			}
		}
		book.Rules = some
		e := pricing.Compile(book)
		b.Run(fmt.Sprintf("rules=%d", len(book.Rules)), func(b *testing.B) {
			for b.Loop() {
				_, err := flags.NewSearch(e, question(90))
				require.NoError(b, err)
			}
		})
	}
}

// What an edit of a rule takes: of the rule of median reach and of the widest. The baseline is the search of all.
func BenchmarkEdit(b *testing.B) {
	book := store(100_000)
	e := pricing.Compile(book)
	s, err := flags.NewSearch(e, question(90))
	require.NoError(b, err)
	_, _, err = s.Changes(e, e.Match(&pricing.Where{Field: pricing.FieldAny}), nil) // what it counts once
	require.NoError(b, err)
	type reached struct {
		rule  pricing.Rule
		count int
	}
	var rules []reached
	e.Rules(func(_ int, r *pricing.Rule, selected pricing.Set) {
		if r.Effect != nil && r.Effect.Kind == pricing.PercentOff {
			rules = append(rules, reached{*r, selected.Count()})
		}
	})
	slices.SortFunc(rules, func(x, y reached) int { return x.count - y.count })
	for _, r := range []reached{rules[len(rules)/2], rules[len(rules)-1]} {
		edited := func(b *testing.B) (*pricing.Engine, pricing.Set) {
			effect := *r.rule.Effect
			effect.Value = effect.Value.Add(money.Int(1))
			next := r.rule
			next.Effect = &effect
			after, _ := e.With(pricing.Edit{Code: next.Code, Rule: &next})
			touched, told := after.Touched(e)
			require.True(b, told)
			return after, touched
		}
		b.Run(fmt.Sprintf("reach=%d/span", r.count), func(b *testing.B) {
			for b.Loop() {
				after, touched := edited(b)
				_, _, err := s.Changes(after, touched, nil)
				require.NoError(b, err)
			}
		})
		b.Run(fmt.Sprintf("reach=%d/present", r.count), func(b *testing.B) {
			for b.Loop() {
				after, touched := edited(b)
				require.NoError(b, flags.Show(after, question(0), touched, func([]flags.Flag, pricing.Set) error { return nil }))
			}
		})
		b.Run(fmt.Sprintf("reach=%d/first-of-present", r.count), func(b *testing.B) {
			for b.Loop() {
				after, touched := edited(b)
				require.ErrorIs(b, flags.Show(after, question(0), touched, func(list []flags.Flag, _ pricing.Set) error {
					b.ReportMetric(float64(len(list)), "flags")
					return io.EOF
				}), io.EOF)
			}
		})
	}
}

func heap() uint64 {
	var m runtime.MemStats
	runtime.GC()
	runtime.ReadMemStats(&m)
	return m.HeapAlloc
}

// The search with 10,000 customers whom no rule tells apart, beside the demo's twelve, which are the baseline.
func BenchmarkManyCustomers(b *testing.B) {
	now, err := pricing.ParseMoment(demo.Now)
	require.NoError(b, err)
	for _, n := range []int{0, 10_000} {
		book := demo.Book(0)
		for i := range n {
			book.Customers = append(book.Customers, pricing.Customer{Code: fmt.Sprintf("N-%d", i), Groups: []string{"trade"}})
		}
		e := pricing.Compile(book)
		b.Run(fmt.Sprint(12+n), func(b *testing.B) {
			for b.Loop() {
				_, err := flags.Find(e, flags.Question{From: now, To: now + 90*pricing.Day})
				require.NoError(b, err)
			}
		})
	}
}
