package pricing_test

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"testing"
	_ "time/tzdata"

	"github.com/stretchr/testify/require"

	"dogbane/internal/bookfile"
	"dogbane/internal/demo"
	"dogbane/internal/money"
	"dogbane/internal/pricing"
)

// compile reads a book of a few products and the given rules.
func compile(t *testing.T, settings, rules string) *pricing.Engine {
	t.Helper()
	book, err := bookfile.Decode([]byte(
		fmt.Sprintf(`{"book":"dogbane/1","settings":{"currency":"EUR","timeZone":"Europe/Amsterdam"%s},
		"channels":[{"code":"web","name":"Web"},{"code":"till","name":"Till"}],
		"products":[{"sku":"A","list":"40.00","cost":"25.00","category":"Clay/Stoneware","brand":"B1","tags":["x"]},
		{"sku":"B","list":"10.00","category":"Clay","brand":"B2"},{"sku":"C","list":"8.00","category":"Clayware","tags":["x","y"]},{"sku":"D","category":"Tools"}],
		"rules":[%s]}`, settings, rules)))
	require.NoError(t, err)
	return pricing.Compile(book)
}

func ask(t *testing.T, e *pricing.Engine, sku string, vp pricing.Viewpoint) *pricing.Answer {
	t.Helper()
	if vp.At == 0 {
		vp.At = moment("2026-11-26T10:00")
	}
	a, err := e.Price(pricing.Question{Viewpoint: vp, SKU: sku})
	require.NoError(t, err)
	return a
}

func moment(s string) pricing.Moment {
	m, err := pricing.ParseMoment(s)
	if err != nil {
		panic(err)
	}
	return m
}

func unit(a *pricing.Answer) string {
	if a.Unit == nil {
		return "none"
	}
	return a.Unit.Fixed(2)
}

func TestFirstUsesTheLowestRankThatFits(t *testing.T) {
	e := compile(t, "", `{"code":"ALL","layer":"catalog","rank":2,"where":{"all":[]},"effect":{"percentOff":"50"}},
		{"code":"CLAY","layer":"catalog","rank":1,"where":{"category":"Clay"},"effect":{"percentOff":"10"}},
		{"code":"OFF","layer":"catalog","rank":1,"status":"off","where":{"all":[]},"effect":{"percentOff":"90"}}`)
	require.Equal(t, "36.00", unit(ask(t, e, "A", pricing.Viewpoint{})))
	require.Equal(t, "9.00", unit(ask(t, e, "B", pricing.Viewpoint{})))
	require.Equal(t, "4.00", unit(ask(t, e, "C", pricing.Viewpoint{})), "Clayware does not lie under Clay")
	require.Equal(t, "none", unit(ask(t, e, "D", pricing.Viewpoint{})))
}

func TestLowestAndItsTrail(t *testing.T) {
	e := compile(t, "", `{"code":"TEN","layer":"sale","rank":1,"where":{"all":[]},"effect":{"percentOff":"10"}},
		{"code":"FIVE","layer":"sale","rank":2,"where":{"tag":"x"},"effect":{"amountOff":"5"}},
		{"code":"DEAR","layer":"sale","rank":3,"where":{"all":[]},"effect":{"setPrice":"99"}},
		{"code":"TILL","layer":"sale","rank":4,"where":{"all":[]},"channels":["till"],"effect":{"percentOff":"60"}},
		{"code":"LATER","layer":"sale","rank":5,"where":{"all":[]},"window":{"from":"2026-12-01T00:00"},"effect":{"percentOff":"60"}},
		{"code":"MANY","layer":"sale","rank":6,"where":{"all":[]},"minQuantity":3,"effect":{"percentOff":"60"}}`)
	a := ask(t, e, "A", pricing.Viewpoint{Channel: "web"})
	require.Equal(t, "35.00", unit(a))
	require.Equal(t, []string{"FIVE"}, a.Rules)
	reasons := map[string]pricing.Reason{}
	for _, m := range a.Portions[0].Trail.Missed {
		reasons[m.Rule] = m.Reason
	}
	require.Equal(t, map[string]pricing.Reason{"TEN": pricing.NotLowest, "DEAR": pricing.WouldRaise,
		"TILL": pricing.OtherChannel, "LATER": pricing.NotYet, "MANY": pricing.TooFew}, reasons)
	require.Equal(t, "35", a.Portions[0].Trail.Steps[0].After.String())
}

