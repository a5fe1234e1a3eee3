package transport_test

import (
	"context"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"dogbane/internal/publish/format"
	"dogbane/internal/publish/transport"
)

func lines(n int) []format.Line {
	list := make([]format.Line, n)
	for i := range list {
		list[i] = format.Line{SKU: fmt.Sprintf("S-%04d", i), Price: "1.00", Currency: "EUR"}
	}
	return list
}

func deliver(t *testing.T, kind, address string, n int) (int, error) {
	t.Helper()
	tr, err := transport.Open(kind, address, "secret")
	require.NoError(t, err)
	answered := 0
	err = tr.Deliver(t.Context(), 7, lines(n), func(a map[string]format.Answer) error { answered += len(a); return nil })
	return answered, err
}

// Over HTTP lines go in parts; a channel that is out of order for a moment is asked again, one that says no is not.
func TestHTTP(t *testing.T) {
	asked := 0
	fails := map[int]int{2: 503, 3: 500}
	web := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		asked++
		if r.Header.Get("Authorization") != "Bearer secret" || r.Method != http.MethodPut {
			http.Error(w, "who?", http.StatusUnauthorized)
			return
		}
		if status := fails[asked]; status != 0 {
			http.Error(w, "not <now>", status)
			return
		}
		_, _ = io.Copy(io.Discard, r.Body)
		_, _ = fmt.Fprintf(w, `{"answers":[{"sku":"part %d","taken":true}]}`, asked)
	}))
	defer web.Close()
	answered, err := deliver(t, "http", web.URL, 2500)
	require.NoError(t, err)
	require.Equal(t, []int{3, 5}, []int{answered, asked}, "three parts, two of which had to be sent again")
	asked, fails = 0, map[int]int{1: 422}
	_, err = deliver(t, "http", web.URL, 1)
	require.ErrorContains(t, err, "422")
	require.ErrorContains(t, err, "not <now>")
	require.Equal(t, 1, asked)
	asked, fails = 0, map[int]int{1: 500, 2: 500, 3: 500, 4: 500}
	_, err = deliver(t, "http", web.URL, 1)
	require.ErrorContains(t, err, "500")
	require.Equal(t, 3, asked)
	_, err = transport.Open("pigeon", "", "")
	require.ErrorContains(t, err, "pigeon")
}

// Through a folder a file is laid down whole and its answer awaited; nobody who answers is not waited for once the
// program ends.
func TestFolder(t *testing.T) {
	folder := filepath.Join(t.TempDir(), "a folder & more")
	answers := filepath.Join(folder, "answers", "prices-000007.csv")
	go func() {
		for {
			if data, err := os.ReadFile(filepath.Join(folder, "in", "prices-000007.csv")); err == nil && len(data) > 0 {
				_ = os.MkdirAll(filepath.Dir(answers), 0o755)
				_ = os.WriteFile(answers+".part", []byte("sku,answer,message\nS-0000,taken,\n"), 0o644)
				_ = os.Rename(answers+".part", answers)
				return
			}
			time.Sleep(time.Millisecond)
		}
	}()
	answered, err := deliver(t, "folder", folder, 2)
	require.NoError(t, err)
	require.Equal(t, 1, answered)
	tr, err := transport.Open("folder", t.TempDir(), "")
	require.NoError(t, err)
	ctx, stop := context.WithCancel(t.Context())
	stop()
	require.ErrorIs(t, tr.Deliver(ctx, 8, lines(1), nil), context.Canceled)
	file := filepath.Join(t.TempDir(), "file")
	require.NoError(t, os.WriteFile(file, nil, 0o644))
	_, err = deliver(t, "folder", filepath.Join(file, "below"), 1)
	require.ErrorContains(t, err, "reach the channel's folder")
}
