package server

import (
	"cmp"
	"context"
	"errors"
	"slices"
	"strings"

	"dogbane/internal/money"
	"dogbane/internal/pricing"
	"dogbane/internal/store"
)

// ViewpointQuery is who, where, how many and when, as a query.
type ViewpointQuery struct {
	At       string   `query:"at" doc:"wall clock of the book; empty: now"`
	Channel  string   `query:"channel" doc:"empty: no channel"`
	Who      string   `query:"who" doc:"group:CODE or customer:CODE; empty: everyone"`
	Quantity int      `query:"quantity" minimum:"1" maximum:"1000000" default:"1"`
	With     []string `query:"with" doc:"rules and campaigns that count as on"`
}

func (q *ViewpointQuery) viewpoint(s *Server, snap *store.Snapshot) (pricing.Viewpoint, error) {
	vp := pricing.Viewpoint{At: s.moment(snap), Channel: q.Channel, Quantity: max(q.Quantity, 1), With: q.With}
	if q.At != "" {
		at, err := pricing.ParseMoment(q.At)
		if err != nil {
			return vp, &pricing.QuestionError{Path: "at", Problem: err.Error()}
		}
		vp.At = at
	}
	if err := setWho(&vp, q.Who); err != nil {
		return vp, err
	}
	return vp, s.knowBuyer(context.Background(), snap, &vp)
}

// setWho puts "group:CODE" or "customer:CODE" into a viewpoint.
func setWho(vp *pricing.Viewpoint, who string) error {
	kind, code, _ := strings.Cut(who, ":")
	switch {
	case who == "":
	case kind == "group" && code != "":
		vp.Groups = []string{code}
	case kind == "customer" && code != "":
		vp.Customer = code
	default:
		return &pricing.QuestionError{Path: "who", Problem: "must be group:CODE or customer:CODE"}
	}
	return nil
}

// comparison gives, for each product, the price that a board's prices are held against; false where there is none.
type comparison struct {
	price func(p int32) (int64, bool)
	known bool // there is something to compare with at all
}

// against makes a comparison: "published" (or nothing), "list", "at:MOMENT" or "who:WHO".
func (s *Server) against(ctx context.Context, snap *store.Snapshot, what string, vp pricing.Viewpoint, sw *swept) (comparison, error) {
	kind, value, _ := strings.Cut(what, ":")
	other := vp
	switch kind {
	case "", "published":
		if vp.Channel == "" {
			return comparison{price: func(int32) (int64, bool) { return 0, false }}, nil
		}
		published, err := s.publishedIn(ctx, snap, vp.Channel, sw.Digits)
		if err != nil {
			return comparison{}, err
		}
		return comparison{func(p int32) (int64, bool) { return published.price[p], published.known[p] }, true}, nil
	case "list":
		return comparison{sw.Lists(), true}, nil
	case "at":
		at, err := pricing.ParseMoment(value)
		if err != nil {
			return comparison{}, &pricing.QuestionError{Path: "against", Problem: err.Error()}
		}
		other.At = at
		if err := s.knowBuyer(ctx, snap, &other); err != nil {
			return comparison{}, err
		}
	case "who":
		other.Groups, other.Customer = nil, ""
		if err := errors.Join(setWho(&other, value), s.knowBuyer(ctx, snap, &other)); err != nil {
			return comparison{}, err
		}
	default:
		return comparison{}, &pricing.QuestionError{Path: "against", Problem: "must be published, list, at:MOMENT or who:WHO"}
	}
	before, err := s.sweep(snap, other)
	if err != nil {
		return comparison{}, err
	}
	return comparison{before.Price, true}, nil
}

// minor writes whole minor units where they are known.
func minor(n int64, known bool, digits int) *string {
	if !known {
		return nil
	}
	text := money.FormatMinor(n, digits)
	return &text
}

// Spread is one of the columns that a board's prices are spread over.
type SpreadColumn struct {
	Key  string `json:"key"`
	Name string `json:"name"`
}

const spreadColumns = 10

// spread makes the viewpoints of a board that is spread by something.
func (s *Server) spread(snap *store.Snapshot, by string, vp pricing.Viewpoint) ([]SpreadColumn, []pricing.Viewpoint, error) {
	var columns []SpreadColumn
	var vps []pricing.Viewpoint
	add := func(key, name string, change func(*pricing.Viewpoint)) {
		if len(columns) < spreadColumns {
			one := vp
			change(&one)
			columns, vps = append(columns, SpreadColumn{key, name}), append(vps, one)
		}
	}
	book := snap.Book
	switch by {
	case "":
	case "group":
		add("", "everyone", func(v *pricing.Viewpoint) { *v = v.Guest() })
		for _, g := range book.Groups {
			add("group:"+g.Code, cmp.Or(g.Name, g.Code), func(v *pricing.Viewpoint) { *v = v.Guest(); v.Groups = []string{g.Code} })
		}
	case "channel":
		for _, c := range book.Channels {
			add(c.Code, cmp.Or(c.Name, c.Code), func(v *pricing.Viewpoint) { v.Channel = c.Code })
		}
	case "quantity":
		for _, n := range quantitiesOf(book) {
			add(money.Int(int64(n)).String(), money.Int(int64(n)).String(), func(v *pricing.Viewpoint) { v.Quantity = n })
		}
	case "changes":
		add(vp.At.String(), vp.At.String(), func(*pricing.Viewpoint) {})
		for _, m := range snap.Engine.Changes(vp.At, vp.At+60*pricing.Day, spreadColumns, vp.With) {
			add(m.String(), m.String(), func(v *pricing.Viewpoint) { v.At = m })
		}
	default:
		return nil, nil, &pricing.QuestionError{Path: "spread", Problem: "must be group, quantity, channel or changes"}
	}
	return columns, vps, nil
}

// quantitiesOf are 1 and the counts at which breaks and least quantities of the book begin.
func quantitiesOf(book *pricing.Book) []int {
	counts := []int{1}
	breaks := func(list []pricing.Break, c pricing.Counting) {
		for _, b := range list {
			if n, fits := b.From.Minor(0, money.Up); fits && c.Measure == "quantity" && n <= 1_000_000 {
				counts = append(counts, int(n))
			}
		}
	}
	for i := range book.Rules {
		r := &book.Rules[i]
		counts = append(counts, max(r.MinQuantity, 1))
		breaks(r.Breaks, r.Counting)
	}
	for i := range book.Ladders {
		breaks(book.Ladders[i].Breaks, book.Ladders[i].Counting)
	}
	slices.Sort(counts)
	return slices.Compact(counts)
}
