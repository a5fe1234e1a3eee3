package demo

import (
	"time"

	"dogbane/internal/money"
	"dogbane/internal/pricing"
)

func groups() []pricing.Group {
	return []pricing.Group{{Code: "members", Name: "Studio members"}, {Code: "schools", Name: "Schools"},
		{Code: "trade", Name: "Trade potteries"}, {Code: "staff", Name: "Staff"}}
}

// Customers are the demo's.
func Customers() []pricing.Customer {
	var list []pricing.Customer
	for _, c := range []struct{ code, name, group, region string }{
		{"C-01", "Hollow Lane Studio", "trade", "north"}, {"C-02", "Widdershin Pots", "trade", "south"},
		{"C-03", "Greysedge Ceramics", "trade", "west"},
		{"C-04", "Tallow Street Pottery", "trade", "north"}, {"C-05", "Oxbarrow & Daughters, Tileworks", "trade", "east"},
		{"C-06", "Vennebrook School", "schools", "north"},
		{"C-07", "Lindkoper College", "schools", "west"}, {"C-08", "Ravensmoer Primary", "schools", "east"},
		{"C-09", "Jorrit Almstede", "members", "south"},
		{"C-10", "Pelle Wierdsma-Oud", "members", "north"}, {"C-11", "Sanne Kruidhof-Taal", "members", "west"},
		{"C-12", "Ottoline Brack", "", "south"},
	} {
		one := pricing.Customer{Code: c.code, Name: c.name, Attrs: map[string]string{"region": c.region}}
		if c.group != "" {
			one.Groups = []string{c.group}
		}
		list = append(list, one)
	}
	return list
}

func channels() []pricing.Channel {
	excluded := true
	number := func(s string) *money.Rat { n := money.MustParse(s); return &n }
	return []pricing.Channel{
		{Code: WebShop, Name: "Web shop", Country: "NL"},
		{Code: QuayShop, Name: "Quay shop till", Country: "NL", Can: []string{"breaks", "brackets", "offers", "groups"}},
		{Code: MillShop, Name: "Mill shop till", Country: "NL", Can: []string{"breaks", "brackets", "offers", "groups"}},
		{Code: Kilnfair, Name: "Kilnfair", Country: "NL", FeePercent: money.Int(11), FeeAmount: money.MustParse("0.25"),
			Where: &pricing.Where{Field: pricing.FieldAll, Parts: []pricing.Where{in(pricing.FieldCategory, "Kilns/Electric",
				"Wheels", "Tools", "Studio"), not(in(pricing.FieldCategory, "Tools/Brushes")),
				not(in(pricing.FieldTag, "last-season"))}},
			Can: []string{"schedule"},
			Limits: &pricing.Limits{WholeUnits: true, MinOffPercent: number("15"), MaxOffPercent: number("55"),
				NeedsReference: true, LeadHours: number("36")}},
		{Code: TradeDesk, Name: "Trade desk", Country: "NL", Group: "trade", TaxExcluded: &excluded,
			Can: []string{"breaks", "brackets", "groups"}},
		{Code: IslandShop, Name: "Island shop", Country: "GB", Currency: "GBP", Ending: ending("0.05", "nearest", "0")},
	}
}

func ranges() []pricing.Range {
	return []pricing.Range{
		{Code: "underglazes", Name: "Underglazes", Where: in(pricing.FieldTag, "underglaze")},
		{Code: "throwing-clay", Name: "Throwing clay by the bag", Where: all(in(pricing.FieldCategory, "Clay/Stoneware",
			"Clay/Earthenware", "Clay/Porcelain"), not(listFrom("500")))},
	}
}

func percentBreaks(pairs ...string) []pricing.Break {
	var list []pricing.Break
	for i := 0; i+1 < len(pairs); i += 2 {
		list = append(list, pricing.Break{From: money.MustParse(pairs[i]), Effect: *effect(pricing.PercentOff, pairs[i+1])})
	}
	return list
}

func ladders() []pricing.Ladder {
	return []pricing.Ladder{
		{Code: "by-the-box", Name: "By the box", Breaks: percentBreaks("6", "4", "12", "7", "24", "10"),
			Counting: pricing.DefaultCounting()},
		{Code: "by-the-pallet", Name: "Clay by the pallet", Breaks: percentBreaks("10", "5", "40", "12", "80", "18"),
			Counting: pricing.Counting{Method: pricing.Whole, Count: "style", Measure: "quantity"}},
		{Code: "mixed-dozen", Name: "Mixed by the dozen", Breaks: percentBreaks("12", "6", "36", "12"),
			Counting: pricing.Counting{Method: pricing.Whole, Count: "selection", Measure: "quantity"}},
	}
}

func campaigns() []pricing.Campaign {
	return []pricing.Campaign{
		{Code: "autumn-firing", Name: "Autumn firing", Status: pricing.On,
			Window: &pricing.Window{From: moment("2026-11-09T00:00"), To: moment("2026-11-30T00:00")}},
		{Code: "glaze-week", Name: "Glaze week", Status: pricing.On,
			Window: &pricing.Window{From: moment("2026-11-27T09:00"), To: moment("2026-12-06T00:00")}},
		{Code: "spring-opening", Name: "Spring opening", Status: pricing.Draft,
			Window: &pricing.Window{From: moment("2027-03-01T00:00"), To: moment("2027-03-15T00:00")}},
	}
}

// TimeZone is the demo's.
const TimeZone = "Europe/Amsterdam"

// Standin says how a channel of the demo is simulated: as a shop that is reached over HTTP, or as a till with a folder.
type Standin struct {
	Channel, Name, Currency string
	Till                    bool
	WholeUnits              bool          // the shop refuses prices that are no whole amounts
	Feed                    bool          // it fetches its prices
	CutOff                  string        // of a till: what comes later on a day waits until midnight
	OnTheMinute             bool          // it is told by itself what begins and ends
	Reviews                 time.Duration // it takes prices in and deals with them so much later
}

// Standins are those of the demo's channels; the web shop comes first.
func Standins() []Standin {
	return []Standin{{Channel: WebShop, Name: "Marram & Slip", Currency: "EUR", OnTheMinute: true},
		{Channel: Kilnfair, Name: "Kilnfair", Currency: "EUR", Reviews: 8 * time.Second},
		{Channel: TradeDesk, Name: "Marram & Slip, trade desk", Currency: "EUR"},
		{Channel: IslandShop, Name: "Marram & Slip, the island", Currency: "GBP", Feed: true},
		{Channel: QuayShop, Name: "Quay shop", Currency: "EUR", Till: true, CutOff: "18:00"},
		{Channel: MillShop, Name: "Mill shop", Currency: "EUR", Till: true, OnTheMinute: true}}
}
