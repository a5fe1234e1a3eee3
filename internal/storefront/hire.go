package storefront

import (
	"dogbane/internal/pricing"
	"dogbane/internal/pricing/basket"
)

// HireDay is what one day of a hire costs.
type HireDay struct {
	Date  string   `json:"date"`
	Price *string  `json:"price"`
	Rules []string `json:"rules" doc:"codes of the rules that make it"`
}

// HireDays are the prices of so many days of a product that is hired, each as if hired for that day alone, collected at
// ten in the morning.
func HireDays(b *basket.Engine, vp pricing.Viewpoint, sku string, from pricing.Moment, days int) ([]HireDay, error) {
	list := []HireDay{}
	first := from - from%pricing.Day
	for i := range days {
		day := first + pricing.Moment(i)*pricing.Day
		q := basket.Question{Viewpoint: vp, Lines: []pricing.Line{{SKU: sku, Quantity: 1,
			Hire: &pricing.Hire{From: day + 10*pricing.Hour, To: day + 16*pricing.Hour}}}}
		a, err := b.Price(q)
		if err != nil {
			return nil, err
		}
		one := HireDay{Date: day.String()[:10], Rules: []string{}}
		if l := a.Lines[0]; l.Unit != nil {
			text := l.Unit.Fixed(a.Digits)
			one.Price, one.Rules = &text, l.Runs[0].Rules
		}
		list = append(list, one)
	}
	return list, nil
}
