package server

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"dogbane/internal/store"
)

// SalesFileList is the files of sales that were brought in.
type SalesFileList struct {
	Files []SalesFile `json:"files"`
}

// SalesFile is one of them.
type SalesFile struct {
	ID   int64  `json:"id"`
	Name string `json:"name"`
	Who  string `json:"who"`
	At   string `json:"at"`
	Rows int    `json:"rows"`
}

func (s *Server) registerSales(api huma.API) {
	get(api, "/api/sales", func(ctx context.Context, _ *none) (SalesFileList, error) {
		files, err := s.Store.SalesFiles(ctx)
		out := SalesFileList{Files: []SalesFile{}}
		for _, f := range files {
			out.Files = append(out.Files, SalesFile{f.ID, f.Name, f.Who, s.wall(f.At), f.Rows})
		}
		return out, err
	})
	answers(api, store.Manager, http.MethodDelete, "/api/sales/{id}", func(ctx context.Context, in *struct {
		Seen
		ID int64 `path:"id"`
	}) (Saved, error) {
		entry, err := s.imports.DropSales(ctx, in.ID, personOf(ctx).Name, in.ChecksSeen)
		return saved(entry), err
	})
}
