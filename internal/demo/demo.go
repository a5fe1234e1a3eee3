// Package demo makes the demo's book: Marram & Slip, an invented supplier of potters. Everything in it is invented, and
// the same at every run. How the demo is loaded and its channels are reached belongs to the program.
package demo

import (
	"fmt"
	"hash/fnv"
	"strconv"
	"time"

	"dogbane/internal/money"
	"dogbane/internal/pricing"
)

// Now is the demo's own present, a Thursday morning on the book's wall clock.
const Now = "2026-11-26T09:00"

// PublishedAt is when the demo's channels were last brought up to date.
const PublishedAt = "2026-11-08T18:00"

// Channels that ship as stand-ins.
const (
	WebShop    = "web"
	QuayShop   = "quay"
	MillShop   = "mill"
	Kilnfair   = "kilnfair" // a marketplace
	TradeDesk  = "trade-desk"
	IslandShop = "island"
)

// Book makes the demo's book with about the given number of products; 0 is the demo's own size.
func Book(products int) *pricing.Book {
	b := &pricing.Book{
		Settings: pricing.Settings{Currency: "EUR", TimeZone: TimeZone, PricesIncludeTax: true,
			Layers:   pricing.DefaultLayers(),
			TaxRates: map[string]money.Rat{"standard": money.Int(21), "reduced": money.Int(9)},
			Rates:    map[string]money.Rat{"GBP": money.MustParse("0.853")},

			ShippingTaxClass: "standard", ByHandMaxPercent: money.Int(10),
			Hire: &pricing.HireTimes{FreeFirstDayFrom: new(17*pricing.Hour + 30*pricing.Minute),
				FreeLastDayUntil: new(9*pricing.Hour + 30*pricing.Minute)}},
		Groups: groups(), Customers: Customers(), Ranges: ranges(), Ladders: ladders(), Campaigns: campaigns(),
		Channels: channels(),
		Rules:    rules(),
	}
	for series := 1; ; series++ {
		for _, f := range families {
			b.Products = append(b.Products, f.products(series)...)
		}
		if series == 1 {
			b.Products = append(b.Products, singles()...)
		}
		if len(b.Products) >= products {
			break
		}
	}
	if products > 0 && len(b.Products) > products {
		b.Products = b.Products[:products]
	}
	for i := range b.Products {
		b.Products[i].GTIN = inStore(i + 1)
	}
	return b
}

// draw is a number from 0 to n−1 that depends on the words alone.
func draw(n int, words ...string) int {
	h := fnv.New32a()
	for _, w := range words {
		_, _ = h.Write([]byte(w + "\x00"))
	}
	return int(h.Sum32()>>4) % n
}

func cents(n int) *money.Rat {
	a := money.FromMinor(int64(n), 2)
	return &a
}

func whole(n int) *money.Rat {
	a := money.Int(int64(n))
	return &a
}

// family is goods of one kind: every variant in every size.
type family struct {
	code, name, category, brand, supplier, kind string
	variants                                    []string
	sizes                                       []size
	costShare                                   int // cost in percent of the list price without tax
	tags                                        []string
}

type size struct {
	code, name string
	list       int // cents, tax included
	of         string
	amount     string
}

func (f family) products(series int) []*pricing.Product {
	var list []*pricing.Product
	for i, variant := range f.variants {
		style := fmt.Sprintf("%s-%02d", f.code, i+1)
		name := variant + " " + f.name
		if f.name == "" {
			name = variant
		}
		if series > 1 {
			style = fmt.Sprintf("%s-S%d", style, series)
			name = fmt.Sprintf("%s, series %d", name, series)
		}
		for _, z := range f.sizes {
			sku := style
			title := name
			if z.code != "" {
				sku += "-" + z.code
				title += ", " + z.name
			}
			// Colours and bodies differ a little in price, in steps of 10 cents.
			price := z.list + z.list*draw(9, style)/100/10*10
			cost := price * 100 / 121 * (f.costShare + draw(9, sku, "cost") - 4) / 100
			p := pricing.Product{SKU: sku, Name: title, List: cents(price), Cost: cents(cost), Style: style,
				Category: f.category, Brand: f.brand,
				Supplier: f.supplier, Type: f.kind, Tags: append([]string{}, f.tags...), Stock: whole(draw(160, sku, "stock")),
				Sold: whole(draw(40, sku, "sold")), TaxClass: "standard", Unit: "each"}
			if draw(23, style, "last") == 0 {
				p.Tags = append(p.Tags, "last-season")
			}
			if z.of != "" {
				p.Content = &pricing.Content{Amount: money.MustParse(z.amount), Of: z.of}
			}
			if len(p.Tags) == 0 {
				p.Tags = nil
			}
			list = append(list, &p)
		}
	}
	return list
}

