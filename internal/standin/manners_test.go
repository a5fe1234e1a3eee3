package standin

import (
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"net/url"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
)

// served is a shop with its address; it admits whoever says "secret".
func served(t *testing.T) (*Shop, string) {
	t.Helper()
	shop, err := OpenShop(t.TempDir(), "Shop & <co>", "EUR", "secret")
	require.NoError(t, err)
	server := httptest.NewServer(shop.Handler())
	t.Cleanup(func() { server.Close(); shop.Close() })
	return shop, server.URL
}

// priceOf is what a shop shows of an article; "": nothing.
func (s *Shop) priceOf(sku string) string {
	s.mu.RLock()
	defer s.mu.RUnlock()
	return s.goods[sku].Price
}

// tell sends a part under a key.
func tell(t *testing.T, address, key, message string) (*http.Response, string) {
	t.Helper()
	req, err := http.NewRequestWithContext(t.Context(), "PUT", address+"/interface/prices", strings.NewReader(message))
	require.NoError(t, err)
	req.Header.Set("Authorization", "Bearer secret")
	req.Header.Set("Idempotency-Key", key)
	// Over a kept connection the client would send such a request again by itself.
	resp, err := (&http.Client{Transport: &http.Transport{DisableKeepAlives: true}}).Do(req)
	if err != nil {
		return nil, err.Error()
	}
	defer resp.Body.Close()
	text, err := io.ReadAll(resp.Body)
	require.NoError(t, err)
	return resp, string(text)
}

func ask(t *testing.T, address string) (*http.Response, string) {
	t.Helper()
	req, err := http.NewRequestWithContext(t.Context(), "GET", address, nil)
	require.NoError(t, err)
	req.Header.Set("Authorization", "Bearer secret")
	resp, err := http.DefaultClient.Do(req)
	require.NoError(t, err)
	defer resp.Body.Close()
	text, err := io.ReadAll(resp.Body)
	require.NoError(t, err)
	return resp, string(text)
}

const cup = `{"publication":%d,"part":1,"lines":[{"sku":"A","name":"Cup & <saucer>","price":"%s","currency":"EUR"}]}`

// The same key has the same answer, whatever comes with it; what is older than the newest is refused.
func TestAKeyIsAnsweredOnce(t *testing.T) {
	shop, address := served(t)
	_, first := tell(t, address, "4-1", fmt.Sprintf(cup, 4, "5.00"))
	resp, again := tell(t, address, "4-1", fmt.Sprintf(cup, 4, "6.00"))
	require.Equal(t, http.StatusOK, resp.StatusCode)
	require.Equal(t, first, again)
	require.Equal(t, "5.00", shop.priceOf("A"))
	resp, _ = tell(t, address, "3-1", fmt.Sprintf(cup, 3, "6.00"))
	require.Equal(t, http.StatusConflict, resp.StatusCode)
}

// Each bad manner does what its name says, and is over when it is switched off.
func TestManners(t *testing.T) {
	shop, address := served(t)
	shop.Behave(Manners{Busy: true})
	resp, _ := tell(t, address, "1-1", fmt.Sprintf(cup, 1, "5.00"))
	require.Equal(t, []any{http.StatusServiceUnavailable, "5"}, []any{resp.StatusCode, resp.Header.Get("Retry-After")})
	shop.Behave(Manners{Cuts: true})
	resp, _ = tell(t, address, "1-1", fmt.Sprintf(cup, 1, "5.00"))
	require.Nil(t, resp, "the connection breaks")
	require.Equal(t, "5.00", shop.priceOf("A"), "after it has taken the price")
	shop.Behave(Manners{Refuses: "SAUCER"})
	_, said := tell(t, address, "2-1", fmt.Sprintf(cup, 2, "6.00"))
	require.Contains(t, said, `"taken":false`)
	shop.Behave(Manners{Twice: true})
	_, said = tell(t, address, "3-1", fmt.Sprintf(cup, 3, "6.00"))
	require.Equal(t, 2, strings.Count(said, `"sku":"A"`))
	shop.Behave(Manners{Slow: 30 * time.Millisecond})
	began := time.Now()
	tell(t, address, "4-1", fmt.Sprintf(cup, 4, "7.00"))
	require.GreaterOrEqual(t, time.Since(began), 30*time.Millisecond)
	shop.Behave(Manners{})
	resp, _ = tell(t, address, "5-1", fmt.Sprintf(cup, 5, "8.00"))
	require.Equal(t, http.StatusOK, resp.StatusCode)
	require.Equal(t, "8.00", shop.priceOf("A"))
}

