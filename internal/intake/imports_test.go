package intake_test

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"dogbane/internal/agreed"
	"dogbane/internal/book"
	"dogbane/internal/book/booktest"
	"dogbane/internal/checks"
	"dogbane/internal/clock"
	"dogbane/internal/intake"
	"dogbane/internal/pricing"
)

// kept keeps in memory what imports bring beside the book.
type kept struct {
	matched map[string]intake.Matched
	sales   map[int64][]intake.SoldLine
	entries map[int64]int64
	days    []intake.RateDay
	fails   error // of keeping sales
}

func newKept() *kept {
	return &kept{matched: map[string]intake.Matched{}, sales: map[int64][]intake.SoldLine{}, entries: map[int64]int64{}}
}

func (k *kept) Mapping(_ context.Context, kind string, headers []string) (*intake.Matched, error) {
	if m, known := k.matched[kind+strings.Join(headers, "|")]; known {
		return &m, nil
	}
	return nil, nil
}

func (k *kept) KeepMapping(_ context.Context, kind string, headers []string, m intake.Matched) error {
	k.matched[kind+strings.Join(headers, "|")] = m
	return nil
}

func (k *kept) each(see func(l intake.SoldLine)) {
	for _, file := range slices.Sorted(maps.Keys(k.sales)) {
		for _, l := range k.sales[file] {
			see(l)
		}
	}
}

func (k *kept) KnownSales(_ context.Context, from, to pricing.Moment) (map[intake.SoldLine]bool, error) {
	known := map[intake.SoldLine]bool{}
	k.each(func(l intake.SoldLine) { known[l] = known[l] || l.Moment >= from && l.Moment <= to })
	return known, nil
}

func (k *kept) SoldUnits(_ context.Context, from, to pricing.Moment) (map[string]int64, error) {
	units := map[string]int64{}
	k.each(func(l intake.SoldLine) {
		units[l.SKU] += 0
		if l.Moment >= from && l.Moment < to {
			units[l.SKU] += int64(l.Quantity)
		}
	})
	return units, nil
}

func (k *kept) AddSales(_ context.Context, file *intake.SalesFile, lines []intake.SoldLine, written func(int)) error {
	if k.fails != nil {
		return k.fails
	}
	file.ID = int64(1 + len(k.sales))
	k.sales[file.ID] = lines
	written(len(lines))
	return nil
}

func (k *kept) DropSales(_ context.Context, file int64) error {
	if k.sales[file] == nil {
		return book.ErrNotFound
	}
	delete(k.sales, file)
	return nil
}

func (k *kept) SetSalesEntry(_ context.Context, file, entry int64) error {
	k.entries[file] = entry
	return nil
}

func (k *kept) KeepRateDays(_ context.Context, days []intake.RateDay) error {
	k.days = append(k.days, days...)
	return nil
}

// desk is where files are brought in, in November 2026.
type desk struct {
	*testing.T
	*intake.Imports
	live   *book.Live
	memory *booktest.Memory
	kept   *kept
}

const shop = `{"settings":{"currency":"EUR","timeZone":"Europe/Amsterdam","rates":{"GBP":"1.15","USD":"0.9"}},"channels":[{"code":"web"}],
	"customers":[{"code":"C-1","name":"Müller & Co"}],
	"products":[{"sku":"A","name":"Cup & saucer","list":"10.00","stock":"4","sold":"9"},{"sku":"B","list":"20.00"},{"sku":"C","list":"30.00","sold":"1"}]}`

func open(t *testing.T) *desk {
	live, memory := booktest.Live(t, booktest.Read(t, shop))
	now := func() time.Time { return time.Date(2026, 11, 26, 11, 0, 0, 0, time.UTC) }
	k := newKept()
	ticks := now()
	machine := func() time.Time { ticks = ticks.Add(time.Second); return ticks }
	return &desk{t, intake.NewImports(k, live, clock.Clocks{Book: now, Machine: machine}), live, memory, k}
}

func (d *desk) read(kind, text string) intake.Preview {
	d.Helper()
	p, err := d.ReadFile(d.Context(), "maren", kind, kind+".csv", []byte(text))
	require.NoError(d, err)
	return p
}