// Money is exact between the steps: a third off and a third on is rounded once, at the end.
func TestRoundingHappensAtTheEnd(t *testing.T) {
	rules := `{"code":"A1","layer":"promotion","rank":1,"where":{"all":[]},"effect":{"percentOff":"33.3"}},
		{"code":"A2","layer":"promotion","rank":2,"where":{"all":[]},"effect":{"percentOn":"33.3"}}`
	// 10 × 0.667 × 1.333 = 8.89111; rounded at each step 6.67 × 1.333 = 8.89111 → 8.89, but B at 10.05: 6.70335 → 6.70 ×
	// 1.333 = 8.9311
	e := compile(t, "", rules)
	require.Equal(t, "8.89", unit(ask(t, e, "B", pricing.Viewpoint{})))
	step := compile(t, `,"rounding":{"when":"step"}`, rules)
	require.Equal(t, "7.11", unit(ask(t, e, "C", pricing.Viewpoint{})), "8 × 0.667 × 1.333 = 7.112888")
	require.Equal(t, "7.12", unit(ask(t, step, "C", pricing.Viewpoint{})), "5.336 → 5.34; 5.34 × 1.333 = 7.11822")
}

// A selection made from the index holds what looking at every product one by one finds.
func TestSelectionEqualsLookingOneByOne(t *testing.T) {
	e := pricing.Compile(demo.Book(0))
	rng := rand.New(rand.NewPCG(7, 8))
	for range 400 {
		w := randomWhere(rng, 3)
		set := e.Match(&w)
		for p := range e.Products() {
			require.Equal(t, holds(&w, e.Products()[p]), set.Has(int32(p)), "%+v on %s", w, e.Products()[p].SKU)
		}
	}
}

func randomWhere(rng *rand.Rand, depth int) pricing.Where {
	pick := func(list ...string) []string { return []string{list[rng.IntN(len(list))], list[rng.IntN(len(list))]} }
	kind := rng.IntN(8)
	if depth == 0 {
		kind = 3 + rng.IntN(5)
	}
	switch kind {
	case 0, 1:
		w := pricing.Where{Field: []pricing.Field{pricing.FieldAll, pricing.FieldAny}[kind]}
		for range rng.IntN(3) {
			w.Parts = append(w.Parts, randomWhere(rng, depth-1))
		}
		return w
	case 2:
		return pricing.Where{Field: pricing.FieldNot, Parts: []pricing.Where{randomWhere(rng, depth-1)}}
	case 3:
		return pricing.Where{Field: pricing.FieldCategory, Values: pick("Clay", "Clay/Stone", "Glazes/Oxides", "Tools",
			"Wheels", "Wheel")}
	case 4:
		return pricing.Where{Field: pricing.FieldBrand, Values: pick("Fernhask", "Tindrel", "Nobody")}
	case 5:
		return pricing.Where{Field: pricing.FieldTag, Values: pick("glaze", "heavy", "last-season")}
	case 6:
		return pricing.Where{Field: pricing.FieldSKU, Values: pick("KILN-EL-42", "SET-OXIDE", "UNKNOWN")}
	}
	low, high := money.Int(int64(rng.IntN(40))), money.Int(int64(20+rng.IntN(400)))
	b := pricing.Bounds{Min: &low, Max: &high}
	if rng.IntN(2) == 0 {
		b.Max = nil
	}
	return pricing.Where{Field: pricing.FieldList, Bounds: b}
}

