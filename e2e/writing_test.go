package e2e

import (
	"fmt"
	"net/http"
	"net/url"
	"os"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/go-rod/rod/lib/input"
	"github.com/stretchr/testify/require"
)

// keys are typed one after the other, with a pause or without.
func (p *page) keys(text string, pause time.Duration) {
	p.t.Helper()
	for _, r := range text {
		require.NoError(p.t, p.Keyboard.Type(input.Key(r)))
		time.Sleep(pause)
	}
}

// What is typed into the search belongs to it: no key is lost, however fast, and the address follows.
func TestNoKeyOfASearchIsLost(t *testing.T) {
	t.Parallel()
	p := start(t, t.TempDir())
	pg := p.openAs(t, "maren", "/board?channel=web")
	for _, pause := range []time.Duration{0, 10 * time.Millisecond, 30 * time.Millisecond, 130 * time.Millisecond} {
		box := pg.labelled("Search the board")
		box.MustFocus()
		pg.keys("throwing wheel", pause)
		pg.eventually("all of it stands there", func() bool { return box.MustProperty("value").Str() == "throwing wheel" })
		pg.eventually("the address follows", func() bool {
			at, err := url.Parse(pg.MustInfo().URL)
			return err == nil && at.Query().Get("q") == "throwing wheel" && at.Query().Get("channel") == "web"
		})
		pg.eventually("the board follows", func() bool {
			return strings.HasPrefix(pg.text("[data-testid=board-total]"),
				"4 of ")
		})
		require.Equal(t, "throwing wheel", box.MustProperty("value").Str())
		pg.typeInto(box, "")
		pg.eventually("everything again", func() bool {
			return strings.HasPrefix(pg.text("[data-testid=board-total]"),
				"368 of ")
		})
	}
	// The way back takes the field over.
	pg.show(p.url + "/board?q=kiln")
	pg.eventually("the address's words", func() bool {
		return pg.labelled("Search the board").MustProperty(
			"value").Str() == "kiln"
	})
}

// Whoever writes a rule with the keyboard stays in it: a field that is emptied stays, what is added has the focus, what is
// taken out leaves it nearby, no digit is a shortcut, and after saving the rule itself is where one goes on.
func TestTheEditorKeepsItsFocus(t *testing.T) {
	t.Parallel()
	p := start(t, t.TempDir())
	pg := p.openAs(t, "maren", "/stack/new?layer=sale")
	focused := func() string {
		return pg.MustEval(`() => document.activeElement.getAttribute("aria-label") ?? document.activeElement.tagName`).Str()
	}
	pg.labelled("Name").MustFocus()
	pg.keys("1 2 3 & <four>", 0)
	pg.click("button", `^\+ ending`)
	require.Equal(t, "Direction of the ending", focused())
	pg.labelled("Step of the ending").MustFocus()
	for range 3 {
		pg.chord(input.ControlLeft, input.KeyA)
		pg.key(input.Backspace)
		pg.keys("5", 0)
		require.Equal(t, "Step of the ending", focused())
	}
	pg.key(input.Backspace)
	pg.says("Write the step of the ending")
	pg.keys("20", 0)
	require.Equal(t, "20", pg.labelled("Step of the ending").MustProperty("value").Str())
	for _, added := range []struct{ button, focus string }{
		{`^\+ most off`, "Most off"}, {`^\+ floor`, "Floor by"}, {`^\+ ends the price`, "What it ends"},
		{`^\+ weekdays and hours`, ""}, {`^category`, "Category: choose a category"}, {`^list price`, "List price from"},
	} {
		pg.click("button", added.button)
		if added.focus != "" {
			require.Equal(t, added.focus, focused(), added.button)
		}
		require.NotEqual(t, "BODY", focused(), added.button)
	}
	pg.click("[aria-label='No floor']")
	require.NotEqual(t, "BODY", focused())
	pg.key(input.Digit3)
	require.Contains(t, pg.MustInfo().URL, "/stack/new", "a digit is no shortcut beside a form")
	pg.key(input.KeyT)
	require.NotContains(t, pg.MustInfo().URL, "trail=open")

	// Customers are found by name; a list that was left empty says so; a group term for everyone is asked about.
	pg.show(p.url + "/stack/new?layer=group")
	pg.typeInto(pg.labelled("Name"), "Only one customer")
	pg.typeInto(pg.labelled("How much"), "12")
	pg.click("[aria-label='Add SKUs']")
	require.Equal(t, "Find goods", focused())
	pg.typeInto(pg.labelled("SKUs"), "BAT-30")
	pg.says("1 known")
	pg.click("[aria-label^='Customer:']")
	pg.find("[cmdk-input]")
	pg.keys("widder", 0)
	pg.find("[cmdk-item]", "Widdershin")
	pg.key(input.Escape)
	pg.says("No customer was chosen: it is for everyone.")
	pg.click("button", "Save the rule")
	pg.find("[role=alertdialog]", "This rule is for everyone")
	pg.key(input.Escape)
	require.Contains(t, pg.MustInfo().URL, "/stack/new", "Escape is no")
	pg.click("[aria-label^='Customer:']")
	pg.find("[cmdk-input]")
	pg.keys("widder", 0)
	pg.key(input.Enter)
	pg.key(input.Escape)
	pg.find("[aria-label^='Customer: Widdershin']")
	pg.click("button", "Save the rule")
	pg.find("[data-rule=ONLY-ONE-CUSTOMER]", "for Widdershin")
	pg.eventually("the saved rule has the focus", func() bool {
		return pg.MustEval(`() => document.activeElement.closest("[data-rule]")?.dataset.rule ?? ""`).Str() == "ONLY-ONE-CUSTOMER"
	})

	// Saving and its way back leave the focus where it was.
	pg.show(p.url + "/catalogue/groups?item=schools")
	pg.labelled("Name").MustFocus()
	pg.keys("!", 0)
	pg.key(input.Enter)
	pg.says("Changed the group")
	pg.eventually("in the field", func() bool { return focused() == "Name" })
	pg.click("button", "^Undo$")
	pg.eventually("undone", func() bool { return pg.labelled("Name").MustProperty("value").Str() == "Schools" })
	pg.eventually("in the field", func() bool { return focused() == "Name" })
}

