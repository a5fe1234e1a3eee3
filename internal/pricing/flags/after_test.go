package flags_test

import (
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"

	"dogbane/internal/money"
	"dogbane/internal/pricing"
	"dogbane/internal/pricing/flags"
	"dogbane/internal/pricing/pricingtest"
)

// After an edit, what is looked at again and what is carried over are together what looking at the whole book finds:
// of rules that were changed, made and deleted, and of goods, while time goes on.
func TestAfterAnEditAsAnew(t *testing.T) {
	different := 0
	for seed := range uint64(60) {
		rng := rand.New(rand.NewPCG(seed, 17))
		book, q := small(rng)
		q.Quantities = nil
		pricingtest.AddOffers(rng, book, 3)
		e := pricing.Compile(book)
		s, err := flags.NewSearch(e, q)
		require.NoError(t, err)
		for range 4 {
			next := *book
			next.Rules = append([]pricing.Rule{}, book.Rules...)
			switch at := rng.IntN(len(next.Rules)); rng.IntN(4) {
			case 0:
				next.Rules = append(next.Rules[:at], next.Rules[at+1:]...)
			case 1:
				made := pricingtest.Book(rng).Rules[0]
				made.Code, made.Layer = "A-NEW", next.Rules[at].Layer
				if next.Rules[at].Offer == nil && made.Effect != nil && made.Ladder == "" && made.Campaign == "" {
					next.Rules = append([]pricing.Rule{made}, next.Rules...)
				}
			case 2:
				next.Rules[at].Rank, next.Rules[at].Window = 1+rng.IntN(5), nil
				next.Rules[at].MinQuantity = 1 + rng.IntN(3)
			case 3:
				next.Products = slices.Clone(book.Products)
				half := money.MustParse("7.77")
				k := rng.IntN(len(next.Products))
				p := *next.Products[k]
				p.Cost = &half
				next.Products[k] = &p
			}
			after := e.Recompile(&next)
			touched, told := after.Touched(e)
			require.True(t, told)
			if rng.IntN(2) == 0 { // time goes on, the span with it
				by := pricing.Moment(rng.IntN(30)) * pricing.Hour
				q.From, q.To = q.From+by, q.To+by
			}
			got, err := s.After(after, touched, q.From, nil)
			require.NoError(t, err)
			have, err := got.Flags()
			require.NoError(t, err)
			want, err := flags.Find(after, q)
			require.NoError(t, err)
			require.Equal(t, asTold(want), asTold(have), "seed %d", seed)
			before, err := s.Flags()
			require.NoError(t, err)
			if len(before) != len(have) {
				different++
			}
			book, e, s = &next, after, got
		}
	}
	require.Greater(t, different, 40, "the edits change what there is to find")
}

// asTold are flags as they are told.
func asTold(list []flags.Flag) (keys []string) {
	for i := range list {
		f := &list[i]
		text := subjectKey(f) + " " + f.Witness.At.String() + " " + f.Cause
		if f.Price != nil {
			text += " " + f.Price.Fixed(2)
		}
		keys = append(keys, text)
	}
	return keys
}

// What an edit raises and clears is told without looking at the rest of the book, and is what looking at all of both
// books tells; what sets of goods show of other offers stays as it was.
func TestChangesAreTheDifference(t *testing.T) {
	raised, cleared := 0, 0
	for seed := range uint64(60) {
		rng := rand.New(rand.NewPCG(seed, 19))
		book, q := small(rng)
		q.Quantities = nil
		e := pricing.Compile(book)
		s, err := flags.NewSearch(e, q)
		require.NoError(t, err)
		was, err := s.Flags()
		require.NoError(t, err)
		for range 4 {
			rule := book.Rules[rng.IntN(len(book.Rules))]
			rule.Rank, rule.Window, rule.Audience = 1+rng.IntN(5), nil, nil
			rule.Status = pricing.On
			next, _ := e.With(pricing.Edit{Code: rule.Code, Rule: &rule})
			touched, told := next.Touched(e)
			require.True(t, told)
			more, fewer, err := s.Changes(next, touched, nil)
			require.NoError(t, err)
			now, err := flags.Find(next, q)
			require.NoError(t, err)
			require.ElementsMatch(t, without(now, was), keysOf(more), "seed %d", seed)
			require.ElementsMatch(t, without(was, now), keysOf(fewer), "seed %d", seed)
			raised, cleared = raised+len(more), cleared+len(fewer)
		}
	}
	require.Greater(t, raised, 50)
	require.Greater(t, cleared, 50)
}

func keysOf(list []flags.Flag) (keys []string) {
	for i := range list {
		keys = append(keys, subjectKey(&list[i]))
	}
	return keys
}

func without(list, but []flags.Flag) (keys []string) {
	in := map[string]bool{}
	for _, k := range keysOf(but) {
		in[k] = true
	}
	for _, k := range keysOf(list) {
		if !in[k] {
			keys = append(keys, k)
		}
	}
	return keys
}
