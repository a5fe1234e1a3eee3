package format

import (
	"encoding/json"
	"fmt"
	"io"

	"github.com/xuri/excelize/v2"

	"dogbane/internal/money"
)

// sheet writes a spreadsheet with the columns of the CSV feed; prices are numbers in it, and texts are no formulas.
type sheet struct {
	to   io.Writer
	file *excelize.File
	rows *excelize.StreamWriter
	n    int
}

func newSheet(to io.Writer, _ About) (Writer, error) {
	f := &sheet{to: to, file: excelize.NewFile()}
	var err error
	if f.rows, err = f.file.NewStreamWriter("Sheet1"); err != nil {
		return nil, fmt.Errorf("begin a spreadsheet: %w", err)
	}
	header := make([]any, len(PriceColumns)-1)
	for i := range header {
		header[i] = PriceColumns[i]
	}
	return f, f.row(header)
}

func (f *sheet) row(cells []any) error {
	f.n++
	at, err := excelize.CoordinatesToCellName(1, f.n)
	if err == nil {
		err = f.rows.SetRow(at, cells)
	}
	if err != nil {
		return fmt.Errorf("write the feed: %w", err)
	}
	return nil
}

func (f *sheet) Write(lines ...json.RawMessage) error { return each(lines, f.line) }

func (f *sheet) line(line json.RawMessage) error {
	rows, err := rowsOf(line)
	if err != nil {
		return err
	}
	for _, r := range rows {
		cells := make([]any, len(r))
		for i, cell := range r {
			cells[i] = cell
			// A spreadsheet's numbers are binary: the cell shows the exact decimal, which is what this file is for.
			if n, err := money.Parse(cell); err == nil && (i == 2 || i == 3 || i == 5) {
				cells[i] = n.Float()
			}
		}
		if err := f.row(cells); err != nil {
			return err
		}
	}
	return nil
}

func (f *sheet) End() error {
	defer f.file.Close()
	if err := f.rows.Flush(); err != nil {
		return fmt.Errorf("write the feed: %w", err)
	}
	return f.file.Write(f.to)
}