// What is reviewed is not shown before its time; then it is answered, again and again alike.
func TestReviews(t *testing.T) {
	shop, address := served(t)
	shop.Behave(Manners{Reviews: 300 * time.Millisecond})
	resp, said := tell(t, address, "1-1", fmt.Sprintf(cup, 1, "5.00"))
	require.Equal(t, http.StatusAccepted, resp.StatusCode)
	require.NotEmpty(t, resp.Header.Get("Retry-After"))
	var in struct{ Review string }
	require.NoError(t, json.Unmarshal([]byte(said), &in))
	resp, _ = ask(t, address+"/interface"+in.Review)
	require.Equal(t, http.StatusAccepted, resp.StatusCode)
	require.Empty(t, shop.priceOf("A"))
	require.Eventually(t, func() bool {
		resp, said = ask(t, address+"/interface"+in.Review)
		return resp.StatusCode == http.StatusOK
	}, 10*time.Second, 20*time.Millisecond)
	require.Contains(t, said, `"taken":true`)
	_, again := ask(t, address+"/interface"+in.Review)
	require.Equal(t, said, again)
	resp, _ = ask(t, address+"/interface/prices/reviews/9-9")
	require.Equal(t, http.StatusNotFound, resp.StatusCode)
}

// What is shown is told by the bytes of the SKU, in pages.
func TestShownInPages(t *testing.T) {
	shop, address := served(t)
	for i := range 2500 {
		sku := fmt.Sprintf("S & %04d", i)
		shop.goods[sku] = Article{SKU: sku, Name: "x", Price: "1.00", Currency: "EUR"}
	}
	var all []string
	for next, pages := "", 0; pages == 0 || next != ""; pages++ {
		_, said := ask(t, address+"/interface/prices?after="+url.QueryEscape(next))
		var page struct {
			Lines []Article
			Next  string
		}
		require.NoError(t, json.Unmarshal([]byte(said), &page))
		for _, l := range page.Lines {
			all = append(all, l.SKU)
		}
		next = page.Next
	}
	require.Len(t, all, 2500)
	require.IsIncreasing(t, all)
}

// Manners are set from the shop's own page alone; texts in it are texts.
func TestMannersPage(t *testing.T) {
	shop, address := served(t)
	tell(t, address, "1-1", fmt.Sprintf(cup, 1, "5.00"))
	post := func(site string, form url.Values) int {
		req, err := http.NewRequestWithContext(t.Context(), "POST", address+"/manners", strings.NewReader(form.Encode()))
		require.NoError(t, err)
		req.Header.Set("Content-Type", "application/x-www-form-urlencoded")
		req.Header.Set("Sec-Fetch-Site", site)
		resp, err := http.DefaultClient.Do(req)
		require.NoError(t, err)
		resp.Body.Close()
		return resp.StatusCode
	}
	require.Equal(t, http.StatusForbidden, post("cross-site", url.Values{"busy": {"on"}}))
	require.False(t, shop.behaviour().Busy)
	require.Equal(t, http.StatusOK, post("same-origin", url.Values{"refuses": {`"><script>`}, "twice": {"on"}, "reviews": {"-4"},
		"sku": {"A"}, "price": {"1.23"}}))
	require.Equal(t, Manners{Refuses: `"><script>`, Twice: true}, shop.behaviour())
	require.Equal(t, "1.23", shop.priceOf("A"), "changed by itself")
	_, html := page(t, address+"/manners")
	require.NotContains(t, html, "<script>")
	post("same-origin", url.Values{"sku": {"A"}})
	require.Empty(t, shop.priceOf("A"), "forgotten")
}

const priceFile = "sku,name,price,reference,currency,from_quantity,group,as,until,action\nA,\"Cup & <b>\",5.00,,EUR,1,,ordinary,,set\n"

