package server

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"dogbane/internal/bookfile"
	"dogbane/internal/bulk"
	"dogbane/internal/money"
	"dogbane/internal/pricing"
	"dogbane/internal/store"
	"dogbane/internal/timeline"
)

// LaterList is what figures of products will be others, by the moment from which they are.
type LaterList struct {
	Moments []LaterMoment `json:"moments" doc:"after now, ascending"`
}

// LaterMoment is one of them.
type LaterMoment struct {
	At      string         `json:"at"`
	Goods   int            `json:"goods"`
	Figures map[string]int `json:"figures" doc:"how many change, by list, cost, rrp, map, costs, levels and listIn"`
	Moved   int            `json:"moved" doc:"goods whose price is another from then on than the moment before, as it was asked"`
	Up      int            `json:"up" doc:"of those, dearer"`
	Below   int            `json:"below" doc:"of those, below cost from then on and not before"`
}

// LaterGoods are the figures that begin to hold at one moment.
type LaterGoods struct {
	Total int        `json:"total"`
	Rows  []LaterRow `json:"rows"`
}

// LaterRow is one figure of a product.
type LaterRow struct {
	SKU    string  `json:"sku"`
	Name   string  `json:"name"`
	Figure string  `json:"figure" enum:"list,cost,rrp,map,costs,levels,listIn"`
	Of     string  `json:"of,omitempty" doc:"the further cost, the level or the currency"`
	Was    *string `json:"was" doc:"the moment before; null: none"`
	Is     string  `json:"is"`
}

const (
	laterMoments = 60  // told at once
	laterRows    = 200 // of a page
)

// LaterGoodsQuery is a page of the figures of a moment.
type LaterGoodsQuery struct {
	At    string `query:"at" required:"true"`
	Start int    `query:"start" minimum:"0"`
}

func (s *Server) registerLater(api huma.API) {
	get(api, "/api/later", s.later)
	get(api, "/api/later/goods", s.laterGoods)
	answers(api, store.Manager, http.MethodPost, "/api/later/move", func(ctx context.Context, in *struct {
		Seen
		Body bulk.Later
	}) (Saved, error) {
		snap := s.Live.Current()
		changes, summary, err := in.Body.Changes(snap.Book, s.moment(snap))
		if err != nil {
			return Saved{}, err
		}
		return s.commit(ctx, in.Seen, summary, changes)
	})
}

func (s *Server) later(ctx context.Context, in *ViewpointQuery) (LaterList, error) {
	out := LaterList{Moments: []LaterMoment{}}
	snap := s.Live.Current()
	vp, err := in.read(ctx, s, snap)
	if err != nil {
		return out, err
	}
	list := timeline.LaterOf(snap.Engine, s.moment(snap))
	for _, l := range list[:min(len(list), laterMoments)] {
		m := LaterMoment{At: l.At.String(), Goods: len(l.Goods), Figures: map[string]int{}}
		for _, c := range l.Changes() {
			m.Figures[c.Figure]++
		}
		some := make([]int32, 0, len(l.Goods))
		for _, p := range l.Goods {
			n, _ := snap.Engine.ProductNumber(p.SKU)
			some = append(some, n)
		}
		before, after := vp, vp
		before.At, after.At = l.At-1, l.At
		was, err := snap.Engine.SweepOf(before, snap.Engine.SetOf(some))
		if err != nil {
			return out, err
		}
		is, err := snap.Engine.SweepOf(after, snap.Engine.SetOf(some))
		if err != nil {
			return out, err
		}
		for _, p := range some {
			m.count(was, is, p)
		}
		out.Moments = append(out.Moments, m)
	}
	return out, nil
}

func (m *LaterMoment) count(was, is *pricing.Sweep, p int32) {
	x, had := was.Price(p)
	y, has := is.Price(p)
	if had != has || x != y {
		m.Moved++
		if had && has && y > x {
			m.Up++
		}
	}
	if is.BelowCost(p) && !was.BelowCost(p) {
		m.Below++
	}
}

func (s *Server) laterGoods(_ context.Context, in *LaterGoodsQuery) (LaterGoods, error) {
	out := LaterGoods{Rows: []LaterRow{}}
	at, err := pricing.ParseMoment(in.At)
	if err != nil {
		return out, invalid("at", err.Error())
	}
	for _, l := range timeline.LaterOf(s.Live.Current().Engine, at-1) {
		if l.At != at {
			break
		}
		all := l.Changes()
		out.Total = len(all)
		text := func(a *money.Rat) *string {
			if a == nil {
				return nil
			}
			amount := bookfile.Amount(*a)
			return &amount
		}
		from := min(in.Start, len(all))
		for _, c := range all[from:min(from+laterRows, len(all))] {
			out.Rows = append(out.Rows, LaterRow{c.Product.SKU, c.Product.Name, c.Figure, c.Name, text(c.Was),
				bookfile.Amount(*c.Is)})
		}
	}
	return out, nil
}
