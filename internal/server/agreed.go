package server

import (
	"cmp"
	"context"
	"fmt"
	"maps"
	"net/http"
	"slices"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	"dogbane/internal/bookfile"
	"dogbane/internal/intake"
	"dogbane/internal/money"
	"dogbane/internal/pricing"
	"dogbane/internal/store"
)

// agreedLevel is the price level that holds what was agreed with a customer.
func agreedLevel(customer string) string { return agreedPrefix + customer }

const agreedPrefix = "agreed:"

// agreedRule is the rule that gives a customer the agreed prices; nil where there is none yet.
func agreedRule(b *pricing.Book, customer string) *pricing.Rule {
	i := slices.IndexFunc(b.Rules, func(r pricing.Rule) bool {
		return r.Layer == pricing.GroupTerms && r.Effect != nil && r.Effect.Kind == pricing.ToLevel && r.Effect.Level == agreedLevel(customer)
	})
	if i < 0 {
		return nil
	}
	return &b.Rules[i]
}

// agreement is the agreed prices of customers by SKU; nil is no longer agreed.
type agreement map[string]map[string]*money.Rat

// agree makes the changes that set agreed prices, in one pass over the products.
func agree(b *pricing.Book, prices agreement) ([]store.Change, error) {
	var changes []store.Change
	touched, goods := map[string]bool{}, map[string][]string{}
	for _, list := range prices {
		for sku := range list {
			touched[sku] = true
		}
	}
	for i := range b.Products {
		p := &b.Products[i]
		after := *p
		if touched[p.SKU] {
			after.Levels = maps.Clone(p.Levels)
			if after.Levels == nil {
				after.Levels = map[string]money.Rat{}
			}
			for customer, list := range prices {
				if price, named := list[p.SKU]; named && price != nil {
					after.Levels[agreedLevel(customer)] = *price
				} else if named {
					delete(after.Levels, agreedLevel(customer))
				}
			}
			if before, next := bookfile.EncodeProduct(p), bookfile.EncodeProduct(&after); string(before) != string(next) {
				changes = append(changes, store.Change{Kind: store.Products, Code: p.SKU, Before: before, After: next})
			}
		}
		for level := range after.Levels {
			if customer, is := strings.CutPrefix(level, agreedPrefix); is && prices[customer] != nil {
				goods[customer] = append(goods[customer], p.SKU)
			}
		}
	}
	for _, customer := range slices.Sorted(maps.Keys(prices)) {
		change, err := agreedRuleFor(b, customer, goods[customer])
		if err != nil {
			return nil, err
		}
		if string(change.Before) != string(change.After) {
			changes = append(changes, change)
		}
	}
	return changes, nil
}

// agreedRuleFor is the change that makes a customer's rule reach just the goods with an agreed price; without any it
// goes.
func agreedRuleFor(b *pricing.Book, customer string, goods []string) (store.Change, error) {
	change := store.Change{Kind: store.Rules}
	var next pricing.Rule
	if rule := agreedRule(b, customer); rule != nil {
		change.Before, next = bookfile.EncodeRule(rule), *rule
	} else {
		i := slices.IndexFunc(b.Customers, func(c pricing.Customer) bool { return c.Code == customer })
		if i < 0 {
			return change, store.ErrNotFound
		}
		next = pricing.Rule{Code: ("AGREED-" + customer)[:min(100, 7+len(customer))], Name: "Agreed with " + cmp.Or(b.Customers[i].Name, customer), Layer: pricing.GroupTerms, Rank: 1, Status: pricing.On, MinQuantity: 1,
			Audience: &pricing.Audience{Customers: []string{customer}}, Effect: &pricing.Effect{Kind: pricing.ToLevel, Level: agreedLevel(customer)}}
	}
	change.Code = next.Code
	next.Where = pricing.Where{Field: pricing.FieldSKU, Values: goods}
	if len(goods) > 0 {
		change.After = bookfile.EncodeRule(&next)
	}
	return change, nil
}

