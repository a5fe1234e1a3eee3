package intake

import (
	"bytes"
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"
	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/encoding/unicode"

	"dogbane/internal/demo"
	"dogbane/internal/money"
	"dogbane/internal/pricing"
)

// brought is what a file of products would do, as it is read and matched by itself.
func brought(t *testing.T, data []byte) (*Table, *Comparison, map[string]string) {
	t.Helper()
	table, err := Read(data, nil)
	require.NoError(t, err)
	book := demo.Book(0)
	columns := ProductColumns(book)
	mapping := Match(table.Headers, columns)
	MatchNamed(columns, table.Headers, mapping)
	asks := table.Settle(columns, mapping)
	p, err := Compare(table, mapping, book, present)
	require.NoError(t, err)
	return table, p, asks
}

// A spreadsheet of half of Europe: semicolons, decimal commas, headers in the shop's language, its encoding.
func TestFilesAsTheyReallyCome(t *testing.T) {
	german := "Preisliste Herbst\r\n\r\nArtikelnummer;Bezeichnung;VK-Preis;EK netto;Lagerbestand;Farbe;MwSt\r\nN-1;Töpferscheibe;1.286,41 €;700,5;12;grün;21\r\nN-2;Ton, weiß;9,90 €;;1.000;;9 %\r\n"
	ansi, err := charmap.Windows1252.NewEncoder().String(german)
	require.NoError(t, err)
	wide, err := unicode.UTF16(unicode.LittleEndian, unicode.UseBOM).NewEncoder().String(german)
	require.NoError(t, err)
	big, err := unicode.UTF16(unicode.BigEndian, unicode.UseBOM).NewEncoder().String(german)
	require.NoError(t, err)
	for encoding, data := range map[string]string{UTF8: german, Windows1252: ansi, UTF16: wide, UTF16 + " ": big,
		UTF8 + " ": "\xef\xbb\xbf" + german} {
		table, p, asks := brought(t, []byte(data))
		require.Empty(t, p.Bad, encoding)
		require.Empty(t, asks, encoding)
		require.Equal(t, Format{Encoding: strings.TrimSpace(encoding), Separator: "semicolon", Header: 2, Decimal: Comma},
			table.Format)
		one, two := p.Changes[0].After, p.Changes[1].After
		require.Equal(t, "Töpferscheibe", one.Name, encoding)
		require.Equal(t, []string{"1286.41", "700.5", "12"}, []string{one.List.String(), one.Cost.String(),
			one.Stock.String()})
		require.Equal(t, "grün", one.Attrs["Farbe"].Text, "a column that means nothing else is an attribute")
		require.Equal(t, []string{"9.9", "1000", "Ton, weiß"}, []string{two.List.String(), two.Stock.String(), two.Name})
		require.Equal(t, []string{"standard", "reduced"}, []string{one.TaxClass, two.TaxClass}, "a rate names its tax class")
		require.Equal(t, []int{4, 5}, table.Lines)
	}
	for name, file := range map[string]string{
		"French":  "Référence\tDésignation\tPrix de vente\tPrix d’achat\nN-1\tTour\t1 286,41 €\t700,50 €\n",
		"Dutch":   "Artikelcode;Omschrijving;Verkoopprijs;Inkoopprijs\nN-1;Draaischijf;€ 1.286,41;€ 700,50\n",
		"Swiss":   "Artikel,Name,Preis,EK\nN-1,Scheibe,1'286.41,700.50\n",
		"English": "Item number,Item name,Selling price,Unit cost\nN-1,Wheel,\"1,286.41\",EUR 700.50\n",
		"Polish":  "Indeks|Nazwa|Cena sprzedaży|Cena zakupu\nN-1|Koło|1\u00a0286,41|700,50\n",
		"Spanish": "Referencia;Descripción;PVP;Precio de compra\nN-1;Torno;1.286,41;700,50\n",
		"Italian": "Codice;Descrizione;Prezzo di vendita;Prezzo d'acquisto\nN-1;Tornio;1.286,41;700,50\n",
		"Danish":  "Varenummer;Betegnelse;Udsalgspris;Kostpris\nN-1;Drejeskive;1.286,41;700,50\n",
	} {
		_, p, asks := brought(t, []byte(file))
		require.Empty(t, asks, name)
		require.Empty(t, p.Bad, name)
		require.Len(t, p.Changes, 1, name)
		require.Equal(t, []string{"1286.41", "700.5"}, []string{p.Changes[0].After.List.String(),
			p.Changes[0].After.Cost.String()}, name)
		require.NotEmpty(t, p.Changes[0].After.Name, name)
	}
}

