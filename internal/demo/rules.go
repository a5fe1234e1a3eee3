package demo

import (
	"dogbane/internal/money"
	"dogbane/internal/pricing"
)

func moment(s string) *pricing.Moment {
	m, err := pricing.ParseMoment(s)
	if err != nil {
		panic(err)
	}
	return &m
}

func in(field pricing.Field, values ...string) pricing.Where {
	return pricing.Where{Field: field, Values: values}
}

func all(parts ...pricing.Where) pricing.Where {
	return pricing.Where{Field: pricing.FieldAll, Parts: append([]pricing.Where{}, parts...)}
}

func not(part pricing.Where) pricing.Where {
	return pricing.Where{Field: pricing.FieldNot, Parts: []pricing.Where{part}}
}

func listFrom(min string) pricing.Where {
	m := money.MustParse(min)
	return pricing.Where{Field: pricing.FieldList, Bounds: pricing.Bounds{Min: &m}}
}

func effect(kind pricing.EffectKind, value string) *pricing.Effect {
	return &pricing.Effect{Kind: kind, Value: money.MustParse(value)}
}

func ending(step, direction, shift string) *pricing.Ending {
	return &pricing.Ending{Step: money.MustParse(step), Direction: pricing.Direction(direction),
		Shift: money.MustParse(shift)}
}

