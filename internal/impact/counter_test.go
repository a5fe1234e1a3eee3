package impact_test

import (
	"context"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"dogbane/internal/book"
	"dogbane/internal/book/booktest"
	"dogbane/internal/demo"
	"dogbane/internal/impact"
	"dogbane/internal/pricing"
)

// Edits that nobody counted, because the program ended or many came at once, are counted later, each by itself.
func TestWhatWasNotCountedIsCountedLater(t *testing.T) {
	live, memory := booktest.Live(t, demo.Book(0))
	want := map[int64]int{}
	for i := range 60 {
		before := live.Current()
		now := before.Book
		changes := []book.Change{}
		if i%3 == 0 { // a product
			p := *now.Products[i]
			next := p
			next.Name += " & more"
			dearer := p.List.Add(*p.List)
			next.List = &dearer
			changes = append(changes, book.OfProduct(&p, &next))
		} else { // a rule, off and on
			r := now.Rules[i%7]
			next := r
			next.Status = map[pricing.Status]pricing.Status{pricing.On: pricing.Off, pricing.Off: pricing.On,
				pricing.Draft: pricing.On}[r.Status]
			changes = append(changes, book.OfRule(&r, &next))
		}
		entry := booktest.Save(t, live, changes...)
		for _, c := range now.Channels {
			vp := pricing.Viewpoint{Channel: c.Code, At: pricing.MomentOf(present.In(before.Zone)), Quantity: 1}
			was, err := before.Engine.Sweep(vp)
			require.NoError(t, err)
			is, err := live.Current().Engine.Sweep(vp)
			require.NoError(t, err)
			for p := range int32(was.Len()) {
				a, hadA := was.Price(p)
				b, hadB := is.Price(p)
				if a != b || hadA != hadB {
					want[entry.ID]++
				}
			}
		}
	}
	ctx, stop := context.WithCancel(t.Context())
	ended := make(chan struct{})
	go func() { defer close(ended); impact.NewCounter(memory, live).Run(ctx) }()
	require.Eventually(t, func() bool {
		left, err := memory.Uncounted(t.Context(), 100)
		return err == nil && len(left) == 0
	}, time.Minute, 20*time.Millisecond)
	stop()
	<-ended
	total := 0
	for id, moved := range memory.Moved {
		require.Equal(t, want[id], moved, "entry %d", id)
		total += moved
	}
	require.Positive(t, total)
}

var present = time.Date(2026, 11, 26, 8, 0, 0, 0, time.UTC)
