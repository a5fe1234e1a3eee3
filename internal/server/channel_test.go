package server_test

import (
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"testing/fstest"
	"time"

	"github.com/stretchr/testify/require"

	"dogbane/internal/book"
	"dogbane/internal/checks"
	"dogbane/internal/clock"
	"dogbane/internal/demo"
	"dogbane/internal/publish"
	"dogbane/internal/store"
	"dogbane/internal/store/storetest"
)

type quoted struct {
	Total    string
	Off      string
	Offers   []struct{ Rule, Code string }
	Problems []struct{ Path, Problem string }
}

// key makes a key of a channel and returns the header that shows it.
func (a *api) key(channel string, rights ...string) []string {
	a.t.Helper()
	var made struct {
		ID  int64
		Key string
	}
	a.do("POST", "/api/channels/"+channel+"/keys", map[string]any{"name": "the till & <co>", "rights": rights}, 201, &made)
	require.NotEmpty(a.t, made.Key)
	return []string{"Authorization", "Bearer " + made.Key}
}

type object = map[string]any

func goods(lines ...object) object { return object{"lines": lines} }

// A key asks for its own channel and what it may; whatever is wrong with it is said, and it ends when it is revoked.
func TestKeys(t *testing.T) {
	a := started(t, store.Administrator)
	a.open("web")
	bat := goods(object{"sku": "BAT-30", "quantity": 2})
	key := a.key("web")
	var q quoted
	a.do("POST", "/channel/web/quote", bat, 200, &q, key...)
	require.Equal(t, "29.00", q.Total)
	a.do("POST", "/channel/web/quote?key="+key[1][len("Bearer "):], bat, 200, &q)
	for _, wrong := range [][]string{nil, {"Authorization", "Bearer nonsense"}, {"Authorization", "Basic x"}} {
		var p problem
		a.do("POST", "/channel/web/quote", bat, 401, &p, wrong...)
		require.NotEmpty(t, p.Detail)
	}
	a.do("POST", "/channel/quay/quote", bat, 401, nil, key...)
	a.do("POST", "/channel/nowhere/quote", bat, 401, nil, key...)
	a.do("POST", "/channel/web/redemptions", object{"key": "1", "rule": "STARTER"}, 403, nil, a.key("web", "quote")...)
	a.do("POST", "/channel/web/quote", object{"customer": "C-01", "lines": []object{}}, 403, nil, key...)
	a.do("POST", "/api/channels/nowhere/keys", object{"name": "x"}, 404, nil)
	a.do("POST", "/api/channels/web/keys", object{"name": " "}, 422, nil)
	a.do("POST", "/api/channels/web/keys", object{"name": "x", "rights": []string{"all"}}, 422, nil)
	var list struct {
		Keys []struct {
			ID                 int64
			Rights             []string
			LastUsed, Revoked  string
			Name, Key, Hash, T string
		}
	}
	a.do("GET", "/api/channels/web/keys", nil, 200, &list)
	require.Len(t, list.Keys, 2)
	require.Equal(t, []string{"feed", "quote", "redeem"}, list.Keys[1].Rights)
	require.NotEmpty(t, list.Keys[1].LastUsed)
	require.Empty(t, list.Keys[1].Key+list.Keys[1].Hash, "a key is shown once")
	for range 2 {
		a.do("DELETE", "/api/channels/web/keys/1", nil, 204, nil)
	}
	a.do("DELETE", "/api/channels/quay/keys/2", nil, 404, nil)
	a.do("POST", "/channel/web/quote", bat, 401, nil, key...)
}

