package format

import (
	"bufio"
	"bytes"
	"encoding/csv"
	"encoding/json"
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

// rowsOf visits the rows of a line, one for each price, without an action. A row is used again for the next.
func rowsOf(data json.RawMessage, visit func(row []string) error) error {
	var l csvLine
	if err := json.Unmarshal(data, &l); err != nil {
		return fmt.Errorf("write the prices: %w", err)
	}
	cells := make([]string, 0, len(PriceColumns))
	row := func(price, reference, group string, from int) error {
		return visit(append(cells, l.SKU, l.Name, price, reference, l.Currency, strconv.Itoa(from), group, l.As, l.Until))
	}
	of := func(price, reference, group string, breaks []csvBreak) error {
		err := row(price, reference, group, max(l.Order.Min, 1))
		for i := 0; i < len(breaks) && err == nil; i++ {
			err = row(breaks[i].Price, "", group, breaks[i].From)
		}
		return err
	}
	err := of(l.Price, l.Reference, "", l.Breaks)
	for _, code := range slices.Sorted(maps.Keys(l.Groups)) {
		if err == nil {
			err = of(l.Groups[code].Price, "", code, l.Groups[code].Breaks)
		}
	}
	return err
}

// CSV writes a file of lines and of SKUs that are no longer shown: RFC 4180 with a header, one row for each price.
func CSV(to io.Writer, lines []json.RawMessage, remove []string) error {
	if err := writeAll(to, [][]string{PriceColumns}); err != nil {
		return err
	}
	for some := range slices.Chunk(lines, linesAtOnce) {
		if err := together(to, some, setRows); err != nil {
			return err
		}
	}
	gone := make([][]string, len(remove))
	for i, sku := range remove {
		gone[i] = []string{sku, "", "", "", "", "", "", "", "", "remove"}
	}
	return writeAll(to, gone)
}

// linesAtOnce is how many lines are in memory as they are written.
const linesAtOnce = 4000

// together writes lines in their order, made ready by every processor.
func together(to io.Writer, lines []json.RawMessage,
	write func(to *bytes.Buffer, lines []json.RawMessage) error) error {
	pieces := slices.Collect(slices.Chunk(lines, 1+len(lines)/runtime.GOMAXPROCS(0)))
	written := make([]bytes.Buffer, len(pieces))
	var work errgroup.Group
	for i, piece := range pieces {
		work.Go(func() error { return write(&written[i], piece) })
	}
	if err := work.Wait(); err != nil {
		return err
	}
	for i := range written {
		if _, err := to.Write(written[i].Bytes()); err != nil {
			return fmt.Errorf("write the prices: %w", err)
		}
	}
	return nil
}

// setRows writes the rows of lines that are set.
func setRows(to *bytes.Buffer, lines []json.RawMessage) error {
	w := csv.NewWriter(to)
	for _, line := range lines {
		if err := rowsOf(line, func(row []string) error { return w.Write(append(row, "set")) }); err != nil {
			return err
		}
	}
	w.Flush()
	return w.Error()
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

// Write writes lines.
func (f *Feed) Write(lines ...json.RawMessage) error { return together(f.to, lines, disarmedRows) }

// disarmedRows writes the rows of lines. The package's own CRLF would change line breaks within cells.
func disarmedRows(to *bytes.Buffer, lines []json.RawMessage) error {
	w := csv.NewWriter(to)
	for _, line := range lines {
		err := rowsOf(line, func(row []string) error {
			for i, cell := range row {
				row[i] = Disarmed(cell)
			}
			if err := w.Write(row); err != nil {
				return fmt.Errorf("write the feed: %w", err)
			}
			w.Flush()
			to.Truncate(to.Len() - 1)
			to.WriteString("\r\n")
			return nil
		})
		if err != nil {
			return err
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
