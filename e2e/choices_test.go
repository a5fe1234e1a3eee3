package e2e

import (
	"encoding/json"
	"fmt"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"dogbane/internal/publish/publishtest"
)

// small starts a program with a small book of hostile names whose web shop is a channel of the test's own, published
// once, and with somebody signed in who may do all.
func small(t *testing.T, rules, more string) (*program, *publishtest.Channel, *http.Client) {
	t.Helper()
	out := publishtest.Open(t)
	data := t.TempDir()
	p := start(t, data, "--empty")
	c := p.admin(t)
	tell[any](t, c, "PUT", p.url+"/api/setup", map[string]any{"currency": "EUR", "timeZone": "UTC",
		"pricesIncludeTax": true, "taxRates": map[string]string{}, "rounding": "half-up", "roundAt": "end"}, 200)
	put(t, data, rules, more)
	tell[any](t, c, "PUT", p.url+"/api/links/web", map[string]string{"kind": "http", "address": out.Address(),
		"token": "secret"}, 204)
	return p, out, c
}

// put makes a book the saved one.
func put(t *testing.T, data, rules, more string) {
	t.Helper()
	text := `{"book":"dogbane/1","settings":{"currency":"EUR","timeZone":"UTC"},"channels":[{"code":"web","name":"Web & <shop>"}],
		"products":[{"sku":"A & <b>","name":"=Jar \"🏺\"","list":"10.00","cost":"4.00"},{"sku":"B","name":"عجلة","list":"20.00","cost":"9.00"},
		{"sku":"C","name":"Cup","list":"30.00","cost":"12.00"}` + more + `],"rules":[` + rules + `]}`
	file := filepath.Join(t.TempDir(), "book.json")
	require.NoError(t, os.WriteFile(file, []byte(text), 0o600))
	said, err := exec.Command(binary, "import", file, "--data", data).CombinedOutput()
	require.NoError(t, err, string(said))
}

// saves keeps a rule.
func (p *program) saves(t *testing.T, c *http.Client, rule string) {
	t.Helper()
	got, text := ask(t, c, "POST", p.url+"/api/rules", json.RawMessage(rule))
	require.Equal(t, http.StatusOK, got, text)
}

const (
	oneOff  = `{"code":"ONE","name":"One & <off>","layer":"sale","rank":1,"where":{"sku":["A & <b>"]},"effect":{"percentOff":"10"}}`
	twoOff  = `{"code":"TWO","name":"Two \"off\"","layer":"sale","rank":2,"where":{"sku":["B"]},"effect":{"percentOff":"10"}}`
	theDeal = `{"code":"DEAL","name":"internal name","layer":"promotion","rank":1,"where":{"all":[]},"show":{"label":"Three for two 🎁"},` +
		`"offer":{"needs":[{"id":"n","where":{"sku":["C"]},"quantity":3}],"gives":[{"percentOff":"100","to":"n","units":1}]}}`
)

// Unticked is not sent: nothing where all is unticked, and one deal alone where it alone is ticked; what a filter shows
// changes nothing of it.
func TestWhatIsUntickedIsNotSent(t *testing.T) {
	t.Parallel()
	p, out, c := small(t, "", "")
	p.tellsAll(t, c)
	require.Equal(t, map[string]string{"A & <b>": "10.00", "B": "20.00", "C": "30.00"}, out.Prices())
	for _, r := range []string{oneOff, twoOff, theDeal} {
		p.saves(t, c, r)
	}
	before := out.Asked()
	pg := p.openFor(t, c, "/publish?channel=web")
	pg.find("button", "^Send 2 prices and 1 deal to the ")
	pg.click("[aria-label='Send all that was changed']")
	pg.find("button[disabled]", "^Nothing to send$")
	pg.click(`[aria-label="Send internal name"]`)
	pg.find("button", "^Send 1 deal to the ")
	pg.click("[data-piece='rule ONE'] button", "One & <off>") // its prices alone are looked at
	pg.find("button", "^Send 1 deal to the ")
	pg.click("button", "^Send 1 deal to the ")
	pg.find("[data-testid=send-result]", "no price changes now|took every price")
	require.Equal(t, map[string]string{"A & <b>": "10.00", "B": "20.00", "C": "30.00"}, out.Prices())
	require.Equal(t, 1, out.Asked()-before, "one request: the deal")
	pg.show(p.url + "/publish?channel=web&tab=history")
	pg.click("li button", "1 deal|no price|all taken|done|published")
	pg.find("section, div", "internal name")
	pg.show(p.url + "/publish?channel=web")
	pg.find("button", "^Send 2 prices to the ")
	status, said := ask(t, c, "POST", p.url+"/api/channels/web/publications", map[string]any{"version": p.saved(t, c),
		"only": map[string]any{"pieces": []string{}}})
	require.Equal(t, http.StatusUnprocessableEntity, status, said)
	out.Check(t)
}

