package server_test

import (
	"bytes"
	"encoding/json"
	"fmt"
	"net/http"
	"testing"

	"github.com/stretchr/testify/require"

	"dogbane/internal/book"
	"dogbane/internal/checks"
	"dogbane/internal/demo"
	"dogbane/internal/store"
	"dogbane/internal/store/storetest"

	"net/http/cookiejar"
	"net/http/httptest"
	"testing/fstest"
)

// A thousand pieces changed together among 100,000 products, beside one piece, which is the baseline.
func BenchmarkChangesTogether(b *testing.B) {
	s := storetest.Open(b)
	whole := demo.Book(100_000)
	require.NoError(b, s.Create(b.Context(), whole, "bench", present))
	require.NoError(b, s.AddPerson(b.Context(), store.Person{Name: "me", Role: store.Manager, Active: true,
		Password: store.HashPassword("a long password"), Created: present}))
	live, err := book.OpenLive(b.Context(), s, checks.Guard(s))
	require.NoError(b, err)
	web := httptest.NewServer(idle(b.Context(), s, live).Handler(fstest.MapFS{}))
	defer web.Close()
	jar, err := cookiejar.New(nil)
	require.NoError(b, err)
	client := &http.Client{Jar: jar}
	send := func(method, path string, body any, into any) {
		data, err := json.Marshal(body)
		require.NoError(b, err)
		req, err := http.NewRequestWithContext(b.Context(), method, web.URL+path, bytes.NewReader(data))
		require.NoError(b, err)
		req.Header.Set("Content-Type", "application/json")
		resp, err := client.Do(req)
		require.NoError(b, err)
		defer resp.Body.Close()
		require.Equal(b, http.StatusOK, resp.StatusCode)
		if into != nil {
			require.NoError(b, json.NewDecoder(resp.Body).Decode(into))
		}
	}
	send("POST", "/api/session", map[string]string{"name": "me", "password": "a long password"}, nil)
	made := 0
	for _, n := range []int{1, 1000} {
		b.Run(fmt.Sprint(n), func(b *testing.B) {
			for b.Loop() {
				var changes []any
				for range n {
					made++
					sku := fmt.Sprintf("BENCH-%d", made)
					changes = append(changes, map[string]any{"kind": "products", "code": sku,
						"doc": map[string]any{"sku": sku, "list": "5.00"}})
				}
				send("POST", "/api/edit", map[string]any{"changes": changes}, nil)
			}
		})
	}
}
