package e2e

import (
	"fmt"
	"testing"

	"github.com/go-rod/rod/lib/input"
	"github.com/stretchr/testify/require"
)

// What mends a flag is done in one step, and undone in one: the flag goes and returns.
func TestFlagsAreMendedAndUndone(t *testing.T) {
	t.Parallel()
	p := start(t, t.TempDir())
	pg := p.open(t, "/flags")
	client := p.client(t, "maren")
	for _, c := range []struct{ kind, of, fix string }{
		{"below-cost", `[data-sku="SET-OXIDE"]`, "^Leave Oxide sampler"},
		{"never-wins", "", "^Let “Trade potteries, kilns” come before"},
		{"matches-nothing", "", "^Switch “"},
		{"tie", "", "^Let “"},
		{"offer-over-stock", "", "^Give “Starter bench"},
		{"doubled", "", "leave reduced goods alone"},
	} {
		pg.show(p.url + "/flags?kind=" + c.kind)
		flag := fmt.Sprintf("[data-flag=%q]%s", c.kind, c.of)
		subject := *pg.find(flag).MustAttribute("data-subject")
		pg.click(flag+" button", "^Mend it$")
		pg.find("[data-testid=fixes] li", c.fix)
		pg.find("[data-testid=fixes] li", "clears it")
		pg.click("[data-testid=fixes] li > div > button:first-child", c.fix) // what it does to prices
		pg.find("[data-testid=fixes] [data-testid=effect]")
		li := pg.find("[data-testid=fixes] li", c.fix)
		li.MustElementR("button", "^Do it$").MustClick()
		gone := func() bool {
			left, err := pg.Eval(`subject => ![...document.querySelectorAll("[data-subject]")].some(e => e.dataset.subject === subject)`,
				subject)
			return err == nil && left.Value.Bool()
		}
		pg.eventually(c.kind+" is cleared", gone)
		// It is off the list at once; that it was cleared is known once the new book was looked at.
		var list struct {
			Version   int64
			Searching bool
		}
		pg.eventually("the new book was looked at", func() bool {
			getJSON(t, client, p.url+"/api/flags", &list)
			return !list.Searching && list.Version == p.version(t)
		})
		require.True(t, gone())
		pg.click("button", "^Undo$")
		pg.eventually(c.kind+" returns", func() bool { return !gone() })
	}
	pg.show(p.url + "/flags?kind=below-cost")
	flag := `[data-flag="below-cost"][data-sku="SET-OXIDE"]`
	pg.click(flag+" button", "^Since when\\?$")
	pg.find("[data-testid=flag-history]", "cleared .* by .*Leave Oxide sampler")
}

// Somebody lives with a flag for a reason and until a day; what one rule brings about stands together.
func TestFlagsAreLivedWithAndGrouped(t *testing.T) {
	t.Parallel()
	p := start(t, t.TempDir())
	pg := p.open(t, "/flags?kind=below-cost")
	flag := `[data-flag="below-cost"][data-sku="SET-OXIDE"]`
	pg.click(flag+" button", "^Live with it$")
	pg.click("[data-testid=live-with] button", "^Live with it$")
	pg.find("[data-testid=live-with]", "Say why this may stay")
	pg.typeInto(pg.labelled("Why it may stay"), `A <gift> & "more" 🎁`)
	until := pg.labelled("Until which day")
	pg.typeInto(until, "2020-01-01")
	pg.click("[data-testid=live-with] button", "^Live with it$")
	pg.find("[data-testid=live-with]", "This day is over")
	pg.typeInto(until, "2026-12-24")
	pg.click("[data-testid=live-with] button", "^Live with it$")
	pg.eventually("it is no longer shown", func() bool { has, _, err := pg.Has(flag); return err == nil && !has })
	pg.click("label", "those that somebody lives with")
	pg.find(flag, `A <gift> & "more" 🎁`)
	pg.click(flag+" button", "^Show it again$")
	pg.show(p.url + "/flags?by=cause")
	pg.find(`[data-group="below-cost TOOLS-CLEAR"]`, "Below cost 9")
	pg.click(`[data-group="below-cost TOOLS-CLEAR"] button`, "^Show them$")
	pg.click(`[data-flag="below-cost"] a`, "^Show me$")
	pg.find("[data-testid=trail-price]")
}

// While a percent is typed, the flags that it would raise come and go; why a rule never applies is a picture.
func TestFlagsComeAndGoWhileTyping(t *testing.T) {
	t.Parallel()
	p := start(t, t.TempDir())
	pg := p.open(t, "/stack/rule/KILN-AUTUMN")
	much := pg.labelled("How much")
	pg.typeInto(much, "70")
	pg.find(`[data-flag-change="+below-cost"]`)
	pg.typeInto(much, "1")
	pg.eventually("it is taken back", func() bool {
		has, _, err := pg.Has(`[data-flag-change="+below-cost"]`)
		return err == nil && !has
	})
	pg.find("[data-testid=flag-changes]")
	pg.show(p.url + "/flags?kind=never-wins")
	pg.click(`[data-flag="never-wins"] button`, "^Why not\\?$")
	pg.find("[data-testid=why-not]", "makes the price of 0")
	pg.find(`[data-shutter="TRADE-REST"]`, "Trade potteries, everything else.*rank 5, comes first")
	pg.key(input.Escape)
	pg.show(p.url + "/stack")
	pg.click("[data-rule=TRADE-KILNS] [aria-label^='More about'], [data-rule=TRADE-KILNS] button[aria-haspopup=menu]")
	pg.click("[role=menuitem]", "^Why not at work\\?$")
	pg.find(`[data-shutter="TRADE-REST"]`)
}
