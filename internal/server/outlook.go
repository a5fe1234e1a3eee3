package server

import (
	"cmp"
	"context"
	"slices"

	"github.com/danielgtaylor/huma/v2"

	"dogbane/internal/money"
	"dogbane/internal/pricing"
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

const (
	outlookDays       = 90
	outlookQuantities = 7
	outlookChanges    = 120
)

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
	number, exists := snap.Engine.ProductNumber(sku)
	price := func(vp pricing.Viewpoint) (*string, error) {
		a, err := snap.Engine.Price(pricing.Question{Viewpoint: vp, SKU: sku})
		if err != nil || a.Unit == nil {
			return nil, err
		}
		out.Currency = a.Currency
		text := a.Unit.Fixed(a.Digits)
		return &text, nil
	}
	all := quantitiesOf(snap.Book)
	out.Quantities = all[:min(len(all), outlookQuantities)]
	if !slices.Contains(out.Quantities, vp.Quantity) {
		out.Quantities = append(slices.Clone(out.Quantities), vp.Quantity)
		slices.Sort(out.Quantities)
	}
	row := func(who, name string, change func(*pricing.Viewpoint)) error {
		r := OutlookRow{Who: who, Name: name, Prices: []*string{}}
		for _, n := range out.Quantities {
			one := vp.Guest()
			one.Quantity = n
			change(&one)
			p, err := price(one)
			if err != nil {
				return err
			}
			r.Prices = append(r.Prices, p)
		}
		out.Rows = append(out.Rows, r)
		return nil
	}
	if err := row("", "everyone", func(*pricing.Viewpoint) {}); err != nil {
		return out, err
	}
	for _, g := range snap.Book.Groups {
		if err := row("group:"+g.Code, cmp.Or(g.Name, g.Code), func(v *pricing.Viewpoint) { v.Groups = []string{g.Code} }); err != nil {
			return out, err
		}
	}
	if vp.Customer != "" {
		if err := row("customer:"+vp.Customer, vp.Customer, func(v *pricing.Viewpoint) {
			v.Customer, v.FirstOrder, v.History = vp.Customer, vp.FirstOrder, vp.History
		}); err != nil {
			return out, err
		}
	}
	end := vp.At + outlookDays*pricing.Day
	out.To = end.String()
	for _, at := range append([]pricing.Moment{vp.At}, snap.Engine.Changes(vp.At, end, outlookChanges)...) {
		one := vp
		one.At = at
		p, err := price(one)
		if err != nil {
			return out, err
		}
		if n := len(out.Over); n == 0 || !sameText(out.Over[n-1].Price, p) {
			out.Over = append(out.Over, PriceAt{at.String(), p})
		}
	}
	if exists {
		if sw, err := s.sweep(snap, vp); err == nil {
			r := sw.Row(number)
			out.Cost = minor(r.Cost, r.HasCost, sw.Digits)
		}
		now := s.moment(snap)
		for i := range snap.Book.Rules {
			if r := &snap.Book.Rules[i]; snap.Engine.Match(&r.Where).Has(number) {
				out.Rules = append(out.Rules, ReachedRule{RuleMark{r.Code, title(r), r.Layer.String()}, state(r, now)})
			}
		}
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

func sameText(a, b *string) bool { return (a == nil) == (b == nil) && (a == nil || *a == *b) }
