package server_test

import (
	"bytes"
	"context"
	"crypto/rand"
	"encoding/json"
	"fmt"
	"io"
	"log/slog"
	"net/http"
	"net/http/cookiejar"
	"net/http/httptest"
	"strings"
	"testing"
	"testing/fstest"
	"time"
	_ "time/tzdata"

	"github.com/stretchr/testify/require"

	"dogbane/internal/book"
	"dogbane/internal/checks"
	"dogbane/internal/clock"
	"dogbane/internal/demo"
	"dogbane/internal/jobs"
	"dogbane/internal/mail"
	"dogbane/internal/pricing"
	"dogbane/internal/publish"
	"dogbane/internal/publish/sending"
	"dogbane/internal/publish/timing"
	"dogbane/internal/server"
	"dogbane/internal/store"
	"dogbane/internal/store/storetest"
)

func TestMain(m *testing.M) {
	slog.SetDefault(slog.New(slog.DiscardHandler))
	storetest.Main(m)
}

// present is the demo's own.
var present = time.Date(2026, 11, 26, 8, 0, 0, 0, time.UTC)

// api is a server on a real database with somebody signed in.
type api struct {
	t      *testing.T
	url    string
	client *http.Client
	store  *store.Store
}

// working is a server of a live book that works until the test ends. Its book has the demo's present.
func working(t testing.TB, s *store.Store, live *book.Live) *server.Server {
	ctx, stop := context.WithCancel(context.Background())
	program := idle(ctx, s, live)
	ended := make(chan struct{})
	go func() { defer close(ended); program.Work(ctx) }()
	t.Cleanup(func() { stop(); <-ended })
	return program
}

// idle is a server that only answers: nothing is counted or looked for beside. Its book stays at the demo's present.
func idle(ctx context.Context, s *store.Store, live *book.Live) *server.Server {
	return idleBy(ctx, s, live, clock.Clocks{Book: func() time.Time { return present }, Machine: time.Now})
}

// idleBy is one by other clocks.
func idleBy(ctx context.Context, s *store.Store, live *book.Live, clocks clock.Clocks) *server.Server {
	now := clocks.Book
	sender := &sending.Sender{Keeper: s, Owner: rand.Text(), Book: now, Machine: time.Now, Lease: 3 * time.Second,
		Instant: func(p *publish.Publication) string { return p.At.String() }, Wait: sending.Sleep}
	desk := publish.NewDesk(s, now, server.BrokenPrices(s), sender.Wake)
	sender.Told = desk.Turned
	return server.New(server.Parts{Store: s, Live: live, Clocks: clocks, Sender: sender,
		Desk: desk, Comparer: &sending.Comparer{Keeper: s, Now: now},
		Schedule: &timing.Schedule{Desk: desk, Keeper: s, Book: live.Current, Now: now, Wake: sender.Wake}, Jobs: jobs.NewShelf(ctx),
		Mail: mail.NewSender("shop@marram.example")})
}

func started(t *testing.T, role store.Role) *api {
	t.Helper()
	return startedWith(t, role, demo.Book(0))
}

func startedWith(t *testing.T, role store.Role, whole *pricing.Book) *api {
	t.Helper()
	s := storetest.Open(t)
	require.NoError(t, s.Create(t.Context(), whole, "test", present))
	require.NoError(t, s.AddPerson(t.Context(), store.Person{Name: "me", FullName: "Me", Role: role, Active: true,
		Password: store.HashPassword("a long password"), Created: present}))
	live, err := book.OpenLive(context.Background(), s, checks.Guard(s))
	require.NoError(t, err)
	web := fstest.MapFS{"index.html": {Data: []byte("<!doctype html>")}}
	program := working(t, s, live)
	http1 := httptest.NewServer(program.Handler(web))
	t.Cleanup(http1.Close)
	jar, err := cookiejar.New(nil)
	require.NoError(t, err)
	a := &api{t, http1.URL, &http.Client{Jar: jar}, s}
	a.do("POST", "/api/session", map[string]string{"name": "me", "password": "a long password"}, 200, nil)
	return a
}

// do sends a request, demands a status and reads the answer.
func (a *api) do(method, path string, body any, status int, into any, headers ...string) {
	a.t.Helper()
	var data []byte
	if body != nil {
		var err error
		data, err = json.Marshal(body)
		require.NoError(a.t, err)
	}
	req, err := http.NewRequestWithContext(a.t.Context(), method, a.url+path, bytes.NewReader(data))
	require.NoError(a.t, err)
	req.Header.Set("Content-Type", "application/json")
	for i := 0; i+1 < len(headers); i += 2 {
		req.Header.Set(headers[i], headers[i+1])
	}
	a.send(req, status, into)
}

