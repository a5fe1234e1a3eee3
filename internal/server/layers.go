package server

import (
	"context"
	"encoding/json"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"dogbane/internal/book"
	"dogbane/internal/bookfile"
	"dogbane/internal/impact"
	"dogbane/internal/pricing"
	"dogbane/internal/store"
)

// LayersForm is the layers in a new order or with new modes.
type LayersForm struct {
	Layers []LayerForm `json:"layers"`
}

// LayerForm is one layer.
type LayerForm struct {
	Layer string `json:"layer"`
	Mode  string `json:"mode"`
	Then  string `json:"then,omitempty" enum:",end-price"`
}

// withLayers is the book with other layers, or why it cannot be.
func withLayers(b *pricing.Book, layers []LayerForm) (*pricing.Book, bookfile.Errors) {
	var settings map[string]any
	if err := json.Unmarshal(bookfile.EncodeSettings(&b.Settings), &settings); err != nil {
		return nil, bookfile.Errors{{Problem: err.Error()}}
	}
	settings["layers"] = layers
	doc, err := json.Marshal(settings)
	if err != nil {
		return nil, bookfile.Errors{{Problem: err.Error()}}
	}
	next, err := book.Apply(b, []book.Change{{Kind: book.Settings, After: doc}})
	if errs, ok := err.(bookfile.Errors); ok {
		return nil, errs
	} else if err != nil {
		return nil, bookfile.Errors{{Problem: err.Error()}}
	}
	return next, nil
}

// LayersQuery puts the layers into another order.
type LayersQuery struct {
	Seen
	Body LayersForm
}

func (s *Server) registerLayers(api huma.API) {
	answers(api, store.Reader, http.MethodPost, "/api/stack/preview",
		func(ctx context.Context, in *LayersQuery) (impact.Edit, error) {
			snap := s.Live.Current()
			next, errs := withLayers(snap.Book, in.Body.Layers)
			if next == nil {
				return impact.None(errs), nil
			}
			return s.impacts.OfBook(ctx, snap, next, s.moment(snap))
		})
	answers(api, store.Manager, http.MethodPut, "/api/stack", func(ctx context.Context, in *LayersQuery) (Saved, error) {
		snap := s.Live.Current()
		next, errs := withLayers(snap.Book, in.Body.Layers)
		if next == nil {
			return Saved{}, errs
		}
		change := book.OfSettings(&snap.Book.Settings, &next.Settings)
		if !change.Changes() {
			return Saved{}, errNothing
		}
		return s.commit(ctx, in.Seen, "Changed the order or the modes of the layers", []book.Change{change})
	})
}
