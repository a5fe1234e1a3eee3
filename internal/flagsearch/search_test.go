package flagsearch_test

import (
	"context"
	"fmt"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"dogbane/internal/book"
	"dogbane/internal/book/booktest"
	"dogbane/internal/bookfile"
	"dogbane/internal/flagsearch"
	"dogbane/internal/money"
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
			list = append(list, *x)
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

// A flag clears when its cause is over, be it in the middle of a day.
func TestAWindowEnds(t *testing.T) {
	var hour atomic.Int64
	hour.Store(8)
	s := running(t, func() time.Time { return time.Date(2026, 11, 26, int(hour.Load()), 0, 0, 0, time.UTC) }, idle)
	snap := booktest.Snapshot(t, booktest.Read(t, `{"products":[{"sku":"A","list":"10.00","cost":"9.00"}],
		"rules":[{"code":"X","layer":"sale","rank":1,"where":{"all":[]},"window":{"to":"2026-11-26T13:00"},"effect":{"percentOff":"50"}}]}`))
	require.Len(t, settled(t, s, snap), 1)
	hour.Store(13)
	require.Eventually(t, func() bool { f := s.Of(snap); return !f.Searching && len(losses(f)) == 0 },
		20*time.Second, time.Millisecond)
}

// After an edit that touches many products, what they show now is told while the weeks to come are still looked at; what
// comes and goes is noted when all is known.
func TestThePresentFirst(t *testing.T) {
	var held atomic.Pointer[chan struct{}]
	s := running(t, at(26), func(time.Duration) bool {
		if c := held.Load(); c != nil {
			<-*c
		}
		return false
	})
	text := `{"channels":[{"code":"web"}],"products":[`
	for i := range 3000 {
		text += fmt.Sprintf(`{"sku":"%d","list":"10.00","cost":"%d.00"},`, i, 1+i%9)
	}
	text = strings.TrimSuffix(text, ",") + `],"rules":[
		{"code":"X","layer":"sale","rank":1,"where":{"all":[]},"effect":{"percentOff":"5"}},
		{"code":"Y","layer":"tier","rank":1,"where":{"all":[]},"window":{"from":"2026-12-24T00:00"},"effect":{"percentOff":"20"}}]}`
	live, _ := booktest.Live(t, booktest.Read(t, text))
	later := len(settled(t, s, live.Current()))
	require.Equal(t, 666, later, "of 8.00 and 9.00, on Christmas Eve")
	release := make(chan struct{})
	held.Store(&release)
	old := live.Current().Book.Rules[0]
	next := old
	effect := *old.Effect
	effect.Value = money.Int(15)
	next.Effect = &effect
	booktest.Save(t, live, book.OfRule(&old, &next))
	var found flagsearch.Found
	require.Eventually(t, func() bool {
		found = s.Of(live.Current())
		return found.Present
	}, 20*time.Second, time.Millisecond)
	require.EqualValues(t, 2, found.Version)
	require.True(t, found.Searching)
	now := 0
	for _, f := range losses(found) {
		if f.Witness.At < "2026-12" {
			now++
			require.Equal(t, "8.50", *f.Price)
		}
	}
	require.Equal(t, 333, now)
	require.Len(t, losses(found), later, "those of Christmas Eve stay")
	held.Store(nil)
	close(release)
	require.Len(t, settled(t, s, live.Current()), 999, "at 6.80")
}
