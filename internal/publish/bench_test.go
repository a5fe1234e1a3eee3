package publish

import (
	"encoding/json"
	"fmt"
	"io"
	"runtime"
	"slices"
	"sync"
	"testing"

	"github.com/stretchr/testify/require"

	"dogbane/internal/book"
	"dogbane/internal/demo"
	"dogbane/internal/money"
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

// How much more is in memory where six channels run on books of their own, each with three other rules and a thousand
// other costs than the saved one, in parts of what one book and its engine take; and what it takes to make one of them,
// beside compiling a book anew.
func BenchmarkPublishedBooks(b *testing.B) {
	heap := func() float64 {
		runtime.GC()
		runtime.GC()
		var m runtime.MemStats
		runtime.ReadMemStats(&m)
		return float64(m.HeapAlloc)
	}
	none := heap()
	saved := demo.Book(100_000)
	e := pricing.Compile(saved)
	snap, err := book.NewSnapshot(saved, 1, e, nil)
	require.NoError(b, err)
	at := moment(b, demo.Now)
	looks := func(e *pricing.Engine) {
		_, err := linesOf(e, at)
		require.NoError(b, err)
	}
	looks(e)
	one := heap() - none
	own := func(n int) *pricing.Book {
		next := *saved
		next.Products, next.Rules = slices.Clone(saved.Products), slices.Clone(saved.Rules)
		for i := range 1000 {
			p := next.Products[(i*97+n*13)%len(next.Products)]
			cost := money.MustParse(fmt.Sprintf("%d.%02d", 1+n, i%100))
			p.Cost = &cost
		}
		for i := range 3 {
			r := &next.Rules[i+n]
			r.Note = fmt.Sprintf("%s %d", r.Note, n)
		}
		return &next
	}
	b.Run("baseline=compile", func(b *testing.B) {
		for b.Loop() {
			pricing.Compile(saved)
		}
	})
	b.Run("one", func(b *testing.B) {
		published := own(1)
		for b.Loop() {
			_, err := composed(published, snap, demo.WebShop, e)
			require.NoError(b, err)
		}
	})
	b.Run("memory", func(b *testing.B) {
		for b.Loop() {
			var six []*book.Snapshot
			for n := range 6 {
				published, err := composed(own(n), snap, demo.WebShop, e)
				require.NoError(b, err)
				looks(published.Engine)
				six = append(six, published)
			}
			b.ReportMetric((heap()-none-one)/one, "of-one-book")
			b.ReportMetric(one/1e6, "one-MB")
			runtime.KeepAlive(six)
		}
	})
	runtime.KeepAlive(snap)
}

// linesOf are those of a channel, so that an engine has everything at hand that it makes when it is first asked.
func linesOf(e *pricing.Engine, at pricing.Moment) (*telling.Lines, error) {
	t, err := telling.Tell(e, basket.Compile(e), demo.WebShop, telling.Lowest30)
	if err != nil {
		return nil, err
	}
	return t.At(at, nil)
}
