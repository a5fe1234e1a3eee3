package server

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	"dogbane/internal/book"
	"dogbane/internal/bookfile"
	"dogbane/internal/pricing"
)

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
		case book.Ladders:
			used = r.Ladder == code
		case book.Campaigns:
			used = r.Campaign == code
		case book.Channels:
			used = slices.Contains(r.Channels, code)
		case book.Groups:
			used = r.Audience != nil && slices.Contains(r.Audience.Groups, code)
		case book.Customers:
			used = r.Audience != nil && slices.Contains(r.Audience.Customers, code)
		case book.Ranges:
			used = r.Where.Names(pricing.FieldRange, code)
		}
		if used {
			list = append(list, r.Code)
		}
	}
	return list
}

func (s *Server) registerItems(api huma.API) {
	get(api, "/api/items/{kind}", func(_ context.Context, in *struct {
		Kind string `path:"kind" enum:"groups,customers,ranges,ladders,campaigns,channels"`
	}) (ItemList, error) {
		snap := s.Live.Current()
		out := ItemList{Items: []Item{}}
		for _, piece := range book.OfKind(snap.Book, in.Kind) {
			var head struct{ Name string }
			if err := json.Unmarshal(piece.After, &head); err != nil {
				return out, fmt.Errorf("read %s %q: %w", in.Kind, piece.Code, err)
			}
			out.Items = append(out.Items, Item{piece.Code, head.Name, ItemDoc(piece.After), etag(piece.After),
				uses(snap.Book, in.Kind, piece.Code)})
		}
		return out, nil
	})
}