// What was not chosen stays a difference, what was left out stays left out, each time; what is sent beside them is sent.
func TestLeftOutTwice(t *testing.T) {
	t.Parallel()
	p, out, c := small(t, "", "")
	p.tellsAll(t, c)
	p.saves(t, c, strings.Replace(oneOff, `"percentOff":"10"`, `"amountOff":"8.00"`, 1)) // 2.00 is below the cost of 4.00
	p.saves(t, c, twoOff)
	pg := p.openFor(t, c, "/publish?channel=web")
	pg.find("[data-testid=undecided]", "1 blocked")
	pg.click("button", "^Leave out all 1 blocked$")
	pg.click("button", "^Send 1 price to the ")
	pg.find("[data-testid=send-result]", "took every price")
	require.Equal(t, map[string]string{"A & <b>": "10.00", "B": "18.00", "C": "30.00"}, out.Prices())
	p.saves(t, c, `{"code":"CUP","layer":"sale","rank":3,"where":{"sku":["C"]},"effect":{"percentOff":"10"}}`)
	pg.show(p.url + "/publish?channel=web")
	pg.click("button", "^Send 1 price to the ")
	pg.find("[data-testid=send-result]", "took every price")
	require.Equal(t, map[string]string{"A & <b>": "10.00", "B": "18.00", "C": "27.00"}, out.Prices())
	pg.show(p.url + "/publish?channel=web")
	pg.find(`[data-sku="A & <b>"]`, "left out")
	pg.find("button[disabled]", "^Nothing to send$")
	out.Check(t)
}

// Whoever agrees sees the planned prices that they agree to, by date, and the note of whoever asks.
func TestAPlannedSaleIsAgreedTo(t *testing.T) {
	t.Parallel()
	begins := time.Now().UTC().AddDate(0, 0, 40)
	p, out, c := small(t, "", "")
	p.tellsAll(t, c)
	tell[any](t, c, "PUT", p.url+"/api/links/web", map[string]string{"kind": "http", "address": out.Address(),
		"approval": "always"}, 204)
	tell[any](t, c, "POST", p.url+"/api/people", map[string]any{"active": true, "name": "second", "fullName": "Second & <one>", "role": "approver",
		"password": "sprigs-and-slip"}, 204)
	p.saves(t, c, strings.Replace(oneOff, `"effect"`, `"window":{"from":"`+begins.Format("2006-01-02")+`T00:00"},"effect"`, 1))
	pg := p.openFor(t, c, "/publish?channel=web")
	pg.typeInto(pg.labelled("A note to whoever agrees"), "as agreed on the “phone” <b>")
	pg.click("button", "^Send 1 planned change to the ")
	pg.find("[data-testid=send-result]", "waits for a second person")
	second := p.openFor(t, p.signedIn(t, "second", "sprigs-and-slip"), "/publish?channel=web")
	second.find("[aria-label='Waits for a second person']", "1 from .*"+begins.Format("2 Jan 2006"))
	second.find("[aria-label='Waits for a second person']", "as agreed on the “phone” <b>")
	second.click("button", "^Approve and send$")
	second.eventually("nothing waits any more", func() bool {
		return len(second.texts("[aria-label='Waits for a second person']", "")) == 0
	})
	require.Equal(t, "10.00", out.Prices()["A & <b>"])
	out.Check(t)
}

