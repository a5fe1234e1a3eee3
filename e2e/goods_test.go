package e2e

import (
	"fmt"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/go-rod/rod/lib/input"
	"github.com/stretchr/testify/require"
)

// lay lays a file into the import of a kind.
func (p *page) lay(url, kind, name, content string) {
	p.t.Helper()
	file := filepath.Join(p.t.TempDir(), name)
	require.NoError(p.t, os.WriteFile(file, []byte(content), 0o644))
	p.show(url + "/catalogue/import?file=" + kind)
	require.NoError(p.t, p.labelled("Product file").SetFiles([]string{file}))
}

// mapTo says which column fills a field.
func (p *page) mapTo(field, column string) {
	p.t.Helper()
	p.choose("Column for "+field, column)
}

// A file whose columns nobody knows yet is matched by hand, remembered, mended and brought in; one undo takes it back.
func TestImportWithMappingAndUndo(t *testing.T) {
	t.Parallel()
	p := start(t, t.TempDir())
	pg := p.openAs(t, "maren", "/board")
	pg.lay(p.url, "products", "winter.csv",
		"Interne sleutel;Omschrijving;Tarief A;EAN;Kleur\nFERN-1;Fern dish;18,00;5901234123457;groen\nFERN-2;Fern bowl;21,50;5901234123450;grijs & wit\n")
	pg.says("No column holds the SKU")
	pg.mapTo("SKU", "Interne sleutel")
	pg.says("the last one would be 7") // EAN is known to mean the GTIN
	pg.mapTo("List price", "Tarief A")
	pg.eventually("the decimal mark is found in the file", func() bool {
		return pg.labelled("Decimal mark").MustProperty(
			"value").Str() == "comma"
	})
	require.Equal(t, "Kleur", pg.labelled("Column for Kleur").MustProperty("value").Str(),
		"a column that means nothing else is an attribute")
	require.True(t, pg.find("button", "^Import 1 product").MustProperty("disabled").Bool())
	pg.mapTo("GTIN", "")
	pg.says("2 new, 0 changed, 0 unchanged, 0 bad")
	pg.choose("Decimal mark", "point")
	pg.says("2 bad")
	pg.choose("Decimal mark", "comma")
	pg.says("0 bad")

	pg.lay(p.url, "products", "winter.csv",
		"Interne sleutel;Omschrijving;Tarief A;EAN;Kleur\nFERN-1;Fern dish;18,00;;\nBAT-30;;17,00;;\n")
	pg.says("No column holds the SKU") // nothing was imported with that mapping yet
	pg.mapTo("SKU", "Interne sleutel")
	pg.mapTo("List price", "Tarief A")
	pg.says("1 new, 1 changed")
	pg.find("[data-testid=effect]", "Web shop")
	pg.click("button", "Import 2 products")
	pg.says("It is in")
	pg.show(p.url + "/board?q=BAT-30&channel=web")
	pg.eventually("the new list price is the price", func() bool { return pg.cell("BAT-30", "price") == "17.00" })
	pg.show(p.url + "/catalogue/log")
	pg.click("[aria-label^='Undo: Imported winter.csv']")
	pg.says("Undo: Imported winter.csv")
	pg.show(p.url + "/board?q=BAT-30&channel=web")
	pg.eventually("the old price is back", func() bool { return pg.cell("BAT-30", "price") == "14.50" })

	pg.lay(p.url, "products", "spring.csv", "Interne sleutel;Omschrijving;Tarief A;EAN;Kleur\nFERN-1;Fern dish;18,00;;\n")
	pg.says("matched as the last time")
	pg.says("1 new, 0 changed")
}

