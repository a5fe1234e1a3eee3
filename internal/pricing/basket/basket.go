// Package basket answers what goods cost that are bought together: their prices with everything counted, then the
// offers, the orders that goods may be bought in, and the tax. It is written over pricing's Scope and Line and knows no
// layer.
package basket

import (
	"cmp"
	"fmt"
	"slices"

	"dogbane/internal/money"
	"dogbane/internal/pricing"
)

// What a question may ask for at most.
const (
	MaxUnits = 100_000
	MaxLines = 1_000
)

// Question asks what a basket costs. The viewpoint's quantity and term do not matter: lines have their own.
type Question struct {
	pricing.Viewpoint
	Lines    []pricing.Line
	Codes    []string            // presented words
	Listed   map[string][]string // of them, those kept beside the book, with the codes of the rules that they open
	Shipping *money.Rat          // on the channel's footing; nil: none
	Used     map[string]Used
	Explain  bool
	// Told are products, by SKU, that cost what the channel was told; nil: it shows none.
	Told map[string]*pricing.ToldPrice
}

// Used is how often an offer was applied before, and the orders that used its words.
type Used struct {
	Uses
	Codes map[string]Uses
}

// Uses counts in all and by the customer who asks; a guest has none.
type Uses struct{ Total, Customer int }

// Answer is what a basket costs, on the channel's footing.
type Answer struct {
	Currency string
	Digits   int
	Lines    []Line
	Offers   []Applied // by rank, then code
	Exact    bool      // false: more offers compete than every order could be tried of
	Subtotal money.Rat // before offers
	Off      money.Rat
	Shipping *money.Rat // before offers
	Total    money.Rat  // subtotal - off + shipping
	Tax      []Tax
	Problems []Problem
	Margin   *pricing.Margin // of all goods, with Explain; nil where a cost is unknown
	Missed   []Miss          // with Explain
	Idle     []Idle          // by word, as they were presented
	Nudges   []Nudge         // with Explain
}

// Line is a line's price.
type Line struct {
	pricing.PricedLine
	Unit  *money.Rat // of one unit before offers, rounded; nil: no price
	Total *money.Rat // of all units after offers
	// Margin is what is left of the total, options aside, with Explain; nil where cost or price is unknown.
	Margin *pricing.Margin
}

// Applied is an offer that applied.
type Applied struct {
	Rule             string
	Code             string // the presented word that opened it, "" where it wants none
	Off              money.Rat
	Shipping         money.Rat // the part of Off that is taken from the shipping
	Applications     int
	Needed, Rewarded []Share // by line, in the order of the lines
}

// Share is units of a line that an offer uses, and what they are reduced by.
type Share struct {
	Line, Units int
	Off         money.Rat
}

// Tax is what is contained in, or comes on top of, what is paid at one rate.
type Tax struct{ Percent, Of, Amount money.Rat }

// Problem is something that is wrong with a question that is answered all the same.
type Problem struct{ Path, Problem string }

// Miss is an offer that did not apply, with the reason.
type Miss struct {
	Rule   string
	Reason pricing.Reason
	By     string
	// Counted and Wanted are units with NoNeeds and amounts with NoSpend; nil otherwise.
	Counted, Wanted *money.Rat
}

// Idle is a presented word that opens an offer which does not apply, with the reason.
type Idle struct {
	Word string
	Miss
}

// The reasons of offers besides those of every rule.
const (
	NoNeeds    pricing.Reason = "needs"
	NoSpend    pricing.Reason = "spend"
	NoPurchase pricing.Reason = "no-purchase"
	NoCode     pricing.Reason = "code"
	UsedUp     pricing.Reason = "used-up"
	UnitsTaken pricing.Reason = "units-taken"
	NoGain     pricing.Reason = "no-gain"
)

// Engine answers baskets. It never changes once made, so goroutines share it.
type Engine struct {
	prices *pricing.Engine
	offers []*offer // by rank, then code
	orders []*order
	mode   pricing.LayerMode // of the promotion layer
	eras   *pricing.PerEra[*Engine]
}

