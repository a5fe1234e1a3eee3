package pricingtest

import (
	"fmt"
	"math/rand/v2"

	"dogbane/internal/money"
	"dogbane/internal/pricing"
)

// LargeGroups are the customer groups of Large.
var LargeGroups = []string{"studio", "school", "trade", "staff", "reseller", "hotel"}

// Large makes a book of the shape of a big store: products in about 400 categories of three levels, 300 rules over the
// layers (catalog adjustments by category and supplier, sales by category, brand, tag, price and SKU list, quantity
// breaks, group terms, promotions), each group with terms of its own. It is the same for the same size.
func Large(products int) *pricing.Book {
	rng := rand.New(rand.NewPCG(uint64(products), 300))
	g := &generator{rng}
	b := &pricing.Book{Settings: pricing.Settings{Currency: "EUR", TimeZone: "Europe/Amsterdam", PricesIncludeTax: true,
		Layers:   pricing.DefaultLayers(),
		TaxRates: map[string]money.Rat{"standard": money.Int(21), "reduced": money.Int(9)},
		Rates:    map[string]money.Rat{"GBP": money.MustParse("0.8537")}}}
	for _, code := range LargeGroups {
		b.Groups = append(b.Groups, pricing.Group{Code: code})
	}
	b.Channels = []pricing.Channel{{Code: "web"}, {Code: "till"}}
	path := func() string { return fmt.Sprintf("D%02d/F%d/G%d", g.IntN(20), g.IntN(5), g.IntN(4)) }
	brand := func() string { return fmt.Sprintf("brand %d", g.IntN(80)) }
	tag := func() string { return fmt.Sprintf("tag %d", g.IntN(40)) }
	cents := func(from, to int) *money.Rat {
		a := money.FromMinor(int64(from+g.IntN(to-from)), 2)
		return &a
	}
	for i := range products {
		cost := 100 + g.IntN(20_000)
		p := pricing.Product{SKU: fmt.Sprintf("SKU-%07d", i), Name: fmt.Sprintf("Article number %d", i), Category: path(),
			Brand: brand(), Supplier: fmt.Sprintf("supplier %d", g.IntN(30)),
			Style: fmt.Sprintf("style %d", i/4), TaxClass: g.one("standard", "standard", "reduced"), Unit: "each",
			Cost: cents(cost, cost+1), List: cents(cost*3/2, cost*3), Tags: []string{tag(), tag()},
			Attrs: map[string]pricing.Attr{"cone": {Text: fmt.Sprint(g.IntN(12)), Quoted: true}}}
		stock := money.Int(int64(g.IntN(200)))
		p.Stock = &stock
		b.Products = append(b.Products, &p)
	}
	texts := func(f pricing.Field, n int, one func() string) pricing.Where {
		w := pricing.Where{Field: f}
		for range n {
			w.Values = append(w.Values, one())
		}
		return w
	}
	both := func(parts ...pricing.Where) pricing.Where {
		return pricing.Where{Field: pricing.FieldAll, Parts: parts}
	}
	department := func() string { return fmt.Sprintf("D%02d", g.IntN(20)) }
	family := func() string { return fmt.Sprintf("D%02d/F%d", g.IntN(20), g.IntN(5)) }
	where := func() pricing.Where {
		switch g.IntN(9) {
		case 0:
			return texts(pricing.FieldCategory, 1, department)
		case 1:
			return texts(pricing.FieldCategory, 1, family)
		case 2:
			return texts(pricing.FieldCategory, 3, path)
		case 3:
			return both(texts(pricing.FieldBrand, 1, brand), pricing.Where{Field: pricing.FieldNot,
				Parts: []pricing.Where{texts(pricing.FieldCategory, 1, department)}})
		case 4:
			return both(texts(pricing.FieldTag, 1, tag), pricing.Where{Field: pricing.FieldList,
				Bounds: pricing.Bounds{Min: cents(500, 9000)}})
		case 5:
			return texts(pricing.FieldSKU, 200, func() string { return fmt.Sprintf("SKU-%07d", g.IntN(products)) })
		case 6:
			return pricing.Where{Field: pricing.FieldAny, Parts: []pricing.Where{texts(pricing.FieldTag, 1, tag),
				texts(pricing.FieldCategory, 2, path)}}
		case 7:
			return both(texts(pricing.FieldCategory, 1, department), pricing.Where{Field: pricing.FieldAttr,
				Attrs: map[string]pricing.AttrTest{"cone": {Values: []string{"6", "10"}}}})
		}
		return both(pricing.Where{Field: pricing.FieldStock, Bounds: pricing.Bounds{Min: cents(1000, 9000)}},
			texts(pricing.FieldBrand, 2, brand))
	}
	add := func(layer pricing.Layer, n int, shape func(r *pricing.Rule)) {
		for i := range n {
			r := pricing.Rule{Code: fmt.Sprintf("%s-%03d", layer, i), Layer: layer, Rank: i + 1, Status: pricing.On,
				Where: where(), MinQuantity: 1, HireMatch: "days",
				Counting: pricing.DefaultCounting(), Effect: &pricing.Effect{Kind: pricing.PercentOff,
					Value: money.Int(int64(5 + 5*g.IntN(6)))}}
			shape(&r)
			b.Rules = append(b.Rules, r)
		}
	}
	end := func(r *pricing.Rule) {
		r.Ending = &pricing.Ending{Step: money.MustParse(g.one("1", "0.5", "0.1")), Direction: pricing.Nearest,
			Shift: money.MustParse("-0.05")}
	}
	add(pricing.Catalog, 40, func(r *pricing.Rule) {
		r.Effect = &pricing.Effect{Kind: pricing.PercentOn, Value: money.MustParse(g.one("2.5", "3", "4"))}
		if g.chance(2) {
			end(r)
		}
	})
	add(pricing.Sale, 90, func(r *pricing.Rule) {
		if g.chance(3) {
			end(r)
		}
		if g.chance(6) {
			r.Effect = &pricing.Effect{Kind: pricing.AmountOff, Value: *cents(50, 900)}
		}
	})
	add(pricing.Tier, 50, func(r *pricing.Rule) {
		r.Effect, r.Breaks = nil, []pricing.Break{{From: money.Int(1),
			Effect: pricing.Effect{Kind: pricing.PercentOff, Value: money.Int(1)}},
			{From: money.Int(6), Effect: pricing.Effect{Kind: pricing.PercentOff, Value: money.Int(4)}},
			{From: money.Int(24), Effect: pricing.Effect{Kind: pricing.PercentOff, Value: money.MustParse("7.5")}}}
	})
	add(pricing.GroupTerms, 90, func(r *pricing.Rule) {
		r.Audience = &pricing.Audience{Groups: []string{LargeGroups[g.IntN(len(LargeGroups))]}}
		if r.Rank > 90-len(LargeGroups) { // at the end, what a group gets on everything
			r.Audience.Groups = []string{LargeGroups[90-r.Rank]}
			r.Where = pricing.Where{Field: pricing.FieldAll, Parts: []pricing.Where{}}
		}
		if g.chance(5) {
			r.Effect = &pricing.Effect{Kind: pricing.ToMargin, Value: money.Int(int64(15 + g.IntN(20)))}
		}
		if g.chance(4) {
			r.Floor = &pricing.Floor{Cost: true}
		}
	})
	add(pricing.Promotion, 30, func(r *pricing.Rule) {
		r.Effect.Value = money.MustParse(g.one("3", "5", "10"))
		if g.chance(4) {
			r.MaxOff = &pricing.MaxOff{Amount: cents(300, 900)}
		}
	})
	return b
}
