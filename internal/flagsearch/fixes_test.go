package flagsearch_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"dogbane/internal/book"
	"dogbane/internal/book/booktest"
	"dogbane/internal/bookfile"
	"dogbane/internal/demo"
	"dogbane/internal/flagsearch"
	"dogbane/internal/pricing"
	"dogbane/internal/pricing/flags"
)

// troubled is the demo with troubles that it has not, under hostile names.
func troubled(t *testing.T) (*pricing.Book, flags.Question) {
	now, err := pricing.ParseMoment(demo.Now)
	require.NoError(t, err)
	b := demo.Book(0)
	for _, doc := range []string{
		`{"code":"UP","name":"Up & <down> “=1+1” 🎁","layer":"tier","rank":40,"where":{"sku":"BAT-30"},"mayRaise":true,
			"breaks":[{"from":2,"setPrice":"9.00"},{"from":5,"setPrice":"12.00"}]}`,
		`{"code":"DEEP","layer":"promotion","rank":40,"where":{"sku":"BAT-35"},"channels":["kilnfair"],"effect":{"percentOff":"70"},
			"window":{"from":"2026-11-27T00:00"}}`,
		`{"code":"GIFT","layer":"promotion","rank":41,"where":{"sku":"APRON-SPLIT"},"effect":{"percentOff":"100"},"channels":["web"]}`,
		`{"code":"WORDS","layer":"promotion","rank":42,"where":{"all":[]},"offer":{"codes":{"words":["WET-CLAY","OTHER-WORD"]},
			"gives":{"to":"basket","percentOff":"1"}}}`,
	} {
		r, err := bookfile.DecodeRule([]byte(doc), b)
		require.NoError(t, err)
		b.Rules = append(b.Rules, r)
	}
	q := flags.Question{From: now, To: now + flagsearch.Span}
	for i := range b.Channels {
		q.Channels = append(q.Channels, b.Channels[i].Code)
	}
	return b, q
}

// Every fix is an edit that can be saved, and of each kind of trouble that a step can mend, one clears it.
func TestFixesClearFlags(t *testing.T) {
	b, q := troubled(t)
	snap := booktest.Snapshot(t, b)
	search, err := flags.NewSearch(snap.Engine, q)
	require.NoError(t, err)
	found, err := search.Flags()
	require.NoError(t, err)
	tried, cleared := map[flags.Kind]int{}, map[flags.Kind]bool{}
	for i := range found {
		f := bookfile.FlagAnswerOf(&found[i])
		kind := found[i].Kind
		if tried[kind] >= 3 || cleared[kind] && tried[kind] > 0 {
			continue
		}
		fixes := flagsearch.Fixes(snap, &f)
		if len(fixes) > 0 {
			tried[kind]++
		}
		for _, fix := range fixes {
			require.NotEmpty(t, fix.Title)
			next, err := book.Apply(snap.Book, fix.Changes)
			require.NoError(t, err, fix.Title)
			engine := snap.Engine.Recompile(next)
			touched, told := engine.Touched(snap.Engine)
			require.True(t, told, fix.Title)
			_, gone, err := search.Changes(engine, touched, nil)
			require.NoError(t, err)
			for k := range gone {
				g := bookfile.FlagAnswerOf(&gone[k])
				cleared[kind] = cleared[kind] || flagsearch.Subject(&g) == flagsearch.Subject(&f) && g.Channel == f.Channel
			}
		}
	}
	for _, kind := range []flags.Kind{flags.BelowCost, flags.Free, flags.OfferBelowCost, flags.LimitWholeUnits, flags.LimitDiscount,
		flags.LimitLeadTime, flags.BreakInverted, flags.CodeTwice, flags.DearerByQuantity, flags.Tie, flags.NeverWins,
		flags.MatchesNothing, flags.NeverOpen, flags.BundleDearer, flags.OfferOverStock, flags.ChannelCannot, flags.AboveList,
		flags.Doubled, flags.GroupAbovePublic} {
		require.True(t, cleared[kind], "no fix clears %s (%d flags tried)", kind, tried[kind])
	}
}

// The list is narrowed by each part of a filter, and grouped without losing any.
func TestListIsNarrowedAndGrouped(t *testing.T) {
	b, _ := troubled(t)
	snap := booktest.Snapshot(t, b)
	s := running(t, at(26), idle)
	settled(t, s, snap)
	found := s.Of(snap)
	count := func(f flagsearch.Filter, byCause bool) (n int, groups []flagsearch.Group) {
		groups, kinds := flagsearch.Groups(snap, found, nil, f, byCause, 0)
		sum := 0
		for _, g := range groups {
			n += g.Count
			require.LessOrEqual(t, len(g.Entries), g.Count)
			require.NotEmpty(t, g.Kind)
		}
		for _, k := range kinds {
			sum += k
		}
		require.GreaterOrEqual(t, sum, n)
		return n, groups
	}
	all, _ := count(flagsearch.Filter{}, false)
	byCause, _ := count(flagsearch.Filter{}, true)
	require.Equal(t, all, byCause)
	for name, f := range map[string]flagsearch.Filter{"kind": {Kind: "below-cost"}, "severity": {Severity: "warning"},
		"channel": {Channel: "kilnfair"}, "layer": {Layer: "tier"}, "campaign": {Campaign: "autumn-firing"}, "category": {Category: "Tools"},
		"cause": {Cause: "TOOLS-CLEAR"}, "text": {Text: "<DOWN> “=1+1” 🎁"}} {
		n, groups := count(f, false)
		require.Positive(t, n, name)
		require.Less(t, n, all, name)
		for _, g := range groups {
			for _, e := range g.Entries {
				require.True(t, f.Kind == "" || e.Kind == f.Kind, name)
				require.True(t, f.Severity == "" || e.Severity == f.Severity, name)
				require.True(t, f.Cause == "" || e.Cause == f.Cause, name)
			}
		}
	}
	n, _ := count(flagsearch.Filter{Text: "nothing has this in its name"}, false)
	require.Zero(t, n)
	seen := map[string]flagsearch.Acknowledgement{}
	groups, _ := flagsearch.Groups(snap, found, nil, flagsearch.Filter{Kind: "tie"}, false, 0)
	seen[groups[0].Entries[0].Subject] = flagsearch.Acknowledgement{Who: "me"}
	lived, _ := flagsearch.Groups(snap, found, seen, flagsearch.Filter{Acknowledged: true}, false, 0)
	require.Equal(t, 1, lived[0].Count)
	// What the list is headed with is what the badge counts; all of one trouble is what its group holds.
	errors, others := flagsearch.Counts(snap, found, nil)
	_, troubles := count(flagsearch.Filter{}, true)
	grave := map[string]int{}
	for _, g := range troubles {
		grave[g.Severity]++
		require.Len(t, flagsearch.Together(snap, found, nil, flagsearch.Filter{}, g.Key), g.Count)
	}
	// What a list is narrowed to is all that its groups hold.
	_, narrowed := count(flagsearch.Filter{Channel: "kilnfair", Text: "mould"}, true)
	require.NotEmpty(t, narrowed)
	for _, g := range narrowed {
		require.Len(t, flagsearch.Together(snap, found, nil, flagsearch.Filter{Channel: "kilnfair", Text: "mould"}, g.Key), g.Count)
	}
	require.Equal(t, []int{grave["error"], grave["warning"]}, []int{errors, others})
	fewer, less := flagsearch.Counts(snap, found, seen)
	require.Equal(t, errors+others-1, fewer+less)
}
