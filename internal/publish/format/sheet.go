package format

import (
	"encoding/json"
	"fmt"
	"io"

	"github.com/xuri/excelize/v2"

	"dogbane/internal/money"
)

// rowsPerSheet is how many rows a sheet may have; what is more goes on another.
var rowsPerSheet = excelize.TotalRows

// sheet writes a spreadsheet with the columns of the CSV feed; prices are numbers in it, and texts are no formulas.
type sheet struct {
	to     io.Writer
	file   *excelize.File
	sheets int
	rows   *excelize.StreamWriter // of the last sheet
	n      int                    // its rows
}

func newSheet(to io.Writer, _ About) (Writer, error) {
	f := &sheet{to: to, file: excelize.NewFile()}
	err := f.begin()
	if err != nil {
		f.Close()
	}
	return f, err
}

// begin begins a sheet with its header. A new file has the first.
func (f *sheet) begin() (err error) {
	if f.rows != nil {
		err = f.rows.Flush()
	}
	f.sheets, f.n = f.sheets+1, 0
	name := fmt.Sprintf("Sheet%d", f.sheets)
	if err == nil {
		_, err = f.file.NewSheet(name)
	}
	if err == nil {
		f.rows, err = f.file.NewStreamWriter(name)
	}
	if err != nil {
		return fmt.Errorf("begin a sheet: %w", err)
	}
	header := make([]any, len(FeedColumns))
	for i := range header {
		header[i] = FeedColumns[i]
	}
	return f.row(header)
}

func (f *sheet) row(cells []any) error {
	if f.n == rowsPerSheet {
		if err := f.begin(); err != nil {
			return err
		}
	}
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
	return rowsOf(line, nil, func(r []string) error {
		cells := make([]any, len(r))
		for i, cell := range r {
			cells[i] = cell
			// A spreadsheet's numbers are binary: the cell shows the exact decimal, which is what this file is for.
			if n, err := money.Parse(cell); err == nil && (i == 2 || i == 3 || i == 5) {
				cells[i] = n.Float()
			}
		}
		return f.row(cells)
	})
}

// Close takes away what lay on the disk meanwhile.
func (f *sheet) Close() { _ = f.file.Close() }

func (f *sheet) End() error {
	if err := f.rows.Flush(); err != nil {
		return fmt.Errorf("write the feed: %w", err)
	}
	return f.file.Write(f.to)
}
