// Package storefront is what a shop can show its customers of the book: a product's prices by quantity in words, the
// lowest price of its variants, the texts of the rules at work, and the sets that offers make. It makes no price.
package storefront

import (
	"fmt"
	"slices"
	"strconv"

	"dogbane/internal/money"
	"dogbane/internal/pricing"
)

// Goods is what a shop shows of one product.
type Goods struct {
	SKU      string    `json:"sku"`
	Name     string    `json:"name"`
	Currency string    `json:"currency"`
	Price    *string   `json:"price" doc:"of one piece, day or month; null: there is none"`
	List     *string   `json:"list"`
	Unit     string    `json:"unit" enum:"each,day,month"`
	Title    string    `json:"title" doc:"of the price table"`
	Table    []Row     `json:"table" doc:"prices by quantity; empty where it does not matter"`
	From     *From     `json:"from" doc:"the lowest price of its variants, where they differ"`
	Texts    []Text    `json:"texts" doc:"of the rules that make the price"`
	Options  []Option  `json:"options"`
	Variants []Variant `json:"variants" doc:"products of the same style"`
}

// Row is a line of a price table.
type Row struct {
	From  int     `json:"from"`
	To    int     `json:"to,omitempty" doc:"0: no end"`
	Price string  `json:"price" doc:"of one"`
	Saves *string `json:"saves" doc:"against the first row, in percent"`
	Words string  `json:"words" doc:"such as: 6 to 23 pieces: 16.63 each, you save 5 %"`
}

// From is the lowest price among variants.
type From struct {
	Price string `json:"price"`
	Words string `json:"words" doc:"such as: from 5.95"`
}

// Text is what a rule says to the public.
type Text struct {
	Rule    string `json:"rule"`
	Label   string `json:"label,omitempty"`
	Message string `json:"message,omitempty"`
	Badge   string `json:"badge,omitempty"`
	Image   string `json:"image,omitempty"`
	Alt     string `json:"alt,omitempty"`
	Terms   string `json:"terms,omitempty"`
}

// Option is something that can be chosen with a product.
type Option struct {
	Code  string `json:"code"`
	Price string `json:"price"`
}

// Variant is a product of the same style.
type Variant struct {
	SKU   string  `json:"sku"`
	Name  string  `json:"name"`
	Price *string `json:"price"`
}

// textOf is what a rule says to the public; false where it says nothing.
func textOf(r *pricing.Rule) (Text, bool) {
	s := r.Show
	if s == nil || s.Label+s.Message+s.Badge+s.Image+s.Terms == "" {
		return Text{}, false
	}
	return Text{r.Code, s.Label, s.Message, s.Badge, s.Image, s.Alt, s.Terms}, true
}

// GoodsOf is what a shop shows of a product to somebody. Its errors are QuestionErrors.
func GoodsOf(e *pricing.Engine, vp pricing.Viewpoint, sku string) (Goods, error) {
	vp.Quantity, vp.Term = 1, 1
	one, err := e.Price(pricing.Question{Viewpoint: vp, SKU: sku})
	if err != nil {
		return Goods{}, err
	}
	n, _ := e.ProductNumber(sku)
	p := e.Products()[n]
	fixed := func(r *money.Rat) *string {
		if r == nil {
			return nil
		}
		text := r.Fixed(one.Digits)
		return &text
	}
	g := Goods{SKU: sku, Name: p.Name, Currency: one.Currency, Price: fixed(one.Unit), List: fixed(one.List), Unit: p.Unit,
		Title: "Price by quantity", Table: []Row{}, Texts: []Text{}, Options: []Option{}, Variants: []Variant{}}
	for _, o := range p.Options {
		g.Options = append(g.Options, Option{o.Code, o.Price.Fixed(2)})
	}
	rules := map[string]*pricing.Rule{}
	book := e.Book()
	for i := range book.Rules {
		rules[book.Rules[i].Code] = &book.Rules[i]
	}
	for _, code := range one.Rules {
		if text, says := textOf(rules[code]); says {
			g.Texts = append(g.Texts, text)
		}
	}
	if one.Unit == nil {
		return g, nil
	}
	if err := g.table(e, vp, one, rules); err != nil {
		return g, err
	}
	return g, g.variants(e, vp, p, one)
}

