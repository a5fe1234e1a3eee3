package basket

import (
	"slices"

	"dogbane/internal/money"
	"dogbane/internal/pricing"
)

// Once is what an offer takes off the goods that make it apply once.
type Once struct {
	Currency   string
	Digits     int
	Lines      []Added
	Apart, Off money.Rat
}

// One is an offer applied once to goods that sell well, other offers aside; nil where it does not apply for a
// viewpoint.
func (e *Engine) One(code string, vp pricing.Viewpoint) (*Once, error) {
	e = e.in(vp.At)
	at := slices.IndexFunc(e.offers, func(o *offer) bool { return o.Code == code })
	if at < 0 {
		return nil, nil
	}
	scope, err := e.prices.Scope(vp)
	if err != nil {
		return nil, err
	}
	o := e.offers[at]
	if scope.Barred(o.ordinal, 0) != "" {
		return nil, nil
	}
	alone := e.only(o)
	t := alone.trialAt(vp, scope)
	parts, ok := t.one(o)
	if !ok {
		return nil, nil
	}
	once := &Once{}
	for _, p := range parts {
		for _, k := range p.steps() {
			once.Lines = merged(once.Lines, Added{e.prices.Products()[k.kind].SKU, k.units})
		}
	}
	for _, x := range once.Lines {
		t.q.Lines = append(t.q.Lines, pricing.Line{SKU: x.SKU, Quantity: x.Quantity})
	}
	a, err := alone.Price(t.q)
	if err != nil || len(a.Offers) == 0 {
		return nil, err
	}
	once.Currency, once.Digits, once.Apart, once.Off = a.Currency, a.Digits, a.Subtotal, a.Off
	return once, nil
}
