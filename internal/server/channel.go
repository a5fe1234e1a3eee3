package server

import (
	"bytes"
	"cmp"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	"dogbane/internal/book"
	"dogbane/internal/bookfile"
	"dogbane/internal/codes"
	"dogbane/internal/intake"
	"dogbane/internal/mail"
	"dogbane/internal/pricing"
	"dogbane/internal/pricing/basket"
	"dogbane/internal/store"
)

// QuoteDoc is what a channel's program asks: a basket question without channel, moment and drafts (docs/book.md).
type QuoteDoc json.RawMessage

// MarshalJSON writes the document as it is.
func (d QuoteDoc) MarshalJSON() ([]byte, error) { return json.RawMessage(d).MarshalJSON() }

// UnmarshalJSON keeps the document as it is.
func (d *QuoteDoc) UnmarshalJSON(data []byte) error {
	*d = append((*d)[:0], data...)
	return nil
}

// Schema says that it is an object.
func (QuoteDoc) Schema(huma.Registry) *huma.Schema {
	return &huma.Schema{Type: "object", AdditionalProperties: true,
		Description: "lines, codes, shipping, explain; customer, group, groups, country, firstOrder, signedIn, history as the key allows; see docs/book.md"}
}

// RedemptionForm is a use of an offer that is to be counted.
type RedemptionForm struct {
	Key      string   `json:"key" doc:"the channel's own name of the use; the same again is counted once"`
	Rule     string   `json:"rule"`
	Code     string   `json:"code,omitempty"`
	Customer string   `json:"customer,omitempty"`
	Basket   QuoteDoc `json:"basket,omitempty" doc:"what was bought: how often the offer applies to it is counted"`
}

// Redemption is a use that is counted.
type Redemption struct {
	Key          string `json:"key"`
	Rule         string `json:"rule"`
	Code         string `json:"code,omitempty"`
	Customer     string `json:"customer,omitempty"`
	Applications int    `json:"applications"`
}

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
	Rule  string `json:"rule"`
	Name  string `json:"name"`
	Goods string `json:"goods" doc:"the SKU of what was bought"`
	Until string `json:"until" doc:"from then on it is shut"`
}

// status is an answer with its status.
type status[T any] struct {
	Status int
	Body   T
}

func (s *Server) registerChannel(api huma.API) {
	answers(api, anybody, http.MethodPost, "/channel/{channel}/quote", s.quote, unchecked, upTo(1<<20))
	on(api, anybody, http.MethodPost, "/channel/{channel}/redemptions", s.redeem, unchecked, upTo(1<<20))
	does(api, anybody, http.MethodDelete, "/channel/{channel}/redemptions/{use}", func(ctx context.Context, in *struct {
		ChannelCall
		Use string `path:"use"`
	}) error {
		if _, err := s.caller(ctx, &in.ChannelCall, mayRedeem); err != nil {
			return err
		}
		defer s.uses.Forget()
		return s.Store.GiveBack(ctx, in.Channel, in.Use, s.Clocks.Book().UTC())
	})
	on(api, anybody, http.MethodPost, "/channel/{channel}/orders", s.order, unchecked, upTo(1<<20))
	does(api, anybody, http.MethodDelete, "/channel/{channel}/orders/{order}", func(ctx context.Context, in *struct {
		ChannelCall
		Order string `path:"order"`
	}) error {
		if _, err := s.caller(ctx, &in.ChannelCall, mayRedeem); err != nil {
			return err
		}
		defer s.buyers.Forget()
		defer s.uses.Forget()
		return s.Store.CancelOrder(ctx, in.Channel, in.Order, s.Clocks.Book().UTC())
	})
}

func (s *Server) quote(ctx context.Context, in *struct {
	ChannelCall
	Body QuoteDoc
}) (*bookfile.BasketAnswer, error) {
	key, err := s.caller(ctx, &in.ChannelCall, mayQuote)
	if err != nil {
		return nil, err
	}
	snap := s.Live.Current()
	if snap.Channel(in.Channel) == nil {
		return nil, huma.Error401Unauthorized("The channel is no longer in the book.")
	}
	q, err := s.quoted(ctx, snap, key, in.Body, "")
	if err != nil {
		return nil, err
	}
	a, err := snap.Baskets().Price(q)
	if err != nil {
		return nil, err
	}
	return bookfile.BasketAnswerOf(a).WithoutCosts(), nil
}

