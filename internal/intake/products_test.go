package intake

import (
	"bytes"
	"errors"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"

	"dogbane/internal/bookfile"
	"dogbane/internal/demo"
	"dogbane/internal/pricing"
)

func preview(t *testing.T, csv string) *Comparison {
	t.Helper()
	table, err := ReadText([]byte(csv), nil)
	require.NoError(t, err)
	columns := ProductColumns(demo.Book(0))
	mapping := Match(table.Headers, columns)
	table.Settle(columns, mapping)
	p, err := Compare(table, mapping, demo.Book(0), present)
	require.NoError(t, err)
	return p
}

func TestGoodFile(t *testing.T) {
	p := preview(t, "\xef\xbb\xbfSKU;Name;List price;Tags;Unknown\r\nKILN-EL-42;;1499.00;;x\r\nNEW-1;\"A \"\"new\"\" one\";5.00;a|b;\r\nBAT-30;;;;\r\n")
	require.Empty(t, p.Bad)
	require.Equal(t, 1, p.New())
	require.Equal(t, 1, p.Unchanged, "empty cells leave what is there")
	require.Equal(t, []CellChange{{"list", "1450.00", "1499.00"}}, p.Changes[0].Changes)
	require.Equal(t, "832", p.Changes[0].After.Cost.String(), "what the file does not name stays")
	require.Equal(t, `A "new" one`, p.Changes[1].Name)
	require.Equal(t, []string{"a", "b"}, p.Changes[1].After.Tags)
}

// Each bad cell is named with its line, column and value, and every one is found.
func TestBadRows(t *testing.T) {
	p := preview(t, "sku,list,cost,taxClass\nA,\"19,99\",1.50,\nB,-1,2.50,\nA,1.00,,\n,1.00,,\nC,abc,5,luxury\nD,1.00\nE,1234567890123456,,\nF,12 %,GBP 3.20,standard\n"+strings.Repeat("x", 101)+",1.00,,\n")
	require.Equal(t, []BadCell{
		{2, "list", "19,99", "has a decimal comma, unlike the rest of the file"},
		{3, "list", "-1", "must not be negative"},
		{4, "sku", "A", "this SKU stands in line 2 already"},
		{5, "sku", "", "a row needs a SKU"},
		{6, "list", "abc", "is not a number such as 19.99 or 1,234.56"},
		{6, "taxClass", "luxury", "is not a tax class of the book; it has reduced, standard"},
		{7, "", "", "has 2 cells where the header has 4"},
		{8, "list", "1234567890123456", "must have at most 15 digits before the point"},
		{9, "list", "12 %", "is a percent, not an amount"},
		{9, "cost", "GBP 3.20", "is in GBP; the amounts of the book are in EUR"},
		{10, "sku", shorten(strings.Repeat("x", 101)), "a SKU has 1 to 100 characters and no control characters"},
	}, p.Bad)
	require.Empty(t, p.Changes)
}

func TestUnreadableFiles(t *testing.T) {
	for name, tc := range map[string]struct {
		data string
		line int
		says string
	}{
		"empty":          {"", 0, "empty"},
		"only spaces":    {" \r\n\n", 0, "empty"},
		"only a header":  {"sku,list\n", 0, "no rows"},
		"a line of 5 MB": {"sku,name\nA," + strings.Repeat("x", 5<<20) + "\n", 2, "5.0 MB"},
		"a stray quote":  {"sku,name\nA,\"x\nB,y\n", 2, "quotes"},
		"zero bytes":     {"sku,name\nA,\x00\n", 2, "zero bytes"},
		"no text":        {"sku,name\nA,\xff\x00\n", 2, "zero bytes"},
		"endless":        {"sku\n" + strings.Repeat("A\n", mostRows+1), 0, "more than 1000000 rows"},
	} {
		_, err := ReadText([]byte(tc.data), nil)
		var broken *FileError
		require.True(t, errors.As(err, &broken), name)
		require.Equal(t, tc.line, broken.Line, name)
		require.Contains(t, broken.Error(), tc.says, name)
	}
}

func TestMissingColumn(t *testing.T) {
	table, err := ReadText([]byte("internal key,price\nA,1.00\n"), nil)
	require.NoError(t, err)
	mapping := Match(table.Headers, ProductColumns(demo.Book(0)))
	require.Equal(t, map[string]string{"list": "price"}, mapping)
	_, err = Compare(table, mapping, demo.Book(0), present)
	var missing *MissingColumn
	require.ErrorAs(t, err, &missing)
	require.Equal(t, "No column holds the SKU. Say below which one does.", missing.Error())
	mapping["sku"] = "internal key"
	p, err := Compare(table, mapping, demo.Book(0), present)
	require.NoError(t, err)
	require.Equal(t, 1, p.New())
}

func FuzzReadText(f *testing.F) {
	f.Add([]byte("sku,list\nA,1.00\n"))
	f.Add([]byte("sku;name\n\"a\nb\";c\n"))
	book := demo.Book(10)
	f.Fuzz(func(t *testing.T, data []byte) {
		table, err := ReadText(data, nil)
		if err != nil {
			return
		}
		p, err := Compare(table, Match(table.Headers, ProductColumns(demo.Book(0))), book, present)
		if err == nil {
			require.LessOrEqual(t, len(p.Changes)+p.Unchanged, len(table.Rows))
		}
	})
}

