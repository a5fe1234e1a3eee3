package server_test

import (
	"bytes"
	"encoding/csv"
	"encoding/json"
	"fmt"
	"io"
	"maps"
	"net/http"
	"net/http/httptest"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"testing/fstest"
	"time"

	"github.com/mmcdole/gofeed"
	"github.com/stretchr/testify/require"

	"dogbane/internal/book"
	"dogbane/internal/checks"
	"dogbane/internal/clock"
	"dogbane/internal/demo"
	"dogbane/internal/money"
	"dogbane/internal/pricing"
	"dogbane/internal/publish"
	"dogbane/internal/publish/publishtest"
	"dogbane/internal/publish/telling"
	"dogbane/internal/server"
	"dogbane/internal/store"
	"dogbane/internal/store/storetest"
)

// fetches asks as a program does, which has no session.
func (a *api) fetches(path string, headers ...string) (*http.Response, string) {
	a.t.Helper()
	req, err := http.NewRequestWithContext(a.t.Context(), "GET", a.url+path, nil)
	require.NoError(a.t, err)
	for i := 0; i+1 < len(headers); i += 2 {
		req.Header.Set(headers[i], headers[i+1])
	}
	resp, err := http.DefaultClient.Do(req)
	require.NoError(a.t, err)
	defer resp.Body.Close()
	text, err := io.ReadAll(resp.Body)
	require.NoError(a.t, err)
	return resp, string(text)
}

// publishes publishes to the web shop whatever differs and is not blocked.
func (a *api) publishes() (p published) {
	a.t.Helper()
	d, blocked := a.blocked()
	a.do("POST", "/api/channels/web/publications", object{"version": d.Version, "leaveOut": blocked}, 201, &p)
	a.do("POST", fmt.Sprintf("/api/publications/%d/send", p.ID), object{}, 202, nil)
	require.Equal(a.t, "done", a.ends(p.ID).State)
	return p
}

// open connects a channel that fetches its prices and publishes everything in it, blocked or not.
func (a *api) open(channel string) {
	a.t.Helper()
	a.do("PUT", "/api/links/"+channel, object{"kind": "feed"}, 204, nil)
	var d differences
	a.do("GET", "/api/channels/"+channel+"/differences?limit=10000", nil, 200, &d)
	reasons := object{}
	for _, r := range d.Rows {
		if len(r.Blocked) > 0 {
			reasons[r.SKU] = "for the test"
		}
	}
	var p published
	a.do("POST", "/api/channels/"+channel+"/publications", object{"version": d.Version, "overrides": reasons}, 201, &p)
	a.do("POST", fmt.Sprintf("/api/publications/%d/send", p.ID), object{}, 202, nil)
	require.Equal(a.t, "done", a.ends(p.ID).State)
}

