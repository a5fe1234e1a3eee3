package e2e

import (
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"testing"

	"github.com/go-rod/rod/lib/input"
	"github.com/stretchr/testify/require"
)

// deskGoods are goods whose prices are easily reckoned; the fifth is thin, and no rule of the demo reaches them.
var deskGoods = []map[string]any{
	{"sku": "D-1", "name": "Desk & lamp", "category": "Desk", "list": "100.00", "cost": "50.00", "levels": map[string]string{"Dealer": "77.00"}},
	{"sku": "D-2", "name": "Desk <blotter>", "category": "Desk", "list": "64.00", "cost": "30.00"},
	{"sku": "D-3", "name": "Desk \"tidy\"", "category": "Desk", "list": "20.00", "cost": "9.00"},
	{"sku": "D-4", "name": "=Drawer", "category": "Desk/Left", "list": "30.00", "cost": "10.00"},
	{"sku": "D-5", "name": "Paper, ream", "category": "Desk/Left", "list": "10.00", "cost": "9.80"},
}

// Eighteen jobs of a day, each through the interface alone, typed without pauses. What each takes is in the log.
func TestADayAtTheDesk(t *testing.T) {
	t.Parallel()
	p := start(t, t.TempDir())
	p.unpin(t)
	client := p.client(t, "maren")
	do := func(method, path string, body any) string {
		t.Helper()
		status, text := ask(t, client, method, p.url+path, body)
		require.Less(t, status, 300, text)
		return text
	}
	var goods []any
	for _, g := range deskGoods {
		goods = append(goods, map[string]any{"kind": "products", "code": g["sku"], "doc": g})
	}
	do("POST", "/api/edit", map[string]any{"changes": goods})
	rules := func() (codes []string) {
		var all struct {
			Rules []struct{ Rule struct{ Code string } }
		}
		require.NoError(t, json.Unmarshal([]byte(do("GET", "/api/rules", nil)), &all))
		for _, r := range all.Rules {
			codes = append(codes, r.Rule.Code)
		}
		return codes
	}
	before := rules()
	// drop takes away every rule that a job made.
	drop := func() {
		t.Helper()
		for _, code := range rules() {
			if !slices.Contains(before, code) {
				do("DELETE", "/api/rules/"+code, nil)
			}
		}
	}
	h := &hand{page: p.openAs(t, "maren", "/board?channel=web")}
	job := func(name, path string, done func(t *testing.T)) {
		t.Run(name, func(t *testing.T) {
			h.t = t
			defer drop()
			h.show(p.url + path)
			h.find("nav[aria-label=Views]")
			h.clicks, h.keys = 0, 0
			done(t)
			t.Logf("%s: %d clicks, %d keys", name, h.clicks, h.keys)
		})
	}
	job("a week's percentage on a category, published", "/board?channel=web", func(t *testing.T) {
		h.rule("sale", "Desk week")
		h.fill("How much", "10")
		h.category("desk")
		h.fill("From date", "2026-11-26")
		h.fill("Through date", "2026-12-02")
		h.eventually("its impact", func() bool { return h.text("[data-testid=changed]") == "5" })
		h.save("DESK-WEEK")
		h.press(input.Digit6)
		h.click("section[aria-label='Web shop'] button")
		h.page.find("[aria-label='Send all that was changed']")
		h.click("[aria-label='Send all that was changed']")
		h.click("[aria-label='Send Desk week']")
		h.click("[aria-label^='Send Changed 5']")
		h.eventually("its rows alone", func() bool { return len(h.texts("[data-sku]", "")) == 5 })
		h.click("[aria-label='Leave out D-5']")
		h.click("button", "^Send 4 prices ")
		h.find("[data-testid=send-result]", "took every price")
		h.show(p.shop + "/goods/D-1")
		require.Equal(t, "90.00", h.text("[data-price]"))
	})
	job("three goods ending in .50 with a live tag, the store but one category, last year's copied", "/board?channel=web&q=D-",
		func(t *testing.T) {
			for _, name := range []string{"Desk & lamp", "Desk <blotter>", `Desk \"tidy\"`} {
				h.click(fmt.Sprintf(`[aria-label="Choose %s"]`, name))
			}
			h.click("button", "Make a rule for them")
			h.says("3 known")
			h.write("Three of them")
			h.fill("How much", "25")
			h.click("button", `^\+ ending`)
			h.choose("Direction of the ending", "nearest")
			h.fill("Step of the ending", "1")
			h.fill("Shift of the ending", "0.50")
			h.click("summary", "What the public sees")
			h.click("label", "Tags added while it is live")
			h.write("gift & <more>")
			h.save("THREE-OF-THEM")
			h.costs(p, "D-1", "&sku=D-1&trail=open", "75.50")
			h.find("dd", "gift & <more>")
			h.show(p.url + "/catalogue/product/D-1?channel=web")
			h.find("[data-testid=live-tags]", "gift & <more>")
			drop()
			h.show(p.url + "/stack")
			h.find("[data-rule=KILN-AUTUMN]")
			h.rule("sale", "All but what is left")
			h.fill("How much", "15")
			h.category("desk/left")
			h.choose("Is or is not", "not")
			h.save("ALL-BUT-WHAT-IS-LEFT")
			h.costs(p, "D-1", "", "85.00")
			h.costs(p, "D-4", "", "30.00")
			drop()
			do("POST", "/api/rules", map[string]any{"code": "OLD-2025", "name": "Desk days & nights 2025", "layer": "sale",
				"rank": 90, "where": map[string]any{"category": "Desk"}, "effect": map[string]any{"percentOff": "5"},
				"window": map[string]any{"from": "2025-11-28T00:00", "to": "2025-12-01T00:00"}})
			h.show(p.url + "/stack")
			h.click("[aria-label='More for Desk days & nights 2025']")
			h.click("[role=menuitem]", "Copy to another time")
			h.find("[data-copy=OLD-2025]", "Fri 27 Nov")
			h.click("button", "^Make the copy$")
			h.find("[data-rule='OLD-2026']", "5 % off Desk")
			h.costs(p, "D-1", "&at=2026-11-28T12:00", "95.00")
		})
	job("a fifth off, up to ten less a cent, from two pieces", "/board?channel=web", func(t *testing.T) {
		h.rule("sale", "Two of them")
		h.fill("How much", "20")
		h.click("button", `^\+ ending`)
		h.choose("Direction of the ending", "up")
		h.fill("Step of the ending", "10")
		h.fill("Shift of the ending", "-0.01")
		h.fill("Least quantity", "2")
		h.category("desk")
		h.save("TWO-OF-THEM")
		h.costs(p, "D-2", "", "64.00")
		h.costs(p, "D-2", "&quantity=2", "59.99")
	})
	job("breaks, fixed breaks, a group's own, a shared ladder, brackets", "/stack", func(t *testing.T) {
		h.find("[data-rule=KILN-AUTUMN]")
		breaks := func(name string, rest func()) {
			h.show(p.url + "/stack")
			h.find("[data-rule=KILN-AUTUMN]")
			h.rule("quantity", name)
			h.choose("Form of the rule", "breaks")
			rest()
			h.skus("D-1")
		}
		breaks("Percent", func() { h.fill("Break 1 from", "3"); h.fill("How much of break 1", "10") })
		h.save("PERCENT")
		h.costs(p, "D-1", "&quantity=3", "90.00")
		drop()
		breaks("Fixed", func() {
			h.fill("Break 1 from", "3")
			h.choose("Effect of break 1", "setPrice")
			h.fill("How much of break 1", "88.00")
		})
		h.save("FIXED")
		h.costs(p, "D-1", "&quantity=3", "88.00")
		drop()
		breaks("Theirs", func() {
			h.fill("Break 1 from", "3")
			h.fill("How much of break 1", "20")
			h.pick("Group", "schools")
		})
		h.save("THEIRS")
		h.costs(p, "D-1", "&quantity=3", "100.00")
		h.costs(p, "D-1", "&quantity=3&who=group:schools", "80.00")
		drop()
		breaks("Brackets", func() {
			h.fill("Break 1 from", "3")
			h.fill("How much of break 1", "50")
			h.choose("Method", "graduated")
		})
		h.save("BRACKETS")
		h.costs(p, "D-1", "&quantity=4&sku=D-1&trail=open", "75.00")
		h.find("[data-testid=portion]", "2 pieces")
		drop()
		h.show(p.url + "/stack")
		h.rule("quantity", "Shared")
		h.choose("Form of the rule", "ladder")
		h.choose("Ladder", "by-the-box")
		h.skus("D-1")
		h.save("SHARED")
		h.costs(p, "D-1", "&quantity=12", "93.00")
	})
	// wrongOrder are three break rules of which the deepest stands last, where the first that fits is used.
	wrongOrder := func() {
		t.Helper()
		for i, percent := range []string{"30", "20", "10"} {
			do("POST", "/api/rules", map[string]any{"code": "ORDER-" + percent, "name": "Order " + percent, "layer": "group",
				"rank": 60 + 3 - i, "where": map[string]any{"sku": "D-1"},
				"breaks": []any{map[string]any{"from": 3, "percentOff": percent}}})
		}
	}
	job("three break rules in the wrong order", "/stack", func(t *testing.T) {
		wrongOrder()
		h.show(p.url + "/stack")
		h.find("[data-rule=ORDER-30]")
		h.fill("Find a rule", "order 30")
		h.find("[aria-label='Move Order 30']:disabled")
		h.press(input.ControlLeft, input.KeyA)
		h.press(input.Backspace)
		h.click("[data-rule=ORDER-30] [aria-label^='Move']:not(:disabled)")
		for range 2 {
			h.press(input.AltLeft, input.ArrowUp)
			h.says("Moved “Order 30”")
		}
		h.costs(p, "D-1", "&quantity=3", "70.00")
	})
	job("an agreed price that beats all, fifty by file", "/catalogue/customers?item=C-02", func(t *testing.T) {
		do("POST", "/api/rules", map[string]any{"code": "CHEAP", "name": "Cheap", "layer": "promotion", "rank": 90,
			"where": map[string]any{"category": "Desk"}, "effect": map[string]any{"setPrice": "5.00"}})
		h.click("[aria-label='SKU of an agreed price']")
		h.write("desk & l")
		h.find("[cmdk-item]", "Desk & lamp")
		h.press(input.Enter)
		h.eventually("the product is named by its SKU", func() bool { return h.labelled("SKU of an agreed price").MustProperty("value").Str() == "D-1" })
		h.fill("Agreed price", "120.00")
		h.find("[data-testid=dearer]", "Dearer than the")
		h.press(input.ControlLeft, input.KeyA)
		h.write("70.00")
		h.press(input.Enter)
		h.find("[data-agreed='D-1']", "70.00")
		h.click("label", "fixed: nothing else changes these prices")
		h.says("nothing else changes them")
		h.costs(p, "D-1", "&who=customer:C-02", "70.00")
		var file strings.Builder
		file.WriteString("Kunde;Artikelnummer;Preis\n")
		var b struct{ Rows []struct{ SKU string } }
		require.NoError(t, json.Unmarshal([]byte(do("GET", "/api/board?channel=web&limit=50", nil)), &b))
		for _, r := range b.Rows {
			fmt.Fprintf(&file, "widdershin  POTS;%s;3,50\n", r.SKU)
		}
		h.lay(p.url, "agreed", "fifty.csv", file.String())
		h.says("50 new, 0 changed")
		h.click("button", "Import 50 agreed prices")
		h.says("It is in")
		h.costs(p, b.Rows[7].SKU, "&who=customer:C-02", "3.50")
	})
	job("conditions of time, place and person", "/stack", func(t *testing.T) {
		h.find("[data-rule=KILN-AUTUMN]")
		h.rule("promotion", "Only then and there")
		h.fill("How much", "10")
		h.skus("D-1")
		h.click("button", `^\+ weekdays and hours`)
		h.click("label", "^Fri")
		h.fill("Hours from", "18:00")
		h.fill("Hours to", "22:00")
		h.choose("In which channels", "some")
		h.click("label", "^Web shop")
		h.click("button", `^\+ first order, country`)
		h.choose("First order", "yes")
		h.fill("Countries", "DE")
		h.fill("Attribute of the customer", "region")
		h.fill("Values of the customer's attribute", "north")
		h.save("ONLY-THEN-AND-THERE")
		h.show(p.url + "/board?channel=web&q=D-1&sku=D-1&trail=open&at=2026-11-27T18:30")
		h.find("li", "is only for buyers in DE, is only for first orders and is only for customers whose region is north")
		h.click("[aria-label^='What is assumed of the buyer']")
		for _, one := range [][2]string{{"assume-first", "yes"}, {"assume-attr-0", "north"}} {
			require.NoError(t, h.find("#"+one[0]).Select([]string{fmt.Sprintf("option[value=%q]", one[1])}, true, "css-selector"))
			h.clicks += 2
		}
		h.click("#assume-country")
		h.write("de")
		h.press(input.Escape)
		h.eventually("the price of whoever is meant", func() bool { return h.cell("D-1", "price") == "90.00" })
		require.Contains(t, h.MustInfo().URL, "first=yes")
	})
	job("caps, floors, guards", "/board?channel=web", func(t *testing.T) {
		h.rule("sale", "Held")
		h.fill("How much", "90")
		h.skus("D-1")
		h.click("button", `^\+ most off`)
		h.fill("Most off", "30")
		h.save("HELD")
		h.costs(p, "D-1", "", "70.00")
		h.show(p.url + "/stack/rule/HELD")
		h.click("[aria-label='No limit to the reduction']")
		h.click("button", `^\+ floor`)
		h.choose("Floor by", "margin")
		h.fill("Floor", "20")
		h.find("[data-testid=changed]", "1")
		h.save("HELD")
		h.costs(p, "D-1", "", "62.50")
	})
	job("levels", "/stack", func(t *testing.T) {
		h.find("[data-rule=KILN-AUTUMN]")
		h.rule("group terms", "Dealers")
		h.choose("Effect", "level")
		h.fill("Rank", "1")
		h.skus("D-1")
		h.pick("Group", "trade")
		h.save("DEALERS")
		h.costs(p, "D-1", "&who=group:trade", "77.00")
		h.lay(p.url, "products", "levels.csv", "sku,price level Dealer\nD-1,71.00\nD-2,50.00\n")
		h.says("0 new, 2 changed")
		h.click("button", "Import 2 products")
		h.says("It is in")
		h.costs(p, "D-1", "&who=group:trade", "71.00")
	})
	job("a derived price", "/stack", func(t *testing.T) {
		h.find("[data-rule=KILN-AUTUMN]")
		h.rule("catalog", "A share of it")
		h.choose("Effect", "derive")
		h.fill("How much", "40")
		h.click("[aria-label='Source of the derived price']")
		h.write("desk & l")
		h.find("[cmdk-item]", "Desk & lamp")
		h.press(input.Enter)
		h.says("(Desk & lamp)")
		h.skus("D-2")
		h.save("A-SHARE-OF-IT")
		h.costs(p, "D-2", "", "40.00")
	})
	job("an import with bad rows, a paste, a bulk rise, each undone", "/catalogue/import", func(t *testing.T) {
		h.lay(p.url, "products", "bad.csv", "sku,list\nD-1,101.00\nD-2,many\n")
		h.find("[aria-label='Bad rows']", "many")
		h.lay(p.url, "products", "good.csv", "sku,list\nD-1,101.00\nD-2,65.00\n")
		h.click("button", "Import 2 products")
		h.says("It is in")
		undo := func(want string) {
			h.click("button", "^Undo$")
			h.says("Undo: ")
			h.costs(p, "D-1", "", want)
		}
		undo("100.00")
		h.click("button", "^More$")
		h.click("[role=menuitem]", "Paste from a spreadsheet")
		h.page.paste("Pasted cells", "D-1\tDesk & lamp\t102.00\n")
		h.keys++
		h.says("0 new, 1 changed")
		h.click("button", "Import 1 product")
		h.eventually("pasted", func() bool { return h.cell("D-1", "price") == "102.00" })
		undo("100.00")
		h.click("button", "^More$")
		h.click("[role=menuitem]", "Change list prices or costs of all shown")
		h.find("[role=dialog]")
		h.fill("By how much", "5")
		h.click("[role=dialog] button", "^(Save|Change)")
		h.eventually("raised", func() bool { return h.cell("D-1", "price") == "105.00" })
		undo("100.00")
	})
	job("finding thin margins and unreached goods", "/board?channel=web&category=Desk", func(t *testing.T) {
		h.click("button", `^\+ narrow`)
		h.fill("Margin, to", "5")
		h.choose("In which channel the margin is", "any")
		require.NoError(t, h.find("#narrow-reach").Select([]string{`option[value="unchanged"]`}, true, "css-selector"))
		h.clicks += 2
		h.press(input.Escape)
		h.eventually("only the thin one", func() bool {
			return h.text("[data-testid=board-total]") == fmt.Sprintf("1 of %d", 368+5)
		})
		h.find("[data-sku='D-5']")
		_, csv := ask(t, client, "GET", p.url+"/api/export?format=csv&"+strings.SplitN(h.MustInfo().URL, "?", 2)[1], nil)
		require.Equal(t, 2, strings.Count(csv, "\r\n"), "what is shown goes out: %s", csv)
		require.Contains(t, csv, "D-5")
	})
	job("two editors, a reader, an approver", "/stack/rule/TOOLS-CLEAR", func(t *testing.T) {
		h.fill("How much", "25")
		other := &hand{page: p.openAs(t, "wout", "/stack/rule/TOOLS-CLEAR")}
		other.fill("How much", "35")
		other.save("TOOLS-CLEAR")
		h.press(input.ControlLeft, input.Enter)
		h.says("Somebody saved another state of this rule while you were writing.")
		h.click("button", "Take theirs")
		h.eventually("theirs", func() bool { return h.labelled("How much").MustProperty("value").Str() == "35" })
		reader := p.openAs(t, "tessel", "/stack/rule/TOOLS-CLEAR")
		reader.says("You may look and try, not save.")
		approver := p.openAs(t, "wout", "/publish?channel=web")
		approver.click("[aria-label='Kinds of changes'] button", "^blocked")
		approver.find("[aria-label^='Reason for sending']:not(:disabled)")
		h.show(p.url + "/publish?channel=web")
		h.click("[aria-label='Kinds of changes'] button", "^blocked")
		h.find("[aria-label^='Reason for sending']:disabled")
	})
	job("a campaign moved", "/calendar", func(t *testing.T) {
		do("POST", "/api/rules", map[string]any{"code": "FIRST-DAY", "name": "First day & night", "layer": "sale", "rank": 95,
			"campaign": "glaze-week", "where": map[string]any{"sku": "D-1"}, "effect": map[string]any{"percentOff": "10"},
			"window": map[string]any{"from": "2026-11-27T09:00", "to": "2026-11-28T00:00"}})
		h.show(p.url + "/calendar")
		h.click("[data-bar=glaze-week]")
		for range 3 {
			h.press(input.ArrowRight)
		}
		h.find("[data-testid=moved]", "One of its rules lies in its days: First day & night")
		h.press(input.Enter)
		h.press(input.Enter)
		h.says("with its rules")
		h.costs(p, "D-1", "&at=2026-11-27T12:00", "100.00")
		h.costs(p, "D-1", "&at=2026-11-30T12:00", "90.00")
	})
	job("one customer's price and why", "/board?channel=web", func(t *testing.T) {
		h.choose("For whom", "customer:C-01")
		h.click("[aria-label='Search the board']")
		h.write("D-4")
		h.press(input.Enter)
		h.click("[data-sku='D-4'] button")
		h.find("[data-testid=trail-price]")
		h.find("li", "Staff, a margin of 12 % is only for Staff")
	})
	job("a check broken", "/board?channel=web&q=D-3&sku=D-3&trail=open", func(t *testing.T) {
		h.click("button", "^Pin$")
		h.click("button", "Pin the price")
		h.find("button", "Pinned")
		h.rule("sale", "Breaks it")
		h.fill("How much", "20")
		h.skus("D-3")
		h.find("[aria-label='Checks that would break']", "16.00 then")
		h.press(input.ControlLeft, input.Enter)
		h.find("[role=alertdialog]", "Desk")
		h.click("button", "Save it all the same")
		h.find("[data-rule=BREAKS-IT]")
		p.unpin(t)
	})
	job("a channel, a group, a tax class, a rate", "/catalogue/channels", func(t *testing.T) {
		h.click("button", "New channel")
		h.fill("Name", "Barge & <boat>")
		h.click("button", "Make the channel")
		h.find("[aria-current=true]", "Barge & <boat>")
		h.click("nav a", "^Groups$")
		h.click("button", "New group")
		h.fill("Name", "Guild")
		h.click("button", "Make the group")
		h.find("[aria-current=true]", "Guild")
		h.click("nav a", "^Rates and taxes$")
		h.click("button", `^\+ a tax class`)
		h.write("books")
		h.press(input.Tab)
		h.write("9")
		h.click("button", `^\+ a currency`)
		h.write("11.20")
		h.press(input.Tab)
		h.write("SEK")
		h.click("button", "Save the settings")
		h.says("Changed the settings")
		h.show(p.url + "/catalogue/settings")
		h.eventually("both are kept", func() bool {
			values := h.MustEval(`() => [...document.querySelectorAll("main input")].map((i) => i.value).join(" ")`).Str()
			return strings.Contains(values, "books") && strings.Contains(values, "11.2") && strings.Contains(h.text("main"), "SEK")
		})
	})
	focus := func() string {
		return h.MustEval(`() => document.activeElement.getAttribute("aria-label") ?? document.activeElement.textContent`).Str()
	}
	// tab goes on with the tab key to a control, within so many keys.
	tab := func(label string, most int) {
		for range most {
			h.press(input.Tab)
			if strings.HasPrefix(focus(), label) {
				return
			}
		}
		h.fail("no " + label + " within reach of the tab key")
	}
	h.MustEval(`() => localStorage.setItem("dogbane-theme", "dark")`)
	h.MustSetViewport(853, 533, 1.5, false)
	job("the first by keyboard alone, at 150 %, in the dark", "/board?channel=web", func(t *testing.T) {
		h.find("[data-sku]")
		tab("Write a new rule", 3)
		h.press(input.Enter)
		h.labelled("Name")
		h.write("Keys alone")
		tab("How much", 8)
		h.write("10")
		tab("From date", 24)
		h.write("2026-11-26")
		tab("Through date", 6)
		h.write("2026-12-02")
		tab("Add category", 16)
		h.press(input.Enter)
		h.press(input.Enter)
		h.find("[cmdk-input]")
		h.write("desk")
		h.find("[cmdk-item]")
		h.press(input.Enter)
		h.press(input.Escape)
		h.find("[data-testid=changed]", "5")
		h.save("KEYS-ALONE")
		h.costs(p, "D-1", "", "90.00")
	})
	h.MustSetViewport(1024, 768, 1, false)
	job("the fifth by keyboard alone, at 1024, in the dark", "/stack", func(t *testing.T) {
		wrongOrder()
		h.show(p.url + "/stack")
		h.find("[data-rule=ORDER-30]")
		tab("To the view", 1)
		h.press(input.Enter)
		tab("Choose ", 8)
		h.press(input.End)
		for range 40 {
			if focus() == "Choose Order 30" {
				break
			}
			h.press(input.ArrowUp)
		}
		h.press(input.Tab)
		require.Equal(t, "Move Order 30", focus())
		for range 2 {
			h.press(input.AltLeft, input.ArrowUp)
			h.says("Moved “Order 30”")
		}
		h.costs(p, "D-1", "&quantity=3", "70.00")
	})
	h.MustSetViewport(1280, 800, 1, false)
	t.Run("from every view a new rule is ten keys away at most", func(t *testing.T) {
		h.t = t
		for _, view := range []string{"/board", "/stack", "/stack/rule/GLAZE-WEEK", "/calendar", "/flags", "/publish",
			"/catalogue/products", "/catalogue/settings", "/catalogue/customers?item=C-02", "/catalogue/product/D-1"} {
			h.show(p.url + view)
			h.find("nav[aria-label=Views]")
			h.keys = 0
			tab("Write a new rule", 9)
			h.press(input.Enter)
			h.eventually("the new rule", func() bool { return strings.Contains(h.MustInfo().URL, "/stack/new") })
			require.LessOrEqual(t, h.keys, 10, view)
		}
	})
}
