package board

import (
	"dogbane/internal/money"
	"dogbane/internal/pricing"
)

// NamedGoods is a product as people know it, where it was chosen by its SKU.
type NamedGoods struct {
	SKU      string   `json:"sku"`
	Name     string   `json:"name"`
	Category string   `json:"category"`
	List     string   `json:"list" doc:"the list price in the book's currency; empty: it has none"`
	Style    string   `json:"style"`
	Variants []string `json:"variants" doc:"SKUs of the others of its style, at most 100"`
}

// mostVariants are named of one style.
const mostVariants = 100

// Named are those of the products of a book that are in a list of SKUs, in its order, with what they are at a moment.
func Named(b *pricing.Book, skus []string, now pricing.Moment) []NamedGoods {
	at := make(map[string]*pricing.Product, len(b.Products))
	styles := map[string][]string{}
	for _, p := range b.Products {
		at[p.SKU] = p
		if p.Style != "" {
			styles[p.Style] = append(styles[p.Style], p.SKU)
		}
	}
	list, digits := []NamedGoods{}, 0
	if n, known := money.Digits(b.Settings.Currency); known {
		digits = n
	}
	for _, sku := range skus {
		p := at[sku]
		if p == nil {
			continue
		}
		g := NamedGoods{SKU: sku, Name: p.Name, Category: p.Category, Style: p.Style, Variants: []string{}}
		if list := p.At(now).List; list != nil {
			g.List = list.Fixed(digits)
		}
		for _, other := range styles[p.Style] {
			if other != sku && len(g.Variants) < mostVariants {
				g.Variants = append(g.Variants, other)
			}
		}
		list = append(list, g)
	}
	return list
}