// Attributes come from columns named like them; an amount with its unit from one cell.
func TestAttributesAndContent(t *testing.T) {
	book := demo.Book(0)
	book.Products[0].Attrs = map[string]pricing.Attr{"cone": TextAttr("6")}
	table, err := ReadText([]byte("sku,Cone,content,least order\nNEW-1,9,12.5 kg,6\nNEW-2,,kg,0\n"), nil)
	require.NoError(t, err)
	p, err := Compare(table, Match(table.Headers, ProductColumns(book)), book, present)
	require.NoError(t, err)
	require.Len(t, p.Changes, 1)
	after := p.Changes[0].After
	require.Equal(t, "9", after.Attrs["cone"].Number.String())
	require.Equal(t, "12.5", after.Content.Amount.String())
	require.Equal(t, "kg", after.Content.Of)
	require.Equal(t, 6, after.MinOrder)
	require.Equal(t, []string{"content", "least order"}, []string{p.Bad[1].Column, p.Bad[0].Column})
}

// A sheet of more rows than can be taken is refused while it is read.
func TestEndlessSheet(t *testing.T) {
	if testing.Short() {
		t.Skip("writes hundreds of megabytes")
	}
	f := excelize.NewFile()
	defer f.Close()
	w, err := f.NewStreamWriter("Sheet1")
	require.NoError(t, err)
	require.NoError(t, w.SetRow("A1", []any{"sku", "list"}))
	for n := 2; n <= mostSheetRows+3; n++ {
		cell, err := excelize.CoordinatesToCellName(1, n)
		require.NoError(t, err)
		require.NoError(t, w.SetRow(cell, []any{n, 1}))
	}
	require.NoError(t, w.Flush())
	var out bytes.Buffer
	require.NoError(t, f.Write(&out))
	_, err = Read(out.Bytes(), nil)
	var broken *FileError
	require.ErrorAs(t, err, &broken)
	require.Contains(t, broken.Error(), "more than 200000 rows")
}

// Numbers are taken as somebody typed them, not as binary stores them.
func TestPlainCells(t *testing.T) {
	for stored, typed := range map[string]string{
		"19.989999999999998": "19.99", "0.30000000000000004": "0.3", "5.901234123457E12": "5901234123457", "1E-2": "0.01",
		"19.99":         "19.99",
		"5901234123457": "5901234123457", "007": "007", "1.50": "1.50", "12.5 kg": "12.5 kg", "-0.1": "-0.1",
		"A1.5E3": "A1.5E3", "": "",
	} {
		require.Equal(t, typed, plainCell(stored), stored)
	}
}

const present = pricing.Moment(20_783*24*3600 + 12*3600) // 26 November 2026, noon

// Amounts of a row that says from when on they hold are later figures; those of others take the place of what holds
// now, be that a later figure that has begun. Brought once more, the file changes nothing.
func TestAmountsFromADay(t *testing.T) {
	book, err := bookfile.Decode([]byte(`{"book":"dogbane/1","settings":{"currency":"EUR","timeZone":"UTC"},"products":[
		{"sku":"A & B","name":"Cup","list":"10.00","cost":"4.00","levels":{"least":"8.00"}},
		{"sku":"C","list":"20.00","later":[{"from":"2026-01-01T00:00","list":"22.00","levels":{"least":"19.00"}}]}]}`))
	require.NoError(t, err)
	table, err := ReadText([]byte("SKU;Name;List price;Cost;Price level least;Gültig ab\n"+
		"A & B;Cup, large;11,50;4,00;9,00;01.01.2027\n"+
		"C;;23,00;;20,00;\n"+
		"D;New one;5,00;;;15.01.2027\n"+
		"E;Bad day;5,00;;;31.02.2027\n"), nil)
	require.NoError(t, err)
	columns := ProductColumns(book)
	mapping := Match(table.Headers, columns)
	require.Equal(t, "Gültig ab", mapping["from"])
	table.Settle(columns, mapping)
	p, err := Compare(table, mapping, book, present)
	require.NoError(t, err)
	require.Len(t, p.Bad, 1)
	require.Equal(t, "Gültig ab", p.Bad[0].Column)
	doc := func(i int) string { return string(bookfile.EncodeProduct(&p.Changes[i].After)) }
	require.JSONEq(t, `{"sku":"A & B","name":"Cup, large","list":"10.00","cost":"4.00","levels":{"least":"8.00"},
		"later":[{"from":"2027-01-01T00:00","list":"11.50","levels":{"least":"9.00"}}]}`, doc(0), "the cost stays as it is")
	require.JSONEq(t, `{"sku":"C","list":"20.00","later":[{"from":"2026-01-01T00:00","list":"23.00","levels":{"least":"20.00"}}]}`,
		doc(1))
	require.JSONEq(t, `{"sku":"D","name":"New one","later":[{"from":"2027-01-15T00:00","list":"5.00"}]}`, doc(2))
	require.Equal(t, []CellChange{{"name", "Cup", "Cup, large"}, {"list", "10.00", "11.50"}, {"level:least", "8.00", "9.00"},
		{"from", "", "2027-01-01T00:00"}},
		p.Changes[0].Changes)
	require.Equal(t, "22.00", p.Changes[1].Changes[0].Was)

	again := *book
	again.Products = nil
	for i := range p.Changes {
		again.Products = append(again.Products, &p.Changes[i].After)
	}
	twice, err := Compare(table, mapping, &again, present)
	require.NoError(t, err)
	require.Empty(t, twice.Changes)
	require.Equal(t, 3, twice.Unchanged)
}
