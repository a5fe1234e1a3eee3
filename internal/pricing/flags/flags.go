// Package flags finds what is wrong with a book. Every flag carries a witness: a complete question whose answer shows
// the trouble. What a price is belongs to package pricing; what to do about a flag belongs to those who read it.
package flags

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"dogbane/internal/money"
	"dogbane/internal/pricing"
)

// Question asks for the flags of a span of time. Nil lists stand for everything that the book knows.
type Question struct {
	From, To         pricing.Moment
	Channels, Groups []string
	Quantities       []int
	With             []string
	// Between, where given, is called now and then during a long search; its error ends it.
	Between func() error
}

// Flag is one trouble in one channel ("" for a question without channel), with its worst witness.
type Flag struct {
	Kind     Kind
	Severity Severity
	SKU      string   // the product concerned, or the witness's
	Rule     string   // where one rule is concerned
	Rules    []string // where several are, sorted; for a price, those that made it
	Channel  string
	Witness  pricing.Question
	Price    money.Rat  // the witness's price
	Cost     *money.Rat // on the price's footing; BelowCost
	Margin   *money.Rat // net − fee − cost; BelowCost
	Other    *money.Rat // what the rule that lost would have made of the price; Tie
	Currency string
	Digits   int
}

// Find answers a flags question. Its errors are those of the question.
func Find(e *pricing.Engine, q Question) ([]Flag, error) {
	f := &finder{engine: e, found: map[string]Flag{}}
	if q.To <= q.From {
		return nil, fmt.Errorf("to: the span ends where or before it starts")
	}
	// Two viewpoints at which the same rules take part price alike; one of them is asked. Viewpoints that differ in the
	// audience alone are asked together: most layers are theirs in common.
	asked := map[string]bool{}
	var together []pricing.Viewpoint
	ask := func() error {
		if len(together) == 0 {
			return nil
		}
		sweeps, err := e.Sweeps(together)
		together = together[:0]
		if err != nil {
			return err
		}
		for _, s := range sweeps {
			f.read(s)
		}
		if q.Between != nil {
			return q.Between()
		}
		return nil
	}
	for vp := range f.viewpoints(q) {
		key, err := e.Alike(vp)
		if err != nil {
			return nil, err
		}
		if asked[key] {
			continue
		}
		asked[key] = true
		if n := len(together); n > 0 && (together[n-1].Channel != vp.Channel || together[n-1].Quantity != vp.Quantity ||
			together[n-1].At != vp.At) {
			if err := ask(); err != nil {
				return nil, err
			}
		}
		together = append(together, vp)
	}
	if err := ask(); err != nil {
		return nil, err
	}
	flags := make([]Flag, 0, len(f.found))
	for _, flag := range f.found {
		flags = append(flags, flag)
	}
	slices.SortFunc(flags, func(a, b Flag) int {
		return cmp.Or(strings.Compare(string(a.Kind), string(b.Kind)), cmp.Compare(a.SKU, b.SKU),
			slices.Compare(a.Rules, b.Rules), cmp.Compare(a.Channel, b.Channel))
	})
	return flags, nil
}

type finder struct {
	engine *pricing.Engine
	found  map[string]Flag
}

// maxChanges bounds the moments of one span: a year of hourly changes.
const maxChanges = 9000

// viewpoints are all that a question asks for: every moment at which something changes, in every channel, for every
// audience and quantity.
func (f *finder) viewpoints(q Question) func(yield func(pricing.Viewpoint) bool) {
	book := f.engine.Book()
	channels := q.Channels
	if channels == nil {
		channels = []string{""}
		for _, c := range book.Channels {
			channels = append(channels, c.Code)
		}
	}
	audiences := []pricing.Viewpoint{{}}
	if q.Groups != nil {
		audiences = nil
		for _, g := range q.Groups {
			audiences = append(audiences, pricing.Viewpoint{Groups: []string{g}})
		}
	} else {
		for _, g := range book.Groups {
			audiences = append(audiences, pricing.Viewpoint{Groups: []string{g.Code}})
		}
		for _, code := range customersToAsk(book, q.With) {
			audiences = append(audiences, pricing.Viewpoint{Customer: code})
		}
	}
	quantities := q.Quantities
	if quantities == nil {
		quantities = book.Quantities()
	}
	moments := append([]pricing.Moment{q.From}, f.engine.Changes(q.From, q.To, maxChanges, q.With)...)
	return func(yield func(pricing.Viewpoint) bool) {
		for _, channel := range channels {
			for _, quantity := range quantities {
				for _, at := range moments {
					for _, vp := range audiences {
						vp.Channel, vp.Quantity, vp.At, vp.With = channel, quantity, at, q.With
						if !yield(vp) {
							return
						}
					}
				}
			}
		}
	}
}

// read takes the flags from one sweep.
func (f *finder) read(s *pricing.Sweep) {
	products := f.engine.Products()
	witness := func(p int32) pricing.Question { return pricing.Question{Viewpoint: s.Viewpoint, SKU: products[p].SKU} }
	for p := range int32(s.Len()) {
		if !s.BelowCost(p) {
			continue
		}
		row := s.Row(p)
		margin, cost := money.FromMinor(row.Margin, s.Digits), money.FromMinor(row.Cost, s.Digits)
		flag := Flag{Kind: BelowCost, Severity: Of(BelowCost).Severity, SKU: products[p].SKU, Channel: s.Viewpoint.Channel,
			Witness: witness(p),
			Price:   money.FromMinor(row.Price, s.Digits), Cost: &cost, Margin: &margin, Currency: s.Currency, Digits: s.Digits,
			Rules: []string{}}
		for _, r := range row.Rules {
			flag.Rules = append(flag.Rules, r.Code)
		}
		slices.Sort(flag.Rules)
		f.keep(flag.SKU, flag, func(old Flag) bool { return margin.Less(*old.Margin) })
	}
	for _, t := range s.Ties() {
		lost := t.Lost
		flag := Flag{Kind: Tie, Severity: Of(Tie).Severity, SKU: products[t.Product].SKU, Channel: s.Viewpoint.Channel,
			Witness: witness(t.Product),
			Price:   t.Won, Other: &lost, Currency: s.Currency, Digits: s.Digits, Rules: []string{t.Winner.Code, t.Other.Code}}
		slices.Sort(flag.Rules)
		gap := t.Lost.Sub(t.Won)
		f.keep(strings.Join(flag.Rules, "\x00"), flag, func(old Flag) bool { return old.Other.Sub(old.Price).Less(gap) })
	}
}

// keep holds one flag per kind, subject and channel: the worst.
func (f *finder) keep(subject string, flag Flag, worse func(old Flag) bool) {
	key := string(flag.Kind) + "\x00" + subject + "\x00" + flag.Channel
	if old, known := f.found[key]; !known || worse(old) {
		f.found[key] = flag
	}
}
