package server

import (
	"context"
	"slices"

	"github.com/danielgtaylor/huma/v2"

	"dogbane/internal/money"
	"dogbane/internal/timeline"
)

// Outlook is one product's price seen from elsewhere: for every group and quantity, over the time ahead, and what was
// published before.
type Outlook struct {
	Quantities []int         `json:"quantities"`
	Rows       []OutlookRow  `json:"rows"`
	Over       []PriceAt     `json:"over" doc:"the price from each moment on at which it changes"`
	To         string        `json:"to"`
	Lowest30   *LowestPrice  `json:"lowest30" doc:"the lowest price that the channel showed in the last 30 days"`
	Currency   string        `json:"currency"`
	Cost       *string       `json:"cost" doc:"on the price's footing"`
	Rules      []ReachedRule `json:"rules" doc:"every rule whose selection holds the product"`
}

// OutlookRow is the prices of one group by quantity.
type OutlookRow struct {
	Who    string    `json:"who"`
	Name   string    `json:"name"`
	Prices []*string `json:"prices"`
}

// PriceAt is a price from a moment on.
type PriceAt struct {
	At    string  `json:"at"`
	Price *string `json:"price"`
}

// LowestPrice is a published price with the time from which it was shown.
type LowestPrice struct {
	Price string `json:"price"`
	From  string `json:"from"`
}

// ReachedRule is a rule that selects a product.
type ReachedRule struct {
	RuleMark
	State string `json:"state"`
}

const outlookQuantities = 7

func (s *Server) registerOutlook(api huma.API) {
	huma.Get(api, "/api/outlook", func(ctx context.Context, in *struct {
		ViewpointQuery
		SKU string `query:"sku" required:"true"`
	}) (*body[Outlook], error) {
		return answer(s.outlook(ctx, &in.ViewpointQuery, in.SKU))
	})
}

func (s *Server) outlook(ctx context.Context, in *ViewpointQuery, sku string) (Outlook, error) {
	snap := s.live.Current()
	out := Outlook{Rows: []OutlookRow{}, Over: []PriceAt{}, Rules: []ReachedRule{}}
	vp, err := in.viewpoint(s, snap)
	if err != nil {
		return out, err
	}
	all := quantitiesOf(snap.Book)
	out.Quantities = all[:min(len(all), outlookQuantities)]
	if !slices.Contains(out.Quantities, vp.Quantity) {
		out.Quantities = append(slices.Clone(out.Quantities), vp.Quantity)
		slices.Sort(out.Quantities)
	}
	o, err := timeline.OutlookOf(snap.Engine, vp, sku, out.Quantities)
	if err != nil {
		return out, err
	}
	out.Currency, out.To, out.Over = o.Currency, o.To.String(), pricesAt(o.Over, o.Digits, 1)
	for _, r := range o.Rows {
		row := OutlookRow{Name: r.Name, Prices: []*string{}}
		switch {
		case r.Group != "":
			row.Who = "group:" + r.Group
		case r.Customer != "":
			row.Who = "customer:" + r.Customer
		}
		for _, price := range r.Prices {
			row.Prices = append(row.Prices, fixed(price, o.Digits))
		}
		out.Rows = append(out.Rows, row)
	}
	for _, r := range o.Rules {
		out.Rules = append(out.Rules, ReachedRule{RuleMark{r.Code, title(r), r.Layer.String()}, state(r, s.moment(snap))})
	}
	if out.Cost, err = s.costSeen(snap, vp, sku); err != nil {
		return out, err
	}
	if vp.Channel == "" {
		return out, nil
	}
	history, err := s.store.PriceHistory(ctx, vp.Channel, sku)
	if err != nil {
		return out, err
	}
	since := s.now().AddDate(0, 0, -30)
	var lowest *money.Rat
	for _, h := range history {
		if h.Price == nil || h.Until != nil && h.Until.Before(since) || lowest != nil && !h.Price.Less(*lowest) {
			continue
		}
		lowest = h.Price
		digits, _ := money.Digits(h.Currency)
		out.Lowest30 = &LowestPrice{h.Price.Fixed(digits), s.wall(h.From)}
	}
	return out, nil
}