// table asks the price at every quantity of the book's breaks and joins those that come out alike.
func (g *Goods) table(
	e *pricing.Engine,
	vp pricing.Viewpoint,
	one *pricing.Answer,
	rules map[string]*pricing.Rule,
) error {
	type step struct {
		from int
		unit money.Rat
	}
	steps := []step{{1, *one.Unit}}
	for _, quantity := range e.Book().Quantities() {
		if quantity == 1 {
			continue
		}
		vp.Quantity = quantity
		a, err := e.Price(pricing.Question{Viewpoint: vp, SKU: g.SKU})
		if err != nil {
			return err
		}
		if a.Unit == nil || a.Unit.Equal(steps[len(steps)-1].unit) {
			continue
		}
		steps = append(steps, step{quantity, *a.Unit})
		for _, code := range a.Rules {
			if r := rules[code]; r.Show != nil && r.Show.Label != "" && !slices.Contains(one.Rules, code) {
				g.Title = r.Show.Label
			}
		}
	}
	if len(steps) == 1 {
		return nil
	}
	for i, s := range steps {
		row := Row{From: s.from, Price: s.unit.Fixed(one.Digits)}
		if i+1 < len(steps) {
			row.To = steps[i+1].from - 1
		}
		if first := steps[0].unit; s.unit.Less(first) {
			percent := money.Int(1).Sub(s.unit.Div(first)).Mul(money.Int(100)).Round(0, money.HalfUp).String()
			row.Saves = &percent
		}
		row.Words = row.words(g.Unit)
		g.Table = append(g.Table, row)
	}
	return nil
}

func (r *Row) words(unit string) string {
	one, many := "piece", "pieces"
	each := "each"
	switch unit {
	case "day":
		each = "a day"
	case "month":
		each = "a month"
	}
	span := fmt.Sprintf("%s %s or more", strconv.Itoa(r.From), many)
	switch {
	case r.To == r.From && r.From == 1:
		span = "1 " + one
	case r.To == r.From:
		span = fmt.Sprintf("%s %s", strconv.Itoa(r.From), many)
	case r.To > 0:
		span = fmt.Sprintf("%s to %s %s", strconv.Itoa(r.From), strconv.Itoa(r.To), many)
	}
	text := fmt.Sprintf("%s: %s %s", span, r.Price, each)
	if r.Saves != nil && *r.Saves != "0" {
		text += fmt.Sprintf(", you save %s %%", *r.Saves)
	}
	return text
}

// variants are the products of the same style, with the lowest of their prices where they differ.
func (g *Goods) variants(e *pricing.Engine, vp pricing.Viewpoint, of *pricing.Product, one *pricing.Answer) error {
	if of.Style == "" {
		return nil
	}
	lowest, differ := *one.Unit, false
	vp.Quantity = 1
	for _, p := range e.Products() {
		if p.Style != of.Style {
			continue
		}
		a, err := e.Price(pricing.Question{Viewpoint: vp, SKU: p.SKU})
		if err != nil {
			return err
		}
		v := Variant{SKU: p.SKU, Name: p.Name}
		if a.Unit != nil {
			text := a.Unit.Fixed(a.Digits)
			v.Price = &text
			differ = differ || !a.Unit.Equal(*one.Unit)
			lowest = money.Min(lowest, *a.Unit)
		}
		g.Variants = append(g.Variants, v)
	}
	if differ {
		g.From = &From{lowest.Fixed(one.Digits), "from " + lowest.Fixed(one.Digits)}
	}
	return nil
}