// A large import shows how far it is and can be given up, which leaves nothing behind.
func TestImportGivenUp(t *testing.T) {
	t.Parallel()
	p := start(t, t.TempDir())
	pg := p.openAs(t, "maren", "/board")
	var file strings.Builder
	file.WriteString("sku,name,list price,cost,category\n")
	for i := range 60_000 {
		fmt.Fprintf(&file, "BULK-%d,Thing %d,%d.50,%d.00,Bulk/Things\n", i, i, i%90+10, i%9+1)
	}
	before := p.version(t)
	pg.lay(p.url, "products", "bulk.csv", file.String())
	pg.says("60\u202f000 new")
	pg.click("button", "^Import 60")
	pg.find("[data-testid=import-progress]")
	pg.click("button", "Give up")
	pg.says("Given up; nothing was changed.")
	require.Equal(t, before, p.version(t))
	pg.find("button", "^Import 60") // it can be tried again
	pg.show(p.url + "/board?q=BULK-1")
	pg.says("No product fits")
}

// A window is moved by dragging its end, by dragging the whole and by keys; what that does is seen before it is kept.
func TestCalendarDrag(t *testing.T) {
	t.Parallel()
	p := start(t, t.TempDir())
	pg := p.openAs(t, "maren", "/calendar?channel=web&zoom=month")
	bar := "[data-bar=KILN-AUTUMN]"
	drag := func(grip string, days float64) {
		pg.find(bar)
		lanes := pg.find("[data-testid=lanes]").MustShape().Box()
		oneDay := (lanes.Width - 214 - 15) / 35
		el := pg.find(bar)
		box := el.MustShape().Box()
		x := box.X + box.Width/2
		if grip == "to" {
			x = box.X + box.Width - 3
		}
		pg.Mouse.MustMoveTo(x, box.Y+10).MustDown("left")
		require.NoError(t, pg.Mouse.MoveLinear(pointOf(x+days*oneDay, box.Y+10), 8))
		pg.Mouse.MustUp("left")
	}
	before := p.version(t)
	drag("to", 3)
	pg.find("[data-testid=moved]", "through Wed 2 Dec")
	pg.find("[data-testid=moved]", "Web shop")
	pg.find("[data-testid=moved]", "5 prices move")
	require.Equal(t, before, p.version(t), "nothing is saved by dragging")
	pg.click("button", "Put it back")
	pg.eventually("the bar is back", func() bool { return pg.text("[data-testid=moved]") == "" })
	drag("to", 2)
	pg.find("[data-testid=moved]", "through Tue 1 Dec")
	pg.click("button", "Keep it")
	pg.find("[role=alertdialog]", "The table kiln is full price again in December")
	pg.click("button", "Save it all the same")
	pg.eventually("it is kept", func() bool { return p.version(t) == before+1 && pg.text("[data-testid=moved]") == "" })
	pg.find(bar + "[aria-label*='through Tue 1 Dec']")
	pg.click("[aria-label='Close this notice']")

	require.NoError(t, pg.find(bar).Focus())
	pg.chord(input.ShiftLeft, input.ArrowRight)
	pg.find("[data-testid=moved]", "through Wed 2 Dec")
	pg.key(input.Enter)
	pg.eventually("the key keeps it too", func() bool { return p.version(t) == before+2 })
	pg.click("button", "^Undo$")
	pg.find(bar + "[aria-label*='through Tue 1 Dec']")

	drag("both", 1)
	pg.find("[data-testid=moved]", "from Tue 10 Nov through Wed 2 Dec")
	pg.key(input.Escape)
	pg.eventually("Escape puts it back", func() bool { return pg.text("[data-testid=moved]") == "" })

	pg.click("button", "^Year$")
	pg.says("Oct")
	pg.click("button", "^Week$")
	pg.find("[data-testid=calendar-span]", "Mon 23 Nov to Sun 29 Nov")
	pg.labelled("Product of the chart").MustInput("table kiln")
	pg.click("[cmdk-item]", "KILN-EL-42")
	pg.find("svg[aria-label^='Price: ']")
}

