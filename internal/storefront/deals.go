package storefront

import (
	"fmt"
	"slices"
	"strings"

	"dogbane/internal/money"
	"dogbane/internal/pricing"
)

// Deal is an offer that a product can take part in, as the public reads it.
type Deal struct {
	Title   string      `json:"title" doc:"its label, or what it is: 3 for the price of 2"`
	Message string      `json:"message,omitempty"`
	Badge   string      `json:"badge,omitempty"`
	Image   string      `json:"image,omitempty"`
	Alt     string      `json:"alt,omitempty"`
	Terms   string      `json:"terms,omitempty"`
	Wants   []DealGoods `json:"wants" doc:"what has to be in the basket"`
	Gives   []DealGoods `json:"gives" doc:"other goods that are reduced by it"`
	Code    bool        `json:"code,omitempty" doc:"it wants a code"`
	After   bool        `json:"after,omitempty" doc:"it opens after a purchase"`
	Left    *int        `json:"left" doc:"how often it can still be had; null: any number of times"`
	To      string      `json:"to,omitempty" doc:"exclusive"`
}

// DealGoods is some of the goods that an offer looks at.
type DealGoods struct {
	Quantity int        `json:"quantity"`
	Goods    []SetGoods `json:"goods" doc:"the first of them"`
	Many     int        `json:"many" doc:"how many kinds of goods there are"`
	Has      bool       `json:"has,omitempty" doc:"whether the product that is asked about is among them: then it is the first"`
}

// mostDealGoods bounds how many goods of a deal are named.
const mostDealGoods = 12

// deals are the offers that are open to whoever asks and that a product can take part in, by rank.
func (a *Asked) deals(g *Goods, scope *pricing.Scope, p int32) error {
	ordinals := map[string]int{}
	a.Engine.Rules(func(ordinal int, r *pricing.Rule, _ pricing.Set) { ordinals[r.Code] = ordinal })
	for _, r := range a.Engine.Book().RulesInOrder() {
		f := r.Offer
		if f == nil || scope.Barred(ordinals[r.Code], 0) != "" {
			continue
		}
		bound := a.Engine.At(scope.At()).Match(&r.Where)
		takes := len(f.Needs) == 0 && f.Spend == nil && bound.Has(p)
		note := func(w *pricing.Where) bool {
			in := bound.And(a.Engine.At(scope.At()).Match(w)).Has(p)
			takes = takes || in
			return in
		}
		d := Deal{Title: Label(r, scope), Wants: []DealGoods{}, Gives: []DealGoods{},
			Code: f.Codes != nil, After: f.After != nil}
		for i := range f.Needs {
			note(&f.Needs[i].Where)
			d.Wants = append(d.Wants, a.goods(scope, bound, &f.Needs[i].Where, max(f.Needs[i].Quantity, 1), p))
		}
		for i := range f.Gives {
			if w := f.Gives[i].Where; w != nil {
				note(w)
				d.Gives = append(d.Gives, a.goods(scope, bound, w, max(f.Gives[i].Units, 1), p))
			}
		}
		if f.Spend != nil {
			note(&f.Spend.Where)
		}
		if !takes {
			continue
		}
		if text, says := textOf(r); says {
			d.Message, d.Badge, d.Image, d.Alt, d.Terms = text.Message, text.Badge, text.Image, text.Alt, text.Terms
		}
		if f.Stock != nil {
			left := max(*f.Stock-a.Used[r.Code].Total, 0)
			d.Left = &left
		}
		if w := r.Window; w != nil && w.To != nil {
			d.To = w.To.String()
		}
		g.Deals = append(g.Deals, d)
	}
	return nil
}

// goods are those of a selection that a channel sells; first, where it is among them, is named first.
func (a *Asked) goods(scope *pricing.Scope, bound pricing.Set, w *pricing.Where, quantity int, first int32) DealGoods {
	d := DealGoods{Quantity: quantity, Goods: []SetGoods{}}
	set := bound.And(a.Engine.At(scope.At()).Match(w))
	note := func(p int32) {
		product := a.Engine.Products()[p]
		d.Goods = append(d.Goods, SetGoods{product.SKU, product.Name, quantity})
	}
	if d.Has = first != none && set.Has(first); d.Has {
		note(first)
	}
	set.Each(func(p int32) bool {
		if !scope.Sells(p) {
			return true
		}
		if d.Many++; p != first && len(d.Goods) < mostDealGoods {
			note(p)
		}
		return true
	})
	return d
}

// Form is what an offer is, for the public: "3 for the price of 2". Neither its code nor its internal name is in it.
func Form(r *pricing.Rule, in *pricing.Scope) string {
	f := r.Offer
	if f == nil {
		return "Special price"
	}
	currency, digits := in.Currency()
	told := func(a money.Rat) string {
		if here, known := in.Amount(r, a); known {
			a = here
		}
		return currency + " " + a.Fixed(digits)
	}
	var parts []string
	units := 0
	for i := range f.Needs {
		units += max(f.Needs[i].Quantity, 1)
	}
	for i := range f.Gives {
		parts = append(parts, formOf(f, &f.Gives[i], units, told))
	}
	slices.Sort(parts)
	text := strings.Join(slices.Compact(parts), " and ")
	switch {
	case f.Spend != nil:
		text = fmt.Sprintf("Spend %s: %s", told(f.Spend.Amount), text)
	case f.After != nil:
		text = "After your purchase: " + text
	}
	if text == "" {
		return "Special offer"
	}
	return strings.ToUpper(text[:1]) + text[1:]
}

func formOf(f *pricing.Offer, g *pricing.Give, needed int, told func(money.Rat) string) string {
	hundred := money.Int(100)
	off := ""
	switch {
	case g.PercentOff != nil && g.PercentOff.Equal(hundred):
		off = "free"
	case g.PercentOff != nil:
		off = g.PercentOff.String() + " % off"
	case g.AmountOff != nil:
		off = told(*g.AmountOff) + " off"
	case g.Each != nil:
		off = told(*g.Each) + " each"
	case g.ForTotal != nil:
		return fmt.Sprintf("%d together for %s", max(needed, 1), told(*g.ForTotal))
	}
	units := max(g.Units, 1)
	switch {
	case g.To == "shipping" && off == "free":
		return "free delivery"
	case g.To == "shipping":
		return off + " delivery"
	case g.To == "basket":
		return off + " the whole basket"
	case g.Where != nil && needed > 0:
		return fmt.Sprintf("buy %d, get %d more %s", needed, units, off)
	case g.Where != nil:
		return fmt.Sprintf("%d %s", units, off)
	case g.Units == pricing.AllUnits || g.To == "needs" && g.Units == 0:
		if needed > 1 {
			return fmt.Sprintf("%d together %s", needed, off)
		}
		return off
	case off == "free" && needed > units:
		return fmt.Sprintf("%d for the price of %d", needed, needed-units)
	case needed > units:
		return fmt.Sprintf("%d of %d %s", units, needed, off)
	}
	return off
}
