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

// amountsFrom and amountsTo are the first of the columns that hold numbers and the first that does not.
const amountsFrom, amountsTo = 3, 12

// exportRow is a product's cells; numbers are plain decimals.
func (v *View) exportRow(p int32, sweeps []*Sweep) []string {
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
	cells := []string{r.SKU, r.Name, r.Category, text(r.List), text(r.Price), text(r.Against), text(r.Change),
		text(r.Cost), text(r.Amount), text(r.Margin), text(r.Stock), text(r.Sold), strings.Join(rules, " ")}
	for _, sw := range sweeps {
		price, priced := sw.Price(p)
		cells = append(cells, text(Minor(price, priced, sw.Digits)))
	}
	return cells
}

func header(columns []Column) []string {
	cells := append([]string{}, exportHeader...)
	for _, c := range columns {
		cells = append(cells, c.Name)
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
	if err := w.Write(header(columns)); err != nil {
		return err
	}
	for _, p := range v.Products {
		cells := v.exportRow(p, sweeps)
		for i, c := range cells {
			if (i < amountsFrom || i == amountsTo) && c != "" && strings.ContainsRune("=+-@\t\r", rune(c[0])) {
				cells[i] = "'" + c
			} else if comma && i >= amountsFrom && i != amountsTo {
				cells[i] = strings.Replace(c, ".", ",", 1)
			}
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
	for _, h := range header(columns) {
		head = append(head, h)
	}
	if err := row(1, head); err != nil {
		return err
	}
	for k, p := range v.Products {
		var cells []any
		for i, c := range v.exportRow(p, sweeps) {
			// A spreadsheet's numbers are binary: the cell shows the exact decimal, which is what this file is for.
			if n, err := money.Parse(c); err == nil && i >= amountsFrom && i != amountsTo {
				cells = append(cells, n.Float())
			} else {
				cells = append(cells, c)
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
