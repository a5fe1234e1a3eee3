package format

import (
	"bytes"
	"encoding/csv"
	"encoding/json"
	"fmt"
	"io"
	"maps"
	"slices"
	"strconv"
)

// Columns of the files, in order.
var (
	PriceColumns = []string{"sku", "name", "price", "reference", "currency", "from_quantity", "group", "as", "until",
		"action"}
	AnswerColumns = []string{"sku", "answer", "message"}
)

type csvBreak struct {
	From  int    `json:"from"`
	Price string `json:"price"`
}

// csvLine is what a file says of a line.
type csvLine struct {
	SKU, Name, Price, Reference, Currency, As, Until string
	Breaks                                           []csvBreak
	Groups                                           map[string]struct {
		Price  string
		Breaks []csvBreak
	}
	Order struct{ Min int }
}

// CSV is a file of lines and of SKUs that are no longer shown: RFC 4180 with a header, one row for each price.
func CSV(lines []json.RawMessage, remove []string) ([]byte, error) {
	var buf bytes.Buffer
	w := csv.NewWriter(&buf)
	records := [][]string{PriceColumns}
	for _, data := range lines {
		var l csvLine
		if err := json.Unmarshal(data, &l); err != nil {
			return nil, fmt.Errorf("write the prices: %w", err)
		}
		row := func(price, reference, group string, from int) {
			records = append(records, []string{l.SKU, l.Name, price, reference, l.Currency, strconv.Itoa(from), group, l.As,
				l.Until, "set"})
		}
		least := max(l.Order.Min, 1)
		row(l.Price, l.Reference, "", least)
		for _, b := range l.Breaks {
			row(b.Price, "", "", b.From)
		}
		for _, code := range slices.Sorted(maps.Keys(l.Groups)) {
			row(l.Groups[code].Price, "", code, least)
			for _, b := range l.Groups[code].Breaks {
				row(b.Price, "", code, b.From)
			}
		}
	}
	for _, sku := range remove {
		records = append(records, []string{sku, "", "", "", "", "", "", "", "", "remove"})
	}
	if err := w.WriteAll(records); err != nil {
		return nil, fmt.Errorf("write the prices: %w", err)
	}
	return buf.Bytes(), nil
}

// ReadCSV reads a file of answers by SKU.
func ReadCSV(from io.Reader) (map[string]Answer, error) {
	records, err := csv.NewReader(from).ReadAll()
	if err != nil {
		return nil, fmt.Errorf("read the channel's answer: %w", err)
	}
	answers := map[string]Answer{}
	for i, r := range records {
		if len(r) != len(AnswerColumns) {
			return nil, fmt.Errorf("read the channel's answer: line %d has %d columns, not %d", i+1, len(r), len(AnswerColumns))
		}
		if i > 0 {
			answers[r[0]] = Answer{r[1] == "taken", r[2]}
		}
	}
	return answers, nil
}
