package server

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
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

// EditForm is a set of changes of the book that belong together: all are saved, or none.
type EditForm struct {
	Changes []EditChange `json:"changes" minItems:"1" maxItems:"1000"`
	At      string       `json:"at,omitempty" doc:"the moment whose prices are compared in a preview; empty: now"`
	Summary string       `json:"summary,omitempty" maxLength:"300" doc:"for the log; empty: it is worded here"`
}

// EditChange writes or deletes one piece.
type EditChange struct {
	Kind string   `json:"kind" enum:"settings,groups,customers,ranges,ladders,campaigns,channels,products,rules"`
	Code string   `json:"code" doc:"empty for the settings"`
	ETag string   `json:"etag,omitempty" doc:"of the state that this is based on; empty: the piece is new"`
	Doc  *ItemDoc `json:"doc,omitempty" doc:"absent: the piece is deleted"`
}

// EditEffect is what an edit would do.
type EditEffect struct {
	Errors []DocError      `json:"errors" doc:"what keeps it from being saved; the rest is empty then"`
	At     string          `json:"at" doc:"the moment looked at"`
	Prices []ChannelEffect `json:"prices"`
	Checks []BrokenCheck   `json:"checks" doc:"checks that hold now and would not"`
}

// ChannelEffect is what happens to the prices of a channel, for a guest who buys one piece or for somebody whom the edit
// is about.
type ChannelEffect struct {
	Channel  string  `json:"channel"`
	Name     string  `json:"name"`
	Who      string  `json:"who,omitempty" doc:"group:CODE or customer:CODE; absent: a guest"`
	Quantity int     `json:"quantity"`
	Moved    int     `json:"moved"`
	Below    int     `json:"below" doc:"moved prices that lie below cost afterwards"`
	NewBelow int     `json:"newBelow" doc:"prices that come to lie below cost"`
	Cleared  int     `json:"cleared" doc:"prices that no longer lie below cost"`
	MarginA  *string `json:"marginBefore" doc:"mean margin in percent of the moved prices"`
	MarginB  *string `json:"marginAfter"`
}

func (s *Server) registerEdits(api huma.API) {
	huma.Register(api, huma.Operation{Method: http.MethodPost, Path: "/api/edit/preview", MaxBodyBytes: largestFile}, func(ctx context.Context, in *struct{ Body EditForm }) (*body[EditEffect], error) {
		return answer(s.previewEdit(ctx, &in.Body))
	})
	huma.Register(api, huma.Operation{Method: http.MethodPost, Path: "/api/edit", MaxBodyBytes: largestFile, Errors: []int{412}}, func(ctx context.Context, in *struct{ Body EditForm }) (*body[Saved], error) {
		snap := s.live.Current()
		changes, _, err := s.edited(snap, in.Body.Changes)
		if err != nil {
			return nil, asProblem(err)
		}
		if len(changes) == 0 {
			return nil, huma.Error409Conflict("This changes nothing.")
		}
		return s.commit(ctx, cmp.Or(in.Body.Summary, editWords(in.Body.Changes)), changes)
	})
}

// editWords words an edit for the log.
func editWords(changes []EditChange) string {
	if len(changes) > 1 {
		return fmt.Sprintf("Changed %d pieces together", len(changes))
	}
	c := changes[0]
	verb := "Changed"
	switch {
	case c.Kind == store.Settings:
		return "Changed the settings"
	case c.Doc == nil:
		verb = "Deleted"
	case c.ETag == "":
		verb = "Made"
	}
	return fmt.Sprintf("%s the %s “%s”", verb, strings.TrimSuffix(c.Kind, "s"), cmp.Or(nameIn(c.Doc), c.Code))
}

func nameIn(doc *ItemDoc) string {
	var head struct{ Name string }
	if doc == nil || json.Unmarshal(*doc, &head) != nil {
		return ""
	}
	return head.Name
}

