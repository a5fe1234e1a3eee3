package server

import (
	"context"
	"fmt"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"dogbane/internal/board"
	"dogbane/internal/book"
	"dogbane/internal/bulk"
	"dogbane/internal/checks"
	"dogbane/internal/impact"
	"dogbane/internal/pricing"
	"dogbane/internal/store"
)

// AmountsQuery changes amounts of the products of a board.
type AmountsQuery struct {
	BoardFilter
	Seen
	Body bulk.Amounts
}

// WordsQuery changes words of the products of a board.
type WordsQuery struct {
	BoardFilter
	Seen
	Body bulk.Words
}

// BulkPreview is what a change of amounts would do.
type BulkPreview struct {
	bulk.Outcome
	Moved  int             `json:"moved" doc:"prices that move, from the board's viewpoint"`
	Below  int             `json:"below" doc:"of those, below cost afterwards"`
	Checks []checks.Result `json:"checks" doc:"checks that hold now and would not"`
}

// WordsPreview is what a change of words would do.
type WordsPreview struct {
	bulk.Outcome
	Effect *impact.Edit `json:"effect"`
}

// RulesQuery does one thing to several rules.
type RulesQuery struct {
	Seen
	Body bulk.Rules
}

// OrderQuery puts the rules of a layer into another order.
type OrderQuery struct {
	Seen
	Body RuleOrder
}

// RuleOrder is a new order of a layer's rules.
type RuleOrder struct {
	Layer string   `json:"layer" enum:"catalog,sale,tier,group,promotion"`
	Moved string   `json:"moved" doc:"the rule that was moved"`
	Codes []string `json:"codes" doc:"all rules of the layer in their new order"`
}

func (s *Server) registerBulk(api huma.API) {
	answers(api, store.Reader, http.MethodPost, "/api/bulk/preview", s.previewAmounts)
	answers(api, store.Manager, http.MethodPost, "/api/bulk", func(ctx context.Context, in *AmountsQuery) (Saved, error) {
		v, err := s.look(ctx, &in.BoardFilter)
		if err != nil {
			return Saved{}, err
		}
		return s.commitBulk(ctx, in.Seen, v, &in.Body)
	})
	answers(api, store.Reader, http.MethodPost, "/api/bulk/words/preview", s.previewWords)
	answers(api, store.Manager, http.MethodPost, "/api/bulk/words",
		func(ctx context.Context, in *WordsQuery) (Saved, error) {
			v, err := s.look(ctx, &in.BoardFilter)
			if err != nil {
				return Saved{}, err
			}
			return s.commitBulk(ctx, in.Seen, v, &in.Body)
		})
	answers(api, store.Manager, http.MethodPost, "/api/rules-batch",
		func(ctx context.Context, in *RulesQuery) (Saved, error) {
			snap := s.Live.Current()
			changes, err := in.Body.Changes(snap, s.moment(snap))
			if err != nil {
				return Saved{}, err
			}
			return s.commit(ctx, in.Seen, in.Body.Summary(len(changes)), changes)
		})
	answers(api, store.Manager, http.MethodPost, "/api/rules-order", s.reorder)
	answers(api, store.Reader, http.MethodPost, "/api/copies/plan", s.planCopies)
}

// CopyPlan are the pieces that copies would be, campaigns before the rules that name them; they are saved as an edit.
type CopyPlan struct {
	Copies []CopyRow `json:"copies"`
}

// CopyRow is one of them.
type CopyRow struct {
	Kind    string  `json:"kind" enum:"campaigns,rules"`
	Code    string  `json:"code"`
	Name    string  `json:"name"`
	Of      string  `json:"of" doc:"the code of what it is a copy of"`
	From    string  `json:"from,omitempty" doc:"of its own window"`
	To      string  `json:"to,omitempty" doc:"exclusive"`
	Undated bool    `json:"undated" doc:"there are no dates to move: it would hold whenever the other one does"`
	Doc     ItemDoc `json:"doc"`
}

func (s *Server) planCopies(_ context.Context, in *struct{ Body bulk.Copies }) (CopyPlan, error) {
	out := CopyPlan{Copies: []CopyRow{}}
	list, err := in.Body.Plan(s.Live.Current().Book)
	for _, c := range list {
		row := CopyRow{Kind: c.Kind, Code: c.Code, Name: c.Name, Of: c.Of, Undated: c.Undated, Doc: ItemDoc(c.After)}
		if c.From != nil {
			row.From = c.From.String()
		}
		if c.To != nil {
			row.To = c.To.String()
		}
		out.Copies = append(out.Copies, row)
	}
	return out, err
}

// commitBulk saves what is done to the products of a board.
func (s *Server) commitBulk(ctx context.Context, seen Seen, v *board.View, form interface {
	Edit(v *board.View) (*bulk.Edit, error)
}) (Saved, error) {
	edit, err := form.Edit(v)
	if err != nil {
		return Saved{}, err
	}
	return s.commit(ctx, seen, edit.Summary, edit.Changes)
}

func (s *Server) previewAmounts(ctx context.Context, in *AmountsQuery) (BulkPreview, error) {
	out := BulkPreview{Checks: []checks.Result{}}
	v, err := s.look(ctx, &in.BoardFilter)
	if err != nil {
		return out, err
	}
	edit, err := in.Body.Edit(v)
	if err != nil {
		return out, err
	}
	if out.Outcome = edit.Outcome; len(edit.Changes) == 0 {
		return out, nil
	}
	vp := v.Viewpoint
	if in.Body.From != "" {
		vp.At, _ = pricing.ParseMoment(in.Body.From) // Edit read it before
	}
	tally, broken, err := s.impacts.OfBookFrom(ctx, v.Snap, edit.Book(v.Snap.Book), vp)
	out.Moved, out.Below, out.Checks = tally.Moved, tally.Below, broken
	return out, err
}

func (s *Server) previewWords(ctx context.Context, in *WordsQuery) (WordsPreview, error) {
	v, err := s.look(ctx, &in.BoardFilter)
	if err != nil {
		return WordsPreview{}, err
	}
	edit, err := in.Body.Edit(v)
	if err != nil {
		return WordsPreview{}, err
	}
	out := WordsPreview{Outcome: edit.Outcome}
	if len(edit.Changes) == 0 {
		return out, nil
	}
	next, err := book.Apply(v.Snap.Book, edit.Changes)
	if err != nil {
		return out, err
	}
	effect, err := s.impacts.OfBook(ctx, v.Snap, next, s.moment(v.Snap))
	out.Effect = &effect
	return out, err
}

func (s *Server) reorder(ctx context.Context, in *OrderQuery) (Saved, error) {
	snap := s.Live.Current()
	layer, _ := pricing.ParseLayer(in.Body.Layer)
	changes, err := bulk.Reorder(snap.Book, layer, in.Body.Moved, in.Body.Codes)
	if err != nil {
		return Saved{}, err
	}
	if len(changes) == 0 {
		return Saved{Version: snap.Version}, nil
	}
	summary := "Ranked the rules of the " + in.Body.Layer + " layer anew"
	if r := snap.Rule(in.Body.Moved); r != nil {
		summary = fmt.Sprintf("Moved “%s” in the %s layer", r.Title(), in.Body.Layer)
	}
	return s.commit(ctx, in.Seen, summary, changes)
}
