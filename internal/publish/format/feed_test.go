package format_test

import (
	"bytes"
	"encoding/csv"
	"encoding/json"
	"fmt"
	"io"
	"os"
	"strings"
	"testing"

	"github.com/mmcdole/gofeed"
	"github.com/piprate/json-gold/ld"
	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"

	"dogbane/internal/money"
	"dogbane/internal/publish/format"
)

// hostile are lines whose texts are meant to break a form.
func hostile() (list []json.RawMessage) {
	list = append(list, lines...)
	for i, name := range []string{"=1+1", "+1", "-1", "@x", "\t", "'x", `"quoted", too`, "two\nlines", "carriage\rreturn", "<script>alert(1)</script>",
		"a & b ]]>", "عجلة خزف", "🎁 \u202eright to left", "<!-- x -->", "\\u0000", "{{.}}"} {
		line, _ := json.Marshal(map[string]any{"sku": fmt.Sprintf("S%d %s", i, name), "name": name, "price": fmt.Sprintf("%d.05", i+1),
			"currency": "EUR", "tax": "included", "as": "ordinary"})
		list = append(list, line)
	}
	return list
}

// fed is a feed of lines in a form.
func fed(t *testing.T, ending string, lines []json.RawMessage) []byte {
	t.Helper()
	for _, form := range format.Forms {
		if form.Ending != ending {
			continue
		}
		var buf bytes.Buffer
		w, err := form.Begin(&buf, format.About{Title: "Shop & <co>", Link: "http://127.0.0.1/feeds/web" + ending})
		require.NoError(t, err)
		defer w.Close()
		require.NoError(t, w.Write(lines...))
		require.NoError(t, w.End())
		return buf.Bytes()
	}
	require.Fail(t, "no form "+ending)
	return nil
}

type told struct {
	SKU, Name, Price, Currency, Reference, Until string
	Order                                        struct{ Min int }
	Breaks                                       []struct {
		From  int
		Price string
	}
	PerUnit *struct{ Price, Of string }
}

func read(t *testing.T, line json.RawMessage) (l told) {
	t.Helper()
	require.NoError(t, json.Unmarshal(line, &l))
	return l
}

// Every form says the same of each line, read by somebody else's reader; no text becomes a formula, markup or a second
// row.
func TestFormsAgree(t *testing.T) {
	list := append(hostile(), many(10_000)...)

	jsonl := strings.Split(strings.TrimSuffix(string(fed(t, ".jsonl", []json.RawMessage{lines[1]})), "\n"), "\n")
	require.Equal(t, []string{string(lines[1])}, jsonl)

	table, err := csv.NewReader(bytes.NewReader(fed(t, ".csv", list))).ReadAll()
	require.NoError(t, err)
	book, err := excelize.OpenReader(bytes.NewReader(fed(t, ".xlsx", list)))
	require.NoError(t, err)
	sheet, err := book.GetRows("Sheet1")
	require.NoError(t, err)
	require.Len(t, sheet, len(table))
	// XML has one kind of line break within a text, and Go's reader of CSV makes one of two.
	plain := strings.NewReplacer("\r\n", "\n", "\r", "\n").Replace
	texts := [][]string{{"sku", "name"}} // of each row, as the lines have them
	for _, data := range list {
		l := read(t, data)
		var groups struct {
			Groups map[string]struct{ Breaks []any }
		}
		require.NoError(t, json.Unmarshal(data, &groups))
		prices := 1 + len(l.Breaks)
		for _, g := range groups.Groups {
			prices += 1 + len(g.Breaks)
		}
		for range prices {
			texts = append(texts, []string{l.SKU, l.Name})
		}
	}
	require.Len(t, texts, len(table))
	for i, row := range table {
		for len(sheet[i]) < len(row) {
			sheet[i] = append(sheet[i], "")
		}
		for j, cell := range row {
			if j < 2 {
				text, disarmed := texts[i][j], ""
				if text != "" && strings.ContainsAny(text[:1], "=+-@\t\r") {
					disarmed = "'"
				}
				require.Equal(t, plain(disarmed+text), plain(cell), "row %d", i)
				require.Equal(t, plain(text), plain(sheet[i][j]), "row %d", i)
				continue
			}
			if i > 0 && cell != "" && j < 4 { // a number: 10 is 10.00
				require.True(t, money.MustParse(cell).Equal(money.MustParse(sheet[i][j])), "%s and %s", cell, sheet[i][j])
				continue
			}
			require.Equal(t, cell, sheet[i][j], "row %d", i)
		}
		at, err := excelize.CoordinatesToCellName(2, i+1)
		require.NoError(t, err)
		formula, err := book.GetCellFormula("Sheet1", at)
		require.NoError(t, err)
		require.Empty(t, formula)
	}

	feed, err := gofeed.NewParser().Parse(bytes.NewReader(fed(t, ".xml", list)))
	require.NoError(t, err)
	require.Equal(t, []string{"Shop & <co>", "2.0"}, []string{feed.Title, feed.FeedVersion})
	require.Len(t, feed.Items, len(list))
	for i, item := range feed.Items {
		l := read(t, list[i])
		value := func(name string) string {
			for _, e := range item.Extensions["p"][name] {
				return e.Value
			}
			return ""
		}
		require.Equal(t, []string{l.Price, l.Currency, l.Reference, l.Until}, []string{value("price"), value("currency"), value("reference"),
			value("until")})
		require.Equal(t, strings.Fields(l.SKU), strings.Fields(value("sku")))
		require.Equal(t, strings.Fields(l.Name), strings.Fields(item.Title), "markup in a name is text")
	}
}

