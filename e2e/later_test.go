package e2e

import (
	"testing"

	"github.com/stretchr/testify/require"
)

// A supplier's letter says what all kilns cost from 1 January: it is typed today, holds then, is seen in the calendar,
// moved, looked at on its day and taken back; today's prices stay.
func TestALetterFromASupplier(t *testing.T) {
	t.Parallel()
	p := start(t, t.TempDir())
	pg := p.openAs(t, "maren", "/board?q=KILN-EL-42&channel=kilnfair")
	pg.find("[data-sku=KILN-EL-42]")
	today := pg.cell("KILN-EL-42", "price")
	require.NotEmpty(t, today)
	pg.click("button", "^More$")
	pg.click("[role=menuitem]", "Change list prices or costs")
	pg.typeInto(pg.labelled("By how much"), "1.600,50")
	pg.labelled("How it changes").MustSelect("set to")
	pg.labelled("When it changes").MustSelect("from")
	pg.typeInto(pg.labelled("First day of the new amounts"), "1 jan 2027 0:00")
	pg.find("[data-testid=bulk-preview]", `1 of 1 change; 1 prices move on .*1 Jan 2027`)
	pg.click("button", "Save 1 amounts")
	pg.says("List price set to 1600.5 on 1 product from 1 Jan 2027 00:00")
	require.Equal(t, today, pg.cell("KILN-EL-42", "price"), "today it is what it was")

	pg.show(p.url + "/calendar?channel=kilnfair&zoom=quarter")
	pg.click("[aria-label^='Figures from Fri 1 Jan 2027']")
	pg.find("[aria-label='Later figures']", `Havermoor 42 litre[\s\S]*1.?450.00 → 1.?600.50`)
	pg.find("[aria-label='Later figures']", "It moves 1 price, 1 up")
	pg.typeInto(pg.labelled("New day of these figures"), "15 jan 2027")
	pg.click("button", "^Move$")
	pg.says("Moved the figures of 1 product from 1 Jan 2027 00:00 to 15 Jan 2027 00:00")
	pg.find("[data-later='2027-01-15T00:00']")

	// What is seen on a later day is changed there.
	pg.show(p.url + "/board?q=KILN-EL-42&channel=kilnfair&at=2027-01-20T09:00&sku=KILN-EL-42&trail=open")
	pg.find("[aria-label=Trail]", "since Fri 15 Jan 2027")
	pg.eventually("then it is the new one", func() bool { return pg.cell("KILN-EL-42", "price") == "1\u202f600.50" })
	pg.show(p.url + "/catalogue/product/KILN-EL-42?channel=kilnfair")
	pg.find("[aria-label=History]", "From a later day")
	pg.typeInto(pg.labelled("List price of later figures 1"), "not & yet")
	pg.find("[data-testid=later]", "must be")
	pg.typeInto(pg.labelled("List price of later figures 1"), "1650")
	pg.click("button", "figures from a later day")
	pg.typeInto(pg.labelled("First day of later figures 2"), "1 dec 2026")
	pg.typeInto(pg.labelled("Cost of later figures 2"), "2000")
	pg.click("button", "Save the product")
	pg.find("[aria-label=History]", `1 Dec[^:]*: cost 2.?000.00; [^:]*15 Jan 2027: list price 1.?650.00`)
	pg.show(p.url + "/calendar?channel=kilnfair")
	pg.find("[data-later='2026-12-01T00:00']", "1 price below cost from then on")
	pg.click("[data-later='2026-12-01T00:00'] button")
	pg.click("button", "Drop them")
	pg.says("Dropped the figures of 1 product from 1 Dec 2026 00:00")
	pg.click("button", "^Undo$")
	pg.find("[data-later='2026-12-01T00:00']", "below cost")
}

// A shop in another country: its tax is entered where the taxes are, and the channel's form says what keeping the price
// or what is left of it does, before it is saved.
func TestAChannelAbroad(t *testing.T) {
	t.Parallel()
	p := start(t, t.TempDir())
	pg := p.openAs(t, "maren", "/catalogue/settings")
	pg.click("button", "a country with taxes of its own")
	pg.typeInto(pg.labelled("Country 1"), "germany")
	pg.find("[aria-label='Tax, rounding and guards']", "two capital letters")
	pg.typeInto(pg.labelled("Country 1"), "de")
	pg.typeInto(pg.labelled("standard in country 1, percent"), "19,0")
	pg.click("button", "Save the settings")
	pg.says("Changed the settings")
	pg.show(p.url + "/catalogue/channels?item=")
	pg.typeInto(pg.labelled("Name"), "Werkstatt & Laden")
	pg.typeInto(pg.labelled("Country"), "DE")
	pg.find("[data-testid=keeps-example]", `price kept 1.?098.80, without tax 923.36, margin [0-9.]+ %; with what is left kept 1.?080.64, without tax 908.10`)
	pg.labelled("What it keeps").MustSelect("what is left without tax")
	pg.click("button", "Make the channel")
	pg.find("[aria-current=true]", "Werkstatt & Laden")
	pg.show(p.url + "/board?q=BAT-30&channel=werkstatt-laden")
	pg.eventually("14.50 × 1.19 ÷ 1.21", func() bool { return pg.cell("BAT-30", "price") == "14.26" })
	pg.show(p.url + "/board?q=BAT-30&channel=werkstatt-laden&sku=BAT-30&trail=open")
	pg.find("[data-testid=trail-price]", "14.26")
}
