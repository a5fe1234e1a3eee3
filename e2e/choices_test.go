package e2e

import (
	"encoding/json"
	"fmt"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
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
