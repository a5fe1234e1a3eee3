// Package agreed is the prices that were agreed with single customers: a price level of the products for each customer,
// and one rule of the group layer that gives the customer those prices.
package agreed

import (
	"cmp"
	"maps"
	"slices"
	"strings"

	"dogbane/internal/board"
	"dogbane/internal/book"
	"dogbane/internal/bookfile"
	"dogbane/internal/money"
	"dogbane/internal/pricing"
)

// Level is the price level that holds what was agreed with a customer.
func Level(customer string) string { return prefix + customer }

// IsLevel reports whether a price level holds what was agreed with a customer: it is nobody else's.
func IsLevel(level string) bool { return strings.HasPrefix(level, prefix) }

const prefix = "agreed:"

// Rule is the rule that gives a customer the agreed prices; nil where there is none yet.
func Rule(b *pricing.Book, customer string) *pricing.Rule {
	i := slices.IndexFunc(b.Rules, func(r pricing.Rule) bool {
		return r.Layer == pricing.GroupTerms && r.Effect != nil && r.Effect.Kind == pricing.ToLevel &&
			r.Effect.Level == Level(customer)
	})
	if i < 0 {
		return nil
	}
	return &b.Rules[i]
}

// Prices are the agreed prices of customers by SKU; nil is no longer agreed.
type Prices map[string]map[string]*money.Rat

// Set makes the changes that set agreed prices, in one pass over the products.
func Set(b *pricing.Book, prices Prices) ([]book.Change, error) {
	var changes []book.Change
	touched, goods := map[string]bool{}, map[string][]string{}
	for _, list := range prices {
		for sku := range list {
			touched[sku] = true
		}
	}
	for i := range b.Products {
		p := b.Products[i]
		after := *p
		if touched[p.SKU] {
			after.Levels = maps.Clone(p.Levels)
			if after.Levels == nil {
				after.Levels = map[string]money.Rat{}
			}
			for customer, list := range prices {
				if price, named := list[p.SKU]; named && price != nil {
					after.Levels[Level(customer)] = *price
				} else if named {
					delete(after.Levels, Level(customer))
				}
			}
			if before, next := bookfile.EncodeProduct(p), bookfile.EncodeProduct(&after); string(before) != string(next) {
				changes = append(changes, book.Change{Kind: book.Products, Code: p.SKU, Before: before, After: next})
			}
		}
		for level := range after.Levels {
			if customer, is := strings.CutPrefix(level, prefix); is && prices[customer] != nil {
				goods[customer] = append(goods[customer], p.SKU)
			}
		}
	}
	for _, customer := range slices.Sorted(maps.Keys(prices)) {
		change, err := ruleFor(b, customer, goods[customer])
		if err != nil {
			return nil, err
		}
		if string(change.Before) != string(change.After) {
			changes = append(changes, change)
		}
	}
	return changes, nil
}

// ruleFor is the change that makes a customer's rule reach just the goods with an agreed price; without any it
// goes.
func ruleFor(b *pricing.Book, customer string, goods []string) (book.Change, error) {
	change := book.Change{Kind: book.Rules}
	var next pricing.Rule
	if rule := Rule(b, customer); rule != nil {
		change.Before, next = bookfile.EncodeRule(rule), *rule
	} else {
		i := slices.IndexFunc(b.Customers, func(c pricing.Customer) bool { return c.Code == customer })
		if i < 0 {
			return change, book.ErrNotFound
		}
		next = pricing.Rule{Code: ("AGREED-" + customer)[:min(100, 7+len(customer))],
			Name: "Agreed with " + cmp.Or(b.Customers[i].Name, customer), Layer: pricing.GroupTerms, Rank: 1, Status: pricing.On,
			MinQuantity: 1,
			Audience:    &pricing.Audience{Customers: []string{customer}},
			Effect:      &pricing.Effect{Kind: pricing.ToLevel, Level: Level(customer)}}
	}
	change.Code = next.Code
	next.Where = pricing.Where{Field: pricing.FieldSKU, Values: goods}
	if len(goods) > 0 {
		change.After = bookfile.EncodeRule(&next)
	}
	return change, nil
}