// A feed is what is published, for whoever has a key of its channel; a quote and a feed know nothing of what is only saved.
func TestFeedsTellWhatIsPublished(t *testing.T) {
	a := started(t, store.Administrator)
	a.do("PUT", "/api/links/web", object{"kind": "feed"}, 204, nil)
	key := a.key("web", "feed", "quote")
	get := a.fetches
	_, empty := get("/feeds/web.csv", key...)
	require.Equal(t, "sku,name,price,reference,currency,from_quantity,group,as,until,method,ask\r\n", empty)
	p := a.publishes()
	first, csv := get("/feeds/web.csv", key...)
	require.Contains(t, csv, "BAT-30,\"Wheel bat, 30 cm\",14.50,")
	_, lines := get("/feeds/web.jsonl", key...)
	require.Equal(t, p.Lines, strings.Count(lines, "\n"))
	a.do("PATCH", "/api/products/BAT-30", object{"list": "99.00"}, 200, nil, "Checks-Seen", "true")
	again, same := get("/feeds/web.csv", key...)
	require.Equal(t, csv, same, "what is saved is not published")
	require.Equal(t, first.Header.Get("ETag"), again.Header.Get("ETag"))
	var q quoted
	a.do("POST", "/channel/web/quote", goods(object{"sku": "BAT-30", "quantity": 1}), 200, &q, key...)
	require.Equal(t, "14.50", q.Total)
	head, err := http.NewRequestWithContext(t.Context(), http.MethodHead, a.url+"/feeds/web.csv", nil)
	require.NoError(t, err)
	head.Header.Set("Authorization", strings.Replace(key[1], "Bearer", "bearer", 1)) // of a scheme any case will do
	headed, err := http.DefaultClient.Do(head)
	require.NoError(t, err)
	require.NoError(t, headed.Body.Close())
	require.Equal(t, []any{200, first.Header.Get("Content-Type")}, []any{headed.StatusCode, headed.Header.Get("Content-Type")})
	unchanged, _ := get("/feeds/web.csv", append(key, "If-None-Match", first.Header.Get("ETag"))...)
	require.Equal(t, http.StatusNotModified, unchanged.StatusCode)
	var fetched struct {
		Fetches []struct{ Form, KeyName, At, WholeAt string }
	}
	a.do("GET", "/api/channels/web/fetches", nil, 200, &fetched)
	forms := map[string]bool{}
	for _, f := range fetched.Fetches {
		require.NotEmpty(t, f.KeyName)
		require.NotEmpty(t, f.WholeAt, "each was sent whole once")
		require.GreaterOrEqual(t, f.At, f.WholeAt)
		forms[f.Form] = true
	}
	require.Equal(t, map[string]bool{".csv": true, ".jsonl": true}, forms)
	_, rss := get("/feeds/web.xml", key...)
	require.Equal(t, p.Lines, strings.Count(rss, "<item>"))
	require.Contains(t, rss, "<p:sku>BAT-30</p:sku><p:price>14.50</p:price><p:currency>EUR</p:currency>")
	linked, graph := get("/feeds/web.jsonld", key...)
	require.Equal(t, "application/ld+json", linked.Header.Get("Content-Type"))
	require.Equal(t, p.Lines, strings.Count(graph, `"@type":"Product"`))
	sheet, bytes := get("/feeds/web.xlsx", key...)
	require.True(t, strings.HasPrefix(bytes, "PK"), "a package")
	require.NotEqual(t, first.Header.Get("ETag"), sheet.Header.Get("ETag"), "of its form")
	for since, status := range map[string]int{first.Header.Get("Last-Modified"): 304, "Thu, 01 Jan 2026 00:00:00 GMT": 200, "yesterday": 200} {
		resp, _ := get("/feeds/web.csv", append(key, "If-Modified-Since", since)...)
		require.Equal(t, status, resp.StatusCode, since)
	}
	young, _ := get("/feeds/web.csv", append(key, "If-Modified-Since", first.Header.Get("Last-Modified"), "If-None-Match", `"other"`)...)
	require.Equal(t, 200, young.StatusCode, "a tag counts before a time")
	packed, _ := get("/feeds/web.csv", append(key, "Accept-Encoding", "gzip")...)
	require.Equal(t, "gzip", packed.Header.Get("Content-Encoding"))
	plain, _ := get("/feeds/web.csv", append(key, "Accept-Encoding", "identity")...)
	require.NotEqual(t, packed.Header.Get("ETag"), plain.Header.Get("ETag"), "other bytes")
	for known, status := range map[string]int{plain.Header.Get("ETag"): 304, "W/" + plain.Header.Get("ETag"): 304, "*": 304,
		`"a", W/"b" , ` + plain.Header.Get("ETag"): 304, packed.Header.Get("ETag"): 200, `W/"b"`: 200} {
		resp, _ := get("/feeds/web.csv", append(key, "Accept-Encoding", "identity", "If-None-Match", known)...)
		require.Equal(t, status, resp.StatusCode, known)
	}
	for path, status := range map[string]int{"/feeds/web.xls": 401, "/feeds/quay.csv": 401, "/feeds/nowhere.csv": 401} {
		resp, _ := get(path, key...)
		require.Equal(t, status, resp.StatusCode, path)
	}
	for _, wrong := range [][]string{nil, {"Authorization", "Bearer guess"}} {
		resp, _ := get("/feeds/web.csv", wrong...)
		require.Equal(t, 401, resp.StatusCode)
		require.Equal(t, "application/problem+json", resp.Header.Get("Content-Type"))
	}
	resp, _ := get("/feeds/web.csv", a.key("web", "quote")...)
	require.Equal(t, 403, resp.StatusCode)
}

