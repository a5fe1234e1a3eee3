package server

import (
	"dogbane/internal/money"
	"dogbane/internal/pricing"
	"dogbane/internal/store"
)

// ViewpointQuery is who, where, how many and when, as a query.
type ViewpointQuery struct {
	At       string   `query:"at" doc:"wall clock of the book; empty: now"`
	Channel  string   `query:"channel" doc:"empty: no channel"`
	Quantity int      `query:"quantity" minimum:"1" maximum:"1000000" default:"1"`
	With     []string `query:"with" doc:"rules that count as on"`
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
	return vp, nil
}

// minor writes whole minor units where they are known.
func minor(n int64, known bool, digits int) *string {
	if !known {
		return nil
	}
	text := money.FormatMinor(n, digits)
	return &text
}
