// Package intake reads files of goods, sales, agreed prices and exchange rates as stores write them: it finds out how a
// file is written, matches its columns, and says row by row what an import would change and what is wrong. It writes
// nothing; saving belongs to package store.
package intake

import (
	"bytes"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"
	"unicode/utf8"

	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/encoding/unicode"
)

// maxLine is the longest line that a text file may have, in bytes.
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
	Format  Format
	Headers []string
	Rows    [][]string
	Lines   []int    // the line on which each row begins, from 1
	Sheet   bool     // from a spreadsheet, where numbers are stored as numbers and one may be a date
	Top     []string // the first rows, shortened, to choose the header from

	date1904 bool            // a spreadsheet whose numbers count days from 1904
	texts    map[string]bool // texts of a spreadsheet that look like numbers which could be read in two ways
}

const (
	mostRows = 1_000_000
	mostTop  = 20
)

// Read reads a text file or a spreadsheet as it is written; what as says of that holds in place of what is found. Its
// errors are FileErrors.
func Read(data []byte, as *Format) (*Table, error) {
	if IsXLSX(data) {
		return ReadXLSX(data, as)
	}
	return ReadText(data, as)
}

// ReadText reads a text file (RFC 4180, or with other signs between its cells). Its errors are FileErrors.
func ReadText(data []byte, as *Format) (*Table, error) {
	f := Format{Header: -1}
	if as != nil {
		f = *as
	}
	if len(bytes.TrimSpace(data)) == 0 {
		return nil, &FileError{0, "the file is empty"}
	}
	text, err := decode(data, &f)
	if err != nil {
		return nil, err
	}
	if err := checkLines(text); err != nil {
		return nil, err
	}
	if separators[f.Separator] == 0 {
		f.Separator = findSeparator(text)
	}
	r := csv.NewReader(bytes.NewReader(text))
	r.Comma, r.FieldsPerRecord, r.LazyQuotes = separators[f.Separator], -1, false
	t := &Table{Format: f}
	var first [][]string // rows that may be above the table
	var at []int
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
		if filled(record) == 0 {
			continue
		}
		if len(t.Rows)+len(first) == mostRows+1 {
			return nil, &FileError{0, fmt.Sprintf("the file has more than %d rows. Split it.", mostRows)}
		}
		line, _ := r.FieldPos(0)
		if len(first) < mostTop {
			first, at = append(first, record), append(at, line)
			continue
		}
		t.Rows, t.Lines = append(t.Rows, record), append(t.Lines, line)
	}
	return t.head(first, at)
}

// decode brings a text file to UTF-8 and finds its encoding where f does not say it.
func decode(data []byte, f *Format) ([]byte, error) {
	mark := bytes.HasPrefix(data, []byte("\xff\xfe")) || bytes.HasPrefix(data, []byte("\xfe\xff"))
	if f.Encoding == "" {
		switch {
		case mark:
			f.Encoding = UTF16
		case utf8.Valid(data):
			f.Encoding = UTF8
		default:
			f.Encoding = Windows1252
		}
	}
	switch f.Encoding {
	case UTF16:
		text, err := unicode.UTF16(unicode.LittleEndian, unicode.UseBOM).NewDecoder().Bytes(data)
		if err != nil {
			return nil, &FileError{0, "this is no UTF-16 text: " + err.Error()}
		}
		return text, nil
	case Windows1252:
		if bytes.IndexByte(data, 0) >= 0 {
			return nil, &FileError{1 + bytes.Count(data[:bytes.IndexByte(data, 0)], []byte("\n")),
				"this line holds zero bytes. Is this a text file? Save it as CSV in UTF-8 and choose it again."}
		}
		text, err := charmap.Windows1252.NewDecoder().Bytes(data)
		if err != nil {
			return nil, &FileError{0, "this is no Windows-1252 text: " + err.Error()}
		}
		return text, nil
	}
	return bytes.TrimPrefix(data, []byte("\xef\xbb\xbf")), nil
}

