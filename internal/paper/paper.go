// Package paper sets what people read on paper: shelf labels and price lists, as PDF and as a spreadsheet. It is given
// goods with prices in words and sets them; what a price is, it does not know.
package paper

import (
	"io"
	"strings"
	"time"

	"codeberg.org/go-pdf/fpdf"
	"golang.org/x/image/font/gofont/gobold"
	"golang.org/x/image/font/gofont/goregular"
	"golang.org/x/image/font/sfnt"
)

// Good is a product as it is printed. Amounts are decimal texts with the currency's digits.
type Good struct {
	SKU, Name, Category string
	GTIN                string // of 8, 12, 13 or 14 digits; "": no bars
	Price               string
	Reference           string // what the price is shown as reduced from; "": nothing
	ReferenceWords      string // what the reference is
	PerUnit, Of         string // the price of a litre, a kilogram and the like; "": none
	Breaks              []Break
	Until               string // how long the price holds, in words; "": nobody knows an end
}

// Break is the price of a piece from a quantity on.
type Break struct {
	From  int
	Price string
}

// Head is what is said of a whole sheet or list.
type Head struct {
	Title, Note string
	Currency    string
	At          string // the moment of the prices, in words
	Tax         string // whether tax is in the prices, in words
	Made        time.Time
}

const (
	face = "go"
	// Points to millimetres.
	point = 25.4 / 72
)

// sheet is a document in which all names can be set.
func newSheet(h Head) *fpdf.Fpdf {
	pdf := fpdf.New("P", "mm", "A4", "")
	pdf.AddUTF8FontFromBytes(face, "", goregular.TTF)
	pdf.AddUTF8FontFromBytes(face, "B", gobold.TTF)
	pdf.SetTitle(h.Title, true)
	pdf.SetCreator("Dogbane", true)
	pdf.SetCreationDate(h.Made)
	pdf.SetModificationDate(h.Made)
	pdf.SetCatalogSort(true)
	pdf.SetAutoPageBreak(false, 0)
	return pdf
}

func written(pdf *fpdf.Fpdf, to io.Writer) error { return pdf.Output(to) }

// letters knows which letters can be set: those of Latin, Greek and Cyrillic.
type letters struct {
	font *sfnt.Font
	buf  sfnt.Buffer
	// missed counts texts of which some letter cannot be set.
	missed int
}

func newLetters() *letters {
	font, err := sfnt.Parse(goregular.TTF)
	if err != nil {
		panic("paper: the font that ships with the program: " + err.Error())
	}
	return &letters{font: font}
}

// set is a text on one line, a box in the place of each letter that cannot be set.
func (l *letters) set(text string) string {
	missed := false
	out := strings.Map(func(r rune) rune {
		switch {
		case r == '\n' || r == '\r' || r == '\t':
			return ' '
		case r < ' ' || r == 0x7f || r >= 0x200b && r <= 0x200f || r >= 0x202a && r <= 0x202e || r >= 0x2066 && r <= 0x2069 ||
			r >= 0xfe00 && r <= 0xfe0f:
			return -1 // it is not seen
		}
		if g, err := l.font.GlyphIndex(&l.buf, r); err == nil && g != 0 && r <= 0xffff {
			return r
		}
		missed = true
		return '□'
	}, text)
	if missed {
		l.missed++
	}
	return out
}

// fitted is a text cut off with an ellipsis where it is wider than so many millimetres.
func fitted(pdf *fpdf.Fpdf, text string, width float64) string {
	if pdf.GetStringWidth(text) <= width {
		return text
	}
	letters := []rune(text)
	for len(letters) > 0 && pdf.GetStringWidth(string(letters)+"…") > width {
		letters = letters[:len(letters)-1]
	}
	return strings.TrimRight(string(letters), " ") + "…"
}

// broken is a text in lines of at most a width, at most so many, the last one cut off.
func broken(pdf *fpdf.Fpdf, text string, width float64, most int) (lines []string) {
	line := ""
	words := strings.Fields(text)
	for i, word := range words {
		next := strings.TrimSpace(line + " " + word)
		if line == "" || pdf.GetStringWidth(next) <= width {
			line = next
			continue
		}
		if len(lines) == most-1 {
			return append(lines, fitted(pdf, line+" "+strings.Join(words[i:], " "), width))
		}
		lines, line = append(lines, fitted(pdf, line, width)), word
	}
	return append(lines, fitted(pdf, line, width))
}