// One key may ask a thousand times a second, whoever else asks; one that asks without end is told when to come back, and
// no other waits for it. Time is the test's.
func TestOneKeyAsksWithoutEnd(t *testing.T) {
	s := storetest.Open(t)
	require.NoError(t, s.Create(t.Context(), demo.Book(0), "test", present))
	live, err := book.OpenLive(t.Context(), s, checks.Guard(s))
	require.NoError(t, err)
	now := present
	clocks := clock.Clocks{Book: func() time.Time { return present }, Machine: func() time.Time { return now }}
	idle := idleBy(t.Context(), s, live, clocks)
	require.NoError(t, s.SetLink(t.Context(), publish.Link{Channel: "web", Kind: "feed", Sends: "by-hand", Approval: "none"}))
	wholly(t, idle, publish.Wish{})
	program := idle.Handler(fstest.MapFS{})
	key := func() string {
		text, err := s.MakeKey(t.Context(), &store.ChannelKey{Channel: "web", Name: "x", Rights: []string{"quote", "redeem"}, At: now})
		require.NoError(t, err)
		return text
	}
	ask := func(key, method, path, body string) *httptest.ResponseRecorder {
		r := httptest.NewRequestWithContext(t.Context(), method, "http://127.0.0.1"+path, strings.NewReader(body))
		r.Header.Set("Authorization", "Bearer "+key)
		r.Header.Set("Content-Type", "application/json")
		w := httptest.NewRecorder()
		program.ServeHTTP(w, r)
		return w
	}
	quote := func(key string) *httptest.ResponseRecorder {
		return ask(key, "POST", "/channel/web/quote", `{"lines":[{"sku":"BAT-30","quantity":1}]}`)
	}
	busy, calm := key(), key()
	served := 0
	for quote(busy).Code == http.StatusOK {
		served++
		require.LessOrEqual(t, served, 10_000, "it has an end")
	}
	require.GreaterOrEqual(t, served, 1000)
	for range 3 * served / 2 { // what is refused does not count
		require.Equal(t, http.StatusTooManyRequests, quote(busy).Code)
	}
	refused := quote(busy)
	require.Equal(t, "application/problem+json", refused.Header().Get("Content-Type"))
	require.Equal(t, "1", refused.Header().Get("Retry-After"))
	require.Contains(t, refused.Body.String(), "too often")
	require.Equal(t, http.StatusOK, quote(calm).Code)
	require.Equal(t, http.StatusNotFound, ask(busy, "DELETE", "/channel/web/redemptions/none", "").Code, "uses are counted apart")
	for range 2000 {
		now = now.Add(time.Millisecond)
		require.Equal(t, http.StatusOK, quote(busy).Code, "a thousand in a second")
	}
}

// What a channel asks is answered as the core does; nothing but what is asked decides, and what is wrong has its path.
func TestQuotes(t *testing.T) {
	a := started(t, store.Administrator)
	a.open("web")
	key := a.key("web", "quote", "customers")
	var q quoted
	three := object{"sku": "UG-01-J2", "quantity": 3}
	a.do("POST", "/channel/web/quote", goods(three), 200, &q, key...)
	require.Equal(t, "UNDERGLAZE-THREE", q.Offers[0].Rule)
	require.Equal(t, "39.20", q.Total)
	// what it costs the store is told to nobody, however it is asked
	_, text := a.raw("POST", "/channel/web/quote?key="+key[1][len("Bearer "):],
		[]byte(`{"lines":[{"sku":"SET-OXIDE","quantity":2}],"explain":true}`))
	require.Contains(t, string(text), `"steps"`)
	for _, telling := range []string{`"cost":`, `"left":`, `"share":`, `"lowest":`, `"fee":`} {
		require.NotContains(t, string(text), telling)
	}
	// a code, written as it is; how often it was used is not taken from the question
	with := func(code string) object {
		return object{"lines": []object{{"sku": "APRON-SPLIT", "quantity": 1}}, "codes": []string{code}, "customer": "C-09",
			"used": object{"MEMBER-CODE": object{"codes": object{"WET-CLAY": object{"total": 999}}}}}
	}
	a.do("POST", "/channel/web/quote", with("WET-CLAY"), 200, &q, key...)
	require.Equal(t, "WET-CLAY", q.Offers[0].Code)
	require.Equal(t, "50.14", q.Total)
	for _, code := range []string{"wet-clay", " WET-CLAY", "🎁"} {
		var other quoted
		a.do("POST", "/channel/web/quote", with(code), 200, &other, key...)
		require.Equal(t, "54.50", other.Total)
		require.Equal(t, "codes[0]", other.Problems[0].Path)
	}
	for path, doc := range map[string]object{
		"lines[0].quantity": goods(object{"sku": "BAT-30", "quantity": 0}),
		"lines[1].quantity": goods(three, object{"sku": "BAT-30", "quantity": -1}),
		"lines[0].hire.to": goods(object{"sku": "HIRE-WHEEL", "hire": object{"from": "2026-12-02T10:00",
			"to": "2026-12-01T10:00"}}),
		"channel":    {"lines": []object{}, "channel": "quay"},
		"at":         {"lines": []object{}, "at": "2026-12-01T10:00"},
		"with":       {"lines": []object{}, "with": []string{"JAN-STUDIO"}},
		"lines":      {},
		"customer":   {"lines": []object{}, "customer": "nobody"},
		"lines[0].x": goods(object{"sku": "BAT-30", "x": 1}),
	} {
		var p problem
		a.do("POST", "/channel/web/quote", doc, 422, &p, key...)
		require.Equal(t, path, p.Errors[0].Location)
	}
	many := make([]object, 1001)
	for i := range many {
		many[i] = object{"sku": "BAT-30"}
	}
	a.do("POST", "/channel/web/quote", goods(many...), 422, nil, key...)
	a.do("POST", "/channel/web/quote", goods(object{"sku": "BAT-30", "quantity": 1_000_000_000}), 422, nil, key...)
	a.do("POST", "/channel/web/quote", goods(object{"sku": "GONE & <away>"}), 200, &q, key...)
	require.Equal(t, "lines[0].sku", q.Problems[0].Path)
}

