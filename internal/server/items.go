package server

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	"dogbane/internal/bookfile"
	"dogbane/internal/pricing"
	"dogbane/internal/store"
)

// ItemDoc is a group, customer, range, ladder, campaign or channel as docs/book.md writes it.
type ItemDoc json.RawMessage

// MarshalJSON writes the document as it is.
func (d ItemDoc) MarshalJSON() ([]byte, error) { return json.RawMessage(d).MarshalJSON() }

// UnmarshalJSON keeps the document as it is.
func (d *ItemDoc) UnmarshalJSON(data []byte) error {
	*d = append((*d)[:0], data...)
	return nil
}

// Schema says that it is an object.
func (ItemDoc) Schema(huma.Registry) *huma.Schema {
	return &huma.Schema{Type: "object", AdditionalProperties: true, Description: "see docs/book.md"}
}

// Item is one small piece of the book.
type Item struct {
	Code string   `json:"code"`
	Name string   `json:"name"`
	Doc  ItemDoc  `json:"doc"`
	ETag string   `json:"etag"`
	Uses []string `json:"uses" doc:"codes of the rules that name it"`
}

// ItemList is all of one kind, in the book's order.
type ItemList struct {
	Items []Item `json:"items"`
}

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

// LayersPreview is what another stack would do to the prices of each channel.
type LayersPreview struct {
	Errors []DocError      `json:"errors"`
	Prices []ChannelChange `json:"prices"`
	Checks []BrokenCheck   `json:"checks" doc:"checks that hold now and would not"`
}

func (s *Server) registerItems(api huma.API) {
	huma.Get(api, "/api/items/{kind}", func(_ context.Context, in *struct {
		Kind string `path:"kind" enum:"groups,customers,ranges,ladders,campaigns,channels"`
	}) (*body[ItemList], error) {
		snap := s.live.Current()
		out := ItemList{Items: []Item{}}
		for _, piece := range store.PiecesOf(snap.Book, in.Kind) {
			var head struct{ Name string }
			if err := json.Unmarshal(piece.After, &head); err != nil {
				return nil, asProblem(fmt.Errorf("read %s %q: %w", in.Kind, piece.Code, err))
			}
			out.Items = append(out.Items, Item{piece.Code, head.Name, ItemDoc(piece.After), etag(piece.After), uses(snap.Book, in.Kind, piece.Code)})
		}
		return &body[ItemList]{out}, nil
	})
	huma.Register(api, huma.Operation{Method: http.MethodPost, Path: "/api/stack/preview"}, func(ctx context.Context, in *struct{ Body LayersForm }) (*body[LayersPreview], error) {
		snap := s.live.Current()
		out := LayersPreview{Errors: []DocError{}, Prices: []ChannelChange{}, Checks: []BrokenCheck{}}
		next, errs := withLayers(snap.Book, in.Body.Layers)
		for _, e := range errs {
			out.Errors = append(out.Errors, DocError{e.Path, e.Problem, e.Value})
		}
		if next == nil {
			return &body[LayersPreview]{out}, nil
		}
		engine := pricing.Compile(next)
		var err error
		if out.Checks, err = s.broken(ctx, snap.Engine, engine); err != nil {
			return nil, asProblem(err)
		}
		for _, c := range next.Channels {
			moved, below, err := moves(snap.Engine, engine, pricing.Viewpoint{Channel: c.Code, At: s.moment(snap), Quantity: 1})
			if err != nil {
				return nil, asProblem(err)
			}
			out.Prices = append(out.Prices, ChannelChange{c.Code, c.Name, moved, below})
		}
		return &body[LayersPreview]{out}, nil
	})
	huma.Register(api, huma.Operation{Method: http.MethodPut, Path: "/api/stack"}, func(ctx context.Context, in *struct{ Body LayersForm }) (*body[Saved], error) {
		snap := s.live.Current()
		next, errs := withLayers(snap.Book, in.Body.Layers)
		if next == nil {
			return nil, asProblem(errs)
		}
		before, after := bookfile.EncodeSettings(&snap.Book.Settings), bookfile.EncodeSettings(&next.Settings)
		if bytes.Equal(before, after) {
			return nil, huma.Error409Conflict("This changes nothing.")
		}
		return s.commit(ctx, "Changed the order or the modes of the layers", []store.Change{{Kind: store.Settings, Before: before, After: after}})
	})
}

// itemErrors cuts "campaigns[3]." off the paths of errors.
func itemErrors(err error, kind string) error {
	var errs bookfile.Errors
	if !errors.As(err, &errs) {
		return err
	}
	out := slices.Clone(errs)
	for i := range out {
		if rest, own := strings.CutPrefix(out[i].Path, kind+"["); own {
			_, out[i].Path, _ = strings.Cut(rest, "].")
		}
	}
	return out
}

// uses are the rules that name an item.
func uses(b *pricing.Book, kind, code string) []string {
	list := []string{}
	for i := range b.Rules {
		r := &b.Rules[i]
		used := false
		switch kind {
		case store.Ladders:
			used = r.Ladder == code
		case store.Campaigns:
			used = r.Campaign == code
		case store.Channels:
			used = slices.Contains(r.Channels, code)
		case store.Groups:
			used = r.Audience != nil && slices.Contains(r.Audience.Groups, code)
		case store.Customers:
			used = r.Audience != nil && slices.Contains(r.Audience.Customers, code)
		case store.Ranges:
			used = r.Where.Names(pricing.FieldRange, code)
		}
		if used {
			list = append(list, r.Code)
		}
	}
	return list
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
	next, err := store.Apply(b, []store.Change{{Kind: store.Settings, After: doc}})
	if errs, ok := err.(bookfile.Errors); ok {
		return nil, errs
	} else if err != nil {
		return nil, bookfile.Errors{{Problem: err.Error()}}
	}
	return next, nil
}
