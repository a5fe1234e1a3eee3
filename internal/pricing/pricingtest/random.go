package pricingtest

import (
	"fmt"
	"math/rand/v2"

	"dogbane/internal/money"
	"dogbane/internal/pricing"
)

// Noon is the moment around which random windows and questions lie: noon of a Thursday.
const Noon = pricing.Moment(20_783*24*3600 + 12*3600)

// Book makes a random valid book that uses everything that sections 1 to 4 of docs/book.md know, with small numbers, so
// that rules meet, tie and refuse each other often.
func Book(rng *rand.Rand) *pricing.Book {
	g := &generator{rng}
	b := &pricing.Book{Settings: g.settings()}
	b.Groups = []pricing.Group{{Code: "trade", Name: nameOf("trade")}, {Code: "school"},
		{Code: "walk-in", Name: nameOf("walk-in")}}
	b.Customers = []pricing.Customer{{Code: "C1", Groups: []string{"trade"}, Attrs: map[string]string{"region": "north"}},
		{Code: "C2", Groups: []string{"school", "trade"}}, {Code: "C3", Attrs: map[string]string{"region": "south"}}}
	b.Ranges = []pricing.Range{{Code: "R1", Where: g.where(2, false)}, {Code: "R2", Where: g.where(1, false)}}
	for _, code := range []string{"L1", "L2"} {
		c := g.counting("L")
		b.Ladders = append(b.Ladders, pricing.Ladder{Code: code, Breaks: g.breaks(c.Measure), Counting: c})
	}
	for _, code := range []string{"K1", "K2"} {
		b.Campaigns = append(b.Campaigns, pricing.Campaign{Code: code, Status: g.status(), Window: g.window(),
			Audience: g.audience(), Channels: g.channels()})
	}
	b.Channels = []pricing.Channel{{Code: "web"}, {Code: "till"}, {Code: "isle"}, {Code: "desk"}}
	for i := range b.Channels {
		g.channel(&b.Channels[i])
	}
	for i := range 24 + g.IntN(12) {
		p := g.product(i)
		b.Products = append(b.Products, &p)
	}
	modes := map[pricing.Layer]pricing.LayerMode{}
	for _, l := range b.Settings.Layers {
		modes[l.Layer] = l.Mode
	}
	for i := range 12 + g.IntN(20) {
		layer := pricing.Layer(g.IntN(pricing.LayerCount))
		b.Rules = append(b.Rules, g.rule(fmt.Sprintf("U%02d", i), layer, modes[layer] == pricing.Add, b.Ladders))
	}
	return b
}

// Question makes a random question about a book of Book.
func Question(rng *rand.Rand, b *pricing.Book) pricing.Question {
	g := &generator{rng}
	p := b.Products[g.IntN(len(b.Products))]
	q := pricing.Question{SKU: p.SKU, Viewpoint: Viewpoint(rng, b)}
	for _, o := range p.Options {
		if g.chance(2) {
			q.Options = append(q.Options, o.Code)
		}
	}
	return q
}

// Viewpoint makes a random viewpoint on a book of Book.
func Viewpoint(rng *rand.Rand, b *pricing.Book) pricing.Viewpoint {
	g := &generator{rng}
	vp := pricing.Viewpoint{At: Noon + pricing.Moment(g.IntN(20*24*60)-10*24*60)*pricing.Minute, Quantity: 1}
	if g.chance(2) {
		vp.Quantity = 1 + g.IntN(14)
	}
	if !g.chance(3) {
		vp.Channel = g.one("web", "till", "isle", "desk")
	}
	if g.chance(3) {
		vp.Customer = g.one("C1", "C2", "C3")
	}
	if g.chance(3) {
		vp.Groups = []string{g.one("trade", "school", "walk-in")}
	}
	if g.chance(4) {
		vp.Country = g.one("NL", "BE")
	}
	vp.FirstOrder = g.chance(2)
	if g.chance(4) {
		signedIn := g.chance(2)
		vp.SignedIn = &signedIn
	}
	if g.chance(3) {
		vp.Term = 1 + g.IntN(12)
	}
	for g.chance(3) {
		vp.History = append(vp.History, pricing.Purchase{SKU: b.Products[g.IntN(len(b.Products))].SKU,
			Quantity: 1 + g.IntN(6), At: vp.At - pricing.Moment(g.IntN(60*24)-24)*pricing.Hour})
	}
	if g.chance(4) {
		vp.With = []string{b.Rules[g.IntN(len(b.Rules))].Code, g.one("K1", "K2")}
	}
	return vp
}