// A use counts once by its key, is refused when it is used up, and can be given back.
func TestRedemptions(t *testing.T) {
	a := started(t, store.Administrator)
	a.open("web")
	key := a.key("web", "quote", "redeem", "customers")
	var made struct{ Added int }
	a.do("POST", "/api/codes/FAIR-VOUCHER", object{"text": "code\r\nFAIR-TWIX\r\nFAIR-7777\r\n"}, 200, &made)
	require.Equal(t, 2, made.Added)
	use := object{"key": "sale 1 / <till>", "rule": "FAIR-VOUCHER", "code": "FAIR-TWIX"}
	var first, again struct {
		Key          string
		Applications int
	}
	a.do("POST", "/channel/web/redemptions", use, 201, &first, key...)
	a.do("POST", "/channel/web/redemptions", use, 200, &again, key...)
	require.Equal(t, first, again)
	a.do("POST", "/channel/web/redemptions", object{"key": "sale 1 / <till>", "rule": "FAIR-VOUCHER", "code": "FAIR-7777"}, 409,
		nil, key...)
	a.do("POST", "/channel/web/redemptions", object{"key": "sale 2", "rule": "FAIR-VOUCHER", "code": "FAIR-TWIX"}, 409, nil,
		key...)
	a.do("DELETE", "/api/codes/FAIR-VOUCHER", object{"words": []string{"FAIR-TWIX"}}, 200, nil)
	a.do("POST", "/channel/web/redemptions", use, 200, &again, key...)
	require.Equal(t, first, again, "what was counted stays counted, whatever became of the code")
	a.do("POST", "/api/codes/FAIR-VOUCHER", object{"text": "FAIR-TWIX"}, 200, nil)
	var q quoted
	sixty := object{"lines": []object{{"sku": "PLINTH-64", "quantity": 1}}, "codes": []string{"FAIR-TWIX"}}
	a.do("POST", "/channel/web/quote", sixty, 200, &q, key...)
	require.Equal(t, "64.00", q.Total, "a used voucher opens nothing")
	a.do("DELETE", "/channel/web/redemptions/"+"sale%201%20%2F%20%3Ctill%3E", nil, 204, nil, key...)
	a.do("POST", "/channel/web/quote", sixty, 200, &q, key...)
	require.Equal(t, "54.00", q.Total)
	for path, form := range map[string]object{
		"key":  {"rule": "FAIR-VOUCHER", "code": "FAIR-7777"},
		"rule": {"key": "3", "rule": "GLAZE-WEEK"},
		"code": {"key": "3", "rule": "FAIR-VOUCHER", "code": "fair-7777"},
	} {
		var p problem
		a.do("POST", "/channel/web/redemptions", form, 422, &p, key...)
		require.Equal(t, path, p.Errors[0].Location)
	}
	a.do("DELETE", "/channel/web/redemptions/unheard-of", nil, 404, nil, key...)
	var p problem
	a.do("POST", "/channel/web/redemptions", object{"key": "4", "rule": "UNDERGLAZE-THREE", "basket": goods(object{"sku": "UG-01-J2",
		"quantity": 7})}, 201, &first, key...)
	require.Equal(t, 2, first.Applications, "as often as it applies to what was bought")
	a.do("POST", "/channel/web/redemptions", object{"key": "5", "rule": "UNDERGLAZE-THREE", "basket": goods(object{"sku": "UG-01-J2",
		"quantity": -7})}, 422, &p, key...)
	require.Equal(t, "basket.lines[0].quantity", p.Errors[0].Location)
	a.do("POST", "/channel/web/redemptions", object{"key": "6", "rule": "UNDERGLAZE-THREE", "basket": goods(object{"sku": "UG-01-J2",
		"quantity": 100_001})}, 422, &p, key...)
	require.Equal(t, "basket.lines[0].quantity", p.Errors[0].Location)
	whose := object{"customer": "C-12", "lines": []object{{"sku": "UG-01-J2", "quantity": 3}}}
	a.do("POST", "/channel/web/redemptions", object{"key": "7", "rule": "UNDERGLAZE-THREE", "customer": "C-01", "basket": whose}, 422,
		&p, key...)
	require.Equal(t, "basket.customer", p.Errors[0].Location)
	var theirs struct{ Customer string }
	a.do("POST", "/channel/web/redemptions", object{"key": "8", "rule": "UNDERGLAZE-THREE", "basket": whose}, 201, &theirs, key...)
	require.Equal(t, "C-12", theirs.Customer)
}

