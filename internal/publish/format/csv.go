package format

import (
	"bufio"
	"bytes"
	"encoding/csv"
	"encoding/json"
	"fmt"
	"io"
	"log/slog"
	"maps"
	"runtime"
	"slices"
	"strconv"
	"strings"

	"golang.org/x/sync/errgroup"
)

// Columns of the files, in order: what is told of a price, and how it makes the total of a line. A folder's file says
// between the two what is to be done.
var (
	priceColumns = []string{"sku", "name", "price", "reference", "currency", "from_quantity", "group", "as", "until"}
	totalColumns = []string{"method", "ask"}

	PriceColumns  = append(append(slices.Clone(priceColumns), "action"), totalColumns...)
	FeedColumns   = append(slices.Clone(priceColumns), totalColumns...)
	AnswerColumns = []string{"sku", "answer", "message"}
)

type csvBreak struct {
	From  int    `json:"from"`
	Price string `json:"price"`
}

// csvPrices are what guests or a group pay.
type csvPrices struct {
	Price, Method string
	Breaks        []csvBreak
	Ask           bool
}

// csvLine is what a file says of a line.
type csvLine struct {
	csvPrices
	SKU, Name, Reference, Currency, As, Until string
	Groups                                    map[string]csvPrices
	Order                                     struct{ Min int }
}

// rowsOf visits the rows of a line, one for each price; between, such as an action, stands before how the prices make a
// total. A row is used again for the next.
func rowsOf(data json.RawMessage, between []string, visit func(row []string) error) error {
	var l csvLine
	if err := json.Unmarshal(data, &l); err != nil {
		return fmt.Errorf("write the prices: %w", err)
	}
	cells := make([]string, 0, len(PriceColumns))
	of := func(p *csvPrices, reference, group string) error {
		ask := ""
		if p.Ask {
			ask = "true"
		}
		row := func(price, reference string, from int) error {
			row := append(cells, l.SKU, l.Name, price, reference, l.Currency, strconv.Itoa(from), group, l.As, l.Until)
			return visit(append(append(row, between...), p.Method, ask))
		}
		err := row(p.Price, reference, max(l.Order.Min, 1))
		for i := 0; i < len(p.Breaks) && err == nil; i++ {
			err = row(p.Breaks[i].Price, "", p.Breaks[i].From)
		}
		return err
	}
	err := of(&l.csvPrices, l.Reference, "")
	for _, code := range slices.Sorted(maps.Keys(l.Groups)) {
		if err == nil {
			own := l.Groups[code]
			err = of(&own, "", code)
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
		gone[i] = make([]string, len(PriceColumns))
		gone[i][0], gone[i][len(priceColumns)] = sku, "remove"
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
		if err := rowsOf(line, []string{"set"}, w.Write); err != nil {
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
	_, err := f.to.WriteString(strings.Join(FeedColumns, ",") + "\r\n")
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
		err := rowsOf(line, nil, func(row []string) error {
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
		if i == 0 {
			continue
		}
		switch word := strings.ToLower(strings.TrimSpace(r[1])); word {
		case "taken", "refused":
			answers[r[0]] = Answer{word == "taken", r[2]}
		default: // nobody knows what that means: the line stays without an answer
			slog.Warn("a channel's answer is neither taken nor refused", "sku", r[0], "answer", r[1])
		}
	}
	return answers, nil
}
