package e2e

import (
	"fmt"
	"net/http"
	"net/http/cookiejar"
	"net/url"
	"regexp"
	"strings"
	"testing"

	"github.com/go-rod/rod/lib/input"
	"github.com/stretchr/testify/require"
)

// alone switches the demo's own offers off, so that the one that is tried is alone.
func (p *program) alone(t *testing.T) {
	t.Helper()
	c := p.client(t, "wout")
	var list struct {
		Rules []struct {
			Rule struct {
				Code  string
				Offer any
				Order any
			}
		}
	}
	getJSON(t, c, p.url+"/api/rules", &list)
	for _, r := range list.Rules {
		if r.Rule.Offer != nil || r.Rule.Order != nil {
			require.Equal(t, 200, sendJSON(t, c, "POST", p.url+"/api/rules/"+r.Rule.Code+"/switch", `{"status":"off"}`))
		}
	}
}

// visitor is somebody at the stand-in shop.
type visitor struct {
	t      *testing.T
	shop   string
	client *http.Client
}

func (p *program) visitor(t *testing.T) *visitor {
	jar, err := cookiejar.New(nil)
	require.NoError(t, err)
	return &visitor{t, p.shop, &http.Client{Jar: jar}}
}

func (v *visitor) post(what string, pairs ...string) string {
	form := url.Values{}
	for i := 0; i+1 < len(pairs); i += 2 {
		form.Add(pairs[i], pairs[i+1])
	}
	resp, err := v.client.PostForm(v.shop+"/cart/"+what, form)
	require.NoError(v.t, err)
	return bodyOf(v.t, resp)
}

var totalPattern = regexp.MustCompile(`data-total>([^<]*)<`)

// total is what the shop's page of the cart says is to be paid.
func total(t *testing.T, page string) string {
	found := totalPattern.FindStringSubmatch(page)
	require.NotNil(t, found, page)
	return found[1]
}

// goods chooses the goods of a part of a deal by a category.
func (h *hand) goods(label, category string) {
	h.t.Helper()
	h.click(fmt.Sprintf("[aria-label^='%s:']", label))
	h.pick("Category", category)
	h.press(input.Escape)
}

// basket fills the basket view by typing without pauses, and waits for what is to be paid.
func (h *hand) basket(p *program, query string, want string, lines ...string) {
	h.t.Helper()
	h.page.show(p.url + "/basket?channel=web&lines=" + query)
	// What is known of a buyer comes in above the field and moves it, perhaps from under the click.
	h.eventually("the field has the focus", func() bool {
		h.click("[aria-label='Put goods in']")
		return h.MustEval(`() => document.activeElement?.getAttribute("aria-label")`).Str() == "Put goods in"
	})
	for _, l := range lines {
		h.write(l)
		// On a loaded machine the page is sometimes drawn anew between two keys: that is told, and typed again.
		if field := h.labelled("Put goods in"); field.MustProperty("value").Str() != l {
			h.t.Logf("of %q the field has %q", l, field.MustProperty("value").Str())
			h.page.typeInto(field, l)
		}
		h.press(input.Enter)
	}
	h.eventually(want+" to pay", func() bool { return h.text("[data-testid=basket-total]") == want })
}