type generator struct{ *rand.Rand }

// chance is true once in n times.
func (g *generator) chance(n int) bool { return g.IntN(n) == 0 }

// hostileNames are names as people write them: what encoders like to escape, what runs from right to left, what has two
// code units.
var hostileNames = []string{"", "Cup & saucer", "Glaze <b>slip</b>", `5" "brush"`, "=1+1", "Ton 🏺 roh", "طين أبيض",
	`back\slash \u0026`, "L\u2028S", "O'Brien; DROP TABLE items"}

func nameOf(code string) string {
	n := 0
	for _, c := range code {
		n = n*31 + int(c)
	}
	return hostileNames[n%len(hostileNames)]
}

func (g *generator) one(list ...string) string { return list[g.IntN(len(list))] }

// amount is a number with that many decimals, below most.
func (g *generator) amount(most, decimals int) money.Rat {
	unit := 1
	for range decimals {
		unit *= 10
	}
	r, err := money.Parse(fmt.Sprintf("%d.%0*d", g.IntN(most), decimals, g.IntN(unit)))
	if err != nil {
		panic(err)
	}
	return r
}

func (g *generator) amountPtr(most, decimals int) *money.Rat {
	a := g.amount(most, decimals)
	return &a
}

func (g *generator) maybe(n int, most, decimals int) *money.Rat {
	if g.chance(n) {
		return nil
	}
	return g.amountPtr(most, decimals)
}

func (g *generator) settings() pricing.Settings {
	s := pricing.Settings{Currency: "EUR", TimeZone: "Europe/Amsterdam", PricesIncludeTax: !g.chance(3),
		TaxRates: map[string]money.Rat{"standard": money.Int(21), "reduced": money.MustParse("9")},
		Rates:    map[string]money.Rat{"GBP": money.MustParse("0.8537"), "JPY": money.MustParse("161.2")}}
	if g.chance(2) {
		s.Countries = map[string]pricing.Country{"BE": {TaxRates: map[string]money.Rat{}}}
		for _, class := range []string{"standard", "reduced"} {
			if !g.chance(3) {
				s.Countries["BE"].TaxRates[class] = g.amount(25, 0)
			}
		}
	}
	if g.chance(3) {
		s.Rounding.Mode = money.HalfEven
	}
	s.Rounding.EveryStep = g.chance(4)
	modes := []pricing.LayerMode{pricing.First, pricing.Lowest, pricing.Highest, pricing.Stack, pricing.Add}
	middle := []pricing.Layer{pricing.Sale, pricing.Tier, pricing.GroupTerms}
	g.Shuffle(3, func(i, j int) { middle[i], middle[j] = middle[j], middle[i] })
	for _, l := range []pricing.Layer{pricing.Catalog, middle[0], middle[1], middle[2], pricing.Promotion} {
		s.Layers = append(s.Layers, pricing.LayerSetting{Layer: l, Mode: modes[g.IntN(len(modes))], EndPrice: g.chance(8)})
	}
	s.Guard = g.guard(nil)
	for g.chance(3) {
		w := g.where(1, false)
		s.Guards = append(s.Guards, g.guard(&w))
	}
	return s
}

func (g *generator) guard(w *pricing.Where) pricing.Guard {
	guard := pricing.Guard{Where: w, Hold: g.chance(2)}
	if g.chance(2) {
		guard.MinMargin = g.amount(60, 1)
	}
	if g.chance(4) {
		guard.MaxOff = g.amountPtr(100, 0)
	}
	return guard
}

