package server

import (
	"context"
	"errors"

	"github.com/danielgtaylor/huma/v2"

	"dogbane/internal/flagsearch"
	"dogbane/internal/store"
)

// State is what every view shows: where the book stands and how far the channels are behind.
type State struct {
	Version  int64          `json:"version" doc:"of the saved book"`
	Now      string         `json:"now" doc:"the present on the book's wall clock"`
	TimeZone string         `json:"timeZone"`
	Currency string         `json:"currency"`
	Products int            `json:"products"`
	Channels []ChannelState `json:"channels"`
	Layers   []LayerState   `json:"layers" doc:"in the order in which prices pass through them"`
	Flags    FlagState      `json:"flags"`

	Outage  *OutageState   `json:"outage" doc:"null while the database can be used; else nothing can be saved, and channels and flags are as they were last known"`
	Refused []RefusedPiece `json:"refused" doc:"stored pieces that this version cannot read; they take no part"`
	SetUp   bool           `json:"setUp" doc:"currency, time zone and taxes have to be said first"`
}

// OutageState says what is wrong with the database.
type OutageState struct {
	Since  string `json:"since" doc:"on the book's wall clock"`
	Reason string `json:"reason"`
}

// RefusedPiece is a stored piece that cannot be read.
type RefusedPiece struct {
	Kind    string `json:"kind"`
	Code    string `json:"code"`
	Problem string `json:"problem"`
}

// ChannelState is how far a channel is behind the saved book.
type ChannelState struct {
	Code     string   `json:"code"`
	Name     string   `json:"name"`
	Currency string   `json:"currency"`
	Behind   int      `json:"behind" doc:"products whose price there is not what the saved book says"`
	Blocked  int      `json:"blocked"`
	Sending  bool     `json:"sending"`
	Changes  int      `json:"changes" doc:"pieces of the saved book that are not published there, products of one edit counted one by one; none held back"`
	Linked   bool     `json:"linked"`
	Waiting  *Waiting `json:"waiting" doc:"what waits there for a second person the longest; null: nothing"`
	Drifting int      `json:"drifting" doc:"products of which it does not show what it took, and nobody lives with that"`
}

// Waiting is a publication that waits for a second person.
type Waiting struct {
	ID    int64  `json:"id"`
	Who   string `json:"who"`
	Since string `json:"since"`
}

// LayerState is a layer with how its rules share the work.
type LayerState struct {
	Layer string `json:"layer" enum:"catalog,sale,tier,group,promotion"`
	Mode  string `json:"mode"`
	Then  string `json:"then,omitempty" enum:",end-price"`
}

// FlagState counts the flags.
type FlagState struct {
	Errors    int  `json:"errors" doc:"what one rule brings about of one kind is one, on however many products"`
	Others    int  `json:"others"`
	Searching bool `json:"searching" doc:"a newer version is being looked at"`
}

// stateNow is the state or, while the database cannot be used, what was last known of it.
func (s *Server) stateNow(ctx context.Context) (State, error) {
	last := s.last.Load()
	var st State
	var err error
	if s.Store.Outage() != nil && last != nil {
		st = *last
	} else if st, err = s.state(ctx); err != nil {
		var outage *store.Outage
		if !errors.As(err, &outage) && !errors.Is(err, context.DeadlineExceeded) || last == nil {
			return st, err
		}
		st = *last
	}
	if now := s.Store.Outage(); now != nil {
		st.Outage = &OutageState{s.wall(now.Since), now.Reason}
	} else {
		kept := st
		s.last.Store(&kept)
	}
	return st, nil
}

func (s *Server) state(ctx context.Context) (State, error) {
	snap := s.Live.Current()
	st := State{Version: snap.Version, Now: s.moment(snap).String(), TimeZone: snap.Book.Settings.TimeZone,
		Currency: snap.Book.Settings.Currency,
		Products: len(snap.Book.Products), Channels: []ChannelState{}, Layers: []LayerState{}, Refused: []RefusedPiece{}}
	for _, r := range snap.Refused {
		st.Refused = append(st.Refused, RefusedPiece(r))
	}
	for _, l := range snap.Book.Settings.Layers {
		one := LayerState{Layer: l.Layer.String(), Mode: string(l.Mode)}
		if l.EndPrice {
			one.Then = "end-price"
		}
		st.Layers = append(st.Layers, one)
	}
	asking, cancel := context.WithTimeout(ctx, hangs)
	defer cancel()
	setUp, err := s.Store.Fact(asking, "set-up")
	if err != nil {
		return st, err
	}
	// A book that was brought in as a whole, from a file, says all that.
	st.SetUp = setUp == "open" && len(snap.Book.Products)+len(snap.Book.Rules) == 0
	underway, err := s.Store.Underway(asking)
	if err != nil {
		return st, err
	}
	sending := map[string]bool{}
	for _, p := range underway {
		sending[p.Channel] = true
	}
	drifting, err := s.Store.CountDrifts(asking)
	if err != nil {
		return st, err
	}
	waiting, err := s.Store.Waiting(asking)
	if err != nil {
		return st, err
	}
	links, err := s.Store.Links(asking)
	if err != nil {
		return st, err
	}
	for _, c := range snap.Book.Channels {
		d, err := s.Desk.Differences(ctx, snap, c.Code, s.moment(snap))
		if err != nil {
			return st, err
		}
		one := ChannelState{Code: c.Code, Name: c.Name, Currency: d.Currency, Behind: len(d.Rows), Blocked: d.Blocked(),
			Sending: sending[c.Code], Drifting: drifting[c.Code]}
		_, one.Linked = links[c.Code]
		e, err := s.Desk.Published(ctx, snap, c.Code)
		if err != nil {
			return st, err
		}
		if e != nil {
			for _, p := range e.Pieces {
				if !e.Held[p.Key] {
					one.Changes++
				}
			}
		}
		for _, p := range waiting { // the longest first
			if p.Channel == c.Code && one.Waiting == nil {
				since := p.Prepared
				if p.Sent != nil {
					since = *p.Sent
				}
				one.Waiting = &Waiting{p.ID, p.Who, s.wall(since)}
			}
		}
		st.Channels = append(st.Channels, one)
	}
	found := s.flags.Of(snap)
	seen, err := s.acknowledged(ctx)
	if err != nil {
		return st, err
	}
	st.Flags.Searching = found.Searching
	st.Flags.Errors, st.Flags.Others = flagsearch.Counts(snap, found, seen)
	for i := range st.Channels {
		if st.Channels[i].Drifting > 0 {
			st.Flags.Errors++ // of one channel they are one, however many
		}
	}
	return st, nil
}

func (s *Server) registerState(api huma.API) {
	get(api, "/api/state", func(ctx context.Context, _ *none) (State, error) { return s.stateNow(ctx) })
}
