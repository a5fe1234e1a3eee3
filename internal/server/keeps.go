package server

import (
	"context"
	"encoding/json"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"dogbane/internal/bookfile"
	"dogbane/internal/pricing"
	"dogbane/internal/store"
)

// Keeps shows with one product what a channel in a country with other taxes keeps: the price, or what is left of it
// without tax.
type Keeps struct {
	SKU   string     `json:"sku" doc:"empty: no product has a list price, a cost and a tax class of which the country's tax is another"`
	Name  string     `json:"name"`
	Price KeepsPrice `json:"price" doc:"where the price is kept"`
	Net   KeepsPrice `json:"net" doc:"where what is left without tax is kept"`
}

// KeepsPrice is what the product costs there by its list price alone.
type KeepsPrice struct {
	Unit   string  `json:"unit"`
	Net    string  `json:"net" doc:"without tax"`
	Margin *string `json:"margin" doc:"percent, after the channel's fee"`
}

func (s *Server) registerKeeps(api huma.API) {
	answers(api, store.Reader, http.MethodPost, "/api/channels/keeps", s.keeps)
}

// keeps prices the product that sells best of those whose tax differs, with no rules, in the channel as it would be.
func (s *Server) keeps(_ context.Context, in *struct{ Body ItemDoc }) (Keeps, error) {
	snap := s.Live.Current()
	out := Keeps{}
	var doc map[string]any
	if err := json.Unmarshal(in.Body, &doc); err != nil {
		return out, invalid("channel", "This is no channel.")
	}
	set := snap.Book.Settings
	country, _ := doc["country"].(string)
	var best *pricing.Product
	now := s.moment(snap)
	for _, p := range snap.Book.Products {
		own, other := set.Countries[country].TaxRates[p.TaxClass]
		if !other || own.Equal(set.TaxRates[p.TaxClass]) || p.OnRequest {
			continue
		}
		if p = p.At(now); p.List != nil && p.Cost != nil &&
			(best == nil || best.Sold == nil || p.Sold != nil && best.Sold.Less(*p.Sold)) {
			best = p
		}
	}
	if best == nil {
		return out, nil
	}
	out.SKU, out.Name = best.SKU, best.Name
	for keeps, to := range map[string]*KeepsPrice{"price": &out.Price, "net": &out.Net} {
		doc["keeps"] = keeps
		doc["code"] = "example" // it may have none yet
		delete(doc, "where")    // it may not list this product
		channel, err := json.Marshal(doc)
		if err != nil {
			return out, err
		}
		c, err := bookfile.ReadChannel(channel)
		if err != nil {
			return out, err
		}
		book := pricing.Book{Settings: set, Channels: []pricing.Channel{c}, Groups: snap.Book.Groups,
			Products: []*pricing.Product{best}}
		book.Settings.Guards = nil
		a, err := pricing.Compile(&book).Price(pricing.Question{SKU: best.SKU,
			Viewpoint: pricing.Viewpoint{At: now, Channel: c.Code}})
		if err != nil {
			return out, err
		}
		if a.Unit == nil || a.Margin == nil { // no rate for its currency
			return Keeps{}, nil
		}
		to.Unit, to.Net = a.Unit.Fixed(a.Digits), a.Margin.Net.Fixed(a.Digits)
		if percent, known := a.Margin.Percent(); known {
			text := percent.Fixed(1)
			to.Margin = &text
		}
	}
	return out, nil
}