func (a *api) send(req *http.Request, status int, into any) {
	a.t.Helper()
	resp, err := a.client.Do(req)
	require.NoError(a.t, err)
	defer resp.Body.Close()
	text, err := io.ReadAll(resp.Body)
	require.NoError(a.t, err)
	require.Equal(a.t, status, resp.StatusCode, string(text))
	if status >= 400 {
		require.Equal(a.t, "application/problem+json", resp.Header.Get("Content-Type"), "errors are problem documents")
	}
	if into != nil {
		require.NoError(a.t, json.Unmarshal(text, into), string(text))
	}
}

type problem struct {
	Detail string
	Errors []struct{ Location, Message string }
}

type board struct {
	Total int
	Rows  []struct {
		SKU           string
		Price, Change *string
		Margin        *string
		Flags         []string
		Spread        []*string
	}
	Columns []struct{ Key string }
}

func (b *board) price(sku string) string {
	for _, r := range b.Rows {
		if r.SKU == sku && r.Price != nil {
			return *r.Price
		}
	}
	return ""
}

func TestBoardSortsFiltersAndSpreads(t *testing.T) {
	a := started(t, store.Reader)
	var b board
	a.do("GET", "/api/board?channel=web&sort=price&desc=true&limit=5", nil, 200, &b)
	require.Equal(t, 368, b.Total)
	require.Equal(t, "KILN-EL-150", b.Rows[0].SKU)
	a.do("GET", "/api/board?channel=web&show=below-cost", nil, 200, &b)
	require.Equal(t, 2, b.Total)
	a.do("GET", "/api/board?channel=web&margin=:0", nil, 200, &b)
	require.Equal(t, 2, b.Total, "a margin under 0 is what below cost means")
	a.do("GET", "/api/board?channel=web&rule=KILN-AUTUMN", nil, 200, &b)
	require.Equal(t, 5, b.Total)
	a.do("GET", "/api/board?channel=web&q=KILN-EL-42&spread=quantity", nil, 200, &b)
	require.Greater(t, len(b.Columns), 4)
	require.Len(t, b.Rows[0].Spread, len(b.Columns))
	a.do("GET", "/api/board?channel=web&q=KILN-EL-42&against=list", nil, 200, &b)
	require.Equal(t, "-170.05", *b.Rows[0].Change)
	var p problem
	a.do("GET", "/api/board?channel=moon", nil, 422, &p)
	require.Equal(t, "channel", p.Errors[0].Location)
	a.do("GET", "/api/board?channel=web&who=nobody", nil, 422, &p)
	require.Equal(t, "who", p.Errors[0].Location)
	a.do("GET", "/api/board?channel=web&margin=five", nil, 422, &p)
	a.do("GET", "/api/board?at=2026-04-31T00:00", nil, 422, &p)
	require.Contains(t, p.Detail, "does not exist")
}

// The impact of an unsaved rule is what the board shows once it is saved.
func TestImpactIsWhatSavingDoes(t *testing.T) {
	a := started(t, store.Manager)
	rule := map[string]any{"code": "BATS", "layer": "sale", "rank": 50, "where": map[string]any{"category": "Wheels/Bats"},
		"effect": map[string]any{"percentOff": "50"}}
	var impact struct {
		Reach, Applies, Moved, Down, Below, NewBelow int
		Movers                                       []struct{ SKU, After string }
		Example                                      struct{ Before, Raw, After string }
	}
	a.do("POST", "/api/impact?channel=web", rule, 200, &impact)
	require.Equal(t, 2, impact.Reach)
	require.Equal(t, 2, impact.Moved)
	require.Equal(t, 2, impact.Down)
	require.Equal(t, "7.25", impact.Example.Raw)
	var before board
	a.do("GET", "/api/board?channel=web&category=Wheels/Bats", nil, 200, &before)
	require.Equal(t, "14.50", before.price("BAT-30"), "nothing was saved")
	a.do("POST", "/api/rules", rule, 200, nil)
	var after board
	a.do("GET", "/api/board?channel=web&category=Wheels/Bats", nil, 200, &after)
	for _, m := range impact.Movers {
		require.Equal(t, m.After, after.price(m.SKU))
	}
	require.Equal(t, impact.Below, strings.Count(fmt.Sprint(after.Rows), "below-cost"))
}

func TestRulesAreNotLostSilently(t *testing.T) {
	a := started(t, store.Manager)
	var rules struct {
		Rules []struct {
			Rule map[string]any
			ETag string
		}
	}
	a.do("GET", "/api/rules", nil, 200, &rules)
	one := rules.Rules[0]
	path := "/api/rules/" + one.Rule["code"].(string)
	one.Rule["name"] = "Mine"
	a.do("PUT", path, one.Rule, 428, nil)
	a.do("PUT", path, one.Rule, 200, nil, "If-Match", one.ETag)
	one.Rule["name"] = "Theirs"
	var stale struct{ Now map[string]any }
	a.do("PUT", path, one.Rule, 412, &stale, "If-Match", one.ETag)
	require.Equal(t, "Mine", stale.Now["name"])
	one.Rule["effect"] = map[string]any{"percentOff": "120"}
	var p problem
	a.do("PUT", path, one.Rule, 422, &p, "If-Match", one.ETag)
	require.Equal(t, "effect.percentOff", p.Errors[0].Location)
}