func (d *desk) carryOut(p intake.Preview) (book.Entry, error) {
	d.Helper()
	plan, preview, err := d.Ready(d.Context(), "maren", p.Token, &intake.Matching{Mapping: p.Mapping, Format: &p.Format})
	if err != nil {
		return book.Entry{}, err
	}
	require.NoError(d, d.Remember(d.Context(), &preview))
	return d.CarryOut(d.Context(), plan, intake.Carrying{File: p.File, Who: "maren", Tell: func(string, int, int) {}})
}

func (d *desk) sold(sku string) string {
	if n := d.live.Current().Product(sku).Sold; n != nil {
		return n.String()
	}
	return "–"
}

// Sales are kept once, however often their file comes; units of the last thirty days are counted into the book; taking
// the file back takes both back.
func TestSalesComeInAndGo(t *testing.T) {
	d := open(t)
	file := "date;sku;qty;customer;paid\n2026-11-20 10:00;A;2;C-1;19,00\n2026-11-25 23:59;A;3;;\n2026-09-01;B;50;GONE;1,00\n2026-11-20 10:00;B;1;;\n"
	p := d.read("sales", file)
	require.Empty(t, p.Problem)
	require.Equal(t, []int{4, 0, 0}, []int{p.New, p.Unchanged, p.BadCount})
	entry, err := d.carryOut(p)
	require.NoError(t, err)
	require.Equal(t, []string{"5", "1", "1"}, []string{d.sold("A"), d.sold("B"), d.sold("C")},
		"what was never sold keeps its count")
	require.Equal(t, "4", d.live.Current().Product("A").Stock.String(), "stock is no matter of sales")
	require.Equal(t, entry.ID, d.kept.entries[1])
	again := d.read("sales", file)
	require.Equal(t, []int{0, 4}, []int{again.New, again.Unchanged})
	_, err = d.carryOut(again)
	require.ErrorIs(t, err, intake.ErrNothing)
	more := d.read("sales", file+"2026-11-21;C;7;;\n")
	require.Equal(t, []int{1, 4}, []int{more.New, more.Unchanged})
	_, err = d.carryOut(more)
	require.NoError(t, err)
	require.Equal(t, "7", d.sold("C"))
	_, err = d.DropSales(t.Context(), 1, "maren", false)
	require.NoError(t, err)
	require.Equal(t, []string{"–", "–", "7"}, []string{d.sold("A"), d.sold("B"), d.sold("C")})
	_, err = d.DropSales(t.Context(), 1, "maren", false)
	require.ErrorIs(t, err, book.ErrNotFound)
}

// One bad row keeps a whole file of sales out, named by its line; so does a channel or a day that cannot be.
func TestBadSales(t *testing.T) {
	d := open(t)
	p := d.read("sales", "date,sku,qty,channel\n2026-11-20,A,2,web\n2026-11-20,A,-2,web\n2026-11-20,A,1.5,web\n2026-11-20,,1,web\n2036-11-20,A,1,web\n2026-02-30,A,1,web\n2026-11-20,A,1,moon\n")
	var lines []int
	for _, b := range p.Bad {
		lines = append(lines, b.Line)
		require.NotEmpty(t, b.Problem)
	}
	require.Equal(t, []int{3, 4, 5, 6, 7, 8}, lines)
	_, err := d.carryOut(p)
	var invalid *book.InvalidError
	require.ErrorAs(t, err, &invalid)
	require.Empty(t, d.kept.sales)
}

// What cannot be kept leaves nothing: neither sales without their count nor a count without its sales.
func TestAnImportThatFailsLeavesNothing(t *testing.T) {
	d := open(t)
	d.kept.fails = errors.New("the disk is full")
	_, err := d.carryOut(d.read("sales", "date,sku,qty\n2026-11-20,A,2\n"))
	require.ErrorContains(t, err, "the disk is full")
	require.Equal(t, "9", d.sold("A"))
	d.kept.fails = nil
	d.memory.Checks = []checks.Pinned{{ID: 1, Name: "A",
		Doc: `{"price":{"sku":"A","at":"2026-11-26T12:00"},"is":{"list":"10.00"}}`}}
	p := d.read("products", "sku,list price\nA,11.00\n")
	_, err = d.carryOut(p)
	var broken *checks.BrokenError
	require.ErrorAs(t, err, &broken)
	require.Equal(t, "10", d.live.Current().Product("A").List.String())
}