// What could be read in two ways is asked; once it is said, the file reads.
func TestWhatIsAmbiguousIsAsked(t *testing.T) {
	table, p, asks := brought(t, []byte("sku,list\nN-1,\"1,234\"\nN-2,5\n"))
	require.Equal(t, map[string]string{"decimal": "1,234"}, asks)
	require.Equal(t, "can be read in two ways; say above which mark comes before the decimals", p.Bad[0].Problem)
	for mark, want := range map[string]string{Point: "1234", Comma: "1.234"} {
		table.Format.Decimal = mark
		p, err := Compare(table, Match(table.Headers, ProductColumns(demo.Book(0))), demo.Book(0), present)
		require.NoError(t, err)
		require.Empty(t, p.Bad)
		require.Equal(t, want, p.Changes[0].After.List.String())
	}
	_, _, asks = brought(t, []byte("sku;list\nN-1;1,234\nN-2;5,50\n"))
	require.Empty(t, asks, "another row says")
	_, _, asks = brought(t, []byte("sku,list\nN-1,5\nN-2,12345.678\n"))
	require.Empty(t, asks)

	book := demo.Book(0)
	now := pricing.MomentOf(time.Date(2026, 11, 26, 9, 0, 0, 0, time.UTC))
	sales := func(dates ...string) (map[string]string, []Sale, []BadCell) {
		table, err := ReadText([]byte("date,sku,qty\n"+strings.Join(dates, ",BAT-30,1\n")+",BAT-30,1\n"), nil)
		require.NoError(t, err)
		mapping := Match(table.Headers, SaleColumns)
		asks := table.Settle(SaleColumns, mapping)
		list, bad, err := ReadSales(table, mapping, book, now)
		require.NoError(t, err)
		return asks, list, bad
	}
	asks, list, bad := sales("3/4/2026", "5/6/2026")
	require.Equal(t, map[string]string{"dates": "3/4/2026"}, asks)
	require.Empty(t, list)
	require.Len(t, bad, 2)
	for _, tc := range [][2]string{{"13/4/2026 9:05", "2026-04-13T09:05"}, {"4/13/2026 9:05 PM", "2026-04-13T21:05"},
		{"13.4.26", "2026-04-13T00:00"}, {"2026-04-13 09:05:30", "2026-04-13T09:05:30"},
		{"2026-04-13T09:05:30Z", "2026-04-13T09:05:30"}, {"03.04.2026 10.30 Uhr", "2026-04-03T10:30"}} {
		asks, list, bad := sales(tc[0])
		require.Empty(t, asks, tc[0])
		require.Empty(t, bad, tc[0])
		require.Equal(t, tc[1], list[0].At.String())
	}
	for _, wrong := range []string{"0001-01-01", "9999-12-31", "1969-12-31", "31.2.2026", "13/13/2026", "2026-04-13 25:00",
		"tomorrow", "2026"} {
		_, list, bad := sales(wrong)
		require.Empty(t, list, wrong)
		require.Len(t, bad, 1, wrong)
	}
}

// Whatever number is written in whatever way, it reads as that number.
func TestNumbersReadAsTheyWereWritten(t *testing.T) {
	rng := rand.New(rand.NewPCG(3, 1))
	group := func(whole, mark string) string {
		out := ""
		for i, c := range whole {
			if i > 0 && (len(whole)-i)%3 == 0 {
				out += mark
			}
			out += string(c)
		}
		return out
	}
	for range 4000 {
		whole := fmt.Sprint(rng.IntN([]int{10, 1000, 100_000, 1_000_000_000}[rng.IntN(4)]))
		decimals := fmt.Sprintf("%0*d", 1+rng.IntN(4), rng.IntN(10))
		want := money.MustParse(whole + "." + decimals)
		decimal := []string{Point, Comma}[rng.IntN(2)]
		mark, marks := ".", []string{"", ",", "'", " ", "\u00a0"}
		if decimal == Comma {
			mark, marks = ",", []string{"", ".", "'", " ", "\u202f"}
		}
		around := []string{"%s", "€ %s", "%s €", "EUR %s", "%s EUR", " %s ", "%s kr"}[rng.IntN(7)]
		written := fmt.Sprintf(around, group(whole, marks[rng.IntN(len(marks))])+mark+decimals)
		f := Format{Decimal: decimal}
		n, err := f.number(written, "EUR")
		require.NoError(t, err, written)
		require.True(t, n.Equal(want), "%s is %s", written, n)
		if found, _ := FindDecimal(func(yield func(string) bool) { yield(written) }); found != "" {
			require.Equal(t, decimal, found, written)
		}
	}
	f := Format{Decimal: Point}
	for _, wrong := range []string{"1.2.3", "12,34", "1,23,456", "", "-", "€", "1e5", "0x10", "１２", "1 2", "--1", "NaN",
		"∞", "1.", ".5"} {
		_, err := f.number(wrong, "EUR")
		require.Error(t, err, wrong)
	}
}

