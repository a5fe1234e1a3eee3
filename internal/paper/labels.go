package paper

import (
	"fmt"
	"io"

	"codeberg.org/go-pdf/fpdf"
	"github.com/boombuler/barcode/ean"
)

// Format is how labels lie on a sheet of A4, in millimetres.
type Format struct {
	Code          string
	Columns, Rows int
	Width, Height float64
	Left, Top     float64 // of the first
}

// Formats are the sheets there are, the largest labels first. They fill a sheet of 210 × 297 mm.
var Formats = []Format{
	format("105x74", 2, 4, 105, 74.25), format("105x57", 2, 5, 105, 57), format("70x42", 3, 7, 70, 42.3),
	format("70x37", 3, 8, 70, 37), format("52x30", 4, 10, 52.5, 29.7),
}

func format(code string, columns, rows int, width, height float64) Format {
	return Format{code, columns, rows, width, height, (210 - float64(columns)*width) / 2, (297 - float64(rows)*height) / 2}
}

// FormatOf is the sheet with a code; false: there is none.
func FormatOf(code string) (Format, bool) {
	for _, f := range Formats {
		if f.Code == code {
			return f, true
		}
	}
	return Format{}, false
}

// Labels sets a shelf label for each good. The first sheet may have lost its first labels already: skip. It says how
// many texts hold letters that cannot be set, which are boxes.
func Labels(to io.Writer, h Head, f Format, skip int, goods []Good) (missed int, err error) {
	pdf, l := newSheet(h), newLetters()
	per := f.Columns * f.Rows
	skip %= per
	for i := range goods {
		place := skip + i
		if i == 0 || place%per == 0 {
			pdf.AddPage()
		}
		place %= per
		x, y := f.Left+float64(place%f.Columns)*f.Width, f.Top+float64(place/f.Columns)*f.Height
		if err := label(pdf, l, h, &goods[i], x, y, f.Width, f.Height); err != nil {
			return l.missed, fmt.Errorf("set the label of %q: %w", goods[i].SKU, err)
		}
	}
	if len(goods) == 0 {
		pdf.AddPage()
	}
	return l.missed, written(pdf, to)
}

// label sets one: the name above, the price large at the right, beside it what it was and what a unit costs, and the
// bars below.
func label(pdf *fpdf.Fpdf, l *letters, h Head, g *Good, x, y, w, hgt float64) error {
	const pad = 2.5
	size := func(mm float64) float64 { return mm / point } // of letters so many millimetres high
	scale := hgt / 37
	small, name, large := max(1.9, 2.3*scale), max(2.6, 3.3*scale), max(5.5, 8.5*scale)
	inner := w - 2*pad
	text := func(style string, mm, x, y float64, s string) {
		pdf.SetFont(face, style, size(mm))
		pdf.Text(x, y, s)
	}
	right := func(style string, mm, edge, y float64, s string) float64 {
		pdf.SetFont(face, style, size(mm))
		width := pdf.GetStringWidth(s)
		pdf.Text(edge-width, y, s)
		return width
	}
	pdf.SetFont(face, "B", size(name))
	at := y + pad + name
	for _, line := range broken(pdf, l.set(g.Name), inner, 2) {
		text("B", name, x+pad, at, line)
		at += name * 1.2
	}
	foot := y + hgt - pad
	barsHigh := 0.0
	if code, drawn := eanOf(g.GTIN); drawn {
		barsHigh = hgt*0.2 + small
		if err := bars(pdf, code, x+pad, foot-barsHigh, min(0.33*95, inner*0.55), hgt*0.2); err != nil {
			return err
		}
		pdf.SetFont(face, "", size(small))
		text("", small, x+pad, foot, code)
	}
	pdf.SetFont(face, "", size(small))
	sku := fitted(pdf, l.set(g.SKU), inner*0.42)
	right("", small, x+w-pad, foot, sku)
	base := foot - small*1.6
	wide := right("B", large, x+w-pad, base, g.Price)
	right("", small, x+w-pad-wide-1, base, h.Currency)
	beside := base - large*1.05
	if g.PerUnit != "" {
		right("", small, x+w-pad, beside, g.PerUnit+" per "+l.set(g.Of))
		beside -= small * 1.3
	}
	if g.Reference != "" {
		words := "was " + g.Reference
		wide := right("", small*1.15, x+w-pad, beside, words)
		pdf.SetLineWidth(0.2)
		pdf.SetFont(face, "", size(small*1.15))
		amount := pdf.GetStringWidth(g.Reference)
		pdf.Line(x+w-pad-amount, beside-small*0.4, x+w-pad, beside-small*0.4)
		if g.ReferenceWords != "" {
			pdf.SetFont(face, "", size(small*0.9))
			note := fitted(pdf, g.ReferenceWords, inner-wide-3)
			right("", small*0.9, x+w-pad-wide-2, beside, note)
		}
	}
	return nil
}

// eanOf is what the bars of a GTIN say: EAN-13, of which one of 12 digits is a part, or EAN-8; false where it has none.
func eanOf(gtin string) (string, bool) {
	switch len(gtin) {
	case 8, 13:
		return gtin, true
	case 12:
		return "0" + gtin, true
	case 14:
		if gtin[0] == '0' {
			return gtin[1:], true
		}
	}
	return "", false
}

// bars draws a code as rectangles, its quiet zones included.
func bars(pdf *fpdf.Fpdf, code string, x, y, width, height float64) error {
	encoded, err := ean.Encode(code)
	if err != nil {
		return fmt.Errorf("encode %q: %w", code, err)
	}
	modules := encoded.Bounds().Dx()
	const quiet = 7
	module := width / float64(modules+2*quiet)
	pdf.SetFillColor(0, 0, 0)
	for from := 0; from < modules; {
		dark := isDark(encoded.At(from, 0).RGBA())
		to := from
		for to < modules && isDark(encoded.At(to, 0).RGBA()) == dark {
			to++
		}
		if dark {
			pdf.Rect(x+float64(quiet+from)*module, y, float64(to-from)*module, height, "F")
		}
		from = to
	}
	return nil
}

func isDark(r, _, _, _ uint32) bool { return r < 0x8000 }
