package format_test

import (
	"encoding/csv"
	"encoding/json"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"dogbane/internal/publish/format"
)

var lines = []format.Line{
	{SKU: `A "1" & <b>`, Name: "Cup, with\nsaucer", Price: "10.00", Reference: "12.00", Currency: "EUR"},
	{SKU: "طين", Name: "=1+1", Price: "3", Currency: "JPY"},
	{SKU: "GONE", Currency: "EUR", Remove: true},
}

// Both forms say every line once, whatever stands in its texts.
func TestForms(t *testing.T) {
	data, err := format.JSON(41, lines)
	require.NoError(t, err)
	var message struct {
		Publication int64
		Prices      []format.Line
	}
	require.NoError(t, json.Unmarshal(data, &message))
	require.EqualValues(t, 41, message.Publication)
	require.Equal(t, lines, message.Prices)
	file, err := format.CSV(lines)
	require.NoError(t, err)
	records, err := csv.NewReader(strings.NewReader(string(file))).ReadAll()
	require.NoError(t, err)
	require.Equal(t, format.PriceColumns, records[0])
	for i, l := range lines {
		action := map[bool]string{false: "set", true: "remove"}[l.Remove]
		require.Equal(t, []string{l.SKU, l.Name, l.Price, l.Reference, l.Currency, action}, records[i+1])
	}
}

// Answers are read by SKU; what is none is an error that says so.
func TestAnswers(t *testing.T) {
	want := map[string]format.Answer{`A "1"`: {Taken: true}, "B": {Message: "no, <thanks>"}}
	got, err := format.ReadJSON(strings.NewReader(
		`{"answers":[{"sku":"A \"1\"","taken":true},{"sku":"B","taken":false,"message":"no, <thanks>"}]}`))
	require.NoError(t, err)
	require.Equal(t, want, got)
	got, err = format.ReadCSV(strings.NewReader(
		"sku,answer,message\r\n\"A \"\"1\"\"\",taken,\r\nB,refused,\"no, <thanks>\"\r\n"))
	require.NoError(t, err)
	require.Equal(t, want, got)
	for _, bad := range []string{"", "<html>", `{"answers":`, `[]`} {
		_, err := format.ReadJSON(strings.NewReader(bad))
		require.ErrorContains(t, err, "read the channel's answer", bad)
	}
	for _, bad := range []string{"sku,answer\nA,taken\n", "sku,answer,message\nA,taken\n", "\"",
		"sku,answer,message\n\"A,taken,\n"} {
		_, err := format.ReadCSV(strings.NewReader(bad))
		require.ErrorContains(t, err, "read the channel's answer", bad)
	}
}