// edited turns an edit into changes of the saved book and makes the book that they lead to. Documents come out as the
// encoder writes them; pieces that stay as they are are left out.
func (s *Server) edited(snap *store.Snapshot, edits []EditChange) ([]store.Change, *pricing.Book, error) {
	var changes []store.Change
	for _, e := range edits {
		now := snap.Doc(e.Kind, e.Code)
		switch {
		case now == nil && e.ETag != "":
			return nil, nil, &store.Conflict{Kind: e.Kind, Code: e.Code}
		case now == nil && e.Doc == nil:
			return nil, nil, store.ErrNotFound
		case now != nil && e.ETag == "":
			return nil, nil, bookfile.Errors{{Path: "code", Problem: fmt.Sprintf("there is one with the code %q already", e.Code)}}
		case now != nil && e.ETag != etag(now):
			return nil, nil, &store.Conflict{Kind: e.Kind, Code: e.Code, Now: now}
		}
		c := store.Change{Kind: e.Kind, Code: e.Code, Before: now}
		if e.Doc != nil {
			var head struct{ Code, SKU string }
			if err := json.Unmarshal(*e.Doc, &head); err == nil && e.Kind != store.Settings && cmp.Or(head.Code, head.SKU) != e.Code {
				return nil, nil, bookfile.Errors{{Path: "code", Problem: "write a code", Value: head.Code}}
			}
			if e.Kind == store.Products {
				if err := gtinFits(*e.Doc, now); err != nil {
					return nil, nil, err
				}
			}
			c.After = json.RawMessage(*e.Doc)
		}
		changes = append(changes, c)
	}
	next, err := store.Apply(snap.Book, changes)
	if err != nil {
		if len(edits) == 1 {
			err = itemErrors(err, edits[0].Kind)
		}
		return nil, nil, err
	}
	made := store.NewPieces(next)
	for i := range changes {
		if changes[i].After != nil {
			changes[i].After = made.Doc(changes[i].Kind, changes[i].Code)
		}
	}
	changes = slices.DeleteFunc(changes, func(c store.Change) bool { return string(c.Before) == string(c.After) })
	return changes, next, nil
}

// gtinFits refuses a GTIN that is mistyped; one that stands there already may stay.
func gtinFits(doc, now []byte) error {
	var next, old struct{ GTIN string }
	if json.Unmarshal(doc, &next) != nil || next.GTIN == "" {
		return nil
	}
	_ = json.Unmarshal(now, &old)
	if err := intake.CheckGTIN(next.GTIN); err != nil && next.GTIN != old.GTIN {
		return bookfile.Errors{{Path: "gtin", Problem: err.Error(), Value: next.GTIN}}
	}
	return nil
}

func (s *Server) previewEdit(ctx context.Context, form *EditForm) (EditEffect, error) {
	snap := s.live.Current()
	out := EditEffect{Errors: []DocError{}, Prices: []ChannelEffect{}, Checks: []BrokenCheck{}}
	at := s.moment(snap)
	if form.At != "" {
		var err error
		if at, err = pricing.ParseMoment(form.At); err != nil {
			return out, invalid("at", err.Error())
		}
	}
	changes, next, err := s.edited(snap, form.Changes)
	if err != nil {
		out.Errors, err = docErrors(err)
		return out, err
	}
	return s.effect(ctx, snap, next, at, buyersOf(snap.Book, next, changes)...)
}

// buyer is somebody whom an edit is about, and how many pieces are bought.
type buyer struct {
	who      string
	quantity int
}

const mostBuyers = 4

// buyersOf are those besides a guest with one piece to whom an edit may matter: who is meant by the rules that it changes
// (also by way of their ladder, campaign or range), at the first and the last break of them.
func buyersOf(now, next *pricing.Book, changes []store.Change) []buyer {
	var list []buyer
	add := func(who string, quantity int) {
		if b := (buyer{who, quantity}); b != (buyer{"", 1}) && !slices.Contains(list, b) && len(list) < mostBuyers {
			list = append(list, b)
		}
	}
	rule := func(b *pricing.Book, r *pricing.Rule) {
		quantities := []int{max(r.MinQuantity, 1)}
		breaks, counting := r.Breaks, r.Counting
		for _, l := range b.Ladders {
			if r.Ladder != "" && l.Code == r.Ladder {
				breaks, counting = l.Breaks, l.Counting
			}
		}
		if len(breaks) > 0 && counting.Measure == "quantity" {
			quantities = nil
			for _, step := range []pricing.Break{breaks[0], breaks[len(breaks)-1]} {
				if n, fits := step.From.Minor(0, money.Up); fits && n < 1_000_000 {
					quantities = append(quantities, max(int(n), r.MinQuantity, 1))
				}
			}
		}
		whos := []string{""}
		if a := r.Audience; a != nil && len(a.Groups) > 0 {
			whos = []string{"group:" + a.Groups[0]}
		} else if a != nil && len(a.Customers) > 0 {
			whos = []string{"customer:" + a.Customers[0]}
		}
		for _, who := range whos {
			for _, n := range quantities {
				add(who, n)
			}
		}
	}
	for _, c := range changes {
		switch c.Kind {
		case store.Customers:
			add("customer:"+c.Code, 1)
		case store.Groups:
			add("group:"+c.Code, 1)
		}
		for _, b := range []*pricing.Book{next, now} {
			for i := range b.Rules {
				r := &b.Rules[i]
				named := c.Kind == store.Rules && r.Code == c.Code || c.Kind == store.Ladders && r.Ladder == c.Code ||
					c.Kind == store.Campaigns && r.Campaign == c.Code || c.Kind == store.Ranges && r.Where.Names(pricing.FieldRange, c.Code)
				if named && r.Offer == nil && r.Order == nil {
					rule(b, r)
				}
			}
		}
	}
	return list
}

