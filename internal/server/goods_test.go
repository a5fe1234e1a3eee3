package server_test

import (
	"bytes"
	"encoding/json"
	"fmt"
	"maps"
	"mime/multipart"
	"net/http"
	"net/url"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"

	"dogbane/internal/store"
)

type preview struct {
	Token, Problem                          string
	New, Changed, Unchanged, BadCount, Rows int
	Remembered                              bool
	Mapping                                 map[string]string
	Bad                                     []struct {
		Line                   int
		Column, Value, Problem string
	}
	Changes []struct{ SKU string }
}

// upload sends a file of a kind and gives what importing it would do.
func (a *api) upload(kind, name string, content []byte) preview {
	a.t.Helper()
	var p preview
	a.tryUpload(kind, name, content, 200, &p)
	return p
}

func (a *api) tryUpload(kind, name string, content []byte, status int, into any) {
	a.t.Helper()
	var form bytes.Buffer
	w := multipart.NewWriter(&form)
	part, err := w.CreateFormFile("file", name)
	require.NoError(a.t, err)
	_, err = part.Write(content)
	require.NoError(a.t, err)
	require.NoError(a.t, w.Close())
	req, err := http.NewRequestWithContext(a.t.Context(), "POST", a.url+"/api/imports?kind="+kind, &form)
	require.NoError(a.t, err)
	req.Header.Set("Content-Type", w.FormDataContentType())
	a.send(req, status, into)
}

type job struct {
	ID      int64
	State   string
	Problem string
	Checks  []struct{ Name string }
	Saved   struct {
		Entry   int64
		Summary string
	}
}

// keep imports a file that was previewed and waits for the end.
func (a *api) keep(p preview, headers ...string) job {
	a.t.Helper()
	var j job
	a.do("POST", "/api/imports/"+p.Token+"/import", map[string]any{"mapping": p.Mapping}, 200, &j, headers...)
	for j.State == "running" {
		time.Sleep(20 * time.Millisecond)
		a.do("GET", fmt.Sprintf("/api/jobs/%d", j.ID), nil, 200, &j)
	}
	return j
}

type items struct {
	Items []struct {
		Code, ETag string
		Uses       []string
		Doc        map[string]any
	}
}

func (a *api) item(kind, code string) (doc map[string]any, etag string) {
	a.t.Helper()
	var list items
	a.do("GET", "/api/items/"+kind, nil, 200, &list)
	for _, i := range list.Items {
		if i.Code == code {
			return i.Doc, i.ETag
		}
	}
	a.t.Fatalf("no %s %s", kind, code)
	return nil, ""
}

type effect struct {
	Errors []struct{ Path, Problem string }
	Prices []struct {
		Channel, Who                    string
		Quantity                        int
		Moved, Below, NewBelow, Cleared int
		MarginBefore, MarginAfter       *string
	}
	Checks []struct{ Name string }
}

func change(kind, code, etag string, doc any) map[string]any {
	c := map[string]any{"kind": kind, "code": code, "etag": etag}
	if doc != nil {
		c["doc"] = doc
	}
	return c
}

func edit(changes ...map[string]any) map[string]any { return map[string]any{"changes": changes} }

// A small piece of the book is checked with the whole of it: nothing is left that leads nowhere, and nobody's state is
// overwritten unseen.
func TestEdits(t *testing.T) {
	a := started(t, store.Manager)
	_, tag := a.item("ladders", "by-the-box")
	var e effect
	a.do("POST", "/api/edit/preview", edit(change("ladders", "by-the-box", tag, nil)), 200, &e)
	require.Contains(t, e.Errors[0].Problem, "no ladder")
	a.do("POST", "/api/edit", edit(change("ladders", "by-the-box", tag, nil)), 422, nil)
	ladder := map[string]any{"code": "by-the-box", "breaks": []any{map[string]any{"from": 6, "percentOff": "50"}}}
	a.do("POST", "/api/edit", edit(change("ladders", "by-the-box", "", ladder)), 422, nil) // it is not new
	a.do("POST", "/api/edit", edit(change("ladders", "by-the-box", tag, ladder)), 200, nil)
	a.do("POST", "/api/edit", edit(change("ladders", "by-the-box", tag, ladder)), 412, nil)
	bad := map[string]any{"code": "steep", "breaks": []any{map[string]any{"from": 6, "percentOff": "5"},
		map[string]any{"from": 6, "percentOff": "9"}}}
	a.do("POST", "/api/edit/preview", edit(change("ladders", "steep", "", bad)), 200, &e)
	require.Equal(t, "breaks[1].from", e.Errors[0].Path)

	// Two pieces together: a group, and a customer in it. Alone the customer would lead nowhere.
	group := map[string]any{"code": "guild", "name": "The guild"}
	customer := map[string]any{"code": "C-99", "name": "Tansy Pots", "groups": []string{"guild"}}
	a.do("POST", "/api/edit", edit(change("customers", "C-99", "", customer)), 422, nil)
	a.do("POST", "/api/edit", edit(change("customers", "C-99", "", customer), change("groups", "guild", "", group)), 200,
		nil)
	_, tag = a.item("groups", "guild")
	a.do("POST", "/api/edit", edit(change("groups", "guild", tag, nil)), 422, nil)
}

