package pricing_test

import (
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/require"

	"dogbane/internal/bookfile"
	"dogbane/internal/pricing"
	"dogbane/internal/pricing/pricingtest"
)

// What an audience wants and a viewpoint does not say is named, all of it; what is assumed of a buyer goes before what
// is known.
func TestUnmet(t *testing.T) {
	book, err := bookfile.Decode([]byte(`{"book":"dogbane/1","settings":{"currency":"EUR","timeZone":"UTC"},
		"groups":[{"code":"trade","name":"Trade"},{"code":"quay","name":"Quay"}],
		"customers":[{"code":"C1","groups":["trade"],"attrs":{"region":"north"}}],
		"channels":[{"code":"web","name":"Web","country":"NL"},{"code":"till","name":"Till","group":"quay"}],
		"products":[{"sku":"P","list":"40.00"}],"rules":[]}`))
	require.NoError(t, err)
	e := pricing.Compile(book)
	yes, no := true, false
	for name, c := range map[string]struct {
		of   *pricing.Audience
		vp   pricing.Viewpoint
		want []pricing.Unmet
	}{
		"everyone":               {nil, pricing.Viewpoint{}, nil},
		"a group":                {&pricing.Audience{Groups: []string{"trade"}}, pricing.Viewpoint{}, []pricing.Unmet{{Condition: pricing.ByWho}}},
		"the customer's group":   {&pricing.Audience{Groups: []string{"trade"}}, pricing.Viewpoint{Customer: "C1"}, nil},
		"the channel's group":    {&pricing.Audience{Groups: []string{"quay"}}, pricing.Viewpoint{Channel: "till"}, nil},
		"nobody":                 {&pricing.Audience{Groups: []string{}}, pricing.Viewpoint{Groups: []string{"trade"}}, []pricing.Unmet{{Condition: pricing.ByWho}}},
		"the channel's country":  {&pricing.Audience{Countries: []string{"NL"}}, pricing.Viewpoint{Channel: "web"}, nil},
		"another than that":      {&pricing.Audience{Countries: []string{"NL"}}, pricing.Viewpoint{Channel: "web", Country: "DE"}, []pricing.Unmet{{Condition: pricing.ByCountry}}},
		"a customer's attribute": {&pricing.Audience{CustomerAttr: map[string][]string{"region": {"north"}}}, pricing.Viewpoint{Customer: "C1"}, nil},
		"assumed otherwise": {&pricing.Audience{CustomerAttr: map[string][]string{"region": {"north"}}},
			pricing.Viewpoint{Customer: "C1", Attrs: map[string]string{"region": "south"}}, []pricing.Unmet{{pricing.ByAttr, "region"}}},
		"assumed of a guest": {&pricing.Audience{CustomerAttr: map[string][]string{"region": {"<=>", "south"}}},
			pricing.Viewpoint{Attrs: map[string]string{"region": "<=>"}}, nil},
		"everything at once": {&pricing.Audience{Customers: []string{"C1"}, Countries: []string{"DE"}, FirstOrder: &yes, SignedIn: &yes,
			CustomerAttr: map[string][]string{"z": {"1"}, "a": {"1"}}}, pricing.Viewpoint{}, []pricing.Unmet{
			{Condition: pricing.ByWho}, {Condition: pricing.ByCountry}, {Condition: pricing.ByFirstOrder}, {Condition: pricing.BySignedIn},
			{pricing.ByAttr, "a"}, {pricing.ByAttr, "z"}}},
		"not those": {&pricing.Audience{FirstOrder: &no, SignedIn: &no},
			pricing.Viewpoint{FirstOrder: true, Customer: "C1"}, []pricing.Unmet{{Condition: pricing.ByFirstOrder}, {Condition: pricing.BySignedIn}}},
	} {
		got, err := e.Unmet(c.vp, c.of)
		require.NoError(t, err, name)
		require.ElementsMatch(t, c.want, got, name)
	}
	_, err = e.Unmet(pricing.Viewpoint{Groups: []string{"nobody's"}}, nil)
	var unknown *pricing.QuestionError
	require.ErrorAs(t, err, &unknown)
}

// A rule is said to be for others just where its audience, or its campaign's, wants something that is not met.
func TestForOthersWhereSomethingIsUnmet(t *testing.T) {
	rng := rand.New(rand.NewPCG(8, 13))
	others, met := 0, 0
	for range 60 {
		book := pricingtest.Book(rng)
		e := pricing.Compile(book)
		campaigns := map[string]*pricing.Audience{}
		for _, c := range book.Campaigns {
			campaigns[c.Code] = c.Audience
		}
		rules := map[string]*pricing.Rule{}
		for i := range book.Rules {
			rules[book.Rules[i].Code] = &book.Rules[i]
		}
		for range 8 {
			vp := pricingtest.Viewpoint(rng, book)
			a, err := e.Price(pricing.Question{Viewpoint: vp, SKU: book.Products[rng.IntN(len(book.Products))].SKU})
			if err != nil {
				continue
			}
			unmet := func(code string) int {
				own, err := e.Unmet(vp, rules[code].Audience)
				require.NoError(t, err)
				theirs, err := e.Unmet(vp, campaigns[rules[code].Campaign])
				require.NoError(t, err)
				return len(own) + len(theirs)
			}
			for _, m := range a.Portions[0].Trail.Missed {
				switch m.Reason {
				case pricing.OtherAudience:
					require.NotZero(t, unmet(m.Rule), m.Rule)
					others++
				case pricing.NotYet, pricing.Ended, pricing.OutsideHours, pricing.TooFew, pricing.Outranked, pricing.NotLowest:
					require.Zero(t, unmet(m.Rule), m.Rule)
					met++
				}
			}
		}
	}
	require.Greater(t, min(others, met), 50, "both were looked at")
}