func (g *generator) channel(c *pricing.Channel) {
	c.Currency = map[string]string{"isle": "GBP", "desk": g.one("", "JPY", "EUR")}[c.Code]
	if g.chance(2) {
		c.Group = g.one("trade", "walk-in")
	}
	if g.chance(2) {
		c.Country = g.one("NL", "BE")
	}
	if g.chance(2) {
		excluded := g.chance(2)
		c.TaxExcluded = &excluded
	}
	c.KeepsNet = g.chance(2)
	if g.chance(3) {
		c.Ending = g.ending()
	}
	if g.chance(4) {
		w := g.where(2, false)
		c.Where = &w
	}
	if g.chance(2) {
		c.FeePercent, c.FeeAmount = g.amount(30, 1), g.amount(2, 2)
	}
}

func (g *generator) product(i int) pricing.Product {
	p := pricing.Product{SKU: fmt.Sprintf("P%02d", i), Name: nameOf(fmt.Sprint("P", i)), List: g.maybe(9, 90, 2),
		Cost: g.maybe(5, 60, 2), RRP: g.maybe(3, 99, 2), Stock: g.maybe(3, 20, 0),
		Rating: g.maybe(3, 5, 1), Sold: g.maybe(3, 30, 0), Category: g.one("", "Clay", "Clay/Stone", "Clay/Stone/Buff",
			"Clayware", "Tools"),
		Brand: g.one("", "B1", "B2"), Supplier: g.one("S1", "S2"), Type: g.one("", "t"), Style: g.one("", "", "ST1", "ST2"),
		TaxClass: g.one("", "standard", "reduced"), Unit: g.one("each", "each", "each", "month")}
	if g.chance(3) {
		p.Levels = map[string]money.Rat{"B": g.amount(80, 2)}
	}
	if g.chance(3) {
		p.Costs = map[string]money.Rat{"last": g.amount(60, 4)}
	}
	if g.chance(4) {
		p.ListIn = map[string]money.Rat{g.one("GBP", "JPY", "EUR"): g.amount(80, 2)}
	}
	for _, t := range []string{"x", "y", "z"} {
		if g.chance(2) {
			p.Tags = append(p.Tags, t)
		}
	}
	if g.chance(2) {
		n := g.amount(12, 1)
		p.Attrs = map[string]pricing.Attr{"kg": {Text: n.String(), Number: &n, Quoted: g.chance(2)}}
	}
	if g.chance(3) {
		if p.Attrs == nil {
			p.Attrs = map[string]pricing.Attr{}
		}
		p.Attrs["cone"] = pricing.Attr{Text: g.one("six", "ten"), Quoted: true}
	}
	if g.chance(3) {
		p.Options = []pricing.Option{{Code: "engrave", Price: g.amount(9, 2), Part: "options"},
			{Code: "fit", Price: g.amount(20, 2), Part: "work"}}
	}
	p.Later, p.OnRequest = g.later(), g.chance(20)
	return p
}

// later are figures around the moments that are asked about, often of several products at the same moment.
func (g *generator) later() (list []pricing.Figures) {
	for day := range 3 {
		if !g.chance(4) {
			continue
		}
		f := pricing.Figures{From: Noon + pricing.Moment(day*5-6)*pricing.Day, List: g.maybe(2, 90, 2),
			Cost: g.maybe(2, 60, 2), RRP: g.maybe(3, 99, 2), MAP: g.maybe(3, 60, 2)}
		if g.chance(3) {
			f.Levels = map[string]money.Rat{g.one("B", "LEAST"): g.amount(80, 2)}
		}
		if g.chance(4) {
			f.Costs = map[string]money.Rat{g.one("last", "next"): g.amount(60, 4)}
		}
		if g.chance(4) || f.Empty() {
			f.ListIn = map[string]money.Rat{g.one("GBP", "JPY", "EUR"): g.amount(80, 2)}
		}
		if g.chance(3) {
			f.From += pricing.Moment(g.IntN(48)) * pricing.Hour
		}
		list = append(list, f)
	}
	return list
}

