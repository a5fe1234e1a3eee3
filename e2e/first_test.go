package e2e

import (
	"encoding/json"
	"strings"
	"testing"

	"github.com/go-rod/rod/lib/input"
	"github.com/stretchr/testify/require"
)

// Somebody who sees the editor for the first time writes a deal, from the empty editor to the stack, with few clicks and
// keys besides the words.
func TestFirstDeal(t *testing.T) {
	t.Parallel()
	p := start(t, t.TempDir())
	h := &hand{page: p.openAs(t, "maren", "/stack/new?layer=promotion")}
	name, goods := "Three for two <glazes>", "underglaze"
	h.labelled("Name")
	h.write(name)
	h.click("button", "Buy some, get some of the same")
	h.click("[aria-label^='Goods of need 1']")
	h.pick("Category", goods)
	h.press(input.Escape)
	h.save("THREE-FOR-TWO-GLAZES")
	besides := h.clicks + h.keys - len(name) - len(goods)
	t.Logf("%d clicks and keys besides the words", besides)
	require.LessOrEqual(t, besides, 12)
	// Saved is gone from the editor: nothing of it is left as unfinished, and another one begins empty.
	h.find("[data-rule='THREE-FOR-TWO-GLAZES']", "buy 3 of Glazes")
	require.Empty(t, h.texts("[data-testid=unfinished]", "Three"))
	h.show(p.url + "/stack/new?layer=promotion")
	require.Empty(t, h.labelled("Name").MustProperty("value").Str())
	// What gives everything away says so while it is written, and one click mends it.
	h.click("button", "Buy some, get some of the same")
	h.fill("How many of need 1", "1")
	h.find("[data-testid=all-free]", "Then nothing is paid")
	h.click("[data-testid=all-free] button", "^Want 2$")
	require.Equal(t, "2", h.labelled("How many of need 1").MustProperty("value").Str())
	// Left unfinished, it stands in the stack.
	h.fill("Name", "Left & unfinished")
	h.show(p.url + "/stack")
	h.find("[aria-label='Promotion layer'] [data-testid=unfinished]", "Left & unfinished")
}

// A rule that says more than a form of one field each can show is renamed, and nothing else of it changes: two attributes
// of customers, seconds in its window, a tag with a comma. What no control shows is named beside the sentence.
func TestRenamedAndNothingElse(t *testing.T) {
	t.Parallel()
	p := start(t, t.TempDir())
	c := p.client(t, "maren")
	rule := func(name string) string {
		return `{"code":"NORTH-GOLD","layer":"promotion","rank":40,"name":"` + name + `","where":{"category":"Clay"},` +
			`"window":{"from":"2026-11-27T09:00:30","to":"2026-12-06T18:00:15"},` +
			`"audience":{"groups":[],"customerAttr":{"region":["north"],"tier":["gold","dry, matte"]}},` +
			`"effect":{"percentOff":"40"},"liveTags":{"add":["dry, matte"]}}`
	}
	p.saves(t, c, rule("North <gold>"))
	pg := p.openAs(t, "maren", "/stack/rule/NORTH-GOLD")
	require.Equal(t, "tier", pg.labelled("Attribute of the customer 2").MustProperty("value").Str())
	require.Equal(t, "09:00:30", pg.labelled("From time").MustProperty("value").Str())
	pg.says("what no control here shows")
	pg.typeInto(pg.labelled("Name"), "North, gold & “more”")
	pg.click("button", "Save the change")
	pg.find("[data-rule='NORTH-GOLD']", "North, gold")
	var list struct {
		Rules []struct{ Rule json.RawMessage }
	}
	getJSON(t, c, p.url+"/api/rules", &list)
	for _, r := range list.Rules {
		if strings.Contains(string(r.Rule), `"NORTH-GOLD"`) {
			require.JSONEq(t, rule("North, gold & “more”"), string(r.Rule))
			return
		}
	}
	require.Fail(t, "the rule is gone")
}
