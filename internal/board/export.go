package board

import (
	"encoding/csv"
	"io"
	"strings"

	"github.com/xuri/excelize/v2"

	"dogbane/internal/money"
)

// exportHeader are the columns of an export, before those of a spread.
var exportHeader = []string{"SKU", "Name", "Category", "List price", "Price", "Compared with", "Change",
	"Cost with tax", "Margin", "Margin %", "Stock", "Sold in 30 days", "Rules"}

// thinnestHeader are the further ones, last of all, where the filter looks at the margins of all channels.
var thinnestHeader = []string{"Thinnest margin %", "Thinnest in"}

// cell of an export: a text, or a number as a plain decimal.
type cell struct {
	text     string
	isNumber bool
}

// exportRow is a product's cells.
func (v *View) exportRow(p int32, sweeps []*Sweep) []cell {
	text := func(a *string) string {
		if a == nil {
			return ""
		}
		return *a
	}
	r := v.row(p)
	var rules []string
	for _, one := range r.Rules {
		rules = append(rules, one.Code)
	}
	cells := []cell{{r.SKU, false}, {r.Name, false}, {r.Category, false}}
	for _, a := range []*string{r.List, r.Price, r.Against, r.Change, r.Cost, r.Amount, r.Margin, r.Stock, r.Sold} {
		cells = append(cells, cell{text(a), true})
	}
	cells = append(cells, cell{strings.Join(rules, " "), false})
	for _, sw := range sweeps {
		price, priced := sw.Price(p)
		cells = append(cells, cell{text(Minor(price, priced, sw.Digits)), true})
	}
	switch {
	case r.Least != nil:
		cells = append(cells, cell{r.Least.Margin, true}, cell{r.Least.Channel, false})
	case v.channels != nil:
		cells = append(cells, cell{"", true}, cell{"", false})
	}
	return cells
}

func (v *View) header(columns []Column) []string {
	cells := append([]string{}, exportHeader...)
	for _, c := range columns {
		cells = append(cells, c.Name)
	}
	if v.channels != nil {
		cells = append(cells, thinnestHeader...)
	}
	return cells
}

// WriteCSV writes RFC 4180 in UTF-8 or, with a decimal comma, the same with semicolons. A text that a spreadsheet would
// run as a formula gets an apostrophe in front.
func (v *View) WriteCSV(to io.Writer, spread string, comma bool) error {
	columns, sweeps, err := v.spread(spread)
	if err != nil {
		return err
	}
	w := csv.NewWriter(to)
	w.UseCRLF = true
	if comma {
		w.Comma = ';'
	}
	if err := w.Write(v.header(columns)); err != nil {
		return err
	}
	for _, p := range v.Products {
		var cells []string
		for _, c := range v.exportRow(p, sweeps) {
			switch {
			case !c.isNumber && c.text != "" && strings.ContainsRune("=+-@\t\r", rune(c.text[0])):
				c.text = "'" + c.text
			case c.isNumber && comma:
				c.text = strings.Replace(c.text, ".", ",", 1)
			}
			cells = append(cells, c.text)
		}
		if err := w.Write(cells); err != nil {
			return err
		}
	}
	w.Flush()
	return w.Error()
}

// WriteXLSX writes a spreadsheet.
func (v *View) WriteXLSX(to io.Writer, spread string) error {
	columns, sweeps, err := v.spread(spread)
	if err != nil {
		return err
	}
	f := excelize.NewFile()
	defer f.Close()
	w, err := f.NewStreamWriter("Sheet1")
	if err != nil {
		return err
	}
	row := func(n int, cells []any) error {
		at, err := excelize.CoordinatesToCellName(1, n)
		if err != nil {
			return err
		}
		return w.SetRow(at, cells)
	}
	var head []any
	for _, h := range v.header(columns) {
		head = append(head, h)
	}
	if err := row(1, head); err != nil {
		return err
	}
	for k, p := range v.Products {
		var cells []any
		for _, c := range v.exportRow(p, sweeps) {
			// A spreadsheet's numbers are binary: the cell shows the exact decimal, which is what this file is for.
			if n, err := money.Parse(c.text); err == nil && c.isNumber {
				cells = append(cells, n.Float())
			} else {
				cells = append(cells, c.text)
			}
		}
		if err := row(k+2, cells); err != nil {
			return err
		}
	}
	if err := w.Flush(); err != nil {
		return err
	}
	return f.Write(to)
}
