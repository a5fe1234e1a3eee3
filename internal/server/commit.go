package server

import (
	"context"
	"net/http"
	"slices"

	"dogbane/internal/book"
	"dogbane/internal/publish/pieces"
)

// Saved is what a write answers.
type Saved struct {
	Version int64  `json:"version"`
	Entry   int64  `json:"entry" doc:"of the log; it can be undone"`
	Summary string `json:"summary"`
	// Publish says that it reaches channels when somebody publishes it; else it is in force.
	Publish bool `json:"publish" doc:"whether it reaches channels only when it is published; else it holds there once saved"`
}

func saved(e book.Entry) Saved {
	return Saved{e.Version, e.ID, e.Summary,
		slices.ContainsFunc(e.Changes, func(c book.Change) bool { return pieces.Are(c.Kind) })}
}

// Seen is part of every request that changes the book.
type Seen struct {
	ChecksSeen bool `header:"Checks-Seen" doc:"whoever sends this has seen which pinned prices it breaks; else breaking one is refused"`
}

// commit saves changes in the name of whoever asks.
func (s *Server) commit(ctx context.Context, seen Seen, summary string, changes []book.Change) (Saved, error) {
	if len(changes) == 0 {
		return Saved{}, errNothing
	}
	entry, err := s.Live.Save(ctx, book.Edit{Who: personOf(ctx).Name, At: s.Clocks.Book(), Summary: summary,
		Changes: changes, ChecksSeen: seen.ChecksSeen})
	return saved(entry), err
}

var errNothing error = model(http.StatusConflict, "This changes nothing.")
