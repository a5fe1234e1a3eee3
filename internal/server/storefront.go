package server

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"dogbane/internal/book"
	"dogbane/internal/codes"
	"dogbane/internal/pricing"
	"dogbane/internal/pricing/basket"
	"dogbane/internal/storefront"
)

// SetList is the sets and add-ons that are open.
type SetList struct {
	Sets []storefront.Set `json:"sets"`
}

func (s *Server) registerStorefront(api huma.API) {
	get(api, "/api/storefront", func(ctx context.Context, in *SKUQuery) (storefront.Goods, error) {
		snap := s.Live.Current()
		vp, err := in.read(ctx, s, snap)
		if err != nil {
			return storefront.Goods{}, err
		}
		return storefront.GoodsOf(snap.Engine, vp, in.SKU)
	})
	get(api, "/api/sets", func(ctx context.Context, in *ViewpointQuery) (SetList, error) {
		snap := s.Live.Current()
		vp, err := in.read(ctx, s, snap)
		if err != nil {
			return SetList{}, err
		}
		return s.sets(ctx, snap, vp)
	})
	answers(api, anybody, http.MethodGet, "/channel/{channel}/goods/{sku}", func(ctx context.Context, in *struct {
		ChannelCall
		SKU      string `path:"sku"`
		Customer string `query:"customer"`
	}) (storefront.Goods, error) {
		snap, vp, err := s.seenBy(ctx, &in.ChannelCall, in.Customer)
		if err != nil {
			return storefront.Goods{}, err
		}
		return storefront.GoodsOf(snap.Engine, vp, in.SKU)
	})
	answers(api, anybody, http.MethodGet, "/channel/{channel}/sets", func(ctx context.Context, in *struct {
		ChannelCall
		Customer string `query:"customer"`
	}) (SetList, error) {
		snap, vp, err := s.seenBy(ctx, &in.ChannelCall, in.Customer)
		if err != nil {
			return SetList{}, err
		}
		return s.sets(ctx, snap, vp)
	})
}

func (s *Server) sets(ctx context.Context, snap *book.Snapshot, vp pricing.Viewpoint) (SetList, error) {
	q := basket.Question{Viewpoint: vp}
	if err := codes.Know(ctx, s.Store, snap.Baskets(), &q); err != nil {
		return SetList{}, err
	}
	list, err := storefront.SetsOf(snap.Engine, snap.Baskets(), vp, q.Used)
	return SetList{list}, err
}

// seenBy is what a channel's program may see: the present of its channel, for a guest or for a customer.
func (s *Server) seenBy(ctx context.Context, in *ChannelCall, customer string) (*book.Snapshot, pricing.Viewpoint, error) {
	snap := s.Live.Current()
	key, err := s.caller(ctx, in, mayQuote)
	if err != nil {
		return nil, pricing.Viewpoint{}, err
	}
	if customer != "" && !key.May(mayCustomers) {
		return nil, pricing.Viewpoint{}, huma.Error403Forbidden("This key may not ask for customers or groups.")
	}
	vp := pricing.Viewpoint{At: pricing.MomentOf(s.Clocks.Book().In(snap.Zone)), Channel: in.Channel, Customer: customer}
	return snap, vp, s.buyers.KnowAll(ctx, snap, &vp)
}
