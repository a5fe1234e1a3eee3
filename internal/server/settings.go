package server

import (
	"context"
	"fmt"
	"maps"
	"net/http"
	"slices"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"dogbane/internal/bookfile"
	"dogbane/internal/money"
	"dogbane/internal/store"
)

// SettingsPage is what holds for the whole book.
type SettingsPage struct {
	Doc        ItemDoc        `json:"doc" doc:"see docs/book.md"`
	ETag       string         `json:"etag"`
	Rates      []RateRow      `json:"rates"`
	TaxClasses []TaxClassUses `json:"taxClasses"`
}

// RateRow is an exchange rate: an amount in the currency is one in the book's × Rate.
type RateRow struct {
	Currency string   `json:"currency"`
	Rate     string   `json:"rate"`
	Day      string   `json:"day" doc:"that it is of; empty: nobody said"`
	Channels []string `json:"channels" doc:"names of those that sell in it"`
}

// TaxClassUses counts the products of a tax class.
type TaxClassUses struct {
	Class    string `json:"class"`
	Percent  string `json:"percent"`
	Products int    `json:"products"`
}

// RateForm sets one exchange rate.
type RateForm struct {
	Currency string `json:"currency"`
	Rate     string `json:"rate" doc:"empty: the rate goes"`
	Day      string `json:"day,omitempty" doc:"that it is of, such as 2026-11-27; empty: today"`
}

func (s *Server) registerSettings(api huma.API) {
	huma.Get(api, "/api/settings", func(ctx context.Context, _ *struct{}) (*body[SettingsPage], error) {
		return answer(s.settings(ctx))
	})
	huma.Register(api, huma.Operation{Method: http.MethodPost, Path: "/api/settings/rate/preview"}, func(ctx context.Context, in *struct{ Body RateForm }) (*body[EditEffect], error) {
		snap := s.live.Current()
		changes, _, err := s.rateChange(snap, &in.Body)
		if err != nil {
			return nil, asProblem(err)
		}
		next, err := store.Apply(snap.Book, changes)
		if err != nil {
			return nil, asProblem(err)
		}
		return answer(s.effect(ctx, snap, next, s.moment(snap)))
	})
	huma.Register(api, huma.Operation{Method: http.MethodPut, Path: "/api/settings/rate"}, func(ctx context.Context, in *struct{ Body RateForm }) (*body[Saved], error) {
		changes, days, err := s.rateChange(s.live.Current(), &in.Body)
		if err != nil {
			return nil, asProblem(err)
		}
		if len(changes) == 0 {
			if err := s.store.KeepRateDays(ctx, days); err != nil {
				return nil, asProblem(err)
			}
			return answer(Saved{Version: s.live.Current().Version, Summary: "The rate is of another day"}, nil)
		}
		summary := fmt.Sprintf("Exchange rate of %s: %s", in.Body.Currency, in.Body.Rate)
		if in.Body.Rate == "" {
			summary = "Took the exchange rate of " + in.Body.Currency + " away"
		}
		out, err := s.commit(ctx, summary, changes)
		if err == nil {
			err = s.store.KeepRateDays(ctx, days)
		}
		return answer(unwrap(out, asProblem(err)))
	})
}

func (s *Server) rateChange(snap *store.Snapshot, form *RateForm) ([]store.Change, []store.RateDay, error) {
	currency := strings.ToUpper(strings.TrimSpace(form.Currency))
	if _, exists := money.Digits(currency); !exists {
		return nil, nil, invalid("currency", "Write a currency of ISO 4217 such as GBP.")
	}
	next := snap.Book.Settings
	if currency == next.Currency {
		return nil, nil, invalid("currency", "This is the book's own currency.")
	}
	next.Rates = maps.Clone(next.Rates)
	if next.Rates == nil {
		next.Rates = map[string]money.Rat{}
	}
	today := s.now().In(snap.Zone)
	day := time.Date(today.Year(), today.Month(), today.Day(), 0, 0, 0, 0, time.UTC)
	if form.Day != "" {
		var err error
		if day, err = time.Parse(time.DateOnly, form.Day); err != nil {
			return nil, nil, invalid("day", "Write a day such as 2026-11-27.")
		}
	}
	var days []store.RateDay
	if form.Rate == "" {
		delete(next.Rates, currency)
	} else {
		rate, err := amountIn("rate", form.Rate, false)
		if err != nil {
			return nil, nil, err
		}
		if rate.Sign() == 0 {
			return nil, nil, invalid("rate", "A rate must be above 0.")
		}
		next.Rates[currency] = rate
		days = []store.RateDay{{Currency: currency, Rate: rate.String(), Day: day}}
	}
	before, after := bookfile.EncodeSettings(&snap.Book.Settings), bookfile.EncodeSettings(&next)
	if string(before) == string(after) {
		return nil, days, nil
	}
	return []store.Change{{Kind: store.Settings, Before: before, After: after}}, days, nil
}

func (s *Server) settings(ctx context.Context) (SettingsPage, error) {
	b := s.live.Current().Book
	doc := bookfile.EncodeSettings(&b.Settings)
	out := SettingsPage{Doc: ItemDoc(doc), ETag: etag(doc), Rates: []RateRow{}, TaxClasses: []TaxClassUses{}}
	days, err := s.store.RateDays(ctx)
	if err != nil {
		return out, err
	}
	currencies := map[string]bool{}
	for currency := range b.Settings.Rates {
		currencies[currency] = true
	}
	for i := range b.Channels {
		if c := b.Channels[i].Currency; c != "" && c != b.Settings.Currency {
			currencies[c] = true
		}
	}
	for _, currency := range slices.Sorted(maps.Keys(currencies)) {
		row := RateRow{Currency: currency, Channels: []string{}}
		rate, known := b.Settings.Rates[currency]
		if known {
			row.Rate = rate.String()
		}
		for _, d := range days {
			if kept, err := money.Parse(d.Rate); known && d.Currency == currency && err == nil && kept.Equal(rate) {
				row.Day = d.Day.Format(time.DateOnly)
				break
			}
		}
		for i := range b.Channels {
			if b.Channels[i].Currency == currency {
				row.Channels = append(row.Channels, b.Channels[i].Name)
			}
		}
		out.Rates = append(out.Rates, row)
	}
	uses := map[string]int{}
	for i := range b.Products {
		uses[b.Products[i].TaxClass]++
	}
	for _, class := range slices.Sorted(maps.Keys(b.Settings.TaxRates)) {
		out.TaxClasses = append(out.TaxClasses, TaxClassUses{class, b.Settings.TaxRates[class].String(), uses[class]})
	}
	return out, nil
}
