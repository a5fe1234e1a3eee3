package server

import (
	"context"
	"encoding/csv"
	"fmt"
	"io"
	"log/slog"
	"strings"

	"github.com/danielgtaylor/huma/v2"
	"github.com/xuri/excelize/v2"

	"dogbane/internal/money"
)

func (s *Server) registerExport(api huma.API) {
	huma.Get(api, "/api/export", func(ctx context.Context, in *struct {
		BoardQuery
		Format  string `query:"format" enum:"csv,xlsx" default:"csv"`
		Decimal string `query:"decimal" enum:"point,comma" default:"point" doc:"of a CSV file; with a decimal comma its cells are parted by semicolons"`
	}) (*huma.StreamResponse, error) {
		v, err := s.see(ctx, &in.BoardFilter, in.Sort, in.Desc)
		if err != nil {
			return nil, asProblem(err)
		}
		columns, sweeps, err := s.spreadOf(v, in.Spread)
		if err != nil {
			return nil, asProblem(err)
		}
		return &huma.StreamResponse{Body: func(out huma.Context) {
			out.SetHeader("Content-Disposition", fmt.Sprintf(`attachment; filename="prices-%s.%s"`, strings.NewReplacer(":", "", "T", "-").Replace(v.vp.At.String()), in.Format))
			var err error
			if in.Format == "csv" {
				out.SetHeader("Content-Type", "text/csv; charset=utf-8")
				err = v.writeCSV(out.BodyWriter(), columns, sweeps, in.Decimal == "comma")
			} else {
				out.SetHeader("Content-Type", "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet")
				err = v.writeXLSX(out.BodyWriter(), columns, sweeps)
			}
			if err != nil {
				slog.Error("an export broke off", "error", err)
			}
		}}, nil
	})
}

// exportHeader are the columns of an export, before those of a spread.
var exportHeader = []string{"SKU", "Name", "Category", "List price", "Price", "Compared with", "Change", "Cost with tax", "Left", "Margin %", "Stock", "Sold in 30 days", "Rules"}

// amountsFrom and amountsTo are the first of the columns that hold numbers and the first that does not.
const amountsFrom, amountsTo = 3, 12

// exportRow is a product's cells; numbers are plain decimals.
func (v *seen) exportRow(p int32, sweeps []*swept) []string {
	text := func(a *string) string {
		if a == nil {
			return ""
		}
		return *a
	}
	r := v.row(p)
	var rules []string
	for _, one := range r.Rules {
		rules = append(rules, one.Code)
	}
	cells := []string{r.SKU, r.Name, r.Category, text(r.List), text(r.Price), text(r.Against), text(r.Change), text(r.Cost), text(r.Left), text(r.Margin), text(r.Stock), text(r.Sold), strings.Join(rules, " ")}
	for _, sw := range sweeps {
		price, priced := sw.Price(p)
		cells = append(cells, text(minor(price, priced, sw.Digits)))
	}
	return cells
}

func header(columns []SpreadColumn) []string {
	cells := append([]string{}, exportHeader...)
	for _, c := range columns {
		cells = append(cells, c.Name)
	}
	return cells
}

// writeCSV writes RFC 4180 in UTF-8 or, with a decimal comma, the same with semicolons. A text that a spreadsheet would run as a formula gets an apostrophe in front.
func (v *seen) writeCSV(to io.Writer, columns []SpreadColumn, sweeps []*swept, comma bool) error {
	w := csv.NewWriter(to)
	w.UseCRLF = true
	if comma {
		w.Comma = ';'
	}
	if err := w.Write(header(columns)); err != nil {
		return err
	}
	for _, p := range v.list {
		cells := v.exportRow(p, sweeps)
		for i, c := range cells {
			if (i < amountsFrom || i == amountsTo) && c != "" && strings.ContainsRune("=+-@\t\r", rune(c[0])) {
				cells[i] = "'" + c
			} else if comma && i >= amountsFrom && i != amountsTo {
				cells[i] = strings.Replace(c, ".", ",", 1)
			}
		}
		if err := w.Write(cells); err != nil {
			return err
		}
	}
	w.Flush()
	return w.Error()
}

func (v *seen) writeXLSX(to io.Writer, columns []SpreadColumn, sweeps []*swept) error {
	f := excelize.NewFile()
	defer f.Close()
	w, err := f.NewStreamWriter("Sheet1")
	if err != nil {
		return err
	}
	row := func(n int, cells []any) error {
		at, err := excelize.CoordinatesToCellName(1, n)
		if err != nil {
			return err
		}
		return w.SetRow(at, cells)
	}
	var head []any
	for _, h := range header(columns) {
		head = append(head, h)
	}
	if err := row(1, head); err != nil {
		return err
	}
	for k, p := range v.list {
		var cells []any
		for i, c := range v.exportRow(p, sweeps) {
			// A spreadsheet's numbers are binary: the cell shows the exact decimal, which is what this file is for.
			if n, err := money.Parse(c); err == nil && i >= amountsFrom && i != amountsTo {
				cells = append(cells, n.Float())
			} else {
				cells = append(cells, c)
			}
		}
		if err := row(k+2, cells); err != nil {
			return err
		}
	}
	if err := w.Flush(); err != nil {
		return err
	}
	return f.Write(to)
}
