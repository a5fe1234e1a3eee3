package server

import (
	"cmp"
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"dogbane/internal/board"
	"dogbane/internal/book"
	"dogbane/internal/codes"
	"dogbane/internal/pricing"
	"dogbane/internal/pricing/basket"
	"dogbane/internal/publish"
	"dogbane/internal/storefront"
)

// SetList is the sets and add-ons that are open.
type SetList struct {
	Sets []storefront.Set `json:"sets"`
}

// HireDayList is the days of a hire.
type HireDayList struct {
	Days      []storefront.HireDay `json:"days"`
	FreeFirst string               `json:"freeFirst,omitempty" doc:"a first day begun at or after this time of day is free"`
	FreeLast  string               `json:"freeLast,omitempty" doc:"a last day ended at or before this time of day is free"`
	Rules     []board.RuleMark     `json:"rules"`
}

func (s *Server) registerStorefront(api huma.API) {
	get(api, "/api/hire-days", s.hireDays)
	get(api, "/api/storefront", func(ctx context.Context, in *SKUQuery) (storefront.Goods, error) {
		snap := s.Live.Current()
		vp, err := in.read(ctx, s, snap)
		if err != nil {
			return storefront.Goods{}, err
		}
		return storefront.AskedBy(snap.Engine, snap.Baskets(), vp).Goods(in.SKU)
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
		shown, vp, err := s.seenBy(ctx, &in.ChannelCall, in.Customer)
		if err != nil {
			return storefront.Goods{}, err
		}
		asked := storefront.AskedBy(shown.Engine, shown.Baskets(), vp)
		q := basket.Question{Viewpoint: vp}
		if err := codes.Know(ctx, s.uses, shown.Baskets(), &q); err != nil {
			return storefront.Goods{}, err
		}
		asked.Told, asked.Used = shown.Told, q.Used
		goods, err := asked.Goods(in.SKU)
		for i := range goods.Texts {
			goods.Texts[i].Image = withHost(goods.Texts[i].Image, in.host)
		}
		for i := range goods.Deals {
			goods.Deals[i].Image = withHost(goods.Deals[i].Image, in.host)
		}
		return goods, err
	})
	answers(api, anybody, http.MethodGet, "/channel/{channel}/sets", func(ctx context.Context, in *struct {
		ChannelCall
		Customer string `query:"customer"`
	}) (SetList, error) {
		snap, vp, err := s.seenBy(ctx, &in.ChannelCall, in.Customer)
		if err != nil {
			return SetList{}, err
		}
		list, err := s.sets(ctx, snap.Snapshot, vp)
		for i := range list.Sets {
			list.Sets[i].Image = withHost(list.Sets[i].Image, in.host)
		}
		return list, err
	})
}

func (s *Server) hireDays(ctx context.Context, in *struct {
	SKUQuery
	From string `query:"from" required:"true" doc:"the first day"`
	Days int    `query:"days" minimum:"1" maximum:"92" default:"31"`
}) (HireDayList, error) {
	out := HireDayList{Days: []storefront.HireDay{}, Rules: []board.RuleMark{}}
	snap := s.Live.Current()
	vp, err := in.read(ctx, s, snap)
	if err != nil {
		return out, err
	}
	from, err := pricing.ParseMoment(in.From)
	if err != nil {
		return out, &pricing.QuestionError{Path: "from", Problem: err.Error()}
	}
	p := snap.Product(in.SKU)
	if p == nil || p.Unit != "day" {
		return out, &pricing.QuestionError{Path: "sku", Problem: "this product is not hired by the day"}
	}
	if out.Days, err = storefront.HireDays(snap.Baskets(), vp, in.SKU, from, in.Days); err != nil {
		return out, err
	}
	times := cmp.Or(p.Hire, snap.Book.Settings.Hire)
	if c := snap.Channel(vp.Channel); c != nil && p.Hire == nil && c.Hire != nil {
		times = c.Hire
	}
	if times != nil {
		out.FreeFirst, out.FreeLast = clockText(times.FreeFirstDayFrom), clockText(times.FreeLastDayUntil)
	}
	named := map[string]bool{}
	for _, d := range out.Days {
		for _, code := range d.Rules {
			if !named[code] {
				named[code] = true
				out.Rules = append(out.Rules, board.MarkOf(snap.Rule(code)))
			}
		}
	}
	return out, nil
}

// clockText is a time of day; "" where there is none.
func clockText(t *pricing.Moment) string {
	if t == nil {
		return ""
	}
	return t.Format("15:04")
}

func (s *Server) sets(ctx context.Context, snap *book.Snapshot, vp pricing.Viewpoint) (SetList, error) {
	q := basket.Question{Viewpoint: vp}
	if err := codes.Know(ctx, s.uses, snap.Baskets(), &q); err != nil {
		return SetList{}, err
	}
	list, err := storefront.SetsOf(snap.Engine, snap.Baskets(), vp, q.Used)
	return SetList{list}, err
}

// seenBy is what a channel's program may see: the present of its channel, for a guest or for a customer.
func (s *Server) seenBy(
	ctx context.Context,
	in *ChannelCall,
	customer string,
) (*publish.Quoted, pricing.Viewpoint, error) {
	key, err := s.caller(ctx, in, mayQuote)
	if err != nil {
		return nil, pricing.Viewpoint{}, err
	}
	published, err := s.published(ctx, in.Channel)
	if err != nil {
		return nil, pricing.Viewpoint{}, err
	}
	if customer != "" && !key.May(mayCustomers) {
		return nil, pricing.Viewpoint{}, huma.Error403Forbidden("This key may not ask for customers or groups.")
	}
	vp := pricing.Viewpoint{At: published.Present(s.Clocks.Book()), Channel: in.Channel, Customer: customer}
	return published, vp, s.buyers.KnowAll(ctx, published.Snapshot, &vp)
}