// Compile makes the offers and orders of an engine's book ready.
func Compile(prices *pricing.Engine) *Engine {
	e := &Engine{prices: prices, eras: &pricing.PerEra[*Engine]{}}
	book := prices.Book()
	for _, l := range book.Settings.Layers {
		if l.Layer == pricing.Promotion {
			e.mode = l.Mode
		}
	}
	prices.Rules(func(ordinal int, r *pricing.Rule, selected pricing.Set) {
		switch {
		case r.Offer != nil:
			e.offers = append(e.offers, compileOffer(prices, ordinal, r, selected))
		case r.Order != nil:
			e.orders = append(e.orders, &order{Rule: r, ordinal: ordinal, where: selected})
		}
	})
	slices.SortStableFunc(e.offers, func(a, b *offer) int {
		return cmp.Or(cmp.Compare(a.Rank, b.Rank), cmp.Compare(a.Code, b.Code))
	})
	return e
}

// in is the engine of the figures that hold at a moment: what offers and orders look at is theirs.
func (e *Engine) in(at pricing.Moment) *Engine {
	then := e.prices.At(at)
	if then == e.prices {
		return e
	}
	return e.eras.Of(then, func() *Engine {
		every := Compile(then)
		other := &Engine{prices: then, orders: every.orders, mode: e.mode, eras: e.eras}
		for _, o := range every.offers { // an engine may be of some offers alone
			if slices.ContainsFunc(e.offers, func(own *offer) bool { return own.Code == o.Code }) {
				other.offers = append(other.offers, o)
			}
		}
		return other
	})
}

// only is the engine of one offer alone.
func (e *Engine) only(o *offer) *Engine {
	return &Engine{prices: e.prices, offers: []*offer{o}, mode: e.mode, eras: &pricing.PerEra[*Engine]{}}
}

// Price answers a question. Its errors are pricing.QuestionErrors.
func (e *Engine) Price(q Question) (*Answer, error) { return e.price(q, q.Explain) }

// price answers a question, with what is left of the goods where that is wanted.
func (e *Engine) price(q Question, margins bool) (*Answer, error) {
	if err := q.check(); err != nil {
		return nil, err
	}
	e = e.in(q.At)
	scope, err := e.prices.Scope(q.Viewpoint)
	if err != nil {
		return nil, err
	}
	scope.Tell(q.Told)
	a := &Answer{Exact: true, Shipping: q.Shipping, Problems: []Problem{}}
	a.Currency, a.Digits = scope.Currency()
	t := &till{Engine: e, scope: scope, q: &q, digits: a.Digits}
	a.Lines = make([]Line, 0, len(q.Lines))
	for i, l := range scope.Lines(q.Lines, q.Explain) {
		for _, p := range l.Problems {
			at := path("lines", i)
			if p.Key != "" {
				at += "." + p.Key
			}
			a.Problems = append(a.Problems, Problem{at, p.Problem})
		}
		line := Line{PricedLine: l}
		if l.Runs != nil {
			total := l.Total()
			unit := total.Div(money.Int(int64(l.Quantity))).Round(a.Digits, e.prices.Book().Settings.Rounding.Mode)
			a.Subtotal = a.Subtotal.Add(total)
			line.Unit, line.Total = &unit, &total
			t.take(i, &l)
		}
		a.Lines = append(a.Lines, line)
	}
	e.checkOrders(t, a)
	a.Offers = t.run(a)
	for i := range a.Offers {
		o := &a.Offers[i]
		a.Off = a.Off.Add(o.Off)
		for _, s := range o.Rewarded {
			total := a.Lines[s.Line].Total.Sub(s.Off)
			a.Lines[s.Line].Total = &total
		}
	}
	slices.SortStableFunc(a.Offers, func(x, y Applied) int { return e.place(x.Rule) - e.place(y.Rule) })
	a.Total = a.Subtotal.Sub(a.Off)
	if q.Shipping != nil {
		a.Total = a.Total.Add(*q.Shipping)
	}
	a.Tax = e.tax(scope, a)
	if margins {
		a.Margin = e.margin(scope, a)
	}
	if q.Explain {
		a.Nudges = t.nudges(a)
	}
	return a, nil
}

