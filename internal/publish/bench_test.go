package publish

import (
	"encoding/json"
	"io"
	"sync"
	"testing"

	"github.com/stretchr/testify/require"

	"dogbane/internal/demo"
	"dogbane/internal/pricing"
	"dogbane/internal/pricing/basket"
	"dogbane/internal/publish/format"
	"dogbane/internal/publish/telling"
)

// What it takes to build the lines of 100,000 products, to hold them against what the channel shows, to find how long
// they hold, and to write them into a file for a folder. The baseline is encoding the same lines alone.
func BenchmarkLines(b *testing.B) {
	book := demo.Book(100_000)
	e := pricing.Compile(book)
	at := moment(b, demo.Now)
	t, err := telling.Tell(e, basket.Compile(e), demo.WebShop, telling.Lowest30)
	require.NoError(b, err)
	first, err := Compare(t, at, &Know{}, nil, false, nil)
	require.NoError(b, err)
	know := &Know{Shown: map[string]telling.Shown{}}
	for i := range first.Rows {
		r := &first.Rows[i]
		know.Shown[r.SKU] = telling.Shown{SKU: r.SKU, Price: *r.Price, Reference: r.Reference, Digest: r.Digest, Begun: r.Begun}
	}
	b.Run("baseline=encoding", func(b *testing.B) {
		for b.Loop() {
			for i := range first.Rows {
				_, err := json.Marshal(first.Rows[i].Line)
				require.NoError(b, err)
			}
		}
	})
	b.Run("build", func(b *testing.B) {
		for b.Loop() {
			lines, err := t.At(at, nil)
			require.NoError(b, err)
			var mu sync.Mutex
			n := 0
			lines.Each(func(_ int32, told telling.Told, is bool) {
				digest := told.Digest()
				mu.Lock()
				defer mu.Unlock()
				if is && digest != (telling.Digest{}) {
					n++
				}
			})
			require.Len(b, first.Rows, n)
		}
	})
	b.Run("differences", func(b *testing.B) {
		for b.Loop() {
			d, err := Compare(t, at, know, nil, false, nil)
			require.NoError(b, err)
			require.Less(b, len(d.Rows), len(first.Rows))
		}
	})
	b.Run("whole", func(b *testing.B) {
		for b.Loop() {
			d, err := Compare(t, at, know, nil, true, nil)
			require.NoError(b, err)
			require.Len(b, d.Rows, len(first.Rows))
		}
	})
	b.Run("file", func(b *testing.B) {
		texts := make([]json.RawMessage, len(first.Rows))
		for i := range first.Rows {
			texts[i] = first.Rows[i].Line.Bytes()
		}
		for b.Loop() {
			require.NoError(b, format.CSV(io.Discard, texts, nil))
		}
	})
	b.Run("until", func(b *testing.B) {
		for b.Loop() {
			require.NoError(b, first.untils())
		}
	})
}
