package paper

import (
	"bytes"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"
)

var head = Head{Title: "Herbst <b>&</b> =1+1", Note: "While stocks last.\n" + strings.Repeat("a long note ", 30), Currency: "EUR",
	Tax: "with tax", At: "26 November 2026, 09:55", Made: time.Date(2026, 11, 26, 9, 55, 0, 0, time.UTC)}

// numbered is the EAN-13 of a good: its check digit makes the digits, weighed 1 and 3 in turn, a multiple of ten (GS1
// General Specifications, section 7.9).
func numbered(n int) string {
	digits := fmt.Sprintf("590123%06d", n)
	for check := range 10 {
		sum := check
		for i, c := range digits {
			sum += int(c-'0') * (1 + i%2*2)
		}
		if sum%10 == 0 {
			return fmt.Sprint(digits, check)
		}
	}
	panic("no digit fits")
}

// goods have names that a page could choke on, in Latin, Greek and Cyrillic.
func goods(n int) []Good {
	names := []string{`=SUM(A1) "quoted" & <script>`, "Žluťoučký kůň ąćęłńóśźż ğışĞİŞ", "Γλάζα πράσινη 5 λ", "Белая глина, 12,5 кг щъыьэюя",
		strings.Repeat("a very long name ", 12), "unbrokenunbrokenunbrokenunbrokenunbrokenunbrokenunbrokenunbroken"}
	list := make([]Good, n)
	for i := range list {
		list[i] = Good{SKU: fmt.Sprintf("S-%04d", i), Name: names[i%len(names)], Category: fmt.Sprint("Clay & <co>/", i/40),
			GTIN: numbered(i), Price: fmt.Sprintf("%d.%02d", i%300, i%100), PerUnit: "2.59", Of: "kg"}
		if i%3 == 0 {
			list[i].Reference, list[i].ReferenceWords, list[i].Until = "900.00", "lowest in 30 days", "5 December 2026"
			list[i].Breaks = []Break{{10, "8.55"}, {40, "7.95"}}
		}
	}
	return list
}

// read has a document read by the command of another program.
func read(t testing.TB, doc []byte, kind string, command ...string) string {
	t.Helper()
	path := filepath.Join(t.TempDir(), "doc."+kind)
	require.NoError(t, os.WriteFile(path, doc, 0o600))
	for i := range command {
		command[i] = strings.ReplaceAll(command[i], "DOC", path)
	}
	out, err := exec.CommandContext(t.Context(), command[0], command[1:]...).Output()
	require.NoError(t, err, "%s", command)
	return string(out)
}

func labels(t testing.TB, f Format, skip int, list []Good) []byte {
	t.Helper()
	var out bytes.Buffer
	missed, err := Labels(&out, head, f, skip, list)
	require.NoError(t, err)
	require.Zero(t, missed)
	return out.Bytes()
}

// On every sheet each label says name, price, what it was, the price of a unit and its number, and the bars of the first
// page are read by a reader of bars.
func TestLabels(t *testing.T) {
	for _, f := range Formats {
		doc := labels(t, f, 0, goods(f.Columns*f.Rows+1))
		require.Contains(t, read(t, doc, "pdf", "pdfinfo", "DOC"), "Pages:           2", f.Code)
		text := read(t, doc, "pdf", "pdftotext", "-layout", "DOC", "-")
		for _, want := range []string{"=SUM(A1)", "Žluťoučký", "Γλάζα", "Белая глина", "0.00", "was 900.00", "2.59 per kg", "S-0007", numbered(7)} {
			require.Contains(t, text, want, f.Code)
		}
		dir := t.TempDir()
		read(t, doc, "pdf", "pdftoppm", "-r", "300", "-gray", "-l", "1", "DOC", dir+"/page")
		pages, err := filepath.Glob(dir + "/page*")
		require.NoError(t, err)
		out, err := exec.CommandContext(t.Context(), "zbarimg", "-q", "--nodbus", pages[0]).Output()
		require.NoError(t, err, f.Code)
		for i := range f.Columns * f.Rows {
			require.Contains(t, string(out), "EAN-13:"+numbered(i)+"\n", f.Code)
		}
	}
}

