package server

import (
	"context"
	"errors"
	"net/http"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"dogbane/internal/pricing"
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
	Code     string `json:"code"`
	Name     string `json:"name"`
	Currency string `json:"currency"`
	Behind   int    `json:"behind" doc:"products whose price there is not what the saved book says"`
	Blocked  int    `json:"blocked"`
	Sending  bool   `json:"sending"`
}

// LayerState is a layer with how its rules share the work.
type LayerState struct {
	Layer string `json:"layer"`
	Mode  string `json:"mode"`
	Then  string `json:"then,omitempty" enum:",end-price"`
}

// FlagState counts the flags.
type FlagState struct {
	Errors    int  `json:"errors"`
	Others    int  `json:"others"`
	Searching bool `json:"searching" doc:"a newer version is being looked at"`
}

// Saved is what a write answers.
type Saved struct {
	Version int64  `json:"version"`
	Entry   int64  `json:"entry" doc:"of the log; it can be undone"`
	Summary string `json:"summary"`
}

type body[T any] struct{ Body T }

func answer[T any](v T, err error) (*body[T], error) {
	if err != nil {
		return nil, asProblem(err)
	}
	return &body[T]{v}, nil
}

func (s *Server) registerState(api huma.API) {
	huma.Get(api, "/api/state", func(ctx context.Context, _ *struct{}) (*body[State], error) {
		return answer(s.stateNow(ctx))
	})
	huma.Get(api, "/api/log", func(ctx context.Context, in *struct {
		Limit int `query:"limit" default:"100" minimum:"1" maximum:"500"`
	}) (*body[LogList], error) {
		entries, err := s.store.Log(ctx, in.Limit)
		out := LogList{Entries: []LogEntry{}}
		for _, e := range entries {
			out.Entries = append(out.Entries, LogEntry{e.ID, s.wall(e.At), e.Who, e.Version, e.Summary, e.UndoneBy != nil, e.Version > 1 && e.UndoneBy == nil, e.Moved})
		}
		return answer(out, err)
	})
	huma.Get(api, "/api/log/{id}", func(ctx context.Context, in *struct {
		ID int64 `path:"id"`
	}) (*body[LogDetail], error) {
		e, err := s.store.LogEntry(ctx, in.ID)
		out := LogDetail{Changes: []LogChange{}, Count: len(e.Changes)}
		for _, c := range e.Changes[:min(len(e.Changes), 200)] {
			out.Changes = append(out.Changes, LogChange{c.Kind, c.Code, string(c.Before), string(c.After)})
		}
		return answer(out, err)
	})
	huma.Register(api, huma.Operation{Method: http.MethodPost, Path: "/api/log/{id}/undo"}, func(ctx context.Context, in *struct {
		ID int64 `path:"id"`
	}) (*body[Saved], error) {
		entry, err := s.live.Undo(ctx, in.ID, personOf(ctx).Name, s.now(), breaksSeen(ctx))
		if err == nil {
			s.moved.look()
			err = s.store.DropSalesOf(ctx, in.ID)
			s.purchases.forget()
		}
		return answer(saved(entry), err)
	})
}

// LogList is the newest changes, newest first.
type LogList struct {
	Entries []LogEntry `json:"entries"`
}

// LogEntry is one saved change.
type LogEntry struct {
	ID      int64  `json:"id"`
	At      string `json:"at"`
	Who     string `json:"who"`
	Version int64  `json:"version"`
	Summary string `json:"summary"`
	Undone  bool   `json:"undone"`
	CanUndo bool   `json:"canUndo"`
	Moved   *int   `json:"moved" doc:"prices of the channels that it moved; null until they are counted"`
}

// LogChange is one piece that an edit changed.
type LogChange struct {
	Kind   string `json:"kind"`
	Code   string `json:"code"`
	Before string `json:"before" doc:"as JSON; empty: it was new"`
	After  string `json:"after" doc:"as JSON; empty: it was deleted"`
}

// LogDetail is what an edit changed.
type LogDetail struct {
	Changes []LogChange `json:"changes" doc:"the first 200"`
	Count   int         `json:"count"`
}

func saved(e store.Entry) Saved { return Saved{e.Version, e.ID, e.Summary} }

// wall is an instant on the book's wall clock.
func (s *Server) wall(t time.Time) string {
	m := pricing.MomentOf(t.In(s.live.Current().Zone))
	return (m - m%pricing.Minute).String()
}

// stateNow is the state or, while the database cannot be used, what was last known of it.
func (s *Server) stateNow(ctx context.Context) (State, error) {
	last := s.last.Load()
	var st State
	var err error
	if s.store.Outage() != nil && last != nil {
		st = *last
	} else if st, err = s.state(ctx); err != nil {
		var outage *store.Outage
		if !errors.As(err, &outage) && !errors.Is(err, context.DeadlineExceeded) || last == nil {
			return st, err
		}
		st = *last
	}
	if now := s.store.Outage(); now != nil {
		st.Outage = &OutageState{s.wall(now.Since), now.Reason}
	} else {
		kept := st
		s.last.Store(&kept)
	}
	return st, nil
}

func (s *Server) state(ctx context.Context) (State, error) {
	snap := s.live.Current()
	st := State{Version: snap.Version, Now: s.moment(snap).String(), TimeZone: snap.Book.Settings.TimeZone, Currency: snap.Book.Settings.Currency,
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
	setUp, err := s.store.Fact(asking, "set-up")
	if err != nil {
		return st, err
	}
	st.SetUp = setUp == "open"
	recent, err := s.store.Publications(asking, "", 20)
	if err != nil {
		return st, err
	}
	sending := map[string]bool{}
	for _, p := range recent {
		sending[p.Channel] = sending[p.Channel] || p.Status == "sending"
	}
	for _, c := range snap.Book.Channels {
		d, err := s.differences(ctx, snap, c.Code)
		if err != nil {
			return st, err
		}
		st.Channels = append(st.Channels, ChannelState{c.Code, c.Name, d.Currency, len(d.Rows), d.Blocked(), sending[c.Code]})
	}
	found, version, searching := s.currentFlags(snap)
	st.Flags.Searching = searching || version != snap.Version
	for i := range found {
		if found[i].Severity == "error" {
			st.Flags.Errors++
		} else {
			st.Flags.Others++
		}
	}
	return st, nil
}