var colours = []string{"Chalk", "Driftwood", "Kelp", "Tidepool", "Ember", "Rust", "Oyster", "Heather", "Gorse", "Slate",
	"Fog", "Samphire",
	"Cockle", "Bramble", "Sandbar", "Lichen", "Night heron", "Sea holly", "Peat", "Marigold", "Shrimp", "Buoy red",
	"Teasel", "Old copper"}

var jars = []size{{"J1", "120 ml", 790, "l", "0.12"}, {"J4", "450 ml", 1990, "l", "0.45"},
	{"G1", "3.8 l", 11900, "l", "3.8"}}

var families = []family{
	{"SW", "stoneware clay", "Clay/Stoneware", "Ossenfeld", "Ossenfeld Pits", "clay",
		[]string{"Buff", "Speckled", "Iron-flecked", "White", "Toasted", "Coarse raku", "Dark fleck", "Smooth grey"},
		[]size{{"12", "12.5 kg", 1640, "kg", "12.5"}, {"25", "2 × 12.5 kg", 3080, "kg", "25"},
			{"PL", "pallet, 80 bags", 108800, "kg", "1000"}}, 58, []string{"heavy"}},
	{"EW", "earthenware clay", "Clay/Earthenware", "Ossenfeld", "Ossenfeld Pits", "clay",
		[]string{"Terracotta", "Cream", "Buff", "Grogged red"}, []size{{"12", "12.5 kg", 1290, "kg", "12.5"},
			{"25", "2 × 12.5 kg", 2420, "kg", "25"}}, 60, []string{"heavy"}},
	{"PO", "porcelain", "Clay/Porcelain", "Saltmarrow", "Saltmarrow Clays", "clay",
		[]string{"Bone", "Translucent", "Casting", "Grolleg-style", "Paper"},
		[]size{{"05", "5 kg", 1750, "kg", "5"}, {"12", "12.5 kg", 3690, "kg", "12.5"}}, 57, nil},
	{"GB", "brush-on glaze", "Glazes/Brush-on", "Tindrel", "Tindrel Works", "glaze", colours, jars, 52, []string{"glaze"}},
	{"UG", "underglaze", "Glazes/Underglazes", "Tindrel", "Tindrel Works", "glaze", colours,
		[]size{{"J1", "60 ml", 690, "l", "0.06"}, {"J2", "240 ml", 1850, "l", "0.24"}}, 49, []string{"glaze", "underglaze"}},
	{"DG", "dipping glaze powder", "Glazes/Dipping", "Quarrelstone", "Quarrelstone", "glaze", colours,
		[]size{{"01", "1 kg", 1490, "kg", "1"}, {"05", "5 kg", 6200, "kg", "5"}}, 55, []string{"glaze"}},
	{"OX", "", "Glazes/Oxides", "Quarrelstone", "Quarrelstone", "oxide",
		[]string{"Red iron oxide", "Black iron oxide", "Copper carbonate", "Cobalt carbonate", "Rutile", "Manganese dioxide",
			"Titanium dioxide", "Tin oxide"},
		[]size{{"100", "100 g", 620, "kg", "0.1"}, {"500", "500 g", 2450, "kg", "0.5"}}, 61, nil},
	{"BR", "brush", "Tools/Brushes", "Fernhask", "Fernhask Handwork", "tool",
		[]string{"Hake", "Mop", "Liner", "Fan", "Bamboo"}, []size{{"S", "small", 540, "", ""}, {"M", "medium", 760, "", ""},
			{"L", "large", 1120, "", ""}}, 46, nil},
	{"TR", "trimming tool", "Tools/Trimming", "Fernhask", "Fernhask Handwork", "tool",
		[]string{"Loop", "Pear", "Square", "Teardrop", "Ribbon", "Corner"},
		[]size{{"S", "small", 890, "", ""}, {"L", "large", 1290, "", ""}}, 47, nil},
	{"RB", "rib", "Tools/Ribs", "Fernhask", "Fernhask Handwork", "tool",
		[]string{"Kidney steel", "Kidney rubber", "Wooden", "Serrated", "Soft blue"}, []size{{"", "", 680, "", ""}}, 44, nil},
	{"CS", "casting slip", "Clay/Casting slip", "Saltmarrow", "Saltmarrow Clays", "clay",
		[]string{"White", "Black", "Sand", "Blush", "Blue-grey"}, []size{{"05", "5 l", 1580, "l", "5"},
			{"15", "15 l", 4190, "l", "15"}}, 55, []string{"heavy"}},
	{"SN", "body stain", "Glazes/Stains", "Quarrelstone", "Quarrelstone", "oxide",
		[]string{"Turquoise", "Cornflower", "Leaf", "Lemon", "Coral", "Violet", "Cocoa", "Graphite", "Rose", "Sky"},
		[]size{{"100", "100 g", 980, "kg", "0.1"}, {"500", "500 g", 4250, "kg", "0.5"}}, 58, nil},
	{"CT", "cutter", "Tools/Cutters", "Fernhask", "Fernhask Handwork", "tool",
		[]string{"Round", "Oval", "Hexagon", "Leaf", "Scallop"}, []size{{"S", "4 cm", 520, "", ""},
			{"M", "7 cm", 690, "", ""}, {"L", "11 cm", 940, "", ""}}, 43, nil},
	{"SP", "sponge", "Tools/Sponges", "Saltmarrow", "Saltmarrow Clays", "tool",
		[]string{"Silk", "Honeycomb", "Round", "Long-handled"}, []size{{"S", "small", 390, "", ""},
			{"L", "large", 640, "", ""}}, 45, nil},
	{"MD", "press mould", "Tools/Moulds", "Fernhask", "Fernhask Handwork", "tool",
		[]string{"Oval dish", "Round bowl", "Square plate", "Rectangular tray"},
		[]size{{"S", "18 cm", 1690, "", ""}, {"L", "28 cm", 2750, "", ""}}, 62, nil},
	{"KF", "kiln shelf", "Kilns/Furniture", "Havermoor", "Havermoor Kilns", "kiln",
		[]string{"Round", "Half-round", "Square", "Oblong"}, []size{{"30", "30 cm", 3450, "", ""},
			{"45", "45 cm", 5900, "", ""}, {"60", "60 cm", 9400, "", ""}}, 63, []string{"heavy"}},
	{"KP", "kiln posts, set", "Kilns/Furniture", "Havermoor", "Havermoor Kilns", "kiln",
		[]string{"Square", "Triangular"}, []size{{"S", "5 cm", 1890, "", ""}, {"L", "15 cm", 2990, "", ""}}, 60, nil},
	{"ST", "bench", "Studio/Tables", "Fernhask", "Fernhask Joinery", "furniture",
		[]string{"Wedging", "Glazing", "Folding"}, []size{{"90", "90 cm", 21900, "", ""}, {"140", "140 cm", 32900, "", ""}},
		59, []string{"heavy"}},
	{"SH", "ware rack", "Studio/Storage", "Fernhask", "Fernhask Joinery", "furniture",
		[]string{"Open", "Covered", "Rolling"}, []size{{"5", "5 shelves", 18900, "", ""}, {"9", "9 shelves", 27900, "", ""}},
		61, []string{"heavy"}},
}

