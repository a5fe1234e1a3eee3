package server

import (
	"context"
	"fmt"
	"log/slog"
	"net/http"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	"dogbane/internal/board"
	"dogbane/internal/book"
	"dogbane/internal/money"
	"dogbane/internal/pricing"
	"dogbane/internal/publish"
	"dogbane/internal/store"
)

// BoardQuery says which rows of a board are asked for.
type BoardQuery struct {
	BoardFilter
	Start  int    `query:"start" minimum:"0"`
	Limit  int    `query:"limit" minimum:"1" maximum:"500" default:"100"`
	Spread string `query:"spread" enum:",group,quantity,channel,changes"`
}

// ExportQuery says how a board is written as a file.
type ExportQuery struct {
	BoardQuery
	Format  string `query:"format" enum:"csv,xlsx" default:"csv"`
	Decimal string `query:"decimal" enum:"point,comma" default:"point" doc:"of a CSV file; with a decimal comma its cells are parted by semicolons"`
}

// CategoryList is all categories; the first, with an empty path, is the whole catalogue.
type CategoryList struct {
	Categories []board.Category `json:"categories"`
}

func (s *Server) registerBoard(api huma.API) {
	get(api, "/api/board", func(ctx context.Context, in *BoardQuery) (board.Page, error) {
		v, err := s.look(ctx, &in.BoardFilter)
		if err != nil {
			return board.Page{}, err
		}
		page, err := v.Page(in.Start, in.Limit, in.Spread)
		if err != nil {
			return page, err
		}
		return page, s.showReferences(ctx, v, &page)
	})
	get(api, "/api/histograms", func(ctx context.Context, in *BoardFilter) (board.Histograms, error) {
		v, err := s.look(ctx, in)
		if err != nil {
			return board.Histograms{}, err
		}
		return v.Histograms(), nil
	})
	get(api, "/api/categories", func(ctx context.Context, in *ViewpointQuery) (CategoryList, error) {
		snap := s.Live.Current()
		vp, err := in.read(ctx, s, snap)
		if err != nil {
			return CategoryList{}, err
		}
		list, err := s.boards.Categories(snap, vp)
		return CategoryList{list}, err
	})
	on(api, store.Reader, http.MethodGet, "/api/export", s.export)
}

// showReferences says of each row of a page what its price is shown as reduced from.
func (s *Server) showReferences(ctx context.Context, v *board.View, page *board.Page) error {
	shown := v.Products[page.Start : page.Start+len(page.Rows)]
	references, err := s.references(ctx, v.Snap, v.Viewpoint, shown)
	for i, p := range shown {
		if r, is := references[p]; is {
			digits, _ := money.Digits(page.Currency)
			page.Rows[i].Reduced = fixed(&r.Reference, digits)
		}
	}
	return err
}

// references are what the prices of some products are shown as reduced from, by product number: to guests who buy one
// piece in a channel, under the saved book. While the database cannot be used, none are known.
func (s *Server) references(ctx context.Context, snap *book.Snapshot, vp pricing.Viewpoint,
	products []int32) (map[int32]publish.Referred, error) {
	if vp.Channel == "" || vp.Customer != "" || len(vp.Groups)+len(vp.With) > 0 || vp.Quantity > 1 {
		return nil, nil
	}
	found, err := s.Desk.References(ctx, snap, vp.Channel, vp.At, products)
	if err != nil && s.Store.Outage() != nil {
		return nil, nil
	}
	return found, err
}

func (s *Server) export(ctx context.Context, in *ExportQuery) (*huma.StreamResponse, error) {
	v, err := s.look(ctx, &in.BoardFilter)
	if err != nil {
		return nil, err
	}
	at := strings.NewReplacer(":", "", "T", "-").Replace(v.Viewpoint.At.String())
	return &huma.StreamResponse{Body: func(out huma.Context) {
		out.SetHeader("Content-Disposition", fmt.Sprintf(`attachment; filename="prices-%s.%s"`, at, in.Format))
		var err error
		if in.Format == "csv" {
			out.SetHeader("Content-Type", "text/csv; charset=utf-8")
			err = v.WriteCSV(out.BodyWriter(), in.Spread, in.Decimal == "comma")
		} else {
			out.SetHeader("Content-Type", "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet")
			err = v.WriteXLSX(out.BodyWriter(), in.Spread)
		}
		if err != nil {
			slog.Error("an export broke off", "error", err)
		}
	}}, nil
}
