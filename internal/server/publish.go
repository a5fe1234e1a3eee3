package server

import (
	"context"
	"fmt"
	"net/http"
	"slices"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"dogbane/internal/money"
	"dogbane/internal/pricing"
	"dogbane/internal/publish"
	"dogbane/internal/store"
)

// ChannelDifferences are what publishing to a channel now would change.
type ChannelDifferences struct {
	Version  int64        `json:"version"`
	Channel  string       `json:"channel"`
	Name     string       `json:"name"`
	Address  string       `json:"address" doc:"where the channel is reached"`
	Page     string       `json:"page,omitempty" doc:"where people see its prices"`
	Currency string       `json:"currency"`
	At       string       `json:"at"`
	Same     int          `json:"same"`
	Unpriced int          `json:"unpriced" doc:"products without a price there"`
	Rows     []Difference `json:"rows"`
}

// Difference is one product whose price in the channel is not what the book says.
type Difference struct {
	SKU       string   `json:"sku"`
	Name      string   `json:"name"`
	Kind      string   `json:"kind" enum:"new,up,down,reference,tags,gone"`
	Was       *string  `json:"was"`
	Price     *string  `json:"price"`
	Reference *string  `json:"reference" doc:"the price that it is shown as reduced from"`
	Change    *string  `json:"change"`
	Cost      *string  `json:"cost"`
	Amount    *string  `json:"marginAmount" doc:"net less fee and cost"`
	Blocked   bool     `json:"blocked" doc:"below cost: needs a reason, or is left out"`
	Rules     []string `json:"rules"`
	Category  string   `json:"category"`
}

// PublicationAnswer is a publication.
type PublicationAnswer struct {
	ID       int64  `json:"id"`
	Channel  string `json:"channel"`
	Version  int64  `json:"version"`
	Started  string `json:"started"`
	Ended    string `json:"ended,omitempty"`
	Who      string `json:"who"`
	Status   string `json:"status" enum:"sending,done,partly,failed,broken-off"`
	Problem  string `json:"problem,omitempty"`
	Rows     int    `json:"rows"`
	Answered int    `json:"answered"`
	Refused  int    `json:"refused"`

	Answers []RowAnswer `json:"answers,omitempty"`
}

// RowAnswer is what the channel said to one row.
type RowAnswer struct {
	SKU       string  `json:"sku"`
	Name      string  `json:"name"`
	Kind      string  `json:"kind"`
	Was       *string `json:"was"`
	Price     *string `json:"price"`
	Reference *string `json:"reference"`
	Override  string  `json:"override,omitempty" doc:"the reason given for a price below cost"`
	Answer    string  `json:"answer" enum:",taken,refused,failed"`
	Message   string  `json:"message,omitempty"`
}

// PublicationOrder is what is to be sent.
type PublicationOrder struct {
	Version   int64             `json:"version" doc:"of the differences that were looked at"`
	Overrides map[string]string `json:"overrides,omitempty" doc:"reason by SKU, for prices below cost"`
	LeaveOut  []string          `json:"leaveOut,omitempty" doc:"SKUs that are not sent this time"`
	Only      []string          `json:"only,omitempty" doc:"the SKUs that are sent, where not all; the rest stays due"`
}

// PublicationList is the newest publications, newest first.
type PublicationList struct {
	Publications []PublicationAnswer `json:"publications"`
}

// PriceHistory is what a channel showed for a product.
type PriceHistory struct {
	Spans []PriceSpan `json:"spans" doc:"newest first"`
}

// longestReason is how many characters the reason for a price below cost may have.
const longestReason = 500

// ChannelQuery names a channel.
type ChannelQuery struct {
	Channel string `path:"channel"`
}

// PublishQuery sends prices to a channel.
type PublishQuery struct {
	ChannelQuery
	Body PublicationOrder
}

func (s *Server) registerPublish(api huma.API) {
	get(api, "/api/channels/{channel}/differences", func(ctx context.Context, in *ChannelQuery) (ChannelDifferences,
		error) {
		return s.channelDifferences(ctx, in.Channel)
	})
	answers(api, store.Manager, http.MethodPost, "/api/channels/{channel}/publications", s.publish,
		answering(http.StatusAccepted), upTo(largestEdit))
	get(api, "/api/publications", func(ctx context.Context, in *struct {
		Channel string `query:"channel"`
	}) (PublicationList, error) {
		recent, err := s.Store.Publications(ctx, in.Channel, 30)
		if err != nil {
			return PublicationList{}, err
		}
		list, err := s.publications(ctx, recent)
		return PublicationList{list}, err
	})
	get(api, "/api/publications/{id}", func(ctx context.Context, in *struct {
		ID int64 `path:"id"`
	}) (PublicationAnswer, error) {
		return s.publication(ctx, in.ID)
	})
	get(api, "/api/channels/{channel}/history", func(ctx context.Context, in *struct {
		ChannelQuery
		SKU string `query:"sku" required:"true"`
	}) (PriceHistory, error) {
		return s.priceHistory(ctx, in.Channel, in.SKU)
	})
}