// where is a random condition; field reduced only where allowed.
func (g *generator) where(depth int, reduced bool) pricing.Where {
	if depth > 0 && g.chance(2) {
		switch g.IntN(3) {
		case 0:
			return pricing.Where{Field: pricing.FieldNot, Parts: []pricing.Where{g.where(depth-1, reduced)}}
		case 1:
			w := pricing.Where{Field: pricing.FieldAll, Parts: []pricing.Where{}}
			for range g.IntN(3) {
				w.Parts = append(w.Parts, g.where(depth-1, reduced))
			}
			return w
		}
		w := pricing.Where{Field: pricing.FieldAny, Parts: []pricing.Where{}}
		for range 1 + g.IntN(3) {
			w.Parts = append(w.Parts, g.where(depth-1, reduced))
		}
		return w
	}
	bounds := func(most int) pricing.Bounds {
		b := pricing.Bounds{Min: g.maybe(2, most/2, 2)}
		if b.Min == nil || g.chance(2) {
			b.Max = g.amountPtr(most, 2)
		}
		if b.Min != nil && b.Max != nil && b.Max.Less(*b.Min) {
			b.Min, b.Max = b.Max, b.Min
		}
		return b
	}
	texts := func(f pricing.Field, list ...string) pricing.Where {
		return pricing.Where{Field: f, Values: []string{g.one(list...), g.one(list...)}}
	}
	switch g.IntN(14) {
	case 0:
		return pricing.Where{Field: pricing.FieldAll, Parts: []pricing.Where{}}
	case 1:
		return texts(pricing.FieldSKU, "P01", "P05", "P09", "P99")
	case 2:
		return texts(pricing.FieldStyle, "ST1", "ST2", "ST3")
	case 3:
		return texts(pricing.FieldBrand, "B1", "B2")
	case 4:
		return texts(pricing.FieldTag, "x", "y")
	case 5, 6:
		return texts(pricing.FieldCategory, "Clay", "Clay/Stone", "Tools", "Clay/St")
	case 7:
		return texts(pricing.FieldTaxClass, "standard", "reduced")
	case 8:
		n := bounds(12)
		if g.chance(2) {
			return pricing.Where{Field: pricing.FieldAttr, Attrs: map[string]pricing.AttrTest{"cone": {Values: []string{"six"}}}}
		}
		return pricing.Where{Field: pricing.FieldAttr, Attrs: map[string]pricing.AttrTest{"kg": {Bounds: &n}}}
	case 9:
		return pricing.Where{Field: pricing.FieldList, Bounds: bounds(90)}
	case 10:
		return pricing.Where{Field: []pricing.Field{pricing.FieldCost, pricing.FieldStock, pricing.FieldSold,
			pricing.FieldRating}[g.IntN(4)], Bounds: bounds(30)}
	case 11:
		return texts(pricing.FieldSupplier, "S1", "S2")
	case 12:
		if reduced {
			return pricing.Where{Field: pricing.FieldReduced, Reduced: g.chance(2)}
		}
	}
	return texts(pricing.FieldType, "t", "u")
}

func (g *generator) status() pricing.Status {
	if g.chance(6) {
		return []pricing.Status{pricing.Off, pricing.Draft}[g.IntN(2)]
	}
	return pricing.On
}

