package e2e

import (
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
