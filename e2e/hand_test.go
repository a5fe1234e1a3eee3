package e2e

import (
	"fmt"
	"strings"

	"github.com/go-rod/rod/lib/input"
)

// hand does what a person does with a mouse and keys, and counts it: a choice from a list is two clicks.
type hand struct {
	*page
	clicks, keys int
}

func (h *hand) click(selector string, text ...string) {
	h.t.Helper()
	h.page.click(selector, text...)
	h.clicks++
}

// press types a key, with another one held where there are two.
func (h *hand) press(keys ...input.Key) {
	h.t.Helper()
	if len(keys) == 2 {
		h.chord(keys[0], keys[1])
	} else {
		h.key(keys[0])
	}
	h.keys++
}

// write types into what has the focus, without pauses.
func (h *hand) write(text string) {
	h.t.Helper()
	h.page.keys(text, 0)
	h.keys += len([]rune(text))
}

// fill clicks into a field and replaces what it holds.
func (h *hand) fill(label, text string) {
	h.t.Helper()
	h.click(fmt.Sprintf("[aria-label=%q]", label))
	if h.labelled(label).MustProperty("value").Str() != "" {
		h.press(input.ControlLeft, input.KeyA)
	}
	h.write(text)
}

func (h *hand) choose(label, value string) {
	h.t.Helper()
	h.page.choose(label, value)
	h.clicks += 2
}

// pick chooses from a list that is searched.
func (h *hand) pick(label, words string) {
	h.t.Helper()
	h.click(fmt.Sprintf("[aria-label^='%s:']", label))
	h.find("[cmdk-input]")
	h.write(words)
	h.find("[cmdk-item]")
	h.press(input.Enter)
	h.press(input.Escape)
}

// category narrows a rule that is written to a category.
func (h *hand) category(words string) {
	h.t.Helper()
	h.click("[aria-label='Add category']")
	h.pick("Category", words)
}

// skus narrows it to products that are named.
func (h *hand) skus(list string) {
	h.t.Helper()
	h.click("[aria-label='Add SKUs']")
	h.write(list)
	h.press(input.Enter)
	h.says(fmt.Sprintf("%d known", len(strings.Fields(list))))
}

// rule begins a new rule of a layer in the stack.
func (h *hand) rule(layer, name string) {
	h.t.Helper()
	if layer == "sale" {
		h.press(input.KeyN)
	} else {
		h.press(input.Digit2)
		h.click("button", "New "+layer+" rule")
	}
	h.labelled("Name")
	h.write(name)
}

// save saves the rule and waits until the stack shows it.
func (h *hand) save(code string) {
	h.t.Helper()
	h.press(input.ControlLeft, input.Enter)
	h.find(fmt.Sprintf("[data-rule=%q]", code))
}

// costs waits until the board shows a product at a price from a viewpoint.
func (h *hand) costs(p *program, sku, query, want string) {
	h.t.Helper()
	h.show(p.url + "/board?channel=web&q=" + sku + query)
	h.eventually(fmt.Sprintf("%s costs %s at %s", sku, want, query), func() bool { return h.cell(sku, "price") == want })
}
