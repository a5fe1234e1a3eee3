package server

import (
	"context"
	"net/url"
	"strings"
	"time"

	"dogbane/internal/board"
	"dogbane/internal/book"
	"dogbane/internal/pricing"
)

// ViewpointQuery is who, where, how many and when, as a query.
type ViewpointQuery struct {
	At       string   `query:"at" doc:"wall clock of the book; empty: now"`
	Channel  string   `query:"channel" doc:"empty: no channel"`
	Who      string   `query:"who" doc:"group:CODE or customer:CODE; empty: everyone"`
	Quantity int      `query:"quantity" minimum:"1" maximum:"1000000" default:"1"`
	With     []string `query:"with" doc:"rules and campaigns that count as on"`
	Country  string   `query:"country" doc:"empty: that of the channel"`
	First    string   `query:"first" enum:",yes,no" doc:"whether it is a first order; empty: what is known of the customer"`
	SignedIn string   `query:"signed-in" enum:",yes,no" doc:"empty: whether a customer is named"`
	Attrs    string   `query:"attrs" doc:"attributes of the customer, before what is known of them, as name=value&name=value with what is no letter or digit escaped as in an address"`
}

// read is the viewpoint that a query asks for. Its errors are QuestionErrors, or those of reading what customers
// bought.
func (q *ViewpointQuery) read(ctx context.Context, s *Server, snap *book.Snapshot) (pricing.Viewpoint, error) {
	vp := pricing.Viewpoint{At: s.moment(snap), Channel: q.Channel, Quantity: max(q.Quantity, 1), With: q.With}
	if q.At != "" {
		at, err := pricing.ParseMoment(q.At)
		if err != nil {
			return vp, &pricing.QuestionError{Path: "at", Problem: err.Error()}
		}
		vp.At = at
	}
	if err := book.SetWho(&vp, q.Who); err != nil {
		return vp, err
	}
	if err := s.buyers.Know(ctx, snap, &vp); err != nil {
		return vp, err
	}
	as, err := q.assumed()
	as.Put(&vp)
	return vp, err
}

// assumed is what the query says of the buyer, whatever is known. Its error is a QuestionError.
func (q *ViewpointQuery) assumed() (book.Assumed, error) {
	yesNo := map[string]*bool{"yes": new(true), "no": new(false)}
	as := book.Assumed{Country: q.Country, First: yesNo[q.First], SignedIn: yesNo[q.SignedIn]}
	attrs, err := url.ParseQuery(q.Attrs)
	if err != nil {
		return as, &pricing.QuestionError{Path: "attrs", Problem: "must be written as name=value&name=value"}
	}
	for name, values := range attrs {
		as.Attrs = book.With(as.Attrs, name, values[0])
	}
	return as, nil
}

// BoardFilter says which products a board is about, and in which order.
type BoardFilter struct {
	ViewpointQuery
	Against  string      `query:"against" doc:"published, list, at:MOMENT or who:WHO"`
	Words    string      `query:"q"`
	Category string      `query:"category"`
	Show     string      `query:"show" enum:"all,reduced,changed,below-cost,no-price" default:"all"`
	Rule     string      `query:"rule" doc:"only products that this rule applied to"`
	Margin   string      `query:"margin" doc:"only margins in percent from MIN to below MAX, as MIN:MAX; either may be empty"`
	MarginIn string      `query:"margin-in" enum:",any" doc:"any: the margin is that of any channel"`
	Change   string      `query:"change" doc:"only changes in percent, likewise"`
	Stock    string      `query:"stock" doc:"only so many in stock, from MIN to MAX, as MIN:MAX; either may be empty"`
	Sold     string      `query:"sold" doc:"only so many units sold, likewise"`
	Tags     string      `query:"tags" doc:"only products with one of these tags, those of rules at work among them; parted by commas, what is no letter or digit escaped as in an address"`
	Reach    board.Reach `query:"reach" enum:",changed,unchanged,unselected" doc:"a rule makes the price; none does; no rule selects the product, now or later"`
	First    int         `query:"rows" minimum:"0" maximum:"1000000" doc:"only so many rows, in the order asked for; 0: all"`
	Sort     string      `query:"sort" enum:"category,sku,name,list,price,margin,margin-amount,change,stock,sold" default:"category"`
	Desc     bool        `query:"desc"`
}

// look is the board that a filter asks for.
func (s *Server) look(ctx context.Context, in *BoardFilter) (*board.View, error) {
	snap := s.Live.Current()
	vp, err := in.read(ctx, s, snap)
	if err != nil {
		return nil, err
	}
	as, err := in.assumed()
	if err != nil {
		return nil, err
	}
	f := board.Filter{Viewpoint: vp, Assumed: as, Against: in.Against, Words: in.Words, Category: in.Category,
		Show: in.Show, Rule: in.Rule, Margin: in.Margin, AnyMargin: in.MarginIn == "any", Change: in.Change, Stock: in.Stock, Sold: in.Sold,
		Reach: in.Reach, First: in.First}
	for _, escaped := range strings.Split(in.Tags, ",") {
		tag, err := url.QueryUnescape(escaped)
		if err != nil {
			return nil, &pricing.QuestionError{Path: "tags", Problem: "must be tags parted by commas, escaped"}
		}
		if tag != "" {
			f.Tags = append(f.Tags, tag)
		}
	}
	return s.boards.Look(ctx, snap, f, board.Order{Key: in.Sort, Desc: in.Desc})
}

// moment is the present on the book's wall clock, to the minute.
func (s *Server) moment(snap *book.Snapshot) pricing.Moment { return snap.Moment(s.Clocks.Book()) }

// wall is an instant on the book's wall clock.
func (s *Server) wall(t time.Time) string { return s.Live.Current().Moment(t).String() }
