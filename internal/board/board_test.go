package board_test

import (
	"bytes"
	"context"
	"encoding/csv"
	"errors"
	"fmt"
	"math/rand/v2"
	"slices"
	"strconv"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"

	"dogbane/internal/board"
	"dogbane/internal/book"
	"dogbane/internal/book/booktest"
	"dogbane/internal/money"
	"dogbane/internal/pricing"
	"dogbane/internal/pricing/flags"
	"dogbane/internal/pricing/pricingtest"
)

// ten is a book of ten products, named as people and machines name things.
const ten = `{"settings":{"currency":"EUR","timeZone":"UTC","guard":{"minMargin":"20"}},
	"groups":[{"code":"trade","name":"Trade & co"}],"customers":[{"code":"C1","groups":["trade"]}],
	"channels":[{"code":"web","name":"Web <shop>"},{"code":"till","where":{"not":{"sku":"HIDDEN"}}}],
	"products":[
		{"sku":"A","name":"Cup & saucer","category":"Ware/Cups","brand":"Ten","list":"10.00","cost":"5.00","stock":"3","sold":"7"},
		{"sku":"B","name":"Glaze <b>slip</b>","category":"Glazes","list":"20.00","cost":"18.50","stock":"11"},
		{"sku":"C","name":"=1+1","category":"Ware/Cups","list":"4.00","cost":"4.20","sold":"20"},
		{"sku":"D","name":"@SUM(A1)","category":"Ware","list":"8.00"},
		{"sku":"E","name":"طين أبيض","category":"Clay","list":"15.75","cost":"9.00"},
		{"sku":"F","name":"Ton 🏺 roh","category":"Clay/Raw","list":"16.63","cost":"9.00"},
		{"sku":"G","name":"5\" \"brush\", flat","category":"Tools","list":"3.50","cost":"1.00"},
		{"sku":"H","name":"O'Brien; DROP TABLE items","category":"Tools/Fine","cost":"2.00"},
		{"sku":"HIDDEN","name":"-hidden","category":"Tools","list":"2.00","cost":"1.00"},
		{"sku":"Z & \"Z\"","name":"","list":"100.00","cost":"60.00"}],
	"rules":[
		{"code":"CLAY","name":"Clay week","layer":"sale","rank":1,"where":{"category":"Clay"},"effect":{"percentOff":"10"}},
		{"code":"TRADE","layer":"group","rank":1,"where":{"all":[]},"audience":{"groups":["trade"]},"effect":{"percentOff":"20"}},
		{"code":"TWELVE","layer":"tier","rank":1,"where":{"sku":"G"},"breaks":[{"from":12,"setPrice":"3.00"}]},
		{"code":"LATER","layer":"promotion","rank":1,"where":{"sku":"A"},"window":{"from":"2026-12-01T00:00"},"effect":{"setPrice":"9.00"}}]}`

var noon = pricing.MomentOf(time.Date(2026, 11, 26, 12, 0, 0, 0, time.UTC))

// boards make boards of a book of which a channel shows some prices.
func boards(t *testing.T, shown map[string]string) *board.Boards {
	t.Helper()
	nobody := book.NewBuyers(func(context.Context, string, book.Bought) (book.Bought, error) { return book.Bought{}, nil })
	return board.New(board.NewSweeps(), nobody,
		func(_ context.Context, snap *book.Snapshot, channel string, digits int) (board.Prices, error) {
			if channel == "till" {
				return nil, errors.New("the till's past is lost")
			}
			return func(p int32) (int64, bool) {
				text, known := shown[snap.Engine.Products()[p].SKU]
				if !known {
					return 0, false
				}
				return money.MustParse(text).Minor(digits, money.HalfUp)
			}, nil
		})
}

func web() board.Filter {
	return board.Filter{Viewpoint: pricing.Viewpoint{Channel: "web", At: noon, Quantity: 1}}
}

