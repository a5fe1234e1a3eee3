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
	"dogbane/internal/catalogue"
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

// ChannelEffect is what happens to the prices of a channel, for a guest who buys one piece.
type ChannelEffect struct {
	Channel  string  `json:"channel"`
	Name     string  `json:"name"`
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

// pieceNow is the saved state of a piece; nil where there is none.
func pieceNow(b *pricing.Book, kind, code string) json.RawMessage {
	switch kind {
	case store.Settings:
		return bookfile.EncodeSettings(&b.Settings)
	case store.Products:
		if p := findProduct(b, code); p != nil {
			return bookfile.EncodeProduct(p)
		}
		return nil
	case store.Rules:
		if r := findRule(b, code); r != nil {
			return bookfile.EncodeRule(r)
		}
		return nil
	}
	for _, piece := range store.PiecesOf(b, kind) {
		if piece.Code == code {
			return piece.After
		}
	}
	return nil
}

// edited turns an edit into changes of the saved book and makes the book that they lead to. Documents come out as the
// encoder writes them; pieces that stay as they are are left out.
func (s *Server) edited(snap *store.Snapshot, edits []EditChange) ([]store.Change, *pricing.Book, error) {
	var changes []store.Change
	for _, e := range edits {
		now := pieceNow(snap.Book, e.Kind, e.Code)
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
	for i := range changes {
		if changes[i].After != nil {
			changes[i].After = pieceNow(next, changes[i].Kind, changes[i].Code)
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
	if err := catalogue.CheckGTIN(next.GTIN); err != nil && next.GTIN != old.GTIN {
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
	_, next, err := s.edited(snap, form.Changes)
	if err != nil {
		out.Errors, err = docErrors(err)
		return out, err
	}
	return s.effect(ctx, snap, next, at)
}

// effect compares the prices of every channel, and the checks, before and after an edit.
func (s *Server) effect(ctx context.Context, snap *store.Snapshot, next *pricing.Book, at pricing.Moment) (EditEffect, error) {
	engine := snap.Engine.Recompile(next)
	out := EditEffect{Errors: []DocError{}, At: at.String(), Prices: []ChannelEffect{}}
	var err error
	if out.Checks, err = s.broken(ctx, snap.Engine, engine); err != nil {
		return out, err
	}
	for i := range next.Channels {
		if err := ctx.Err(); err != nil {
			return out, err
		}
		c := &next.Channels[i]
		vp := pricing.Viewpoint{Channel: c.Code, At: at, Quantity: 1}
		after, err := engine.Sweep(vp)
		if err != nil {
			return out, err
		}
		var before *pricing.Sweep
		if sw, err := s.sweep(snap, vp); err == nil {
			before = sw.Sweep
		} else if unknown := (*pricing.QuestionError)(nil); !errors.As(err, &unknown) {
			return out, err
		}
		one := channelEffect(snap.Engine, engine, before, after)
		one.Channel, one.Name = c.Code, cmp.Or(c.Name, c.Code)
		out.Prices = append(out.Prices, one)
	}
	return out, nil
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
