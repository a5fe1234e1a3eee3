package server

import (
	"context"
	"maps"
	"net/http"
	"slices"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"dogbane/internal/book"
	"dogbane/internal/bookfile"
	"dogbane/internal/intake"
	"dogbane/internal/money"
	"dogbane/internal/pricing"
	"dogbane/internal/store"
)

// SettingsPage is what holds for the whole book.
type SettingsPage struct {
	Doc        SettingsDoc    `json:"doc" doc:"see docs/book.md"`
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

// SettingsForm is the settings as they shall be.
type SettingsForm struct {
	Doc      SettingsDoc       `json:"doc"`
	ETag     string            `json:"etag" doc:"of the state that this is based on"`
	RateDays map[string]string `json:"rateDays,omitempty" doc:"the days that exchange rates are of, by currency, such as 2026-11-27; a changed rate without one is of today"`
}

// SettingsQuery saves the settings.
type SettingsQuery struct {
	Seen
	Body SettingsForm
}

func (s *Server) registerSettings(api huma.API) {
	get(api, "/api/settings", func(ctx context.Context, _ *none) (SettingsPage, error) { return s.settings(ctx) })
	answers(api, store.Manager, http.MethodPut, "/api/settings", s.saveSettings, staleAware)
}

func (s *Server) saveSettings(ctx context.Context, in *SettingsQuery) (Saved, error) {
	snap := s.Live.Current()
	changes, next, err := edited(snap, []EditChange{{Kind: book.Settings, ETag: in.Body.ETag,
		Doc: (*ItemDoc)(&in.Body.Doc)}})
	if err != nil {
		return Saved{}, err
	}
	today := s.Clocks.Book().In(snap.Zone)
	days, err := rateDays(snap.Book.Settings.Rates, next.Settings.Rates, in.Body.RateDays, today)
	if err != nil {
		return Saved{}, err
	}
	out := Saved{Version: snap.Version, Summary: "Nothing was changed"}
	switch {
	case len(changes) > 0:
		if out, err = s.commit(ctx, in.Seen, settingsWords(&snap.Book.Settings, &next.Settings), changes); err != nil {
			return out, err
		}
	case len(days) > 0:
		out.Summary = "The rates are of another day"
	}
	return out, s.Store.KeepRateDays(ctx, days)
}

// settingsWords words a change of the settings for the log.
func settingsWords(before, after *pricing.Settings) string {
	rates := *before
	rates.Rates = after.Rates
	if others := book.OfSettings(&rates, after); others.Changes() {
		return "Changed the settings"
	}
	var words []string
	for _, currency := range currenciesOf(before.Rates, after.Rates) {
		was, had := before.Rates[currency]
		is, has := after.Rates[currency]
		switch {
		case !has:
			words = append(words, currency+" taken away")
		case !had || !is.Equal(was):
			words = append(words, currency+": "+is.String())
		}
	}
	return "Exchange rate of " + strings.Join(words, ", ")
}

func currenciesOf(rates ...map[string]money.Rat) []string {
	all := map[string]bool{}
	for _, list := range rates {
		for currency := range list {
			all[currency] = true
		}
	}
	return slices.Sorted(maps.Keys(all))
}

// rateDays are the days of the rates that changed or are said to be of another day.
func rateDays(before, after map[string]money.Rat, said map[string]string, today time.Time) ([]intake.RateDay, error) {
	var days []intake.RateDay
	for _, currency := range slices.Sorted(maps.Keys(after)) {
		day := time.Date(today.Year(), today.Month(), today.Day(), 0, 0, 0, 0, time.UTC)
		was, had := before[currency]
		rate, text := after[currency], strings.TrimSpace(said[currency])
		if text != "" {
			var err error
			if day, err = time.Parse(time.DateOnly, text); err != nil {
				return nil, invalid("rateDays."+currency, "Write a day such as 2026-11-27.")
			}
		} else if had && was.Equal(rate) {
			continue
		}
		days = append(days, intake.RateDay{Currency: currency, Rate: rate.String(), Day: day})
	}
	return days, nil
}

func (s *Server) settings(ctx context.Context) (SettingsPage, error) {
	b := s.Live.Current().Book
	doc := bookfile.EncodeSettings(&b.Settings)
	out := SettingsPage{Doc: SettingsDoc(doc), ETag: etag(doc), Rates: []RateRow{}, TaxClasses: []TaxClassUses{}}
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