// Two rules of one rank that want the same goods are marked where they meet.
func TestCalendarShowsConflicts(t *testing.T) {
	t.Parallel()
	p := start(t, t.TempDir())
	client := p.client(t, "maren")
	for _, code := range []string{"RIVAL-A", "RIVAL-B"} {
		status, text := ask(t, client, "POST", p.url+"/api/rules",
			map[string]any{"code": code, "name": code, "layer": "group", "rank": 44, "where": map[string]any{"sku": "BAT-30"},
				"effect": map[string]any{"setPrice": "9"}, "window": map[string]any{"from": "2026-11-28T00:00",
					"to": "2026-12-02T00:00"}})
		require.Equal(t, http.StatusOK, status, text)
	}
	pg := p.openAs(t, "tessel", "/calendar?zoom=month")
	pg.click("[data-bar=RIVAL-A]")
	pg.says("Conflicts with RIVAL-B over 1 product")
	require.Empty(t, pg.texts("button", "Keep it"), "a reader moves nothing")
}

// One ladder, edited once, moves the prices of every rule that names it; its users are named.
func TestLadderOfTwentyRules(t *testing.T) {
	t.Parallel()
	p := start(t, t.TempDir())
	client := p.client(t, "maren")
	status, text := ask(t, client, "POST", p.url+"/api/edit", map[string]any{
		"changes": []any{map[string]any{"kind": "ladders", "code": "twelve", "doc": map[string]any{
			"code": "twelve", "name": "By the dozen", "breaks": []any{map[string]any{"from": 1, "percentOff": "1"},
				map[string]any{"from": 12, "percentOff": "8"}}}}}})
	require.Equal(t, http.StatusOK, status, text)
	for i := range 20 {
		status, text := ask(t, client, "POST", p.url+"/api/rules",
			map[string]any{"code": fmt.Sprintf("DOZEN-%d", i), "name": fmt.Sprintf("Dozen %d", i), "layer": "tier",
				"rank":  300 + i,
				"where": map[string]any{"sku": "BAT-30"}, "ladder": "twelve"})
		require.Equal(t, http.StatusOK, status, text)
	}
	pg := p.openAs(t, "maren", "/catalogue/ladders?item=twelve")
	pg.says("Used by 20 rules")
	pg.typeInto(pg.labelled("How much of break 1"), "110")
	pg.click("button", "Save the change")
	pg.says("percent from 0 to 100")
	pg.typeInto(pg.labelled("How much of break 1"), "10")
	pg.find("[data-testid=effect]", "Web shop")
	pg.click("button", "Save the change")
	pg.find("li [aria-label='Close this notice'], [data-radix-collection-item], ol", "By the dozen")
	pg.show(p.url + "/board?q=BAT-30&channel=web")
	pg.eventually("10 % off 14.50", func() bool { return pg.cell("BAT-30", "price") == "13.05" })
	pg.show(p.url + "/catalogue/ladders?item=twelve")
	pg.click("button", "Delete the ladder")
	pg.says("no ladder")
}