// The effect that is shown beforehand is what the board shows afterwards.
func TestEffectIsWhatSavingDoes(t *testing.T) {
	a := started(t, store.Manager)
	doc, tag := a.item("channels", "web")
	doc["ending"] = map[string]any{"step": "1", "direction": "up"}
	before := a.prices("web")
	var e effect
	a.do("POST", "/api/edit/preview", edit(change("channels", "web", tag, doc)), 200, &e)
	a.do("POST", "/api/edit", edit(change("channels", "web", tag, doc)), 200, nil)
	moved := 0
	for sku, price := range a.prices("web") {
		if price != before[sku] {
			moved++
			require.True(t, strings.HasSuffix(price, ".00"), price)
		}
	}
	require.Positive(t, moved)
	for _, c := range e.Prices {
		if c.Channel == "web" {
			require.Equal(t, moved, c.Moved)
			require.NotNil(t, c.MarginAfter)
		} else {
			require.Zero(t, c.Moved, c.Channel)
		}
	}
}

// An edit that moves nothing for a guest with one piece is looked at where it matters: at a ladder's breaks, for a
// rule's group, for the customer.
func TestEffectLooksWhereTheEditMatters(t *testing.T) {
	a := started(t, store.Manager)
	moved := func(changes ...map[string]any) map[string]int {
		var e effect
		a.do("POST", "/api/edit/preview", edit(changes...), 200, &e)
		require.Empty(t, e.Errors)
		found := map[string]int{}
		for _, c := range e.Prices {
			if c.Channel == "web" && c.Moved > 0 {
				found[fmt.Sprint(c.Who, " ", c.Quantity)] = c.Moved
			}
		}
		return found
	}
	doc, tag := a.item("ladders", "by-the-box")
	doc["breaks"].([]any)[0].(map[string]any)["percentOff"] = "30"
	ladder := moved(change("ladders", "by-the-box", tag, doc))
	require.Positive(t, ladder[" 6"])
	require.NotContains(t, ladder, " 1")
	require.NotContains(t, ladder, " 24", "the last break is as it was")

	terms := map[string]any{"code": "NEW-TERMS", "layer": "group", "rank": 1, "where": map[string]any{"sku": "BAT-30"},
		"audience": map[string]any{"groups": []string{"schools"}}, "effect": map[string]any{"setPrice": "2"}}
	require.Equal(t, map[string]int{"group:schools 1": 1}, moved(change("rules", "NEW-TERMS", "", terms)))

	doc, tag = a.item("customers", "C-12")
	doc["groups"] = []string{"staff"}
	require.Positive(t, moved(change("customers", "C-12", tag, doc))["customer:C-12 1"])
}

// prices are all of a channel.
func (a *api) prices(channel string) map[string]string {
	a.t.Helper()
	all := map[string]string{}
	for start := 0; ; start += 500 {
		var b struct {
			Total int
			Rows  []struct{ SKU, Price string }
		}
		a.do("GET", fmt.Sprintf("/api/board?channel=%s&limit=500&start=%d", channel, start), nil, 200, &b)
		for _, r := range b.Rows {
			all[r.SKU] = r.Price
		}
		if start+500 >= b.Total {
			return all
		}
	}
}