// Amounts and dates are written as whoever reads them writes them, and typed like that; what is saved is the same.
func TestAmountsAsOneWritesThem(t *testing.T) {
	t.Parallel()
	p := start(t, t.TempDir())
	p.unpin(t)
	pg := p.openAs(t, "maren", "/board?channel=web&q=KILN-EL-42")
	pg.eventually("as it is at first", func() bool { return pg.cell("KILN-EL-42", "price") == "1\u202f279.95" })
	pg.click("button", "^Maren")
	pg.click("[role=menuitem]", "How amounts and dates are written")
	pg.click("label", "1.234,56")
	pg.click("label", "month first")
	pg.click("label", "12 hours")
	require.Equal(t, "\u22121.286,41 on Fri Nov 27 2:30 PM", pg.text("[data-testid=writing-sample]"))
	pg.click("button", "^Close$")
	pg.eventually("with a comma", func() bool { return pg.cell("KILN-EL-42", "price") == "1.279,95" })
	require.Equal(t, "Thu Nov 26 9:00 AM", pg.labelled("Moment").MustProperty("value").Str())
	pg.show(p.url + "/board?channel=web&q=PLINTH-64")
	pg.click("[aria-label^='List price of Turned display plinth']")
	field := pg.labelled("List price of Turned display plinth")
	require.Equal(t, "64,00", field.MustProperty("value").Str())
	pg.typeInto(field, "65,50")
	pg.key(input.Enter)
	pg.eventually("saved with a comma", func() bool { return pg.cell("PLINTH-64", "price") == "65,50" })
	status, text := ask(t, p.client(t, "maren"), "GET", p.url+"/api/products/PLINTH-64", nil)
	require.Equal(t, http.StatusOK, status)
	require.Contains(t, text, `"list":"65.50"`)
	pg.show(p.url + "/stack/rule/KILN-AUTUMN")
	pg.typeInto(pg.labelled("How much"), "12,5")
	pg.find("[data-testid=changed]")
	require.Equal(t, "12,5", pg.labelled("How much").MustProperty("value").Str())
}

// A SKU may hold what an address cannot: its page is found all the same.
func TestProductsWhoseNumbersAreHostile(t *testing.T) {
	t.Parallel()
	p := start(t, t.TempDir())
	client := p.client(t, "maren")
	for i, sku := range []string{"4/4 & more", "..", "new", "=1+1", "a%2Fb", "<b>x</b>", "🏺 1", "طين"} {
		status, text := ask(t, client, "POST", p.url+"/api/edit", map[string]any{
			"changes": []any{map[string]any{"kind": "products", "code": sku,
				"doc": map[string]any{"sku": sku, "name": "Hostile <i>&amp; " + sku, "list": fmt.Sprintf("%d.00", i+10),
					"category": "Hostile"}}}})
		require.Equal(t, http.StatusOK, status, text)
	}
	pg := p.openAs(t, "maren", "/board?channel=web&category=Hostile")
	for i, sku := range []string{"4/4 & more", "..", "new", "=1+1", "a%2Fb", "<b>x</b>", "🏺 1", "طين"} {
		pg.show(p.url + "/catalogue/products?q=")
		pg.typeInto(pg.labelled("Find a product"), "Hostile <i>&amp; "+sku)
		pg.click("a", regexp.QuoteMeta("Hostile <i>&amp; "+sku))
		pg.find("[data-testid=product-price]", fmt.Sprintf("%d.00", i+10))
		pg.typeInto(pg.labelled("List price"), fmt.Sprintf("%d.50", i+10))
		pg.find("[data-testid=effect]", "Web shop")
		pg.click("button", "Save the product")
		pg.find("[data-testid=product-price]", fmt.Sprintf("%d.50", i+10))
	}
}