// List is what was agreed with a customer.
type List struct {
	Prices []Price          `json:"prices"`
	Rules  []board.RuleMark `json:"rules" doc:"other rules that name the customer"`
	Fixed  bool             `json:"fixed" doc:"nothing else changes the agreed prices: no other rule comes after, and lower prices are raised to them"`
}

// Price is one agreed price.
type Price struct {
	SKU   string  `json:"sku"`
	Name  string  `json:"name"`
	List  *string `json:"list" doc:"in the book's currency"`
	Price string  `json:"price"`
	Pays  *string `json:"pays" doc:"what the customer pays for one now, in the book's currency and without a channel"`
	Comparison
}

// Comparison holds an agreed price against what is paid without it.
type Comparison struct {
	Group  *string `json:"group" doc:"what the customer's groups pay for one now; everyone's price where there are none"`
	Dearer bool    `json:"dearer" doc:"the agreed price is above that"`
}

// Compare holds a price against what the groups of a customer pay at a moment, in the book's currency and without a
// channel. Its errors are book.ErrNotFound and QuestionErrors.
func Compare(snap *book.Snapshot, customer, sku string, price money.Rat, at pricing.Moment) (Comparison, error) {
	i := slices.IndexFunc(snap.Book.Customers, func(c pricing.Customer) bool { return c.Code == customer })
	if i < 0 {
		return Comparison{}, book.ErrNotFound
	}
	return compare(snap, snap.Book.Customers[i].Groups, sku, price, at)
}

func compare(snap *book.Snapshot, groups []string, sku string, price money.Rat, at pricing.Moment) (Comparison, error) {
	vp := pricing.Viewpoint{At: at, Groups: groups, Quantity: 1}
	a, err := snap.Engine.Price(pricing.Question{Viewpoint: vp, SKU: sku})
	if err != nil || a.Unit == nil {
		return Comparison{}, err
	}
	text := a.Unit.Fixed(a.Digits)
	return Comparison{Group: &text, Dearer: a.Unit.Less(price)}, nil
}

// Fix makes the change by which nothing else changes the agreed prices of a customer, or something may again. Its error
// is book.ErrNotFound where nothing is agreed.
func Fix(b *pricing.Book, customer string, on bool) (book.Change, error) {
	rule := Rule(b, customer)
	if rule == nil {
		return book.Change{}, book.ErrNotFound
	}
	next := *rule
	next.MayRaise, next.Then = on, ""
	if on {
		next.Rank, next.Then = 1, pricing.EndPrice
	}
	return book.Change{Kind: book.Rules, Code: rule.Code, Before: bookfile.EncodeRule(rule),
		After: bookfile.EncodeRule(&next)}, nil
}

// Of is what was agreed with a customer, with what they pay at a moment.
func Of(snap *book.Snapshot, customer string, at pricing.Moment) (List, error) {
	out := List{Prices: []Price{}, Rules: []board.RuleMark{}}
	i := slices.IndexFunc(snap.Book.Customers, func(c pricing.Customer) bool { return c.Code == customer })
	if i < 0 {
		return out, book.ErrNotFound
	}
	groups := snap.Book.Customers[i].Groups
	level, own := Level(customer), Rule(snap.Book, customer)
	out.Fixed = own != nil && own.Fixes()
	vp := pricing.Viewpoint{At: at, Customer: customer, Quantity: 1}
	for i := range snap.Book.Products {
		p := snap.Book.Products[i]
		price, has := p.Levels[level]
		if !has {
			continue
		}
		row := Price{SKU: p.SKU, Name: p.Name, Price: bookfile.Amount(price)}
		if list := p.At(at).List; list != nil {
			text := bookfile.Amount(*list)
			row.List = &text
		}
		a, err := snap.Engine.Price(pricing.Question{Viewpoint: vp, SKU: p.SKU})
		if err != nil {
			return out, err
		}
		if a.Unit != nil {
			text := a.Unit.Fixed(a.Digits)
			row.Pays = &text
		}
		if row.Comparison, err = compare(snap, groups, p.SKU, price, at); err != nil {
			return out, err
		}
		out.Prices = append(out.Prices, row)
	}
	for i := range snap.Book.Rules {
		if r := &snap.Book.Rules[i]; r != own && r.Audience != nil && slices.Contains(r.Audience.Customers, customer) {
			out.Rules = append(out.Rules, board.MarkOf(r))
		}
	}
	return out, nil
}
