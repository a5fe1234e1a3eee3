package flagsearch_test

import (
	"context"
	"fmt"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"dogbane/internal/book"
	"dogbane/internal/book/booktest"
	"dogbane/internal/bookfile"
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
	return runningWith(t, &kept{}, now, busy)
}

func runningWith(t *testing.T, k *kept, now func() time.Time, busy func(time.Duration) bool) *flagsearch.Search {
	t.Helper()
	s := flagsearch.New(now, k, busy)
	ctx, stop := context.WithCancel(t.Context())
	ended := make(chan struct{})
	go func() { defer close(ended); s.Run(ctx) }()
	t.Cleanup(func() { stop(); <-ended })
	return s
}

func idle(time.Duration) bool { return false }

// kept keeps what was found in memory.
type kept struct {
	mu              sync.Mutex
	found           map[string][]byte
	raised, cleared []string
}

func (k *kept) KeptFlags(_ context.Context, version int64, day pricing.Moment) ([]byte, bool, error) {
	k.mu.Lock()
	defer k.mu.Unlock()
	data, known := k.found[fmt.Sprint(version, day)]
	return data, known, nil
}

func (k *kept) KeepFlags(_ context.Context, version int64, day pricing.Moment, found []byte) error {
	k.mu.Lock()
	defer k.mu.Unlock()
	k.found = map[string][]byte{fmt.Sprint(version, day): found}
	return nil
}

func (k *kept) NoteFlags(_ context.Context, _ int64, _ time.Time, raised, cleared []string) error {
	k.mu.Lock()
	defer k.mu.Unlock()
	k.raised, k.cleared = append(k.raised, raised...), append(k.cleared, cleared...)
	return nil
}

// losses are the flags below cost once the newest book was looked at.
func settled(t *testing.T, s *flagsearch.Search, snap *book.Snapshot) []bookfile.FlagAnswer {
	t.Helper()
	var found []bookfile.FlagAnswer
	require.Eventually(t, func() bool {
		f := s.Of(snap)
		found = losses(f)
		return !f.Searching && f.Version == snap.Version
	}, 20*time.Second, time.Millisecond)
	return found
}

func losses(f flagsearch.Found) (list []bookfile.FlagAnswer) {
	for _, x := range f.Flags {
		if x.Kind == string(flags.BelowCost) {
			list = append(list, x)
		}
	}
	return list
}

// The flags of the newest book are found when somebody asks for them; those of the book before stay until then. What
// came and went is noted, and a second program with the same keeper need not look again.
func TestSearch(t *testing.T) {
	k := &kept{}
	s := runningWith(t, k, at(26), idle)
	live, _ := booktest.Live(t, booktest.Read(t, loss))
	none := s.Of(live.Current())
	require.Empty(t, none.Flags)
	require.True(t, none.Searching)
	found := settled(t, s, live.Current())
	require.Equal(t, []string{"A", "B"}, []string{found[0].SKU, found[1].SKU})
	p := *live.Current().Product("B")
	p.Cost = p.List
	booktest.Save(t, live, book.OfProduct(live.Current().Product("B"), &p))
	old := s.Of(live.Current())
	require.Len(t, losses(old), 2)
	require.EqualValues(t, 1, old.Version)
	require.True(t, old.Searching)
	require.Len(t, settled(t, s, live.Current()), 1)
	require.Eventually(t, func() bool { k.mu.Lock(); defer k.mu.Unlock(); return len(k.cleared) == 1 }, 20*time.Second, time.Millisecond)
	require.Contains(t, k.cleared[0], "below-cost")
	require.Empty(t, k.raised)
	second := runningWith(t, k, at(26), func(time.Duration) bool { t.Error("it looks again"); return false })
	require.Len(t, settled(t, second, live.Current()), 1)
	_, _, known, err := second.Changes(t.Context(), live.Current(), live.Current().Engine)
	require.NoError(t, err)
	require.False(t, known, "how they were found is not kept")
	require.Eventually(t, func() bool {
		_, _, known, err := second.Changes(t.Context(), live.Current(), live.Current().Engine)
		return err == nil && known
	}, 20*time.Second, time.Millisecond, "but found out when somebody wants to know")
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
	require.Eventually(t, func() bool { f := s.Of(snap); return !f.Searching && len(losses(f)) == 0 },
		20*time.Second, time.Millisecond)
	require.Positive(t, int64(flagsearch.Span/pricing.Day))
}
