package standin

import (
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/http/cookiejar"
	"net/http/httptest"
	"net/url"
	"testing"

	"github.com/stretchr/testify/require"
)

// asked is what a stand-in asked the program last, which answers any basket alike.
func asked(t *testing.T, ask func(Quotes)) *map[string]any {
	question := map[string]any{}
	program := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		clear(question)
		if r.Method == http.MethodPost {
			require.NoError(t, json.NewDecoder(r.Body).Decode(&question))
		}
		lines := question["lines"]
		n := 0
		if list, is := lines.([]any); is {
			n = len(list)
		}
		answer := map[string]any{"currency": "EUR", "subtotal": "5.00", "shipping": "0.00", "total": "4.50",
			"idle": []any{map[string]any{"code": "<x>", "label": "A & B", "words": "it is used up"}},
			"tax":  []any{map[string]any{"percent": "21", "of": "4.50", "amount": "0.78"}}}
		rows := make([]any, n)
		for i := range rows {
			rows[i] = map[string]any{"unit": "5.00", "total": "4.50",
				"portions": []any{map[string]any{"labels": []string{"Sale & <b>"}}}}
		}
		answer["lines"] = rows
		_ = json.NewEncoder(w).Encode(answer)
	}))
	t.Cleanup(program.Close)
	ask(Quotes{Address: program.URL, Key: "key"})
	return &question
}

// visitor is somebody with a cart.
func visitor(t *testing.T) *http.Client {
	jar, err := cookiejar.New(nil)
	require.NoError(t, err)
	return &http.Client{Jar: jar}
}

func posts(t *testing.T, c *http.Client, address string, form url.Values) string {
	t.Helper()
	resp, err := c.PostForm(address, form)
	require.NoError(t, err)
	defer resp.Body.Close()
	text, err := io.ReadAll(resp.Body)
	require.NoError(t, err)
	require.Equal(t, http.StatusOK, resp.StatusCode)
	return string(text)
}

// A till has a basket of its own: it asks what it costs, without delivery, and whoever stands there may take something
// off by hand.
func TestTillHasABasket(t *testing.T) {
	till, err := OpenTill(t.TempDir(), "Till & <b>", "EUR")
	require.NoError(t, err)
	question := asked(t, till.Ask)
	till.goods["A <b>"] = Article{SKU: "A <b>", Name: "Bowl & <i>cup</i>", Price: "5.00"}
	server := httptest.NewServer(till.Handler())
	defer server.Close()
	c := visitor(t)
	posts(t, c, server.URL+"/cart/add", url.Values{"sku": {"A <b>"}, "quantity": {"1"}})
	posts(t, c, server.URL+"/cart/add", url.Values{"sku": {"A <b>"}, "quantity": {"2"}})
	html := posts(t, c, server.URL+"/cart/change", url.Values{"line": {"0"}, "quantity": {"3"}, "off": {" 5 "}})
	require.Equal(t, []any{map[string]any{"sku": "A <b>", "quantity": 3.0, "byHand": map[string]any{"percentOff": "5"}}},
		(*question)["lines"])
	require.NotContains(t, *question, "shipping", "nothing is delivered from a till")
	for _, says := range []string{"Bowl &amp; &lt;i&gt;cup&lt;/i&gt;", "Sale &amp; &lt;b&gt;", "4.50", "Tax of 21 %",
		"&lt;x&gt; is “A &amp; B”, but changes nothing: it is used up"} {
		require.Contains(t, html, says)
	}
	require.NotContains(t, html, "Carriage")
	posts(t, c, server.URL+"/cart/change", url.Values{"line": {"0"}, "quantity": {"3"}, "off": {""}})
	require.NotContains(t, (*question)["lines"].([]any)[0], "byHand")
	require.Contains(t, posts(t, c, server.URL+"/cart/order", nil), "Thank you")
	_, page := page(t, server.URL+"/")
	require.Contains(t, page, "Bowl &amp;")
}

// Goods that belong together go into the cart as they were chosen, in their numbers.
func TestGoodsOfADealGoIntoTheCartTogether(t *testing.T) {
	shop, err := OpenShop(t.TempDir(), "Shop", "EUR", "secret")
	require.NoError(t, err)
	defer shop.Close()
	question := asked(t, shop.Ask)
	server := httptest.NewServer(shop.Handler())
	defer server.Close()
	posts(t, visitor(t), server.URL+"/cart/add-all", url.Values{"sku": {"KILN", "POST-2"}, "quantity": {"1", "4"}})
	require.Equal(t, "[map[quantity:1 sku:KILN] map[quantity:4 sku:POST-2]]", fmt.Sprint((*question)["lines"]))
	require.Equal(t, "6.95", (*question)["shipping"])
}

func TestLastTime(t *testing.T) {
	for end, says := range map[string]string{"2027-01-11T00:00": "until 10 January 2027",
		"2027-03-01T00:00": "until 28 February 2027", "2026-12-05T18:00": "until 5 December 2026, 18:00",
		"soon": "before soon"} {
		require.Equal(t, says, lastTime(end))
	}
}

// Addresses in a letter lead somewhere; what stands around them stays text.
func TestAddressesOfALetter(t *testing.T) {
	l := letter{Text: `Look (http://shop.example/goods/A%2F1) & <b> or https://x.example/y.`}
	require.Equal(t, []words{{Text: "Look ("}, {Address: "http://shop.example/goods/A%2F1"}, {Text: ") & <b> or "},
		{Address: "https://x.example/y"}, {Text: "."}}, l.Parts())
}
