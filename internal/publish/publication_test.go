package publish

import (
	"slices"
	"testing"

	"github.com/stretchr/testify/require"
)

// The table of states: nothing leaves an end but for a late answer, and nothing is sent that was not queued.
func TestStates(t *testing.T) {
	for _, s := range []State{Prepared, Waiting, Queued, Sending, Done, Partly, Failed, Declined, Dropped} {
		require.Equal(t, s == Queued, s.May(Sending), s)
		require.Equal(t, slices.Contains([]State{Prepared, Waiting, Queued}, s), s.May(Dropped), s)
		require.Equal(t, s == Waiting, s.May(Declined), s)
		require.Equal(t, slices.Contains([]State{Prepared, Waiting}, s), s.May(Queued), s)
		require.Equal(t, !slices.Contains([]State{Prepared, Waiting, Queued, Sending}, s), s.Ended(), s)
	}
	require.Equal(t, Done, Counts{Total: 2, Taken: 2}.Outcome())
	require.Equal(t, Partly, Counts{Total: 2, Taken: 1, Refused: 1}.Outcome())
	require.Equal(t, Failed, Counts{Total: 2, Refused: 2}.Outcome())
	require.Equal(t, Done, Counts{}.Outcome(), "rules alone")
}
