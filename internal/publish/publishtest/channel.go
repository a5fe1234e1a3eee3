// Package publishtest has a channel of the outside, written by the text of the publication protocol alone, which
// behaves as a test wants it to and notes what the protocol forbids.
package publishtest

import (
	"encoding/json"
	"fmt"
	"io"
	"maps"
	"math/rand/v2"
	"net/http"
	"net/http/httptest"
	"slices"
	"strconv"
	"strings"
	"sync"
	"testing"
	"time"

	"dogbane/internal/publish/telling"
)

// Channel is a channel of the outside. How it behaves is decided for each request.
type Channel struct {
	t      testing.TB
	server *httptest.Server

	mu       sync.Mutex // guards the rest
	Shows    map[string]telling.Line
	later    map[string]laterLine
	Rules    map[string]string
	newest   int64
	bodies   map[string]string // by key
	answers  map[string]string // by key, of parts that were dealt with
	reviews  map[string]string // key → body, of parts that are looked at
	Requests int
	wrongs   []string // what the protocol forbids

	// Behave says what becomes of a request: see the words below.
	Behave func(n int) string
	Refuse func(l telling.Line) string
	// Forgets has it know nothing of what it took in to review.
	Forgets bool
	// Now is its clock, for lines of later; nil: the machine's.
	Now func() time.Time
}

// laterLine is what the channel will show from an instant on; nil: nothing.
type laterLine struct {
	line *telling.Line
	at   time.Time
}

// turn shows what is due. The caller holds mu.
func (c *Channel) turn() {
	now := time.Now()
	if c.Now != nil {
		now = c.Now()
	}
	for sku, l := range c.later {
		if l.at.After(now) {
			continue
		}
		if delete(c.later, sku); l.line == nil {
			delete(c.Shows, sku)
		} else {
			c.Shows[sku] = *l.line
		}
	}
}

// Ways to behave.
const (
	Well      = ""
	Never     = "never"     // no answer, nothing taken
	Cut       = "cut"       // taken, but the connection breaks before the answer
	Broken    = "broken"    // taken, but the answer cannot be read
	Busy      = "busy"      // 503 with Retry-After
	Faulty    = "faulty"    // 500, nothing taken
	Half      = "half"      // half of the lines are answered
	Reviewed  = "reviewed"  // 202, dealt with at the second question
	Strange   = "strange"   // answers of SKUs that nobody sent
	Redirects = "redirects" // 302
	Newer     = "newer"     // 409
	Wrong     = "wrong"     // 422
)

// Open opens a channel that behaves well, until the test ends.
func Open(t testing.TB) *Channel {
	c := &Channel{t: t, Shows: map[string]telling.Line{}, later: map[string]laterLine{}, Rules: map[string]string{},
		bodies: map[string]string{}, answers: map[string]string{}, reviews: map[string]string{}}
	c.server = httptest.NewServer(c)
	t.Cleanup(c.server.Close)
	return c
}

// Address is where it is reached; it wants the token "secret".
func (c *Channel) Address() string { return c.server.URL + "/in" }

func (c *Channel) forbid(format string, args ...any) {
	c.wrongs = append(c.wrongs, fmt.Sprintf(format, args...))
}

func (c *Channel) ServeHTTP(w http.ResponseWriter, r *http.Request) {
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
		if !known || c.Forgets {
			http.Error(w, "no such review", http.StatusNotFound)
			return
		}
		if c.Requests++; c.answers[key] == "" {
			c.take(key, body)
		}
		_, _ = io.WriteString(w, c.answers[key])
	case r.Method == http.MethodGet && r.URL.Path == "/in/prices":
		after := r.URL.Query().Get("after")
		out := map[string]any{}
		lines := []map[string]string{}
		for _, sku := range slices.Sorted(maps.Keys(c.Shows)) {
			if sku <= after {
				continue
			}
			if len(lines) == 2 {
				out["next"] = lines[1]["sku"]
				break
			}
			l := c.Shows[sku]
			lines = append(lines, map[string]string{"sku": sku, "price": l.Price, "reference": l.Reference})
		}
		out["lines"] = lines
		_ = json.NewEncoder(w).Encode(out)
	default:
		c.forbid("%s %s", r.Method, r.URL)
		http.NotFound(w, r)
	}
}