func (g *generator) window() *pricing.Window {
	if g.chance(2) {
		return nil
	}
	w := &pricing.Window{}
	if g.chance(2) {
		from := Noon + pricing.Moment(g.IntN(20)-14)*pricing.Day
		to := from + pricing.Moment(1+g.IntN(15))*pricing.Day
		w.From = &from
		if g.chance(2) {
			w.To = &to
		}
	}
	if g.chance(5) {
		for d := range pricing.Weekday(7) {
			if g.chance(2) {
				w.Days = append(w.Days, d)
			}
		}
	}
	if g.chance(5) {
		from := pricing.Moment(g.IntN(24)) * pricing.Hour
		w.Hours = &pricing.Hours{From: from, To: (from + pricing.Moment(1+g.IntN(22))*pricing.Hour) % pricing.Day}
	}
	if g.chance(8) {
		from := pricing.Moment(g.IntN(7*24)) * pricing.Hour
		w.Weekly = &pricing.Weekly{From: from, To: (from + pricing.Moment(1+g.IntN(100))*pricing.Hour) % pricing.Week}
	}
	if g.chance(8) {
		w.Yearly = &pricing.Yearly{From: pricing.MonthDay(1101 + g.IntN(28)), To: pricing.MonthDay(101 + g.IntN(28))}
	}
	return w
}

func (g *generator) audience() *pricing.Audience {
	if !g.chance(3) {
		return nil
	}
	a := &pricing.Audience{}
	if g.chance(2) {
		a.Groups = []string{g.one("trade", "school", "walk-in")}
	}
	if g.chance(3) {
		a.Customers = []string{g.one("C1", "C2", "C3")}
	}
	if g.chance(5) {
		a.Countries = []string{"NL"}
	}
	if g.chance(6) {
		a.CustomerAttr = map[string][]string{"region": {g.one("north", "south")}}
	}
	for _, flag := range []**bool{&a.FirstOrder, &a.SignedIn} {
		if g.chance(5) {
			b := g.chance(2)
			*flag = &b
		}
	}
	return a
}

func (g *generator) channels() []string {
	if !g.chance(4) {
		return nil
	}
	return []string{g.one("web", "till", "isle", "desk"), g.one("web", "till", "isle", "desk")}
}

func (g *generator) counting(for_ string) pricing.Counting {
	c := pricing.DefaultCounting()
	switch g.IntN(5) {
	case 0:
		c.Method = pricing.Graduated
		return c
	case 1:
		c.Count = "style"
	case 2:
		c.Count = "basket"
	case 3:
		w := g.where(1, false)
		c.Count, c.Where = "where", &w
	}
	c.Measure = g.one("quantity", "quantity", "term", "days", "attr:kg", "spend")
	if for_ == "L" && c.Measure == "spend" { // a ladder may also serve the catalog layer
		c.Measure = "quantity"
	}
	return c
}

func (g *generator) breaks(measure string) []pricing.Break {
	var list []pricing.Break
	from := money.Int(0)
	for range 1 + g.IntN(3) {
		from = from.Add(money.Int(int64(1 + g.IntN(6))))
		b := pricing.Break{From: from, Effect: *g.effect(false)}
		if measure == "spend" || measure == "attr:kg" {
			b.From = from.Add(money.Ratio(1, 2))
		}
		list = append(list, b)
	}
	return list
}

func (g *generator) effect(simple bool) *pricing.Effect {
	kind := g.IntN(9)
	if simple {
		kind = g.IntN(4)
	}
	switch kind {
	case 0:
		return &pricing.Effect{Kind: pricing.PercentOff, Value: g.amount(99, 1)}
	case 1:
		return &pricing.Effect{Kind: pricing.PercentOn, Value: g.amount(60, 2)}
	case 2:
		return &pricing.Effect{Kind: pricing.AmountOff, Value: g.amount(25, 2)}
	case 3:
		return &pricing.Effect{Kind: pricing.AmountOn, Value: g.amount(9, 2)}
	case 4:
		return &pricing.Effect{Kind: pricing.SetPrice, Value: g.amount(70, 2)}
	case 5:
		return &pricing.Effect{Kind: pricing.ToLevel, Level: "B"}
	case 6:
		return &pricing.Effect{Kind: pricing.Markup, Value: g.amount(120, 1)}
	case 7:
		return &pricing.Effect{Kind: pricing.ToMargin, Value: g.amount(80, 1)}
	}
	d := &pricing.Derive{From: g.one("P00", "P01", "P02", "basket", "P99"), Basis: g.one("list", "net", "subtotal"),
		Percent: g.amount(120, 1), Counts: g.one("basket", "owned", "both")}
	if d.From == "basket" {
		d.Basis = "subtotal"
	}
	if g.chance(3) {
		d.Min = g.amountPtr(20, 2)
	}
	if g.chance(3) {
		high := g.amount(60, 2).Add(money.Int(20))
		d.Max = &high
	}
	return &pricing.Effect{Kind: pricing.ToDerived, Derive: d}
}

