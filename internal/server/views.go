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

func (s *Server) registerSavedViews(api huma.API) {
	huma.Get(api, "/api/saved-views", func(ctx context.Context, _ *struct{}) (*body[SavedViewList], error) {
		list, err := s.store.SavedViews(ctx, personOf(ctx).Name)
		out := SavedViewList{Views: []SavedView{}}
		for _, v := range list {
			out.Views = append(out.Views, SavedView{v.Name, v.Query})
		}
		return answer(out, err)
	})
	huma.Register(api, huma.Operation{Method: http.MethodPut, Path: "/api/saved-views", DefaultStatus: http.StatusNoContent}, func(ctx context.Context, in *struct{ Body SavedView }) (*struct{}, error) {
		name := strings.TrimSpace(in.Body.Name)
		if name == "" {
			return nil, invalid("name", "Give the view a name.")
		}
		return nil, asProblem(s.store.SaveView(ctx, store.SavedView{Person: personOf(ctx).Name, Name: name, Query: in.Body.Query}))
	})
	huma.Register(api, huma.Operation{Method: http.MethodDelete, Path: "/api/saved-views", DefaultStatus: http.StatusNoContent}, func(ctx context.Context, in *struct {
		Name string `query:"name" required:"true"`
	}) (*struct{}, error) {
		return nil, asProblem(s.store.DropView(ctx, personOf(ctx).Name, in.Name))
	})
}