// A pinned price says when it no longer holds, and beforehand which edit would break it.
func TestChecks(t *testing.T) {
	a := started(t, store.Manager)
	pin := func(unit string) map[string]any {
		return map[string]any{"name": "the bat", "doc": map[string]any{"price": map[string]any{"sku": "BAT-30",
			"at": "2026-12-10T10:00", "channel": "web"}, "is": map[string]any{"unit": unit}}}
	}
	a.do("POST", "/api/checks", map[string]any{"name": "x", "doc": map[string]any{"price": map[string]any{"sku": "NOBODY",
		"at": "2026-12-10T10:00"}, "is": map[string]any{}}}, 422, nil)
	a.do("POST", "/api/checks", map[string]any{"name": " ", "doc": pin("1")["doc"]}, 422, nil)
	var p struct{ Answer struct{ Unit string } }
	a.do("GET", "/api/price?channel=web&sku=BAT-30&at=2026-12-10T10:00", nil, 200, &p)
	a.do("POST", "/api/checks", pin(p.Answer.Unit), 204, nil)
	a.do("POST", "/api/checks", pin("0.01"), 204, nil)
	var list struct {
		Broken int
		Checks []struct {
			ID          int64
			State       string
			Differences []struct{ What, Want, Have string }
		}
	}
	a.do("GET", "/api/checks", nil, 200, &list)
	require.Equal(t, 1, list.Broken)
	require.Equal(t, "broken", list.Checks[0].State)
	require.Equal(t, p.Answer.Unit, list.Checks[0].Differences[0].Have)
	a.do("DELETE", fmt.Sprintf("/api/checks/%d", list.Checks[0].ID), nil, 204, nil)

	rule := map[string]any{"code": "HALF", "name": "Half", "layer": "sale", "rank": 90,
		"where": map[string]any{"sku": "BAT-30"}, "effect": map[string]any{"percentOff": "50"}}
	var e effect
	a.do("POST", "/api/edit/preview", edit(change("rules", "HALF", "", rule)), 200, &e)
	require.Len(t, e.Checks, 1)
	require.Equal(t, "the bat", e.Checks[0].Name)
	var impact struct{ Checks []struct{ Name string } }
	a.do("POST", "/api/impact?channel=web", rule, 200, &impact)
	require.Len(t, impact.Checks, 1, "the editor shows it too")
	rule["window"] = map[string]any{"to": "2026-12-01T00:00"}
	a.do("POST", "/api/edit/preview", edit(change("rules", "HALF", "", rule)), 200, &e)
	require.Empty(t, e.Checks, "the rule is over by then")
}

// What a rule wants of a buyer can be assumed from anywhere, and is named where it is not.
func TestWhatIsAssumedOfTheBuyer(t *testing.T) {
	a := started(t, store.Manager)
	a.do("POST", "/api/rules", map[string]any{"code": "WELCOME", "name": "Welcome", "layer": "promotion", "rank": 90,
		"where": map[string]any{"sku": "BAT-30"}, "effect": map[string]any{"setPrice": "1.00"},
		"audience": map[string]any{"firstOrder": true, "signedIn": true, "countries": []string{"DE"},
			"customerAttr": map[string]any{"region <&>": []string{"=north", "south"}}}}, 200, nil)
	var p struct {
		Answer struct{ Unit string }
		Unmet  map[string][]struct {
			Condition, Attr string
			Wanted          []string
		}
	}
	ask := func(more string) string {
		p.Unmet = nil
		a.do("GET", "/api/price?channel=web&sku=BAT-30&at=2026-12-10T10:00"+more, nil, 200, &p)
		return p.Answer.Unit
	}
	attrs := "&attrs=" + url.QueryEscape(url.Values{"region <&>": {"=north"}}.Encode())
	require.NotEqual(t, "1.00", ask(""))
	require.Equal(t, "[{country  [DE]} {first-order  [yes]} {signed-in  [yes]} {attr region <&> [=north south]}]",
		fmt.Sprint(p.Unmet["WELCOME"]))
	require.NotEqual(t, "1.00", ask("&first=yes&signed-in=yes&country=DE"))
	require.Len(t, p.Unmet["WELCOME"], 1)
	require.Equal(t, "1.00", ask("&first=yes&signed-in=yes&country=DE"+attrs))
	require.Empty(t, p.Unmet["WELCOME"])
	require.NotEqual(t, "1.00", ask("&first=yes&signed-in=no&country=DE"+attrs))
	a.do("GET", "/api/price?channel=web&sku=BAT-30&attrs=%3B", nil, 422, nil)
	a.do("GET", "/api/price?channel=web&sku=BAT-30&first=perhaps", nil, 422, nil)
	var b struct {
		Rows []struct{ Price, Against string }
	}
	a.do("GET", "/api/board?q=BAT-30&channel=web&at=2026-12-10T10:00&first=yes&signed-in=yes&country=DE&against=who:"+attrs, nil, 200, &b)
	require.Equal(t, "1.00", b.Rows[0].Price)
	require.NotEqual(t, "1.00", b.Rows[0].Against, "nothing is assumed of those compared with")
	a.do("GET", "/api/board?q=BAT-30&channel=web&at=2026-12-10T10:00&first=yes&signed-in=yes&country=DE&against=at:2026-12-11T10:00"+attrs, nil, 200, &b)
	require.Equal(t, "1.00", b.Rows[0].Against, "at another moment the same is assumed")
}