// Each shape of deal is written from its plain words, works in the basket view and costs the same on the shop's page.
func TestShapesOfDeals(t *testing.T) {
	t.Parallel()
	p := start(t, t.TempDir())
	p.alone(t)
	h := &hand{page: p.open(t, "/stack")}
	bats, clothes, shown := "wheels/bats", "clothing", "display"
	for _, c := range []struct {
		name, shape string
		write       func()
		lines       []string
		total       string // with 6.95 for the carriage
	}{
		{"Every fourth bat", "Every n-th piece", func() { h.goods("Goods of need 1", bats) }, []string{"3 BAT-30", "1 BAT-35"}, "60.70"},
		{"Three bats for two", "some of the same", func() { h.goods("Goods of need 1", bats) }, []string{"2 BAT-30", "BAT-35"}, "38.95"},
		{"An apron with two bats", "some of others", func() {
			h.goods("Goods of need 1", bats)
			h.goods("Goods that are reduced", clothes)
		}, []string{"2 x BAT-30", "APRON-SPLIT"}, "35.95"},
		{"Three bats for 40", "A number of pieces", func() {
			h.goods("Goods of need 1", bats)
			h.fill("How much", "40")
		}, []string{"3 BAT-30"}, "46.95"},
		{"Bat & <apron>", "Goods that go together", func() {
			h.goods("Goods of need 1", bats)
			h.goods("Goods of need 2", clothes)
			h.fill("How much", "60")
		}, []string{"BAT-30", "APRON-SPLIT"}, "66.95"},
		{"A bat to an apron", "An add-on", func() {
			h.goods("Goods of need 1", clothes)
			h.goods("Goods that are reduced", bats)
		}, []string{"APRON-SPLIT", "BAT-30"}, "68.70"},
		{"Carriage on us", "Spend and get", func() { h.fill("Amount to be spent", "60") }, []string{"PLINTH-64"}, "64.00"},
		{"A tenth off all", "off the whole basket", func() {}, []string{"PLINTH-64"}, "64.55"},
	} {
		h.page.show(p.url + "/stack/new?layer=promotion&channel=web")
		h.labelled("Name")
		h.write(c.name)
		h.click("[data-testid=shapes] button", c.shape)
		c.write()
		h.find("[data-testid=trial] tr.bg-wash") // where the deal first applies
		h.press(input.ControlLeft, input.Enter)
		code := h.find("[data-rule]", regexp.QuoteMeta(c.name)).MustAttribute("data-rule")
		h.basket(p, "&shipping=6.95", c.total, c.lines...)
		h.find(fmt.Sprintf("[data-offer=%q]", *code))
		p.tells(t, "web")
		v := p.visitor(t)
		page := ""
		for _, l := range c.lines {
			n, sku, found := strings.Cut(strings.Replace(l, " x ", " ", 1), " ")
			if !found {
				n, sku = "1", l
			}
			page = v.post("add", "sku", sku, "quantity", n)
		}
		require.Equal(t, c.total, total(t, page), c.name)
		require.Equal(t, 200, sendJSON(t, p.client(t, "wout"), "POST", p.url+"/api/rules/"+*code+"/switch", `{"status":"off"}`))
	}

	// After a purchase: somebody buys on the shop's page, and the offer opens for them alone.
	h.page.show(p.url + "/stack/new?layer=promotion&channel=web")
	h.labelled("Name")
	h.write("After a plinth")
	h.click("[data-testid=shapes] button", "After a purchase")
	h.goods("Goods bought before", shown)
	h.click("summary", "What the public sees")
	h.click("label", "Message – may name")
	h.write("Hello {name}, thank you for {goods}")
	h.find("[data-testid=message]", "thank you for Turned display plinth")
	h.press(input.ControlLeft, input.Enter)
	h.find("[data-rule=AFTER-A-PLINTH]")
	p.tells(t, "web")
	v := p.visitor(t)
	v.post("buyer", "buyer", "C-12")
	v.post("add", "sku", "PLINTH-64", "quantity", "1")
	require.Contains(t, v.post("order"), "AFTER-A-PLINTH")
	v.post("add", "sku", "APRON-SPLIT", "quantity", "1")
	h.eventually("it costs less on the shop's page, from a second after the purchase on", func() bool {
		return total(t, v.post("change", "line", "0", "quantity", "1")) == "53.27" // with 6.95 for the carriage
	})
	h.basket(p, "&who=customer:C-12&at=2026-11-27T10:00", "46.32", "APRON-SPLIT")
	h.basket(p, "&at=2026-11-27T10:00", "54.50", "APRON-SPLIT")
	h.page.show(p.shop + "/mails")
	h.eventually("the mail comes", func() bool { h.MustReload(); return h.text("[data-mail]") != "" })
	h.says("Hello Ottoline Brack, thank you for Turned display plinth")

	// An order by the six: another number is a problem beside the line, and priced all the same.
	h.page.show(p.url + "/stack/new?layer=promotion&channel=web")
	h.labelled("Name")
	h.write("By the six")
	h.click("[data-testid=shapes] button", "Least, multiple")
	h.fill("by the multiple", "6")
	h.category(bats)
	h.find("[data-testid=trial]", "can be ordered")
	h.press(input.ControlLeft, input.Enter)
	h.find("[data-rule=BY-THE-SIX]")
	h.basket(p, "", "29.00", "2 BAT-30")
	h.says("cannot be ordered: at least 6, in multiples of 6")
	p.tells(t, "web")
	page := p.visitor(t).post("add", "sku", "BAT-30", "quantity", "2")
	require.Contains(t, page, "at least 6, in multiples of 6", "the shop says so too")
	require.Equal(t, "35.95", total(t, page))
}

