package demo

import (
	"dogbane/internal/money"
	"dogbane/internal/pricing"
)

func need(id string, quantity int, where pricing.Where) pricing.Need {
	return pricing.Need{ID: id, Where: where, Quantity: quantity}
}

func percent(s string) *money.Rat { return percentPtr(s) }

// Vouchers is the offer of the demo whose codes are kept beside the book.
const Vouchers = "FAIR-VOUCHER"

// offers are the demo's promotions on baskets, at least one of each shape, and its orders.
func offers() []pricing.Rule {
	own := []string{WebShop, QuayShop, MillShop}
	underglazes := in(pricing.FieldRange, "underglazes")
	members, forSchools := buyers("members"), buyers("schools")
	half, whole := percent("50"), percent("100")
	return []pricing.Rule{
		{Code: "UNDERGLAZE-THREE", Layer: pricing.Promotion, Rank: 20, Name: "Three underglazes for two", Channels: own,
			Where: all(
				underglazes,
				not(in(pricing.FieldSKU, "SET-UG-12")),
			), Window: &pricing.Window{From: moment("2026-11-16T00:00"),
				To: moment("2026-12-14T00:00")},
			Offer: &pricing.Offer{Needs: []pricing.Need{need("jars", 3, underglazes)},
				Gives: []pricing.Give{{To: "jars", Units: 1, PercentOff: whole}}, Repeat: 4},
			Show: &pricing.Show{Label: "3 for 2", Message: "Three underglazes for the price of two; the cheapest is free."}},
		{Code: "BRUSH-FOURTH", Layer: pricing.Promotion, Rank: 21, Name: "Every fourth brush at half price", Channels: own,
			Where: in(pricing.FieldCategory, "Tools/Brushes"), Window: &pricing.Window{From: moment("2026-11-20T00:00"),
				To: moment("2026-12-24T00:00")},
			Offer: &pricing.Offer{Needs: []pricing.Need{need("brushes", 4, in(pricing.FieldCategory, "Tools/Brushes"))},
				Gives: []pricing.Give{{To: "brushes", Units: 1, PercentOff: half, Pick: "in-turn"}}}},
		{Code: "RIBS-THREE", Layer: pricing.Promotion, Rank: 22, Name: "Three ribs for 20", Channels: own,
			Where: in(pricing.FieldCategory, "Tools/Ribs"),
			Offer: &pricing.Offer{Needs: []pricing.Need{need("ribs", 3, in(pricing.FieldCategory, "Tools/Ribs"))},
				Gives: []pricing.Give{{To: "needs", ForTotal: cents(2000)}}}},
		{Code: "STARTER", Layer: pricing.Promotion, Rank: 23, Name: "Starter bench: tools, bat & apron", Channels: own,
			Where: all(), Window: &pricing.Window{From: moment("2026-11-20T00:00"), To: moment("2027-01-11T00:00")},
			Offer: &pricing.Offer{Needs: []pricing.Need{need("tools", 1, in(pricing.FieldSKU, "SET-START")),
				need("bat", 1, in(pricing.FieldSKU, "BAT-30", "BAT-35")), need("apron", 1, in(pricing.FieldSKU, "APRON-SPLIT"))},
				Gives: []pricing.Give{{To: "needs", ForTotal: cents(9900)}}, Stock: new(60)},
			Show: &pricing.Show{Label: "Starter bench", Message: "Ten tools, a bat and the apron, together for 99."}},
		{Code: "WHEEL-BATS", Layer: pricing.Promotion, Rank: 24, Name: "Two bats at half price with a wheel", Channels: own,
			Where: in(pricing.FieldCategory, "Wheels"),
			Offer: &pricing.Offer{
				Needs: []pricing.Need{need("wheel", 1, in(pricing.FieldSKU, "WHEEL-ARC", "WHEEL-TIDE", "WHEEL-LOW"))},
				Gives: []pricing.Give{
					{Where: &pricing.Where{Field: pricing.FieldCategory, Values: []string{"Wheels/Bats"}}, Units: 2,
						PercentOff: half},
				},
			}},
		{Code: "GLAZE-GIFT", Layer: pricing.Promotion, Rank: 25, Name: "A sponge with every 80 of glazes", Channels: own,
			Where: in(pricing.FieldCategory, "Glazes", "Tools/Sponges"),
			Offer: &pricing.Offer{
				Spend: &pricing.Spend{Where: in(pricing.FieldCategory, "Glazes"), Amount: money.Int(80), Every: true},
				Gives: []pricing.Give{{Where: &pricing.Where{Field: pricing.FieldCategory, Values: []string{"Tools/Sponges"}},
					PercentOff: whole}},
				Repeat: 3,
				MaxOff: cents(2000),
			}},
		{Code: "MEMBER-CODE", Layer: pricing.Promotion, Rank: 26, Name: "The members' code", Audience: members, Channels: own,
			Where: all(not(in(pricing.FieldCategory, "Kilns", "Hire"))),
			Offer: &pricing.Offer{Codes: &pricing.Codes{Words: []string{"WET-CLAY"}, Uses: new(200), UsesPerCustomer: new(1),
				GraceDays: new(2)}, Gives: []pricing.Give{{To: "basket", PercentOff: percent("8")}}, MaxOff: cents(3000)}},
		{Code: Vouchers, Layer: pricing.Promotion, Rank: 27, Name: "Makers' fair voucher", Channels: own, Where: all(),
			Window: &pricing.Window{From: moment("2026-11-21T00:00"), To: moment("2027-02-01T00:00")},
			Offer: &pricing.Offer{Spend: &pricing.Spend{Where: all(), Amount: money.Int(60)},
				Codes: &pricing.Codes{Listed: true, Uses: new(1)},
				Gives: []pricing.Give{{To: "basket", AmountOff: cents(1000)}}}},
		{Code: "KILN-OPENING", Layer: pricing.Promotion, Rank: 28, Name: "Furniture for a new kiln", Channels: own,
			Where: in(pricing.FieldCategory, "Kilns/Furniture"),
			Offer: &pricing.Offer{After: &pricing.After{Where: in(pricing.FieldCategory, "Kilns/Electric"), Days: 30},
				Gives:       []pricing.Give{{To: "basket", PercentOff: percent("15")}},
				PerCustomer: new(2)},
			Show: &pricing.Show{Label: "For your new kiln",
				Message: "Hello {name}, {rewarded} for your {goods} cost 15 % less until {until}."}},
		{
			Code:     "CARRIAGE-FREE",
			Layer:    pricing.Promotion,
			Rank:     29,
			Name:     "Carriage paid from 150",
			Channels: []string{WebShop},
			Where:    all(not(in(pricing.FieldCategory, "Kilns"))),
			Offer: &pricing.Offer{Spend: &pricing.Spend{Where: all(), Amount: money.Int(150)},
				Gives: []pricing.Give{{To: "shipping", PercentOff: whole}}},
		},
		{Code: "SCHOOL-SIXES", Layer: pricing.GroupTerms, Rank: 20, Name: "Schools, small jars by six", Audience: forSchools,
			Channels: []string{
				TradeDesk,
			}, Where: in(pricing.FieldTag, "underglaze"), Order: &pricing.Order{Min: 6, Multiple: 6}},
		{Code: "KILNS-TWO", Layer: pricing.Promotion, Rank: 30, Name: "Two kilns an order, four a customer", Channels: own,
			Where: in(pricing.FieldCategory, "Kilns/Electric"), Order: &pricing.Order{Max: 2, PerCustomer: 4}},
		{Code: "CUTTERS-MIXED", Layer: pricing.Tier, Rank: 20, Name: "Cutters and ribs, mixed by the dozen",
			Where: in(pricing.FieldCategory, "Tools/Cutters", "Tools/Ribs"), Ladder: "mixed-dozen"},
	}
}