// What is saved is in no feed and no quote before it is published, whichever way it changes: a price that rises and one
// that falls, a product that goes; and what is published stays while it is taken back in the book.
func TestFeedsAndQuotesKnowNothingOfWhatIsSaved(t *testing.T) {
	a := started(t, store.Administrator)
	a.do("PUT", "/api/links/web", object{"kind": "feed"}, 204, nil)
	key := a.key("web", "feed", "quote")
	a.publishes()
	said := func() (prices map[string]string) {
		prices = map[string]string{}
		_, lines := a.fetches("/feeds/web.jsonl", key...)
		for _, text := range strings.Split(strings.TrimSpace(lines), "\n") {
			var l telling.Line
			require.NoError(t, json.Unmarshal([]byte(text), &l))
			if slices.Contains([]string{"BAT-30", "BAT-35", "PLINTH-64"}, l.SKU) {
				prices[l.SKU] = l.Price
			}
		}
		for sku, price := range prices {
			var q quoted
			a.do("POST", "/channel/web/quote", goods(object{"sku": sku, "quantity": 1}), 200, &q, key...)
			require.Equal(t, price, q.Total, "the quote of %s and its feed", sku)
		}
		return prices
	}
	change := func(list map[string]string) {
		for sku, price := range list {
			a.do("PATCH", "/api/products/"+sku, object{"list": price}, 200, nil, "Checks-Seen", "true")
		}
	}
	before := said()
	require.Len(t, before, 3)
	changed := map[string]string{"BAT-30": "99.00", "BAT-35": "17.00", "PLINTH-64": "500.00"}
	change(changed)
	require.Equal(t, before, said(), "saved, and not published")
	a.publishes()
	after := said()
	require.Equal(t, []string{"99.00", "17.00"}, []string{after["BAT-30"], after["BAT-35"]})
	require.NotEqual(t, before["PLINTH-64"], after["PLINTH-64"])
	change(map[string]string{"BAT-30": before["BAT-30"], "BAT-35": before["BAT-35"]})
	require.Equal(t, after, said(), "published, and given up in the book alone")
}

// hostileNames are those of goods that are meant to break a form.
var hostileNames = []string{"=1+1", "@SUM(1)", `"quoted", too`, "two\nlines", "<script>alert(1)</script>", "a & b ]]>", "عجلة خزف", "🎁 gift",
	"100 % & more?x=1#y"}

// hostileSKU is such a name as a SKU, which has no line breaks.
func hostileSKU(i int) string { return strings.ReplaceAll(hostileNames[i], "\n", " ") + fmt.Sprint(i) }

// Each form of a channel's feed says of each product what the channel took, as other people's readers read them.
func TestEveryFormSaysWhatTheChannelTook(t *testing.T) {
	whole := demo.Book(0)
	for i, name := range hostileNames {
		list := money.Int(int64(10 + i))
		whole.Products = append(whole.Products, &pricing.Product{SKU: hostileSKU(i), Name: name, Category: "Tools",
			List: &list})
	}
	a := startedWith(t, store.Administrator, whole)
	out := a.link(object{})
	p := a.publishes()
	key := a.key("web", "feed")
	shows := out.Prices()
	require.Len(t, shows, p.Lines)
	skus := slices.Sorted(maps.Keys(shows))
	for i := range hostileNames {
		require.Contains(t, skus, hostileSKU(i))
	}
	fetch := func(ending string) string {
		resp, text := a.fetches("/feeds/web"+ending, key...)
		require.Equal(t, http.StatusOK, resp.StatusCode)
		return text
	}

	rows := strings.Split(strings.TrimSuffix(fetch(".jsonl"), "\n"), "\n")
	require.Len(t, rows, len(skus))
	for i, sku := range skus {
		took, err := json.Marshal(out.Line(sku))
		require.NoError(t, err)
		require.JSONEq(t, string(took), rows[i])
	}

	table, err := csv.NewReader(strings.NewReader(fetch(".csv"))).ReadAll()
	require.NoError(t, err)
	want := tableOf(out, skus)
	require.Len(t, table, len(want)+1)
	for i, row := range want {
		for j, cell := range row {
			if disarmed := table[i+1][j]; disarmed != cell {
				require.Equal(t, "'"+cell, disarmed)
				require.Contains(t, "=+-@\t\r", cell[:1])
			}
		}
	}

	gnumeric := bySecondReader(t, fetch(".xlsx"))
	require.Len(t, gnumeric, len(want)+1)
	for i, row := range want {
		for j, cell := range row {
			read := gnumeric[i+1][j]
			if (j == 2 || j == 3) && cell != "" { // a number, and binary there
				about := money.MustParse(read).Round(6, money.HalfUp)
				require.True(t, money.MustParse(cell).Equal(about), "%s and %s", cell, read)
				continue
			}
			require.Equal(t, cell, read, "row %d", i)
		}
	}

	var linked struct {
		Graph []struct {
			SKU, Name string
			Offers    struct {
				Price, PriceCurrency, ValidThrough string
				PriceSpecification                 []struct {
					Price            string
					PriceType        map[string]string
					EligibleQuantity struct{ MinValue int }
				}
			}
		} `json:"@graph"`
	}
	require.NoError(t, json.Unmarshal([]byte(fetch(".jsonld")), &linked))
	require.Len(t, linked.Graph, len(skus))
	feed, err := gofeed.NewParser().ParseString(fetch(".xml"))
	require.NoError(t, err)
	require.Len(t, feed.Items, len(skus))
	for i, sku := range skus {
		took, product, item := out.Line(sku), linked.Graph[i], feed.Items[i].Extensions["p"]
		of := product.Offers
		require.Equal(t, []string{sku, took.Name, took.Price, took.Currency, took.Until}, []string{product.SKU, product.Name, of.Price,
			of.PriceCurrency, of.ValidThrough})
		reference, breaks := "", []telling.LineBreak(nil)
		for _, s := range of.PriceSpecification {
			if s.PriceType["@id"] != "" {
				reference = s.Price
			}
			if from := s.EligibleQuantity.MinValue; from > 0 {
				breaks = append(breaks, telling.LineBreak{From: from, Price: s.Price})
			}
		}
		require.Equal(t, took.Reference, reference, sku)
		if took.Method != "" { // the vocabulary has no word for prices by the piece
			require.Empty(t, breaks, sku)
		} else {
			require.Equal(t, took.Breaks, breaks, sku)
		}
		value := func(name string) string {
			for _, e := range item[name] {
				return e.Value
			}
			return ""
		}
		require.Equal(t, []string{took.Price, took.Currency, took.Reference, took.Until}, []string{value("price"), value("currency"),
			value("reference"), value("until")}, sku)
		require.Equal(t, strings.Fields(sku), strings.Fields(value("sku")))
	}
}

