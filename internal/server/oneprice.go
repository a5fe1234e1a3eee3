package server

import (
	"context"
	"encoding/csv"
	"io"
	"log/slog"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"dogbane/internal/board"
	"dogbane/internal/book"
	"dogbane/internal/money"
	"dogbane/internal/pricing"
	"dogbane/internal/publish"
	"dogbane/internal/publish/format"
	"dogbane/internal/store"
)

// OnePriceFilter says of which products the prices are held against each other.
type OnePriceFilter struct {
	Words    string `query:"q"`
	Category string `query:"category"`
	Only     string `query:"only" enum:",apart" doc:"apart: those whose price is not the same in book, feed and channel"`
}

// OnePriceQuery asks for some of them.
type OnePriceQuery struct {
	OnePriceFilter
	Start int `query:"start" minimum:"0"`
	Limit int `query:"limit" minimum:"1" maximum:"500" default:"100"`
}

// OnePriceList is products with their prices everywhere, by category and SKU.
type OnePriceList struct {
	Rows     []OnePriceRow `json:"rows"`
	Total    int           `json:"total" doc:"that the filter leaves"`
	Products int           `json:"products" doc:"in all"`
	Version  int64         `json:"version" doc:"of the saved book"`
}

// OnePriceRow is a product's price in every channel, in the book's order.
type OnePriceRow struct {
	SKU      string      `json:"sku"`
	Name     string      `json:"name"`
	Channels []PriceThat `json:"channels"`
}

// PriceThat is a product's price in a channel.
type PriceThat struct {
	Channel string  `json:"channel"`
	Book    *string `json:"book" doc:"what the saved book says now; null: none"`
	Shows   *string `json:"shows" doc:"what was published, as the feed says it"`
	Reports *string `json:"reports" doc:"what the channel itself showed when it was compared last"`
	State   string  `json:"state" enum:"drifting,unsure,held,behind,in-step,absent"`
	Since   string  `json:"since,omitempty" doc:"since when it shows that"`
}

func (s *Server) registerOnePrice(api huma.API) {
	get(api, "/api/one-price", func(ctx context.Context, in *OnePriceQuery) (OnePriceList, error) {
		snap, products, all, err := s.everywhere(ctx, &in.OnePriceFilter)
		if err != nil {
			return OnePriceList{}, err
		}
		out := OnePriceList{Rows: []OnePriceRow{}, Total: len(products), Products: len(snap.Engine.Products()),
			Version: snap.Version}
		for _, p := range products[min(in.Start, len(products)):min(in.Start+in.Limit, len(products))] {
			product := snap.Engine.Products()[p]
			row := OnePriceRow{SKU: product.SKU, Name: product.Name}
			for _, t := range all.Of(product.SKU) {
				row.Channels = append(row.Channels, s.priceThat(snap, &t))
			}
			out.Rows = append(out.Rows, row)
		}
		return out, nil
	})
	on(api, store.Reader, http.MethodGet, "/api/one-price.csv", func(ctx context.Context,
		in *OnePriceFilter) (*huma.StreamResponse, error) {
		snap, products, all, err := s.everywhere(ctx, in)
		if err != nil {
			return nil, err
		}
		return &huma.StreamResponse{Body: func(out huma.Context) {
			out.SetHeader("Content-Type", "text/csv; charset=utf-8")
			out.SetHeader("Content-Disposition", `attachment; filename="one-price.csv"`)
			if err := s.writeOnePrice(out.BodyWriter(), snap, products, all); err != nil {
				slog.Error("an export broke off", "error", err)
			}
		}}, nil
	})
}

// everywhere are the products that a filter leaves, with the prices of all everywhere.
func (s *Server) everywhere(ctx context.Context, f *OnePriceFilter) (*book.Snapshot, []int32, *publish.Everywhere,
	error) {
	snap := s.Live.Current()
	if len(snap.Book.Channels) == 0 {
		return snap, nil, nil, nil
	}
	vp := pricing.Viewpoint{Channel: snap.Book.Channels[0].Code, At: s.moment(snap), Quantity: 1}
	v, err := s.boards.Look(ctx, snap, board.Filter{Viewpoint: vp, Words: f.Words, Category: f.Category},
		board.Order{Key: "category"})
	if err != nil {
		return nil, nil, nil, err
	}
	all, err := s.Desk.Everywhere(ctx, snap, s.Store.Drifts)
	if err != nil {
		return nil, nil, nil, err
	}
	products := v.Products
	if f.Only == "apart" {
		products = nil
		for _, p := range v.Products {
			if all.Apart(snap.Engine.Products()[p].SKU) {
				products = append(products, p)
			}
		}
	}
	return snap, products, all, nil
}

func (s *Server) priceThat(snap *book.Snapshot, t *publish.There) PriceThat {
	digits := digitsOf(snap, t.Channel)
	one := PriceThat{Channel: t.Channel, Book: fixed(t.Book, digits), Shows: fixed(t.Shows, digits),
		Reports: fixed(t.Reports, digits), State: string(t.Standing)}
	if t.Since != nil {
		one.Since = s.wall(*t.Since)
	}
	return one
}

// currencyOf is that of a channel.
func currencyOf(snap *book.Snapshot, channel string) string {
	if c := snap.Channel(channel); c != nil && c.Currency != "" {
		return c.Currency
	}
	return snap.Book.Settings.Currency
}

func digitsOf(snap *book.Snapshot, channel string) int {
	digits, _ := money.Digits(currencyOf(snap, channel))
	return digits
}

// writeOnePrice writes RFC 4180, a row for each product and channel.
func (s *Server) writeOnePrice(to io.Writer, snap *book.Snapshot, products []int32, all *publish.Everywhere) error {
	w := csv.NewWriter(to)
	w.UseCRLF = true
	if err := w.Write([]string{"sku", "name", "channel", "currency", "book", "published", "shown", "state",
		"since"}); err != nil {
		return err
	}
	text := func(a *string) string {
		if a == nil {
			return ""
		}
		return *a
	}
	for _, p := range products {
		product := snap.Engine.Products()[p]
		for _, t := range all.Of(product.SKU) {
			one := s.priceThat(snap, &t)
			if err := w.Write([]string{format.Disarmed(product.SKU), format.Disarmed(product.Name), format.Disarmed(t.Channel),
				currencyOf(snap, t.Channel), text(one.Book), text(one.Shows), text(one.Reports), one.State,
				one.Since}); err != nil {
				return err
			}
		}
	}
	w.Flush()
	return w.Error()
}