// Agreed prices are previewed against what was agreed, and make the customer's rule; a customer or goods unknown are
// bad rows.
func TestAgreedPricesComeIn(t *testing.T) {
	d := open(t)
	p := d.read("agreed", "customer;sku;price\nC-1;A;9,50\nC-1;B;19,00\n")
	require.Equal(t, []int{2, 0, 0}, []int{p.New, p.Changed, p.Unchanged})
	_, err := d.carryOut(p)
	require.NoError(t, err)
	list, err := agreed.Of(d.live.Current(), "C-1", 0)
	require.NoError(t, err)
	require.Equal(t, []string{"9.50", "19.00"}, []string{*list.Prices[0].Pays, *list.Prices[1].Pays})
	p = d.read("agreed", "customer;sku;price\nC-1;A;9,50\nC-1;B;18,00\nC-1;C;1,00\n")
	require.Equal(t, []int{1, 1, 1}, []int{p.New, p.Changed, p.Unchanged})
	require.True(t, p.Remembered, "columns that were matched once are matched again")
	require.Equal(t, "19.00", p.Changes[0].Changes[0].Was)
	bad := d.read("agreed", "customer;sku;price\nnobody;A;9,50\nC-1;NONE;1\nC-1;A;cheap\nC-1;A;1\nC-1;A;2\n")
	require.Equal(t, 5, bad.BadCount, "%+v", bad.Bad)
	require.Equal(t, "is not a number such as 19,99 or 1.234,56", bad.Bad[2].Problem,
		"CHE is a currency, “cheap” is not in it")
}

// Rates come with the day that they are of; the book's own currency and what is no currency are none.
func TestRatesComeIn(t *testing.T) {
	d := open(t)
	p := d.read("rates", "Currency,Rate,Day\nGBP,1.17,2026-11-25\nUSD,0.9,2026-11-25\nSEK,0.09,\nEUR,1,\n")
	require.Equal(t, []int{1, 1, 1}, []int{p.New, p.Changed, p.Unchanged})
	_, err := d.carryOut(p)
	require.NoError(t, err)
	var rates []string
	for _, c := range slices.Sorted(maps.Keys(d.live.Current().Book.Settings.Rates)) {
		rates = append(rates, c+" "+d.live.Current().Book.Settings.Rates[c].String())
	}
	require.Equal(t, []string{"GBP 1.17", "SEK 0.09", "USD 0.9"}, rates)
	var days []string
	for _, day := range d.kept.days {
		days = append(days, day.Currency+" "+day.Day.Format(time.DateOnly))
	}
	require.ElementsMatch(t, []string{"GBP 2026-11-25", "USD 2026-11-25", "SEK 2026-11-26"}, days,
		"without a day it is today's")
	require.Equal(t, 2, d.read("rates", "Currency,Rate\nXYZ,1.17\nGBP,0\n").BadCount)
}

// A number that can be read in two ways is asked about, and read as it was said; a file of the same columns is read
// like that the next time.
func TestWhatCanBeReadInTwoWays(t *testing.T) {
	d := open(t)
	p := d.read("products", "sku;list price\nA;1.234\nB;2.500\n")
	require.Equal(t, "decimal", p.Asks[0].What)
	p.Format.Decimal = "comma"
	_, out, err := d.Preview(t.Context(), "maren", p.Token, &intake.Matching{Mapping: p.Mapping, Format: &p.Format})
	require.NoError(t, err)
	require.Empty(t, out.Asks)
	require.Equal(t, "1234.00", out.Changes[0].Changes[0].Is)
	_, err = d.carryOut(out)
	require.NoError(t, err)
	next := d.read("products", "sku;list price\nA;1.235\nB;2.500\n")
	require.True(t, next.Remembered)
	require.Equal(t, "1235.00", next.Changes[0].Changes[0].Is)
	other := p.Format
	other.Separator = "comma"
	_, out, err = d.Preview(t.Context(), "maren", p.Token, &intake.Matching{Mapping: p.Mapping, Format: &other})
	require.NoError(t, err)
	require.NotEmpty(t, out.Problem, "with commas between its cells the file has one column")
}

