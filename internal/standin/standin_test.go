package standin

import (
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
)

func put(t *testing.T, url, token, message string) (int, map[string]string) {
	t.Helper()
	req, err := http.NewRequestWithContext(t.Context(), "PUT", url+"/interface/prices", strings.NewReader(message))
	require.NoError(t, err)
	req.Header.Set("Authorization", "Bearer "+token)
	resp, err := http.DefaultClient.Do(req)
	require.NoError(t, err)
	defer resp.Body.Close()
	var said struct{ Answers []answer }
	if resp.StatusCode == http.StatusOK {
		require.NoError(t, json.NewDecoder(resp.Body).Decode(&said))
	}
	messages := map[string]string{}
	for _, a := range said.Answers {
		messages[a.SKU] = a.Message
		require.Equal(t, a.Message == "", a.Taken)
	}
	return resp.StatusCode, messages
}

func page(t *testing.T, url string) (int, string) {
	t.Helper()
	resp, err := http.Get(url)
	require.NoError(t, err)
	defer resp.Body.Close()
	text, err := io.ReadAll(resp.Body)
	require.NoError(t, err)
	return resp.StatusCode, string(text)
}

// Each article is taken or refused by itself, with a reason.
func TestShopTakesAndRefuses(t *testing.T) {
	folder := t.TempDir()
	shop, err := OpenShop(folder, "Shop", "EUR", "secret")
	require.NoError(t, err)
	server := httptest.NewServer(shop.Handler())
	defer server.Close()

	status, _ := put(t, server.URL, "guess", `{"lines":[]}`)
	require.Equal(t, http.StatusUnauthorized, status)
	status, _ = put(t, server.URL, "secret", `prices`)
	require.Equal(t, http.StatusBadRequest, status)

	status, said := put(t, server.URL, "secret", `{"lines":[
		{"sku":"A","name":"Bowl & <b>cup</b>","price":"5.00","reference":"8.00","currency":"EUR","tags":{"add":["week & <end>"],"remove":["old"]}},
		{"sku":"FREE","name":"Free","price":"0.00","currency":"EUR"},
		{"sku":"DOLLAR","name":"D","price":"5.00","currency":"USD"},
		{"sku":"NAMELESS","name":" ","price":"5.00","currency":"EUR"},
		{"sku":"FAKE","name":"F","price":"5.00","reference":"5.00","currency":"EUR"},
		{"sku":"","name":"F","price":"5.00","currency":"EUR"}]}`)
	require.Equal(t, http.StatusOK, status)
	require.Equal(t, map[string]string{"A": "", "FREE": "a price must be above 0", "DOLLAR": "this shop sells in EUR",
		"NAMELESS": "an article without a name cannot be shown", "FAKE": "the reference price must be above the price",
		"": "an article needs a number"}, said)

	status, html := page(t, server.URL+"/goods/A")
	require.Equal(t, http.StatusOK, status)
	require.Contains(t, html, "5.00")
	require.NotContains(t, html, "<b>cup</b>", "a name is text")
	require.Contains(t, html, `<span class="tag">week &amp; &lt;end&gt;</span>`, "tags that came with the price are seen")
	status, _ = page(t, server.URL+"/goods/FREE")
	require.Equal(t, http.StatusNotFound, status, "what was refused is not shown")

	shop.Close()
	again, err := OpenShop(folder, "Shop", "EUR", "secret")
	require.NoError(t, err)
	require.Equal(t, "5.00", again.goods["A"].Price, "the shop keeps what it took")
}

func TestShopDemandsWholeAmountsOfReducedPrices(t *testing.T) {
	shop, err := OpenShop(t.TempDir(), "Outlet", "EUR", "secret")
	require.NoError(t, err)
	defer shop.Close()
	shop.WholeUnits = true
	server := httptest.NewServer(shop.Handler())
	defer server.Close()
	_, said := put(t, server.URL, "secret",
		`{"lines":[{"sku":"A","name":"A","price":"5.50","reference":"8.00","currency":"EUR"},
		{"sku":"B","name":"B","price":"5.00","reference":"8.00","currency":"EUR"},{"sku":"C","name":"C","price":"5.50","currency":"EUR"}]}`)
	require.NotEmpty(t, said["A"])
	require.Empty(t, said["B"])
	require.Empty(t, said["C"], "an ordinary price may have cents")
	_, said = put(t, server.URL, "secret", `{"remove":["B","NEVER"]}`)
	require.Equal(t, map[string]string{"B": "", "NEVER": ""}, said, "what is not there is removed already")
	status, _ := page(t, server.URL+"/goods/B")
	require.Equal(t, http.StatusNotFound, status)
}

