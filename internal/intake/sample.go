package intake

import (
	"bytes"
	"encoding/csv"
	"fmt"
	"slices"
	"strings"

	"github.com/xuri/excelize/v2"

	"dogbane/internal/agreed"
	"dogbane/internal/bookfile"
	"dogbane/internal/money"
	"dogbane/internal/pricing"
)

const sampleRows = 3

// Sample is a file of a kind as the program reads it, its columns named: of products the first ones of the book, so
// that it changes nothing as it is; else lines about them. now is the present on the book's wall clock.
func Sample(kind string, b *pricing.Book, now pricing.Moment) [][]string {
	goods := slices.Clone(b.Products[:min(sampleRows, len(b.Products))])
	for i, p := range goods {
		goods[i] = p.At(now)
	}
	if len(goods) == 0 {
		list := []string{"4.90", "12.00"}
		for i, sku := range []string{"CUP-01", "BOWL-02"} {
			amount := money.MustParse(list[i])
			goods = append(goods, &pricing.Product{SKU: sku, Name: []string{"Cup", "Bowl"}[i], List: &amount, Category: "Ware"})
		}
	}
	customers := []string{"C-01"}
	for i := range b.Customers[:min(sampleRows, len(b.Customers))] {
		customers = append(customers, b.Customers[i].Code)
	}
	if len(b.Customers) > 0 {
		customers = customers[1:]
	}
	day := now.Format("2006-01-02")
	var rows [][]string
	switch kind {
	case "sales":
		rows = append(rows, names(SaleColumns))
		for i := range goods {
			channel := ""
			if len(b.Channels) > 0 {
				channel = b.Channels[0].Code
			}
			rows = append(rows, []string{day, goods[i].SKU, fmt.Sprint(i + 1), customers[i%len(customers)], "", channel})
		}
	case "agreed":
		rows = append(rows, names(AgreedColumns))
		for i := range goods {
			customer, price := customers[i%len(customers)], "1.00"
			if kept, has := goods[i].Levels[agreed.Level(customer)]; has {
				price = bookfile.Amount(kept)
			} else if goods[i].List != nil {
				price = bookfile.Amount(*goods[i].List)
			}
			rows = append(rows, []string{customer, goods[i].SKU, price})
		}
	case "rates":
		rows = append(rows, names(RateColumns), []string{"GBP", "0.86", day}, []string{"USD", "1.08", day})
	default:
		columns := ProductColumns(b)
		rows = append(rows, names(columns))
		for i := range goods {
			cells := make([]string, len(columns))
			for k, c := range columns {
				if c.Key == fromKey { // what they cost holds already
					continue
				}
				if n, is := namedBy(c.Key); is {
					cells[k] = n.text(goods[i])
				} else {
					cells[k] = text(goods[i], c.Key)
				}
			}
			rows = append(rows, cells)
		}
	}
	return rows
}

// names head the columns; one that is called like another, such as an attribute "Stock", by its key.
func names(columns []Column) []string {
	list, taken := make([]string, len(columns)), map[string]bool{}
	for i, c := range columns {
		list[i] = c.Name
		if taken[normal(c.Name)] {
			list[i] = c.Key
		}
		taken[normal(c.Name)] = true
	}
	return list
}

// WriteSample writes the rows of a sample as a spreadsheet, whose cells are texts as they stand, or as CSV.
func WriteSample(rows [][]string, sheet bool) ([]byte, error) {
	var out bytes.Buffer
	if !sheet {
		w := csv.NewWriter(&out)
		w.UseCRLF = true
		for _, cells := range rows {
			safe := slices.Clone(cells)
			for i, c := range safe { // a text that a spreadsheet would run as a formula is disarmed
				if c != "" && strings.ContainsRune("=+-@\t\r", rune(c[0])) {
					safe[i] = "'" + c
				}
			}
			if err := w.Write(safe); err != nil {
				return nil, fmt.Errorf("write a sample: %w", err)
			}
		}
		w.Flush()
		if err := w.Error(); err != nil {
			return nil, fmt.Errorf("write a sample: %w", err)
		}
		return out.Bytes(), nil
	}
	f := excelize.NewFile()
	defer f.Close()
	for i := range rows {
		if err := f.SetSheetRow("Sheet1", fmt.Sprintf("A%d", i+1), &rows[i]); err != nil {
			return nil, fmt.Errorf("write a sample: %w", err)
		}
	}
	if err := f.Write(&out); err != nil {
		return nil, fmt.Errorf("write a sample: %w", err)
	}
	return out.Bytes(), nil
}
