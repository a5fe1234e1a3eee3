package server

import (
	"context"
	"fmt"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"dogbane/internal/agreed"
	"dogbane/internal/book"
	"dogbane/internal/impact"
	"dogbane/internal/money"
	"dogbane/internal/store"
)

// AgreedEdit sets one agreed price.
type AgreedEdit struct {
	SKU   string `json:"sku"`
	Price string `json:"price" doc:"empty: no longer agreed"`
}

// AgreedList is what was agreed with a customer.
type AgreedList struct {
	agreed.List
	Unfixed []impact.Obstacle `json:"unfixed" doc:"what may still change the prices where they are fixed"`
}

// AgreedQuery sets one agreed price of a customer.
type AgreedQuery struct {
	Seen
	Code string `path:"code"`
	Body AgreedEdit
}

func (s *Server) registerAgreed(api huma.API) {
	get(api, "/api/customers/{code}/agreed", func(_ context.Context, in *struct {
		Code string `path:"code"`
	}) (AgreedList, error) {
		snap := s.Live.Current()
		now := s.moment(snap)
		list, err := agreed.Of(snap, in.Code, now)
		return AgreedList{list, impact.Obstacles(snap.Engine, agreed.Rule(snap.Book, in.Code), "", now)}, err
	})
	get(api, "/api/customers/{code}/agreed/compare", func(_ context.Context, in *struct {
		Code  string `path:"code"`
		SKU   string `query:"sku" required:"true"`
		Price string `query:"price" required:"true"`
	}) (agreed.Comparison, error) {
		snap := s.Live.Current()
		price, err := book.ReadAmount("price", in.Price, false)
		if err != nil {
			return agreed.Comparison{}, err
		}
		return agreed.Compare(snap, in.Code, in.SKU, price, s.moment(snap))
	})
	answers(api, store.Manager, http.MethodPut, "/api/customers/{code}/agreed", s.agree)
	answers(api, store.Manager, http.MethodPut, "/api/customers/{code}/agreed/fixed", s.fixAgreed)
}

// FixedQuery says whether the agreed prices of a customer are fixed.
type FixedQuery struct {
	Seen
	Code string `path:"code"`
	Body struct {
		Fixed bool `json:"fixed"`
	}
}

func (s *Server) fixAgreed(ctx context.Context, in *FixedQuery) (Saved, error) {
	change, err := agreed.Fix(s.Live.Current().Book, in.Code, in.Body.Fixed)
	if err != nil {
		return Saved{}, err
	}
	summary := fmt.Sprintf("Fixed the prices agreed with %s: nothing else changes them", in.Code)
	if !in.Body.Fixed {
		summary = fmt.Sprintf("The prices agreed with %s are no longer fixed", in.Code)
	}
	return s.commit(ctx, in.Seen, summary, []book.Change{change})
}

func (s *Server) agree(ctx context.Context, in *AgreedQuery) (Saved, error) {
	snap := s.Live.Current()
	if snap.Product(in.Body.SKU) == nil {
		return Saved{}, invalid("sku", fmt.Sprintf("There is no product %s.", in.Body.SKU))
	}
	var price *money.Rat
	summary := fmt.Sprintf("Ended what was agreed with %s for %s", in.Code, in.Body.SKU)
	if in.Body.Price != "" {
		amount, err := book.ReadAmount("price", in.Body.Price, false)
		if err != nil {
			return Saved{}, err
		}
		price, summary = &amount, fmt.Sprintf("Agreed %s with %s for %s", in.Body.Price, in.Code, in.Body.SKU)
	}
	changes, err := agreed.Set(snap.Book, agreed.Prices{in.Code: {in.Body.SKU: price}})
	if err != nil {
		return Saved{}, err
	}
	return s.commit(ctx, in.Seen, summary, changes)
}
