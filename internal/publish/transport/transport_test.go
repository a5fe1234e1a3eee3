package transport_test

import (
	"encoding/json"
	"io"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"sync/atomic"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"dogbane/internal/publish/transport"
)

// Each answer of a channel means one thing; redirects are not followed, and what it says is bounded.
func TestWhatAnAnswerMeans(t *testing.T) {
	var asked atomic.Int32
	var answer atomic.Value // an http.HandlerFunc
	web := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		asked.Add(1)
		body, _ := io.ReadAll(r.Body)
		if r.Header.Get("Authorization") != "Bearer s<>" || r.URL.Path != "/in/prices" || r.Method == http.MethodPut &&
			(r.Header.Get("Idempotency-Key") != "7-2" || string(body) != "bytes") {
			http.Error(w, "who?", http.StatusTeapot)
			return
		}
		answer.Load().(http.HandlerFunc)(w, r)
	}))
	defer web.Close()
	c := &transport.HTTP{Address: web.URL + "/in/", Token: "s<>"}
	says := func(status int, body string, header ...string) http.HandlerFunc {
		return func(w http.ResponseWriter, _ *http.Request) {
			for i := 0; i < len(header); i += 2 {
				w.Header().Set(header[i], header[i+1])
			}
			w.WriteHeader(status)
			_, _ = io.WriteString(w, body)
		}
	}
	soon := time.Now().Add(90 * time.Second).UTC().Format(http.TimeFormat)
	for _, tc := range []struct {
		name    string
		answer  http.HandlerFunc
		outcome transport.Outcome
		after   time.Duration
		says    string
	}{
		{"answers", says(200, `{"answers":[{"sku":"A","taken":true}]}`), transport.Answered, 0, ""},
		{"an answer that cannot be read", says(200, `{"answers":`), transport.Unknown, 0, "cannot be read"},
		{"no answers", says(200, `{}`), transport.Unknown, 0, "no answers"},
		{"a review", says(202, `{"review":"/prices/reviews/7"}`, "Retry-After", "3"), transport.Reviewing, 3 * time.Second, ""},
		{"a review without a pace", says(202, `{"review":"/prices/reviews/7"}`), transport.Reviewing, time.Minute, ""},
		{"a review elsewhere", says(202, `{"review":"http://elsewhere.example/7"}`), transport.Unknown, 0, "no path below"},
		{"a review above", says(202, `{"review":"/../secret"}`), transport.Unknown, 0, "no path below"},
		{"a review nowhere", says(202, `{}`), transport.Unknown, 0, "does not say where"},
		{"busy", says(503, "later", "Retry-After", "2"), transport.Later, 2 * time.Second, "503"},
		{"too many", says(429, "", "Retry-After", "0"), transport.Later, time.Second, "429"},
		{"for more than a day", says(429, "", "Retry-After", "9999999"), transport.Later, 24 * time.Hour, "429"},
		{"busy, who knows how long", says(503, "later"), transport.Unknown, 0, "503"},
		{"too many, who knows how long", says(429, "", "Retry-After", "soon"), transport.Unknown, 0, "429"},
		{"out of order", says(500, "<broken>"), transport.Unknown, 0, "<broken>"},
		{"newer", says(409, "41 came"), transport.Newer, 0, "41 came"},
		{"wrong", says(422, strings.Repeat("x", 5000)), transport.Wrong, 0, "422"},
		{"moved", says(302, "", "Location", web.URL+"/elsewhere"), transport.Wrong, 0, "302"},
		{"cut", func(http.ResponseWriter, *http.Request) { panic(http.ErrAbortHandler) }, transport.Unknown, 0, "cannot be reached"},
	} {
		t.Run(tc.name, func(t *testing.T) {
			answer.Store(tc.answer)
			asked.Store(0)
			r := c.Put(t.Context(), "7-2", []byte("bytes"), intime)
			require.Equal(t, tc.outcome, r.Outcome, r.Problem)
			require.Equal(t, tc.after, r.After)
			require.Contains(t, r.Problem, tc.says)
			require.Less(t, len(r.Problem), 500)
			require.EqualValues(t, 1, asked.Load(), "once: who sends again is decided elsewhere")
		})
	}
	answer.Store(says(503, "", "Retry-After", soon))
	r := c.Put(t.Context(), "7-2", []byte("bytes"), intime)
	require.InDelta(t, 90, r.After.Seconds(), 60, "until a date")
	web.Close()
	require.Equal(t, transport.Unknown, c.Put(t.Context(), "7-2", []byte("bytes"), intime).Outcome)
}