// The tags that a rule publishes while it is live are told with the price and on the product's page, and found on the
// board.
func TestLiveTagsAreTold(t *testing.T) {
	a := started(t, store.Manager)
	type tagged struct {
		LiveTags struct{ Add, Remove []string }
	}
	for at, want := range map[string][]string{"2026-11-20T10:00": {"autumn sale"}, "2026-12-20T10:00": {}} {
		var price, page tagged
		a.do("GET", "/api/price?channel=web&sku=KILN-EL-42&at="+at, nil, 200, &price)
		a.do("GET", "/api/products/KILN-EL-42?channel=web&at="+at, nil, 200, &page)
		require.Equal(t, want, price.LiveTags.Add, at)
		require.Equal(t, want, page.LiveTags.Add, at)
	}
	a.do("POST", "/api/rules", map[string]any{"code": "TAG", "name": "Tag & <b>", "layer": "promotion", "rank": 90,
		"where": map[string]any{"sku": "BAT-30"}, "effect": map[string]any{"percentOff": "0"},
		"liveTags": map[string]any{"add": []string{"<new>"}}}, 200, nil)
	var board struct{ Rows []struct{ SKU string } }
	a.do("GET", "/api/board?channel=web&tags="+url.QueryEscape(url.QueryEscape("<new>")+","), nil, 200, &board)
	require.Equal(t, "[{BAT-30}]", fmt.Sprint(board.Rows))
}

// A sample of each kind comes as a file, and what it holds can be brought in again.
func TestImportSamples(t *testing.T) {
	a := started(t, store.Manager)
	for _, kind := range []string{"products", "sales", "agreed", "rates"} {
		status, csv := a.status("GET", "/api/imports/sample?format=csv&kind="+kind, nil)
		require.Equal(t, 200, status)
		p := a.upload(kind, kind+".csv", []byte(csv))
		require.Empty(t, p.Problem, kind)
		require.Zero(t, p.BadCount, kind)
		if kind == "products" {
			require.Zero(t, p.New+p.Changed, "as it is it changes nothing")
		}
		status, sheet := a.status("GET", "/api/imports/sample?format=xlsx&kind="+kind, nil)
		require.Equal(t, 200, status)
		require.True(t, strings.HasPrefix(sheet, "PK"))
	}
	a.do("GET", "/api/imports/sample?kind=secrets", nil, 422, nil)
}

