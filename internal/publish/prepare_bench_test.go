package publish_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/require"

	"dogbane/internal/book"
	"dogbane/internal/bookfile"
	"dogbane/internal/demo"
	"dogbane/internal/publish"
	"dogbane/internal/publish/pieces"
)

// What it takes to prepare a publication of one rule among 100,000 products, after it was edited and looked at, beside
// writing the whole book down, as publishing whole versions would; and how many bytes of pieces the database is given.
func BenchmarkOneRule(b *testing.B) {
	whole := demo.Book(100_000)
	o := opened(b, string(bookfile.Encode(whole)))
	require.NoError(b, o.store.SetLink(b.Context(), publish.Link{Channel: demo.WebShop, Kind: publish.Feed,
		Sends: "by-hand", Approval: "none", Reference: "lowest30"}))
	first, err := o.desk.Prepare(b.Context(), o.live.Current(), demo.WebShop, publish.Wish{Who: "me",
		Version: o.live.Current().Version, LeaveOutBlocked: true})
	require.NoError(b, err)
	o.sends(first)
	b.Run("baseline=whole-book", func(b *testing.B) {
		for b.Loop() {
			bookfile.Encode(o.live.Current().Book)
		}
	})
	b.Run("prepare", func(b *testing.B) {
		key := pieces.Key{Kind: book.Rules, Code: "GLAZE-WEEK"}
		n, bytes := 0, 0
		for b.Loop() {
			b.StopTimer()
			n++
			o.setOff(key.Code, fmt.Sprint(20+n%20))
			snap := o.live.Current()
			_, err := o.desk.Pending(b.Context(), snap, demo.WebShop, publish.Choice{Keys: []pieces.Key{key}})
			require.NoError(b, err)
			b.StartTimer()
			p, err := o.desk.Prepare(b.Context(), snap, demo.WebShop, publish.Wish{Who: "me", Version: snap.Version,
				Pieces: []pieces.Key{key}, Reached: true, LeaveOutBlocked: true})
			require.NoError(b, err)
			b.StopTimer()
			for _, c := range p.Brought.Changes {
				bytes += len(c.Before) + len(c.After)
			}
			require.NoError(b, o.desk.Drop(b.Context(), p.ID, "me"))
			b.StartTimer()
		}
		b.ReportMetric(float64(bytes)/float64(n), "piece-bytes/op")
	})
}
