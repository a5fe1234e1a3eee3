package server_test

import (
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"net/http"
	"net/http/httptest"
	"os"
	"runtime"
	"strings"
	"testing"
	"testing/fstest"
	"time"

	"github.com/stretchr/testify/require"
	vegeta "github.com/tsenart/vegeta/v12/lib"

	"dogbane/internal/book"
	"dogbane/internal/checks"
	"dogbane/internal/clock"
	"dogbane/internal/demo"
	"dogbane/internal/pricing"
	"dogbane/internal/store"
	"dogbane/internal/store/storetest"
)

// Quotes of ten lines each from a book of 100,000 products, at a steady pace from one key, beside the same pace at an
// address that answers at once, which is the baseline. DOGBANE_QUOTES is the pace, in requests a second.
func BenchmarkQuotes(b *testing.B) {
	s := storetest.Open(b)
	whole := demo.Book(100_000)
	require.NoError(b, s.Create(b.Context(), whole, "bench", present))
	live, err := book.OpenLive(b.Context(), s, checks.Guard(s))
	require.NoError(b, err)
	program := idle(b.Context(), s, live)
	web := httptest.NewServer(program.Handler(fstest.MapFS{"index.html": {Data: []byte("x")}}))
	defer web.Close()
	key, err := s.MakeKey(b.Context(), &store.ChannelKey{Channel: "web", Name: "bench", Rights: []string{"quote"}, At: present})
	require.NoError(b, err)
	pace := 1500
	if text := os.Getenv("DOGBANE_QUOTES"); text != "" {
		_, err := fmt.Sscan(text, &pace)
		require.NoError(b, err)
	}
	rng := rand.New(rand.NewPCG(1, 2))
	targets := make([]vegeta.Target, 500)
	for i := range targets {
		var lines []object
		for range 10 {
			lines = append(lines, object{"sku": whole.Products[rng.IntN(len(whole.Products))].SKU, "quantity": 1 + rng.IntN(6)})
		}
		body, err := json.Marshal(object{"lines": lines, "shipping": "6.95"})
		require.NoError(b, err)
		targets[i] = vegeta.Target{Method: "POST", URL: web.URL + "/channel/web/quote", Body: body,
			Header: http.Header{"Authorization": {"Bearer " + key}, "Content-Type": {"application/json"}}}
	}
	health := []vegeta.Target{{Method: "GET", URL: web.URL + "/"}}
	for name, list := range map[string][]vegeta.Target{"baseline": health, "quotes": targets} {
		b.Run(name, func(b *testing.B) {
			for b.Loop() {
				runtime.GC()
				var before, after runtime.MemStats
				runtime.ReadMemStats(&before)
				var m vegeta.Metrics
				attacker := vegeta.NewAttacker(vegeta.Workers(64), vegeta.KeepAlive(true))
				for r := range attacker.Attack(vegeta.NewStaticTargeter(list...), vegeta.Rate{Freq: pace, Per: time.Second},
					10*time.Second, name) {
					m.Add(r)
				}
				m.Close()
				runtime.GC()
				runtime.ReadMemStats(&after)
				require.Empty(b, m.Errors)
				require.InDelta(b, 1, m.Success, 0)
				b.ReportMetric(m.Throughput, "answers/s")
				b.ReportMetric(float64(m.Latencies.P50.Microseconds())/1000, "p50-ms")
				b.ReportMetric(float64(m.Latencies.P99.Microseconds())/1000, "p99-ms")
				b.ReportMetric(float64(m.Latencies.Max.Microseconds())/1000, "max-ms")
				b.ReportMetric(float64(int64(after.HeapAlloc)-int64(before.HeapAlloc))/(1<<20), "kept-MB")
			}
		})
	}
}

// A quote and a feed that has not changed, where a channel had a hundred keys that were revoked and the book has ten
// thousand customers, beside where it has neither, which is the baseline.
func BenchmarkCallers(b *testing.B) {
	for _, many := range []bool{false, true} {
		s := storetest.Open(b)
		whole := demo.Book(10_000)
		name := "baseline=few"
		if many {
			name = "many"
			for i := range 10_000 {
				whole.Customers = append(whole.Customers, pricing.Customer{Code: fmt.Sprintf("B-%05d", i), Name: "Bench", Groups: []string{"trade"}})
			}
		}
		require.NoError(b, s.Create(b.Context(), whole, "bench", present))
		made := func() (text string, id int64) {
			key := &store.ChannelKey{Channel: "web", Name: "bench", Rights: []string{"quote", "feed"}, At: present}
			text, err := s.MakeKey(b.Context(), key)
			require.NoError(b, err)
			return text, key.ID
		}
		for i := 0; many && i < 100; i++ {
			_, id := made()
			require.NoError(b, s.RevokeKey(b.Context(), "web", id, present))
		}
		key, _ := made()
		live, err := book.OpenLive(b.Context(), s, checks.Guard(s))
		require.NoError(b, err)
		now := present
		program := idleBy(b.Context(), s, live, clock.Clocks{Book: func() time.Time { return present },
			Machine: func() time.Time { now = now.Add(time.Millisecond); return now }}).Handler(fstest.MapFS{})
		ask := func(method, path, body string) *httptest.ResponseRecorder {
			r := httptest.NewRequestWithContext(b.Context(), method, "http://127.0.0.1"+path, strings.NewReader(body))
			r.Header.Set("Authorization", "Bearer "+key)
			r.Header.Set("Content-Type", "application/json")
			w := httptest.NewRecorder()
			program.ServeHTTP(w, r)
			return w
		}
		b.Run(name+"/quote", func(b *testing.B) {
			for b.Loop() {
				require.Equal(b, http.StatusOK, ask("POST", "/channel/web/quote", `{"lines":[{"sku":"BAT-30","quantity":2}]}`).Code)
			}
		})
		b.Run(name+"/feed", func(b *testing.B) {
			for b.Loop() {
				require.Equal(b, http.StatusOK, ask("GET", "/feeds/web.csv?limit=1", "").Code)
			}
		})
	}
}
