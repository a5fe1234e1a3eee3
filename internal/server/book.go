package server

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"dogbane/internal/book"
	"dogbane/internal/bookfile"
	"dogbane/internal/checks"
	"dogbane/internal/demo"
	"dogbane/internal/impact"
	"dogbane/internal/pricing"
	"dogbane/internal/store"
)

// BookDifferences are what putting another book in the place of the saved one would change.
type BookDifferences struct {
	Version int64            `json:"version" doc:"of the saved book that was compared"`
	Errors  []bookfile.Error `json:"errors" doc:"why the document is no valid book, the first 100; the rest is empty then"`
	Wrong   int              `json:"wrong" doc:"how many errors there are"`
	Kinds   []KindDifference `json:"kinds"`
	Pieces  []PieceChange    `json:"pieces" doc:"the first 300"`
	Prices  []impact.Channel `json:"prices" doc:"how many prices of each channel would move now"`
	Checks  []checks.Result  `json:"checks" doc:"checks that hold now and would not"`
}

// KindDifference counts the pieces of a kind that differ.
type KindDifference struct {
	Kind    string `json:"kind"`
	New     int    `json:"new"`
	Changed int    `json:"changed"`
	Gone    int    `json:"gone"`
}

// PieceChange is one piece that differs.
type PieceChange struct {
	Kind string `json:"kind"`
	Code string `json:"code"`
	What string `json:"what" enum:"new,changed,gone"`
}

const largestBook = 512 << 20

// ReplaceQuery puts another book in the place of the saved one.
type ReplaceQuery struct {
	Seen
	Version int64  `query:"version" doc:"of the saved book that was compared"`
	RawBody []byte `contentType:"application/json"`
}

func (s *Server) registerBook(api huma.API) {
	patient := func(o *huma.Operation) { o.BodyReadTimeout = time.Minute }
	on(api, store.Reader, http.MethodGet, "/api/book", func(_ context.Context, _ *none) (*huma.StreamResponse, error) {
		snap := s.Live.Current()
		return &huma.StreamResponse{Body: func(ctx huma.Context) {
			ctx.SetHeader("Content-Type", "application/json")
			ctx.SetHeader("Content-Disposition", fmt.Sprintf(`attachment; filename="book-%d.json"`, snap.Version))
			_, _ = ctx.BodyWriter().Write(bookfile.Encode(snap.Book))
		}}, nil
	})
	answers(api, store.Reader, http.MethodPost, "/api/book/compare", func(ctx context.Context, in *struct {
		RawBody []byte `contentType:"application/json"`
	}) (BookDifferences, error) {
		return s.compareBook(ctx, in.RawBody)
	}, unchecked, upTo(largestBook), patient)
	answers(api, store.Administrator, http.MethodPut, "/api/book", s.replaceBook, unchecked, upTo(largestBook), patient)
}

func (s *Server) replaceBook(ctx context.Context, in *ReplaceQuery) (Saved, error) {
	snap := s.Live.Current()
	if in.Version != snap.Version {
		return Saved{}, huma.Error409Conflict("The book has changed since you compared. Compare again before replacing it.")
	}
	next, err := bookfile.Decode(in.RawBody)
	if err != nil {
		return Saved{}, err
	}
	changes := book.Differences(snap.Book, next)
	if len(changes) == 0 {
		return Saved{}, huma.Error409Conflict("The document is the saved book already.")
	}
	out, err := s.commit(ctx, in.Seen, fmt.Sprintf("Replaced the book from a file: %d pieces", len(changes)), changes)
	if err != nil {
		return out, err
	}
	return out, s.endDemo(ctx, next)
}

// endDemo ends the demo where a book of one's own has taken its place.
func (s *Server) endDemo(ctx context.Context, book *pricing.Book) error {
	isDemo, err := s.Store.Fact(ctx, "demo-now")
	if err != nil || isDemo == "" || demo.Is(book) {
		return err
	}
	by := personOf(ctx).Name
	if err := s.Store.EndDemo(ctx, by, demo.Password); err != nil {
		return err
	}
	s.known.Purge()
	if s.DemoEnds != nil {
		s.DemoEnds()
	}
	s.record(ctx, by, store.DemoEnded, "a book of one's own has taken its place")
	return nil
}

func (s *Server) compareBook(ctx context.Context, doc []byte) (BookDifferences, error) {
	snap := s.Live.Current()
	out := BookDifferences{Version: snap.Version, Errors: []bookfile.Error{}, Kinds: []KindDifference{},
		Pieces: []PieceChange{},
		Prices: []impact.Channel{}, Checks: []checks.Result{}}
	next, err := bookfile.Decode(doc)
	var errs bookfile.Errors
	if errors.As(err, &errs) {
		out.Wrong, out.Errors = len(errs), errs[:min(len(errs), errorsShown)]
		return out, nil
	} else if err != nil {
		return out, err
	}
	out.count(book.Differences(snap.Book, next))
	effect, err := s.impacts.OfBook(ctx, snap, next, s.moment(snap))
	out.Prices, out.Checks = effect.Prices, effect.Checks
	return out, err
}

const errorsShown, piecesShown = 100, 300

// count counts changes by kind.
func (d *BookDifferences) count(changes []book.Change) {
	at := map[string]int{}
	for _, c := range changes {
		if _, known := at[c.Kind]; !known {
			at[c.Kind] = len(d.Kinds)
			d.Kinds = append(d.Kinds, KindDifference{Kind: c.Kind})
		}
		kind, what := &d.Kinds[at[c.Kind]], "changed"
		switch {
		case c.Before == nil:
			what = "new"
			kind.New++
		case c.After == nil:
			what = "gone"
			kind.Gone++
		default:
			kind.Changed++
		}
		if len(d.Pieces) < piecesShown {
			d.Pieces = append(d.Pieces, PieceChange{c.Kind, c.Code, what})
		}
	}
}
