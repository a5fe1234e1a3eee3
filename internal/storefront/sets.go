package storefront

import (
	"dogbane/internal/pricing"
	"dogbane/internal/pricing/basket"
)

// Set is goods that an offer puts together: a set at a price, or a main product with what is added to it.
type Set struct {
	Rule     string     `json:"rule"`
	Title    string     `json:"title"`
	Message  string     `json:"message"`
	Image    string     `json:"image,omitempty"`
	Alt      string     `json:"alt,omitempty"`
	Terms    string     `json:"terms,omitempty"`
	Currency string     `json:"currency"`
	Goods    []SetGoods `json:"goods" doc:"one choice of what belongs to it"`
	Apart    string     `json:"apart" doc:"what those cost apart"`
	Together string     `json:"together"`
	Saves    string     `json:"saves"`
	Left     *int       `json:"left" doc:"how often it can still be had; null: any number of times"`
	From     string     `json:"from,omitempty"`
	To       string     `json:"to,omitempty" doc:"exclusive"`
}

// SetGoods is one piece of a set.
type SetGoods struct {
	SKU      string `json:"sku"`
	Name     string `json:"name"`
	Quantity int    `json:"quantity"`
}

// SetsOf are the sets and add-ons that are open to somebody, in the order of their ranks. Those with a code, after a
// purchase or by spending are none. used is how often offers were used.
func SetsOf(
	e *pricing.Engine,
	baskets *basket.Engine,
	vp pricing.Viewpoint,
	used map[string]basket.Used,
) ([]Set, error) {
	sets := []Set{}
	scope, err := e.Scope(vp)
	if err != nil {
		return nil, err
	}
	for _, r := range e.Book().RulesInOrder() {
		f := r.Offer
		if f == nil || f.Codes != nil || f.After != nil || f.Spend != nil || !together(f) {
			continue
		}
		one, err := baskets.One(r.Code, vp)
		if err != nil {
			return nil, err
		}
		if one == nil {
			continue
		}
		s := Set{
			Rule:     r.Code,
			Title:    Label(r, scope),
			Currency: one.Currency,
			Goods:    []SetGoods{},
			Apart:    one.Apart.Fixed(one.Digits),
			Together: one.Apart.Sub(one.Off).Fixed(one.Digits),
			Saves:    one.Off.Fixed(one.Digits),
		}
		if text, says := textOf(r); says {
			s.Message = text.Message
			s.Image, s.Alt, s.Terms = text.Image, text.Alt, text.Terms
		}
		for _, x := range one.Lines {
			n, _ := e.ProductNumber(x.SKU)
			s.Goods = append(s.Goods, SetGoods{x.SKU, e.Products()[n].Name, x.Quantity})
		}
		if f.Stock != nil {
			left := max(*f.Stock-used[r.Code].Total, 0)
			s.Left = &left
		}
		if w := r.Window; w != nil {
			if w.From != nil {
				s.From = w.From.String()
			}
			if w.To != nil {
				s.To = w.To.String()
			}
		}
		sets = append(sets, s)
	}
	return sets, nil
}

// together reports whether an offer is of goods that go together: several kinds for one price, or one with another.
func together(f *pricing.Offer) bool {
	for i := range f.Gives {
		g := &f.Gives[i]
		if g.Where != nil && len(f.Needs) > 0 ||
			g.To == "needs" && g.Where == nil && (len(f.Needs) > 1 || g.ForTotal != nil) {
			return true
		}
	}
	return false
}