// rules are the demo's. The first are its catalog adjustments and sales. Among them, each to be found: two rules of one
// rank that conflict, a fixed price that a supplier's increase put below cost, two reductions that undercut the cost
// together, a rule that reaches nothing since its goods were put into another category, and one that is over.
func rules() []pricing.Rule {
	list := []pricing.Rule{
		{Code: "BRUSH-LIST", Layer: pricing.Catalog, Rank: 1, Name: "Brush list of October",
			Note:  "Supplier's list came up 4 %.",
			Where: in(pricing.FieldCategory, "Tools/Brushes"), Effect: effect(pricing.PercentOn, "4"),
			Ending: ending("0.1", "up", "0")},
		{Code: "PORCELAIN-UP", Layer: pricing.Catalog, Rank: 2, Name: "Porcelain, dearer kaolin",
			Where: in(pricing.FieldCategory, "Clay/Porcelain"), Effect: effect(pricing.PercentOn, "3.5"),
			Ending: ending("0.5", "nearest", "-0.05")},
		{Code: "LAST-SEASON", Layer: pricing.Catalog, Rank: 3, Name: "Last season's goods",
			Where:  in(pricing.FieldTag, "last-season"),
			Effect: effect(pricing.PercentOff, "20"), Ending: ending("1", "nearest", "-0.05")},
		{Code: "FERNHASK-TOOLS", Layer: pricing.Catalog, Rank: 3, Name: "Fernhask hand tools, house price",
			Where: all(in(pricing.FieldBrand, "Fernhask"), in(pricing.FieldCategory, "Tools"),
				not(in(pricing.FieldCategory, "Tools/Brushes"))), Effect: effect(pricing.PercentOff, "5")},
		{Code: "QUAY-CLAY", Layer: pricing.Catalog, Rank: 4, Name: "Clay from the quay, no carriage in it",
			Channels: []string{QuayShop},
			Where:    all(in(pricing.FieldCategory, "Clay"), not(listFrom("500"))), Effect: effect(pricing.AmountOff, "1.20")},
		{Code: "WEB-HEAVY", Layer: pricing.Catalog, Rank: 5, Name: "Heavy goods carry their carriage",
			Channels: []string{WebShop},
			Where:    all(in(pricing.FieldTag, "heavy"), in(pricing.FieldCategory, "Studio")),
			Effect:   effect(pricing.AmountOn, "12"), Ending: ending("5", "up", "0")},

		{Code: "KILN-AUTUMN", Layer: pricing.Sale, Rank: 1, Name: "Autumn kiln sale",
			Note:  "Agreed with Havermoor until the end of the month.",
			Where: in(pricing.FieldCategory, "Kilns/Electric"), Window: &pricing.Window{From: moment("2026-11-09T00:00"),
				To: moment("2026-11-30T00:00")},
			Effect: effect(pricing.PercentOff, "12"), Ending: ending("5", "up", "-0.05"),
			LiveTags: &pricing.LiveTags{Add: []string{"autumn sale"}}},
		{Code: "SHELF-AUTUMN", Layer: pricing.Sale, Rank: 2, Name: "Autumn kiln sale, shelves and posts",
			Where: in(pricing.FieldCategory, "Kilns/Furniture"), Window: &pricing.Window{From: moment("2026-11-09T00:00"),
				To: moment("2026-11-30T00:00")},
			Effect: effect(pricing.PercentOff, "10"), Ending: ending("1", "nearest", "-0.05")},
		{Code: "GLAZE-WEEK", Layer: pricing.Sale, Rank: 3, Name: "Glaze week", Note: "Same as last year, one day longer.",
			Where:  all(in(pricing.FieldTag, "glaze"), not(in(pricing.FieldCategory, "Glazes/Subscription", "Glazes/Dipping"))),
			Window: &pricing.Window{From: moment("2026-11-27T09:00"), To: moment("2026-12-06T00:00")},
			Effect: effect(pricing.PercentOff, "15"), Ending: ending("0.5", "nearest", "-0.05")},
		{Code: "SMALL-GLAZES", Layer: pricing.Sale, Rank: 4, Name: "Small underglaze jars, tasting price",
			Where: all(in(pricing.FieldTag, "underglaze"), pricing.Where{Field: pricing.FieldList,
				Bounds: pricing.Bounds{Max: cents(800)}}),
			Window: &pricing.Window{From: moment("2026-11-16T00:00"), To: moment("2026-12-14T00:00")},
			Effect: effect(pricing.SetPrice, "5.95")},
		{Code: "TOOLS-CLEAR", Layer: pricing.Sale, Rank: 5, Name: "Moulds & trimming tools, <make room>",
			Where:  in(pricing.FieldCategory, "Tools/Moulds", "Tools/Trimming"),
			Window: &pricing.Window{From: moment("2026-11-23T00:00"), To: moment("2026-12-24T00:00")},
			Effect: effect(pricing.PercentOff, "30")},
		{Code: "SCHOOL-OXIDES", Layer: pricing.Sale, Rank: 6, Name: "Oxide sampler for schools",
			Note:  "Fixed before Quarrelstone's increase of 1 November.",
			Where: in(pricing.FieldSKU, "SET-OXIDE"), Window: &pricing.Window{From: moment("2026-11-20T00:00")},
			Effect: effect(pricing.SetPrice, "17.90")},
		{Code: "WHEELS-DARK", Layer: pricing.Sale, Rank: 7, Name: "Throwing wheels for dark evenings",
			Where:  all(in(pricing.FieldCategory, "Wheels"), not(in(pricing.FieldCategory, "Wheels/Bats"))),
			Window: &pricing.Window{From: moment("2026-12-01T00:00"), To: moment("2027-01-01T00:00")},
			Effect: effect(pricing.AmountOff, "75")},
		{Code: "RAKU-KIT", Layer: pricing.Sale, Rank: 8, Name: "Raku glazes & lustres",
			Note:  "Raku moved under Dipping in September.",
			Where: in(pricing.FieldCategory, "Glazes/Raku"), Effect: effect(pricing.PercentOff, "10")},
		{Code: "QUAY-BATS", Layer: pricing.Sale, Rank: 9, Name: "Bats at the quay", Channels: []string{QuayShop},
			Where: in(pricing.FieldCategory, "Wheels/Bats"), Window: &pricing.Window{From: moment("2026-11-26T00:00"),
				To: moment("2026-11-29T00:00")},
			Effect: effect(pricing.AmountOff, "2")},
		{Code: "SPRING-CLAY", Layer: pricing.Sale, Rank: 10, Name: "Spring clay weeks",
			Where:  in(pricing.FieldCategory, "Clay/Stoneware", "Clay/Earthenware"),
			Window: &pricing.Window{From: moment("2026-03-02T00:00"), To: moment("2026-03-16T00:00")},
			Effect: effect(pricing.PercentOff, "10")},
		{Code: "JAN-STUDIO", Layer: pricing.Sale, Rank: 11, Name: "New year, new studio", Status: pricing.Draft,
			Where:  in(pricing.FieldCategory, "Studio/Tables", "Studio/Storage"),
			Window: &pricing.Window{From: moment("2027-01-04T00:00"), To: moment("2027-02-01T00:00")},
			Effect: effect(pricing.PercentOff, "15"), Ending: ending("10", "up", "-1")},
		{Code: "STAFF-EVENING", Layer: pricing.Sale, Rank: 12, Name: "Open evening, everything",
			Note: "Kept for next year's open evening.", Status: pricing.Off,
			Where: all(), Window: &pricing.Window{From: moment("2026-10-15T17:00"), To: moment("2026-10-15T22:00")},
			Effect: effect(pricing.PercentOff, "8")},
	}
	list = append(append(list, laterRules()...), offers()...)
	for i := range list {
		r := &list[i]
		if r.Status == "" {
			r.Status = pricing.On
		}
		r.HireMatch, r.MinQuantity = "days", max(r.MinQuantity, 1)
		if r.Counting == (pricing.Counting{}) {
			r.Counting = pricing.DefaultCounting()
		}
	}
	return list
}