// A new exchange rate shows what it moves first, and which day it is of afterwards.
func TestRateChange(t *testing.T) {
	t.Parallel()
	p := start(t, t.TempDir())
	pg := p.openAs(t, "maren", "/catalogue/settings")
	pg.typeInto(pg.labelled("Rate of GBP"), "0")
	pg.find("[data-rate=GBP]", "A rate must be above 0")
	pg.typeInto(pg.labelled("Rate of GBP"), "0.9")
	pg.typeInto(pg.labelled("Day of the rate of GBP"), "last week")
	pg.find("[data-testid=effect]", "Island shop")
	require.NotContains(t, pg.text("[data-testid=effect]"), "Web shop")
	pg.click("button", "Save the settings")
	pg.find("[data-rate=GBP]", "Write a day such as 2026-11-27")
	pg.typeInto(pg.labelled("Day of the rate of GBP"), "25 November")
	pg.click("button", "Save the settings")
	pg.says("Exchange rate of GBP: 0.9")
	pg.eventually("nothing is left to save", func() bool { return len(pg.texts("button", "Save the settings")) == 0 })
	require.Equal(t, "Wed 25 Nov", pg.labelled("Day of the rate of GBP").MustProperty("value").Str())
	pg.show(p.url + "/board?q=BAT-30&channel=island")
	pg.eventually("14.50 × 0.9", func() bool { return pg.cell("BAT-30", "price") == "13.05" })

	// One page, one save: a rate, a new tax class and a guard together. What somebody else saves meanwhile is not lost, and
	// neither is what is written here.
	pg.show(p.url + "/catalogue/settings")
	pg.typeInto(pg.labelled("Least margin"), "101")
	pg.says("below 100")
	pg.typeInto(pg.labelled("Least margin"), "5")
	pg.typeInto(pg.labelled("Rate of GBP"), "0.91")
	pg.click("button", `^\+ a tax class`)
	fields := pg.MustElements("[aria-label^='Tax class ']")
	pg.typeInto(fields[len(fields)-2], "zero & <none>")
	percents := pg.MustElements("[aria-label^='Percent of tax class ']")
	pg.typeInto(percents[len(percents)-1], "0")
	other := p.openAs(t, "wout", "/catalogue/settings")
	other.typeInto(other.labelled("By hand up to percent"), "3")
	other.click("button", "Save the settings")
	other.says("Changed the settings")
	pg.click("button", "Save the settings")
	pg.find("[role=alert]", `Somebody saved another state of this page[\s\S]*Theirs:.*maxPercent[\s\S]*Yours:.*0\.91`)
	pg.click("button", "Keep mine, then save")
	pg.click("button", "Save the settings")
	pg.eventually("nothing is left to save", func() bool { return len(pg.texts("button", "Save the settings")) == 0 })
	pg.show(p.url + "/catalogue/settings")
	require.Equal(t, "0.91", pg.labelled("Rate of GBP").MustProperty("value").Str())
	require.Equal(t, "5", pg.labelled("Least margin").MustProperty("value").Str())
	require.Len(t, pg.MustElements("[aria-label^='Percent of tax class ']"), len(percents))
}

// A price is pinned from the trail; whoever would break it sees that while typing; afterwards it stands among the
// checks.
func TestCheckBrokenAndShown(t *testing.T) {
	t.Parallel()
	p := start(t, t.TempDir())
	pg := p.openAs(t, "maren", "/board?q=BAT-30&channel=web&sku=BAT-30&trail=open")
	pg.find("[data-testid=trail-price]", "14.50")
	pg.click("button", "^Pin$")
	pg.typeInto(pg.labelled("What is expected"), "The bat is 14.50")
	pg.click("button", "Pin the price")
	pg.find("button", "Pinned")
	pg.show(p.url + "/catalogue/checks")
	pg.find("[data-check='The bat is 14.50']", "holds")

	pg.show(p.url + "/stack/new?layer=sale&channel=web")
	pg.typeInto(pg.labelled("Name"), "Bat days")
	pg.typeInto(pg.labelled("How much"), "20")
	pg.click("[aria-label='Add SKUs']")
	pg.typeInto(pg.labelled("SKUs"), "BAT-30")
	pg.find("[aria-label='Checks that would break']", "The bat is 14.50")
	pg.find("[aria-label='Checks that would break']", "11.60 then")
	before := p.version(t)
	pg.click("button", "Save the rule")
	pg.find("[role=alertdialog]", "The bat is 14.50")
	pg.click("button", "Leave it as it was")
	pg.says("This would break a pinned price.")
	require.Equal(t, before, p.version(t))
	pg.click("button", "Save the rule")
	pg.click("button", "Save it all the same")
	pg.find("[data-rule=BAT-DAYS]")
	pg.show(p.url + "/catalogue/checks")
	pg.find("[data-check='The bat is 14.50']", "broken")
	pg.says("but is 11.60")
	pg.click("[aria-label^='Expect 11.60']")
	pg.find("[data-check='The bat is 14.50']", "holds")
	pg.click("[aria-label='Unpin The bat is 14.50']")
	pg.eventually("it is gone", func() bool { return pg.text("[data-check='The bat is 14.50']") == "" })
	pg.click("button", "^Undo$")
	pg.find("[data-check='The bat is 14.50']", "holds")
}

