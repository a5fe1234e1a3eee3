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
	return &pricing.Ending{Step: money.MustParse(step), Direction: pricing.Direction(direction), Shift: money.MustParse(shift)}
}

// rules are the demo's catalog adjustments and sales. Among them, each to be found: two rules of one rank that fight, a
// fixed price that a supplier's increase put below cost, two reductions that undercut the cost together, a rule that
// reaches nothing since its goods were put into another category, and one that is over.
func rules() []pricing.Rule {
	list := []pricing.Rule{
		{Code: "BRUSH-LIST", Layer: pricing.Catalog, Rank: 1, Name: "Brush list of October", Note: "Supplier's list came up 4 %.",
			Where: in(pricing.FieldCategory, "Tools/Brushes"), Effect: effect(pricing.PercentOn, "4"), Ending: ending("0.1", "up", "0")},
		{Code: "PORCELAIN-UP", Layer: pricing.Catalog, Rank: 2, Name: "Porcelain, dearer kaolin",
			Where: in(pricing.FieldCategory, "Clay/Porcelain"), Effect: effect(pricing.PercentOn, "3.5"), Ending: ending("0.5", "nearest", "-0.05")},
		{Code: "LAST-SEASON", Layer: pricing.Catalog, Rank: 3, Name: "Last season's goods", Where: in(pricing.FieldTag, "last-season"),
			Effect: effect(pricing.PercentOff, "20"), Ending: ending("1", "nearest", "-0.05")},
		{Code: "FERNHASK-TOOLS", Layer: pricing.Catalog, Rank: 3, Name: "Fernhask hand tools, house price",
			Where: all(in(pricing.FieldBrand, "Fernhask"), in(pricing.FieldCategory, "Tools"), not(in(pricing.FieldCategory, "Tools/Brushes"))), Effect: effect(pricing.PercentOff, "5")},
		{Code: "QUAY-CLAY", Layer: pricing.Catalog, Rank: 4, Name: "Clay from the quay, no carriage in it", Channels: []string{QuayShop},
			Where: all(in(pricing.FieldCategory, "Clay"), not(listFrom("500"))), Effect: effect(pricing.AmountOff, "1.20")},
		{Code: "WEB-HEAVY", Layer: pricing.Catalog, Rank: 5, Name: "Heavy goods carry their carriage", Channels: []string{WebShop},
			Where: all(in(pricing.FieldTag, "heavy"), in(pricing.FieldCategory, "Studio")), Effect: effect(pricing.AmountOn, "12"), Ending: ending("5", "up", "0")},

		{Code: "KILN-AUTUMN", Layer: pricing.Sale, Rank: 1, Name: "Autumn kiln sale", Note: "Agreed with Havermoor until the end of the month.",
			Where: in(pricing.FieldCategory, "Kilns/Electric"), Window: &pricing.Window{From: moment("2026-11-09T00:00"), To: moment("2026-11-30T00:00")},
			Effect: effect(pricing.PercentOff, "12"), Ending: ending("5", "up", "-0.05")},
		{Code: "SHELF-AUTUMN", Layer: pricing.Sale, Rank: 2, Name: "Autumn kiln sale, shelves and posts",
			Where: in(pricing.FieldCategory, "Kilns/Furniture"), Window: &pricing.Window{From: moment("2026-11-09T00:00"), To: moment("2026-11-30T00:00")},
			Effect: effect(pricing.PercentOff, "10"), Ending: ending("1", "nearest", "-0.05")},
		{Code: "GLAZE-WEEK", Layer: pricing.Sale, Rank: 3, Name: "Glaze week", Note: "Same as last year, one day longer.",
			Where:  all(in(pricing.FieldTag, "glaze"), not(in(pricing.FieldCategory, "Glazes/Subscription", "Glazes/Dipping"))),
			Window: &pricing.Window{From: moment("2026-11-27T09:00"), To: moment("2026-12-06T00:00")},
			Effect: effect(pricing.PercentOff, "15"), Ending: ending("0.5", "nearest", "-0.05")},
		{Code: "SMALL-GLAZES", Layer: pricing.Sale, Rank: 4, Name: "Small underglaze jars, tasting price",
			Where:  all(in(pricing.FieldTag, "underglaze"), pricing.Where{Field: pricing.FieldList, Bounds: pricing.Bounds{Max: cents(800)}}),
			Window: &pricing.Window{From: moment("2026-11-16T00:00"), To: moment("2026-12-14T00:00")}, Effect: effect(pricing.SetPrice, "5.95")},
		{Code: "TOOLS-CLEAR", Layer: pricing.Sale, Rank: 5, Name: "Moulds and trimming tools, make room",
			Where:  in(pricing.FieldCategory, "Tools/Moulds", "Tools/Trimming"),
			Window: &pricing.Window{From: moment("2026-11-23T00:00"), To: moment("2026-12-24T00:00")}, Effect: effect(pricing.PercentOff, "30")},
		{Code: "SCHOOL-OXIDES", Layer: pricing.Sale, Rank: 6, Name: "Oxide sampler for schools", Note: "Fixed before Quarrelstone's increase of 1 November.",
			Where: in(pricing.FieldSKU, "SET-OXIDE"), Window: &pricing.Window{From: moment("2026-11-20T00:00")}, Effect: effect(pricing.SetPrice, "17.90")},
		{Code: "WHEELS-DARK", Layer: pricing.Sale, Rank: 7, Name: "Throwing wheels for dark evenings",
			Where:  all(in(pricing.FieldCategory, "Wheels"), not(in(pricing.FieldCategory, "Wheels/Bats"))),
			Window: &pricing.Window{From: moment("2026-12-01T00:00"), To: moment("2027-01-01T00:00")}, Effect: effect(pricing.AmountOff, "75")},
		{Code: "RAKU-KIT", Layer: pricing.Sale, Rank: 8, Name: "Raku glazes", Note: "Raku moved under Dipping in September.",
			Where: in(pricing.FieldCategory, "Glazes/Raku"), Effect: effect(pricing.PercentOff, "10")},
		{Code: "QUAY-BATS", Layer: pricing.Sale, Rank: 9, Name: "Bats at the quay", Channels: []string{QuayShop},
			Where: in(pricing.FieldCategory, "Wheels/Bats"), Window: &pricing.Window{From: moment("2026-11-26T00:00"), To: moment("2026-11-29T00:00")},
			Effect: effect(pricing.AmountOff, "2")},
		{Code: "SPRING-CLAY", Layer: pricing.Sale, Rank: 10, Name: "Spring clay weeks", Where: in(pricing.FieldCategory, "Clay/Stoneware", "Clay/Earthenware"),
			Window: &pricing.Window{From: moment("2026-03-02T00:00"), To: moment("2026-03-16T00:00")}, Effect: effect(pricing.PercentOff, "10")},
		{Code: "JAN-STUDIO", Layer: pricing.Sale, Rank: 11, Name: "New year, new studio", Status: pricing.Draft, Where: in(pricing.FieldCategory, "Studio/Tables", "Studio/Storage"),
			Window: &pricing.Window{From: moment("2027-01-04T00:00"), To: moment("2027-02-01T00:00")}, Effect: effect(pricing.PercentOff, "15"), Ending: ending("10", "up", "-1")},
		{Code: "STAFF-EVENING", Layer: pricing.Sale, Rank: 12, Name: "Open evening, everything", Note: "Kept for next year's open evening.", Status: pricing.Off,
			Where: all(), Window: &pricing.Window{From: moment("2026-10-15T17:00"), To: moment("2026-10-15T22:00")}, Effect: effect(pricing.PercentOff, "8")},
	}
	for i := range list {
		r := &list[i]
		if r.Status == "" {
			r.Status = pricing.On
		}
		r.MinQuantity, r.HireMatch, r.Counting = 1, "days", pricing.DefaultCounting()
	}
	return list
}