// tellsAll publishes all that differs.
func (p *program) tellsAll(t *testing.T, c *http.Client) {
	t.Helper()
	s := tell[sent](t, c, "POST", p.url+"/api/channels/web/publications", map[string]any{"version": p.saved(t, c)}, 201)
	tell[sent](t, c, "POST", fmt.Sprintf("%s/api/publications/%d/send", p.url, s.ID), map[string]any{}, 202)
	require.Equal(t, "done", p.ends(t, c, s.ID).State)
}

// saved is the version of the saved book.
func (p *program) saved(t *testing.T, c *http.Client) int64 {
	t.Helper()
	return tell[struct{ Version int64 }](t, c, "GET", p.url+"/api/channels/web/differences?limit=1", nil, 200).Version
}

func text(n int64) string { return strconv.FormatInt(n, 10) }

// A sale is started by hand beside an edit that nobody sent: it alone goes, at once, and is at work.
func TestStartedNowBesideUnsentChanges(t *testing.T) {
	t.Parallel()
	p, out, c := small(t, "", "")
	begins := time.Now().UTC().AddDate(0, 0, 9)
	p.saves(t, c, strings.Replace(oneOff, `"effect"`, `"window":{"from":"`+begins.Format("2006-01-02")+`T00:00","to":"`+
		begins.AddDate(0, 0, 5).Format("2006-01-02")+`T00:00"},"effect"`, 1))
	p.tellsAll(t, c)
	p.saves(t, c, twoOff)
	pg := p.openFor(t, c, "/publish?channel=web&tab=due")
	turns := func(what string) {
		pg.click("button[aria-label^='" + what + ": One']")
		pg.click("[role=dialog] button, [role=alertdialog] button", "^"+what+"$")
	}
	turns("Start now")
	pg.eventually("it is told", func() bool { return out.Prices()["A & <b>"] == "9.00" })
	require.Equal(t, map[string]string{"A & <b>": "9.00", "B": "20.00", "C": "30.00"}, out.Prices())
	pg.show(p.url + "/publish?channel=web")
	pg.find("button", "^Send 1 price to the ")
	require.Equal(t, map[string]string{"A & <b>": "9.00", "B": "20.00", "C": "30.00"}, out.Prices())
	pg.show(p.url + "/publish?channel=web&tab=due")
	turns("End now")
	pg.eventually("it is told", func() bool { return out.Prices()["A & <b>"] == "10.00" })
	require.Equal(t, "20.00", out.Prices()["B"], "what nobody sent stays unsent")
	out.Check(t)
}

// Page, feed and cart say the same of brackets: each piece costs what it reaches.
func TestBracketsOnPageFeedAndCart(t *testing.T) {
	t.Parallel()
	p := start(t, t.TempDir())
	p.alone(t)
	c := p.client(t, "wout")
	p.saves(t, c, `{"code":"BY-THE-PIECE","layer":"tier","rank":1,"where":{"sku":["PLINTH-64"]},"channels":["web"],"show":{"label":"Plinths by the dozen"},
		"breaks":[{"from":1,"setPrice":"60.00"},{"from":11,"setPrice":"50.00"}],"method":"graduated"}`)
	p.tells(t, "web")
	v := p.visitor(t)
	page := v.get("/goods/PLINTH-64")
	require.Contains(t, page, "60.00")
	require.Contains(t, page, "50.00")
	require.Contains(t, page, "Plinths by the dozen")
	cart := v.post("add", "sku", "PLINTH-64", "quantity", "21")
	require.Equal(t, "1156.95", total(t, cart), "ten at 60, eleven at 50, and the carriage")
	require.Contains(t, cart, "Plinths by the dozen", "what it says, not its code")
	require.NotContains(t, cart, "BY-THE-PIECE")
	key := tell[struct{ Key string }](t, c, "POST", p.url+"/api/channels/web/keys", map[string]any{"name": "f",
		"rights": []string{"feed"}}, 201)
	_, feed := ask(t, &http.Client{}, "GET", p.url+"/feeds/web.jsonl?key="+key.Key, nil)
	i := strings.Index(feed, `"sku":"PLINTH-64"`)
	require.Positive(t, i)
	line, _, _ := strings.Cut(feed[i:], "\n")
	require.Contains(t, line, `"method":"brackets"`)
}

