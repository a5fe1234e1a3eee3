package server_test

import (
	"context"
	"net/http"
	"net/http/cookiejar"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"syscall"
	"testing"
	"testing/fstest"
	"time"

	"github.com/stretchr/testify/require"

	"dogbane/internal/book"
	"dogbane/internal/checks"
	"dogbane/internal/demo"
	"dogbane/internal/store"
	"dogbane/internal/store/localdb"
)

// A database that dies is noticed, said with since when and why, and used again as soon as it is back; meanwhile
// whoever is signed in goes on looking at prices, and what cannot be kept is refused and not lost.
func TestTheDatabaseAway(t *testing.T) {
	dir := t.TempDir()
	ctx, cancel := context.WithTimeout(t.Context(), 3*time.Minute)
	defer cancel()
	db, err := localdb.Start(ctx, dir, localdb.Options{Durable: true})
	require.NoError(t, err)
	defer db.Stop()
	s, err := store.Open(ctx, db.DSN("dogbane"))
	require.NoError(t, err)
	defer s.Close()
	require.NoError(t, s.Create(ctx, demo.Book(0), "test", present))
	require.NoError(t, s.AddPerson(ctx, store.Person{Name: "me", FullName: "Me", Role: store.Manager, Active: true,
		Password: store.HashPassword("a long password"), Created: present}))
	live, err := book.OpenLive(ctx, s, checks.Guard(s))
	require.NoError(t, err)
	program := working(t, s, live)
	web := httptest.NewServer(program.Handler(fstest.MapFS{"index.html": {Data: []byte("<!doctype html>")}}))
	defer web.Close()
	jar, err := cookiejar.New(nil)
	require.NoError(t, err)
	a := &api{t, web.URL, &http.Client{Jar: jar}, s}
	a.do("POST", "/api/session", map[string]string{"name": "me", "password": "a long password"}, 200, nil)
	var st struct {
		Outage   *struct{ Since, Reason string }
		Channels []struct{ Code string }
	}
	a.do("GET", "/api/state", nil, 200, &st)
	require.Nil(t, st.Outage)
	channels := len(st.Channels)
	a.do("GET", "/api/board?channel=web", nil, 200, nil)

	text, err := os.ReadFile(filepath.Join(dir, "pid"))
	require.NoError(t, err)
	pid, err := strconv.Atoi(strings.TrimSpace(string(text)))
	require.NoError(t, err)
	require.NoError(t, syscall.Kill(pid, syscall.SIGSTOP)) // it hangs first …
	require.Eventually(t, func() bool { return s.Outage() != nil }, 30*time.Second, 20*time.Millisecond)
	require.NoError(t, syscall.Kill(pid, syscall.SIGKILL)) // … and is gone then
	a.do("GET", "/api/state", nil, 200, &st)
	if st.Outage != nil { // unless it is back already
		require.Equal(t, "the database does not answer", st.Outage.Reason)
		require.NotEmpty(t, st.Outage.Since)
	}
	require.Len(t, st.Channels, channels, "what was known of the channels")
	a.do("GET", "/api/board?channel=web", nil, 200, nil)
	a.do("GET", "/api/rules", nil, 200, nil)
	price := "31.00"
	status, said := a.status("PATCH", "/api/products/BAT-30", map[string]string{"list": price})
	if status != 200 {
		require.Equal(t, 503, status, said)
		require.Contains(t, said, "does not answer, since")
	}
	require.Eventually(t, func() bool {
		status, _ := a.status("PATCH", "/api/products/BAT-30", map[string]string{"list": price})
		price = map[string]string{"31.00": "32.00", "32.00": "31.00"}[price]
		return status == 200
	}, time.Minute, 50*time.Millisecond, "it recovers by itself")
	require.Eventually(t, func() bool {
		st.Outage = nil
		a.do("GET", "/api/state", nil, 200, &st)
		return st.Outage == nil
	}, 10*time.Second, 50*time.Millisecond)
}