func (g *generator) ending() *pricing.Ending {
	e := &pricing.Ending{Step: money.MustParse(g.one("1", "5", "0.5", "0.1", "0.25", "0.03")),
		Direction: []pricing.Direction{pricing.Nearest, pricing.UpTo, pricing.DownTo}[g.IntN(3)]}
	if g.chance(2) {
		e.Shift = money.MustParse(g.one("-0.05", "-0.01", "0.4", "-2"))
	}
	return e
}

func (g *generator) rule(code string, layer pricing.Layer, adding bool, ladders []pricing.Ladder) pricing.Rule {
	r := pricing.Rule{Code: code, Name: nameOf(code), Note: nameOf(code + "n"), Layer: layer, Rank: 1 + g.IntN(5),
		Status: g.status(), Where: g.where(3, false), Window: g.window(), Audience: g.audience(),
		Channels: g.channels(), MinQuantity: 1, HireMatch: "days", Counting: pricing.DefaultCounting()}
	if g.chance(4) {
		r.Campaign = g.one("K1", "K2")
	}
	if g.chance(5) {
		r.MinQuantity = 1 + g.IntN(5)
	}
	if g.chance(10) {
		r.Currency = g.one("EUR", "GBP")
	}
	if g.chance(6) {
		r.Then = []pricing.Then{pricing.EndLayer, pricing.EndPrice}[g.IntN(2)]
	}
	if g.chance(3) {
		r.On = [][]string{{"base", "options"}, {"options"}, {"base", "work"}, {"base"}}[g.IntN(4)]
	}
	r.MayRaise = g.chance(4)
	if adding {
		r.Effect = g.effect(true)
		r.Where = g.where(3, true)
		return r
	}
	switch g.IntN(4) {
	case 0:
		r.Counting = g.counting("R")
		if layer == pricing.Catalog && r.Counting.Measure == "spend" {
			r.Counting.Measure = "quantity"
		}
		if g.chance(5) && r.Counting.Method == pricing.Whole {
			r.Counting.Count, r.Counting.Where = "selection", nil
		}
		r.Breaks = g.breaks(r.Counting.Measure)
		if g.chance(3) {
			r.HistoryDays = 1 + g.IntN(40)
		}
	case 1:
		r.Ladder = ladders[g.IntN(len(ladders))].Code
	default:
		r.Effect = g.effect(false)
	}
	if r.Counting.Count != "selection" {
		r.Where = g.where(3, true)
	}
	if g.chance(4) {
		r.Of = []pricing.Basis{pricing.OfList, pricing.OfCost, "cost:last", pricing.OfRRP, "level:B",
			pricing.OfCatalog}[g.IntN(6)]
		if r.Of == pricing.OfCatalog && layer == pricing.Catalog {
			r.Of = pricing.OfList
		}
	}
	if g.chance(3) {
		r.Ending = g.ending()
	}
	if g.chance(5) {
		r.MaxOff = &pricing.MaxOff{Percent: g.amountPtr(90, 0)}
		if g.chance(2) {
			r.MaxOff = &pricing.MaxOff{Amount: g.amountPtr(12, 2)}
		}
	}
	if g.chance(5) {
		r.Floor = []*pricing.Floor{{Amount: g.amountPtr(30, 2)}, {Margin: g.amountPtr(60, 1)}, {Cost: true},
			{Level: g.one("B", "LEAST")}, {Cost: true, WithFee: true}, {Margin: g.amountPtr(90, 1), WithFee: true}}[g.IntN(6)]
	}
	return r
}