// A book of one's own begins without the demo: an administrator comes in with the password that was printed once, says
// currency, time zone and taxes, and brings the goods in.
func TestABookOfOnesOwn(t *testing.T) {
	t.Parallel()
	data := t.TempDir()
	p := start(t, data, "--empty")
	require.NotEmpty(t, p.password)
	pg := p.openAs(t, "", "/")
	pg.find("[autocomplete=current-password]")
	require.NotContains(t, pg.MustElement("body").MustText(), "demo")
	inputs := pg.MustElements("input")
	pg.typeInto(inputs[0], " Admin ")
	pg.typeInto(inputs[1], p.password)
	pg.click("button", "^Sign in$")
	pg.find("h1", "A new book")
	pg.typeInto(pg.labelled("Currency"), "XXZ")
	pg.click("button", "Set the book up")
	pg.says("is not a currency of ISO 4217")
	pg.typeInto(pg.labelled("Currency"), "chf")
	pg.typeInto(pg.labelled("Time zone"), "Mars/Base")
	pg.click("button", "Set the book up")
	pg.says("is not a time zone")
	pg.typeInto(pg.labelled("Time zone"), "Europe/Zurich")
	pg.choose("Prices and tax", "without")
	pg.typeInto(pg.labelled("Percent of tax class 1"), "8.1")
	pg.click("button", "Set the book up")
	pg.says("Bring in products")
	require.NoError(t, os.WriteFile(filepath.Join(data, "preise.csv"),
		[]byte("Artikelnummer;Bezeichnung;VK;EK\nT-1;Töpferton & mehr;1'286.40;800.–\nT-2;Ton;12.50;7.00\n"), 0o600))
	require.NoError(t, pg.labelled("Product file").SetFiles([]string{filepath.Join(data, "preise.csv")}))
	pg.says("800.–")
	require.NoError(t, os.WriteFile(filepath.Join(data, "preise.csv"),
		[]byte("Artikelnummer;Bezeichnung;VK;EK\nT-1;Töpferton & mehr;1'286.40;800.00\nT-2;Ton;12.50;7.00\n"), 0o600))
	require.NoError(t, pg.labelled("Product file").SetFiles([]string{filepath.Join(data, "preise.csv")}))
	pg.click("button", "Import 2 products")
	pg.says("It is in")
	pg.show(p.url + "/board")
	pg.eventually("their price", func() bool { return pg.cell("T-1", "price") == "1\u202f286.40" })
	p.stop()
	again := start(t, data, "--empty")
	require.Empty(t, again.password, "it was printed once")
}

// A database that dies is said on the screen, and is back without anybody doing anything.
func TestTheDatabaseDies(t *testing.T) {
	t.Parallel()
	data := t.TempDir()
	p := start(t, data)
	pg := p.openAs(t, "maren", "/board?channel=web&q=PLINTH-64")
	pg.eventually("a price", func() bool { return pg.cell("PLINTH-64", "price") == "64.00" })
	text, err := os.ReadFile(filepath.Join(data, "mariadb", "pid"))
	require.NoError(t, err)
	pid, err := strconv.Atoi(strings.TrimSpace(string(text)))
	require.NoError(t, err)
	require.NoError(t, syscall.Kill(pid, syscall.SIGSTOP))
	pg.find("[data-testid=outage]", "The database does not answer, since")
	require.Equal(t, "64.00", pg.cell("PLINTH-64", "price"))
	require.NoError(t, syscall.Kill(pid, syscall.SIGKILL))
	pg.eventually("it is back", func() bool { has, _, err := pg.Has("[data-testid=outage]"); return err == nil && !has })
	pg.click("[aria-label^='List price of Turned display plinth']")
	pg.typeInto(pg.labelled("List price of Turned display plinth"), "66.00")
	pg.key(input.Enter)
	pg.eventually("saved", func() bool { return pg.cell("PLINTH-64", "price") == "66.00" })
}