// A kept connection that breaks is an unknown outcome, not a second request by itself.
func TestNothingIsSentTwiceByItself(t *testing.T) {
	var asked atomic.Int32
	web := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		n := asked.Add(1)
		_, _ = io.Copy(io.Discard, r.Body)
		if n == 2 {
			panic(http.ErrAbortHandler)
		}
		_, _ = io.WriteString(w, `{"answers":[]}`)
	}))
	defer web.Close()
	c := &transport.HTTP{Address: web.URL}
	require.Equal(t, transport.Answered, c.Put(t.Context(), "1-1", []byte("x"), intime).Outcome)
	require.Equal(t, transport.Unknown, c.Put(t.Context(), "1-1", []byte("x"), intime).Outcome)
	require.EqualValues(t, 2, asked.Load())
}

// Where a review is told: until it is over, or it is not known.
func TestReviews(t *testing.T) {
	var asked atomic.Int32
	web := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		n := asked.Add(1)
		switch {
		case r.URL.Path != "/in/prices/reviews/7":
			http.NotFound(w, r)
		case n == 1:
			w.Header().Set("Retry-After", "9")
			w.WriteHeader(http.StatusAccepted)
		default:
			_, _ = io.WriteString(w, `{"answers":[{"sku":"A","taken":false,"message":"no"}]}`)
		}
	}))
	defer web.Close()
	c := &transport.HTTP{Address: web.URL + "/in"}
	r := c.Review(t.Context(), "/prices/reviews/7")
	require.Equal(t, []any{transport.Reviewing, 9 * time.Second, "/prices/reviews/7"}, []any{r.Outcome, r.After, r.Review})
	r = c.Review(t.Context(), "/prices/reviews/7")
	require.Equal(t, transport.Answered, r.Outcome)
	require.Equal(t, "no", r.Answers["A"].Message)
	require.Equal(t, transport.Missing, c.Review(t.Context(), "/prices/reviews/8").Outcome)
}

func TestAddresses(t *testing.T) {
	for _, good := range []string{"http://127.0.0.1:9000/x", "https://shop.example", "https://shop.example/a/b/"} {
		require.NoError(t, transport.CheckAddress(good), good)
	}
	for _, bad := range []string{"", "shop.example", "ftp://shop.example", "http://", "file:///etc/passwd", "http://u:p@shop.example",
		"http://shop.example/?x=1", "http://shop.example/#x", "http://%zz"} {
		require.Error(t, transport.CheckAddress(bad), bad)
	}
}

// What a channel shows is read a page after the other.
func TestShown(t *testing.T) {
	web := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		switch after := r.URL.Query().Get("after"); after {
		case "":
			_, _ = io.WriteString(w, `{"lines":[{"sku":"A & <b>","price":"1.00"}],"next":"A & <b>"}`)
		case "A & <b>":
			_, _ = io.WriteString(w, `{"lines":[]}`)
		default:
			http.Error(w, "what is "+after, http.StatusBadRequest)
		}
	}))
	defer web.Close()
	c := &transport.HTTP{Address: web.URL}
	lines, next, err := c.Shown(t.Context(), "")
	require.NoError(t, err)
	require.Equal(t, "A & <b>", next)
	require.Equal(t, "1.00", lines[0].Price)
	_, next, err = c.Shown(t.Context(), next)
	require.NoError(t, err)
	require.Empty(t, next)
	_, _, err = c.Shown(t.Context(), "x")
	require.ErrorContains(t, err, "what is x")
}