// checkLines refuses what is no text of lines.
func checkLines(text []byte) error {
	line, rest := 0, text
	for len(rest) > 0 {
		line++
		one := rest
		if i := bytes.IndexByte(rest, '\n'); i >= 0 {
			one, rest = rest[:i], rest[i+1:]
		} else {
			rest = nil
		}
		if len(one) > maxLine {
			return &FileError{line, fmt.Sprintf("this line is %.1f MB long; a line may have at most 1 MB. Is this a CSV file?",
				float64(len(one))/(1<<20))}
		}
		if !utf8.Valid(one) {
			return &FileError{line, fmt.Sprintf(
				"this line is not UTF-8 text (near %q). Choose another encoding above, or save the file as CSV in UTF-8.",
				around(one))}
		}
		if bytes.IndexByte(one, 0) >= 0 {
			return &FileError{line, "this line holds zero bytes. Is this a CSV file?"}
		}
	}
	return nil
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

var separators = map[string]rune{"comma": ',', "semicolon": ';', "tab": '\t', "bar": '|'}

// findSeparator is the sign that cuts the first lines into the most alike rows.
func findSeparator(text []byte) string {
	sample := text
	if len(sample) > 64<<10 {
		sample = sample[:bytes.LastIndexByte(sample[:64<<10], '\n')+1]
		if len(sample) == 0 {
			sample = text
		}
	}
	best, bestAlike, bestWidth := "comma", -1.0, 0
	for _, name := range []string{"comma", "semicolon", "tab", "bar"} {
		r := csv.NewReader(bytes.NewReader(sample))
		r.Comma, r.FieldsPerRecord, r.LazyQuotes = separators[name], -1, true
		widths, rows := map[int]int{}, 0
		for rows < 60 {
			record, err := r.Read()
			if err != nil {
				break
			}
			if filled(record) > 0 {
				widths[len(record)]++
				rows++
			}
		}
		width, most := 0, 0
		for w, n := range widths {
			if n > most || n == most && w > width {
				width, most = w, n
			}
		}
		if width < 2 {
			continue
		}
		if alike := float64(most) / float64(rows); alike > bestAlike || alike == bestAlike && width > bestWidth {
			best, bestAlike, bestWidth = name, alike, width
		}
	}
	return best
}

func filled(cells []string) int {
	n := 0
	for _, c := range cells {
		if strings.TrimSpace(c) != "" {
			n++
		}
	}
	return n
}

// head finds the row that names the columns among the first ones and puts the rest in front of the others.
func (t *Table) head(first [][]string, lines []int) (*Table, error) {
	for _, cells := range first {
		shown := make([]string, len(cells))
		for i, c := range cells {
			shown[i] = shorten(strings.TrimSpace(c))
		}
		t.Top = append(t.Top, strings.Join(shown, " · "))
	}
	if t.Format.Header < 0 {
		t.Format.Header = findHeader(first)
	}
	if t.Format.Header > len(first) {
		return nil, &FileError{0, fmt.Sprintf("the file has no row %d", t.Format.Header)}
	}
	body := first[t.Format.Header:]
	if t.Format.Header > 0 {
		t.Headers = slices.Clone(first[t.Format.Header-1])
	} else {
		widest := 0
		for _, cells := range first {
			widest = max(widest, len(cells))
		}
		t.Headers = make([]string, widest)
		for i := range t.Headers {
			t.Headers[i] = "Column " + letters(i)
		}
	}
	seen := map[string]bool{}
	for i, h := range t.Headers {
		h = strings.TrimSpace(h)
		if h != "" && seen[h] { // the same name twice is two columns all the same
			h = fmt.Sprintf("%s (%s)", h, letters(i))
		}
		seen[h] = true
		t.Headers[i] = h
	}
	t.Rows, t.Lines = append(slices.Clone(body), t.Rows...), append(slices.Clone(lines[t.Format.Header:]), t.Lines...)
	if t.Sheet {
		for i, cells := range t.Rows { // the format leaves out empty cells at the end
			for len(cells) < len(t.Headers) {
				cells = append(cells, "")
			}
			t.Rows[i] = cells
		}
	}
	if len(t.Rows) == 0 {
		return nil, &FileError{0, "the file has a header but no rows"}
	}
	return t, nil
}

// letters names a column as spreadsheets do.
func letters(i int) string {
	name := ""
	for i++; i > 0; i = (i - 1) / 26 {
		name = string(rune('A'+(i-1)%26)) + name
	}
	return name
}

// findHeader is the row, from 1, that names the columns: the first that is as wide as the table and holds no numbers;
// 0 where there is none.
func findHeader(first [][]string) int {
	wide := 0
	for _, cells := range first {
		wide = max(wide, filled(cells))
	}
	for i, cells := range first {
		if filled(cells) < 2 && wide > 1 && i < len(first)-1 {
			continue // a title above the table
		}
		for _, c := range cells {
			number, _, _ := bare(c)
			if number != "" && strings.IndexFunc(number, func(r rune) bool {
				return !strings.ContainsRune("0123456789.,'-",
					r)
			}) < 0 {
				return 0
			}
			if order, either := saysDates(c); order != "" || either {
				return 0
			}
		}
		return i + 1
	}
	return 1
}
