package server_test

import (
	"io"
	"net/http"
	"net/http/httptest"
	"runtime"
	"strings"
	"testing"
	"testing/fstest"
	"time"

	"github.com/stretchr/testify/require"

	"dogbane/internal/book"
	"dogbane/internal/checks"
	"dogbane/internal/demo"
	"dogbane/internal/publish"
	"dogbane/internal/publish/format"
	"dogbane/internal/store"
	"dogbane/internal/store/storetest"
)

// discarded counts what is written.
type discarded struct {
	*httptest.ResponseRecorder
	bytes int64
}

func (d *discarded) Write(p []byte) (int, error) {
	d.bytes += int64(len(p))
	return io.Discard.Write(p)
}

// The feeds of a channel that shows 100,000 products with the breaks and group prices of the demo, 1.1 million prices:
// how long each form takes, how much memory it holds at most, and how long an answer takes that nothing has changed. The
// baseline is the lines as they are kept.
func BenchmarkFeeds(b *testing.B) {
	s := storetest.Open(b)
	ctx := b.Context()
	require.NoError(b, s.Create(ctx, demo.Book(100_000), "bench", present))
	require.NoError(b, s.SetLink(ctx, publish.Link{Channel: "web", Kind: "feed"}))
	live, err := book.OpenLive(ctx, s, checks.Guard(s))
	require.NoError(b, err)
	program := idle(ctx, s, live)
	wholly(b, program, publish.Wish{})
	key, err := s.MakeKey(ctx, &store.ChannelKey{Channel: "web", Name: "bench", Rights: []string{"feed"}, At: present})
	require.NoError(b, err)
	handler := program.Handler(fstest.MapFS{})
	ask := func(ending, known string) *discarded {
		r := httptest.NewRequestWithContext(ctx, "GET", "http://127.0.0.1/feeds/web"+ending, nil)
		r.Header.Set("Authorization", "Bearer "+key)
		r.Header.Set("If-None-Match", known)
		w := &discarded{ResponseRecorder: httptest.NewRecorder()}
		handler.ServeHTTP(w, r)
		return w
	}
	lasting := func() uint64 {
		var m runtime.MemStats
		runtime.GC()
		runtime.ReadMemStats(&m)
		return m.HeapAlloc
	}
	forms := []string{".jsonl"}
	for _, f := range format.Forms {
		if f.Ending != ".jsonl" {
			forms = append(forms, f.Ending)
		}
	}
	for _, ending := range forms {
		name := strings.TrimPrefix(ending, ".")
		if ending == ".jsonl" {
			name = "baseline=jsonl"
		}
		b.Run(name, func(b *testing.B) {
			before, most := lasting(), uint64(0)
			var size int64
			for b.Loop() {
				size = ask(ending, "").bytes
				b.StopTimer() // once more, while somebody looks what it holds
				done := make(chan struct{})
				go func() { ask(ending, ""); close(done) }()
				for over := false; !over; {
					select {
					case <-done:
						over = true
					case <-time.After(50 * time.Millisecond):
						most = max(most, lasting())
					}
				}
				b.StartTimer()
			}
			b.ReportMetric(float64(int64(most)-int64(before))/(1<<20), "most-MB")
			b.ReportMetric(float64(size)/(1<<20), "size-MB")
		})
	}
	tag := ask(".csv", "").Header().Get("ETag")
	b.Run("unchanged", func(b *testing.B) {
		for b.Loop() {
			require.Equal(b, http.StatusNotModified, ask(".csv", tag).Code)
		}
	})
}
