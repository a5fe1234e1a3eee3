package pricing_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"github.com/cockroachdb/apd/v3"
	"github.com/expr-lang/expr"
	"github.com/expr-lang/expr/vm"
	"github.com/stretchr/testify/require"

	"dogbane/internal/pricing"
	"dogbane/internal/pricing/pricingtest"
)

// The baselines price what BenchmarkSweepOfSixGroups prices, at 10,000 products, so that prices can be compared one by
// one: what a team would write first. They know just what pricingtest.Large uses.
const baselineProducts = 10_000

// closureRule is a rule as two closures.
type closureRule struct {
	*pricing.Rule
	matches func(p *pricing.Product) bool
	apply   func(price, cost *apd.Decimal) *apd.Decimal
}

var exactly = apd.BaseContext.WithPrecision(40)

func dec(s string) *apd.Decimal {
	d, _, err := apd.NewFromString(s)
	if err != nil {
		panic(err)
	}
	return d
}

func quantized(d *apd.Decimal, step string, how apd.Rounder) *apd.Decimal {
	ctx := *exactly
	ctx.Rounding = how
	var q apd.Decimal
	_, _ = ctx.Quo(&q, d, dec(step))
	_, _ = ctx.Quantize(&q, &q, 0)
	_, _ = ctx.Mul(&q, &q, dec(step))
	return &q
}

// closures makes two closures of each rule, for one piece.
func closures(book *pricing.Book) []closureRule {
	var list []closureRule
	for i := range book.Rules {
		r := &book.Rules[i]
		e := r.Effect
		if e == nil {
			e = &r.Breaks[0].Effect
		}
		value := dec(e.Value.String())
		list = append(list, closureRule{r, func(p *pricing.Product) bool { return holds(&r.Where, p) },
			func(price, cost *apd.Decimal) *apd.Decimal {
				var factor, out apd.Decimal
				_, _ = exactly.Quo(&factor, value, dec("100"))
				switch e.Kind {
				case pricing.PercentOff:
					_, _ = exactly.Sub(&factor, dec("1"), &factor)
					_, _ = exactly.Mul(&out, price, &factor)
				case pricing.PercentOn:
					_, _ = exactly.Add(&factor, dec("1"), &factor)
					_, _ = exactly.Mul(&out, price, &factor)
				case pricing.AmountOff:
					_, _ = exactly.Sub(&out, price, value)
				case pricing.ToMargin:
					_, _ = exactly.Sub(&factor, dec("1"), &factor)
					_, _ = exactly.Quo(&out, cost, &factor)
				}
				if out.Sign() < 0 {
					out.SetInt64(0)
				}
				if r.MaxOff != nil {
					var limit apd.Decimal
					if _, _ = exactly.Sub(&limit, price, dec(r.MaxOff.Amount.String())); out.Cmp(&limit) < 0 {
						out.Set(&limit)
					}
				}
				if r.Floor != nil {
					floor := cost
					if price.Cmp(floor) < 0 {
						floor = price
					}
					if out.Cmp(floor) < 0 {
						out.Set(floor)
					}
				}
				if r.Ending != nil {
					out.Set(quantized(&out, r.Ending.Step.String(), apd.RoundHalfUp))
					if _, _ = exactly.Add(&out, &out, dec(r.Ending.Shift.String())); out.Sign() < 0 {
						out.SetInt64(0)
					}
				}
				return &out
			}})
	}
	return list
}

// closurePrice is the plain loop for one product.
func closurePrice(book *pricing.Book, rules map[pricing.Layer][]closureRule, p *pricing.Product,
	group string) *apd.Decimal {
	price, cost := dec(p.List.String()), new(apd.Decimal)
	_, _ = exactly.Mul(cost, dec(p.Cost.String()), dec(map[string]string{"standard": "1.21",
		"reduced": "1.09"}[p.TaxClass]))
	for _, l := range book.Settings.Layers {
		var best *apd.Decimal
		for _, r := range rules[l.Layer] {
			if r.Audience != nil && !slices.Contains(r.Audience.Groups, group) || !r.matches(p) {
				continue
			}
			result := r.apply(price, cost)
			if kind := r.Effect; result.Cmp(price) > 0 && l.Layer != pricing.Catalog &&
				(kind == nil || kind.Kind != pricing.PercentOn) {
				continue
			}
			if l.Mode == pricing.Stack {
				price = result
				continue
			}
			if best == nil || l.Mode == pricing.Lowest && result.Cmp(best) < 0 {
				best = result
			}
			if l.Mode == pricing.First {
				break
			}
		}
		if best != nil {
			price = best
		}
	}
	return quantized(price, "0.01", apd.RoundHalfUp)
}