func buyers(groups ...string) *pricing.Audience { return &pricing.Audience{Groups: groups} }

func agreed(customer string) *pricing.Audience {
	return &pricing.Audience{Customers: []string{customer}}
}

// laterRules are the quantity breaks, the terms of groups and customers, and the promotions. Among them: a rule that
// the one above it shuts out, a contract that a supplier's increase put below cost, and a window that never opens.
func laterRules() []pricing.Rule {
	members, own := buyers("members"), []string{WebShop, QuayShop, MillShop, TradeDesk}
	first, dec := true, moment("2026-12-01T00:00")
	return []pricing.Rule{
		{Code: "CLAY-PALLET", Layer: pricing.Tier, Rank: 1, Name: "Clay by the pallet",
			Where: in(pricing.FieldRange, "throwing-clay"), Ladder: "by-the-pallet"},
		{Code: "GLAZE-BOX", Layer: pricing.Tier, Rank: 2, Name: "Glazes by the box",
			Where: in(pricing.FieldCategory, "Glazes/Brush-on", "Glazes/Dipping", "Glazes/Underglazes"), Ladder: "by-the-box"},
		{Code: "BRUSH-DOZEN", Layer: pricing.Tier, Rank: 3, Name: "Brushes by the dozen",
			Where: in(pricing.FieldCategory, "Tools/Brushes"), Breaks: percentBreaks("12", "8", "48", "14")},
		{Code: "SHELVES-STEP", Layer: pricing.Tier, Rank: 4, Name: "Kiln shelves, step by step",
			Where:  in(pricing.FieldCategory, "Kilns/Furniture"),
			Breaks: percentBreaks("4", "5", "10", "9"), Counting: pricing.Counting{Method: pricing.Graduated, Count: "line",
				Measure: "quantity"}},
		{Code: "STAINS-WEIGHT", Layer: pricing.Tier, Rank: 5, Name: "Stains by weight",
			Where:  in(pricing.FieldCategory, "Glazes/Stains"),
			Breaks: percentBreaks("2", "5", "10", "11"), Counting: pricing.Counting{Method: pricing.Whole, Count: "selection",
				Measure: "attr:kg"}},
		{Code: "BOX-YEAR", Layer: pricing.Tier, Rank: 6, Name: "Glaze of the month for a year",
			Where:  in(pricing.FieldSKU, "GLAZE-BOX"),
			Breaks: percentBreaks("6", "5", "12", "10"), Counting: pricing.Counting{Method: pricing.Whole, Count: "line",
				Measure: "term"}},

		{Code: "HOLLOW-CONTRACT", Layer: pricing.GroupTerms, Rank: 1, Name: "Hollow Lane, agreed price for buff stoneware",
			Note: "Until the end of the year; agreed before the increase.", Audience: agreed("C-01"), Channels: own,
			Where: in(pricing.FieldSKU, "SW-01-12"), Effect: effect(pricing.SetPrice, "9.90"), Then: pricing.EndPrice,
			Window: &pricing.Window{To: moment("2027-01-01T00:00")}},
		{Code: "OXBARROW-KILN", Layer: pricing.GroupTerms, Rank: 2, Name: "Oxbarrow, kilns at cost and a tenth",
			Audience: agreed("C-05"), Channels: own, Where: in(pricing.FieldCategory, "Kilns/Electric"),
			Effect: effect(pricing.Markup, "10")},
		{Code: "STAFF-COST", Layer: pricing.GroupTerms, Rank: 3, Name: "Staff, a margin of 12 %", Audience: buyers("staff"),
			Channels: []string{WebShop, QuayShop, MillShop}, Where: all(not(in(pricing.FieldCategory, "Hire"))),
			Effect: effect(pricing.ToMargin, "12"), Ending: ending("0.05", "up", "0")},
		{Code: "TRADE-CLAY", Layer: pricing.GroupTerms, Rank: 4, Name: "Trade potteries, clay", Audience: buyers("trade"),
			Channels: own, Where: in(pricing.FieldCategory, "Clay"), Effect: effect(pricing.PercentOff, "18")},
		{Code: "TRADE-REST", Layer: pricing.GroupTerms, Rank: 5, Name: "Trade potteries, everything else",
			Audience: buyers("trade"), Channels: own, Where: all(not(in(pricing.FieldCategory, "Hire", "Stamps"))),
			Effect: effect(pricing.PercentOff, "12"), Floor: &pricing.Floor{Margin: percentPtr("8")}},
		{Code: "TRADE-KILNS", Layer: pricing.GroupTerms, Rank: 8, Name: "Trade potteries, kilns",
			Note: "Made after the rule for everything else, which comes first.", Audience: buyers("trade"), Channels: own,
			Where: in(pricing.FieldCategory, "Kilns/Electric"), Effect: effect(pricing.PercentOff, "15")},
		{Code: "SCHOOL-TERMS", Layer: pricing.GroupTerms, Rank: 6, Name: "Schools", Audience: buyers("schools"),
			Channels: own, Where: all(in(pricing.FieldCategory, "Clay", "Glazes", "Tools"),
				pricing.Where{Field: pricing.FieldReduced}),
			Effect: effect(pricing.PercentOff, "10"), MaxOff: &pricing.MaxOff{Amount: cents(2500)}},
		{Code: "MEMBER-GLAZES", Layer: pricing.GroupTerms, Rank: 7, Name: "Studio members, glazes", Audience: members,
			Channels: own, Where: all(in(pricing.FieldCategory, "Glazes"), pricing.Where{Field: pricing.FieldReduced}),
			Effect: effect(pricing.PercentOff, "5")},

		{Code: "WEEKEND-HIRE", Layer: pricing.Promotion, Rank: 1, Name: "Weekend uplift on wheel hire",
			Where:  in(pricing.FieldCategory, "Hire/Wheels"),
			Window: &pricing.Window{Weekly: &pricing.Weekly{From: 4*pricing.Day + 12*pricing.Hour, To: 0}},
			Effect: effect(pricing.PercentOn, "20")},
		{Code: "SUMMER-HIRE", Layer: pricing.Promotion, Rank: 2, Name: "Season uplift on hire",
			Where:  in(pricing.FieldCategory, "Hire"),
			Window: &pricing.Window{Yearly: &pricing.Yearly{From: 601, To: 901}}, Effect: effect(pricing.PercentOn, "15")},
		{Code: "FIRST-ORDER", Layer: pricing.Promotion, Rank: 3, Name: "First order, tools",
			Audience: &pricing.Audience{FirstOrder: &first}, Where: in(pricing.FieldCategory, "Tools"),
			Effect: effect(pricing.PercentOff, "5")},
		{Code: "LATE-FRIDAY", Layer: pricing.Promotion, Rank: 4, Name: "Late Friday, brushes",
			Where: in(pricing.FieldCategory, "Tools/Brushes"),
			Window: &pricing.Window{From: moment("2026-11-20T00:00"), To: moment("2026-12-24T00:00"), Days: []pricing.Weekday{4},
				Hours: &pricing.Hours{From: 18 * pricing.Hour, To: 22 * pricing.Hour}}, Effect: effect(pricing.PercentOff, "10"),
			LiveTags: &pricing.LiveTags{Add: []string{"tonight"}}},
		{Code: "KILNFAIR-TOOLS", Layer: pricing.Promotion, Rank: 5, Name: "Kilnfair, tool weeks",
			Channels: []string{Kilnfair}, Where: in(pricing.FieldCategory, "Tools/Cutters", "Tools/Ribs"),
			Window: &pricing.Window{From: dec, To: moment("2026-12-15T00:00")}, Effect: effect(pricing.PercentOff, "20")},
		{Code: "ISLAND-POUND", Layer: pricing.Promotion, Rank: 6, Name: "Island shop, pounds off clay",
			Channels: []string{IslandShop}, Currency: "GBP", Where: in(pricing.FieldCategory, "Clay"),
			Effect: effect(pricing.AmountOff, "0.50")},
		{Code: "UNDERGLAZE-TWO", Layer: pricing.Promotion, Rank: 7, Name: "Two underglazes or more", Campaign: "glaze-week",
			Where: in(pricing.FieldRange, "underglazes"), MinQuantity: 2, Effect: effect(pricing.PercentOff, "6")},
		{Code: "SPRING-WHEELS", Layer: pricing.Promotion, Rank: 8, Name: "Spring opening, wheels", Campaign: "spring-opening",
			Where: in(pricing.FieldCategory, "Wheels"), Effect: effect(pricing.PercentOff, "8")},
		{Code: "SPRING-SHELVES", Layer: pricing.Promotion, Rank: 9, Name: "Spring opening, shelves",
			Campaign: "spring-opening", Where: in(pricing.FieldCategory, "Kilns/Furniture"),
			Effect: effect(pricing.PercentOff, "12")},
		{Code: "NOON-NEVER", Layer: pricing.Promotion, Rank: 10, Name: "Lunch hour on Sundays in Lent",
			Note: "The campaign's window and these days never meet.", Campaign: "autumn-firing",
			Where: in(pricing.FieldCategory, "Studio/Display"),
			Window: &pricing.Window{From: moment("2027-02-10T00:00"), To: moment("2027-03-28T00:00"),
				Days: []pricing.Weekday{6}}, Effect: effect(pricing.PercentOff, "10")},
	}
}

func percentPtr(s string) *money.Rat {
	p := money.MustParse(s)
	return &p
}