// The till answers each file beside it and never reads one twice.
func TestTill(t *testing.T) {
	folder := t.TempDir()
	till, err := OpenTill(folder, "Till", "EUR")
	require.NoError(t, err)
	ctx, cancel := context.WithCancel(t.Context())
	done := make(chan struct{})
	go func() { till.Watch(ctx); close(done) }()
	in := filepath.Join(folder, "in", "one.csv")
	require.NoError(t, os.WriteFile(in+".part",
		[]byte("sku,name,price,reference,currency,from_quantity,group,as,until,action\nA,Cup,5.00,,EUR,1,,ordinary,,set\n"+
			"A,Cup,4.00,,EUR,6,,ordinary,,set\nA,Cup,3.00,,EUR,1,trade,ordinary,,set\nB C,Bowl,6.00,,EUR,1,,ordinary,,set\n"+
			"D,Dish,-1,,EUR,1,,ordinary,,set\nGONE,,,,,,,,,remove\n"),
		0o644))
	require.NoError(t, os.Rename(in+".part", in))
	answers := filepath.Join(folder, "answers", "one.csv")
	require.Eventually(t, func() bool { _, err := os.Stat(answers); return err == nil }, 10*time.Second,
		10*time.Millisecond)
	text, err := os.ReadFile(answers)
	require.NoError(t, err)
	require.Equal(t, "sku,answer,message\nA,taken,\nB C,refused,the till's keys cannot type a number with a space\nD,refused,a price must be above 0\nGONE,taken,\n", string(text))
	require.Eventually(t, func() bool { _, err := os.Stat(filepath.Join(folder, "done", "one.csv")); return err == nil },
		10*time.Second, 10*time.Millisecond)
	cancel()
	<-done
	again, err := OpenTill(folder, "Till", "EUR")
	require.NoError(t, err)
	require.Len(t, again.goods, 1)
	require.Equal(t, "5.00", again.goods["A"].Price)
}

// What a shop has acknowledged it still shows after it was killed, the last message torn or not, and it answers to this
// machine alone.
func TestWhatIsAcknowledgedIsKept(t *testing.T) {
	folder := t.TempDir()
	for round := range 4 {
		shop, err := OpenShop(folder, "Shop", "EUR", "secret")
		require.NoError(t, err)
		server := httptest.NewServer(shop.Handler())
		for i := range 3 {
			status, said := put(t, server.URL, "secret", fmt.Sprintf(
				`{"lines":[{"sku":"A-%d-%d","name":"Cup & saucer","price":"%d.00","currency":"EUR"},{"sku":"GONE","name":"x","price":"1.00","currency":"EUR"}],"remove":["GONE"]}`, round, i, i+1))
			require.Equal(t, http.StatusOK, status)
			require.Empty(t, said["A-0-0"])
		}
		server.Close() // and no Close of the shop: it is killed
		if round%2 == 1 {
			f, err := os.OpenFile(filepath.Join(folder, "shop.json.messages"), os.O_APPEND|os.O_WRONLY, 0o600)
			require.NoError(t, err)
			_, err = f.WriteString(`{"lines":[{"sku":"TORN","na`)
			require.NoError(t, err)
			require.NoError(t, f.Close())
		}
	}
	shop, err := OpenShop(folder, "Shop", "EUR", "secret")
	require.NoError(t, err)
	defer shop.Close()
	require.Len(t, shop.goods, 12)
	require.NotContains(t, shop.goods, "TORN")
	require.NotContains(t, shop.goods, "GONE")

	server := httptest.NewServer(shop.Handler())
	defer server.Close()
	for host, want := range map[string]int{"": 200, "localhost:1": 200, "evil.example": 403,
		"127.0.0.1.evil.example": 403} {
		req, err := http.NewRequestWithContext(t.Context(), "GET", server.URL, nil)
		require.NoError(t, err)
		req.Host = host
		resp, err := http.DefaultClient.Do(req)
		require.NoError(t, err)
		resp.Body.Close()
		require.Equal(t, want, resp.StatusCode, host)
	}
}