func look(t *testing.T, f board.Filter, by board.Order) *board.View {
	t.Helper()
	v, err := boards(t, map[string]string{"A": "10.00", "B": "19.00", "E": "16.00"}).
		Look(t.Context(), booktest.Snapshot(t, booktest.Read(t, ten)), f, by)
	require.NoError(t, err)
	return v
}

func skus(t *testing.T, v *board.View) string {
	t.Helper()
	page, err := v.Page(0, 100, "")
	require.NoError(t, err)
	require.Equal(t, len(v.Products), page.Total)
	var list []string
	for _, r := range page.Rows {
		list = append(list, r.SKU)
	}
	return strings.Join(list, " ")
}

// Rows stand in the order asked for, by the bytes of texts and the value of numbers; what is missing comes last in either
// direction.
func TestOrders(t *testing.T) {
	for key, want := range map[string][2]string{
		"sku":           {"A B C D E F G H HIDDEN Z", "Z HIDDEN H G F E D C B A"},
		"name":          {"Z HIDDEN G C D A B H F E", "E F H B A D C G HIDDEN Z"},
		"category":      {"Z E F B G HIDDEN H D A C", "C A D H HIDDEN G B F E Z"},
		"list":          {"HIDDEN G C D A E F B Z H", "Z B F E A D C G HIDDEN H"},
		"price":         {"HIDDEN G C D A E F B Z H", "Z B F E A D C G HIDDEN H"},
		"margin-amount": {"C HIDDEN B G A E F Z H D", "Z F E A G B HIDDEN C H D"},
		"margin":        {"C B E F Z", "G"},
		"stock":         {"A B", "B A"},
		"sold":          {"A C", "C A"},
		"change":        {"E A B", "B A E"},
	} {
		for i, desc := range []bool{false, true} {
			got := strings.ReplaceAll(skus(t, look(t, web(), board.Order{Key: key, Desc: desc})), `Z & "Z"`, "Z")
			require.True(t, strings.HasPrefix(got, want[i]), "%s desc=%v: %s", key, desc, got)
			require.Len(t, strings.Fields(got), 10)
		}
	}
}

// Every filter keeps what it says and nothing else; what cannot be read is an error at its place.
func TestFilters(t *testing.T) {
	for what, c := range map[string]struct {
		set  func(f *board.Filter)
		want string
	}{
		"words":          {func(f *board.Filter) { f.Words = "  TOOLS o'brien " }, "H"},
		"right to left":  {func(f *board.Filter) { f.Words = "أبيض" }, "E"},
		"brand":          {func(f *board.Filter) { f.Words = "ten" }, "A"},
		"category":       {func(f *board.Filter) { f.Category = "Ware" }, "D A C"},
		"reduced":        {func(f *board.Filter) { f.Show = "reduced" }, "E F"},
		"changed":        {func(f *board.Filter) { f.Show = "changed" }, `Z & "Z" E F B G HIDDEN D C`},
		"below cost":     {func(f *board.Filter) { f.Show = "below-cost" }, "C"},
		"no price":       {func(f *board.Filter) { f.Show = "no-price" }, "H"},
		"rule":           {func(f *board.Filter) { f.Rule = "CLAY" }, "E F"},
		"unknown rule":   {func(f *board.Filter) { f.Rule = "NONE" }, ""},
		"margin under 0": {func(f *board.Filter) { f.Margin = ":0" }, "C"},
		"margin span":    {func(f *board.Filter) { f.Margin = "40:50" }, `Z & "Z"`},
		"change":         {func(f *board.Filter) { f.Change = "-20:-5" }, "E"},
		"both":           {func(f *board.Filter) { f.Category, f.Words = "Tools", "fine" }, "H"},
		"against a list": {func(f *board.Filter) { f.Against, f.Change = "list", "-10:0" }, "E F"},
		"against a day":  {func(f *board.Filter) { f.Against, f.Show = "at:2026-12-02T00:00", "changed" }, "A"},
		"against trade":  {func(f *board.Filter) { f.Against, f.Change = "who:group:trade", "25:25.1" }, `Z & "Z" E F B G HIDDEN D A C`},
	} {
		f := web()
		c.set(&f)
		require.Equal(t, c.want, skus(t, look(t, f, board.Order{})), what)
	}
	snap := booktest.Snapshot(t, booktest.Read(t, ten))
	for path, set := range map[string]func(f *board.Filter){
		"margin":  func(f *board.Filter) { f.Margin = "five" },
		"against": func(f *board.Filter) { f.Against = "yesterday" },
		"who":     func(f *board.Filter) { f.Against = "who:nobody" },
		"channel": func(f *board.Filter) { f.Viewpoint.Channel = "moon" },
	} {
		f := web()
		set(&f)
		_, err := boards(t, nil).Look(t.Context(), snap, f, board.Order{})
		var q *pricing.QuestionError
		require.ErrorAs(t, err, &q, path)
		require.Equal(t, path, q.Path)
	}
	_, err := boards(t, nil).Look(t.Context(), snap, board.Filter{Viewpoint: pricing.Viewpoint{Channel: "till", At: noon}}, board.Order{})
	require.ErrorContains(t, err, "the till's past is lost")
}

