package server

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"dogbane/internal/bookfile"
	"dogbane/internal/demo"
	"dogbane/internal/pricing"
	"dogbane/internal/store"
)

// BookDifferences are what putting another book in the place of the saved one would change.
type BookDifferences struct {
	Version int64            `json:"version" doc:"of the saved book that was compared"`
	Errors  []DocError       `json:"errors" doc:"why the document is no valid book, the first 100; the rest is empty then"`
	Wrong   int              `json:"wrong" doc:"how many errors there are"`
	Kinds   []KindDifference `json:"kinds"`
	Pieces  []PieceChange    `json:"pieces" doc:"the first 300"`
	Prices  []ChannelChange  `json:"prices" doc:"how many prices of each channel would move now"`
	Checks  []BrokenCheck    `json:"checks" doc:"checks that hold now and would not"`
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

// ChannelChange counts the prices of a channel that move.
type ChannelChange struct {
	Channel string `json:"channel"`
	Name    string `json:"name"`
	Moved   int    `json:"moved"`
	Below   int    `json:"below" doc:"below cost afterwards"`
}

const largestBook = 512 << 20

func (s *Server) registerBook(api huma.API) {
	huma.Get(api, "/api/book", func(_ context.Context, _ *struct{}) (*huma.StreamResponse, error) {
		snap := s.live.Current()
		return &huma.StreamResponse{Body: func(ctx huma.Context) {
			ctx.SetHeader("Content-Type", "application/json")
			ctx.SetHeader("Content-Disposition", fmt.Sprintf(`attachment; filename="book-%d.json"`, snap.Version))
			_, _ = ctx.BodyWriter().Write(bookfile.Encode(snap.Book))
		}}, nil
	})
	huma.Register(api, huma.Operation{Method: http.MethodPost, Path: "/api/book/compare", SkipValidateBody: true, MaxBodyBytes: largestBook, BodyReadTimeout: time.Minute}, func(ctx context.Context, in *struct {
		RawBody []byte `contentType:"application/json"`
	}) (*body[BookDifferences], error) {
		return answer(s.compareBook(ctx, in.RawBody))
	})
	huma.Register(api, huma.Operation{Method: http.MethodPut, Path: "/api/book", SkipValidateBody: true, MaxBodyBytes: largestBook, BodyReadTimeout: time.Minute}, func(ctx context.Context, in *struct {
		Version int64  `query:"version" doc:"of the saved book that was compared"`
		RawBody []byte `contentType:"application/json"`
	}) (*body[Saved], error) {
		snap := s.live.Current()
		if in.Version != snap.Version {
			return nil, huma.Error409Conflict("The book has changed since you compared. Compare again before replacing it.")
		}
		next, err := bookfile.Decode(in.RawBody)
		if err != nil {
			return nil, asProblem(err)
		}
		changes := store.Differences(snap.Book, next)
		if len(changes) == 0 {
			return nil, huma.Error409Conflict("The document is the saved book already.")
		}
		out, err := s.commit(ctx, fmt.Sprintf("Replaced the book from a file: %d pieces", len(changes)), changes)
		if err == nil {
			err = asProblem(s.endDemo(ctx, next))
		}
		return out, err
	})
}

// endDemo ends the demo where a book of one's own has taken its place.
func (s *Server) endDemo(ctx context.Context, book *pricing.Book) error {
	isDemo, err := s.store.Fact(ctx, "demo-now")
	if err != nil || isDemo == "" || demo.Is(book) {
		return err
	}
	by := personOf(ctx).Name
	if err := s.store.EndDemo(ctx, by, demo.Password); err != nil {
		return err
	}
	s.seen.Purge()
	s.purchases.forget()
	if s.DemoEnds != nil {
		s.DemoEnds()
	}
	s.record(ctx, by, store.DemoEnded, "a book of one's own has taken its place")
	return nil
}

func (s *Server) compareBook(ctx context.Context, doc []byte) (BookDifferences, error) {
	snap := s.live.Current()
	out := BookDifferences{Version: snap.Version, Errors: []DocError{}, Kinds: []KindDifference{}, Pieces: []PieceChange{}, Prices: []ChannelChange{}, Checks: []BrokenCheck{}}
	next, err := bookfile.Decode(doc)
	var errs bookfile.Errors
	if errors.As(err, &errs) {
		out.Wrong = len(errs)
		for _, e := range errs[:min(len(errs), 100)] {
			out.Errors = append(out.Errors, DocError{e.Path, e.Problem, e.Value})
		}
		return out, nil
	} else if err != nil {
		return out, err
	}
	at := map[string]int{}
	for _, c := range store.Differences(snap.Book, next) {
		if _, known := at[c.Kind]; !known {
			at[c.Kind] = len(out.Kinds)
			out.Kinds = append(out.Kinds, KindDifference{Kind: c.Kind})
		}
		kind, what := &out.Kinds[at[c.Kind]], "changed"
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
		if len(out.Pieces) < 300 {
			out.Pieces = append(out.Pieces, PieceChange{c.Kind, c.Code, what})
		}
	}
	engine := pricing.Compile(next)
	if out.Checks, err = s.broken(ctx, snap.Engine, engine); err != nil {
		return out, err
	}
	for _, c := range next.Channels {
		moved, below, err := moves(snap.Engine, engine, pricing.Viewpoint{Channel: c.Code, At: s.moment(snap), Quantity: 1})
		if err != nil {
			return out, err
		}
		out.Prices = append(out.Prices, ChannelChange{c.Code, c.Name, moved, below})
	}
	return out, nil
}

// moves counts the products of the second engine whose price is not what the first says, and those of them below cost.
func moves(before, after *pricing.Engine, vp pricing.Viewpoint) (moved, below int, err error) {
	b, err := after.Sweep(vp)
	if err != nil {
		return 0, 0, err
	}
	a, err := before.Sweep(vp)
	var unknown *pricing.QuestionError
	if err != nil && !errors.As(err, &unknown) {
		return 0, 0, err
	}
	for p, product := range after.Products() {
		price, priced := b.Price(int32(p))
		was, had := int64(0), false
		if n, exists := before.ProductNumber(product.SKU); exists && a != nil {
			was, had = a.Price(n)
		}
		if priced != had || priced && price != was {
			moved++
			if b.BelowCost(int32(p)) {
				below++
			}
		}
	}
	return moved, below, nil
}