// tableOf are the rows of the table of what a channel took: one for each price.
func tableOf(out *publishtest.Channel, skus []string) (rows [][]string) {
	for _, sku := range skus {
		l, least := out.Line(sku), 1
		if l.Order != nil {
			least = l.Order.Min
		}
		row := func(price, reference string, from int, group string) {
			rows = append(rows, []string{sku, l.Name, price, reference, l.Currency, strconv.Itoa(from), group, l.As, l.Until})
		}
		row(l.Price, l.Reference, least, "")
		for _, b := range l.Breaks {
			row(b.Price, "", b.From, "")
		}
		for _, group := range slices.Sorted(maps.Keys(l.Groups)) {
			row(l.Groups[group].Price, "", least, group)
			for _, b := range l.Groups[group].Breaks {
				row(b.Price, "", b.From, group)
			}
		}
	}
	return rows
}

// bySecondReader are the cells of a spreadsheet as gnumeric reads them.
func bySecondReader(t *testing.T, sheet string) [][]string {
	t.Helper()
	from, to := filepath.Join(t.TempDir(), "feed.xlsx"), filepath.Join(t.TempDir(), "feed.csv")
	require.NoError(t, os.WriteFile(from, []byte(sheet), 0o600))
	said, err := exec.CommandContext(t.Context(), "ssconvert", from, to).CombinedOutput()
	require.NoError(t, err, "./test installs Debian's gnumeric: %s", said)
	read, err := os.ReadFile(to)
	require.NoError(t, err)
	rows, err := csv.NewReader(bytes.NewReader(read)).ReadAll()
	require.NoError(t, err)
	return rows
}

// interrupted does something at the first byte that is written to it.
type interrupted struct {
	*httptest.ResponseRecorder
	once sync.Once
	do   func()
}

func (i *interrupted) Write(p []byte) (int, error) {
	i.once.Do(i.do)
	return i.ResponseRecorder.Write(p)
}

// A feed that is written while the channel is told anew has every product all the same.
func TestAFeedWhileTheChannelIsTold(t *testing.T) {
	s := storetest.Open(t)
	require.NoError(t, s.Create(t.Context(), demo.Book(9000), "test", present))
	require.NoError(t, s.SetLink(t.Context(), publish.Link{Channel: "web", Kind: "feed"}))
	live, err := book.OpenLive(t.Context(), s, checks.Guard(s))
	require.NoError(t, err)
	var seconds atomic.Int64
	program := idleBy(t.Context(), s, live, clock.Clocks{Machine: time.Now,
		Book: func() time.Time { return present.Add(time.Duration(seconds.Load()) * time.Second) }})
	publishes := func() {
		seconds.Add(1)
		wholly(t, program, publish.Wish{Whole: true})
	}
	publishes()
	key, err := s.MakeKey(t.Context(), &store.ChannelKey{Channel: "web", Name: "x", Rights: []string{"feed"}, At: present})
	require.NoError(t, err)
	fetch := func(do func()) []string {
		r := httptest.NewRequestWithContext(t.Context(), "GET", "http://127.0.0.1/feeds/web.jsonl", nil)
		r.Header.Set("Authorization", "Bearer "+key)
		w := &interrupted{ResponseRecorder: httptest.NewRecorder(), do: do}
		program.Handler(fstest.MapFS{}).ServeHTTP(w, r)
		return strings.SplitAfter(w.Body.String(), "\n")
	}
	before := fetch(func() {})
	require.Greater(t, len(before), 8000)
	require.Len(t, fetch(publishes), len(before))
}

