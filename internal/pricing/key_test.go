package pricing_test

import (
	"cmp"
	"math/rand/v2"
	"reflect"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"dogbane/internal/pricing"
	"dogbane/internal/pricing/pricingtest"
)

// meant is a viewpoint as it is understood: what is left out written down, sets sorted.
func meant(vp pricing.Viewpoint) pricing.Viewpoint {
	set := func(list []string) []string {
		sorted := slices.Sorted(slices.Values(list))
		return slices.Compact(append([]string{}, sorted...))
	}
	signedIn := vp.Customer != ""
	if vp.SignedIn != nil {
		signedIn = *vp.SignedIn
	}
	vp.SignedIn, vp.Quantity, vp.Term, vp.Groups, vp.With = &signedIn, max(vp.Quantity, 1), max(vp.Term, 1),
		set(vp.Groups), set(vp.With)
	vp.History = append([]pricing.Purchase{}, vp.History...)
	slices.SortFunc(vp.History, func(a, b pricing.Purchase) int {
		return cmp.Or(cmp.Compare(a.At, b.At), cmp.Compare(a.SKU, b.SKU), cmp.Compare(a.Quantity, b.Quantity))
	})
	return vp
}

func sameKeySameQuestion(t *testing.T, a, b pricing.Viewpoint) {
	t.Helper()
	require.Equal(t, reflect.DeepEqual(meant(a), meant(b)), a.Key() == b.Key(), "%+v\n%+v", a, b)
}

// Two codes are not one with a blank in it, and a pointer is what it points to.
func TestKeyTellsQuestionsApart(t *testing.T) {
	yes, also, no := true, true, false
	for _, pair := range [][2]pricing.Viewpoint{
		{{With: []string{"R1", "R2"}}, {With: []string{"R1 R2"}}},
		{{With: []string{"R1", "R2"}}, {With: []string{"R2", "R1", "R2"}}},
		{{Groups: []string{"a"}}, {With: []string{"a"}}},
		{{Channel: "ab", Customer: "c"}, {Channel: "a", Customer: "bc"}},
		{{SignedIn: &yes}, {SignedIn: &also}},
		{{SignedIn: &yes}, {SignedIn: &no}},
		{{Customer: "c"}, {Customer: "c", SignedIn: &yes}},
		{{}, {Quantity: 1, Term: 1}},
		{{Attrs: map[string]string{"a": "b"}}, {Attrs: map[string]string{"ab": ""}}},
		{{Attrs: map[string]string{"a": "b", "c": "d"}}, {Attrs: map[string]string{"c": "d", "a": "b"}}},
		{{History: []pricing.Purchase{{SKU: "A", Quantity: 1}}}, {}},
		{{History: []pricing.Purchase{{SKU: "A", Quantity: 1}, {SKU: "B", Quantity: 2}}},
			{History: []pricing.Purchase{{SKU: "B", Quantity: 2}, {SKU: "A", Quantity: 1}}}},
	} {
		sameKeySameQuestion(t, pair[0], pair[1])
	}
	rng := rand.New(rand.NewPCG(5, 6))
	book := pricingtest.Book(rng)
	list := make([]pricing.Viewpoint, 80)
	for i := range list {
		list[i] = pricingtest.Viewpoint(rng, book)
		list[i].At = pricingtest.Noon
	}
	for _, a := range list {
		for _, b := range list {
			sameKeySameQuestion(t, a, b)
		}
	}
}

func FuzzViewpointKey(f *testing.F) {
	f.Add("R1,R2", "R1 R2", "a", "", 1, 0, true)
	f.Add("", "", "a,b", "b,a", 0, 1, false)
	f.Fuzz(func(t *testing.T, withA, withB, groupsA, groupsB string, quantityA, quantityB int, signed bool) {
		split := func(s string) []string {
			if s == "" {
				return nil
			}
			return strings.Split(s, ",")
		}
		a := pricing.Viewpoint{With: split(withA), Groups: split(groupsA), Quantity: quantityA % 3, Customer: withB,
			SignedIn: &signed}
		b := pricing.Viewpoint{With: split(withB), Groups: split(groupsB), Quantity: quantityB % 3, Customer: withA,
			Channel: groupsA}
		sameKeySameQuestion(t, a, b)
		sameKeySameQuestion(t, a, a)
	})
}
