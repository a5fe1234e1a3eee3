// Package catalogue brings products in from files: it reads a table, matches its columns, and says row by row what an
// import would change and what is wrong. It writes nothing; saving belongs to package store.
package catalogue

import (
	"bytes"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"
	"unicode/utf8"
)

// maxLine is the longest line that a product file may have, in bytes.
const maxLine = 1 << 20

// FileError says why a file cannot be read at all.
type FileError struct {
	Line    int // 0: the file as a whole
	Problem string
}

func (e *FileError) Error() string {
	if e.Line == 0 {
		return e.Problem
	}
	return fmt.Sprintf("line %d: %s", e.Line, e.Problem)
}

// Table is a file's rows under their headers.
type Table struct {
	Headers []string
	Rows    [][]string
	Lines   []int // the line on which each row begins, from 1

	Sheet    bool // from a spreadsheet, where a number may be a date
	Date1904 bool // whose numbers count days from 1904
}

const mostRows = 1_000_000

// Read reads a product file, a CSV file or a spreadsheet. Its errors are FileErrors.
func Read(data []byte) (*Table, error) {
	if IsXLSX(data) {
		return ReadXLSX(data)
	}
	return ReadCSV(data)
}

// check refuses tables of which no row can be taken.
func (t *Table) check() error {
	for i, h := range t.Headers {
		t.Headers[i] = strings.TrimSpace(h)
	}
	for i, h := range t.Headers {
		if h != "" && slices.Contains(t.Headers[:i], h) {
			return &FileError{1, fmt.Sprintf("two columns have the header %q", h)}
		}
	}
	if len(t.Rows) == 0 {
		return &FileError{0, "the file has a header but no rows"}
	}
	return nil
}

// ReadCSV reads a CSV file (RFC 4180; commas, semicolons or tabs) in UTF-8. Its errors are FileErrors.
func ReadCSV(data []byte) (*Table, error) {
	data = bytes.TrimPrefix(data, []byte("\xef\xbb\xbf"))
	if len(bytes.TrimSpace(data)) == 0 {
		return nil, &FileError{0, "the file is empty"}
	}
	line, rest := 0, data
	for len(rest) > 0 {
		line++
		one := rest
		if i := bytes.IndexByte(rest, '\n'); i >= 0 {
			one, rest = rest[:i], rest[i+1:]
		} else {
			rest = nil
		}
		if len(one) > maxLine {
			return nil, &FileError{line, fmt.Sprintf("this line is %.1f MB long; a line may have at most 1 MB. Is this a CSV file?", float64(len(one))/(1<<20))}
		}
		if !utf8.Valid(one) {
			return nil, &FileError{line, fmt.Sprintf("this line is not UTF-8 text (near %q). Save the file as CSV in UTF-8 and choose it again.", around(one))}
		}
		if bytes.IndexByte(one, 0) >= 0 {
			return nil, &FileError{line, "this line holds zero bytes. Is this a CSV file?"}
		}
	}
	r := csv.NewReader(bytes.NewReader(data))
	r.Comma, r.FieldsPerRecord = separator(data), -1
	t := &Table{}
	for {
		record, err := r.Read()
		if errors.Is(err, io.EOF) {
			break
		}
		var broken *csv.ParseError
		if errors.As(err, &broken) {
			return nil, &FileError{broken.StartLine, "the quotes in this line do not match up (" + broken.Err.Error() + ")"}
		}
		if err != nil {
			return nil, &FileError{0, err.Error()}
		}
		if t.Headers == nil {
			t.Headers = record
			continue
		}
		if len(record) == 1 && strings.TrimSpace(record[0]) == "" {
			continue
		}
		if len(t.Rows) == mostRows {
			return nil, &FileError{0, fmt.Sprintf("the file has more than %d rows. Split it.", mostRows)}
		}
		at, _ := r.FieldPos(0)
		t.Rows, t.Lines = append(t.Rows, record), append(t.Lines, at)
	}
	return t, t.check()
}

// around is a piece of a line at its first byte that is not UTF-8.
func around(line []byte) string {
	for i := 0; i < len(line); {
		r, size := utf8.DecodeRune(line[i:])
		if r == utf8.RuneError && size == 1 {
			return strings.ToValidUTF8(string(line[max(0, i-10):min(len(line), i+10)]), "�")
		}
		i += size
	}
	return ""
}

// separator is the one of comma, semicolon and tab that the header line holds most of.
func separator(data []byte) rune {
	header, _, _ := bytes.Cut(data, []byte("\n"))
	best, most := ',', bytes.Count(header, []byte(","))
	for _, c := range []rune{';', '\t'} {
		if n := bytes.Count(header, []byte(string(c))); n > most {
			best, most = c, n
		}
	}
	return best
}