func (c *Channel) put(w http.ResponseWriter, r *http.Request) {
	data, _ := io.ReadAll(r.Body)
	body, key := string(data), r.Header.Get("Idempotency-Key")
	way := Well
	if c.Behave != nil {
		way = c.Behave(c.Requests)
	}
	c.Requests++
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
	case Never:
		panic(http.ErrAbortHandler)
	case Faulty:
		http.Error(w, "<broken>", http.StatusInternalServerError)
		return
	case Busy:
		w.Header().Set("Retry-After", "2")
		http.Error(w, "later", http.StatusServiceUnavailable)
		return
	case Redirects:
		http.Redirect(w, r, c.server.URL+"/elsewhere", http.StatusFound)
		return
	case Newer:
		http.Error(w, "another came", http.StatusConflict)
		return
	case Wrong:
		http.Error(w, "not this", http.StatusUnprocessableEntity)
		return
	case Reviewed:
		c.reviews[key] = body
		w.WriteHeader(http.StatusAccepted)
		_, _ = fmt.Fprintf(w, `{"review":"/prices/reviews/%s"}`, key)
		return
	}
	c.take(key, body)
	switch way {
	case Cut:
		panic(http.ErrAbortHandler)
	case Broken:
		_, _ = io.WriteString(w, `{"answers":`)
	case Half:
		var said struct{ Answers []map[string]any }
		_ = json.Unmarshal([]byte(c.answers[key]), &said)
		_ = json.NewEncoder(w).Encode(map[string]any{"answers": said.Answers[:len(said.Answers)/2]})
	case Strange:
		_, _ = io.WriteString(w, strings.Replace(c.answers[key], `[`, `[{"sku":"NOBODY'S","taken":true},`, 1))
	default:
		_, _ = io.WriteString(w, c.answers[key])
	}
}

// take deals with a part: the same key again changes nothing.
func (c *Channel) take(key, body string) {
	if c.answers[key] != "" {
		return
	}
	c.turn()
	var m struct {
		Effective string
		Lines     []telling.Line
		Remove    []string
		Rules     []json.RawMessage
		Withdraw  []string
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
		if c.Refuse != nil {
			why = c.Refuse(l)
		}
		switch at, err := time.Parse(time.RFC3339, m.Effective); {
		case why != "":
		case m.Effective != "" && err == nil:
			c.later[l.SKU] = laterLine{&l, at}
		default:
			c.Shows[l.SKU] = l
			delete(c.later, l.SKU)
		}
		answers = append(answers, map[string]any{"sku": l.SKU, "taken": why == "", "message": why})
	}
	for _, sku := range m.Remove {
		if at, err := time.Parse(time.RFC3339, m.Effective); err == nil {
			c.later[sku] = laterLine{nil, at}
		} else {
			delete(c.Shows, sku)
			delete(c.later, sku)
		}
		answers = append(answers, map[string]any{"sku": sku, "taken": true})
	}
	for _, doc := range m.Rules {
		var head struct{ Code string }
		_ = json.Unmarshal(doc, &head)
		c.Rules[head.Code] = string(doc)
	}
	for _, code := range m.Withdraw {
		delete(c.Rules, code)
	}
	data, _ := json.Marshal(map[string]any{"answers": answers})
	c.answers[key] = string(data)
}

// Prices are what the channel shows, by SKU.
func (c *Channel) Prices() map[string]string {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.turn()
	out := map[string]string{}
	for sku, l := range c.Shows {
		out[sku] = l.Price
	}
	return out
}

// Check fails where the protocol was broken.
func (c *Channel) Check(t testing.TB) {
	c.mu.Lock()
	defer c.mu.Unlock()
	if len(c.wrongs) > 0 {
		t.Fatalf("the protocol was broken: %v", c.wrongs)
	}
}

// Manner has the channel behave otherwise.
func (c *Channel) Manner(behave func(n int) string) {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.Behave = behave
}

// BySeed behaves at random, the same for the same seed.
func BySeed(seed uint64, ways ...string) func(int) string {
	rng := rand.New(rand.NewPCG(seed, 99))
	return func(int) string { return ways[rng.IntN(len(ways))] }
}

// Asked is how often the channel was asked for anything.
func (c *Channel) Asked() int {
	c.mu.Lock()
	defer c.mu.Unlock()
	return c.Requests
}

// Change has the channel change a price by itself.
func (c *Channel) Change(sku, price string) {
	c.mu.Lock()
	defer c.mu.Unlock()
	l := c.Shows[sku]
	l.SKU, l.Price = sku, price
	c.Shows[sku] = l
}

// Do does something while the channel answers nothing.
func (c *Channel) Do(something func()) {
	c.mu.Lock()
	defer c.mu.Unlock()
	something()
}

// Line is what the channel shows of a product.
func (c *Channel) Line(sku string) telling.Line {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.turn()
	return c.Shows[sku]
}

// Rule is a rule that the channel was told; "": it knows none.
func (c *Channel) Rule(code string) string {
	c.mu.Lock()
	defer c.mu.Unlock()
	return c.Rules[code]
}
