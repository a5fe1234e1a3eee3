package server

import (
	"context"
	"slices"

	"github.com/danielgtaylor/huma/v2"

	"dogbane/internal/codes"
	"dogbane/internal/pricing"
	"dogbane/internal/publish"
	"dogbane/internal/store"
)

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

func (s *Server) redeem(ctx context.Context, in *struct {
	ChannelCall
	Body RedemptionForm
}) (*status[Redemption], error) {
	f := &in.Body
	key, content, err := s.counts(ctx, &in.ChannelCall, f.Key, f)
	if err != nil {
		return nil, err
	}
	if f.Customer != "" && !key.May(mayCustomers) {
		return nil, huma.Error403Forbidden("This key may not name customers.")
	}
	u := codes.Use{Channel: in.Channel, Key: f.Key, Rule: f.Rule, Code: f.Code, Customer: f.Customer, Applications: 1,
		Content: content, At: s.Clocks.Book().UTC()}
	if was, again, err := s.Store.Redeemed(ctx, u); again || err != nil {
		return redemption(was, again), refusedUse(err)
	}
	snap, err := s.published(ctx, in.Channel)
	if err != nil {
		return nil, err
	}
	rule := snap.Rule(f.Rule)
	if rule == nil || rule.Offer == nil {
		return nil, invalid("rule", "There is no such offer in the book.")
	}
	if err := s.codeOf(ctx, rule, f.Code); err != nil {
		return nil, err
	}
	if len(f.Basket) > 0 {
		if err := s.usedIn(ctx, snap, key, f, &u); err != nil {
			return nil, err
		}
	}
	defer s.uses.Forget()
	was, again, err := s.Store.Redeem(ctx, u, codes.BoundsOf(rule.Offer))
	return redemption(was, again), refusedUse(err)
}

func redemption(u codes.Use, again bool) *status[Redemption] {
	return keptOnce(Redemption{u.Key, u.Rule, u.Code, u.Customer, u.Applications}, again)
}

// usedIn takes from the basket that a use comes with whose it is and how often the offer applies to it.
func (s *Server) usedIn(ctx context.Context, snap *publish.Quoted, key store.ChannelKey, f *RedemptionForm,
	u *codes.Use) error {
	q, err := s.quoted(ctx, snap, key, f.Basket, "basket.", f.Customer)
	if err != nil {
		return err
	}
	u.Customer, q.Used = q.Customer, nil
	if f.Code != "" && !slices.Contains(q.Codes, f.Code) {
		q.Codes = append(q.Codes, f.Code)
		if q.Listed, err = s.Store.CodeRules(ctx, q.Codes); err != nil {
			return err
		}
	}
	a, err := priceIn(snap, q, "basket.")
	if err != nil {
		return err
	}
	for _, o := range a.Offers {
		if o.Rule == f.Rule {
			u.Applications = o.Applications
		}
	}
	return nil
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