// An order comes back as a sale: the next question knows of it, and what it opens is told.
func TestOrdersBecomeSales(t *testing.T) {
	a := started(t, store.Administrator)
	a.open("web")
	key := a.key("web", "quote", "redeem", "customers")
	order := func(key string) object {
		return object{"key": key, "basket": object{"customer": "C-12", "lines": []object{{"sku": "KILN-TEST-8", "quantity": 1}}}}
	}
	shelf := object{"customer": "C-12", "lines": []object{{"sku": "KF-01-30", "quantity": 1}}, "explain": true}
	var board struct {
		Rows []struct{ SKU, Category string }
	}
	a.do("GET", "/api/board?q=kiln+shelf&limit=5", nil, 200, &board)
	require.NotEmpty(t, board.Rows)
	shelf["lines"] = []object{{"sku": board.Rows[0].SKU, "quantity": 1}}
	var before quoted
	a.do("POST", "/channel/web/quote", shelf, 200, &before, key...)
	require.Empty(t, before.Offers)
	var placed struct {
		Opens []struct{ Rule, Goods, Until string }
	}
	a.do("POST", "/channel/web/orders", order("W-1"), 201, &placed, key...)
	require.Equal(t, "KILN-OPENING", placed.Opens[0].Rule)
	require.Equal(t, "2026-12-27T00:00", placed.Opens[0].Until)
	a.do("POST", "/channel/web/orders", order("W-1"), 200, &placed, key...)
	explained := object{"key": "W-0", "basket": object{"explain": true, "lines": []object{{"sku": "UG-01-J2", "quantity": 4}}}}
	var once, twice any
	a.do("POST", "/channel/web/orders", explained, 201, &once, key...)
	a.do("POST", "/channel/web/orders", explained, 200, &twice, key...)
	require.Equal(t, once, twice, "the same order is answered as the first time")
	// At the very moment of the purchase it is no earlier one yet: a minute later it is.
	var bought struct {
		Answer struct{ Offers []struct{ Rule string } }
	}
	a.do("POST", "/api/basket?who=customer:C-12&channel=web&at=2026-11-26T09:01", object{"lines": shelf["lines"]}, 200, &bought)
	require.Equal(t, "KILN-OPENING", bought.Answer.Offers[0].Rule)
	a.do("DELETE", "/channel/web/orders/W-1", nil, 204, nil, key...)
	a.do("POST", "/api/basket?who=customer:C-12&channel=web&at=2026-11-26T09:01", object{"lines": shelf["lines"]}, 200, &bought)
	require.Empty(t, bought.Answer.Offers)
	a.do("POST", "/channel/web/orders", order("W-1"), 409, nil, key...)
	a.do("POST", "/channel/web/orders", object{"key": "W-2", "basket": goods(object{"sku": "GONE"})}, http.StatusUnprocessableEntity,
		nil, key...)
}
