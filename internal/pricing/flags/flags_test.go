package flags_test

import (
	"slices"
	"testing"
	_ "time/tzdata"

	"github.com/stretchr/testify/require"

	"dogbane/internal/bookfile"
	"dogbane/internal/pricing"
	"dogbane/internal/pricing/flags"
)

func find(t *testing.T, rules string, kinds ...flags.Kind) []flags.Flag {
	t.Helper()
	book, err := bookfile.Decode([]byte(
		`{"book":"dogbane/1","settings":{"currency":"EUR","timeZone":"UTC"},"groups":[{"code":"g"}],
		"products":[{"sku":"A","list":"10.00","cost":"7.00"},{"sku":"B","list":"20.00"}],"rules":[` + rules + `]}`))
	require.NoError(t, err)
	from, err := pricing.ParseMoment("2026-11-01T00:00")
	require.NoError(t, err)
	e := pricing.Compile(book)
	found, err := flags.Find(e, flags.Question{From: from, To: from + 60*pricing.Day})
	require.NoError(t, err)
	var of []flags.Flag
	for _, f := range found { // every witness shows its flag
		a, err := e.Price(f.Witness)
		require.NoError(t, err)
		if f.Kind == flags.BelowCost {
			require.Negative(t, a.Margin.Amount.Sign())
			require.True(t, a.Unit.Equal(*f.Price))
		}
		if slices.Contains(kinds, f.Kind) {
			of = append(of, f)
		}
	}
	return of
}

// A price below cost is found where only one group, one quantity and one night bring it about, and its witness is the
// worst.
func TestBelowCostNeedsTheRightQuestion(t *testing.T) {
	found := find(t, `{"code":"G","layer":"group","rank":1,"audience":{"groups":["g"]},"where":{"all":[]},"effect":{"percentOff":"15"}},
		{"code":"T","layer":"tier","rank":1,"where":{"all":[]},"breaks":[{"from":5,"percentOff":"10"},{"from":9,"percentOff":"12"}]},
		{"code":"N","layer":"promotion","rank":1,"where":{"all":[]},"window":{"days":["fri"],"hours":["20:00","22:00"]},"effect":{"percentOff":"8"}}`, flags.BelowCost)
	require.Len(t, found, 1)
	f := found[0]
	require.Equal(t, "G", f.Cause, "it took most")
	require.Equal(t, []string{"g"}, f.Witness.Groups)
	require.Equal(t, 9, f.Witness.Quantity)
	require.Equal(t, "6.88", f.Price.Fixed(2), "10 × 0.88 × 0.85 × 0.92")
}

func TestNothingToFind(t *testing.T) {
	require.Empty(t, find(t, `{"code":"S","layer":"sale","rank":1,"where":{"all":[]},"effect":{"percentOff":"30"}}`,
		flags.BelowCost, flags.Tie), "10.00 less 30 % is 7.00, the cost")
}

// A tie is two rules of one rank that make different prices; the same result is none, and neither are other layers'
// modes.
func TestTie(t *testing.T) {
	rule := func(code, layer, effect string) string {
		return `{"code":"` + code + `","layer":"` + layer + `","rank":3,"where":{"all":[]},"effect":` + effect + `}`
	}
	found := find(t, rule("X", "catalog", `{"percentOff":"5"}`)+","+rule("Y", "catalog", `{"percentOff":"10"}`), flags.Tie)
	require.Len(t, found, 1)
	require.Equal(t, flags.Tie, found[0].Kind)
	require.Equal(t, []string{"X", "Y"}, found[0].Rules)
	require.Empty(t, find(t, rule("X", "catalog", `{"percentOff":"5"}`)+","+rule("Y", "catalog", `{"percentOff":"5.0"}`), flags.Tie))
	of := func(effects ...string) (pairs [][]string) {
		list := ""
		for i, e := range effects {
			if i > 0 {
				list += ","
			}
			list += rule(string(rune('A'+i)), "catalog", e)
		}
		for _, f := range find(t, list, flags.Tie) {
			pairs = append(pairs, f.Rules)
		}
		return pairs
	}
	// Of three, each loser ties with the winner, the losers not with each other, in whichever order they stand.
	require.Equal(t, [][]string{{"A", "C"}, {"B", "C"}}, of(`{"percentOff":"5"}`, `{"percentOff":"10"}`,
		`{"percentOff":"20"}`))
	require.Equal(t, [][]string{{"A", "B"}, {"A", "C"}}, of(`{"percentOff":"20"}`, `{"percentOff":"10"}`,
		`{"percentOff":"5"}`))
	require.Equal(t, [][]string{{"A", "B"}, {"B", "D"}}, of(`{"percentOff":"5"}`, `{"percentOff":"20"}`,
		`{"percentOff":"20.0"}`, `{"percentOff":"10"}`), "the same result is no tie")
	require.Empty(t, find(t, rule("X", "sale", `{"percentOff":"5"}`)+","+rule("Y", "sale", `{"percentOff":"10"}`), flags.Tie))
}
