package server

import (
	"context"
	"net/http"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	"dogbane/internal/store"
)

// SavedView is a view of the board kept by name.
type SavedView struct {
	Name  string `json:"name" maxLength:"80"`
	Query string `json:"query" maxLength:"2000" doc:"of the board's address"`
}

// SavedViewList is one's own.
type SavedViewList struct {
	Views []SavedView `json:"views"`
}

func (s *Server) registerViews(api huma.API) {
	get(api, "/api/saved-views", func(ctx context.Context, _ *none) (SavedViewList, error) {
		list, err := s.Store.SavedViews(ctx, personOf(ctx).Name)
		out := SavedViewList{Views: []SavedView{}}
		for _, v := range list {
			out.Views = append(out.Views, SavedView{v.Name, v.Query})
		}
		return out, err
	})
	does(api, store.Reader, http.MethodPut, "/api/saved-views",
		func(ctx context.Context, in *struct{ Body SavedView }) error {
			name := strings.TrimSpace(in.Body.Name)
			if name == "" {
				return invalid("name", "Give the view a name.")
			}
			return s.Store.SaveView(ctx, store.SavedView{Person: personOf(ctx).Name, Name: name, Query: in.Body.Query})
		})
	does(api, store.Reader, http.MethodDelete, "/api/saved-views", func(ctx context.Context, in *struct {
		Name string `query:"name" required:"true"`
	}) error {
		return s.Store.DropView(ctx, personOf(ctx).Name, in.Name)
	})
}