// The log says who changed what, and, once counted, how many prices it moved; undo takes it back.
func TestLogCountsAndUndoes(t *testing.T) {
	a := started(t, store.Manager)
	a.do("PATCH", "/api/products/PLINTH-64", map[string]string{"list": "70.00", "was": "64.00"}, 200, nil)
	a.do("PATCH", "/api/products/PLINTH-64", map[string]string{"list": "71.00", "was": "64.00"}, 412, nil)
	var log struct {
		Entries []struct {
			ID           int64
			Who, Summary string
			Moved        *int
		}
	}
	require.Eventually(t, func() bool {
		a.do("GET", "/api/log", nil, 200, &log)
		return log.Entries[0].Moved != nil
	}, 10*time.Second, 20*time.Millisecond)
	require.Equal(t, "me", log.Entries[0].Who)
	require.Equal(t, 6, *log.Entries[0].Moved, "one price in each channel")
	var detail struct {
		Changes []struct{ Kind, Code, Before, After string }
	}
	a.do("GET", fmt.Sprintf("/api/log/%d", log.Entries[0].ID), nil, 200, &detail)
	require.Contains(t, detail.Changes[0].Before, `"64.00"`)
	require.Contains(t, detail.Changes[0].After, `"70.00"`)
	a.do("POST", fmt.Sprintf("/api/log/%d/undo", log.Entries[0].ID), nil, 200, nil)
	var b board
	a.do("GET", "/api/board?channel=web&q=PLINTH-64", nil, 200, &b)
	require.Equal(t, "64.00", b.price("PLINTH-64"))
}

// A file is imported whole or not at all.
func TestImportIsAllOrNothing(t *testing.T) {
	a := started(t, store.Manager)
	upload := func(content string) preview { return a.upload("products", "goods.csv", []byte(content)) }
	bad := upload("sku,list\nFRESH-1,5.00\nFRESH-2,five\n")
	require.Equal(t, 1, bad.BadCount)
	a.do("POST", "/api/imports/"+bad.Token+"/import", map[string]any{"mapping": bad.Mapping}, 422, nil)
	var b board
	a.do("GET", "/api/board?q=FRESH-1", nil, 200, &b)
	require.Zero(t, b.Total)
	good := upload("sku,list\nFRESH-1,5.00\nFRESH-2,6.00\n")
	require.Equal(t, "done", a.keep(good).State)
	a.do("GET", "/api/board?q=FRESH-1", nil, 200, &b)
	require.Equal(t, "5.00", b.price("FRESH-1"))
	again := upload("sku,list\nFRESH-1,5.00\nFRESH-2,6.00\n")
	require.Zero(t, again.New)
	require.Equal(t, 2, again.Unchanged)
	a.do("POST", "/api/imports/"+good.Token+"/import", map[string]any{"mapping": good.Mapping}, 410, nil)
}

// Items say where they are used, and the layers what another order would move.
func TestItems(t *testing.T) {
	a := started(t, store.Manager)
	var list struct {
		Items []struct {
			Code, ETag string
			Uses       []string
		}
	}
	a.do("GET", "/api/items/ladders", nil, 200, &list)
	require.Equal(t, "by-the-box", list.Items[0].Code)
	require.Equal(t, []string{"GLAZE-BOX"}, list.Items[0].Uses)
	var preview struct {
		Errors []any
		Prices []struct{ Moved int }
	}
	layers := func(names ...string) map[string]any {
		var out []any
		for _, n := range names {
			out = append(out, map[string]string{"layer": n, "mode": "lowest"})
		}
		return map[string]any{"layers": out}
	}
	a.do("POST", "/api/stack/preview", layers("promotion", "catalog", "sale", "tier", "group"), 200, &preview)
	require.NotEmpty(t, preview.Errors)
	a.do("PUT", "/api/stack", layers("promotion", "catalog", "sale", "tier", "group"), 422, nil)
}

func TestStrangeRequests(t *testing.T) {
	a := started(t, store.Manager)
	a.do("GET", "/api/nowhere", nil, 404, nil)
	a.do("DELETE", "/api/board", nil, 405, nil)
	a.do("POST", "/api/rules-batch", map[string]any{"codes": []string{"NONE"}, "do": "on"}, 422, nil)
	a.do("POST", "/api/rules-batch", map[string]any{"codes": []string{"GLAZE-WEEK"}, "do": "explode"}, 422, nil)
	a.do("POST", "/api/bulk", map[string]any{"field": "list", "how": "percentOff", "value": "120"}, 422, nil)
	req, err := http.NewRequestWithContext(t.Context(), "GET", a.url+"/api/board", nil)
	require.NoError(t, err)
	req.Host = "rebound.example"
	a.send(req, 403, nil)
}
