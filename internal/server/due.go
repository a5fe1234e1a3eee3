package server

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"dogbane/internal/money"
	"dogbane/internal/pricing"
	"dogbane/internal/publish"
	"dogbane/internal/store"
)

// DueList is what a channel will be told by itself.
type DueList struct {
	Due []DueRow `json:"due"`
}

// DueRow is a moment at which lines of a channel differ by themselves.
type DueRow struct {
	At          string     `json:"at"`
	Lines       int        `json:"lines" doc:"how many differ"`
	Unpublished int        `json:"unpublished" doc:"of them, lines of which the saved book says something else: that waits for a publication by hand"`
	Causes      []DueCause `json:"causes" doc:"rules and campaigns that open or close then"`
}

// DriftList is where a channel does not show what it took.
type DriftList struct {
	Drifts   []DriftRow `json:"drifts"`
	Compared string     `json:"compared,omitempty" doc:"when it was read last"`
}

// DriftRow is a product of which a channel does not show what it took.
type DriftRow struct {
	SKU      string  `json:"sku"`
	Name     string  `json:"name"`
	Took     *string `json:"took"`
	Shows    *string `json:"shows"`
	Since    string  `json:"since"`
	Accepted bool    `json:"accepted"`
}

// UnlikeList is where a channel shows other prices than channels that sell to the same people.
type UnlikeList struct {
	Unlike []UnlikeRow `json:"unlike" doc:"by SKU, the first of them"`
	Total  int         `json:"total"`
}

// UnlikeRow is a product that two channels show at different prices.
type UnlikeRow struct {
	SKU    string `json:"sku"`
	Name   string `json:"name"`
	Shows  string `json:"shows"`
	Other  string `json:"other" doc:"the other channel's name"`
	Theirs string `json:"theirs" doc:"what that one shows"`
}

// mostUnlike bounds how many are told.
const mostUnlike = 500

const (
	dueAhead = 92 * pricing.Day
	mostDues = 60
)

func (s *Server) registerDue(api huma.API) {
	get(api, "/api/channels/{channel}/due", s.due)
	answers(api, store.Manager, http.MethodPost, "/api/channels/{channel}/compare", func(ctx context.Context,
		in *ChannelQuery) (DriftList, error) {
		drifts, err := s.Comparer.Compare(ctx, in.Channel)
		if err != nil {
			return DriftList{}, err
		}
		return s.driftList(ctx, in.Channel, drifts)
	})
	get(api, "/api/channels/{channel}/drifts", func(ctx context.Context, in *ChannelQuery) (DriftList, error) {
		drifts, err := s.Store.Drifts(ctx, in.Channel)
		if err != nil {
			return DriftList{}, err
		}
		return s.driftList(ctx, in.Channel, drifts)
	})
	get(api, "/api/channels/{channel}/unlike", s.unlike)
	step := func(what string, do func(ctx context.Context, channel string, skus []string) error) {
		answers(api, store.Manager, http.MethodPost, "/api/channels/{channel}/drifts/"+what, func(ctx context.Context,
			in *ChannelSKUs) (SKUList, error) {
			if len(in.Body.SKUs) == 0 {
				return in.Body, nil
			}
			return in.Body, do(ctx, in.Channel, in.Body.SKUs)
		})
	}
	step("again", s.Store.SendAgain)
	step("accept", s.Store.AcceptDrifts)
}

func (s *Server) driftList(ctx context.Context, channel string, drifts []publish.Drift) (DriftList, error) {
	out := DriftList{Drifts: []DriftRow{}}
	snap := s.Live.Current()
	for _, d := range drifts {
		row := DriftRow{SKU: d.SKU, Took: d.Took, Shows: d.Shows, Since: s.wall(d.Since), Accepted: d.Accepted}
		if n, exists := snap.Engine.ProductNumber(d.SKU); exists {
			row.Name = snap.Engine.Products()[n].Name
		}
		out.Drifts = append(out.Drifts, row)
	}
	state, err := s.Store.ChannelState(ctx, channel)
	if err == nil && state.Compared != nil {
		out.Compared = s.wall(*state.Compared)
	}
	return out, err
}

func (s *Server) due(ctx context.Context, in *ChannelQuery) (DueList, error) {
	snap := s.Live.Current()
	out := DueList{Due: []DueRow{}}
	if snap.Channel(in.Channel) == nil {
		return out, store.ErrNotFound
	}
	dues, err := s.Desk.Upcoming(ctx, snap, in.Channel, s.moment(snap)+dueAhead, mostDues)
	if err != nil {
		return out, err
	}
	waits, err := s.Desk.Waits(ctx, snap, in.Channel)
	if err != nil {
		return out, err
	}
	version, err := s.Desk.Published(ctx, snap, in.Channel)
	if err != nil {
		return out, err
	}
	behind, err := s.Desk.Behind(ctx, snap)
	if err != nil {
		return out, err
	}
	for i := range dues {
		d := &dues[i]
		row := DueRow{At: d.At.String(), Lines: len(d.Changed),
			Causes: s.causes(snap, version.Snapshot, in.Channel, d, behind)}
		for _, sku := range d.SKUs {
			if waits[sku] {
				row.Unpublished++
			}
		}
		out.Due = append(out.Due, row)
	}
	return out, nil
}

func (s *Server) unlike(ctx context.Context, in *ChannelQuery) (UnlikeList, error) {
	snap := s.Live.Current()
	list, total, err := s.Desk.Unlikes(ctx, snap, in.Channel, mostUnlike)
	out := UnlikeList{Unlike: []UnlikeRow{}, Total: total}
	for _, u := range list {
		digits, _ := money.Digits(u.Currency)
		row := UnlikeRow{SKU: u.SKU, Shows: u.Here.Fixed(digits), Other: snap.Channel(u.Other).Title(),
			Theirs: u.Theirs.Fixed(digits)}
		if p := snap.Product(u.SKU); p != nil {
			row.Name = p.Name
		}
		out.Unlike = append(out.Unlike, row)
	}
	return out, err
}