func BenchmarkBaselineClosures(b *testing.B) {
	book := pricingtest.Large(baselineProducts)
	byLayer := map[pricing.Layer][]closureRule{}
	for _, r := range closures(book) {
		byLayer[r.Layer] = append(byLayer[r.Layer], r)
	}
	sweep, err := pricing.Compile(book).Sweep(pricing.Viewpoint{At: benchAt, Channel: "web", Groups: []string{"trade"}})
	require.NoError(b, err)
	for p, product := range pricing.Compile(book).Products()[:400] {
		want, _ := sweep.Price(int32(p))
		got, err := closurePrice(book, byLayer, product, "trade").Float64()
		require.NoError(b, err)
		require.InDelta(b, float64(want)/100, got, 0.001, product.SKU)
	}
	for b.Loop() {
		for _, group := range pricingtest.LargeGroups {
			for i := range book.Products {
				closurePrice(book, byLayer, book.Products[i], group)
			}
		}
	}
	perPrice(b, baselineProducts*len(pricingtest.LargeGroups))
}

// expressionOf writes a selection as an expression.
func expressionOf(w *pricing.Where) string {
	quoted := func(values []string) string {
		var list []string
		for _, v := range values {
			list = append(list, fmt.Sprintf("%q", v))
		}
		return "[" + strings.Join(list, ", ") + "]"
	}
	parts := func(word string) string {
		var list []string
		for i := range w.Parts {
			list = append(list, "("+expressionOf(&w.Parts[i])+")")
		}
		return strings.Join(list, " "+word+" ")
	}
	switch w.Field {
	case pricing.FieldAll:
		if len(w.Parts) == 0 {
			return "true"
		}
		return parts("and")
	case pricing.FieldAny:
		return parts("or")
	case pricing.FieldNot:
		return "not (" + expressionOf(&w.Parts[0]) + ")"
	case pricing.FieldCategory:
		var list []string
		for _, v := range w.Values {
			list = append(list, fmt.Sprintf("(Category == %q or Category startsWith %q)", v, v+"/"))
		}
		return strings.Join(list, " or ")
	case pricing.FieldBrand:
		return "Brand in " + quoted(w.Values)
	case pricing.FieldSKU:
		return "SKU in " + quoted(w.Values)
	case pricing.FieldTag:
		return "any(Tags, # in " + quoted(w.Values) + ")"
	case pricing.FieldAttr:
		return "Cone in " + quoted(w.Attrs["cone"].Values)
	case pricing.FieldStock:
		return "Stock >= " + w.Bounds.Min.String()
	}
	return "List >= " + w.Bounds.Min.String()
}

type expressionGoods struct {
	SKU, Category, Brand, Cone string
	Tags                       []string
	List, Stock                float64
}

// BenchmarkBaselineExpressions runs the selections alone, as programs of a general expression library.
func BenchmarkBaselineExpressions(b *testing.B) {
	book := pricingtest.Large(baselineProducts)
	e := pricing.Compile(book)
	var programs []*vm.Program
	for i := range book.Rules {
		program, err := expr.Compile(expressionOf(&book.Rules[i].Where), expr.Env(expressionGoods{}), expr.AsBool())
		require.NoError(b, err)
		programs = append(programs, program)
	}
	var goods []expressionGoods
	for _, p := range e.Products() {
		goods = append(goods, expressionGoods{p.SKU, p.Category, p.Brand, p.Attrs["cone"].Text, p.Tags, p.List.Float(),
			p.Stock.Float()})
	}
	machine := vm.VM{}
	run := func(k, p int) bool {
		out, err := machine.Run(programs[k], goods[p])
		if err != nil {
			b.Fatal(err)
		}
		return out.(bool)
	}
	for k := range programs {
		set := e.Match(&book.Rules[k].Where)
		for p := range goods[:100] {
			require.Equal(b, set.Has(int32(p)), run(k, p))
		}
	}
	for b.Loop() {
		for p := range goods {
			for k := range programs {
				run(k, p)
			}
		}
	}
	perPrice(b, baselineProducts*len(pricingtest.LargeGroups))
}
