package demo

import (
	"fmt"

	"dogbane/internal/money"
	"dogbane/internal/pricing"
)

// Sale is one line of the demo's sales.
type Sale struct {
	At            pricing.Moment
	Customer, SKU string // no customer: a guest
	Quantity      int
	Paid          string
	Channel       string
}

// soldProducts is how many of a large demo's products have sales.
const soldProducts = 400

// Sales are those of the six months before the demo's present. What was sold of a product in the last 30 days of them
// is what the product says. Ottoline Brack (C-12) has bought nothing yet.
func Sales(b *pricing.Book) []Sale {
	now, err := pricing.ParseMoment(Now)
	if err != nil {
		panic(fmt.Sprintf("demo: %v", err))
	}
	var list []Sale
	shops := []string{WebShop, WebShop, WebShop, QuayShop, MillShop}
	for i := range b.Products[:min(len(b.Products), soldProducts)] {
		p := b.Products[i]
		if p.Sold == nil || p.List == nil {
			continue
		}
		sold, _ := p.Sold.Minor(0, money.Down)
		for month := range 6 {
			left := int(sold)
			if month > 0 {
				left = left * (60 + draw(80, p.SKU, fmt.Sprint(month))) / 100
			}
			for line := 0; left > 0; line++ {
				id := fmt.Sprint(p.SKU, month, line)
				one := Sale{SKU: p.SKU, Quantity: min(left, 1+draw(5, id, "quantity")),
					Channel: shops[draw(len(shops), id, "shop")]}
				left -= one.Quantity
				// Within opening hours, some minutes apart, safely inside the month.
				one.At = now - pricing.Moment(month*30+1+draw(28, id, "day"))*pricing.Day + pricing.Moment(draw(480, id,
					"minute"))*pricing.Minute
				if draw(3, id, "known") == 0 {
					one.Customer = fmt.Sprintf("C-%02d", 1+draw(11, id, "customer"))
				}
				percent := money.Ratio(int64(88+draw(13, id, "paid")), 100)
				one.Paid = p.List.Mul(percent).Mul(money.Int(int64(one.Quantity))).Fixed(2)
				list = append(list, one)
			}
		}
	}
	return list
}

// RateDay is the day that the demo's exchange rate of GBP is of.
const RateDay = "2026-11-20"

// Check is a pinned price of the demo.
type Check struct{ Name, Doc string }

// Checks are the demo's pinned prices. The last one no longer holds: it was pinned before the sale's prices ended on
// .95.
func Checks() []Check {
	return []Check{
		{"Buff stoneware by the pallet, trade, in March",
			`{"price":{"sku":"SW-01-12","at":"2027-03-10T10:00","channel":"trade-desk","quantity":40},"is":{"unit":"10.44"}}`},
		{"Staff pay a bat so that 12 % is left",
			`{"price":{"sku":"BAT-30","at":"2026-12-10T10:00","channel":"web","group":"staff"},"is":{"unit":"8.40"}}`},
		{"The table kiln is full price again in December",
			`{"price":{"sku":"KILN-EL-42","at":"2026-12-01T10:00","channel":"web"},"is":{"unit":"1450.00"}}`},
		{"The table kiln in the autumn sale",
			`{"price":{"sku":"KILN-EL-42","at":"2026-11-28T10:00","channel":"web"},"is":{"unit":"1276.00"}}`},
	}
}
