package store_test

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"dogbane/internal/flagsearch"
	"dogbane/internal/pricing"
)

// What was found is kept for one version and day; when a flag came and went is noted once, whoever notes it; and what
// somebody lives with returns after its day.
func TestFlagsAreKept(t *testing.T) {
	s, _ := opened(t)
	day := pricing.Moment(20_783 * 24 * 3600)
	_, kept, err := s.KeptFlags(t.Context(), 1, day)
	require.NoError(t, err)
	require.False(t, kept)
	require.NoError(t, s.KeepFlags(t.Context(), 1, day, []byte(`[{"sku":"=1+1 <b> 🎁"}]`)))
	require.NoError(t, s.KeepFlags(t.Context(), 1, day, []byte(`[{"sku":"=1+1 <b> 🎁\u202e"}]`)), "by another instance")
	data, kept, err := s.KeptFlags(t.Context(), 1, day)
	require.NoError(t, err)
	require.True(t, kept)
	require.Equal(t, `[{"sku":"=1+1 <b> 🎁\u202e"}]`, string(data))
	require.NoError(t, s.KeepFlags(t.Context(), 2, day, []byte("[]")))
	_, kept, err = s.KeptFlags(t.Context(), 1, day)
	require.NoError(t, err)
	require.False(t, kept, "of an older version nothing is kept")

	long := "tie\x1f\x1f\x1f" + strings.Repeat("R & <b>'\"\\🎁", 60)
	for range 2 { // two instances
		require.NoError(t, s.NoteFlags(t.Context(), 2, then, []string{long, "free\x1fA"}, []string{"no-cost\x1fB"}))
		require.NoError(t, s.NoteFlags(t.Context(), 3, then.Add(time.Hour), nil, []string{long}))
	}
	spells, err := s.FlagHistory(t.Context(), long, 10)
	require.NoError(t, err)
	require.Len(t, spells, 2, "the second time it was raised again, and cleared again")
	require.EqualValues(t, 2, *spells[1].Raised)
	require.EqualValues(t, 3, *spells[1].Cleared)
	spells, err = s.FlagHistory(t.Context(), "free\x1fA", 10)
	require.NoError(t, err)
	require.Len(t, spells, 1)
	require.Nil(t, spells[0].Cleared)
	spells, err = s.FlagHistory(t.Context(), "no-cost\x1fB", 10)
	require.NoError(t, err)
	require.Len(t, spells, 1)
	require.Nil(t, spells[0].Raised, "it was there before anybody looked")

	until := then.Add(24 * time.Hour)
	lives := flagsearch.Acknowledgement{Who: "me", At: then, Until: until, Reason: "A gift & <more>"}
	require.NoError(t, s.Acknowledge(t.Context(), lives, long))
	many := make([]string, 1200)
	for i := range many {
		many[i] = fmt.Sprintf("no-price\x1fSKU %d", i)
	}
	require.NoError(t, s.Acknowledge(t.Context(), lives, many...))
	require.NoError(t, s.Acknowledge(t.Context(), lives, many[0]), "once more")
	seen, err := s.Acknowledged(t.Context(), until.Add(-time.Second))
	require.NoError(t, err)
	require.Equal(t, "A gift & <more>", seen[long].Reason)
	require.Len(t, seen, 1+len(many))
	seen, err = s.Acknowledged(t.Context(), until)
	require.NoError(t, err)
	require.Empty(t, seen)
	require.NoError(t, s.ForgetAcknowledgement(t.Context(), long))
	seen, err = s.Acknowledged(t.Context(), then)
	require.NoError(t, err)
	require.Len(t, seen, len(many))
}
