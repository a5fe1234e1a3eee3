package e2e

import (
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
)

// The pictures of docs/screenshots are made anew with: DOGBANE_SHOTS=../docs/screenshots go test ./e2e -run
// TestPictures
func TestPictures(t *testing.T) {
	dir := os.Getenv("DOGBANE_SHOTS")
	if dir == "" {
		t.Skip("makes the pictures of docs/screenshots when DOGBANE_SHOTS names a folder")
	}
	p := start(t, t.TempDir())
	pg := p.open(t, "/board")
	pg.find("[data-sku]")
	pg.eventually("flags are found", func() bool { return pg.text(`a[href^="/flags"]`) != "Flags" })
	picture := func(pg *page, name string) {
		time.Sleep(900 * time.Millisecond) // fonts and the answers of neighbouring panels
		png, err := pg.Screenshot(false, nil)
		require.NoError(t, err)
		require.NoError(t, os.WriteFile(filepath.Join(dir, name+".png"), png, 0o644))
	}
	for _, shot := range []struct{ name, path, wait, theme string }{
		{"board", "/board?sku=KILN-EL-42&trail=open&category=Kilns", "[data-testid=trail-price]", "light"},
		{"stack", "/stack", "[data-rule]", "light"},
		{"editor", "/stack/rule/GLAZE-WEEK", "[data-testid=changed]", "light"},
		{"calendar", "/calendar?sku=KILN-EL-42&channel=web", "[aria-label^='Price: ']", "light"},
		{"basket", "/basket?channel=web&shipping=6.95&lines=" + url.QueryEscape(`[{"sku":"UG-01-J2","quantity":3},{"sku":"HIRE-WHEEL","quantity":1,"hire":{"from":"2026-12-03T18:00","to":"2026-12-07T09:00"}},{"sku":"STAMP-A5","quantity":1,"options":["engraved-text"]}]`),
			"[data-testid=nudges]", "light"},
		{"offer", "/stack/rule/UNDERGLAZE-THREE", "[data-testid=thinnest]", "light"},
		{"codes", "/catalogue/codes?item=FAIR-VOUCHER", "[data-testid=codes] li", "light"},
		{"publish", "/publish", "[data-sku]", "light"},
		{"one-price", "/publish?view=prices", "[data-sku]", "dark"},
		{"catalogue", "/catalogue/products", "[data-sku]", "light"},
		{"product", "/catalogue/product/SW-01-12?channel=web", "[data-testid=matrix]", "light"},
		{"channels", "/catalogue/channels?item=kilnfair", "[aria-label='Least reduction']", "light"},
		{"checks", "/catalogue/checks", "[data-check]", "light"},
	} {
		pg.MustEval(`theme => localStorage.setItem("dogbane-theme", theme)`, shot.theme)
		pg.show(p.url + shot.path)
		pg.find(shot.wait)
		picture(pg, shot.name)
	}
	pg.MustEval(`() => localStorage.setItem("dogbane-theme", "light")`)
	pg.show(p.url + "/board?channel=web&category=Glazes/Underglazes&show=reduced")
	pg.find("[data-sku]")
	pg.click("button", "^More$")
	pg.click("[role=menuitem]", "^Shelf labels$")
	pg.find("iframe")
	time.Sleep(3 * time.Second) // the browser's reader of PDF
	picture(pg, "labels")
	pg.show(p.url + "/flags")
	pg.click(`[data-group="below-cost TOOLS-CLEAR"] button`, "^Show them$")
	pg.click("[data-flag=below-cost] button", "^Mend it$")
	pg.find("[data-testid=fixes] li", "clears it")
	pg.click("[data-testid=fixes] li button")
	pg.find("[data-testid=fixes] [data-testid=effect]")
	picture(pg, "flags")
	pg.show(p.url + "/catalogue/keys?item=web")
	pg.typeInto(pg.labelled("What the key is for"), "The shop's own pages & <basket>")
	pg.click("button", "^Make a key$")
	pg.find("[data-testid=new-key]")
	picture(pg, "keys")
	status, list := ask(t, p.client(t, "wout"), "GET", p.url+"/api/price-list?channel=web&who=group:trade&category=Glazes"+
		"&title="+url.QueryEscape("Glazes for the trade")+"&note="+url.QueryEscape("Prices without transport; & valid as dated."), nil)
	require.Equal(t, 200, status)
	file := filepath.Join(t.TempDir(), "list.pdf")
	require.NoError(t, os.WriteFile(file, []byte(list), 0o600))
	out, err := exec.CommandContext(t.Context(), "pdftoppm", "-png", "-r", "110", "-f", "1", "-singlefile", file,
		filepath.Join(dir, "price-list")).CombinedOutput()
	require.NoError(t, err, string(out))
	pg.lay(p.url, "products", "winter.csv",
		"Artikelnummer;Omschrijving;Verkoopprijs;Inkoopprijs;Kleur\nBAT-30;;15,20;;\nKILN-EL-42;;€ 1.495,00;905,00;\nSW-01-12;;15,10;9,40;grijs\nFERN-1;Fern dish, ash glaze & rim;24,00;11,20;groen\n")
	pg.find("[data-testid=effect]")
	picture(pg, "import")
	own := start(t, t.TempDir(), "--empty")
	first := own.openAs(t, "", "/")
	first.find("[autocomplete=current-password]")
	fields := first.MustElements("input")
	first.typeInto(fields[0], "admin")
	first.typeInto(fields[1], own.password)
	first.click("button", "^Sign in$")
	first.find("h1", "A new book")
	picture(first, "setup")
}
