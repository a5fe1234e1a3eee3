package server

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	"dogbane/internal/book"
	"dogbane/internal/bookfile"
	"dogbane/internal/impact"
	"dogbane/internal/intake"
	"dogbane/internal/pricing"
	"dogbane/internal/store"
)

// EditForm is a set of changes of the book that belong together: all are saved, or none.
type EditForm struct {
	Changes []EditChange `json:"changes" minItems:"1" maxItems:"1000"`
	At      string       `json:"at,omitempty" doc:"the moment whose prices are compared in a preview; empty: now"`
	Summary string       `json:"summary,omitempty" maxLength:"300" doc:"for the log; empty: it is worded here"`
}

// EditChange writes or deletes one piece.
type EditChange struct {
	Kind string   `json:"kind" enum:"settings,groups,customers,ranges,ladders,campaigns,channels,products,rules"`
	Code string   `json:"code" doc:"empty for the settings"`
	ETag string   `json:"etag,omitempty" doc:"of the state that this is based on; empty: the piece is new"`
	Doc  *ItemDoc `json:"doc,omitempty" doc:"absent: the piece is deleted"`
}

// editWords words an edit for the log.
func editWords(changes []EditChange) string {
	if len(changes) > 1 {
		return fmt.Sprintf("Changed %d pieces together", len(changes))
	}
	c := changes[0]
	verb := "Changed"
	switch {
	case c.Kind == book.Settings:
		return "Changed the settings"
	case c.Doc == nil:
		verb = "Deleted"
	case c.ETag == "":
		verb = "Made"
	}
	return fmt.Sprintf("%s the %s “%s”", verb, strings.TrimSuffix(c.Kind, "s"), cmp.Or(nameIn(c.Doc), c.Code))
}

func nameIn(doc *ItemDoc) string {
	var head struct{ Name string }
	if doc == nil || json.Unmarshal(*doc, &head) != nil {
		return ""
	}
	return head.Name
}

// edited turns an edit into changes of the saved book and makes the book that they lead to. Documents come out as the
// encoder writes them; pieces that stay as they are are left out.
func edited(snap *book.Snapshot, edits []EditChange) ([]book.Change, *pricing.Book, error) {
	var changes []book.Change
	for _, e := range edits {
		now := snap.Doc(e.Kind, e.Code)
		switch {
		case now == nil && e.ETag != "":
			return nil, nil, &book.Conflict{Kind: e.Kind, Code: e.Code}
		case now == nil && e.Doc == nil:
			return nil, nil, book.ErrNotFound
		case now != nil && e.ETag == "":
			return nil, nil, bookfile.Errors{{Path: "code", Problem: fmt.Sprintf("there is one with the code %q already",
				e.Code)}}
		case now != nil && e.ETag != etag(now):
			return nil, nil, &book.Conflict{Kind: e.Kind, Code: e.Code, Now: now}
		}
		c := book.Change{Kind: e.Kind, Code: e.Code, Before: now}
		if e.Doc != nil {
			var head struct{ Code, SKU string }
			if err := json.Unmarshal(*e.Doc, &head); err == nil && e.Kind != book.Settings &&
				cmp.Or(head.Code, head.SKU) != e.Code {
				return nil, nil, bookfile.Errors{{Path: "code", Problem: "write a code", Value: head.Code}}
			}
			if e.Kind == book.Products {
				if err := gtinFits(*e.Doc, now); err != nil {
					return nil, nil, err
				}
			}
			c.After = json.RawMessage(*e.Doc)
		}
		changes = append(changes, c)
	}
	next, err := book.Apply(snap.Book, changes)
	if err != nil {
		if len(edits) == 1 {
			err = itemErrors(err, edits[0].Kind)
		}
		return nil, nil, err
	}
	made := book.NewPieces(next)
	for i := range changes {
		if changes[i].After != nil {
			changes[i].After = made.Doc(changes[i].Kind, changes[i].Code)
		}
	}
	changes = slices.DeleteFunc(changes, func(c book.Change) bool { return !c.Changes() })
	return changes, next, nil
}

// gtinFits refuses a GTIN that is mistyped; one that stands there already may stay.
func gtinFits(doc, now []byte) error {
	var next, old struct{ GTIN string }
	if json.Unmarshal(doc, &next) != nil || next.GTIN == "" {
		return nil
	}
	_ = json.Unmarshal(now, &old)
	if err := intake.CheckGTIN(next.GTIN); err != nil && next.GTIN != old.GTIN {
		return bookfile.Errors{{Path: "gtin", Problem: err.Error(), Value: next.GTIN}}
	}
	return nil
}

// EditQuery is an edit to be saved.
type EditQuery struct {
	Seen
	Body EditForm
}

func (s *Server) registerEdits(api huma.API) {
	answers(api, store.Reader, http.MethodPost, "/api/edit/preview",
		func(ctx context.Context, in *struct{ Body EditForm }) (impact.Edit, error) {
			return s.previewEdit(ctx, &in.Body)
		}, upTo(largestEdit))
	answers(api, store.Manager, http.MethodPost, "/api/edit", func(ctx context.Context, in *EditQuery) (Saved, error) {
		changes, _, err := edited(s.Live.Current(), in.Body.Changes)
		if err != nil {
			return Saved{}, err
		}
		return s.commit(ctx, in.Seen, cmp.Or(in.Body.Summary, editWords(in.Body.Changes)), changes)
	}, upTo(largestEdit), staleAware)
}

const largestEdit = 64 << 20

func (s *Server) previewEdit(ctx context.Context, form *EditForm) (impact.Edit, error) {
	snap := s.Live.Current()
	at := s.moment(snap)
	if form.At != "" {
		var err error
		if at, err = pricing.ParseMoment(form.At); err != nil {
			return impact.Edit{}, invalid("at", err.Error())
		}
	}
	_, next, err := edited(snap, form.Changes)
	var errs bookfile.Errors
	if errors.As(err, &errs) {
		return impact.None(errs), nil
	} else if err != nil {
		return impact.Edit{}, err
	}
	return s.impacts.OfBook(ctx, snap, next, at)
}