// holds is a selection read off its definition.
func holds(w *pricing.Where, p *pricing.Product) bool {
	one := func(have string) bool {
		for _, v := range w.Values {
			if v == have {
				return true
			}
		}
		return false
	}
	switch w.Field {
	case pricing.FieldAll:
		for i := range w.Parts {
			if !holds(&w.Parts[i], p) {
				return false
			}
		}
		return true
	case pricing.FieldAny:
		for i := range w.Parts {
			if holds(&w.Parts[i], p) {
				return true
			}
		}
		return false
	case pricing.FieldNot:
		return !holds(&w.Parts[0], p)
	case pricing.FieldCategory:
		for _, v := range w.Values {
			if p.Category == v || len(p.Category) > len(v) && p.Category[:len(v)+1] == v+"/" {
				return true
			}
		}
		return false
	case pricing.FieldBrand:
		return one(p.Brand)
	case pricing.FieldSKU:
		return one(p.SKU)
	case pricing.FieldTag:
		for _, t := range p.Tags {
			if one(t) {
				return true
			}
		}
		return false
	}
	if w.Field == pricing.FieldAttr {
		for name, test := range w.Attrs {
			if !slices.Contains(test.Values, p.Attrs[name].Text) {
				return false
			}
		}
		return true
	}
	number := p.List
	if w.Field == pricing.FieldStock {
		number = p.Stock
	}
	return number != nil && w.Bounds.Contains(*number)
}

// Textbook relations, from memory: cost 60 at price 100 is a margin of 40 % and a markup of 66.67 %; keystone is twice
// the cost.
func TestMarginAndMarkup(t *testing.T) {
	book, err := bookfile.Decode([]byte(
		`{"book":"dogbane/1","settings":{"currency":"EUR","timeZone":"UTC"},"products":[{"sku":"M","cost":"60.00"},{"sku":"K","cost":"60.00"},{"sku":"P","cost":"60.00"}],"rules":[
		{"code":"M40","layer":"catalog","rank":1,"where":{"sku":"M"},"effect":{"margin":"40"}},
		{"code":"KEY","layer":"catalog","rank":1,"where":{"sku":"K"},"effect":{"markup":"100"}},
		{"code":"MK","layer":"catalog","rank":1,"where":{"sku":"P"},"effect":{"markup":"66.67"}}]}`))
	require.NoError(t, err)
	e := pricing.Compile(book)
	m := ask(t, e, "M", pricing.Viewpoint{})
	require.Equal(t, "100.00", unit(m))
	percent, known := m.Margin.Percent()
	require.True(t, known)
	require.Equal(t, "40", percent.String())
	require.Equal(t, "120.00", unit(ask(t, e, "K", pricing.Viewpoint{})))
	require.Equal(t, "100.00", unit(ask(t, e, "P", pricing.Viewpoint{})))
}

// The rule that closes a circle of derived prices is no candidate: every price on it begins with the list price of the
// product asked last, wherever it is entered and whatever was asked before.
func TestDerivedInACircle(t *testing.T) {
	derive := func(sku, from string) string {
		return fmt.Sprintf(`{"code":"%s-%s","layer":"catalog","rank":1,"where":{"sku":"%s"},"effect":{"derive":{"from":"%s","percent":"50"}}}`, sku, from, sku, from)
	}
	e := compile(t, "", derive("A", "B")+","+derive("B", "A")+","+derive("C", "A")+","+derive("D", "C"))
	for sku, want := range map[string]string{"A": "5.00", "B": "20.00", "C": "2.50", "D": "1.25"} {
		require.Equal(t, want, unit(ask(t, e, sku, pricing.Viewpoint{})), sku)
	}
	sw, err := e.Sweep(pricing.Viewpoint{Quantity: 1})
	require.NoError(t, err)
	for p, product := range e.Products() {
		if want := unit(ask(t, e, product.SKU, pricing.Viewpoint{})); want != "none" {
			n, _ := sw.Price(int32(p))
			require.Equal(t, want, money.FromMinor(n, 2).Fixed(2), product.SKU)
		}
	}
}

func TestQuestionsAboutNothing(t *testing.T) {
	e := compile(t, "", "")
	for path, q := range map[string]pricing.Question{
		"sku": {SKU: "Z"}, "channel": {SKU: "A", Viewpoint: pricing.Viewpoint{Channel: "moon"}},
		"group":      {SKU: "A", Viewpoint: pricing.Viewpoint{Groups: []string{"g"}}},
		"customer":   {SKU: "A", Viewpoint: pricing.Viewpoint{Customer: "c"}},
		"with":       {SKU: "A", Viewpoint: pricing.Viewpoint{With: []string{"r"}}},
		"options[0]": {SKU: "A", Options: []string{"o"}},
	} {
		_, err := e.Price(q)
		var wrong *pricing.QuestionError
		require.ErrorAs(t, err, &wrong)
		require.Equal(t, path, wrong.Path)
	}
}
