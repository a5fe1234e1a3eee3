package server

import (
	"bytes"
	"context"
	"fmt"
	"net/http"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"dogbane/internal/money"
	"dogbane/internal/paper"
	"dogbane/internal/publish/telling"
	"dogbane/internal/store"
)

// LabelQuery says which labels are set, and how.
type LabelQuery struct {
	BoardFilter
	Sheet string `query:"sheet" enum:"105x74,105x57,70x42,70x37,52x30" default:"70x37" doc:"the size of a label in millimetres, on sheets of A4"`
	Of    string `query:"of" enum:"published,saved" default:"published" doc:"saved: with changes that were not sent yet"`
	Skip  int    `query:"skip" minimum:"0" maximum:"39" doc:"labels that are gone from the first sheet"`
}

// PriceListQuery says what a price list holds, and how it is written.
type PriceListQuery struct {
	BoardFilter
	Format string `query:"format" enum:"pdf,xlsx" default:"pdf"`
	Title  string `query:"title" maxLength:"200"`
	Note   string `query:"note" maxLength:"2000"`
	Of     string `query:"of" enum:"published,saved" default:"published" doc:"saved: with changes that were not sent yet"`
}

// mostPrinted bounds how many goods are printed at once.
const mostPrinted = 20_000

const (
	pdfType  = "application/pdf"
	xlsxType = "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"
)

func (s *Server) registerPaper(api huma.API) {
	on(api, store.Reader, http.MethodGet, "/api/labels", func(ctx context.Context, in *LabelQuery) (*huma.StreamResponse,
		error) {
		head, _, goods, err := s.printed(ctx, &in.BoardFilter, in.Of)
		if err != nil {
			return nil, err
		}
		sheet, _ := paper.FormatOf(in.Sheet)
		var out bytes.Buffer
		if _, err := paper.Labels(&out, head, sheet, in.Skip, goods); err != nil {
			return nil, err
		}
		return document("labels.pdf", pdfType, out.Bytes()), nil
	})
	on(api, store.Reader, http.MethodGet, "/api/price-list", func(ctx context.Context,
		in *PriceListQuery) (*huma.StreamResponse, error) {
		in.Sort = "category"
		head, digits, goods, err := s.printed(ctx, &in.BoardFilter, in.Of)
		if err != nil {
			return nil, err
		}
		if in.Title != "" {
			head.Title = in.Title
		}
		head.Note = in.Note
		var out bytes.Buffer
		if in.Format == "xlsx" {
			err = paper.ListXLSX(&out, head, digits, goods)
			return document("prices.xlsx", xlsxType, out.Bytes()), err
		}
		_, err = paper.ListPDF(&out, head, goods)
		return document("prices.pdf", pdfType, out.Bytes()), err
	})
}

// document is a file that the page itself may show.
func document(name, kind string, data []byte) *huma.StreamResponse {
	return &huma.StreamResponse{Body: func(out huma.Context) {
		out.SetHeader("Content-Type", kind)
		out.SetHeader("Content-Disposition", fmt.Sprintf("inline; filename=%q", name))
		out.SetHeader("Content-Security-Policy", "default-src 'none'; style-src 'unsafe-inline'; frame-ancestors 'self'")
		_, _ = out.BodyWriter().Write(data)
	}}
}

// printed are the goods that a board shows, as its channel would be told them, with what is said above them.
func (s *Server) printed(ctx context.Context, f *BoardFilter, of string) (head paper.Head, digits int,
	goods []paper.Good, err error) {
	v, err := s.look(ctx, f)
	if err != nil {
		return head, 0, nil, err
	}
	if len(v.Products) > mostPrinted {
		return head, 0, nil, huma.Error422UnprocessableEntity(fmt.Sprintf(
			"The board shows %d goods, and at most %d are printed at once: narrow it first.", len(v.Products), mostPrinted))
	}
	lines, err := s.Desk.Lines(ctx, v.Snap, v.Viewpoint, of == "saved", v.Products)
	if err != nil {
		return head, 0, nil, err
	}
	channel := v.Snap.Channel(v.Viewpoint.Channel)
	if channel == nil {
		return head, 0, nil, invalid("channel", "Prices are printed as a channel shows them: name one.")
	}
	head = paper.Head{Title: channel.Title(), Currency: channel.Currency, Tax: "without tax", Made: s.Clocks.Book(),
		At: v.Viewpoint.At.Instant(time.UTC).Format("2 Jan 2006, 15:04")}
	if head.Currency == "" {
		head.Currency = v.Snap.Book.Settings.Currency
	}
	if len(lines) > 0 && lines[0].Tax == "included" {
		head.Tax = "with tax"
	}
	digits, _ = money.Digits(head.Currency)
	products := v.Snap.Engine.Products()
	for i := range lines {
		l := &lines[i]
		p := products[l.Product]
		g := paper.Good{SKU: l.SKU, Name: l.Name, Category: p.Category, GTIN: p.GTIN, Price: l.Price, Reference: l.Reference,
			ReferenceWords: referenceWords[telling.ReferenceKind(l.ReferenceKind)], Until: lastDay(l.Until)}
		if g.Name == "" {
			g.Name = g.SKU
		}
		if l.PerUnit != nil {
			g.PerUnit, g.Of = l.PerUnit.Price, l.PerUnit.Of
		}
		for _, b := range l.Breaks {
			g.Breaks = append(g.Breaks, paper.Break{From: b.From, Price: b.Price})
		}
		goods = append(goods, g)
	}
	return head, digits, goods, nil
}

var referenceWords = map[telling.ReferenceKind]string{telling.Lowest30: "lowest in 30 days",
	telling.Catalog: "price before", telling.List: "list price", telling.RRP: "recommended price"}

// lastDay is how long a price holds, in words: of one that ends at midnight the last day.
func lastDay(until string) string {
	at, err := time.Parse(time.RFC3339, until)
	switch {
	case err != nil:
		return ""
	case at.Hour() == 0 && at.Minute() == 0:
		return at.AddDate(0, 0, -1).Format("2 Jan 2006")
	default:
		return at.Format("2 Jan 2006, 15:04")
	}
}
