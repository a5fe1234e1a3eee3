package format

import (
	"bufio"
	"bytes"
	"encoding/csv"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"maps"
	"runtime"
	"slices"
	"strconv"
	"strings"

	"golang.org/x/sync/errgroup"
)

// Columns of the files, in order.
var (
	PriceColumns = []string{"sku", "name", "price", "reference", "currency", "from_quantity", "group", "as", "until",
		"action"}
	AnswerColumns = []string{"sku", "answer", "message"}
)

type csvBreak struct {
	From  int    `json:"from"`
	Price string `json:"price"`
}

// csvLine is what a file says of a line.
type csvLine struct {
	SKU, Name, Price, Reference, Currency, As, Until string
	Breaks                                           []csvBreak
	Groups                                           map[string]struct {
		Price  string
		Breaks []csvBreak
	}
	Order struct{ Min int }
}

// rowsOf are the rows of a line, one for each price, without an action.
func rowsOf(data json.RawMessage) (rows [][]string, err error) {
	var l csvLine
	if err := json.Unmarshal(data, &l); err != nil {
		return nil, fmt.Errorf("write the prices: %w", err)
	}
	row := func(price, reference, group string, from int) {
		rows = append(rows, []string{l.SKU, l.Name, price, reference, l.Currency, strconv.Itoa(from), group, l.As, l.Until})
	}
	least := max(l.Order.Min, 1)
	row(l.Price, l.Reference, "", least)
	for _, b := range l.Breaks {
		row(b.Price, "", "", b.From)
	}
	for _, code := range slices.Sorted(maps.Keys(l.Groups)) {
		row(l.Groups[code].Price, "", code, least)
		for _, b := range l.Groups[code].Breaks {
			row(b.Price, "", code, b.From)
		}
	}
	return rows, nil
}

// CSV is a file of lines and of SKUs that are no longer shown: RFC 4180 with a header, one row for each price.
func CSV(lines []json.RawMessage, remove []string) ([]byte, error) {
	pieces := slices.Collect(slices.Chunk(lines, 1000))
	written := make([]bytes.Buffer, len(pieces)+2)
	var work errgroup.Group
	work.SetLimit(runtime.GOMAXPROCS(0))
	for i, piece := range pieces {
		work.Go(func() error { return setAll(&written[i+1], piece) })
	}
	gone := make([][]string, len(remove))
	for i, sku := range remove {
		gone[i] = []string{sku, "", "", "", "", "", "", "", "", "remove"}
	}
	err := errors.Join(writeAll(&written[0], [][]string{PriceColumns}), writeAll(&written[len(pieces)+1], gone),
		work.Wait())
	if err != nil {
		return nil, err
	}
	var whole bytes.Buffer
	for i := range written {
		whole.Write(written[i].Bytes())
	}
	return whole.Bytes(), nil
}

// setAll writes the prices of lines that are set.
func setAll(to io.Writer, lines []json.RawMessage) error {
	var records [][]string
	for _, data := range lines {
		rows, err := rowsOf(data)
		if err != nil {
			return err
		}
		for _, r := range rows {
			records = append(records, append(r, "set"))
		}
	}
	return writeAll(to, records)
}

func writeAll(to io.Writer, records [][]string) error {
	if err := csv.NewWriter(to).WriteAll(records); err != nil {
		return fmt.Errorf("write the prices: %w", err)
	}
	return nil
}

// Feed writes lines as a file that a channel fetches: RFC 4180, one row for each price. A cell that a spreadsheet would
// take for a formula is disarmed with an apostrophe.
type Feed struct {
	light
	to *bufio.Writer
}

// NewFeed begins a feed with its header.
func NewFeed(to io.Writer) (*Feed, error) {
	f := &Feed{to: bufio.NewWriter(to)}
	_, err := f.to.WriteString(strings.Join(PriceColumns[:len(PriceColumns)-1], ",") + "\r\n")
	return f, err
}

// Disarmed is a text that no spreadsheet runs as a formula.
func Disarmed(text string) string {
	if text != "" && strings.ContainsRune("=+-@\t\r", rune(text[0])) {
		return "'" + text
	}
	return text
}

// Write writes lines, made ready by every processor.
func (f *Feed) Write(lines ...json.RawMessage) error {
	pieces := slices.Collect(slices.Chunk(lines, 1+len(lines)/runtime.GOMAXPROCS(0)))
	written := make([]bytes.Buffer, len(pieces))
	var work errgroup.Group
	for i, piece := range pieces {
		work.Go(func() error { return disarmedRows(&written[i], piece) })
	}
	if err := work.Wait(); err != nil {
		return err
	}
	for i := range written {
		if _, err := f.to.Write(written[i].Bytes()); err != nil {
			return fmt.Errorf("write the feed: %w", err)
		}
	}
	return nil
}

// disarmedRows writes the rows of lines. The package's own CRLF would change line breaks within cells.
func disarmedRows(to *bytes.Buffer, lines []json.RawMessage) error {
	w := csv.NewWriter(to)
	for _, line := range lines {
		rows, err := rowsOf(line)
		if err != nil {
			return err
		}
		for _, r := range rows {
			for i, cell := range r {
				r[i] = Disarmed(cell)
			}
			if err := w.Write(r); err != nil {
				return fmt.Errorf("write the feed: %w", err)
			}
			w.Flush()
			to.Truncate(to.Len() - 1)
			to.WriteString("\r\n")
		}
	}
	return nil
}

// End writes what is left.
func (f *Feed) End() error { return f.to.Flush() }

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
