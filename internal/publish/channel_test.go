package publish_test

import (
	"encoding/json"
	"fmt"
	"io"
	"maps"
	"net/http"
	"net/http/httptest"
	"slices"
	"strconv"
	"strings"
	"sync"
	"testing"

	"dogbane/internal/publish"
)

// channel is one of the outside, written by the protocol's text alone. How it behaves is decided for each request.
type channel struct {
	t      testing.TB
	server *httptest.Server

	mu       sync.Mutex
	shows    map[string]publish.Line
	rules    map[string]string
	newest   int64
	bodies   map[string]string // by key
	answers  map[string]string // by key, of parts that were dealt with
	reviews  map[string]string // key → body, of parts that are looked at
	requests int
	wrongs   []string // what the protocol forbids

	// behave says what becomes of a request: see the words below.
	behave func(n int) string
	refuse func(l publish.Line) string
}

// Ways to behave.
const (
	well      = ""
	never     = "never"     // no answer, nothing taken
	cut       = "cut"       // taken, but the connection breaks before the answer
	broken    = "broken"    // taken, but the answer cannot be read
	busy      = "busy"      // 503 with Retry-After
	faulty    = "faulty"    // 500, nothing taken
	half      = "half"      // half of the lines are answered
	reviewed  = "reviewed"  // 202, dealt with at the second question
	strange   = "strange"   // answers of SKUs that nobody sent
	redirects = "redirects" // 302
	newer     = "newer"     // 409
	wrong     = "wrong"     // 422
)

func openChannel(t testing.TB) *channel {
	c := &channel{t: t, shows: map[string]publish.Line{}, rules: map[string]string{}, bodies: map[string]string{},
		answers: map[string]string{}, reviews: map[string]string{}}
	c.server = httptest.NewServer(c)
	t.Cleanup(c.server.Close)
	return c
}

func (c *channel) address() string { return c.server.URL + "/in" }

func (c *channel) forbid(format string, args ...any) {
	c.wrongs = append(c.wrongs, fmt.Sprintf(format, args...))
}

func (c *channel) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	c.mu.Lock()
	defer c.mu.Unlock()
	if r.Header.Get("Authorization") != "Bearer secret" {
		http.Error(w, "who?", http.StatusUnauthorized)
		return
	}
	switch {
	case r.Method == http.MethodPut && r.URL.Path == "/in/prices":
		c.put(w, r)
	case r.Method == http.MethodGet && strings.HasPrefix(r.URL.Path, "/in/prices/reviews/"):
		key := strings.TrimPrefix(r.URL.Path, "/in/prices/reviews/")
		body, known := c.reviews[key]
		if !known {
			http.Error(w, "no such review", http.StatusNotFound)
			return
		}
		if c.requests++; c.answers[key] == "" {
			c.take(key, body)
		}
		_, _ = io.WriteString(w, c.answers[key])
	case r.Method == http.MethodGet && r.URL.Path == "/in/prices":
		after := r.URL.Query().Get("after")
		out := map[string]any{}
		lines := []map[string]string{}
		for _, sku := range slices.Sorted(maps.Keys(c.shows)) {
			if sku <= after {
				continue
			}
			if len(lines) == 2 {
				out["next"] = lines[1]["sku"]
				break
			}
			lines = append(lines, map[string]string{"sku": sku, "price": c.shows[sku].Price, "reference": c.shows[sku].Reference})
		}
		out["lines"] = lines
		_ = json.NewEncoder(w).Encode(out)
	default:
		c.forbid("%s %s", r.Method, r.URL)
		http.NotFound(w, r)
	}
}

func (c *channel) put(w http.ResponseWriter, r *http.Request) {
	data, _ := io.ReadAll(r.Body)
	body, key := string(data), r.Header.Get("Idempotency-Key")
	way := well
	if c.behave != nil {
		way = c.behave(c.requests)
	}
	c.requests++
	if was, known := c.bodies[key]; known && was != body {
		c.forbid("the key %s carries other bytes than before", key)
	}
	c.bodies[key] = body
	publication, err := strconv.ParseInt(key[:strings.IndexByte(key, '-')], 10, 64)
	if err != nil {
		c.forbid("the key %s names no publication", key)
	}
	if publication < c.newest {
		c.forbid("publication %d came after %d", publication, c.newest)
	}
	c.newest = max(c.newest, publication)
	switch way {
	case never:
		panic(http.ErrAbortHandler)
	case faulty:
		http.Error(w, "<broken>", http.StatusInternalServerError)
		return
	case busy:
		w.Header().Set("Retry-After", "2")
		http.Error(w, "later", http.StatusServiceUnavailable)
		return
	case redirects:
		http.Redirect(w, r, c.server.URL+"/elsewhere", http.StatusFound)
		return
	case newer:
		http.Error(w, "another came", http.StatusConflict)
		return
	case wrong:
		http.Error(w, "not this", http.StatusUnprocessableEntity)
		return
	case reviewed:
		c.reviews[key] = body
		w.WriteHeader(http.StatusAccepted)
		_, _ = fmt.Fprintf(w, `{"review":"/prices/reviews/%s"}`, key)
		return
	}
	c.take(key, body)
	switch way {
	case cut:
		panic(http.ErrAbortHandler)
	case broken:
		_, _ = io.WriteString(w, `{"answers":`)
	case half:
		var said struct{ Answers []map[string]any }
		_ = json.Unmarshal([]byte(c.answers[key]), &said)
		_ = json.NewEncoder(w).Encode(map[string]any{"answers": said.Answers[:len(said.Answers)/2]})
	case strange:
		_, _ = io.WriteString(w, strings.Replace(c.answers[key], `[`, `[{"sku":"NOBODY'S","taken":true},`, 1))
	default:
		_, _ = io.WriteString(w, c.answers[key])
	}
}

// take deals with a part: the same key again changes nothing.
func (c *channel) take(key, body string) {
	if c.answers[key] != "" {
		return
	}
	var m struct {
		Lines    []publish.Line
		Remove   []string
		Rules    []json.RawMessage
		Withdraw []string
	}
	if err := json.Unmarshal([]byte(body), &m); err != nil {
		c.forbid("a part that cannot be read: %v", err)
	}
	if n := len(m.Lines) + len(m.Remove); n > 1000 {
		c.forbid("a part of %d", n)
	}
	answers := []map[string]any{}
	for _, l := range m.Lines {
		why := ""
		if c.refuse != nil {
			why = c.refuse(l)
		}
		if why == "" {
			c.shows[l.SKU] = l
		}
		answers = append(answers, map[string]any{"sku": l.SKU, "taken": why == "", "message": why})
	}
	for _, sku := range m.Remove {
		delete(c.shows, sku)
		answers = append(answers, map[string]any{"sku": sku, "taken": true})
	}
	for _, doc := range m.Rules {
		var head struct{ Code string }
		_ = json.Unmarshal(doc, &head)
		c.rules[head.Code] = string(doc)
	}
	for _, code := range m.Withdraw {
		delete(c.rules, code)
	}
	data, _ := json.Marshal(map[string]any{"answers": answers})
	c.answers[key] = string(data)
}

// prices are what the channel shows, by SKU.
func (c *channel) prices() map[string]string {
	c.mu.Lock()
	defer c.mu.Unlock()
	out := map[string]string{}
	for sku, l := range c.shows {
		out[sku] = l.Price
	}
	return out
}

func (c *channel) check(t testing.TB) {
	c.mu.Lock()
	defer c.mu.Unlock()
	if len(c.wrongs) > 0 {
		t.Fatalf("the protocol was broken: %v", c.wrongs)
	}
}