// A basket is filled piece by piece, says what each piece changed, is a link, and is pinned as a check.
func TestTheBasket(t *testing.T) {
	t.Parallel()
	p := start(t, t.TempDir())
	h := &hand{page: p.openAs(t, "maren", "/basket")}
	h.says("The basket is empty")
	h.basket(p, "", "39.20", "2 UG-01-J2", "UG-01-J2")
	h.write("nothing like this")
	h.press(input.Enter)
	h.says("Nothing by the name “nothing like this”")
	field := h.labelled("Put goods in")
	require.Equal(t, "nothing like this", field.MustProperty("value").Str(), "what was typed is not lost")
	h.write("x") // it is chosen: whoever types on replaces it
	require.Equal(t, "x", field.MustProperty("value").Str())
	h.press(input.Backspace)
	h.find("[data-testid=basket-step]", "Three underglazes for two")
	h.click("[aria-label^='One fewer of Chalk']")
	h.find("[data-testid=basket-step]", "goes")
	h.eventually("two cost as much as three", func() bool { return h.text("[data-testid=basket-total]") == "39.20" })
	h.find("[data-testid=missed]", "wants 3 of its goods, and 2 are here")
	h.click("[data-testid=nudges] button[aria-label*='Three underglazes']")
	h.find("[data-testid=basket-step]", "comes in")

	// What is wrong is said beside its line, and nothing is lost.
	pieces := h.find("[aria-label^='Pieces of Chalk']")
	for text, says := range map[string]string{"0": "Must be at least 1", "1.5": "A whole number of pieces", "999999999": "from 1 to 100000"} {
		h.typeInto(pieces, text)
		h.eventually(says, func() bool { return strings.Contains(h.text("[data-line]"), says) })
	}
	h.typeInto(pieces, "3")
	h.eventually("it is mended", func() bool { return h.text("[data-testid=basket-total]") == "39.20" })
	h.write("") // the field keeps what was typed

	// Codes are presented as they are written; a day of hire has its dates; what a till may take off is bounded.
	h.click("[aria-label^='Codes that are presented']")
	h.write("wet-clay")
	h.press(input.Enter)
	h.says("opens nothing here")
	h.press(input.Escape)
	h.basket(p, "&who=group:members&codes=WET-CLAY", "50.14", "APRON-SPLIT")
	h.click("button", "off by hand")
	h.fill("Off by hand from Split-leg apron, waxed cotton, 34\" waist", "60")
	h.says("more than may be taken off by hand")
	h.basket(p, "", "60.00", "HIRE-WHEEL")
	h.click("button", "days of hire")
	h.typeInto(h.labelled("Return of Throwing wheel, hire by the day"), "tomorrow 16:00")
	h.press(input.Enter)
	h.eventually("two days, one of them dearer", func() bool { return h.text("[data-testid=basket-total]") == "132.00" })

	// Whoever is sent the address sees the same basket; it is pinned, and a change that would break it says so.
	link := h.MustInfo().URL
	other := p.openAs(t, "tessel", strings.TrimPrefix(link, p.url))
	other.eventually("the same basket", func() bool { return other.text("[data-testid=basket-total]") == "132.00" })
	require.Empty(t, other.texts("button", "Pin as check"), "a reader pins nothing")
	h.click("button", "Pin as check")
	h.click("button", "Pin the basket")
	h.find("button", "Pinned")
	h.page.show(p.url + "/stack/rule/WEEKEND-HIRE")
	h.fill("How much", "30")
	h.find("[aria-label=Impact]", "hire by the day")
	h.page.show(p.url + "/catalogue/checks")
	h.click("a", "1 Throwing wheel, hire by the day")
	h.eventually("the pinned basket", func() bool { return h.text("[data-testid=basket-total]") == "132.00" })
}