// Ranges, campaigns, customers with agreed prices, groups and channels are made and changed where they are kept.
func TestDesks(t *testing.T) {
	t.Parallel()
	p := start(t, t.TempDir())
	pg := p.openAs(t, "maren", "/catalogue/ranges")
	pg.click("button", "New range")
	pg.click("button", "Make the range")
	pg.says("Give the range a name.")
	pg.typeInto(pg.labelled("Name"), "Flat goods")
	pg.click("[aria-label='Add SKUs']")
	pg.typeInto(pg.labelled("SKUs"), "BAT-30")
	pg.find("[data-testid=range-reach]", "1 product")
	pg.show(p.url + "/catalogue/ranges?item=") // nothing is lost by a reload
	pg.says("You left this unsaved")
	pg.click("button", "Make the range")
	pg.find("[aria-current=true]", "Flat goods")

	pg.show(p.url + "/catalogue/groups?item=")
	pg.typeInto(pg.labelled("Name"), "Guild")
	pg.click("button", "Make the group")
	pg.find("[aria-current=true]", "Guild")

	pg.show(p.url + "/catalogue/customers?item=C-02")
	pg.labelled("SKU of an agreed price").MustInput("BAT-30")
	pg.labelled("Agreed price").MustInput("9.99")
	pg.click("button", "^Agree$")
	pg.find("[data-agreed=BAT-30]", "9.99")
	pg.show(p.url + "/board?q=BAT-30&channel=none&who=customer:C-02")
	pg.eventually("the customer pays it", func() bool { return pg.cell("BAT-30", "price") == "9.99" })

	pg.show(p.url + "/catalogue/channels?item=kilnfair")
	pg.typeInto(pg.labelled("Fee in percent"), "99")
	pg.find("[data-testid=effect]")
	pg.typeInto(pg.labelled("Currency"), "XQZ")
	pg.click("button", "Save the change")
	pg.says("currency")
	pg.typeInto(pg.labelled("Currency"), "")
	pg.typeInto(pg.labelled("Fee in percent"), "12")
	pg.click("button", "Save the change")
	pg.says("Changed the channel “Kilnfair”")

	pg.show(p.url + "/catalogue/campaigns?item=glaze-week")
	pg.choose("Status", "off")
	pg.click("button", "Save the change")
	pg.says("Changed the campaign")
	pg.show(p.url + "/board?channel=web&quantity=2&at=2026-11-28T10:00&rule=UNDERGLAZE-TWO")
	pg.says("No product fits")
}

// Two people at one ladder: the second sees both states and decides.
func TestTwoAtOneDesk(t *testing.T) {
	t.Parallel()
	p := start(t, t.TempDir())
	pg := p.openAs(t, "maren", "/catalogue/ladders?item=by-the-box")
	first := pg.labelled("How much of break 1")
	other := p.openAs(t, "wout", "/catalogue/ladders?item=by-the-box")
	other.typeInto(other.labelled("How much of break 1"), "3")
	other.find("[data-testid=effect]")
	pg.typeInto(first, "5")
	pg.find("[data-testid=effect]")
	other.click("button", "Save the change")
	other.says("Changed the ladder")
	pg.click("button", "Save the change")
	pg.says("Somebody saved another state of this ladder while you were writing.")
	pg.click("button", "Keep mine, then save")
	time.Sleep(200 * time.Millisecond)
	pg.click("button", "Save the change")
	pg.says("Changed the ladder")
	require.Equal(t, "5", pg.labelled("How much of break 1").MustProperty("value").Str())
}

