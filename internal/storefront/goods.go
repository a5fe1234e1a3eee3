// Package storefront is what a shop can show its customers of the book: a product's prices by quantity in words, the
// lowest price of its variants, the texts of the rules at work, and the sets that offers make. It makes no price.
package storefront

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"dogbane/internal/money"
	"dogbane/internal/pricing"
	"dogbane/internal/pricing/basket"
)

// Goods is what a shop shows of one product.
type Goods struct {
	SKU      string    `json:"sku"`
	Name     string    `json:"name"`
	Currency string    `json:"currency"`
	Price    *string   `json:"price" doc:"of one piece, day or month, of the smallest order; null: there is none"`
	Least    int       `json:"least,omitempty" doc:"the smallest order, where that is more than one"`
	Multiple int       `json:"multiple,omitempty" doc:"it is ordered in multiples of so many"`
	List     *string   `json:"list"`
	Unit     string    `json:"unit" enum:"each,day,month"`
	Title    string    `json:"title" doc:"of the price table"`
	Table    []Row     `json:"table" doc:"prices by quantity; empty where it does not matter"`
	Method   string    `json:"method,omitempty" enum:"brackets" doc:"each piece costs the row that this very piece reaches; absent: all cost what the quantity reaches"`
	From     *From     `json:"from" doc:"the lowest price of its variants, where they differ"`
	Texts    []Text    `json:"texts" doc:"of the rules that make the price"`
	Deals    []Deal    `json:"deals" doc:"offers that it can take part in"`
	Options  []Option  `json:"options"`
	Variants []Variant `json:"variants" doc:"products of the same style"`
}

