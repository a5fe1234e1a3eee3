package intake

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
	mostUnpacked  = 100 << 20 // bytes that a spreadsheet may unpack to
)

// IsXLSX reports whether a file is a zip archive, as spreadsheets are.
func IsXLSX(data []byte) bool { return bytes.HasPrefix(data, []byte("PK\x03\x04")) }

// ReadXLSX reads the first sheet of a spreadsheet (ECMA-376) that holds anything. Cells are taken as they are stored,
// not as they are shown. Its errors are FileErrors.
func ReadXLSX(data []byte, as *Format) (*Table, error) {
	t := &Table{Format: Format{Header: -1}, Sheet: true, texts: map[string]bool{}}
	if as != nil {
		t.Format = *as
		t.Format.Encoding, t.Format.Separator = "", ""
	}
	if err := t.scan(data); err != nil {
		return nil, err
	}
	f, err := excelize.OpenReader(bytes.NewReader(data), excelize.Options{RawCellValue: true, UnzipSizeLimit: mostUnpacked,
		UnzipXMLSizeLimit: 16 << 20})
	if err != nil {
		return nil, &FileError{0, "this is no spreadsheet that can be read (XLSX): " + err.Error()}
	}
	defer f.Close()
	if props, err := f.GetWorkbookProps(); err == nil && props.Date1904 != nil {
		t.date1904 = *props.Date1904
	}
	for _, sheet := range f.GetSheetList() {
		first, lines, err := t.readSheet(f, sheet)
		if err != nil {
			return nil, err
		}
		if len(first) > 0 {
			return t.head(first, lines)
		}
	}
	return nil, &FileError{0, "the file is empty"}
}

// readSheet reads the rows of a sheet that hold anything; the first are given apart, since one of them is the header.
func (t *Table) readSheet(f *excelize.File, sheet string) (first [][]string, at []int, err error) {
	rows, err := f.Rows(sheet)
	if err != nil {
		return nil, nil, &FileError{0, fmt.Sprintf("the sheet %q cannot be read: %v", sheet, err)}
	}
	defer rows.Close()
	for line := 1; rows.Next(); line++ {
		cells, err := rows.Columns()
		if err != nil {
			return nil, nil, &FileError{line, err.Error()}
		}
		for i := range cells {
			cells[i] = plainCell(cells[i])
		}
		switch {
		case filled(cells) == 0:
		case len(first) < mostTop:
			first, at = append(first, cells), append(at, line)
		default:
			t.Rows, t.Lines = append(t.Rows, cells), append(t.Lines, line)
		}
		if len(t.Rows)+len(first) > mostSheetRows+1 {
			return nil, nil, &FileError{line,
				fmt.Sprintf("the sheet has more than %d rows. Save it as CSV, which may have more, or split it.", mostSheetRows)}
		}
	}
	return first, at, nil
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
	eitherText   = regexp.MustCompile(`<t[^>]*>(-?[1-9][0-9]{0,2}\.[0-9]{3})</t>`)
)

// scan goes through the parts of a spreadsheet as a stream. It refuses what unpacks to too much and what a table cannot
// say: formulas whose values were not saved, and cells merged over rows.
func (t *Table) scan(data []byte) error {
	z, err := zip.NewReader(bytes.NewReader(data), int64(len(data)))
	if err != nil {
		return &FileError{0, "this is no spreadsheet that can be read (XLSX): " + err.Error()}
	}
	left := int64(mostUnpacked)
	for _, part := range z.File {
		sheet := strings.HasPrefix(part.Name, "xl/worksheets/") && strings.HasSuffix(part.Name, ".xml")
		r, err := part.Open()
		if err != nil {
			return &FileError{0, "the file is damaged: " + err.Error()}
		}
		n, err := inPieces(io.LimitReader(r, left+1), func(xml []byte) error {
			for _, m := range eitherText.FindAllSubmatch(xml, -1) {
				t.texts[string(m[1])] = true
			}
			if !sheet {
				return nil
			}
			if cell := formulaAlone.FindSubmatch(xml); cell != nil {
				return &FileError{0, fmt.Sprintf(
					"cell %s holds a formula without its value. Open the file in a spreadsheet program and save it, or put values in the place of formulas.", cell[1])}
			}
			for _, m := range mergedCells.FindAllSubmatch(xml, -1) {
				if string(m[2]) != string(m[4]) {
					return &FileError{0, fmt.Sprintf(
						"cells %s%s to %s%s are merged over several rows. Split them, so that each row says its own values.", m[1], m[2],
						m[3], m[4])}
				}
			}
			return nil
		})
		var said *FileError
		if err = errors.Join(err, r.Close()); errors.As(err, &said) {
			return said
		} else if err != nil {
			return &FileError{0, "the file is damaged: " + err.Error()}
		}
		if left -= n; left < 0 {
			return &FileError{0, fmt.Sprintf("the spreadsheet unpacks to more than %d MB. Save it as CSV.", mostUnpacked>>20)}
		}
	}
	return nil
}

// inPieces shows a stream in pieces, each with the end of the one before, so that a short pattern is whole in one.
func inPieces(r io.Reader, each func(piece []byte) error) (read int64, err error) {
	const size, again = 1 << 20, 4 << 10
	buf := make([]byte, 0, size+again)
	for {
		n, err := io.ReadFull(r, buf[len(buf):cap(buf)][:size])
		read += int64(n)
		buf = buf[:len(buf)+n]
		if n > 0 {
			if err := each(buf); err != nil {
				return read, err
			}
		}
		if errors.Is(err, io.EOF) || errors.Is(err, io.ErrUnexpectedEOF) {
			return read, nil
		}
		if err != nil {
			return read, err
		}
		buf = append(buf[:0], buf[max(0, len(buf)-again):]...)
	}
}