// A product is changed on its page with what that does seen first; its history, its variants and its prices stand
// there.
func TestProductPage(t *testing.T) {
	t.Parallel()
	p := start(t, t.TempDir())
	pg := p.openAs(t, "maren", "/catalogue/product/BAT-30?channel=web")
	pg.find("[data-testid=product-price]", "14.50")
	pg.typeInto(pg.labelled("GTIN"), "5901234123450")
	pg.says("the last one would be 7")
	pg.typeInto(pg.labelled("GTIN"), "5901234123457")
	pg.typeInto(pg.labelled("List price"), "16")
	pg.typeInto(pg.labelled("Content"), "0.5")
	pg.typeInto(pg.labelled("Content is of"), "kg")
	pg.find("[data-testid=effect]", "Web shop")
	pg.click("button", "Save the product")
	pg.find("[data-testid=product-price]", "16.00")
	pg.find("[data-testid=per-content]", "32.00 EUR per kg")
	pg.find("[aria-label=History]", "14.50 16.00")
	pg.eventually("nothing is left to save", func() bool { return len(pg.texts("button", "Save the product")) == 0 })
	require.Equal(t, "16.00", pg.labelled("List price").MustProperty("value").Str())
	pg.click("button", "Make a rule for just this product")
	pg.typeInto(pg.labelled("How much"), "25")
	pg.eventually("the rule reaches one", func() bool {
		return pg.text("[data-testid=reach]") == "1" &&
			pg.text("[data-testid=changed]") == "1"
	})

	pg.show(p.url + "/catalogue/product/new")
	pg.click("button", "Make the product")
	pg.says("Write the SKU.")
	pg.typeInto(pg.labelled("SKU"), "BAT-40")
	pg.typeInto(pg.labelled("Name"), "Wheel bat, 40 cm")
	pg.typeInto(pg.labelled("List price"), "22.00")
	time.Sleep(300 * time.Millisecond)
	pg.click("button", "Make the product")
	pg.find("[data-testid=product-price]", "22.00")
	pg.click("button", "Delete the product")
	pg.find("[aria-label='Find a product']")
	pg.show(p.url + "/catalogue/log")
	pg.click("[aria-label='Undo: Deleted the product BAT-40']")
	pg.says("Undo: Deleted the product BAT-40")
	pg.show(p.url + "/catalogue/product/BAT-40")
	pg.find("[data-testid=product-price]", "22.00")
}

// A tag is put on everything shown, with what that does seen first, and taken off by one undo.
func TestWordsOfMany(t *testing.T) {
	t.Parallel()
	p := start(t, t.TempDir())
	pg := p.openAs(t, "maren", "/catalogue/products")
	pg.typeInto(pg.labelled("Find a product"), "bat")
	pg.find("[data-sku=BAT-30]")
	pg.click("button", "^Tags and attributes$")
	pg.typeInto(pg.labelled("Word"), "flat")
	pg.find("[data-testid=words-preview]", "products change")
	pg.click("button", "^Change \\d+ products")
	pg.says("Tagged")
	pg.show(p.url + "/catalogue/product/BAT-30")
	pg.eventually("the tag is there", func() bool {
		return strings.Contains(
			pg.labelled("Tags").MustProperty("value").Str(), "flat")
	})
}

// Sales come in from a file: units sold stand on the board, and a first order is known from then on.
func TestSalesFile(t *testing.T) {
	t.Parallel()
	p := start(t, t.TempDir())
	pg := p.openAs(t, "maren", "/board")
	pg.lay(p.url, "sales", "till.csv",
		"date,sku,qty,customer\n2026-11-24 11:30,BAT-30,3,C-02\n2026-11-25 16:00,BAT-30,4,\nyesterday,BAT-30,1,\n")
	pg.says("is not a date such as")
	pg.lay(p.url, "sales", "till.csv",
		"date,sku,qty,customer\n2026-11-24 11:30,BAT-30,3,C-02\n2026-11-25 16:00,BAT-30,4,\n")
	pg.click("button", "Import 2 sales")
	pg.says("It is in")
	pg.show(p.url + "/catalogue/product/BAT-30")
	pg.eventually("units sold", func() bool { return pg.labelled("Sold in 30 days").MustProperty("value").Str() == "7" })
	pg.show(p.url + "/catalogue/import?file=sales")
	pg.click("[aria-label='Take back till.csv']")
	pg.says("Took back a file of sales")
}
