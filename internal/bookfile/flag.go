package bookfile

import (
	"dogbane/internal/money"
	"dogbane/internal/pricing"
	"dogbane/internal/pricing/flags"
)

// FlagAnswer is a flag as JSON.
type FlagAnswer struct {
	Kind     string   `json:"kind"`
	Severity string   `json:"severity"`
	SKU      string   `json:"sku,omitempty"`
	Rule     string   `json:"rule,omitempty"`
	Rules    []string `json:"rules,omitempty" doc:"the rules it is about; of a rule that never wins, those that keep it from it"`
	Channel  string   `json:"channel,omitempty"`
	Witness  Witness  `json:"witness"`
	// Basket is the witness where it is a basket.
	Basket       *BasketWitness `json:"basket,omitempty"`
	Cause        string         `json:"cause,omitempty" doc:"of a price: the rule that lowered it most"`
	Products     int            `json:"products,omitempty" doc:"how many show it"`
	Price        *string        `json:"price,omitempty" doc:"the witness's price"`
	Cost         *string        `json:"cost,omitempty" doc:"on the price's footing"`
	MarginAmount *string        `json:"left,omitempty" doc:"net less fee and cost"`
	Other        *string        `json:"other,omitempty" doc:"what the price is held against"`
	Nearest      []string       `json:"nearest,omitempty" doc:"the nearest prices that pass, ascending"`
	Words        string         `json:"words,omitempty" doc:"what is promised or refused, as it is written"`
	Currency     string         `json:"currency"`
}

// Witness is the question that shows a flag.
type Witness struct {
	SKU      string   `json:"sku,omitempty"`
	At       string   `json:"at"`
	Channel  string   `json:"channel,omitempty"`
	Customer string   `json:"customer,omitempty"`
	Groups   []string `json:"groups,omitempty"`
	Quantity int      `json:"quantity,omitempty"`
	With     []string `json:"with,omitempty"`
}

// BasketWitness is the basket that shows a flag, besides what Witness says of who asks.
type BasketWitness struct {
	Lines   []WitnessLine     `json:"lines"`
	Codes   []string          `json:"codes,omitempty"`
	History []WitnessPurchase `json:"history,omitempty"`
}

// WitnessLine is a line of such a basket.
type WitnessLine struct {
	SKU      string `json:"sku"`
	Quantity int    `json:"quantity"`
}

// WitnessPurchase is an earlier purchase that such a basket rests on.
type WitnessPurchase struct {
	SKU      string `json:"sku"`
	Quantity int    `json:"quantity"`
	At       string `json:"at"`
}

// FlagAnswerOf writes a flag.
func FlagAnswerOf(f *flags.Flag) FlagAnswer {
	fixed := func(r *money.Rat) *string { return mapped(r, func(r money.Rat) string { return r.Fixed(f.Digits) }) }
	a := FlagAnswer{Kind: string(f.Kind), Severity: string(f.Severity), SKU: f.SKU, Rule: f.Rule, Rules: f.Rules,
		Channel: f.Channel, Witness: WitnessOf(&f.Witness), Cause: f.Cause, Products: f.Products, Price: fixed(f.Price),
		Cost: fixed(f.Cost), MarginAmount: fixed(f.Margin), Other: fixed(f.Other), Words: f.Words, Currency: f.Currency}
	for i := range f.Nearest {
		a.Nearest = append(a.Nearest, f.Nearest[i].Fixed(f.Digits))
	}
	if b := f.Basket; b != nil {
		a.Basket = &BasketWitness{Lines: []WitnessLine{}, Codes: b.Codes}
		for _, l := range b.Lines {
			a.Basket.Lines = append(a.Basket.Lines, WitnessLine{l.SKU, l.Quantity})
		}
		for _, h := range b.History {
			a.Basket.History = append(a.Basket.History, WitnessPurchase{h.SKU, h.Quantity, h.At.String()})
		}
	}
	return a
}

// WitnessOf writes the question of a witness.
func WitnessOf(q *pricing.Question) Witness {
	w := Witness{SKU: q.SKU, At: q.At.String(), Channel: q.Channel, Customer: q.Customer, Groups: q.Groups, With: q.With}
	if w.SKU != "" {
		w.Quantity = max(q.Quantity, 1)
	}
	return w
}

// Question is the witness as a question of one price.
func (a *FlagAnswer) Question() pricing.Question {
	w := &a.Witness
	at, _ := pricing.ParseMoment(w.At) // as it was written here
	return pricing.Question{SKU: w.SKU, Viewpoint: pricing.Viewpoint{At: at, Channel: w.Channel, Customer: w.Customer,
		Groups: w.Groups, Quantity: w.Quantity, With: w.With}}
}