// quoted is the question of a quote, with what is kept beside the book. Errors are located below at.
func (s *Server) quoted(ctx context.Context, snap *book.Snapshot, key store.ChannelKey, doc QuoteDoc,
	at string) (basket.Question, error) {
	asked, err := bookfile.DecodeQuote(doc)
	if err != nil {
		var errs bookfile.Errors
		if errors.As(err, &errs) {
			for i := range errs {
				errs[i].Path = strings.TrimSuffix(at+errs[i].Path, ".")
			}
		}
		return asked.Question, err
	}
	q := asked.Question
	if (q.Customer != "" || len(q.Groups) > 0) && !key.May(mayCustomers) {
		return q, huma.Error403Forbidden("This key may not ask for customers or groups.")
	}
	q.Channel = key.Channel
	q.At = pricing.MomentOf(s.Clocks.Book().In(snap.Zone))
	if q.Customer != "" && (!asked.SaysHistory || !asked.SaysFirst) {
		known := q.Viewpoint
		if err := s.buyers.KnowAll(ctx, snap, &known); err != nil {
			return q, err
		}
		if !asked.SaysHistory {
			q.History = known.History
		}
		if !asked.SaysFirst {
			q.FirstOrder = known.FirstOrder
		}
	}
	return q, codes.Know(ctx, s.uses, snap.Baskets(), &q)
}

// useKey checks the name that a channel gives to what is to be kept once.
func useKey(key string) error {
	if key == "" || len(key) > 150 || strings.ContainsFunc(key, func(r rune) bool { return r < ' ' || r == 0x7f }) {
		return invalid("key", "A key is 1 to 150 characters.")
	}
	return nil
}

// contentOf names what was asked, whatever blanks and order of keys it was written with.
func contentOf(v any) (string, error) {
	data, err := json.Marshal(v)
	if err != nil {
		return "", fmt.Errorf("read a request again: %w", err)
	}
	d := json.NewDecoder(bytes.NewReader(data))
	d.UseNumber()
	var plain any
	if err := d.Decode(&plain); err != nil {
		return "", fmt.Errorf("read a request again: %w", err)
	}
	if data, err = json.Marshal(plain); err != nil {
		return "", fmt.Errorf("read a request again: %w", err)
	}
	sum := sha256.Sum256(data)
	return hex.EncodeToString(sum[:]), nil
}

func (s *Server) redeem(ctx context.Context, in *struct {
	ChannelCall
	Body RedemptionForm
}) (*status[Redemption], error) {
	key, err := s.caller(ctx, &in.ChannelCall, mayRedeem)
	if err != nil {
		return nil, err
	}
	f := &in.Body
	if err := useKey(f.Key); err != nil {
		return nil, err
	}
	if f.Customer != "" && !key.May(mayCustomers) {
		return nil, huma.Error403Forbidden("This key may not name customers.")
	}
	content, err := contentOf(f)
	if err != nil {
		return nil, err
	}
	snap := s.Live.Current()
	rule := snap.Rule(f.Rule)
	if rule == nil || rule.Offer == nil {
		return nil, invalid("rule", "There is no such offer in the book.")
	}
	if err := s.codeOf(ctx, rule, f.Code); err != nil {
		return nil, err
	}
	u := codes.Use{Channel: in.Channel, Key: f.Key, Rule: f.Rule, Code: f.Code, Customer: f.Customer, Applications: 1,
		Content: content, At: s.Clocks.Book().UTC()}
	if len(f.Basket) > 0 {
		q, err := s.quoted(ctx, snap, key, f.Basket, "basket.")
		if err != nil {
			return nil, err
		}
		q.Used, q.Customer = nil, f.Customer
		if f.Code != "" && !slices.Contains(q.Codes, f.Code) {
			q.Codes = append(q.Codes, f.Code)
			if q.Listed, err = s.Store.CodeRules(ctx, q.Codes); err != nil {
				return nil, err
			}
		}
		a, err := snap.Baskets().Price(q)
		if err != nil {
			return nil, err
		}
		for _, o := range a.Offers {
			if o.Rule == f.Rule {
				u.Applications = o.Applications
			}
		}
	}
	defer s.uses.Forget()
	was, again, err := s.Store.Redeem(ctx, u, codes.BoundsOf(rule.Offer))
	if err != nil {
		return nil, refusedUse(err)
	}
	out := &status[Redemption]{http.StatusCreated, Redemption{was.Key, was.Rule, was.Code, was.Customer, was.Applications}}
	if again {
		out.Status = http.StatusOK
	}
	return out, nil
}

