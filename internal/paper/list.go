package paper

import (
	"fmt"
	"io"
	"strconv"
	"strings"

	"github.com/xuri/excelize/v2"

	"dogbane/internal/money"
)

// The columns of a list, in millimetres from the left edge of an A4 sheet: where a text begins or an amount ends.
const (
	listLeft, listRight = 15.0, 195.0
	listName            = 45.0
	listUnit            = 170.0 // where the price of a unit ends
	listLine, listLow   = 5.0, 3.6
)

// ListPDF sets a price list, by category as the goods come. It says how many texts hold letters that cannot be set.
func ListPDF(to io.Writer, h Head, goods []Good) (missed int, err error) {
	pdf, l := newSheet(h), newLetters()
	pdf.AliasNbPages("{pages}")
	y := 0.0
	begin := func(first bool) {
		pdf.AddPage()
		y = 18
		if first {
			pdf.SetFont(face, "B", 17)
			for _, line := range broken(pdf, l.set(h.Title), listRight-listLeft, 2) {
				pdf.Text(listLeft, y, line)
				y += 7
			}
			pdf.SetFont(face, "", 9)
			pdf.Text(listLeft, y, fmt.Sprintf("Prices in %s %s, as of %s", h.Currency, h.Tax, h.At))
			y += 6
			for _, part := range strings.Split(h.Note, "\n") {
				for _, line := range broken(pdf, l.set(part), listRight-listLeft, 6) {
					pdf.Text(listLeft, y, line)
					y += 4.4
				}
			}
			y += 2
		} else {
			pdf.SetFont(face, "", 8)
			pdf.Text(listLeft, 12, fitted(pdf, l.set(h.Title), 140))
		}
		pdf.SetFont(face, "", 8)
		page := fmt.Sprintf("%d of {pages}", pdf.PageNo())
		pdf.Text(listRight-14, 287, page)
	}
	right := func(style string, size, edge float64, s string) {
		pdf.SetFont(face, style, size)
		pdf.Text(edge-pdf.GetStringWidth(s), y, s)
	}
	begin(true)
	category := "\x00"
	heading := func(again bool) {
		name := category
		if name == "" {
			name = "Other goods"
		}
		if again {
			name += " (continued)"
		}
		y += 3
		pdf.SetFont(face, "B", 10)
		pdf.Text(listLeft, y, fitted(pdf, l.set(strings.ReplaceAll(name, "/", " › ")), listRight-listLeft))
		pdf.SetLineWidth(0.25)
		pdf.Line(listLeft, y+1.4, listRight, y+1.4)
		y += 6
	}
	for i := range goods {
		g := &goods[i]
		pdf.SetFont(face, "", 8)
		below := broken(pdf, l.set(strings.Join(belowOf(g), "  ·  ")), listRight-listName, 3)
		if below[0] == "" {
			below = nil
		}
		need := listLine + listLow*float64(len(below))
		if g.Category != category {
			if y+need+14 > 280 {
				begin(false)
			}
			category = g.Category
			heading(false)
		} else if y+need > 280 {
			begin(false)
			heading(true)
		}
		pdf.SetFont(face, "", 8)
		pdf.Text(listLeft, y, fitted(pdf, l.set(g.SKU), listName-listLeft-2))
		pdf.SetFont(face, "", 9)
		pdf.Text(listName, y, fitted(pdf, l.set(g.Name), listUnit-listName-22))
		if g.PerUnit != "" {
			right("", 8, listUnit, g.PerUnit+" per "+l.set(g.Of))
		}
		right("B", 9, listRight, g.Price)
		pdf.SetFont(face, "", 8)
		for _, words := range below {
			y += listLow
			pdf.Text(listName, y, words)
		}
		y += listLine
	}
	return l.missed, written(pdf, to)
}

// belowOf is what stands below a product's name.
func belowOf(g *Good) (parts []string) {
	if g.Reference != "" {
		parts = append(parts, strings.TrimSpace("was "+g.Reference+" "+g.ReferenceWords))
	}
	for _, b := range g.Breaks {
		parts = append(parts, fmt.Sprintf("from %d: %s", b.From, b.Price))
	}
	if g.Until != "" {
		parts = append(parts, "until "+g.Until)
	}
	return parts
}

// listColumns are those of the spreadsheet.
var listColumns = []any{"Category", "SKU", "Name", "GTIN", "From quantity", "Price", "Currency", "Reduced from",
	"Price per unit", "Unit", "Until"}

// ListXLSX writes a price list as a spreadsheet, a row for each quantity from which a price holds. Texts are texts,
// also where they begin as a formula would; amounts are numbers that show the currency's digits.
func ListXLSX(to io.Writer, h Head, digits int, goods []Good) error {
	f := excelize.NewFile()
	defer f.Close()
	shown := "0"
	if digits > 0 {
		shown += "." + strings.Repeat("0", digits)
	}
	amounts, err := f.NewStyle(&excelize.Style{CustomNumFmt: &shown})
	if err != nil {
		return err
	}
	bold, err := f.NewStyle(&excelize.Style{Font: &excelize.Font{Bold: true}})
	if err != nil {
		return err
	}
	w, err := f.NewStreamWriter("Sheet1")
	if err != nil {
		return err
	}
	if err := w.SetColWidth(1, 3, 28); err != nil {
		return err
	}
	n := 0
	row := func(cells ...any) error {
		n++
		return w.SetRow("A"+strconv.Itoa(n), cells)
	}
	head := make([]any, len(listColumns))
	for i, c := range listColumns {
		head[i] = excelize.Cell{StyleID: bold, Value: c}
	}
	above := [][]any{{excelize.Cell{StyleID: bold, Value: h.Title}},
		{fmt.Sprintf("Prices in %s %s, as of %s", h.Currency, h.Tax, h.At)}}
	if h.Note != "" {
		above = append(above, []any{h.Note})
	}
	for _, cells := range append(above, []any{}, head) {
		if err := row(cells...); err != nil {
			return err
		}
	}
	amount := func(text string) any {
		// A spreadsheet's numbers are binary: the cell shows the exact decimal, which is what this file is for.
		a, err := money.Parse(text)
		if err != nil {
			return nil
		}
		return excelize.Cell{StyleID: amounts, Value: a.Float()}
	}
	for i := range goods {
		g := &goods[i]
		for k, b := range append([]Break{{1, g.Price}}, g.Breaks...) {
			cells := []any{g.Category, g.SKU, g.Name, g.GTIN, b.From, amount(b.Price), h.Currency, nil, nil, nil, g.Until}
			if k == 0 {
				cells[7], cells[8], cells[9] = amount(g.Reference), amount(g.PerUnit), g.Of
			}
			if err := row(cells...); err != nil {
				return err
			}
		}
	}
	if err := w.Flush(); err != nil {
		return err
	}
	return f.Write(to)
}
