package format_test

import (
	"bytes"
	"encoding/csv"
	"encoding/json"
	"io"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"dogbane/internal/publish/format"
)

var lines = []json.RawMessage{
	json.RawMessage(`{"sku":"A \"1\" & <b>","name":"Cup, with\nsaucer","price":"10.00","reference":"12.00","currency":"EUR","as":"reduced","until":"2026-12-06T00:00:00+01:00",
		"breaks":[{"from":6,"price":"9.00"}],"method":"brackets",
		"groups":{"trade":{"price":"8.00","breaks":[{"from":6,"price":"7.00"},{"from":12,"price":"6.00"}]},"club":{"price":"9.50","ask":true}}}`),
	json.RawMessage(`{"sku":"طين","name":"=1+1","price":"3","currency":"JPY","as":"ordinary","order":{"min":4,"multiple":2}}`),
}

var rows = [][]string{
	{`A "1" & <b>`, "Cup, with\nsaucer", "10.00", "12.00", "EUR", "1", "", "reduced", "2026-12-06T00:00:00+01:00", "brackets", ""},
	{`A "1" & <b>`, "Cup, with\nsaucer", "9.00", "", "EUR", "6", "", "reduced", "2026-12-06T00:00:00+01:00", "brackets", ""},
	{`A "1" & <b>`, "Cup, with\nsaucer", "9.50", "", "EUR", "1", "club", "reduced", "2026-12-06T00:00:00+01:00", "", "true"},
	{`A "1" & <b>`, "Cup, with\nsaucer", "8.00", "", "EUR", "1", "trade", "reduced", "2026-12-06T00:00:00+01:00", "", ""},
	{`A "1" & <b>`, "Cup, with\nsaucer", "7.00", "", "EUR", "6", "trade", "reduced", "2026-12-06T00:00:00+01:00", "", ""},
	{`A "1" & <b>`, "Cup, with\nsaucer", "6.00", "", "EUR", "12", "trade", "reduced", "2026-12-06T00:00:00+01:00", "", ""},
	{"طين", "=1+1", "3", "", "JPY", "4", "", "ordinary", "", "", ""},
}

// A file has one row for each price, whatever stands in its texts, and says what is no longer shown.
func TestCSV(t *testing.T) {
	var file bytes.Buffer
	require.NoError(t, format.CSV(&file, lines, []string{"GONE, \"x\""}))
	records, err := csv.NewReader(&file).ReadAll()
	require.NoError(t, err)
	require.Equal(t, format.PriceColumns, records[0])
	require.Len(t, records, 2+len(rows))
	for i, want := range rows {
		require.Equal(t, slices.Insert(slices.Clone(want), 9, "set"), records[i+1])
	}
	require.Equal(t, []string{"GONE, \"x\"", "", "", "", "", "", "", "", "", "remove", "", ""}, records[len(records)-1])
	err = format.CSV(io.Discard, []json.RawMessage{json.RawMessage(`{"sku":`)}, nil)
	require.ErrorContains(t, err, "write the prices")
}

// A feed is the same without actions, and no cell of it is a formula.
func TestFeed(t *testing.T) {
	var buf bytes.Buffer
	f, err := format.NewFeed(&buf)
	require.NoError(t, err)
	for _, l := range lines {
		require.NoError(t, f.Write(l))
	}
	for _, name := range []string{"+1", "-1", "@x", "\\tx", "\\rx", "a=b"} {
		require.NoError(t, f.Write(json.RawMessage(`{"sku":"X","name":"`+name+`","price":"1","currency":"EUR"}`)))
	}
	require.NoError(t, f.End())
	require.NotContains(t, strings.ReplaceAll(buf.String(), "\r\n", ""), "\r\n")
	records, err := csv.NewReader(&buf).ReadAll()
	require.NoError(t, err)
	require.Equal(t, format.FeedColumns, records[0])
	for i, want := range rows {
		want = append([]string{}, want...)
		if want[1] == "=1+1" {
			want[1] = "'=1+1"
		}
		require.Equal(t, want, records[i+1])
	}
	for i, want := range []string{"'+1", "'-1", "'@x", "'\tx", "'\rx", "a=b"} {
		require.Equal(t, want, records[1+len(rows)+i][1])
	}
}

// A message has its keys in order, an empty list of lines all the same, and nothing that is missing.
func TestMessage(t *testing.T) {
	m := format.Message{Channel: "web", Publication: 41, Part: 1, Parts: 1, At: "2026-11-27T09:00:00+01:00",
		Withdraw: []string{"A&B"}}
	data, err := m.Bytes()
	require.NoError(t, err)
	require.JSONEq(t, `{"channel":"web","publication":41,"part":1,"parts":1,"at":"2026-11-27T09:00:00+01:00","lines":[],"withdraw":["A&B"]}`,
		string(data))
	again, err := m.Bytes()
	require.NoError(t, err)
	require.Equal(t, data, again, "byte by byte")
}

// Answers are read by SKU; what is none is an error that says so.
func TestAnswers(t *testing.T) {
	want := map[string]format.Answer{`A "1"`: {Taken: true}, "B": {Message: "no, <thanks>"}}
	got, err := format.ReadAnswers(strings.NewReader(
		`{"answers":[{"sku":"A \"1\"","taken":true},{"sku":"B","taken":false,"message":"no, <thanks>"}],"more":1}`))
	require.NoError(t, err)
	require.Equal(t, want, got)
	got, err = format.ReadCSV(strings.NewReader(
		"sku,answer,message\r\n\"A \"\"1\"\"\",taken,\r\nB,refused,\"no, <thanks>\"\r\n"))
	require.NoError(t, err)
	require.Equal(t, want, got)
	for _, bad := range []string{"", "<html>", `{"answers":`, `[]`, `{}`, `{"answers":null}`} {
		_, err := format.ReadAnswers(strings.NewReader(bad))
		require.ErrorContains(t, err, "read the channel's answer", bad)
	}
	for _, bad := range []string{"sku,answer\nA,taken\n", "sku,answer,message\nA,taken\n", "\"",
		"sku,answer,message\n\"A,taken,\n"} {
		_, err := format.ReadCSV(strings.NewReader(bad))
		require.ErrorContains(t, err, "read the channel's answer", bad)
	}
	_, err = format.ReadReview(strings.NewReader(`{}`))
	require.ErrorContains(t, err, "does not say where")
	shown, next, err := format.ReadShown(strings.NewReader(`{"lines":[{"sku":"A","price":"1.00","effective":"2026-12-01T00:00:00Z"}],"next":"A"}`))
	require.NoError(t, err)
	require.Equal(t, "A", next)
	require.Equal(t, []format.ShownLine{{SKU: "A", Price: "1.00", Effective: "2026-12-01T00:00:00Z"}}, shown)
}
