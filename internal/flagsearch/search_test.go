package flagsearch_test

import (
	"context"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"dogbane/internal/book"
	"dogbane/internal/book/booktest"
	"dogbane/internal/flagsearch"
	"dogbane/internal/pricing"
	"dogbane/internal/pricing/flags"
)

const loss = `{"products":[{"sku":"A","list":"10.00","cost":"11.00"},{"sku":"B","list":"10.00","cost":"19.00"},{"sku":"C","list":"10.00","cost":"9.00"}]}`

func at(day int) func() time.Time {
	return func() time.Time { return time.Date(2026, 11, day, 8, 0, 0, 0, time.UTC) }
}

// running searches until the test ends.
func running(t *testing.T, now func() time.Time, busy func(time.Duration) bool) *flagsearch.Search {
	t.Helper()
	s := flagsearch.New(now, busy)
	ctx, stop := context.WithCancel(t.Context())
	ended := make(chan struct{})
	go func() { defer close(ended); s.Run(ctx) }()
	t.Cleanup(func() { stop(); <-ended })
	return s
}

func idle(time.Duration) bool { return false }

func settled(t *testing.T, s *flagsearch.Search, snap *book.Snapshot) []flags.Flag {
	t.Helper()
	var found []flags.Flag
	require.Eventually(t, func() bool {
		list, version, searching := s.Of(snap)
		found = list
		return !searching && version == snap.Version
	}, 20*time.Second, time.Millisecond)
	return found
}

// The flags of the newest book are found when somebody asks for them, the most money at stake first; those of the book
// before stay until then.
func TestSearch(t *testing.T) {
	s := running(t, at(26), idle)
	live, _ := booktest.Live(t, booktest.Read(t, loss))
	none, _, searching := s.Of(live.Current())
	require.Empty(t, none)
	require.True(t, searching)
	found := settled(t, s, live.Current())
	require.Equal(t, []string{"B", "A"}, []string{found[0].SKU, found[1].SKU})
	p := *live.Current().Product("B")
	p.Cost = p.List
	booktest.Save(t, live, book.OfProduct(live.Current().Product("B"), &p))
	old, version, searching := s.Of(live.Current())
	require.Len(t, old, 2)
	require.EqualValues(t, 1, version)
	require.True(t, searching)
	require.Len(t, settled(t, s, live.Current()), 1)
}

// A search that somebody's questions slow down is given up for a newer book's, and ends with the program.
func TestASearchIsGivenUp(t *testing.T) {
	s := running(t, at(26), func(time.Duration) bool { return true })
	live, _ := booktest.Live(t, booktest.Read(t,
		`{"groups":[{"code":"g"}],"channels":[{"code":"web"}],"products":[{"sku":"A","list":"10.00","cost":"11.00"}],
		"rules":[{"code":"D","layer":"sale","rank":1,"where":{"all":[]},"window":{"days":["mon","wed","fri"]},"effect":{"percentOff":"1"}},
			{"code":"G","layer":"group","rank":1,"where":{"all":[]},"audience":{"groups":["g"]},"effect":{"percentOff":"2"}}]}`))
	for range 20 {
		p := *live.Current().Product("A")
		next := p
		more := p.List.Add(*p.List)
		next.List = &more
		s.Of(live.Current())
		booktest.Save(t, live, book.OfProduct(&p, &next))
	}
	require.Empty(t, settled(t, s, live.Current()), "of the newest book, in which nothing is below cost")
}

// Flags are looked for anew when another day has begun.
func TestAnotherDay(t *testing.T) {
	var day atomic.Int64
	day.Store(26)
	s := running(t, func() time.Time { return at(int(day.Load()))() }, idle)
	b := booktest.Read(t, `{"products":[{"sku":"A","list":"10.00","cost":"9.00"}],
		"rules":[{"code":"X","layer":"sale","rank":1,"where":{"all":[]},"window":{"to":"2026-11-27T00:00"},"effect":{"percentOff":"50"}}]}`)
	snap := booktest.Snapshot(t, b)
	require.Len(t, settled(t, s, snap), 1)
	day.Store(28)
	require.Eventually(t, func() bool { list, _, searching := s.Of(snap); return !searching && len(list) == 0 },
		20*time.Second, time.Millisecond)
	require.Positive(t, int64(flagsearch.Span/pricing.Day))
}