// five is a book with tags that come and go with rules, goods that no rule reaches, and a channel that keeps a third.
const five = `{"settings":{"currency":"EUR","timeZone":"UTC"},
	"channels":[{"code":"web"},{"code":"fair","name":"Fair & square","fee":{"percent":"33"}}],
	"campaigns":[{"code":"ASLEEP","status":"off"}],
	"products":[
		{"sku":"A","tags":["daily"],"list":"10.00","cost":"6.50","stock":"3","sold":"7"},
		{"sku":"B","tags":["daily"],"list":"10.00","cost":"2.00","stock":"0.5","sold":"11"},
		{"sku":"C","list":"10.00","cost":"9.50","stock":"10"},
		{"sku":"D","tags":["<new>, & more"],"list":"10.00","cost":"9.00"},
		{"sku":"E","list":"10.00","cost":"5.00","sold":"0"}],
	"rules":[
		{"code":"TAGGED","layer":"sale","rank":1,"where":{"sku":"A"},"effect":{"percentOff":"10"},"liveTags":{"add":["week & end"],"remove":["daily"]}},
		{"code":"LATER","layer":"promotion","rank":1,"where":{"sku":"B"},"window":{"from":"2026-12-01T00:00"},"effect":{"setPrice":"9.00"},"liveTags":{"add":["week & end"]}},
		{"code":"OVER","layer":"promotion","rank":2,"where":{"sku":"C"},"window":{"to":"2026-11-01T00:00"},"effect":{"setPrice":"9.00"}},
		{"code":"DRAFT","layer":"promotion","rank":3,"status":"draft","where":{"all":[]},"effect":{"setPrice":"9.00"}},
		{"code":"SLEEPS","layer":"promotion","rank":4,"campaign":"ASLEEP","where":{"all":[]},"effect":{"setPrice":"9.00"}}]}`