// Sales bring units sold, first orders and earlier purchases; the same file again changes nothing; taken back, all of
// it is as before.
func TestSales(t *testing.T) {
	a := started(t, store.Manager)
	sold := func(sku string) string {
		var b struct{ Rows []struct{ SKU, Sold string } }
		a.do("GET", "/api/board?q="+sku, nil, 200, &b)
		return b.Rows[0].Sold
	}
	before := sold("BAT-30")
	first := map[string]any{"code": "WELCOME", "name": "Welcome", "layer": "promotion", "rank": 90,
		"where": map[string]any{"sku": "BAT-30"}, "audience": map[string]any{"firstOrder": true},
		"effect": map[string]any{"setPrice": "1.00"}}
	a.do("POST", "/api/rules", first, 200, nil)
	var customers items
	a.do("GET", "/api/items/customers", nil, 200, &customers)
	buyer, other := customers.Items[0].Code, customers.Items[1].Code
	pays := func(who string) string {
		var p struct{ Answer struct{ Unit string } }
		a.do("GET", "/api/price?sku=BAT-30&who="+url.QueryEscape("customer:"+who), nil, 200, &p)
		return p.Answer.Unit
	}
	full := pays(buyer)
	require.NotEqual(t, "1.00", full, "nothing is known of sales yet")

	file := "When,Article,Qty,Customer,Total,Channel\n2026-11-20 10:00,BAT-30,4," + buyer +
		",52.00,web\n2026-11-25,BAT-30,3,,,\n2026-03-01,BAT-30,100,,,\n"
	bad := a.upload("sales", "bad.csv",
		[]byte(file+"soon,BAT-30,1,,,\n2026-11-20,BAT-30,0.5,,,\n2026-11-20,,1,,,\n2026-11-20,BAT-30,1,,,attic\n"))
	require.Equal(t, 4, bad.BadCount)
	for i, column := range []string{"When", "Qty", "Article", "Channel"} {
		require.Equal(t, column, bad.Bad[i].Column)
		require.Equal(t, 5+i, bad.Bad[i].Line)
	}
	good := a.upload("sales", "sales.csv", []byte(file))
	require.Equal(t, 3, good.New)
	kept := a.keep(good)
	require.Equal(t, "done", kept.State)
	a.do("POST", fmt.Sprintf("/api/log/%d/undo", kept.Saved.Entry), nil, 200, nil)
	require.Equal(t, before, sold("BAT-30"))
	require.Equal(t, full, pays(other), "the undo takes the sales themselves back too")
	good = a.upload("sales", "sales.csv", []byte(file))
	require.Equal(t, 3, good.New)
	require.Equal(t, "done", a.keep(good).State)
	require.Equal(t, "7", sold("BAT-30"), "what is older than 30 days does not count")
	require.Equal(t, full, pays(buyer))
	require.Equal(t, "1.00", pays(other), "a first order")
	again := a.upload("sales", "sales.csv", []byte(file))
	require.True(t, again.Remembered)
	require.Equal(t, 3, again.Unchanged)
	a.do("POST", "/api/imports/"+again.Token+"/import", map[string]any{"mapping": again.Mapping}, 409, nil)

	var files struct {
		Files []struct {
			ID   int64
			Rows int
		}
	}
	a.do("GET", "/api/sales", nil, 200, &files)
	require.Equal(t, 3, files.Files[0].Rows)
	a.do("DELETE", fmt.Sprintf("/api/sales/%d", files.Files[0].ID), nil, 200, nil)
	require.Empty(t, sold("BAT-30"), "nothing is known any more")
	require.NotEmpty(t, before)
	require.Equal(t, full, pays(other))
}

// Agreed prices come in from a file, are paid by that customer alone, and end with their last one.
func TestAgreedPrices(t *testing.T) {
	a := started(t, store.Manager)
	var customers items
	a.do("GET", "/api/items/customers", nil, 200, &customers)
	one, two := customers.Items[0].Code, customers.Items[1].Code
	bad := a.upload("agreed", "a.csv",
		[]byte("customer,sku,price\nC-NOBODY,BAT-30,1\n"+one+",NOTHING,1\n"+one+",BAT-30,1\n"+one+",BAT-30,2\n"))
	require.Equal(t, 3, bad.BadCount)
	p := a.upload("agreed", "a.csv",
		[]byte("customer,sku,price\n"+one+",BAT-30,3.10\n"+one+",KILN-EL-42,900\n"+two+",BAT-30,2.90\n"))
	require.Equal(t, 3, p.New)
	require.Equal(t, "done", a.keep(p).State)
	var list struct {
		Prices []struct{ SKU, Price, Pays string }
	}
	a.do("GET", "/api/customers/"+one+"/agreed", nil, 200, &list)
	require.Len(t, list.Prices, 2)
	for _, row := range list.Prices {
		if row.SKU == "BAT-30" {
			require.Equal(t, "3.10", row.Price)
			require.Equal(t, "3.10", row.Pays)
		}
	}
	a.do("PUT", "/api/customers/"+one+"/agreed", map[string]string{"sku": "BAT-30", "price": "x"}, 422, nil)
	var compared struct {
		Group  string
		Dearer bool
	}
	compare := "/api/customers/" + one + "/agreed/compare?sku=BAT-30&price="
	a.do("GET", compare+"99.00", nil, 200, &compared)
	require.True(t, compared.Dearer)
	a.do("GET", compare+compared.Group, nil, 200, &compared)
	require.False(t, compared.Dearer, "what the group pays itself")
	a.do("GET", compare+"dear", nil, 422, nil)
	a.do("PUT", "/api/customers/"+one+"/agreed/fixed", map[string]bool{"fixed": true}, 200, nil)
	var fixed struct{ Fixed bool }
	a.do("GET", "/api/customers/"+one+"/agreed", nil, 200, &fixed)
	require.True(t, fixed.Fixed)
	a.do("PUT", "/api/customers/C-NOBODY/agreed/fixed", map[string]bool{"fixed": true}, 404, nil)
	a.do("PUT", "/api/customers/"+two+"/agreed", map[string]string{"sku": "BAT-30", "price": ""}, 200, nil)
	var rules struct {
		Rules []struct{ Rule struct{ Code string } }
	}
	a.do("GET", "/api/rules", nil, 200, &rules)
	text, err := json.Marshal(rules)
	require.NoError(t, err)
	require.Contains(t, string(text), "AGREED-"+one)
	require.NotContains(t, string(text), "AGREED-"+two, "a rule without goods goes")
	a.do("GET", "/api/customers/C-NOBODY/agreed", nil, 404, nil)
}