// What is too much for one sheet goes on another, with the header again.
func TestAFeedOfSeveralSheets(t *testing.T) {
	defer func(most int) { *format.RowsPerSheet = most }(*format.RowsPerSheet)
	*format.RowsPerSheet = 400
	list := many(1000)
	table, err := csv.NewReader(bytes.NewReader(fed(t, ".csv", list))).ReadAll()
	require.NoError(t, err)
	book, err := excelize.OpenReader(bytes.NewReader(fed(t, ".xlsx", list)))
	require.NoError(t, err)
	var skus []string
	for i, name := range book.GetSheetList() {
		rows, err := book.GetRows(name)
		require.NoError(t, err)
		require.Equal(t, format.FeedColumns, rows[0])
		if i < 3 {
			require.Len(t, rows, 400)
		}
		for _, r := range rows[1:] {
			skus = append(skus, r[0])
		}
	}
	require.Len(t, skus, len(table)-1)
}

// A large spreadsheet lies on the disk while it is written, and not after whoever fetched it has gone.
func TestNothingStaysOnTheDisk(t *testing.T) {
	t.Setenv("TMPDIR", t.TempDir())
	lying := func() int {
		files, err := os.ReadDir(os.Getenv("TMPDIR"))
		require.NoError(t, err)
		return len(files)
	}
	for _, form := range format.Forms {
		w, err := form.Begin(io.Discard, format.About{})
		require.NoError(t, err)
		for i := range 25 {
			var list []json.RawMessage
			for j := range 1000 {
				list = append(list, json.RawMessage(fmt.Sprintf(`{"sku":"%d-%d","name":%q,"price":"1.00","currency":"EUR"}`, i, j,
					strings.Repeat("x", 500))))
			}
			require.NoError(t, w.Write(list...))
		}
		if form.Ending == ".xlsx" {
			require.Positive(t, lying())
		}
		w.Close()
		require.Zero(t, lying(), form.Ending)
	}
}

// The JSON-LD feed, expanded by a processor: products with an offer each, every key a term of the vocabulary.
func TestLinkedFeed(t *testing.T) {
	list := append(append(hostile(), many(10_000)...), json.RawMessage(`{"sku":"L","name":"Glaze","price":"6.95","reference":"8.30","currency":"EUR","tax":"included",
		"until":"2026-12-06T00:00:00+01:00","breaks":[{"from":6,"price":"6.60"}],"perUnit":{"price":"57.92","of":"l"},"order":{"min":6,"multiple":6}}`))
	var doc any
	require.NoError(t, json.NewDecoder(bytes.NewReader(fed(t, ".jsonld", list))).Decode(&doc))
	expanded, err := ld.NewJsonLdProcessor().Expand(doc, ld.NewJsonLdOptions(""))
	require.NoError(t, err)
	require.Len(t, expanded, len(list))
	const vocabulary = "https://schema.org/"
	node := func(v any) map[string]any { return v.(map[string]any) }
	value := func(n map[string]any, term string) any {
		for _, v := range n[vocabulary+term].([]any) {
			return node(v)["@value"]
		}
		return nil
	}
	for i, one := range expanded {
		l, product := read(t, list[i]), node(one)
		require.Equal(t, []any{vocabulary + "Product"}, product["@type"])
		require.Equal(t, l.SKU, value(product, "sku"))
		require.Equal(t, l.Name, value(product, "name"))
		offer := node(product[vocabulary+"offers"].([]any)[0])
		require.Equal(t, []any{vocabulary + "Offer"}, offer["@type"])
		require.Equal(t, l.Price, value(offer, "price"))
		require.Equal(t, l.Currency, value(offer, "priceCurrency"))
	}
	offer := node(node(expanded[len(expanded)-1])[vocabulary+"offers"].([]any)[0])
	require.Equal(t, "2026-12-06T00:00:00+01:00", value(offer, "validThrough"))
	require.EqualValues(t, 6, value(node(offer[vocabulary+"eligibleQuantity"].([]any)[0]), "minValue"))
	specifications := offer[vocabulary+"priceSpecification"].([]any)
	require.Len(t, specifications, 3)
	struck, tier, unit := node(specifications[0]), node(specifications[1]), node(specifications[2])
	require.Equal(t, "8.30", value(struck, "price"))
	require.Equal(t, vocabulary+"StrikethroughPrice", node(struck[vocabulary+"priceType"].([]any)[0])["@id"])
	require.Equal(t, "6.60", value(tier, "price"))
	require.EqualValues(t, 6, value(node(tier[vocabulary+"eligibleQuantity"].([]any)[0]), "minValue"))
	require.Equal(t, "57.92", value(unit, "price"))
	require.Equal(t, "LTR", value(node(unit[vocabulary+"referenceQuantity"].([]any)[0]), "unitCode"))
}

// A line that cannot be read ends any form, and so does a reader that has gone.
func TestFormsFail(t *testing.T) {
	for _, form := range format.Forms {
		if form.Ending == ".jsonl" {
			continue // it carries lines as they are
		}
		w, err := form.Begin(io.Discard, format.About{})
		require.NoError(t, err)
		defer w.Close()
		require.Error(t, w.Write(json.RawMessage(`{"sku":`)), form.Ending)
	}
}
