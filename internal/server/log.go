package server

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"dogbane/internal/store"
)

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

// EntryQuery names an entry of the log.
type EntryQuery struct {
	ID int64 `path:"id"`
}

const changesShown = 200

func (s *Server) registerLog(api huma.API) {
	get(api, "/api/log", func(ctx context.Context, in *struct {
		Limit int `query:"limit" default:"100" minimum:"1" maximum:"500"`
	}) (LogList, error) {
		entries, err := s.Store.Log(ctx, in.Limit)
		out := LogList{Entries: []LogEntry{}}
		for _, e := range entries {
			out.Entries = append(out.Entries, LogEntry{ID: e.ID, At: s.wall(e.At), Who: e.Who, Version: e.Version,
				Summary: e.Summary,
				Undone:  e.UndoneBy != nil, CanUndo: e.Version > 1 && e.UndoneBy == nil, Moved: e.Moved})
		}
		return out, err
	})
	get(api, "/api/log/{id}", func(ctx context.Context, in *EntryQuery) (LogDetail, error) {
		e, err := s.Store.LogEntry(ctx, in.ID)
		out := LogDetail{Changes: []LogChange{}, Count: len(e.Changes)}
		for _, c := range e.Changes[:min(len(e.Changes), changesShown)] {
			out.Changes = append(out.Changes, LogChange{c.Kind, c.Code, string(c.Before), string(c.After)})
		}
		return out, err
	})
	answers(api, store.Manager, http.MethodPost, "/api/log/{id}/undo", func(ctx context.Context, in *struct {
		Seen
		EntryQuery
	}) (Saved, error) {
		entry, err := s.Live.Undo(ctx, in.ID, personOf(ctx).Name, s.Clocks.Book(), in.ChecksSeen)
		if err == nil {
			err = s.Store.DropSalesOf(ctx, in.ID)
		}
		return saved(entry), err
	})
}