// codeOf checks that a code is one of an offer's, and that there is none where the offer wants none.
func (s *Server) codeOf(ctx context.Context, rule *pricing.Rule, code string) error {
	c := rule.Offer.Codes
	switch {
	case c == nil && code != "":
		return invalid("code", "This offer wants no code.")
	case c == nil || slices.Contains(c.Words, code):
		return nil
	case code == "":
		return invalid("code", "This offer wants a code.")
	case c.Listed:
		rules, err := s.Store.CodeRules(ctx, []string{code})
		if err != nil || slices.Contains(rules[code], rule.Code) {
			return err
		}
	}
	return invalid("code", "This code does not open the offer.")
}

// refusedUse says why a use cannot be counted.
func refusedUse(err error) error {
	var used *codes.UsedUpError
	var other *codes.OtherUseError
	switch {
	case errors.As(err, &used):
		return huma.Error409Conflict(used.What)
	case errors.As(err, &other):
		return huma.Error409Conflict(other.Problem)
	}
	return err
}

func (s *Server) order(ctx context.Context, in *struct {
	ChannelCall
	Body OrderForm
}) (*status[json.RawMessage], error) {
	key, err := s.caller(ctx, &in.ChannelCall, mayRedeem)
	if err != nil {
		return nil, err
	}
	f := &in.Body
	if err := useKey(f.Key); err != nil {
		return nil, err
	}
	if f.Email != "" {
		if err := mail.Check(f.Email); err != nil {
			return nil, invalid("email", "This "+err.Error()+".")
		}
	}
	content, err := contentOf(f)
	if err != nil {
		return nil, err
	}
	snap := s.Live.Current()
	q, err := s.quoted(ctx, snap, key, f.Basket, "basket.")
	if err != nil {
		return nil, err
	}
	a, err := snap.Baskets().Price(q)
	if err != nil {
		return nil, err
	}
	if len(a.Lines) == 0 {
		return nil, invalid("basket.lines", "There is nothing in the basket.")
	}
	now := s.Clocks.Book().UTC()
	o := store.Order{Channel: in.Channel, Key: f.Key, Content: content, At: now}
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
	opened := snap.Baskets().OpenedBy(q.Viewpoint, bought)
	answer := OrderAnswer{Key: f.Key, Answer: *bookfile.BasketAnswerOf(a).WithoutCosts(), Opens: []OpenedOffer{}}
	for _, x := range opened {
		if m, tells := messageOf(snap, x, q.Customer); tells && f.Email != "" && s.Mail.Ready() {
			m.To = f.Email
			o.Mails = append(o.Mails, m)
		}
		answer.Opens = append(answer.Opens, OpenedOffer{x.Rule.Code, x.Rule.Title(), x.SKU, x.Until.String()})
	}
	text, err := json.Marshal(answer)
	if err != nil {
		return nil, fmt.Errorf("write the answer to an order: %w", err)
	}
	o.Answer = string(text)
	again, err := s.Store.PlaceOrder(ctx, &o, "Orders of "+snap.Channel(in.Channel).Title(), lines, uses)
	if err != nil {
		return nil, refusedUse(err)
	}
	s.buyers.Forget()
	s.uses.Forget()
	out := &status[json.RawMessage]{http.StatusCreated, json.RawMessage(o.Answer)}
	if again {
		out.Status = http.StatusOK
	}
	return out, nil
}

// messageOf is what a customer is told of an offer that a purchase opened; false where it tells nothing.
func messageOf(snap *book.Snapshot, x basket.Opening, customer string) (mail.Message, bool) {
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
	return mail.Write(cmp.Or(show.Label, x.Rule.Title()), show.Message, f), true
}