// effect compares the prices of every channel, and the checks, before and after an edit: for a guest with one piece, and
// for others where that moves something.
func (s *Server) effect(ctx context.Context, snap *store.Snapshot, next *pricing.Book, at pricing.Moment, others ...buyer) (EditEffect, error) {
	engine := snap.Engine.Recompile(next)
	out := EditEffect{Errors: []DocError{}, At: at.String(), Prices: []ChannelEffect{}}
	var err error
	if out.Checks, err = s.broken(ctx, snap.Engine, engine); err != nil {
		return out, err
	}
	for i := range next.Channels {
		c := &next.Channels[i]
		for k, b := range append([]buyer{{"", 1}}, others...) {
			if err := ctx.Err(); err != nil {
				return out, err
			}
			one, err := s.effectFor(snap, engine, b, pricing.Viewpoint{Channel: c.Code, At: at, Quantity: b.quantity})
			if err != nil {
				return out, err
			}
			one.Channel, one.Name, one.Who, one.Quantity = c.Code, cmp.Or(c.Name, c.Code), b.who, b.quantity
			if k == 0 || one.Moved > 0 {
				out.Prices = append(out.Prices, one)
			}
		}
	}
	return out, nil
}

// effectFor compares the prices of one viewpoint. Somebody or something that only one of the books knows has no prices
// in the other.
func (s *Server) effectFor(snap *store.Snapshot, engine *pricing.Engine, b buyer, vp pricing.Viewpoint) (ChannelEffect, error) {
	if err := setWho(&vp, b.who); err != nil {
		return ChannelEffect{}, err
	}
	var unknown *pricing.QuestionError
	after, err := engine.Sweep(vp)
	if errors.As(err, &unknown) {
		return ChannelEffect{}, nil
	} else if err != nil {
		return ChannelEffect{}, err
	}
	var before *pricing.Sweep
	if sw, err := s.sweep(snap, vp); err == nil {
		before = sw.Sweep
	} else if !errors.As(err, &unknown) {
		return ChannelEffect{}, err
	}
	return channelEffect(snap.Engine, engine, before, after), nil
}

// channelEffect compares two sweeps; before is nil where the channel is new.
func channelEffect(old, engine *pricing.Engine, before, after *pricing.Sweep) ChannelEffect {
	var out ChannelEffect
	var marginsA, marginsB []int64
	take := func(list *[]int64, net, left int64, known bool) {
		if share, ok := marginShare(net, left, known); ok {
			*list = append(*list, share)
		}
	}
	for p, product := range engine.Products() {
		price, priced := after.Price(int32(p))
		was, had, n := int64(0), false, int32(0)
		if number, exists := old.ProductNumber(product.SKU); exists && before != nil {
			n = number
			was, had = before.Price(n)
		}
		wasBelow, isBelow := had && before.BelowCost(n), after.BelowCost(int32(p))
		switch {
		case isBelow && !wasBelow:
			out.NewBelow++
		case wasBelow && !isBelow:
			out.Cleared++
		}
		if priced == had && (!priced || price == was) {
			continue
		}
		out.Moved++
		if isBelow {
			out.Below++
		}
		if had {
			net, left, known := before.Margin(n)
			take(&marginsA, net, left, known)
		}
		net, left, known := after.Margin(int32(p))
		take(&marginsB, net, left, known)
	}
	out.MarginA, out.MarginB = mean(marginsA), mean(marginsB)
	return out
}
