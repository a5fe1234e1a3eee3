package format

import (
	"bytes"
	"encoding/csv"
	"fmt"
	"io"
)

// Columns of the files, in order.
var (
	PriceColumns  = []string{"sku", "name", "price", "reference", "currency", "action"}
	AnswerColumns = []string{"sku", "answer", "message"}
)

// CSV is a file of lines: RFC 4180 with a header.
func CSV(lines []Line) ([]byte, error) {
	var buf bytes.Buffer
	w := csv.NewWriter(&buf)
	records := [][]string{PriceColumns}
	for _, l := range lines {
		action := "set"
		if l.Remove {
			action = "remove"
		}
		records = append(records, []string{l.SKU, l.Name, l.Price, l.Reference, l.Currency, action})
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