// What somebody looks for can be said in several ways at once; each narrows.
func TestFiltersTogether(t *testing.T) {
	snap := booktest.Snapshot(t, booktest.Read(t, five))
	boards := boards(t, nil)
	for what, c := range map[string]struct {
		set  func(f *board.Filter)
		want string
	}{
		"a thin margin here":          {func(f *board.Filter) { f.Margin = ":10" }, "C"},
		"or anywhere":                 {func(f *board.Filter) { f.Margin, f.AnyMargin = ":10", true }, "A C D"},
		"in no channel":               {func(f *board.Filter) { f.Margin, f.AnyMargin, f.Viewpoint.Channel = ":10", true, "" }, "A C D"},
		"in stock":                    {func(f *board.Filter) { f.Stock = "0.5:3" }, "A B"},
		"much of it":                  {func(f *board.Filter) { f.Stock = "3.0001:" }, "C"},
		"unsold":                      {func(f *board.Filter) { f.Sold = ":0" }, "E"},
		"a rule makes the price":      {func(f *board.Filter) { f.Reach = board.Changed }, "A"},
		"none does":                   {func(f *board.Filter) { f.Reach = board.Unchanged }, "B C D E"},
		"none ever will":              {func(f *board.Filter) { f.Reach = board.Unselected }, "C D E"},
		"a tag of its own":            {func(f *board.Filter) { f.Tags = []string{"<new>, & more"} }, "D"},
		"a tag that a rule takes off": {func(f *board.Filter) { f.Tags = []string{"daily"} }, "B"},
		"a tag while a rule is live":  {func(f *board.Filter) { f.Tags = []string{"week & end"} }, "A"},
		"once it is":                  {func(f *board.Filter) { f.Tags, f.Viewpoint.At = []string{"week & end"}, noon+30*pricing.Day }, "A B"},
		"one of two tags":             {func(f *board.Filter) { f.Tags = []string{"week & end", "daily"} }, "A B"},
		"the first two":               {func(f *board.Filter) { f.First = 2 }, "A B"},
		"more than there are":         {func(f *board.Filter) { f.First = 99 }, "A B C D E"},
		"several":                     {func(f *board.Filter) { f.Reach, f.Margin, f.Stock = board.Unselected, ":50.1", ":20" }, "C"},
	} {
		f := web()
		c.set(&f)
		v, err := boards.Look(t.Context(), snap, f, board.Order{Key: "sku"})
		require.NoError(t, err, what)
		require.Equal(t, c.want, skus(t, v), what)
		require.Equal(t, len(v.Products), v.Histograms().Total, what)
	}
	f := web()
	f.First = 2
	v, err := boards.Look(t.Context(), snap, f, board.Order{Key: "margin"})
	require.NoError(t, err)
	require.Equal(t, "C D", skus(t, v), "the first of the order asked for")
	v, err = boards.Look(t.Context(), snap, f, board.Order{Key: "change", Desc: true})
	require.NoError(t, err)
	require.Len(t, v.Products, 2)

	f = web()
	f.Margin, f.AnyMargin = ":100", true
	v, err = boards.Look(t.Context(), snap, f, board.Order{Key: "sku"})
	require.NoError(t, err)
	page, err := v.Page(0, 1, "")
	require.NoError(t, err)
	require.Equal(t, &board.Least{Channel: "fair", Margin: "-5.2"}, page.Rows[0].Least, "9.00 less 33 % less 6.50 is −0.47")
	var out bytes.Buffer
	require.NoError(t, v.WriteCSV(&out, "", true))
	records := strings.Split(out.String(), "\r\n")
	require.True(t, strings.HasSuffix(records[0], ";Thinnest margin %;Thinnest in"))
	require.True(t, strings.HasSuffix(records[1], ";-5,2;fair"), records[1])
	for path, set := range map[string]func(f *board.Filter){
		"stock":  func(f *board.Filter) { f.Stock = "many" },
		"sold":   func(f *board.Filter) { f.Sold = "1:2:3" },
		"change": func(f *board.Filter) { f.Change = "x" },
		"reach":  func(f *board.Filter) { f.Reach = "far" },
	} {
		f := web()
		set(&f)
		_, err := boards.Look(t.Context(), snap, f, board.Order{})
		var q *pricing.QuestionError
		require.ErrorAs(t, err, &q, path)
		require.Equal(t, path, q.Path)
	}
}