// New exchange rates say which day they are of and what they would move before they are kept.
func TestRates(t *testing.T) {
	a := started(t, store.Manager)
	bad := a.upload("rates", "r.csv", []byte("currency,rate\nGBP,0\nXXQ,1\nUSD,-1\n"))
	require.Equal(t, 3, bad.BadCount)
	p := a.upload("rates", "r.csv",
		[]byte("currency;rate;date\nGBP;0.8;2026-11-20\nGBP;0.86;2026-11-25\nUSD;1.05;2026-11-25\n"))
	require.Equal(t, 1, p.New)
	require.Equal(t, 1, p.Changed)
	var e effect
	a.do("POST", "/api/imports/"+p.Token+"/effect/preview", map[string]any{"mapping": p.Mapping}, 200, &e)
	for _, c := range e.Prices {
		require.Equal(t, c.Channel == "island", c.Moved > 0, c.Channel)
	}
	require.Equal(t, "done", a.keep(p).State)
	var s struct {
		Doc   struct{ Rates map[string]string }
		Rates []struct{ Currency, Rate, Day string }
	}
	a.do("GET", "/api/settings", nil, 200, &s)
	require.Equal(t, "0.86", s.Doc.Rates["GBP"], "of two days the newer counts")
	require.Equal(t, "2026-11-25", s.Rates[0].Day)
}

// The settings are saved whole: rates with their days beside all else, or nothing of it.
func TestSettingsAreSavedWhole(t *testing.T) {
	a := started(t, store.Manager)
	type page struct {
		Doc   map[string]any
		ETag  string
		Rates []struct{ Currency, Rate, Day string }
	}
	var before, after page
	a.do("GET", "/api/settings", nil, 200, &before)
	doc := maps.Clone(before.Doc)
	doc["rates"] = map[string]string{"GBP": "0.9", "USD": "1.05"}
	doc["taxRates"] = map[string]string{"standard": "21", "reduced": "9", "zero & <none>": "0"}
	form := map[string]any{"doc": doc, "etag": before.ETag, "rateDays": map[string]string{"GBP": "25 November"}}
	a.do("PUT", "/api/settings", form, 422, nil)
	a.do("GET", "/api/settings", nil, 200, &after)
	require.Equal(t, before, after, "nothing is saved when a day is none")
	form["rateDays"] = map[string]string{"GBP": "2026-11-25"}
	var saved struct{ Summary string }
	a.do("PUT", "/api/settings", form, 200, &saved)
	require.Equal(t, "Changed the settings", saved.Summary)
	a.do("GET", "/api/settings", nil, 200, &after)
	require.Equal(t, "0", after.Doc["taxRates"].(map[string]any)["zero & <none>"])
	require.Equal(t, "[{GBP 0.9 2026-11-25} {USD 1.05 2026-11-26}]", fmt.Sprint(after.Rates), "without a day: today")
	a.do("PUT", "/api/settings", form, 412, nil)

	form["etag"], form["rateDays"] = after.ETag, map[string]string{"GBP": "2026-11-24"}
	a.do("PUT", "/api/settings", form, 200, &saved)
	require.Equal(t, "The rates are of another day", saved.Summary)
	form["rateDays"] = nil
	a.do("PUT", "/api/settings", form, 200, &saved)
	require.Equal(t, "Nothing was changed", saved.Summary)
	doc["rates"] = map[string]string{"GBP": "0.91"}
	a.do("PUT", "/api/settings", form, 200, &saved)
	require.Equal(t, "Exchange rate of GBP: 0.91, USD taken away", saved.Summary)
}