// Row is a line of a price table.
type Row struct {
	From  int     `json:"from"`
	To    int     `json:"to,omitempty" doc:"0: no end"`
	Price string  `json:"price" doc:"of one"`
	Saves *string `json:"saves" doc:"against the first row, in percent with at most one decimal, cut off"`
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

// Asked is of whom, and of what, goods are shown: the book and its baskets, and what the channel shows otherwise.
type Asked struct {
	Engine  *pricing.Engine
	Baskets *basket.Engine
	vp      pricing.Viewpoint
	Told    map[string]*pricing.ToldPrice
	Used    map[string]basket.Used
}

// AskedBy is what somebody is shown.
func AskedBy(e *pricing.Engine, b *basket.Engine, vp pricing.Viewpoint) *Asked {
	vp.Quantity, vp.Term = 1, 1
	return &Asked{Engine: e, Baskets: b, vp: vp}
}

// line is a line of so many pieces of a product, as the basket prices it.
func (a *Asked) line(sku string, quantity int) (*basket.Answer, *basket.Line, error) {
	answer, err := a.Baskets.Price(basket.Question{Viewpoint: a.vp, Told: a.Told,
		Lines: []pricing.Line{{SKU: sku, Quantity: quantity}}})
	if err != nil {
		return nil, nil, err
	}
	return answer, &answer.Lines[0], nil
}

// last is what the last piece of a line costs.
func last(l *basket.Line) money.Rat { return l.Runs[len(l.Runs)-1].Price }

// Goods is what a shop shows of a product to somebody: the prices are those of the basket, from the smallest order on.
// Its errors are QuestionErrors.
func (a *Asked) Goods(sku string) (Goods, error) {
	n, exists := a.Engine.ProductNumber(sku)
	if !exists {
		return Goods{}, &pricing.QuestionError{Path: "sku", Problem: fmt.Sprintf("there is no product %q in the book", sku)}
	}
	scope, err := a.Engine.Scope(a.vp)
	if err != nil {
		return Goods{}, err
	}
	p := a.Engine.Products()[n]
	least, multiple := a.Baskets.Least(scope, n)
	answer, first, err := a.line(sku, least)
	if err != nil {
		return Goods{}, err
	}
	g := Goods{SKU: sku, Name: p.Name, Currency: answer.Currency, Unit: p.Unit, Title: "Price by quantity", Table: []Row{},
		Texts: []Text{}, Options: []Option{}, Variants: []Variant{}, Deals: []Deal{}}
	if least > 1 {
		g.Least = least
	}
	if multiple > 1 {
		g.Multiple = multiple
	}
	if first.List != nil {
		list := first.List.Fixed(answer.Digits)
		g.List = &list
	}
	if first.Runs == nil {
		return g, nil
	}
	for _, o := range p.Options { // as the channel has it: in its currency, with or without tax
		with, err := a.Baskets.Price(basket.Question{Viewpoint: a.vp, Told: a.Told,
			Lines: []pricing.Line{{SKU: sku, Quantity: least, Options: []string{o.Code}}}})
		if err != nil {
			return g, err
		}
		if l := &with.Lines[0]; l.Unit != nil {
			g.Options = append(g.Options, Option{o.Code, l.Unit.Sub(*first.Unit).Fixed(answer.Digits)})
		}
	}
	price := last(first).Fixed(answer.Digits)
	g.Price = &price
	rules := map[string]*pricing.Rule{}
	for _, r := range a.Engine.Book().RulesInOrder() {
		rules[r.Code] = r
	}
	seen := map[string]bool{}
	for _, run := range first.Runs {
		for _, code := range run.Rules {
			if r := rules[code]; r != nil && !seen[code] {
				if text, says := textOf(r); says {
					g.Texts = append(g.Texts, text)
				}
			}
			seen[code] = true
		}
	}
	if err := a.table(&g, scope.Course(n), answer, first, least, rules, seen); err != nil {
		return g, err
	}
	if err := a.deals(&g, scope, n); err != nil {
		return g, err
	}
	return g, a.variants(&g, scope, p, last(first))
}

// table asks the price at every quantity at which something begins, in the book or in what the channel was told, and
// joins those that come out alike.
func (a *Asked) table(g *Goods, course *pricing.Course, answer *basket.Answer, first *basket.Line, least int,
	rules map[string]*pricing.Rule, seen map[string]bool) error {
	type step struct {
		from int
		unit money.Rat
	}
	steps := []step{{least, last(first)}}
	quantities, _ := course.Begins()
	if told := a.Told[g.SKU]; told != nil {
		quantities = append(quantities, told.Quantities()...)
	}
	slices.Sort(quantities)
	for _, quantity := range slices.Compact(quantities) {
		if quantity <= least || quantity > basket.MaxUnits {
			continue
		}
		_, l, err := a.line(g.SKU, quantity)
		if err != nil {
			return err
		}
		if l.Runs == nil {
			continue
		}
		if !l.Runs[0].Price.Equal(last(l)) {
			g.Method = "brackets"
		}
		if last(l).Equal(steps[len(steps)-1].unit) {
			continue
		}
		steps = append(steps, step{quantity, last(l)})
		for _, code := range l.Runs[len(l.Runs)-1].Rules {
			if r := rules[code]; r != nil && r.Show != nil && r.Show.Label != "" && !seen[code] {
				g.Title = r.Show.Label
			}
		}
	}
	if len(steps) == 1 {
		return nil
	}
	for i, s := range steps {
		row := Row{From: s.from, Price: s.unit.Fixed(answer.Digits)}
		if i+1 < len(steps) {
			row.To = steps[i+1].from - 1
		}
		if first := steps[0].unit; s.unit.Less(first) {
			row.Saves = savedPercent(s.unit, first)
		}
		row.Words = row.words(g.Unit, g.Method == "brackets")
		g.Table = append(g.Table, row)
	}
	return nil
}

// savedPercent is how much less a price is than another, never promised larger than it is: cut off at one decimal.
func savedPercent(price, than money.Rat) *string {
	percent := money.Int(1).Sub(price.Div(than)).Mul(money.Int(100)).Round(1, money.Down)
	text := strings.TrimSuffix(percent.Fixed(1), ".0")
	return &text
}

func (r *Row) words(unit string, brackets bool) string {
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
	if brackets {
		switch {
		case r.To == r.From:
			span = fmt.Sprintf("%s no. %d", one, r.From)
		case r.To > 0:
			span = fmt.Sprintf("%s no. %d to %d", one, r.From, r.To)
		default:
			span = fmt.Sprintf("each %s from no. %d on", one, r.From)
		}
	}
	text := fmt.Sprintf("%s: %s %s", span, r.Price, each)
	if r.Saves != nil && *r.Saves != "0" {
		text += fmt.Sprintf(", you save %s %%", *r.Saves)
	}
	return text
}

// variants are the products of the same style, with the lowest of their prices where they differ.
func (a *Asked) variants(g *Goods, scope *pricing.Scope, of *pricing.Product, price money.Rat) error {
	if of.Style == "" {
		return nil
	}
	lowest, differ, digits := price, false, 2
	for n, p := range a.Engine.Products() {
		if p.Style != of.Style {
			continue
		}
		least, _ := a.Baskets.Least(scope, int32(n))
		answer, l, err := a.line(p.SKU, least)
		if err != nil {
			return err
		}
		digits = answer.Digits
		v := Variant{SKU: p.SKU, Name: p.Name}
		if l.Runs != nil {
			text := last(l).Fixed(digits)
			v.Price = &text
			differ = differ || !last(l).Equal(price)
			lowest = money.Min(lowest, last(l))
		}
		g.Variants = append(g.Variants, v)
	}
	if differ {
		g.From = &From{lowest.Fixed(digits), "from " + lowest.Fixed(digits)}
	}
	return nil
}
