package flags_test

import (
	"errors"
	"fmt"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"

	"dogbane/internal/pricing"
	"dogbane/internal/pricing/flags"
	"dogbane/internal/pricing/pricingtest"
)

// However many products an edit touches, those that it puts below cost are told first; in the end all is told, each
// flag once, as a search of the same moment tells it.
func TestTheWorstIsShownFirst(t *testing.T) {
	e := pricing.Compile(store(5_000))
	all := e.Match(&pricing.Where{Field: pricing.FieldAll})
	about := func(f *flags.Flag) string { return fmt.Sprint(f.Kind, f.SKU, f.Rule, f.Rules, f.Channel, f.Words) }
	var told []string
	var lost []int32
	for i := range e.Book().Channels {
		sweep, err := e.Sweep(pricing.Viewpoint{At: pricingtest.Noon, Channel: e.Book().Channels[i].Code})
		require.NoError(t, err)
		all.Each(func(p int32) bool {
			if sweep.BelowCost(p) || sweep.UnderGuard(p) {
				lost = append(lost, p)
			}
			return true
		})
	}
	bad := e.SetOf(lost)
	require.NotEqual(t, all.Count(), bad.Count())
	before, losses := all.Count(), 0
	require.NoError(t, flags.Show(e, question(0), all, func(list []flags.Flag, left pricing.Set) error {
		worst := bad.And(left).Count()
		require.True(t, worst == 0 || bad.Count()-worst == all.Count()-left.Count(), "only bad ones, while there are more")
		for i := range list {
			if losses += 1; list[i].Kind != flags.BelowCost {
				losses--
			}
			told = append(told, about(&list[i]))
		}
		require.Less(t, left.Count(), before, "each piece leaves less")
		before = left.Count()
		return nil
	}))
	require.Zero(t, before)
	require.NotZero(t, losses)
	found, err := flags.Find(e, question(0))
	require.NoError(t, err)
	var want []string
	for i := range found {
		if found[i].SKU != "" {
			want = append(want, about(&found[i]))
		}
	}
	slices.Sort(told)
	slices.Sort(want)
	require.Equal(t, want, slices.DeleteFunc(told, func(s string) bool { _, is := slices.BinarySearch(want, s); return !is }))
	require.Len(t, slices.Compact(slices.Clone(told)), len(told), "each once")
}

// Whoever is told may say that it is enough.
func TestShowingCanBeGivenUp(t *testing.T) {
	e, enough, pieces := pricing.Compile(store(5_000)), errors.New("enough"), 0
	err := flags.Show(e, question(0), e.Match(&pricing.Where{Field: pricing.FieldAll}),
		func([]flags.Flag, pricing.Set) error { pieces++; return enough })
	require.ErrorIs(t, err, enough)
	require.Equal(t, 1, pieces)
}
