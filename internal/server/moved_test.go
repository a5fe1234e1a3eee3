package server_test

import (
	"context"
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"dogbane/internal/bookfile"
	"dogbane/internal/demo"
	"dogbane/internal/pricing"
	"dogbane/internal/server"
	"dogbane/internal/store"
	"dogbane/internal/store/storetest"
)

// Edits that nobody counted, because the program ended or many came at once, are counted later, each by itself.
func TestWhatWasNotCountedIsCountedLater(t *testing.T) {
	s := storetest.Open(t)
	require.NoError(t, s.Create(t.Context(), demo.Book(0), "test", present))
	live, err := store.OpenLive(t.Context(), s)
	require.NoError(t, err)
	want := map[int64]int{}
	for i := range 60 {
		before := live.Current()
		book := before.Book
		changes := []store.Change{}
		if i%3 == 0 { // a product
			p := book.Products[i]
			next := p
			next.Name += " & more"
			dearer := p.List.Add(*p.List)
			next.List = &dearer
			changes = append(changes, store.Change{Kind: store.Products, Code: p.SKU, Before: bookfile.EncodeProduct(&p), After: bookfile.EncodeProduct(&next)})
		} else { // a rule, off and on
			r := book.Rules[i%7]
			next := r
			next.Status = map[pricing.Status]pricing.Status{pricing.On: pricing.Off, pricing.Off: pricing.On, pricing.Draft: pricing.On}[r.Status]
			changes = append(changes, store.Change{Kind: store.Rules, Code: r.Code, Before: bookfile.EncodeRule(&r), After: bookfile.EncodeRule(&next)})
		}
		entry, err := live.Save(t.Context(), store.Edit{Who: "me", At: present, Summary: fmt.Sprint("edit ", i), Changes: changes})
		require.NoError(t, err)
		for _, c := range book.Channels {
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
	go func() { defer close(ended); server.New(s, live, func() time.Time { return present }).Work(ctx) }()
	require.Eventually(t, func() bool {
		left, err := s.Uncounted(t.Context(), 100)
		return err == nil && len(left) == 0
	}, time.Minute, 20*time.Millisecond)
	stop()
	<-ended
	log, err := s.Log(t.Context(), 100)
	require.NoError(t, err)
	total := 0
	for _, e := range log {
		if e.Version > 1 {
			require.Equal(t, want[e.ID], *e.Moved, e.Summary)
			total += *e.Moved
		}
	}
	require.Positive(t, total)
}
