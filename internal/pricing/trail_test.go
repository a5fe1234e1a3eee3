package pricing_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/require"

	"dogbane/internal/bookfile"
	"dogbane/internal/pricing"
)

// missed asks for one piece of the product P, list 40.00, without cost, and gives why each rule did not apply.
func missed(t *testing.T, layers, rules string, vp pricing.Viewpoint) (*pricing.Answer, map[string]pricing.Miss) {
	t.Helper()
	book, err := bookfile.Decode([]byte(
		fmt.Sprintf(`{"book":"dogbane/1","settings":{"currency":"EUR","timeZone":"Europe/Amsterdam"%s},
		"groups":[{"code":"trade","name":"Trade"}],"channels":[{"code":"web","name":"Web"},{"code":"till","name":"Till"}],
		"products":[{"sku":"P","list":"40.00"},{"sku":"EMPTY"}],"rules":[%s]}`, layers, rules)))
	require.NoError(t, err)
	vp.Channel = "web"
	a := ask(t, pricing.Compile(book), "P", vp)
	out := map[string]pricing.Miss{}
	for _, m := range a.Portions[0].Trail.Missed {
		require.NotContains(t, out, m.Rule, "a rule misses once")
		out[m.Rule] = m
	}
	return a, out
}

const everywhere = `"rank":%d,"where":{"all":[]},"effect":{"percentOff":"10"}`

// Every reason that a rule can have for not applying, each brought about alone.
func TestEveryReason(t *testing.T) {
	lowest := `,"layers":[{"layer":"catalog","mode":"first"},{"layer":"sale","mode":"lowest"},{"layer":"tier","mode":"lowest"},{"layer":"group","mode":"first"},{"layer":"promotion","mode":"highest"}]`
	applies := `{"code":"YES","layer":"sale","rank":1,"where":{"all":[]},"effect":{"amountOff":"4"}}`
	for reason, rule := range map[pricing.Reason]string{
		pricing.SwitchedOff:   `"layer":"sale","status":"off"`,
		pricing.OtherCurrency: `"layer":"sale","currency":"GBP"`,
		pricing.OtherChannel:  `"layer":"sale","channels":["till"]`,
		pricing.OtherAudience: `"layer":"sale","audience":{"groups":["trade"]}`,
		pricing.NotYet:        `"layer":"sale","window":{"from":"2026-11-26T10:01"}`,
		pricing.Ended:         `"layer":"sale","window":{"to":"2026-11-26T10:00"}`,
		pricing.OutsideHours:  `"layer":"sale","window":{"hours":["11:00","12:00"]}`,
		pricing.TooFew:        `"layer":"sale","minQuantity":2`,
		pricing.NotLowest:     `"layer":"sale"`,
	} {
		a, out := missed(t, lowest, applies+`,{"code":"NO",`+rule+`,`+fmt.Sprintf(everywhere, 2)+`}`, pricing.Viewpoint{})
		if reason == pricing.NotLowest { // 10 % of 40.00 is 4.00 as well: the lower rank is used
			require.Equal(t, []string{"YES"}, a.Rules)
		}
		require.Equal(t, "36.00", unit(a), reason)
		require.Equal(t, reason, out["NO"].Reason, rule)
	}
	for reason, rule := range map[pricing.Reason]string{
		pricing.NoCost:     `"layer":"group","effect":{"margin":"10"}`,
		pricing.NoLevel:    `"layer":"group","effect":{"level":"B"}`,
		pricing.NoBasis:    `"layer":"group","effect":{"derive":{"from":"EMPTY","percent":"50"}}`,
		pricing.WouldRaise: `"layer":"sale","effect":{"setPrice":"41"}`,
	} {
		_, out := missed(t, lowest, `{"code":"NO","rank":1,"where":{"all":[]},`+rule+`}`, pricing.Viewpoint{})
		require.Equal(t, reason, out["NO"].Reason, rule)
	}
}

// A rule that another one kept from applying names it.
func TestReasonsNameTheOtherRule(t *testing.T) {
	modes := `,"layers":[{"layer":"catalog","mode":"first"},{"layer":"sale","mode":"highest"},{"layer":"tier","mode":"stack"},{"layer":"group","mode":"stack"},{"layer":"promotion","mode":"lowest"}]`
	rule := func(code, layer string, rank int, more string) string {
		return fmt.Sprintf(`{"code":%q,"layer":%q,`+everywhere+`%s}`, code, layer, rank, more)
	}
	_, out := missed(t, modes, rule("ONE", "catalog", 1, "")+","+rule("TWO", "catalog", 2, ""), pricing.Viewpoint{})
	require.Equal(t, pricing.Outranked, out["TWO"].Reason)
	require.Equal(t, "ONE", out["TWO"].By)

	_, out = missed(t, modes, `{"code":"MUCH","layer":"sale","rank":1,"where":{"all":[]},"effect":{"percentOff":"50"}},`+rule("LITTLE", "sale", 2, ""), pricing.Viewpoint{})
	require.Equal(t, pricing.NotHighest, out["MUCH"].Reason)
	require.Equal(t, "LITTLE", out["MUCH"].By)

	a, out := missed(t, modes, rule("STOP", "group", 1, `,"then":"end-layer"`)+","+rule("SAME", "group", 2,
		"")+","+rule("NEXT", "promotion", 1, ""), pricing.Viewpoint{})
	require.Equal(t, pricing.LayerEnded, out["SAME"].Reason)
	require.Equal(t, "STOP", out["SAME"].By)
	require.Equal(t, []string{"STOP", "NEXT"}, a.Rules, "the next layer goes on")

	a, out = missed(t, modes, rule("STOP", "group", 1, `,"then":"end-price"`)+","+rule("SAME", "group", 2,
		"")+","+rule("NEXT", "promotion", 1, ""), pricing.Viewpoint{})
	require.Equal(t, "36.00", unit(a))
	require.Equal(t, pricing.PriceEnded, out["NEXT"].Reason)
	require.Equal(t, "STOP", out["NEXT"].By)
}

// A trail leads from list to the price without a gap, and its margins belong to its amounts.
func TestTheTrailHasNoGap(t *testing.T) {
	e := compile(t, "", `{"code":"ON","layer":"catalog","rank":1,"where":{"all":[]},"effect":{"percentOn":"25"}},
		{"code":"OFF","layer":"sale","rank":1,"where":{"all":[]},"effect":{"percentOff":"12.5"}},
		{"code":"BREAK","layer":"tier","rank":1,"where":{"all":[]},"breaks":[{"from":10,"amountOff":"1.25"}]},
		{"code":"NINE","layer":"promotion","rank":1,"where":{"all":[]},"effect":{"percentOff":"3"},"ending":{"step":"0.1","shift":"-0.01"}}`)
	a := ask(t, e, "A", pricing.Viewpoint{Quantity: 12})
	trail := a.Portions[0].Trail
	before := "40"
	for _, s := range trail.Steps {
		require.Equal(t, before, s.Before.String(), s.Rule)
		before = s.After.String()
	}
	// 40 × 1.25 = 50; × 0.875 = 43.75; − 1.25 = 42.50; × 0.97 = 41.225 → to the nearest 0.10 less 0.01: 41.19
	require.Equal(t, "41.19", unit(a))
	require.Equal(t, []string{"ON", "OFF", "BREAK", "NINE"}, a.Rules)
	require.Equal(t, "494.28", a.Total.Fixed(2), "twelve at 41.19")
}
