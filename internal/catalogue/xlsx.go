package catalogue

import (
	"archive/zip"
	"bytes"
	"errors"
	"fmt"
	"io"
	"regexp"
	"strconv"
	"strings"

	"github.com/xuri/excelize/v2"
)

const (
	mostSheetRows = 200_000
	mostSheetXML  = 1 << 30 // bytes that a sheet may unpack to
)

// IsXLSX reports whether a file is a zip archive, as spreadsheets are.
func IsXLSX(data []byte) bool { return bytes.HasPrefix(data, []byte("PK\x03\x04")) }

// ReadXLSX reads the first sheet of a spreadsheet (ECMA-376) that holds anything. Cells are taken as they are stored, not
// as they are shown. Its errors are FileErrors.
func ReadXLSX(data []byte) (*Table, error) {
	if err := readableSheets(data); err != nil {
		return nil, err
	}
	f, err := excelize.OpenReader(bytes.NewReader(data), excelize.Options{RawCellValue: true, UnzipSizeLimit: mostSheetXML, UnzipXMLSizeLimit: 16 << 20})
	if err != nil {
		return nil, &FileError{0, "this is no spreadsheet that can be read (XLSX): " + err.Error()}
	}
	defer f.Close()
	t := &Table{}
	if props, err := f.GetWorkbookProps(); err == nil && props.Date1904 != nil {
		t.Date1904 = *props.Date1904
	}
	t.Sheet = true
	for _, sheet := range f.GetSheetList() {
		if err := t.readSheet(f, sheet); err != nil {
			return nil, err
		}
		if t.Headers != nil {
			break
		}
	}
	if t.Headers == nil {
		return nil, &FileError{0, "the file is empty"}
	}
	return t, t.check()
}

func (t *Table) readSheet(f *excelize.File, sheet string) error {
	rows, err := f.Rows(sheet)
	if err != nil {
		return &FileError{0, fmt.Sprintf("the sheet %q cannot be read: %v", sheet, err)}
	}
	defer rows.Close()
	for line := 1; rows.Next(); line++ {
		cells, err := rows.Columns()
		if err != nil {
			return &FileError{line, err.Error()}
		}
		filled := 0
		for i := range cells {
			cells[i] = plainCell(cells[i])
			if cells[i] != "" {
				filled++
			}
		}
		switch {
		case filled == 0:
		case t.Headers == nil && filled < 2 && line < 20: // a title above the table
		case t.Headers == nil:
			t.Headers = cells
		default:
			for len(cells) < len(t.Headers) { // the format leaves out empty cells at the end
				cells = append(cells, "")
			}
			t.Rows, t.Lines = append(t.Rows, cells), append(t.Lines, line)
		}
		if len(t.Rows) > mostSheetRows {
			return &FileError{line, fmt.Sprintf("the sheet has more than %d rows. Save it as CSV, which may have more, or split it.", mostSheetRows)}
		}
	}
	return nil
}

// plainCell writes a stored number as a decimal. Spreadsheets store binary numbers with 17 digits, of which 15 are what
// somebody typed: 19.989999999999998 is 19.99.
func plainCell(cell string) string {
	cell = strings.TrimSpace(cell)
	if len(cell) < 3 || !strings.ContainsAny(cell, ".E") || !strings.ContainsRune("-0123456789", rune(cell[0])) {
		return cell
	}
	n, err := strconv.ParseFloat(cell, 64)
	if err != nil || len(strings.TrimLeft(cell, "-0.")) < 16 && !strings.ContainsRune(cell, 'E') {
		return cell
	}
	short, err := strconv.ParseFloat(strconv.FormatFloat(n, 'g', 15, 64), 64)
	if err != nil {
		return cell
	}
	return strconv.FormatFloat(short, 'f', -1, 64)
}

var (
	formulaAlone = regexp.MustCompile(`<c r="([A-Z]+[0-9]+)"[^>]*><f[^>]*(?:/>|>[^<]*</f>)(?:<v></v>|<v/>)?</c>`)
	mergedCells  = regexp.MustCompile(`<mergeCell ref="([A-Z]+)([0-9]+):([A-Z]+)([0-9]+)"`)
)

// readableSheets refuses what a table cannot say: formulas whose values were not saved, and cells merged over rows.
func readableSheets(data []byte) error {
	z, err := zip.NewReader(bytes.NewReader(data), int64(len(data)))
	if err != nil {
		return &FileError{0, "this is no spreadsheet that can be read (XLSX): " + err.Error()}
	}
	for _, part := range z.File {
		if !strings.HasPrefix(part.Name, "xl/worksheets/") || !strings.HasSuffix(part.Name, ".xml") {
			continue
		}
		r, err := part.Open()
		if err != nil {
			return &FileError{0, err.Error()}
		}
		xml, err := io.ReadAll(io.LimitReader(r, mostSheetXML+1))
		if err = errors.Join(err, r.Close()); err != nil {
			return &FileError{0, "the file is damaged: " + err.Error()}
		}
		if len(xml) > mostSheetXML {
			return &FileError{0, "a sheet of the file unpacks to more than a gigabyte. Save it as CSV."}
		}
		if cell := formulaAlone.FindSubmatch(xml); cell != nil {
			return &FileError{0, fmt.Sprintf("cell %s holds a formula without its value. Open the file in a spreadsheet program and save it, or put values in the place of formulas.", cell[1])}
		}
		for _, m := range mergedCells.FindAllSubmatch(xml, -1) {
			if string(m[2]) != string(m[4]) {
				return &FileError{0, fmt.Sprintf("cells %s%s to %s%s are merged over several rows. Split them, so that each row says its own values.", m[1], m[2], m[3], m[4])}
			}
		}
	}
	return nil
}