// A hire over a Sunday costs its days, and the cart says which.
func TestAHireFromSunday(t *testing.T) {
	t.Parallel()
	p := start(t, t.TempDir())
	p.alone(t)
	p.tells(t, "web")
	hire := map[string]any{"from": "2026-11-29T10:00", "to": "2026-11-30T16:00"}
	board := tell[struct{ Answer struct{ Total string } }](t, p.client(t, "wout"), "POST", p.url+"/api/basket?channel=web",
		map[string]any{"shipping": "6.95", "lines": []any{map[string]any{"sku": "HIRE-WHEEL", "quantity": 1, "hire": hire}}}, 200)
	cart := p.visitor(t).post("add", "sku", "HIRE-WHEEL", "quantity", "1", "from", "2026-11-29T10:00", "to", "2026-11-30T16:00")
	require.Equal(t, board.Answer.Total, total(t, cart))
	require.Contains(t, cart, "2 days are paid, Sunday 29 November 2026 to Monday 30 November 2026")
}

// On the shop's pages a deal is called by its label, never by its code or its internal name; the cart says tax, and why
// a code that is accepted changes nothing.
func TestLabelsInTheCart(t *testing.T) {
	t.Parallel()
	p := start(t, t.TempDir())
	p.alone(t)
	c := p.client(t, "wout")
	p.saves(t, c, `{"code":"SECRET-DEAL","name":"do not tell","layer":"promotion","rank":900,"where":{"all":[]},"show":{"label":"Three <plinths> for two 🎁"},
		"offer":{"needs":[{"id":"n","where":{"sku":["PLINTH-64"]},"quantity":3}],"gives":[{"percentOff":"100","to":"n","units":1}]}}`)
	p.saves(t, c, `{"code":"SECRET-CODE","name":"nor this","layer":"promotion","rank":901,"where":{"all":[]},
		"offer":{"codes":{"words":["CLAY-NOW"]},"spend":{"where":{"all":[]},"amount":"9000"},"gives":[{"percentOff":"5","to":"basket"}]}}`)
	p.tells(t, "web")
	v := p.visitor(t)
	page := v.get("/goods/PLINTH-64")
	require.Contains(t, page, "Three &lt;plinths&gt; for two 🎁")
	v.post("add", "sku", "PLINTH-64", "quantity", "3")
	cart := v.post("code", "code", "CLAY-NOW")
	require.Contains(t, cart, "Three &lt;plinths&gt; for two 🎁")
	require.Contains(t, cart, "it wants 9000.00")
	require.Contains(t, cart, "data-tax")
	thanks := v.post("order")
	require.Contains(t, thanks, "Three &lt;plinths&gt; for two 🎁")
	for _, said := range []string{page, cart, thanks} {
		require.NotContains(t, strings.ReplaceAll(said, `data-offer="SECRET-DEAL"`, ""), "SECRET-")
		require.NotContains(t, said, "do not tell")
		require.NotContains(t, said, "nor this")
	}
}

func (v *visitor) get(path string) string {
	resp, err := v.client.Get(v.shop + path)
	require.NoError(v.t, err)
	return bodyOf(v.t, resp)
}
