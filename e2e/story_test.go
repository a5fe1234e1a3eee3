package e2e

import (
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// From a product file to a price that a customer sees: import, make a sale rule, meet a price below cost, mend it,
// publish, and read the new price on the shop's own page.
func TestFromAFileToAPriceInTheShop(t *testing.T) {
	t.Parallel()
	p := start(t, t.TempDir())
	pg := p.openAs(t, "maren", "/catalogue")
	pg.importFile("sku,name,list price,cost,category,tax class\nBIRD-1,Bird bath in stoneware,40.00,20.00,Garden/Baths,standard\nBIRD-2,Bird table in oak,64.00,30.00,Garden/Tables,standard\n")
	pg.says("2 new, 0 changed")
	pg.click("button", "Import 2 products")
	pg.says("It is in")
	pg.show(p.url + "/catalogue")
	pg.typeInto(pg.labelled("Find a product"), "bird")
	pg.find("[data-sku=BIRD-1]")

	pg.show(p.url + "/stack/new?layer=sale")
	pg.typeInto(pg.labelled("Name"), "Bird weeks")
	pg.typeInto(pg.labelled("How much"), "50")
	pg.click("[aria-label='Add SKUs']")
	pg.typeInto(pg.labelled("SKUs"), "bird-1;BIRD-2 , BIRD-99")
	pg.says("Not in the book: BIRD-99")
	pg.eventually("the impact counts both products", func() bool {
		return pg.text("[data-testid=reach]") == "2" &&
			pg.text("[data-testid=changed]") == "2"
	})
	require.Equal(t, "2", pg.text("[data-testid=below]"),
		"20.00 with tax is 16.53 without, under the cost of 20.00; 32.00 is 26.45, under 30.00")
	pg.click("button", "Save the rule")
	pg.find("[data-rule=BIRD-WEEKS]")

	pg.show(p.url + "/board?q=BIRD&channel=web")
	pg.eventually("the board shows the new price", func() bool { return pg.cell("BIRD-1", "price") == "20.00" })
	pg.show(p.url + "/publish?channel=web")
	pg.find("[data-testid=undecided]")
	require.True(t, pg.find("button", "^Send").MustProperty("disabled").Bool(),
		"nothing is sent while a price below cost is undecided")

	pg.show(p.url + "/stack/rule/BIRD-WEEKS")
	pg.typeInto(pg.labelled("How much"), "25")
	pg.eventually("no price is below cost any more", func() bool { return pg.text("[data-testid=below]") == "0" })
	pg.click("button", "Save the change")
	pg.find("[data-rule=BIRD-WEEKS]")
	pg.show(p.url + "/publish?channel=web")
	pg.leaveOutTheRest("BIRD-")
	pg.click("button", "^Send")
	pg.find("[data-testid=send-result]", "took every price")

	pg.show(p.shop + "/goods/BIRD-1")
	require.Equal(t, "30.00", pg.text("[data-price]"))
	require.Empty(t, pg.texts(".was", ""), "what was never shown before is reduced from nothing")
}

// importFile lays a file into the catalogue's import.
func (p *page) importFile(content string) {
	p.t.Helper()
	file := filepath.Join(p.t.TempDir(), "goods.csv")
	require.NoError(p.t, os.WriteFile(file, []byte(content), 0o644))
	p.click("nav[aria-label='Parts of the catalogue'] a", "^Import$")
	require.NoError(p.t, p.labelled("Product file").SetFiles([]string{file}))
}

// cell is what a board row shows for a thing.
func (p *page) cell(sku, column string) string {
	return p.text("[data-sku='" + sku + "'] [data-testid=" + column + "]")
}

// leaveOutTheRest leaves every blocked row out whose SKU does not begin with a text.
func (p *page) leaveOutTheRest(prefix string) {
	p.t.Helper()
	p.click("[aria-label='Kinds of changes'] button", "^blocked")
	p.eventually("blocked rows alone", func() bool {
		boxes := len(p.texts("[aria-label^='Leave out']", ""))
		return boxes > 0 && boxes == len(p.texts("[data-sku]", ""))
	})
	boxes, err := p.Elements("[aria-label^='Leave out']")
	require.NoError(p.t, err)
	for _, box := range boxes {
		label, err := box.Attribute("aria-label")
		require.NoError(p.t, err)
		if !strings.Contains(*label, " "+prefix) {
			box.MustClick()
		}
	}
	p.click("[aria-label='Kinds of changes'] button", "^all")
}

// Each kind of bad file gets a message of its own, and nothing of it is written.
func TestBadFiles(t *testing.T) {
	t.Parallel()
	p := start(t, t.TempDir())
	pg := p.open(t, "/catalogue")
	before := p.version(t)
	for name, tc := range map[string]struct{ content, says string }{
		"either way":       {"sku;list\nA-1;\"1,234\"\n", "can be read in two ways"},
		"duplicate SKU":    {"sku,list\nA-1,12.50\nA-1,13.00\n", "this SKU stands in line 2 already"},
		"negative price":   {"sku,list\nA-1,-3\n", "must not be negative"},
		"missing column":   {"internal key,list\nA-1,3\n", "No column holds the SKU"},
		"empty file":       {"", "the file is empty"},
		"line of 5 MB":     {"sku,name\nA-1," + strings.Repeat("x", 5<<20) + "\n", "a line may have at most 1 MB"},
		"no text":          {"sku,name\nA-1,Terre \x00 chamott\xe9e\n", "zero bytes"},
		"unknown tax":      {"sku,tax class\nA-1,luxury\n", "is not a tax class of the book"},
		"a cell too many":  {"sku,list\nA-1,3,4\n", "has 3 cells where the header has 2"},
		"no rows":          {"sku,list\n", "a header but no rows"},
		"not a number":     {"sku,list\nA-1,12.5O\n", "is not a number"},
		"quotes left open": {"sku,name\nA-1,\"x\n", "quotes"},
	} {
		t.Run(name, func(t *testing.T) {
			pg.t = t
			pg.show(p.url + "/catalogue")
			pg.importFile(tc.content)
			pg.says(tc.says)
			buttons, err := pg.Elements("button")
			require.NoError(t, err)
			for _, b := range buttons {
				if text := b.MustText(); strings.HasPrefix(text, "Import ") {
					require.True(t, b.MustProperty("disabled").Bool(), "a bad file cannot be imported")
				}
			}
		})
	}
	require.Equal(t, before, p.version(t))
}

// Each mistake in a rule is named beside its control, and nothing is saved.
func TestBadRules(t *testing.T) {
	t.Parallel()
	p := start(t, t.TempDir())
	pg := p.open(t, "/stack/new?layer=sale")
	before := p.version(t)
	pg.typeInto(pg.labelled("Name"), "Nothing yet")
	pg.click("button", "Save the rule")
	pg.says("Choose goods, or say that it is for every product.")
	pg.says("Write how much.")
	pg.typeInto(pg.labelled("How much"), "120")
	pg.says("A reduction is a percent from 0 to 100.")
	pg.typeInto(pg.labelled("How much"), "twelve")
	pg.says("Must be a decimal number")
	pg.typeInto(pg.labelled("How much"), "12")
	pg.click("label", "every product in the book")
	pg.typeInto(pg.labelled("From date"), "2026-04-31")
	pg.says("The date 2026-04-31 does not exist")
	pg.typeInto(pg.labelled("From date"), "2026-12-10")
	pg.typeInto(pg.labelled("Through date"), "2026-12-01")
	pg.says("ends where or before it starts")
	pg.click("button", "Save the rule")
	pg.says("One thing is missing or wrong above.")
	require.Equal(t, before, p.version(t))
	pg.typeInto(pg.labelled("Through date"), "2026-12-12")
	pg.click("button", "Save the rule")
	pg.find("[data-rule=NOTHING-YET]")
	require.Equal(t, before+1, p.version(t))
}

// The whole book leaves as a file, is changed, and comes back after its differences were seen; a broken file is
// refused.
func TestBookOutChangedAndIn(t *testing.T) {
	t.Parallel()
	p := start(t, t.TempDir())
	resp, err := p.client(t, "wout").Get(p.url + "/api/book")
	require.NoError(t, err)
	defer resp.Body.Close()
	book, err := io.ReadAll(resp.Body)
	require.NoError(t, err)
	lay := func(pg *page, content string) {
		file := filepath.Join(t.TempDir(), "book.json")
		require.NoError(t, os.WriteFile(file, []byte(content), 0o644))
		pg.show(p.url + "/catalogue/book")
		require.NoError(t, pg.labelled("Book file").SetFiles([]string{file}))
	}
	pg := p.open(t, "/catalogue")
	lay(pg, string(book))
	pg.says("The file holds the saved book")
	before, rest, _ := strings.Cut(string(book), `"KILN-AUTUMN"`)
	edited := func(percent string) string {
		return before + `"KILN-AUTUMN"` + strings.Replace(rest, `"percentOff": "12"`,
			fmt.Sprintf(`"percentOff": %q`, percent), 1)
	}
	lay(pg, edited("120"))
	pg.says("This file is no valid book: 1 errors")
	pg.says("effect.percentOff")
	version := p.version(t)
	lay(pg, edited("13"))
	pg.says("1 changed")
	pg.says("Web shop: 5 prices move")
	pg.click("button", "Replace the saved book")
	pg.says("The book is replaced")
	require.Equal(t, version+1, p.version(t))
	pg.show(p.url + "/board?q=KILN-EL-42&channel=web")
	pg.eventually("the board shows 13 % off, ended at .95", func() bool {
		return pg.cell("KILN-EL-42",
			"price") == "1\u202f264.95"
	})
}
