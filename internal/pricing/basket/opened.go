package basket

import "dogbane/internal/pricing"

// Opening is an offer that a purchase opens for whoever made it.
type Opening struct {
	Rule  *pricing.Rule
	SKU   string         // of what was bought
	Until pricing.Moment // from then on it is shut
}

// OpenedBy are the offers after a purchase, by rank, that purchases open for a buyer from now on, whatever they want
// besides.
func (e *Engine) OpenedBy(vp pricing.Viewpoint, bought []pricing.Purchase) (list []Opening) {
	e = e.in(vp.At)
	scope, err := e.prices.Scope(vp)
	if err != nil {
		return nil
	}
	for _, o := range e.offers {
		if o.after == nil || scope.Barred(o.ordinal, grace(o.Offer)) != "" {
			continue
		}
		for _, b := range bought {
			p, exists := e.prices.ProductNumber(b.SKU)
			if !exists || !o.after.Has(p) {
				continue
			}
			until := b.At - b.At%pricing.Day + pricing.Moment(o.Offer.After.Days+1)*pricing.Day
			if w := o.Window; w != nil && w.To != nil && *w.To < until {
				until = *w.To
			}
			list = append(list, Opening{o.Rule, b.SKU, until})
			break
		}
	}
	return list
}