// A spreadsheet is read as it is stored; what a table cannot say is refused, with the cell.
func TestSpreadsheets(t *testing.T) {
	a := started(t, store.Manager)
	sheet := func(fill func(f *excelize.File)) []byte {
		f := excelize.NewFile()
		defer f.Close()
		for i, row := range [][]any{{"Prices of the winter"}, {"SKU", "List price", "GTIN"}, {"BAT-30", 19.99, 5901234123457},
			{"NEW-7", 0.1 + 0.2, nil}} {
			require.NoError(t, f.SetSheetRow("Sheet1", fmt.Sprintf("A%d", i+1), &row))
		}
		fill(f)
		var out bytes.Buffer
		require.NoError(t, f.Write(&out))
		return out.Bytes()
	}
	p := a.upload("products", "goods.xlsx", sheet(func(*excelize.File) {}))
	require.Zero(t, p.BadCount, p.Bad)
	require.Equal(t, "done", a.keep(p).State)
	var page struct {
		Doc     struct{ List, GTIN string }
		History []struct {
			Fields []struct{ Field, Was, Is string }
		}
	}
	a.do("GET", "/api/products/BAT-30", nil, 200, &page)
	require.Equal(t, "19.99", page.Doc.List)
	require.Equal(t, "5901234123457", page.Doc.GTIN)
	require.Equal(t, "list", page.History[0].Fields[1].Field)
	a.do("GET", "/api/products/NEW-7", nil, 200, &page)
	require.Equal(t, "0.30", page.Doc.List, "0.1 + 0.2 as people mean it")

	for says, fill := range map[string]func(f *excelize.File){
		"cell C4 holds a formula": func(f *excelize.File) {
			require.NoError(t,
				f.SetCellFormula("Sheet1", "C4", "10+9.99"))
		},
		"cells A3 to A4 are merged": func(f *excelize.File) { require.NoError(t, f.MergeCell("Sheet1", "A3", "A4")) },
	} {
		var refused problem
		a.tryUpload("products", "goods.xlsx", sheet(fill), 422, &refused)
		require.Contains(t, refused.Detail, says)
	}
	var refused problem
	a.tryUpload("products", "goods.xlsx", []byte("PK\x03\x04 not a zip"), 422, &refused)
	require.Contains(t, refused.Detail, "no spreadsheet")
	sales := sheet(func(f *excelize.File) {
		row := []any{"When", "SKU", "Quantity"}
		require.NoError(t, f.SetSheetRow("Sheet1", "A2", &row))
		row = []any{46350.5, "BAT-30", 2}
		require.NoError(t, f.SetSheetRow("Sheet1", "A3", &row))
		require.NoError(t, f.RemoveRow("Sheet1", 4))
	})
	dated := a.upload("sales", "sales.xlsx", sales)
	require.Zero(t, dated.BadCount, dated.Bad)
	require.Equal(t, 1, dated.New)
}

// A word of many products is changed at once, as the preview said, and taken back at once.
func TestWords(t *testing.T) {
	a := started(t, store.Manager)
	var p struct{ Reached, Changed int }
	tag := map[string]any{"do": "add", "field": "tag", "value": "winter"}
	a.do("POST", "/api/bulk/words/preview?category=Wheels", tag, 200, &p)
	require.Positive(t, p.Changed)
	var saved struct{ Entry int64 }
	a.do("POST", "/api/bulk/words?category=Wheels", tag, 200, &saved)
	a.do("POST", "/api/bulk/words?category=Wheels", tag, 409, nil)
	a.do("POST", "/api/bulk/words/preview?category=Wheels", map[string]any{"do": "remove", "field": "tag",
		"value": "winter"}, 200, &p)
	require.Equal(t, p.Reached, p.Changed)
	a.do("POST", fmt.Sprintf("/api/log/%d/undo", saved.Entry), nil, 200, nil)
	a.do("POST", "/api/bulk/words/preview?category=Wheels", map[string]any{"do": "remove", "field": "tag",
		"value": "winter"}, 200, &p)
	require.Zero(t, p.Changed)

	a.do("POST", "/api/bulk/words", map[string]any{"do": "set", "field": "attr:glow", "value": "6",
		"skus": []string{"BAT-30"}}, 200, nil)
	var page struct {
		Doc struct{ Attrs map[string]string }
	}
	a.do("GET", "/api/products/BAT-30", nil, 200, &page)
	require.Equal(t, "6", page.Doc.Attrs["glow"])
	for _, bad := range []map[string]any{{"do": "set", "field": "tag", "value": "x"},
		{"do": "add", "field": "brand", "value": "x"}, {"do": "set", "field": "taxClass", "value": "luxury"},
		{"do": "set", "field": "list", "value": "1"}} {
		a.do("POST", "/api/bulk/words/preview", bad, 422, nil)
	}
}