// margin sums what is left of the goods that have a price.
func (e *Engine) margin(scope *pricing.Scope, a *Answer) *pricing.Margin {
	whole := &pricing.Margin{Net: money.Int(0), Fee: money.Int(0), Cost: money.Int(0), Amount: money.Int(0)}
	priced := false
	for i := range a.Lines {
		l := &a.Lines[i]
		if l.Total == nil {
			continue
		}
		priced = true
		if l.Margin = scope.Margin(&l.PricedLine, *l.Total); l.Margin == nil {
			whole = nil
		} else if whole != nil {
			whole.Net, whole.Fee = whole.Net.Add(l.Margin.Net), whole.Fee.Add(l.Margin.Fee)
			whole.Cost, whole.Amount = whole.Cost.Add(l.Margin.Cost), whole.Amount.Add(l.Margin.Amount)
		}
	}
	if !priced {
		return nil
	}
	return whole
}

func (e *Engine) place(code string) int {
	return slices.IndexFunc(e.offers, func(o *offer) bool { return o.Code == code })
}

// check finds what makes a question unanswerable.
func (q *Question) check() error {
	fail := func(path, format string, args ...any) error {
		return &pricing.QuestionError{Path: path, Problem: fmt.Sprintf(format, args...)}
	}
	if len(q.Lines) > MaxLines {
		return fail("lines", "a basket holds at most %d lines", MaxLines)
	}
	units := 0
	for i := range q.Lines {
		l := &q.Lines[i]
		wrong := func(key, format string, args ...any) error { return fail(path("lines", i)+key, format, args...) }
		if l.Quantity < 1 || l.Quantity > MaxUnits {
			return wrong(".quantity", "must be from 1 to %d", MaxUnits)
		}
		units += l.Quantity
		if l.Term < 0 {
			return wrong(".term", "must be at least 1")
		}
		if h := l.Hire; h != nil && h.To < h.From {
			return wrong(".hire.to", "the hire ends before it begins")
		} else if h != nil && h.To-h.From > pricing.MaxHireDays*pricing.Day {
			return wrong(".hire.to", "a hire lasts at most %d days", pricing.MaxHireDays)
		}
	}
	if units > MaxUnits {
		return fail("lines", "a basket holds at most %d units", MaxUnits)
	}
	if q.Shipping != nil && q.Shipping.Sign() < 0 {
		return fail("shipping", "must not be negative")
	}
	return nil
}

// tax sums what is paid at each rate.
func (e *Engine) tax(scope *pricing.Scope, a *Answer) []Tax {
	var taxes []Tax
	included := false
	add := func(class string, amount money.Rat) {
		var percent money.Rat
		percent, included = scope.Tax(class)
		at := slices.IndexFunc(taxes, func(t Tax) bool { return t.Percent.Equal(percent) })
		if at < 0 {
			at = len(taxes)
			taxes = append(taxes, Tax{Percent: percent, Of: money.Int(0)})
		}
		taxes[at].Of = taxes[at].Of.Add(amount)
	}
	for i := range a.Lines {
		if l := &a.Lines[i]; l.Total != nil {
			add(e.prices.Products()[l.Product].TaxClass, *l.Total)
		}
	}
	if a.Shipping != nil {
		left := *a.Shipping
		for _, o := range a.Offers {
			left = left.Sub(o.Shipping)
		}
		add(e.prices.Book().Settings.ShippingTaxClass, left)
	}
	for i := range taxes {
		t := &taxes[i]
		t.Amount = t.Of.Mul(money.PercentOf(t.Percent))
		if included {
			t.Amount = t.Amount.Div(money.Int(1).Add(money.PercentOf(t.Percent)))
		}
		t.Amount = t.Amount.Round(a.Digits, money.HalfUp)
	}
	slices.SortFunc(taxes, func(x, y Tax) int { return y.Percent.Cmp(x.Percent) })
	return taxes
}

func path(list string, i int) string { return fmt.Sprintf("%s[%d]", list, i) }

// Counts reports whether some offer of the book looks at how often it was used, and whether some has words that are
// kept beside the book.
func (e *Engine) Counts() (used, listed bool) {
	for _, o := range e.offers {
		f := o.Offer
		used = used || f.Stock != nil || f.PerCustomer != nil
		listed = listed || f.Codes != nil && f.Codes.Listed
	}
	return used, listed
}