func (s *Server) planAgreed(file *waitingFile, p *plan, out *ImportPreview) ([]intake.BadCell, error) {
	book := s.live.Current().Book
	list, bad, err := intake.ReadAgreed(file.table, out.Mapping, book)
	if err != nil || len(bad) > 0 {
		return bad, err
	}
	byCustomer := agreement{}
	for i := range list {
		if byCustomer[list[i].Customer] == nil {
			byCustomer[list[i].Customer] = map[string]*money.Rat{}
		}
		byCustomer[list[i].Customer][list[i].SKU] = &list[i].Price
	}
	products := map[string]*pricing.Product{}
	for i := range book.Products {
		products[book.Products[i].SKU] = &book.Products[i]
	}
	for _, one := range list {
		was, had := products[one.SKU].Levels[agreedLevel(one.Customer)]
		change := intake.CellChange{Field: "price", Is: bookfile.Amount(one.Price)}
		switch {
		case had && was.Equal(one.Price):
			out.Unchanged++
			continue
		case had:
			change.Was = bookfile.Amount(was)
			out.Changed++
		default:
			out.New++
		}
		if len(out.Changes) < previewRows {
			out.Changes = append(out.Changes, intake.RowChange{SKU: one.SKU, Name: one.Customer, New: !had, Changes: []intake.CellChange{change}})
		}
	}
	if p.changes, err = agree(book, byCustomer); err != nil {
		return nil, err
	}
	p.summary = fmt.Sprintf("Imported %s: %d new, %d changed agreed prices", out.File, out.New, out.Changed)
	return nil, nil
}

// AgreedList is what was agreed with a customer.
type AgreedList struct {
	Prices []AgreedPrice `json:"prices"`
	Rules  []RuleMark    `json:"rules" doc:"other rules that name the customer"`
}

// AgreedPrice is one agreed price.
type AgreedPrice struct {
	SKU   string  `json:"sku"`
	Name  string  `json:"name"`
	List  *string `json:"list" doc:"in the book's currency"`
	Price string  `json:"price"`
	Pays  *string `json:"pays" doc:"what the customer pays for one now, in the book's currency and without a channel"`
}

// AgreedEdit sets one agreed price.
type AgreedEdit struct {
	SKU   string `json:"sku"`
	Price string `json:"price" doc:"empty: no longer agreed"`
}

func (s *Server) registerAgreed(api huma.API) {
	huma.Get(api, "/api/customers/{code}/agreed", func(_ context.Context, in *struct {
		Code string `path:"code"`
	}) (*body[AgreedList], error) {
		return answer(s.agreed(in.Code))
	})
	huma.Register(api, huma.Operation{Method: http.MethodPut, Path: "/api/customers/{code}/agreed"}, func(ctx context.Context, in *struct {
		Code string `path:"code"`
		Body AgreedEdit
	}) (*body[Saved], error) {
		snap := s.live.Current()
		if snap.Product(in.Body.SKU) == nil {
			return nil, invalid("sku", fmt.Sprintf("There is no product %s.", in.Body.SKU))
		}
		var price *money.Rat
		if in.Body.Price != "" {
			amount, err := amountIn("price", in.Body.Price, false)
			if err != nil {
				return nil, err
			}
			price = &amount
		}
		changes, err := agree(snap.Book, agreement{in.Code: {in.Body.SKU: price}})
		if err != nil {
			return nil, asProblem(err)
		}
		if len(changes) == 0 {
			return nil, huma.Error409Conflict("This changes nothing.")
		}
		summary := fmt.Sprintf("Agreed %s with %s for %s", in.Body.Price, in.Code, in.Body.SKU)
		if price == nil {
			summary = fmt.Sprintf("Ended what was agreed with %s for %s", in.Code, in.Body.SKU)
		}
		return s.commit(ctx, summary, changes)
	})
}

func (s *Server) agreed(customer string) (AgreedList, error) {
	snap := s.live.Current()
	out := AgreedList{Prices: []AgreedPrice{}, Rules: []RuleMark{}}
	if !slices.ContainsFunc(snap.Book.Customers, func(c pricing.Customer) bool { return c.Code == customer }) {
		return out, store.ErrNotFound
	}
	level, own := agreedLevel(customer), agreedRule(snap.Book, customer)
	vp := pricing.Viewpoint{At: s.moment(snap), Customer: customer, Quantity: 1}
	for i := range snap.Book.Products {
		p := &snap.Book.Products[i]
		price, has := p.Levels[level]
		if !has {
			continue
		}
		row := AgreedPrice{SKU: p.SKU, Name: p.Name, Price: bookfile.Amount(price)}
		if p.List != nil {
			text := bookfile.Amount(*p.List)
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
		out.Prices = append(out.Prices, row)
	}
	for i := range snap.Book.Rules {
		if r := &snap.Book.Rules[i]; r != own && r.Audience != nil && slices.Contains(r.Audience.Customers, customer) {
			out.Rules = append(out.Rules, RuleMark{r.Code, title(r), r.Layer.String()})
		}
	}
	return out, nil
}
