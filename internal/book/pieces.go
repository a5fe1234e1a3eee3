package book

import (
	"encoding/json"
	"sync"

	"dogbane/internal/bookfile"
	"dogbane/internal/pricing"
)

// Pieces finds the pieces of a book by kind and code. What it needs for that is made when first asked for.
type Pieces struct {
	Book *pricing.Book

	rulesOnce, productsOnce, smallOnce sync.Once

	rules, products map[string]int
	small           map[[2]string]json.RawMessage
}

// NewPieces finds pieces of a book, which must not be changed afterwards.
func NewPieces(book *pricing.Book) *Pieces { return &Pieces{Book: book} }

// Rule is the rule with a code; nil: there is none.
func (p *Pieces) Rule(code string) *pricing.Rule {
	p.rulesOnce.Do(func() { p.rules = positions(p.Book.Rules, func(r *pricing.Rule) string { return r.Code }) })
	if i, exists := p.rules[code]; exists {
		return &p.Book.Rules[i]
	}
	return nil
}

// Channel is the channel with a code; nil: there is none.
func (p *Pieces) Channel(code string) *pricing.Channel {
	for i := range p.Book.Channels {
		if c := &p.Book.Channels[i]; c.Code == code {
			return c
		}
	}
	return nil
}

// Product is the product with a SKU; nil: there is none.
func (p *Pieces) Product(sku string) *pricing.Product {
	p.productsOnce.Do(func() {
		p.products = positions(p.Book.Products, func(r **pricing.Product) string { return (*r).SKU })
	})
	if i, exists := p.products[sku]; exists {
		return p.Book.Products[i]
	}
	return nil
}

// Doc is a piece's document; nil: there is none.
func (p *Pieces) Doc(kind, code string) json.RawMessage {
	switch kind {
	case Settings:
		return bookfile.EncodeSettings(&p.Book.Settings)
	case Products:
		if product := p.Product(code); product != nil {
			return bookfile.EncodeProduct(product)
		}
		return nil
	case Rules:
		if r := p.Rule(code); r != nil {
			return bookfile.EncodeRule(r)
		}
		return nil
	}
	p.smallOnce.Do(func() {
		p.small = map[[2]string]json.RawMessage{}
		rest := *p.Book
		rest.Products, rest.Rules = nil, nil
		for _, piece := range Of(&rest) {
			p.small[[2]string{piece.Kind, piece.Code}] = piece.After
		}
	})
	return p.small[[2]string{kind, code}]
}
