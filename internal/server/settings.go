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

	"dogbane/internal/book"
	"dogbane/internal/bookfile"
	"dogbane/internal/impact"
	"dogbane/internal/intake"
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

// RateQuery sets one exchange rate.
type RateQuery struct {
	Seen
	Body RateForm
}

func (s *Server) registerSettings(api huma.API) {
	get(api, "/api/settings", func(ctx context.Context, _ *none) (SettingsPage, error) { return s.settings(ctx) })
	answers(api, store.Reader, http.MethodPost, "/api/settings/rate/preview",
		func(ctx context.Context, in *RateQuery) (impact.Edit, error) {
			snap := s.Live.Current()
			changes, _, err := s.rateChange(snap, &in.Body)
			if err != nil {
				return impact.Edit{}, err
			}
			next, err := book.Apply(snap.Book, changes)
			if err != nil {
				return impact.Edit{}, err
			}
			return s.impacts.OfBook(ctx, snap, next, s.moment(snap))
		})
	answers(api, store.Manager, http.MethodPut, "/api/settings/rate", s.setRate)
}

func (s *Server) setRate(ctx context.Context, in *RateQuery) (Saved, error) {
	snap := s.Live.Current()
	changes, days, err := s.rateChange(snap, &in.Body)
	if err != nil {
		return Saved{}, err
	}
	if len(changes) == 0 {
		return Saved{Version: snap.Version, Summary: "The rate is of another day"}, s.Store.KeepRateDays(ctx, days)
	}
	summary := fmt.Sprintf("Exchange rate of %s: %s", in.Body.Currency, in.Body.Rate)
	if in.Body.Rate == "" {
		summary = "Took the exchange rate of " + in.Body.Currency + " away"
	}
	out, err := s.commit(ctx, in.Seen, summary, changes)
	if err != nil {
		return out, err
	}
	return out, s.Store.KeepRateDays(ctx, days)
}

func (s *Server) rateChange(snap *book.Snapshot, form *RateForm) ([]book.Change, []intake.RateDay, error) {
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
	today := s.Clocks.Book().In(snap.Zone)
	day := time.Date(today.Year(), today.Month(), today.Day(), 0, 0, 0, 0, time.UTC)
	if form.Day != "" {
		var err error
		if day, err = time.Parse(time.DateOnly, form.Day); err != nil {
			return nil, nil, invalid("day", "Write a day such as 2026-11-27.")
		}
	}
	var days []intake.RateDay
	if form.Rate == "" {
		delete(next.Rates, currency)
	} else {
		rate, err := book.ReadAmount("rate", form.Rate, false)
		if err != nil {
			return nil, nil, err
		}
		if rate.Sign() == 0 {
			return nil, nil, invalid("rate", "A rate must be above 0.")
		}
		next.Rates[currency] = rate
		days = []intake.RateDay{{Currency: currency, Rate: rate.String(), Day: day}}
	}
	change := book.OfSettings(&snap.Book.Settings, &next)
	if !change.Changes() {
		return nil, days, nil
	}
	return []book.Change{change}, days, nil
}

func (s *Server) settings(ctx context.Context) (SettingsPage, error) {
	b := s.Live.Current().Book
	doc := bookfile.EncodeSettings(&b.Settings)
	out := SettingsPage{Doc: ItemDoc(doc), ETag: etag(doc), Rates: []RateRow{}, TaxClasses: []TaxClassUses{}}
	days, err := s.Store.RateDays(ctx)
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
