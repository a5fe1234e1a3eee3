package server

import (
	"context"
	"fmt"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"dogbane/internal/book"
	"dogbane/internal/publish"
	"dogbane/internal/publish/pieces"
	"dogbane/internal/store"
)

// RolloutList is what bringing some pieces changes in each linked channel that they concern.
type RolloutList struct {
	Version  int64        `json:"version"`
	Channels []RolloutRow `json:"channels"`
}

// RolloutRow is what it changes in one channel, and, once it is sent, what became of it.
type RolloutRow struct {
	Channel     string             `json:"channel"`
	Name        string             `json:"name"`
	Pieces      []PieceRow         `json:"pieces" doc:"that go: those that were asked for and differ there, and what they need"`
	Lines       int                `json:"lines" doc:"prices that go now"`
	Blocked     int                `json:"blocked" doc:"further prices, which are left out"`
	Stopped     []string           `json:"stopped" doc:"blocked deals, which are left out"`
	Publication *PublicationAnswer `json:"publication,omitempty"`
	Problem     string             `json:"problem,omitempty" doc:"why it is not told, or cannot be"`
}

// RolloutOrder has pieces sent to all channels that they concern, or to some of these.
type RolloutOrder struct {
	Version  int64    `json:"version" doc:"of what was looked at"`
	Entry    int64    `json:"entry,omitempty" doc:"the pieces that an edit changed"`
	Pieces   []string `json:"pieces,omitempty" maxItems:"1000" doc:"others, such as \"rule GLAZE-WEEK\""`
	Channels []string `json:"channels,omitempty" doc:"those that are told; absent: all that it concerns"`
	Note     string   `json:"note,omitempty" maxLength:"500" doc:"to whoever decides, where a channel wants a second person"`
}

// rolloutKeys are the pieces that an edit changed, and others by name.
func (s *Server) rolloutKeys(ctx context.Context, entry int64, names []string) ([]pieces.Key, error) {
	keys, err := s.piecesNamed(ctx, nil, names, "pieces")
	if err != nil || entry == 0 {
		return keys, err
	}
	e, err := s.Store.LogEntry(ctx, entry)
	if err != nil {
		return nil, err
	}
	return append(keys, keysOf(e.Changes)...), nil
}

// keysOf are the pieces that changes are of. Of the settings each key is one.
func keysOf(changes []book.Change) []pieces.Key {
	keys := make([]pieces.Key, 0, len(changes))
	for _, c := range changes {
		if c.Kind == book.Settings {
			was, _ := book.Keys(c.Before) // both were written by the encoder
			is, _ := book.Keys(c.After)
			for key := range is {
				if string(was[key]) != string(is[key]) {
					keys = append(keys, pieces.Key{Kind: book.Settings, Code: key})
				}
			}
			for key := range was {
				if is[key] == nil {
					keys = append(keys, pieces.Key{Kind: book.Settings, Code: key})
				}
			}
			continue
		}
		keys = append(keys, pieces.Key{Kind: c.Kind, Code: c.Code})
	}
	return keys
}

func (s *Server) rolloutRows(list []publish.Rollout) []RolloutRow {
	rows := []RolloutRow{}
	for i := range list {
		r := &list[i]
		row := RolloutRow{Channel: r.Channel.Code, Name: r.Channel.Title(), Pieces: []PieceRow{}, Lines: r.Lines,
			Blocked: r.Blocked, Stopped: []string{}}
		for k := range r.Pieces {
			row.Pieces = append(row.Pieces, pieceRow(&r.Pieces[k], r.Digits))
		}
		for _, k := range r.Stopped {
			row.Stopped = append(row.Stopped, k.String())
		}
		if r.Publication != nil {
			answer := s.publicationAnswer(r.Publication)
			row.Publication = &answer
		}
		if r.Err != nil {
			row.Problem = asProblem(r.Err).Error()
		}
		rows = append(rows, row)
	}
	return rows
}

func (s *Server) registerRollout(api huma.API) {
	get(api, "/api/rollout", func(ctx context.Context, in *struct {
		Entry  int64    `query:"entry" doc:"the pieces that an edit changed"`
		Pieces []string `query:"piece,explode" doc:"others, by name"`
	}) (RolloutList, error) {
		snap := s.newest(ctx)
		keys, err := s.rolloutKeys(ctx, in.Entry, in.Pieces)
		if err != nil {
			return RolloutList{}, err
		}
		list, err := s.Desk.Rollouts(ctx, snap, keys)
		return RolloutList{snap.Version, s.rolloutRows(list)}, err
	})
	answers(api, store.Manager, http.MethodPost, "/api/rollout", func(ctx context.Context, in *struct {
		Body RolloutOrder
	}) (RolloutList, error) {
		snap := s.newest(ctx)
		if in.Body.Version != snap.Version {
			return RolloutList{}, publish.ErrStale
		}
		if in.Body.Channels != nil && len(in.Body.Channels) == 0 || in.Body.Entry == 0 && len(in.Body.Pieces) == 0 {
			return RolloutList{}, publish.ErrNoChoice // an empty choice is one of nothing
		}
		for i, code := range in.Body.Channels {
			if snap.Channel(code) == nil {
				return RolloutList{}, invalid(fmt.Sprintf("channels[%d]", i), "There is no such channel.")
			}
		}
		keys, err := s.rolloutKeys(ctx, in.Body.Entry, in.Body.Pieces)
		if err != nil {
			return RolloutList{}, err
		}
		list, err := s.Desk.RollOut(ctx, snap, keys, in.Body.Channels, personOf(ctx).Name, in.Body.Note)
		return RolloutList{snap.Version, s.rolloutRows(list)}, err
	})
}