// A row says what its price is, what it is compared with, and which trouble marks it.
func TestRows(t *testing.T) {
	page, err := look(t, web(), board.Order{Key: "sku"}).Page(0, 100, "")
	require.NoError(t, err)
	require.Equal(t, "EUR", page.Currency)
	rows := map[string]board.Row{}
	for _, r := range page.Rows {
		rows[r.SKU] = r
	}
	e := rows["E"]
	require.Equal(t, []string{"15.75", "14.18", "16.00", "-1.82", "5.18", "36.5"},
		[]string{*e.List, *e.Price, *e.Against, *e.Change, *e.Amount, *e.Margin})
	require.Equal(t, []board.RuleMark{{Code: "CLAY", Name: "Clay week", Layer: "sale"}}, e.Rules)
	require.Equal(t, []string{"15.75", "14.18", "14.18", "14.18", "14.18"}, e.After)
	for sku, want := range map[string][]flags.Kind{"A": {}, "B": {flags.ThinMargin}, "C": {flags.BelowCost}, "D": {flags.NoCost}, "H": {flags.NoPrice}} {
		require.Equal(t, want, rows[sku].Flags, sku)
	}
	require.Nil(t, rows["H"].Price)
	require.Nil(t, rows["F"].Against)
	page, err = look(t, web(), board.Order{Key: "sku"}).Page(8, 5, "")
	require.NoError(t, err)
	require.Len(t, page.Rows, 2, "the last page is short")
	page, err = look(t, web(), board.Order{}).Page(80, 5, "")
	require.NoError(t, err)
	require.Empty(t, page.Rows)
}

// Prices spread over something are those that a board from there shows.
func TestSpread(t *testing.T) {
	v := look(t, web(), board.Order{Key: "sku"})
	for by, want := range map[string][]string{
		"group": {"", "group:trade"}, "channel": {"web", "till"}, "quantity": {"1", "12"},
		"changes": {noon.String(), "2026-12-01T00:00"}, "": nil,
	} {
		page, err := v.Page(0, 100, by)
		require.NoError(t, err)
		var keys []string
		for _, c := range page.Columns {
			keys = append(keys, c.Key)
		}
		require.Equal(t, want, keys, by)
		for _, r := range page.Rows {
			require.Len(t, r.Spread, len(want))
		}
	}
	page, err := v.Page(0, 100, "quantity")
	require.NoError(t, err)
	require.Equal(t, []string{"3.50", "3.00"}, []string{*page.Rows[6].Spread[0], *page.Rows[6].Spread[1]})
	page, err = v.Page(0, 100, "channel")
	require.NoError(t, err)
	require.Nil(t, page.Rows[8].Spread[1], "the till does not list it")
	_, err = v.Page(0, 1, "moods")
	require.Error(t, err)
}

// Histograms count each product with a value once, in the bin that its value belongs to.
func TestHistograms(t *testing.T) {
	h := look(t, web(), board.Order{}).Histograms()
	require.Equal(t, 10, h.Total)
	counted := 0
	for _, n := range h.Margin.Counts {
		counted += n
	}
	require.Equal(t, 8, counted, "D has no cost, H no price")
	require.Equal(t, []int{0, 1, 1, 0}, h.Margin.Counts[:4], "−5 % and 7.5 %")
	require.Equal(t, -20, h.Margin.From)
	require.Equal(t, "36.3", *h.Margin.Mean)
	change := 0
	for _, n := range h.Change.Counts {
		change += n
	}
	require.Equal(t, 2, change, "B and E moved; what did not is no change")
	empty := web()
	empty.Words = "nothing is called this"
	h = look(t, empty, board.Order{}).Histograms()
	require.Zero(t, h.Total)
	require.Nil(t, h.Margin.Mean)
}