// Cells copied from a spreadsheet are SKU, list price and cost where they name nothing; products that are new are made.
func TestPastedCells(t *testing.T) {
	d := open(t)
	for _, text := range []string{"A\t12.00\t5.00\r\nNEW & 1\t7.00\t3.00",
		"SKU\tList price\tCost\nA\t12.00\t5.00\nNEW & 1\t7.00\t3.00\n", "\n\nA\t12.00\t5.00\nNEW & 1\t7.00\t3.00"} {
		p, err := d.ReadPaste(t.Context(), "maren", text)
		require.NoError(t, err)
		require.Equal(t, []int{1, 1}, []int{p.New, p.Changed}, text)
	}
	_, err := d.ReadPaste(t.Context(), "maren", "")
	require.Error(t, err)
	for text, want := range map[string]map[string]string{
		"A\tCup & <saucer>\t12.00\t5.00\n":                     {"sku": "SKU", "name": "Name", "list": "List price", "cost": "Cost"},
		"A\t€ 12,00\tCup\nNEW\t\tBowl\n":                       {"sku": "SKU", "name": "Name", "list": "List price"},
		"A; Cup, 2 cm; 12,00\nNEW; Bowl; 3,50":                 {"sku": "SKU", "name": "Name", "list": "List price"},
		"A\tCup\tred\t12.00\t5.00\t3.00\tmore":                 {"sku": "SKU", "name": "Name", "list": "List price", "cost": "Cost"},
		"A":                                                    {"sku": "SKU"},
		"A\tApron, 34\" waist\t12.00\nNEW\t\"tidy\" box\t3.00": {"sku": "SKU", "name": "Name", "list": "List price"},
		"A,\"Cup, 2 cm\",12.00\nNEW,Bowl,3.50":                 {"sku": "SKU", "name": "Name", "list": "List price"},
		"Bestellnummer\tBezeichnung\tVK\nA\tTasse\t12.00":      {"sku": "Bestellnummer", "name": "Bezeichnung", "list": "VK"},
	} {
		p, err := d.ReadPaste(t.Context(), "maren", text)
		require.NoError(t, err, text)
		require.Equal(t, want, p.Mapping, text)
		require.Zero(t, p.BadCount, "%s: %v", text, p.Bad)
	}
}

// Each has three files on the shelf, the newest; nobody sees another's, or pushes it out.
func TestTheShelf(t *testing.T) {
	d := open(t)
	var mine []intake.Preview
	for i := range 5 {
		mine = append(mine, d.read("products", fmt.Sprintf("sku,list price\nA,%d.00\n", i+11)))
	}
	for i := range 9 {
		_, err := d.ReadFile(t.Context(), fmt.Sprint("other", i%3), "products", "x.csv", []byte("sku,list price\nA,1.00\n"))
		require.NoError(t, err)
	}
	for i, p := range mine {
		_, _, err := d.Preview(t.Context(), "maren", p.Token, &intake.Matching{Mapping: p.Mapping})
		if i < 2 {
			require.ErrorIs(t, err, intake.ErrGone)
			continue
		}
		require.NoError(t, err, "file %d", i)
		_, _, err = d.Preview(t.Context(), "wout", p.Token, &intake.Matching{Mapping: p.Mapping})
		require.ErrorIs(t, err, intake.ErrGone)
	}
	d.Forget(mine[4].Token)
	_, _, err := d.Preview(t.Context(), "maren", mine[4].Token, &intake.Matching{})
	require.ErrorIs(t, err, intake.ErrGone)
	long, err := d.ReadFile(t.Context(), "maren", "products", strings.Repeat("ü", 500), []byte("sku,list price\nA,1.00\n"))
	require.NoError(t, err)
	require.Len(t, []rune(long.File), 200)
	_, err = d.ReadFile(t.Context(), "maren", "products", "x.zip", []byte("PK\x03\x04 not a spreadsheet"))
	var invalid *book.InvalidError
	require.ErrorAs(t, err, &invalid)
	require.Contains(t, invalid.Problem, "x.zip cannot be read")
}

// A list of SKUs is read in any separator and case; what is no product is named once.
func TestReadSKUs(t *testing.T) {
	b := booktest.Read(t, `{"products":[{"sku":"A-1"},{"sku":"1/4 inch & smaller"},{"sku":"طين"}]}`)
	got := intake.ReadSKUs("a-1; A-1\tNONE,'none' \"NONE\"\n1/4 INCH & smaller\r\nطين|a-1 NONE", b)
	require.Equal(t, intake.SKUList{Known: []string{"A-1", "1/4 inch & smaller", "طين"}, Unknown: []string{"NONE", "none"},
		Twice: 2}, got)
}
