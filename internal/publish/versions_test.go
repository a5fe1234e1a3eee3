package publish_test

import (
	"fmt"
	"sync"
	"testing"

	"github.com/stretchr/testify/require"

	"dogbane/internal/book"
	"dogbane/internal/checks"
	"dogbane/internal/publish"
)

// A version that is read again after the program was started has its goods in memory once with the book's.
func TestVersionsReadAgainShareTheirGoods(t *testing.T) {
	o := opened(t, shop)
	o.publishes(publish.Wish{})
	o.setOff("S", "7")
	o.another()
	live, err := book.OpenLive(t.Context(), o.store, checks.Guard(o.store))
	require.NoError(t, err)
	now := live.Current()
	before, err := o.desk.Published(t.Context(), now, "web")
	require.NoError(t, err)
	require.NotEqual(t, now.Version, before.Version)
	require.Same(t, now.Book.Products[0], before.Book.Products[0])
	touched, told := now.Engine.Touched(before.Engine)
	require.True(t, told)
	require.Positive(t, touched.Count(), "the rule differs")
}

// Whoever asks for a published version at the same time gets the same one, made once, also where more versions are
// shown than are kept at hand; each is the book as it was.
func TestPublishedVersionsAreShared(t *testing.T) {
	o := opened(t, shop)
	o.publishes(publish.Wish{})
	first := o.live.Current().Version
	o.setList("B", "77.00")
	ask := func() *book.Snapshot {
		s, err := o.desk.Published(t.Context(), o.live.Current(), "web")
		require.NoError(t, err)
		return s.Snapshot
	}
	seen := make([]*book.Snapshot, 16)
	var all sync.WaitGroup
	for i := range seen {
		all.Go(func() { seen[i] = ask() })
	}
	all.Wait()
	for _, s := range seen {
		require.Same(t, seen[0], s)
	}
	require.NotEqual(t, first+1, seen[0].Version, "nobody takes it for the saved one")
	require.Equal(t, "20", seen[0].Product("B").List.String())
	last := "77"
	for i := range 12 { // past what is kept at hand
		o.publishes(publish.Wish{})
		o.setList("B", fmt.Sprintf("%d.00", 100+i))
		require.Equal(t, last, ask().Product("B").List.String())
		last = fmt.Sprint(100 + i)
	}
}