// A category counts itself and all below it; the whole catalogue counts everything.
func TestCategories(t *testing.T) {
	snap := booktest.Snapshot(t, booktest.Read(t, ten))
	list, err := boards(t, nil).Categories(snap, web().Viewpoint)
	require.NoError(t, err)
	var told []string
	for _, c := range list {
		margin := "–"
		if c.Margin != nil {
			margin = *c.Margin
		}
		told = append(told, fmt.Sprintf("%s %d %d %d %s", c.Path, c.Depth, c.Count, c.Flags, margin))
	}
	require.Equal(t, []string{" 0 10 2 36.3", "Clay 1 2 0 38.2", "Clay/Raw 2 1 0 39.9", "Glazes 1 1 0 7.5", "Tools 1 3 1 60.7",
		"Tools/Fine 2 1 1 –", "Ware 1 3 1 22.5", "Ware/Cups 2 2 1 22.5"}, told)
}

// What goes out as CSV comes back as it stood on the board; a text that a spreadsheet would run is disarmed, numbers are
// written as asked.
func TestExportOfCSV(t *testing.T) {
	v := look(t, web(), board.Order{Key: "sku"})
	page, err := v.Page(0, 100, "group")
	require.NoError(t, err)
	for _, comma := range []bool{false, true} {
		var out bytes.Buffer
		require.NoError(t, v.WriteCSV(&out, "group", comma))
		r := csv.NewReader(&out)
		if comma {
			r.Comma = ';'
		}
		records, err := r.ReadAll()
		require.NoError(t, err)
		require.Len(t, records, 11)
		require.Equal(t, []string{"everyone", "Trade & co"}, records[0][len(records[0])-2:])
		for i, record := range records[1:] {
			row := page.Rows[i]
			name := row.Name
			if name != "" && strings.ContainsRune("=+-@", rune(name[0])) {
				name = "'" + name
			}
			require.Equal(t, []string{row.SKU, name, row.Category}, record[:3])
			price := ""
			if row.Price != nil {
				price = *row.Price
			}
			if comma {
				price = strings.Replace(price, ".", ",", 1)
			}
			require.Equal(t, price, record[4], row.SKU)
		}
	}
}

// A spreadsheet holds texts as texts and numbers as numbers.
func TestExportOfXLSX(t *testing.T) {
	v := look(t, web(), board.Order{Key: "sku"})
	var out bytes.Buffer
	require.NoError(t, v.WriteXLSX(&out, "quantity"))
	f, err := excelize.OpenReader(&out)
	require.NoError(t, err)
	defer f.Close()
	rows, err := f.GetRows("Sheet1")
	require.NoError(t, err)
	require.Len(t, rows, 11)
	require.Equal(t, "=1+1", rows[3][1])
	formula, err := f.GetCellFormula("Sheet1", "B4")
	require.NoError(t, err)
	require.Empty(t, formula, "a text is no formula")
	kind, err := f.GetCellType("Sheet1", "E2")
	require.NoError(t, err)
	require.NotContains(t, []excelize.CellType{excelize.CellTypeSharedString, excelize.CellTypeInlineString}, kind)
	price, err := strconv.ParseFloat(rows[1][4], 64)
	require.NoError(t, err)
	require.InDelta(t, 10, price, 0)
}