// Through a folder files are laid down whole, rules beside them, and an answer is read when it is there.
func TestFolder(t *testing.T) {
	f := &transport.Folder{Path: filepath.Join(t.TempDir(), "a folder & more")}
	line := json.RawMessage(`{"sku":"A","name":"Cup","price":"1.00","currency":"EUR"}`)
	require.NoError(t, f.Lay(7, []json.RawMessage{line}, []string{"B"}, []byte(`{"rules":[]}`)))
	for name, has := range map[string]string{"in/7.csv": "A,Cup,1.00", "in/7.json": `{"rules":[]}`} {
		data, err := os.ReadFile(filepath.Join(f.Path, name))
		require.NoError(t, err)
		require.Contains(t, string(data), has)
	}
	require.Error(t, f.Lay(9, []json.RawMessage{line, json.RawMessage(`{"sku":`)}, nil, []byte(`{"rules":[]}`)))
	left, err := os.ReadDir(filepath.Join(f.Path, "in"))
	require.NoError(t, err)
	require.Len(t, left, 2, "nothing half written")
	answers, err := f.Answers(7)
	require.NoError(t, err)
	require.Nil(t, answers)
	require.NoError(t, os.MkdirAll(filepath.Join(f.Path, "answers"), 0o755))
	lay := func(text string) {
		require.NoError(t, os.WriteFile(filepath.Join(f.Path, "answers", "7.csv"), []byte(text), 0o644))
	}
	lay("sku,answer,message\nA,taken,\n")
	answers, err = f.Answers(7)
	require.NoError(t, err)
	require.True(t, answers["A"].Taken)
	lay("sku,answer\n")
	_, err = f.Answers(7)
	require.Error(t, err)
	require.NoError(t, os.WriteFile(f.Path+".file", nil, 0o644))
	require.ErrorContains(t, (&transport.Folder{Path: f.Path + ".file"}).Lay(8, nil, nil, nil), "reach the channel's folder")
}

// Whatever lies in a folder, nothing outside it is read or written, and nobody waits for a pipe.
func TestHostileFolder(t *testing.T) {
	dir := t.TempDir()
	secret := filepath.Join(dir, "secret")
	f := &transport.Folder{Path: filepath.Join(dir, "till")}
	for _, sub := range []string{"in", "answers"} {
		require.NoError(t, os.MkdirAll(filepath.Join(f.Path, sub), 0o755))
	}
	require.NoError(t, os.WriteFile(secret, []byte("sku,answer,message\nA,taken,\n"), 0o644))
	answer := filepath.Join(f.Path, "answers", "7.csv")
	unread := func(why string) {
		t.Helper()
		answers, err := f.Answers(7)
		require.Error(t, err, why)
		require.Nil(t, answers)
		require.NoError(t, os.Remove(answer))
	}
	require.NoError(t, os.Symlink(secret, answer))
	unread("a link to a file outside")
	require.NoError(t, syscall.Mkfifo(answer, 0o644))
	unread("a pipe into which nobody writes")
	require.NoError(t, os.Mkdir(answer, 0o755))
	unread("a folder")
	big, err := os.Create(answer)
	require.NoError(t, err)
	require.NoError(t, big.Truncate(1<<31))
	require.NoError(t, big.Close())
	unread("a file of nothing that is larger than any answer")

	require.NoError(t, os.Symlink(secret, filepath.Join(f.Path, "in", ".7.csv.part")))
	line := json.RawMessage(`{"sku":"A","name":"Cup","price":"1.00","currency":"EUR"}`)
	require.NoError(t, f.Lay(7, []json.RawMessage{line}, nil, nil))
	kept, err := os.ReadFile(secret)
	require.NoError(t, err)
	require.Equal(t, "sku,answer,message\nA,taken,\n", string(kept))
	require.NoError(t, os.RemoveAll(filepath.Join(f.Path, "in")))
	require.NoError(t, os.Symlink(dir, filepath.Join(f.Path, "in")))
	require.Error(t, f.Lay(8, []json.RawMessage{line}, nil, nil), "in is a link out of the folder")
	require.NoFileExists(t, filepath.Join(dir, "8.csv"))
}

// intime says that nothing is late.
func intime() bool { return false }

// What is late by the time that it would be written is not sent.
func TestWhatIsLateIsNotSent(t *testing.T) {
	arrived := make(chan int64, 1)
	s := httptest.NewServer(http.HandlerFunc(func(_ http.ResponseWriter, r *http.Request) {
		body, err := io.ReadAll(r.Body)
		if err == nil {
			arrived <- int64(len(body))
		}
	}))
	defer s.Close()
	c := &transport.HTTP{Address: s.URL}
	r := c.Put(t.Context(), "1-1", []byte(strings.Repeat("x", 100_000)), func() bool { return true })
	require.Equal(t, transport.Late, r.Outcome)
	pieces := 0
	r = c.Put(t.Context(), "1-1", []byte(strings.Repeat("x", 1_000_000)), func() bool { pieces++; return pieces > 3 })
	require.Equal(t, transport.Late, r.Outcome, "it was while it went out")
	require.Empty(t, arrived)
}