// single is an article written by hand, so that pictures and examples read well.
type single struct {
	sku, name, category, brand, supplier, kind string
	list, cost, stock                          int
	unit                                       string
	tags                                       []string
}

func singles() []*pricing.Product {
	var list []*pricing.Product
	for _, s := range []single{
		{"KILN-EL-42", "Havermoor 42 litre table kiln, 1300 °C", "Kilns/Electric", "Havermoor", "Havermoor Kilns", "kiln",
			145000, 83200, 4, "", []string{"heavy"}},
		{"KILN-EL-70", "Havermoor 70 litre front-loading kiln, 1320 °C", "Kilns/Electric", "Havermoor", "Havermoor Kilns",
			"kiln", 268000, 152000, 3, "", []string{"heavy"}},
		{"KILN-EL-150", "Havermoor 150 litre front-loading kiln with controller, stand and vented hood, 1320 °C",
			"Kilns/Electric", "Havermoor", "Havermoor Kilns", "kiln", 489000, 291500, 1, "", []string{"heavy"}},
		{"KILN-TOP-60", "Havermoor 60 litre top-loading kiln, 1280 °C", "Kilns/Electric", "Havermoor", "Havermoor Kilns",
			"kiln", 189500, 109800, 6, "", []string{"heavy"}},
		{"KILN-TEST-8", "Havermoor test kiln, 8 litres", "Kilns/Electric", "Havermoor", "Havermoor Kilns", "kiln", 64000,
			38900, 9, "", nil},
		{"WHEEL-ARC", "Arc throwing wheel, 0.4 kW", "Wheels", "Saltmarrow", "Saltmarrow Machines", "wheel", 99500, 61200, 8,
			"", []string{"heavy"}},
		{"WHEEL-TIDE", "Tide throwing wheel, 0.75 kW, quiet drive", "Wheels", "Saltmarrow", "Saltmarrow Machines", "wheel",
			148000, 90800, 5, "", []string{"heavy"}},
		{"WHEEL-LOW", "Low-seat throwing wheel, عجلة خزف", "Wheels", "Saltmarrow", "Saltmarrow Machines", "wheel", 112000,
			71900, 2, "", []string{"heavy"}},
		{"BAT-30", "Wheel bat, 30 cm", "Wheels/Bats", "Fernhask", "Fernhask Joinery", "wheel", 1450, 610, 140, "", nil},
		{"BAT-35", "Wheel bat, 35 cm", "Wheels/Bats", "Fernhask", "Fernhask Joinery", "wheel", 1750, 745, 96, "", nil},
		{"PLINTH-64", "Turned display plinth", "Studio/Display", "Fernhask", "Fernhask Joinery", "furniture", 6400, 3100, 22,
			"", nil},
		{"SET-START", "Starter set: ten tools in a canvas roll", "Tools/Sets", "Fernhask", "Fernhask Handwork", "tool", 4800,
			2450, 60, "", nil},
		{"SET-OXIDE", "Oxide sampler, eight jars of 50 g", "Glazes/Oxides", "Quarrelstone", "Quarrelstone", "oxide", 2990,
			1560, 41, "", []string{"school"}},
		{"SET-UG-12", "Underglaze set, twelve colours of 30 ml", "Glazes/Underglazes", "Tindrel", "Tindrel Works", "glaze",
			4490, 2190, 37, "", []string{"glaze", "underglaze", "school"}},
		{"STAMP-A5", "Maker's stamp, brass, made to order", "Stamps", "Fernhask", "Fernhask Handwork", "stamp", 3600, 1720, 0,
			"", nil},
		{"APRON-SPLIT", `Split-leg apron, waxed cotton, 34" waist`, "Studio/Clothing", "Fernhask", "Fernhask Handwork",
			"clothing", 5450, 2880, 33, "", nil},
		{"HIRE-WHEEL", "Throwing wheel, hire by the day", "Hire/Wheels", "Saltmarrow", "Saltmarrow Machines", "hire", 6000,
			2100, 6, "day", nil},
		{"HIRE-KILN-42", "42 litre kiln, hire by the day", "Hire/Kilns", "Havermoor", "Havermoor Kilns", "hire", 9500, 3400,
			2, "day", nil},
		{"GLAZE-BOX", "Glaze of the month, by subscription", "Glazes/Subscription", "Tindrel", "Tindrel Works", "glaze", 2490,
			1330, 0, "month", nil},
		{"SPRIG-OLD", "Sprig mould set, shells & leaves", "Tools/Moulds", "Fernhask", "Fernhask Handwork", "tool", 3950, 2010,
			18, "", []string{"last-season"}},
		{"GIFT-CARD", "=25 gift card <€> 🎁", "Stamps", "", "", "card", 2500, 0, 0, "", nil},
	} {
		p := pricing.Product{SKU: s.sku, Name: s.name, Category: s.category, Brand: s.brand, Supplier: s.supplier,
			Type: s.kind, List: cents(s.list),
			Stock: whole(s.stock), Sold: whole(draw(30, s.sku, "sold")), TaxClass: "standard", Tags: s.tags, Unit: "each"}
		if s.cost > 0 {
			p.Cost = cents(s.cost)
		}
		if s.unit != "" {
			p.Unit = s.unit
		}
		if s.kind == "stamp" {
			p.Options = []pricing.Option{{Code: "engraved-text", Price: *cents(600), Part: "work"}}
		}
		list = append(list, &p)
	}
	return list
}

// inStore is a number that a shop gives its own goods, as GS1 keeps those that begin with 20 for.
func inStore(n int) string {
	digits := fmt.Sprintf("20%010d", n)
	sum := 0
	for i, c := range digits {
		sum += int(c-'0') * (1 + i%2*2)
	}
	return digits + strconv.Itoa((10-sum%10)%10)
}

// PublishedFrom is PublishedAt as an instant of the book's zone.
func PublishedFrom(zone *time.Location) time.Time {
	m, err := pricing.ParseMoment(PublishedAt)
	if err != nil {
		panic(err)
	}
	return m.Instant(zone)
}