// What a GTIN is as bars. The values are those published for the check digits of EAN-13, EAN-8 and UPC-A.
func TestBars(t *testing.T) {
	for gtin, want := range map[string]string{"5901234123457": "5901234123457", "55123457": "55123457", "036000291452": "0036000291452",
		"05901234123457": "5901234123457", "15901234123454": "", "": "", "12": ""} {
		code, drawn := eanOf(gtin)
		require.Equal(t, want, code, gtin)
		require.Equal(t, want != "", drawn)
	}
	bad := goods(1)
	bad[0].GTIN = "55123458" // its check digit is wrong
	_, err := Labels(&bytes.Buffer{}, head, Formats[0], 0, bad)
	require.ErrorContains(t, err, "55123458")
}

// A sheet that was begun is gone on with; what does not fit goes onto the next.
func TestSheetsThatWereBegun(t *testing.T) {
	f, known := FormatOf("70x37")
	require.True(t, known)
	require.Contains(t, read(t, labels(t, f, 23, goods(2)), "pdf", "pdfinfo", "DOC"), "Pages:           2")
	require.Contains(t, read(t, labels(t, f, 22, goods(2)), "pdf", "pdfinfo", "DOC"), "Pages:           1")
	require.Contains(t, read(t, labels(t, f, 0, nil), "pdf", "pdfinfo", "DOC"), "Pages:           1")
	_, known = FormatOf("1x1")
	require.False(t, known)
}

// Letters that cannot be set are boxes, and are counted; marks that turn the direction of writing are left out.
func TestLettersThatCannotBeSet(t *testing.T) {
	l := newLetters()
	require.Equal(t, "Ton □ und Glas", l.set("Ton 😀 und\nGlas"))
	require.Equal(t, "abc", l.set("a\u202eb\u200fc"))
	require.Equal(t, 1, l.missed)
}

// A list has its goods in order, each page its number and, where a category goes on, its name again.
func TestListPDF(t *testing.T) {
	var out bytes.Buffer
	list := goods(200)
	missed, err := ListPDF(&out, head, list)
	require.NoError(t, err)
	require.Zero(t, missed)
	text := read(t, out.Bytes(), "pdf", "pdftotext", "-layout", "DOC", "-")
	for _, want := range []string{"Herbst <b>&</b> =1+1", "While stocks last.", "Prices in EUR with tax, as of 26 November 2026, 09:55", "Clay & <co> › 3",
		"(continued)", "was 900.00 lowest in 30 days", "from 10: 8.55", "until 5 December 2026", "Γλάζα πράσινη"} {
		require.Contains(t, text, want)
	}
	last := -1
	for i := range list {
		at := strings.Index(text, list[i].SKU)
		require.Greater(t, at, last, list[i].SKU)
		last = at
	}
	pages := strings.Count(text, "\f")
	require.Contains(t, text, fmt.Sprintf("%d of %d", pages, pages))
	fonts := read(t, out.Bytes(), "pdf", "pdffonts", "DOC")
	require.Len(t, regexp.MustCompile(`Identity-H +yes`).FindAllString(fonts, -1), 2, "each is embedded: %s", fonts)
	var again bytes.Buffer
	_, err = ListPDF(&again, head, list)
	require.NoError(t, err)
	require.Equal(t, out.Bytes(), again.Bytes(), "the same list is the same file")
}

// A spreadsheet's texts are texts, also where they begin as a formula would, and its amounts are numbers.
func TestListXLSX(t *testing.T) {
	var out bytes.Buffer
	require.NoError(t, ListXLSX(&out, head, 2, goods(4)))
	f, err := excelize.OpenReader(&out)
	require.NoError(t, err)
	rows, err := f.GetRows("Sheet1")
	require.NoError(t, err)
	require.Equal(t, head.Title, rows[0][0])
	require.Equal(t, []string{"Clay & <co>/0", "S-0000", `=SUM(A1) "quoted" & <script>`, numbered(0), "1", "0.00", "EUR", "900.00", "2.59", "kg",
		"5 December 2026"}, rows[5])
	require.Equal(t, []string{"10", "8.55"}, rows[6][4:6])
	formula, err := f.GetCellFormula("Sheet1", "C6")
	require.NoError(t, err)
	require.Empty(t, formula)
}

// A thousand labels; the baseline is writing their texts into a spreadsheet.
func BenchmarkLabels(b *testing.B) {
	list := goods(1000)
	b.Run("labels", func(b *testing.B) {
		for b.Loop() {
			labels(b, Formats[3], 0, list)
		}
	})
	b.Run("baseline=xlsx", func(b *testing.B) {
		for b.Loop() {
			require.NoError(b, ListXLSX(&bytes.Buffer{}, head, 2, list))
		}
	})
}