// wholly publishes to the web shop all that is not blocked.
func wholly(t testing.TB, program *server.Server, wish publish.Wish) {
	t.Helper()
	snap := program.Live.Current()
	d, err := program.Desk.Differences(t.Context(), snap, "web", snap.Moment(program.Clocks.Book()))
	require.NoError(t, err)
	wish.Who, wish.Version = "me", snap.Version
	for i := range d.Rows {
		if d.Rows[i].Blocked() {
			wish.LeaveOut = append(wish.LeaveOut, d.Rows[i].SKU)
		}
	}
	p, err := program.Desk.Prepare(t.Context(), snap, "web", wish)
	require.NoError(t, err)
	_, err = program.Desk.Send(t.Context(), snap, p.ID, "me", "")
	require.NoError(t, err)
	require.NoError(t, program.Sender.Look(t.Context()))
	program.Sender.Idle()
}

// A feed is fetched in pages as well: each names the next, and together they are the whole, in every form.
func TestFeedsInPages(t *testing.T) {
	whole := demo.Book(0)
	for i, name := range hostileNames {
		list := money.Int(int64(10 + i))
		whole.Products = append(whole.Products, &pricing.Product{SKU: hostileSKU(i), Name: name, List: &list})
	}
	a := startedWith(t, store.Administrator, whole)
	a.do("PUT", "/api/links/web", object{"kind": "feed"}, 204, nil)
	a.publishes()
	key := a.key("web", "feed")
	next := regexp.MustCompile(`^<(.+)>; rel="next"$`)
	pages := func(path string, headers ...string) (list []string) {
		for path != "" {
			resp, page := a.fetches(path, headers...)
			require.Equal(t, http.StatusOK, resp.StatusCode, path)
			list = append(list, page)
			if link := resp.Header.Get("Link"); link != "" {
				path = next.FindStringSubmatch(link)[1]
			} else {
				path = ""
			}
		}
		return list
	}
	_, lines := a.fetches("/feeds/web.jsonl", key...)
	total := strings.Count(lines, "\n")
	require.Equal(t, lines, strings.Join(pages("/feeds/web.jsonl?limit=7", key...), ""))
	require.Len(t, pages(fmt.Sprintf("/feeds/web.jsonl?limit=%d", total), key...), 1, "a page that has all names no next")
	require.Len(t, pages(fmt.Sprintf("/feeds/web.jsonl?limit=%d", total-1), key...), 2)
	require.Equal(t, []string{""}, pages("/feeds/web.jsonl?limit=5&after=%F4%8F%BF%BF", key...))
	_, table := a.fetches("/feeds/web.csv", key...)
	header, rows, _ := strings.Cut(table, "\r\n")
	together := ""
	for _, page := range pages("/feeds/web.csv?limit=50&key=" + key[1][len("Bearer "):]) {
		first, some, _ := strings.Cut(page, "\r\n")
		require.Equal(t, header, first)
		together += some
	}
	require.Equal(t, rows, together)
	items := 0
	for _, page := range pages("/feeds/web.xml?limit=50", key...) {
		feed, err := gofeed.NewParser().ParseString(page)
		require.NoError(t, err)
		items += len(feed.Items)
	}
	require.Equal(t, total, items)
	for _, ending := range []string{".jsonld", ".xlsx"} {
		require.Len(t, pages("/feeds/web"+ending+"?limit=50", key...), (total+49)/50, ending)
	}
	first, _ := a.fetches("/feeds/web.csv?limit=5", key...)
	unchanged, _ := a.fetches("/feeds/web.csv?limit=5", append(key, "If-None-Match", first.Header.Get("ETag"))...)
	require.Equal(t, http.StatusNotModified, unchanged.StatusCode)
	for _, wrong := range []string{"0", "-1", "10001", "x"} {
		resp, _ := a.fetches("/feeds/web.csv?limit="+wrong, key...)
		require.Equal(t, http.StatusUnprocessableEntity, resp.StatusCode, wrong)
	}
}