// A write that would break a pinned price is refused with what it would break, until somebody says that it was seen.
func TestWritesKeepChecks(t *testing.T) {
	a := started(t, store.Manager)
	a.do("POST", "/api/checks", map[string]any{"name": "the bat",
		"doc": map[string]any{"price": map[string]any{"sku": "BAT-30", "at": "2026-12-10T10:00"},
			"is": map[string]any{"unit": "14.50"}}}, 204, nil)
	var refused struct {
		Detail string
		Checks []struct{ Name string }
	}
	a.do("PATCH", "/api/products/BAT-30", map[string]string{"list": "15.00"}, 409, &refused)
	require.Equal(t, "the bat", refused.Checks[0].Name)
	version, err := a.store.Version(t.Context())
	require.NoError(t, err)
	require.EqualValues(t, 1, version, "nothing was written")
	a.do("PATCH", "/api/products/KILN-EL-42", map[string]string{"list": "1500.00"}, 200, nil)
	var saved struct{ Entry int64 }
	a.do("PATCH", "/api/products/BAT-30", map[string]string{"list": "15.00"}, 200, &saved, "Checks-Seen", "true")
	a.do("PATCH", "/api/products/BAT-30", map[string]string{"list": "15.50"}, 200, nil) // it is broken already
	a.do("PATCH", "/api/products/BAT-30", map[string]string{"list": "14.50"}, 200, nil)
}

// What is known of a customer says nothing about the others beside whom the customer is shown.
func TestGuestsAreNotTheCustomer(t *testing.T) {
	a := started(t, store.Manager)
	welcome := map[string]any{"code": "WELCOME", "name": "Welcome", "layer": "promotion", "rank": 90,
		"where": map[string]any{"sku": "BAT-30"}, "audience": map[string]any{"firstOrder": true},
		"effect": map[string]any{"setPrice": "1.00"}}
	a.do("POST", "/api/rules", welcome, 200, nil)
	require.Equal(t, "done", a.keep(a.upload("sales", "s.csv", []byte(
		"at,sku,quantity,customer\n2026-11-20,BAT-30,1,C-01\n"))).State)
	var o struct {
		Rows []struct {
			Who    string
			Prices []string
		}
	}
	a.do("GET", "/api/outlook?sku=BAT-30&who=customer:C-02", nil, 200, &o)
	for _, r := range o.Rows {
		require.Equal(t, r.Who == "customer:C-02", r.Prices[0] == "1.00", r.Who)
	}
	var b struct{ Rows []struct{ Spread []string } }
	a.do("GET", "/api/board?q=BAT-30&spread=group&who=customer:C-02", nil, 200, &b)
	require.NotContains(t, b.Rows[0].Spread, "1.00")
}

// A channel that was just made has prices at once; sending them says that it is not connected.
func TestANewChannelIsNotConnected(t *testing.T) {
	a := started(t, store.Manager)
	a.do("POST", "/api/edit", edit(change("channels", "kiosk", "",
		map[string]any{"code": "kiosk", "name": "Kiosk", "where": map[string]any{"sku": "BAT-30"}})), 200, nil)
	require.NotEmpty(t, a.prices("kiosk")["BAT-30"])
	var state struct {
		Channels []struct {
			Code   string
			Behind int
		}
	}
	a.do("GET", "/api/state", nil, 200, &state)
	require.Equal(t, "kiosk", state.Channels[len(state.Channels)-1].Code)
	require.Positive(t, state.Channels[len(state.Channels)-1].Behind)
	var p problem
	a.do("POST", "/api/channels/kiosk/publications", map[string]any{"version": 2, "leaveOut": []string{}}, 409, &p)
	require.Contains(t, p.Detail, "not connected")
}
