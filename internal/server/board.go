package server

import (
	"context"
	"fmt"
	"log/slog"
	"net/http"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	"dogbane/internal/board"
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
		return v.Page(in.Start, in.Limit, in.Spread)
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
