package server

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	"dogbane/internal/bookfile"
	"dogbane/internal/codes"
	"dogbane/internal/pricing"
	"dogbane/internal/pricing/basket"
	"dogbane/internal/publish"
	"dogbane/internal/store"
	"dogbane/internal/storefront"
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

// status is an answer with its status.
type status[T any] struct {
	Status int
	Body   T
}

func (s *Server) registerChannel(api huma.API) {
	answers(api, anybody, http.MethodPost, "/channel/{channel}/quote", s.quote, unchecked, upTo(1<<20))
	on(api, anybody, http.MethodPost, "/channel/{channel}/redemptions", s.redeem, unchecked, upTo(1<<20),
		answering(http.StatusCreated))
	does(api, anybody, http.MethodDelete, "/channel/{channel}/redemptions/{use}", func(ctx context.Context, in *struct {
		ChannelCall
		Use string `path:"use"`
	}) error {
		if _, err := s.caller(ctx, &in.ChannelCall, mayRedeem); err != nil {
			return err
		}
		defer s.uses.Forget()
		return refusedUse(s.Store.GiveBack(ctx, in.Channel, in.Use, s.Clocks.Book().UTC()))
	})
	on(api, anybody, http.MethodPost, "/channel/{channel}/orders", s.order, unchecked, upTo(1<<20),
		answering(http.StatusCreated))
	does(api, anybody, http.MethodDelete, "/channel/{channel}/orders/{order}", func(ctx context.Context, in *struct {
		ChannelCall
		Order string `path:"order"`
	}) error {
		if _, err := s.caller(ctx, &in.ChannelCall, mayRedeem); err != nil {
			return err
		}
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
	if s.Live.Current().Channel(in.Channel) == nil {
		return nil, huma.Error401Unauthorized("The channel is no longer in the book.")
	}
	snap, err := s.published(ctx, in.Channel)
	if err != nil {
		return nil, err
	}
	q, err := s.quoted(ctx, snap, key, in.Body, "", "")
	if err != nil {
		return nil, err
	}
	a, err := snap.Baskets().Price(q)
	if err != nil {
		return nil, err
	}
	return receipt(snap, q.Viewpoint, a)
}

// quoted is the question of a quote, with what is kept beside the book; a customer may be named beside it. Errors are
// located below at.
func (s *Server) quoted(ctx context.Context, snap *publish.Quoted, key store.ChannelKey, doc QuoteDoc,
	at, customer string) (basket.Question, error) {
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
	if q.Customer == "" {
		q.Customer = customer
	} else if customer != "" && customer != q.Customer {
		return q, invalid(at+"customer", "Another customer is named beside the basket.")
	}
	if (q.Customer != "" || len(q.Groups) > 0) && !key.May(mayCustomers) {
		return q, huma.Error403Forbidden("This key may not ask for customers or groups.")
	}
	q.Channel, q.Told = key.Channel, snap.Told
	q.At = snap.Present(s.Clocks.Book())
	if q.Customer != "" && (!asked.SaysHistory || !asked.SaysFirst) {
		known := q.Viewpoint
		if err := s.buyers.KnowAll(ctx, snap.Snapshot, &known); err != nil {
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

// receipt is an answer as customers read it.
func receipt(snap *publish.Quoted, vp pricing.Viewpoint, a *basket.Answer) (*bookfile.BasketAnswer, error) {
	scope, err := snap.Engine.Scope(vp)
	if err != nil {
		return nil, err
	}
	out := bookfile.BasketAnswerOf(a).WithoutCosts()
	storefront.Name(out, scope, snap.Rule)
	return out, nil
}

// published is what a channel's customers are quoted from.
func (s *Server) published(ctx context.Context, channel string) (*publish.Quoted, error) {
	return s.Desk.Quoted(ctx, s.Live.Current(), channel)
}

// priceIn prices a basket of the published book. Errors are located below at.
func priceIn(snap *publish.Quoted, q basket.Question, at string) (*basket.Answer, error) {
	a, err := snap.Baskets().Price(q)
	var wrong *pricing.QuestionError
	if errors.As(err, &wrong) {
		return nil, &pricing.QuestionError{Path: at + wrong.Path, Problem: wrong.Problem}
	}
	return a, err
}

// useKey checks the name that a channel gives to what is to be kept once.
func useKey(key string) error {
	if key == "" || len(key) > 150 || strings.ContainsFunc(key, func(r rune) bool { return r < ' ' || r == 0x7f }) {
		return invalid("key", "A key is 1 to 150 characters.")
	}
	return nil
}

// counts lets a program in that wants something counted once under a key of its own, and names what it asks.
func (s *Server) counts(ctx context.Context, call *ChannelCall, own string, form any) (key store.ChannelKey,
	content string, err error) {
	if key, err = s.caller(ctx, call, mayRedeem); err != nil {
		return key, "", err
	}
	if err := useKey(own); err != nil {
		return key, "", err
	}
	content, err = contentOf(form)
	return key, content, err
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

// keptOnce is the answer to what is kept once by its key.
func keptOnce[T any](answer T, again bool) *status[T] {
	if again {
		return &status[T]{http.StatusOK, answer}
	}
	return &status[T]{http.StatusCreated, answer}
}