// A title above the table, no header at all, the same header twice: the row that names the columns is found or chosen.
func TestWhereTheHeaderIs(t *testing.T) {
	for file, want := range map[string]struct {
		row     int
		headers []string
	}{
		"sku,list\nA,1.00\n":                         {1, []string{"sku", "list"}},
		"Price list 2026\n\nsku,list\nA,1.00\n":      {2, []string{"sku", "list"}},
		"A-1,1.00,x\nA-2,2.00,y\n":                   {0, []string{"Column A", "Column B", "Column C"}},
		"sku,price,price\nA,1.00,2.00\n":             {1, []string{"sku", "price", "price (C)"}},
		"sku,name\nA,x\n":                            {1, []string{"sku", "name"}},
		"sku\nA\nB\n":                                {1, []string{"sku"}},
		"sku,valid from\n2026-01-01,2026-01-01\n":    {1, []string{"sku", "valid from"}},
		"2026-01-01,x\n2026-01-02,y\n2026-01-03,z\n": {0, []string{"Column A", "Column B"}},
	} {
		table, err := ReadText([]byte(file), nil)
		require.NoError(t, err, file)
		require.Equal(t, want.headers, table.Headers, file)
		require.Equal(t, want.row, table.Format.Header, file)
	}
	table, err := ReadText([]byte("a,b\nsku,list\nA,1.00\n"), &Format{Header: 2})
	require.NoError(t, err)
	require.Equal(t, []string{"sku", "list"}, table.Headers)
	require.Equal(t, [][]string{{"A", "1.00"}}, table.Rows)
	_, err = ReadText([]byte("sku,list\nA,1.00\n"), &Format{Header: 9})
	require.ErrorContains(t, err, "no row 9")
}

// In a spreadsheet a number is a number; only a text that looks like one can be read in two ways.
func TestNumbersOfASpreadsheet(t *testing.T) {
	sheet := func(cells ...any) []byte {
		f := excelize.NewFile()
		defer f.Close()
		require.NoError(t, f.SetSheetRow("Sheet1", "A1", &[]any{"sku", "list"}))
		for i, c := range cells {
			require.NoError(t, f.SetSheetRow("Sheet1", fmt.Sprintf("A%d", i+2), &[]any{fmt.Sprint("N-", i), c}))
		}
		var out bytes.Buffer
		require.NoError(t, f.Write(&out))
		return out.Bytes()
	}
	_, p, asks := brought(t, sheet(1.234, 1234567.5, "286,41"))
	require.Empty(t, asks)
	require.Empty(t, p.Bad)
	require.Equal(t, []string{"1.234", "1234567.5", "286.41"}, []string{p.Changes[0].After.List.String(),
		p.Changes[1].After.List.String(), p.Changes[2].After.List.String()})
	_, _, asks = brought(t, sheet(9.5, "1.234"))
	require.Equal(t, map[string]string{"decimal": "1.234"}, asks)
}

// A spreadsheet that unpacks to far more than it says is refused while it is read.
func TestASpreadsheetThatSwells(t *testing.T) {
	if testing.Short() {
		t.Skip("writes hundreds of megabytes")
	}
	f := excelize.NewFile()
	defer f.Close()
	w, err := f.NewStreamWriter("Sheet1")
	require.NoError(t, err)
	long := strings.Repeat("0", 30_000)
	for n := 1; n <= 4000; n++ {
		cell, err := excelize.CoordinatesToCellName(1, n)
		require.NoError(t, err)
		require.NoError(t, w.SetRow(cell, []any{long}))
	}
	require.NoError(t, w.Flush())
	var out bytes.Buffer
	require.NoError(t, f.Write(&out))
	require.Less(t, out.Len(), 2<<20)
	_, err = Read(out.Bytes(), nil)
	require.ErrorContains(t, err, "unpacks to more than 100 MB")
}