// Over books that nobody thought of: the board's prices are what the engine answers one by one, orders lose nothing,
// spans cut the board into parts that make the whole, and categories add up.
func TestRandomBoards(t *testing.T) {
	rounds := 60
	if testing.Short() {
		rounds = 15
	}
	for seed := range uint64(rounds) {
		rng := rand.New(rand.NewPCG(seed, 10))
		b := pricingtest.Book(rng)
		snap := booktest.Snapshot(t, b)
		boards := boards(t, nil)
		vp := pricingtest.Viewpoint(rng, b)
		vp.Channel = "web"
		v, err := boards.Look(t.Context(), snap, board.Filter{Viewpoint: vp}, board.Order{Key: "price"})
		require.NoError(t, err)
		page, err := v.Page(0, 500, "")
		require.NoError(t, err)
		last := money.Rat{}
		for i, row := range page.Rows {
			a, err := snap.Engine.Price(pricing.Question{Viewpoint: vp, SKU: row.SKU})
			require.NoError(t, err)
			require.Equal(t, a.Unit == nil, row.Price == nil, "seed %d %s", seed, row.SKU)
			if a.Unit == nil {
				continue
			}
			require.Equal(t, a.Unit.Fixed(a.Digits), *row.Price, "seed %d %s", seed, row.SKU)
			require.False(t, i > 0 && a.Unit.Less(last), "seed %d: rows stand by price", seed)
			last = *a.Unit
		}
		for _, key := range []string{"sku", "name", "list", "margin", "margin-amount", "change", "stock", "sold"} {
			for _, desc := range []bool{false, true} {
				other, err := boards.Look(t.Context(), snap, board.Filter{Viewpoint: vp}, board.Order{Key: key, Desc: desc})
				require.NoError(t, err)
				a, b := slices.Clone(v.Products), slices.Clone(other.Products)
				slices.Sort(a)
				slices.Sort(b)
				require.Equal(t, a, b, "seed %d %s", seed, key)
			}
		}
		parts := 0
		for _, span := range []string{":10", "10:35.5", "35.5:"} {
			part, err := boards.Look(t.Context(), snap, board.Filter{Viewpoint: vp, Margin: span}, board.Order{})
			require.NoError(t, err)
			parts += len(part.Products)
		}
		counted := 0
		for _, n := range v.Histograms().Margin.Counts {
			counted += n
		}
		require.Equal(t, counted, parts, "seed %d", seed)
		count := func(set func(f *board.Filter)) int {
			f := board.Filter{Viewpoint: vp}
			set(&f)
			v, err := boards.Look(t.Context(), snap, f, board.Order{})
			require.NoError(t, err)
			return len(v.Products)
		}
		ruled, bareOfRules := count(func(f *board.Filter) { f.Reach = board.Changed }), 0
		for _, row := range page.Rows {
			if len(row.Rules) == 0 {
				bareOfRules++
			}
		}
		require.Equal(t, len(b.Products)-bareOfRules, ruled, "seed %d", seed)
		require.Equal(t, bareOfRules, count(func(f *board.Filter) { f.Reach = board.Unchanged }), "seed %d", seed)
		list, err := boards.Categories(snap, vp)
		require.NoError(t, err)
		require.Equal(t, len(b.Products), list[0].Count)
		top := 0
		for _, c := range list[1:] {
			if c.Depth == 1 {
				top += c.Count
			}
		}
		bare := 0
		for i := range b.Products {
			if b.Products[i].Category == "" {
				bare++
			}
		}
		require.Equal(t, len(b.Products), top+bare, "seed %d", seed)
	}
}

// Many who ask for one board at once have it worked out once; a question that has no answer has none for all.
func TestSweepsAreSharedAndKept(t *testing.T) {
	snap := booktest.Snapshot(t, booktest.Read(t, ten))
	sweeps := board.NewSweeps()
	var all sync.WaitGroup
	found := make([]*board.Sweep, 16)
	for i := range found {
		all.Go(func() {
			sw, err := sweeps.Of(snap, web().Viewpoint)
			if err == nil {
				found[i] = sw
			}
		})
	}
	all.Wait()
	for _, sw := range found {
		require.Same(t, found[0], sw)
	}
	for range 2 {
		_, err := sweeps.Of(snap, pricing.Viewpoint{Channel: "moon", At: noon})
		var q *pricing.QuestionError
		require.ErrorAs(t, err, &q)
	}
}

// The values that selections can name are those of the book, each once, categories with those in between.
func TestFacets(t *testing.T) {
	f := board.FacetsOf(booktest.Read(t, ten))
	require.Equal(t, []string{"Clay", "Clay/Raw", "Glazes", "Tools", "Tools/Fine", "Ware", "Ware/Cups"}, f.Categories)
	require.Equal(t, []string{"Ten"}, f.Brands)
	require.Equal(t, []string{"EUR"}, f.Currencies)
}