func (s *Server) publish(ctx context.Context, in *PublishQuery) (PublicationAnswer, error) {
	snap := s.Live.Current()
	if len(in.Body.Overrides) > 0 && !personOf(ctx).Role.May(store.Approver) {
		return PublicationAnswer{}, huma.Error403Forbidden(
			"Sending prices below cost needs an approver. Leave them out, or ask one.")
	}
	for sku, reason := range in.Body.Overrides {
		reason = strings.TrimSpace(reason)
		if reason == "" || len([]rune(reason)) > longestReason {
			return PublicationAnswer{}, invalid("overrides."+sku, fmt.Sprintf(
				"Write why this is sent below cost, in 1 to %d characters.", longestReason))
		}
		in.Body.Overrides[sku] = reason
	}
	if in.Body.Version != snap.Version {
		return PublicationAnswer{}, huma.Error409Conflict(
			"The book has changed since you looked at the differences. Look again before sending.")
	}
	d, err := s.Shows.Differences(ctx, snap, in.Channel, s.moment(snap))
	if err != nil {
		return PublicationAnswer{}, err
	}
	p, err := s.Publisher.Start(ctx, snap.Engine, d, publish.Order{Who: personOf(ctx).Name, Version: snap.Version,
		Overrides: in.Body.Overrides, LeaveOut: in.Body.LeaveOut, Only: in.Body.Only})
	if err != nil {
		return PublicationAnswer{}, err
	}
	list, err := s.publications(ctx, []publish.Publication{p})
	if err != nil {
		return PublicationAnswer{}, err
	}
	return list[0], nil
}

func (s *Server) priceHistory(ctx context.Context, channel, sku string) (PriceHistory, error) {
	history, err := s.Store.PriceHistory(ctx, channel, sku)
	out := PriceHistory{Spans: []PriceSpan{}}
	for _, h := range history {
		digits, _ := money.Digits(h.Currency)
		span := PriceSpan{Price: fixed(h.Price, digits), Reference: fixed(h.Reference, digits), Currency: h.Currency,
			From: s.wall(h.From), Publication: h.Publication}
		if h.Until != nil {
			span.Until = s.wall(*h.Until)
		}
		out.Spans = append(out.Spans, span)
	}
	return out, err
}

// PriceSpan is a price that a channel showed for a time.
type PriceSpan struct {
	Price       *string `json:"price"`
	Reference   *string `json:"reference"`
	Currency    string  `json:"currency"`
	From        string  `json:"from"`
	Until       string  `json:"until,omitempty"`
	Publication int64   `json:"publication"`
}

func fixed(a *money.Rat, digits int) *string {
	if a == nil {
		return nil
	}
	text := a.Fixed(digits)
	return &text
}

func (s *Server) channelDifferences(ctx context.Context, channel string) (ChannelDifferences, error) {
	snap := s.Live.Current()
	i := slices.IndexFunc(snap.Book.Channels, func(c pricing.Channel) bool { return c.Code == channel })
	if i < 0 {
		return ChannelDifferences{}, store.ErrNotFound
	}
	d, err := s.Shows.Differences(ctx, snap, channel, s.moment(snap))
	if err != nil {
		return ChannelDifferences{}, err
	}
	links, err := s.Store.Links(ctx)
	if err != nil {
		return ChannelDifferences{}, err
	}
	out := ChannelDifferences{Version: snap.Version, Channel: channel, Name: snap.Book.Channels[i].Name,
		Address: links[channel].Address, Page: links[channel].Page(),
		Currency: d.Currency, At: d.At.String(), Same: d.Same, Unpriced: d.Unpriced, Rows: []Difference{}}
	for j := range d.Rows {
		r := &d.Rows[j]
		row := Difference{SKU: r.SKU, Name: r.Name, Kind: string(r.Kind), Was: fixed(r.Was, d.Digits),
			Price: fixed(r.Price, d.Digits), Reference: fixed(r.Reference, d.Digits),
			Cost: fixed(r.Cost, d.Digits), Amount: fixed(r.Margin, d.Digits), Blocked: r.Blocked(),
			Rules: append([]string{}, r.Rules...)}
		if n, exists := snap.Engine.ProductNumber(r.SKU); exists {
			row.Category = snap.Engine.Products()[n].Category
		}
		if r.Was != nil && r.Price != nil {
			change := r.Price.Sub(*r.Was)
			row.Change = fixed(&change, d.Digits)
		}
		out.Rows = append(out.Rows, row)
	}
	return out, nil
}

// publications are some, without their rows.
func (s *Server) publications(ctx context.Context, list []publish.Publication) ([]PublicationAnswer, error) {
	ids := make([]int64, len(list))
	for i := range list {
		ids[i] = list[i].ID
	}
	counts, err := s.Store.CountRows(ctx, ids)
	if err != nil {
		return nil, err
	}
	out := []PublicationAnswer{}
	for i := range list {
		p, n := &list[i], counts[list[i].ID]
		one := PublicationAnswer{ID: p.ID, Channel: p.Channel, Version: p.Version, Started: s.wall(p.Started), Who: p.Who,
			Status: string(p.Status), Problem: p.Problem,
			Rows: n.Rows, Answered: n.Answered, Refused: n.Refused}
		if p.Ended != nil {
			one.Ended = s.wall(p.Ended.In(time.UTC))
		}
		out = append(out, one)
	}
	return out, nil
}

func (s *Server) publication(ctx context.Context, id int64) (PublicationAnswer, error) {
	p, rows, err := s.Store.Publication(ctx, id)
	if err != nil {
		return PublicationAnswer{}, err
	}
	list, err := s.publications(ctx, []publish.Publication{p})
	if err != nil {
		return PublicationAnswer{}, err
	}
	out := list[0]
	engine := s.Live.Current().Engine
	for _, r := range rows {
		digits, _ := money.Digits(r.Currency)
		row := RowAnswer{SKU: r.SKU, Kind: string(r.Kind), Was: fixed(r.Was, digits), Price: fixed(r.Price, digits),
			Reference: fixed(r.Reference, digits), Override: r.Override, Answer: r.Answer, Message: r.Message}
		if n, exists := engine.ProductNumber(r.SKU); exists {
			row.Name = engine.Products()[n].Name
		}
		out.Answers = append(out.Answers, row)
	}
	return out, nil
}