// Codes are made, found and used up on the shop's page; a key is shown once.
func TestCodesAndKeys(t *testing.T) {
	t.Parallel()
	p := start(t, t.TempDir())
	h := &hand{page: p.open(t, "/catalogue/codes?item=FAIR-VOUCHER")}
	h.fill("Beginning of the codes", "fair-")
	h.fill("How many codes", "1000000")
	h.click("button", "Make them")
	h.says("must be from 1 to 100,000")
	h.fill("How many codes", "50")
	h.click("button", "Make them")
	h.says("Made 50 codes, such as FAIR-")
	h.find("[data-testid=codes] li")
	word := strings.Fields(h.text("[data-testid=codes] li"))[0]
	h.click("button", "Paste codes")
	h.typeInto(h.labelled("Codes, one a line"), "FAIR-BY-HAND\nsmall-one")
	h.click("button", "Take them")
	h.says("line 2, “small-one” must be 3 to 40 capital letters")
	h.typeInto(h.labelled("Codes, one a line"), "FAIR-BY-HAND")
	h.click("button", "Take them")
	h.says("251 codes beside the book")

	v := p.visitor(t)
	v.post("add", "sku", "PLINTH-64", "quantity", "1")
	require.Equal(t, "70.95", total(t, v.post("code", "code", strings.ToLower(word))))
	v.post("uncode", "code", strings.ToLower(word))
	require.Equal(t, "60.95", total(t, v.post("code", "code", word)))
	require.Contains(t, v.post("order"), "Thank you")
	v.post("add", "sku", "PLINTH-64", "quantity", "1")
	page := v.post("code", "code", word)
	require.Equal(t, "70.95", total(t, page), "a voucher is good once")
	h.page.show(p.url + "/catalogue/codes?item=FAIR-VOUCHER")
	h.find("[data-testid=uses]", word)

	h.page.show(p.url + "/catalogue/keys")
	h.fill("What the key is for", "a till & <its> test")
	h.click("button", "Make a key")
	key := h.find("[data-testid=new-key]").MustText()
	quote := func() int {
		req, err := http.NewRequest("POST", p.url+"/channel/web/quote", strings.NewReader(`{"lines":[{"sku":"BAT-30"}]}`))
		require.NoError(t, err)
		req.Header.Set("Authorization", "Bearer "+key)
		resp, err := http.DefaultClient.Do(req)
		require.NoError(t, err)
		bodyOf(t, resp)
		return resp.StatusCode
	}
	require.Equal(t, 200, quote())
	h.MustReload()
	h.find("[data-key='a till & <its> test']")
	require.NotContains(t, h.text("body"), key)
	h.click("[aria-label='Revoke a till & <its> test']")
	h.click("button", "Revoke it")
	h.find("tr", "revoked")
	require.Equal(t, 401, quote())
}
