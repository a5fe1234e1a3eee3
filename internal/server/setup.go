package server

import (
	"context"
	"encoding/json"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"dogbane/internal/book"
	"dogbane/internal/bookfile"
	"dogbane/internal/store"
)

// SetUpForm is what a new book needs to know first.
type SetUpForm struct {
	Currency         string            `json:"currency" doc:"ISO 4217"`
	TimeZone         string            `json:"timeZone" doc:"of the IANA database"`
	PricesIncludeTax bool              `json:"pricesIncludeTax"`
	TaxRates         map[string]string `json:"taxRates" doc:"percent by tax class"`
	Rounding         string            `json:"rounding" enum:"half-up,half-even"`
	RoundAt          string            `json:"roundAt" enum:"end,step" doc:"once at the end, or after every rule"`
}

func (s *Server) registerSetUp(api huma.API) {
	answers(api, store.Administrator, http.MethodPut, "/api/setup", func(ctx context.Context, in *struct {
		Seen
		Body SetUpForm
	}) (Saved, error) {
		return s.setUp(ctx, in.Seen, &in.Body)
	})
}

// setUp says the settings of a book that was begun empty, once.
func (s *Server) setUp(ctx context.Context, seen Seen, form *SetUpForm) (Saved, error) {
	open, err := s.Store.Fact(ctx, "set-up")
	if err != nil {
		return Saved{}, err
	}
	if open != "open" {
		return Saved{}, huma.Error409Conflict("The book is set up already. Change its settings under Catalogue.")
	}
	snap := s.Live.Current()
	var now map[string]any
	before := bookfile.EncodeSettings(&snap.Book.Settings)
	if err := json.Unmarshal(before, &now); err != nil {
		return Saved{}, err
	}
	now["currency"], now["timeZone"], now["pricesIncludeTax"] = form.Currency, form.TimeZone, form.PricesIncludeTax
	now["rounding"] = map[string]string{"mode": form.Rounding, "when": form.RoundAt}
	now["taxRates"] = form.TaxRates
	doc, err := json.Marshal(now)
	if err != nil {
		return Saved{}, err
	}
	after, err := bookfile.Canonical(book.Settings, doc)
	if err != nil {
		return Saved{}, err
	}
	out := Saved{Version: snap.Version}
	if string(after) != string(before) {
		if out, err = s.commit(ctx, seen, "Set up the book", []book.Change{{Kind: book.Settings, Before: before,
			After: after}}); err != nil {
			return out, err
		}
	}
	return out, s.Store.SetFact(ctx, "set-up", "done")
}