// A till that is off, or past its cut-off, leaves files where they lie; its page says so.
func TestATillHasHours(t *testing.T) {
	folder := t.TempDir()
	till, err := OpenTill(folder, "Quay <till>", "EUR")
	require.NoError(t, err)
	clock := time.Date(2026, 11, 26, 18, 30, 0, 0, time.UTC)
	till.Now = func() time.Time { till.mu.Lock(); defer till.mu.Unlock(); return clock }
	server := httptest.NewServer(till.Handler())
	defer server.Close()
	till.Behave(TillManners{CutOff: "18:00"})
	ctx, cancel := context.WithCancel(t.Context())
	done := make(chan struct{})
	go func() { till.Watch(ctx); close(done) }()
	defer func() { cancel(); <-done }()
	require.NoError(t, os.WriteFile(filepath.Join(folder, "in", "1.csv"), []byte(priceFile), 0o600))
	answered := func() bool { _, err := os.Stat(filepath.Join(folder, "answers", "1.csv")); return err == nil }
	require.Never(t, answered, 400*time.Millisecond, 20*time.Millisecond)
	_, html := page(t, server.URL)
	require.Contains(t, html, "It takes no files now</b>; 1 files wait")
	require.Contains(t, html, "Quay &lt;till&gt;")
	till.mu.Lock()
	clock = clock.Add(6 * time.Hour)
	till.mu.Unlock()
	require.Eventually(t, answered, 10*time.Second, 10*time.Millisecond, "after midnight")

	resp, err := http.PostForm(server.URL, url.Values{"off": {"on"}, "cutoff": {"6pm"}})
	require.NoError(t, err)
	resp.Body.Close()
	require.Equal(t, http.StatusUnprocessableEntity, resp.StatusCode)
	resp, err = http.PostForm(server.URL, url.Values{"off": {"on"}, "sku": {"A"}, "price": {"0.01"}})
	require.NoError(t, err)
	resp.Body.Close()
	require.False(t, till.open())
	_, html = page(t, server.URL+"?q=CUP")
	require.Contains(t, html, "Cup &amp; &lt;b&gt;")
	require.Contains(t, html, "EUR 0.01", "it changed a price by itself")
}

// A shop that fetches its feed shows what it says, a guest's price alone, and asks no more than whether it has changed.
func TestAShopFetchesItsFeed(t *testing.T) {
	shop, address := served(t)
	price, asked, whole := "5.00", 0, 0
	feed := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		asked++
		if r.Header.Get("Authorization") != "Bearer key" {
			w.WriteHeader(http.StatusUnauthorized)
			return
		}
		if r.Header.Get("If-None-Match") == `"`+price+`"` {
			w.WriteHeader(http.StatusNotModified)
			return
		}
		whole++
		w.Header().Set("ETag", `"`+price+`"`)
		fmt.Fprintf(w, "sku,name,price,reference,currency,from_quantity,group,as,until\r\n'=A,'=1+1,%s,8.00,EUR,1,,reduced,\r\n"+
			"'=A,'=1+1,4.00,,EUR,6,,reduced,\r\nB,\"Two\nlines\",3.00,,EUR,2,,ordinary,\r\nB,x,2.00,,EUR,2,trade,ordinary,\r\n", price)
	}))
	defer feed.Close()
	require.ErrorContains(t, shop.fetch(t.Context(), feed.URL, "guess"), "401")
	require.NoError(t, shop.fetch(t.Context(), feed.URL, "key"))
	require.NoError(t, shop.fetch(t.Context(), feed.URL, "key"))
	require.Equal(t, []int{3, 1}, []int{asked, whole})
	require.Equal(t, []string{"=1+1", "5.00", "8.00", "3.00"}, []string{shop.goods["=A"].Name, shop.goods["=A"].Price,
		shop.goods["=A"].Reference, shop.goods["B"].Price})
	price = "6.00"
	require.NoError(t, shop.fetch(t.Context(), feed.URL, "key"))
	_, html := page(t, address+"/goods/=A")
	require.Contains(t, html, "6.00")
}
