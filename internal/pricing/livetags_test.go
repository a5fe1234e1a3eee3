package pricing_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"dogbane/internal/pricing"
)

// Of two rules about one tag the later says what holds; a product's own tags stay but for those taken off.
func TestLiveTags(t *testing.T) {
	tags := func(add, remove []string) *pricing.Rule {
		return &pricing.Rule{LiveTags: &pricing.LiveTags{Add: add, Remove: remove}}
	}
	p := &pricing.Product{Tags: []string{"daily", "<heavy>"}}
	for what, c := range map[string]struct {
		rules []*pricing.Rule
		want  pricing.LiveTags
		on    []string
	}{
		"none":             {nil, pricing.LiveTags{}, []string{"daily", "<heavy>"}},
		"without any":      {[]*pricing.Rule{{}}, pricing.LiveTags{}, []string{"daily", "<heavy>"}},
		"put on":           {[]*pricing.Rule{tags([]string{"a", "daily"}, nil)}, pricing.LiveTags{Add: []string{"a", "daily"}}, []string{"daily", "<heavy>", "a"}},
		"on, then off":     {[]*pricing.Rule{tags([]string{"a"}, nil), tags(nil, []string{"a"})}, pricing.LiveTags{Remove: []string{"a"}, Add: []string{}}, []string{"daily", "<heavy>"}},
		"off, then on":     {[]*pricing.Rule{tags(nil, []string{"daily"}), {}, tags([]string{"daily"}, nil)}, pricing.LiveTags{Add: []string{"daily"}, Remove: []string{}}, []string{"daily", "<heavy>"}},
		"both in one rule": {[]*pricing.Rule{tags([]string{"a"}, []string{"<heavy>"})}, pricing.LiveTags{Add: []string{"a"}, Remove: []string{"<heavy>"}}, []string{"daily", "a"}},
	} {
		got := pricing.LiveTagsOf(c.rules)
		require.ElementsMatch(t, c.want.Add, got.Add, what)
		require.ElementsMatch(t, c.want.Remove, got.Remove, what)
		require.Equal(t, c.on, got.On(p), what)
	}
	require.Equal(t, []string{"daily", "<heavy>"}, p.Tags, "the product is left as it was")
}
