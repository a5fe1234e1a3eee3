package server

import (
	"cmp"
	"context"
	"encoding/json"
	"fmt"

	"dogbane/internal/book"
	"dogbane/internal/bookfile"
	"dogbane/internal/codes"
	"dogbane/internal/intake"
	"dogbane/internal/mail"
	"dogbane/internal/pricing"
	"dogbane/internal/pricing/basket"
	"dogbane/internal/publish"
	"dogbane/internal/store"
	"dogbane/internal/storefront"
)

// OrderForm is what a channel sold at once.
type OrderForm struct {
	Key    string   `json:"key" doc:"the channel's own name of the order; the same again is kept once"`
	Basket QuoteDoc `json:"basket"`
	Email  string   `json:"email,omitempty" maxLength:"200" doc:"where the customer is told of offers that the order opens"`
}

// OrderAnswer is an order that is kept: its lines are sales, the uses of its offers are counted.
type OrderAnswer struct {
	Key    string                `json:"key"`
	Answer bookfile.BasketAnswer `json:"answer"`
	Opens  []OpenedOffer         `json:"opens" doc:"offers that the order opens for its customer"`
}

// OpenedOffer is an offer that a purchase opened.
type OpenedOffer struct {
	Rule    string               `json:"rule"`
	Name    string               `json:"name" doc:"for customers: its label, or what it is"`
	Goods   string               `json:"goods" doc:"the SKU of what was bought"`
	Reduced storefront.DealGoods `json:"reduced" doc:"the goods that it reduces"`
	Until   string               `json:"until" doc:"from then on it is shut"`
}

func (s *Server) order(ctx context.Context, in *struct {
	ChannelCall
	Body OrderForm
}) (*status[OrderAnswer], error) {
	f := &in.Body
	key, content, err := s.counts(ctx, &in.ChannelCall, f.Key, f)
	if err != nil {
		return nil, err
	}
	if f.Email != "" {
		if err := mail.Check(f.Email); err != nil {
			return nil, invalid("email", "This "+err.Error()+".")
		}
	}
	now := s.Clocks.Book().UTC()
	o := store.Order{Channel: in.Channel, Key: f.Key, Content: content, At: now}
	if again, err := s.Store.Placed(ctx, &o); again || err != nil {
		return orderAnswer(&o, again, refusedUse(err))
	}
	snap, err := s.published(ctx, in.Channel)
	if err != nil {
		return nil, err
	}
	q, err := s.quoted(ctx, snap, key, f.Basket, "basket.", "")
	if err != nil {
		return nil, err
	}
	a, err := priceIn(snap, q, "basket.")
	if err != nil {
		return nil, err
	}
	if len(a.Lines) == 0 {
		return nil, invalid("basket.lines", "There is nothing in the basket.")
	}
	var lines []intake.SoldLine
	var bought []pricing.Purchase
	for i := range a.Lines {
		l := &a.Lines[i]
		if l.Total == nil {
			return nil, invalid(fmt.Sprintf("basket.lines[%d]", i), "This line has no price: nothing was ordered.")
		}
		lines = append(lines, intake.SoldLine{Moment: q.At, Customer: q.Customer, SKU: l.SKU, Quantity: l.Quantity,
			Paid: l.Total.Fixed(a.Digits), Channel: in.Channel})
		bought = append(bought, pricing.Purchase{SKU: l.SKU, Quantity: l.Quantity, At: q.At})
	}
	var uses []store.Counted
	for _, applied := range a.Offers {
		rule := snap.Rule(applied.Rule)
		b := codes.BoundsOf(rule.Offer)
		if applied.Code != "" || b.Stock != nil || b.PerCustomer != nil {
			uses = append(uses, store.Counted{Use: codes.Use{Channel: in.Channel, Key: store.OrderUse(f.Key, rule.Code),
				Rule: rule.Code, Code: applied.Code, Customer: q.Customer, Applications: applied.Applications, Content: content,
				At: now}, Bounds: b})
		}
	}
	links, err := s.Store.Links(ctx)
	if err != nil {
		return nil, err
	}
	link := links[in.Channel]
	opened := snap.Baskets().OpenedBy(q.Viewpoint, bought)
	told, err := receipt(snap, q.Viewpoint, a)
	if err != nil {
		return nil, err
	}
	scope, err := snap.Engine.Scope(q.Viewpoint)
	if err != nil {
		return nil, err
	}
	answer := OrderAnswer{Key: f.Key, Answer: *told, Opens: []OpenedOffer{}}
	for _, x := range opened {
		reduced := storefront.Rewards(snap.Engine, scope, x.Rule)
		m, tells := messageOf(snap.Snapshot, scope, x, q.Customer, &reduced, &link)
		if tells && f.Email != "" && s.Mail.Ready() {
			m.To = f.Email
			o.Mails = append(o.Mails, m)
		}
		answer.Opens = append(answer.Opens, OpenedOffer{Rule: x.Rule.Code,
			Name: storefront.Label(x.Rule, scope), Goods: x.SKU, Reduced: reduced, Until: x.Until.String()})
	}
	text, err := json.Marshal(answer)
	if err != nil {
		return nil, fmt.Errorf("write the answer to an order: %w", err)
	}
	o.Answer = string(text)
	again, err := s.Store.PlaceOrder(ctx, &o, "Orders of "+snap.Channel(in.Channel).Title(), lines, uses)
	s.uses.Forget()
	return orderAnswer(&o, again, refusedUse(err))
}

// orderAnswer is the answer that is kept with an order.
func orderAnswer(o *store.Order, again bool, refused error) (*status[OrderAnswer], error) {
	if refused != nil {
		return nil, refused
	}
	var answer OrderAnswer
	if err := json.Unmarshal([]byte(o.Answer), &answer); err != nil {
		return nil, fmt.Errorf("read the answer to the order %q: %w", o.Key, err)
	}
	return keptOnce(answer, again), nil
}

// mostMailed bounds how many reduced goods a mail names: it is read as a sentence.
const mostMailed = 4

// messageOf is what a customer is told of an offer that a purchase opened; false where it tells nothing.
func messageOf(
	snap *book.Snapshot,
	in *pricing.Scope,
	x basket.Opening,
	customer string,
	reduced *storefront.DealGoods,
	link *publish.Link,
) (mail.Message, bool) {
	show := x.Rule.Show
	if show == nil || show.Message == "" {
		return mail.Message{}, false
	}
	f := mail.Fields{Goods: x.SKU, Until: (x.Until - pricing.Minute).Format("2 January 2006")}
	if p := snap.Product(x.SKU); p != nil && p.Name != "" {
		f.Goods = p.Name
	}
	for i := range snap.Book.Customers {
		if c := &snap.Book.Customers[i]; c.Code == customer {
			f.Name = cmp.Or(c.Name, c.Code)
		}
	}
	named := reduced.Goods[:min(len(reduced.Goods), mostMailed)]
	for _, g := range named {
		f.Rewarded = append(f.Rewarded, mail.Goods{Name: cmp.Or(g.Name, g.SKU), Page: link.PageOf(g.SKU)})
	}
	f.More = reduced.Many - len(named)
	return mail.Write(storefront.Label(x.Rule, in), show.Message, f), true
}
