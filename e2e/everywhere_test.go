package e2e

import (
	"testing"

	"github.com/stretchr/testify/require"
)

// A rule that was just saved is sent to every channel that it concerns with two presses: one to look, one to send. What
// is blocked is left out, what else is saved stays, and what it says became of it is so.
func TestOneRuleIsSentEverywhere(t *testing.T) {
	t.Parallel()
	p, out, c := small(t, oneOff, "")
	tell[any](t, c, "POST", p.url+"/api/edit", map[string]any{"changes": []any{map[string]any{"kind": "channels",
		"code": "till", "doc": map[string]any{"code": "till", "name": "Till <1>"}}}}, 200)
	tell[any](t, c, "PUT", p.url+"/api/links/till", map[string]string{"kind": "feed"}, 204)
	p.tellsAll(t, c)
	s := tell[sent](t, c, "POST", p.url+"/api/channels/till/publications", map[string]any{"version": p.saved(t, c)}, 201)
	tell[sent](t, c, "POST", p.url+"/api/publications/"+text(s.ID)+"/send", map[string]any{}, 202)
	require.Equal(t, "done", p.ends(t, c, s.ID).State)
	p.saves(t, c, twoOff) // saved, and nobody sends it

	pg := p.openFor(t, c, "/stack/rule/ONE")
	pg.typeInto(pg.labelled("How much"), "25")
	pg.click("button", "^Save the change$")
	pg.find("[data-notices] button", "^Send everywhere")
	pg.eventually("the notice can be pressed", func() bool { // while it is drawn it lets the pointer through
		return pg.MustEval(`() => getComputedStyle(document.querySelector("[data-notices]")).pointerEvents`).Str() != "none"
	})
	pg.click("[data-notices] button", "^Send everywhere")
	pg.find("[role=dialog]", "One & <off> \\(changed\\). Nothing else goes along")
	pg.find("[data-spread=web]", "1 price now")
	pg.find("[data-spread=till]", "1 price now")
	pg.click("button", "^Send to 2 channels$")
	pg.find("[data-spread=web]", "1 price: all taken")
	pg.find("[data-spread=till]", "1 price: all taken")
	require.Equal(t, map[string]string{"A & <b>": "7.50", "B": "20.00", "C": "30.00"}, out.Prices())
	pg.click("button", "^Close$")

	// Looked at again there is nothing left of it; the other rule still waits.
	pg.show(p.url + "/stack/rule/ONE")
	pg.click("button", "^Send everywhere")
	pg.find("[role=dialog]", "there is nothing to send")
	pg.show(p.url + "/publish?channel=web")
	pg.find("button", "^Send 1 price to the ")

	// Unticked channels are told nothing.
	pg.show(p.url + "/stack/rule/TWO")
	pg.click("button", "^Send everywhere")
	pg.click(`[aria-label="Send to Web & <shop>"]`)
	pg.click("button", "^Send to Till <1>$")
	pg.find("[data-spread=web]", "not sent")
	pg.find("[data-spread=till]", "1 price: all taken")
	require.Equal(t, "20.00", out.Prices()["B"])
}
