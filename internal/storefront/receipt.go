package storefront

import (
	"fmt"
	"slices"
	"time"

	"dogbane/internal/bookfile"
	"dogbane/internal/pricing"
	"dogbane/internal/pricing/basket"
)

// Label is what customers call a rule: its label or, without one, what it is. Neither its code nor its internal name is
// in it. Amounts are told as they are in a channel.
func Label(r *pricing.Rule, in *pricing.Scope) string {
	if r == nil {
		return "Special offer"
	}
	if r.Show != nil && r.Show.Label != "" {
		return r.Show.Label
	}
	return Form(r, in)
}

// Name fills in what customers read of an answer: what its offers are called, what the rules behind its lines' prices
// say of themselves, and why a code that is accepted changes nothing.
func Name(a *bookfile.BasketAnswer, in *pricing.Scope, rule func(code string) *pricing.Rule) {
	for i := range a.Offers {
		a.Offers[i].Label = Label(rule(a.Offers[i].Rule), in)
	}
	for i := range a.Lines {
		if h := a.Lines[i].Hired; h != nil {
			h.Words = hired(h)
		}
		for j := range a.Lines[i].Portions {
			p := &a.Lines[i].Portions[j]
			for _, code := range p.Rules {
				if r := rule(code); r != nil && r.Show != nil && r.Show.Label != "" && !slices.Contains(p.Labels, r.Show.Label) {
					p.Labels = append(p.Labels, r.Show.Label)
				}
			}
		}
	}
	for i := range a.Idle {
		x := &a.Idle[i]
		x.Label = Label(rule(x.Rule), in)
		x.Words = idle(x, a.Currency, func() string { return Label(rule(x.By), in) })
	}
}

// hired is which days are paid, in words, with each price: a customer can add it up.
func hired(h *bookfile.BasketHired) string {
	words := fmt.Sprintf("%d days are paid, %s to %s", h.Days, day(h.From), day(h.Through))
	if h.Days == 1 {
		words = "one day is paid, " + day(h.From)
	}
	if h.FreeFirst {
		words += "; the day of collection is free"
	}
	if h.FreeLast {
		words += "; the day of return is free"
	}
	return words
}

// day is a date as a customer reads it.
func day(date string) string {
	t, err := time.Parse(time.DateOnly, date)
	if err != nil {
		return date
	}
	return t.Format("Monday 2 January 2006")
}

// idle is why a code changes nothing, for the public.
func idle(x *bookfile.BasketIdle, currency string, by func() string) string {
	switch pricing.Reason(x.Reason) {
	case basket.NoNeeds:
		return fmt.Sprintf("the basket has %s of the %s pieces that it wants", *x.Counted, *x.Wanted)
	case basket.NoSpend:
		if x.Wanted != nil {
			return fmt.Sprintf("%s %s is spent on goods that count, it wants %s", currency, *x.Counted, *x.Wanted)
		}
		return "too little is spent on goods that count"
	case basket.NoPurchase:
		return "it follows an earlier purchase, and there is none"
	case basket.UsedUp:
		return "it is used up"
	case basket.UnitsTaken, pricing.LayerEnded:
		if x.By != "" {
			return "“" + by() + "” has the same goods and comes before it"
		}
		return "another offer has the same goods and comes before it"
	case basket.NoGain:
		return "nothing in the basket becomes cheaper by it"
	}
	return "it does not go with this basket"
}

// Rewards are the goods that an offer reduces: those it gives or, where it names none, those it wants;
// of what a channel sells.
func Rewards(e *pricing.Engine, in *pricing.Scope, r *pricing.Rule) DealGoods {
	a := Asked{Engine: e}
	bound := e.At(in.At()).Match(&r.Where)
	for i := range r.Offer.Gives {
		if w := r.Offer.Gives[i].Where; w != nil {
			return a.goods(in, bound, w, 1, none)
		}
	}
	return a.goods(in, bound, &r.Where, 1, none)
}

// none is no product.
const none = -1
