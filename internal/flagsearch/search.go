// Package flagsearch looks for the flags of the newest book beside everything else that goes on: at most one search at
// a time, given up when the book is another, slow while somebody asks something. What a flag is belongs to package
// flags.
package flagsearch

import (
	"cmp"
	"context"
	"errors"
	"log/slog"
	"slices"
	"sync"
	"time"

	"dogbane/internal/book"
	"dogbane/internal/clock"
	"dogbane/internal/pricing"
	"dogbane/internal/pricing/flags"
)

// Span is how far ahead flags are looked for.
const Span = 90 * pricing.Day

// Search keeps the flags of the newest book that was looked at.
type Search struct {
	now  clock.Clock // the book's
	busy func(within time.Duration) bool
	wake chan struct{}

	mu     sync.Mutex // guards what follows
	wanted *book.Snapshot
	day    pricing.Moment     // that the wanted search is of
	stop   context.CancelFunc // of the search under way; nil: there is none
	under  target             // what is being looked at
	done   target
	found  []flags.Flag
}

// target is what a search is of.
type target struct {
	version int64
	day     pricing.Moment
}

// New makes a search that holds back while busy says that somebody asked something within a time.
func New(now clock.Clock, busy func(within time.Duration) bool) *Search {
	return &Search{now: now, busy: busy, wake: make(chan struct{}, 1)}
}

// Of are the flags found last, of which version of the book, and whether a newer one is being looked at or will be.
// Asking has the snapshot looked at.
func (s *Search) Of(snap *book.Snapshot) (found []flags.Flag, version int64, searching bool) {
	at := snap.Moment(s.now())
	s.mu.Lock()
	defer s.mu.Unlock()
	s.wanted, s.day = snap, at-at%pricing.Day
	next := target{snap.Version, s.day}
	if s.stop != nil && s.under.version != snap.Version {
		s.stop() // a search of a book that is no longer the saved one
	}
	if s.done != next {
		select {
		case s.wake <- struct{}{}:
		default: // it will look anyway
		}
	}
	return s.found, s.done.version, s.done != next
}

// Run searches until ctx ends.
func (s *Search) Run(ctx context.Context) {
	for {
		select {
		case <-ctx.Done():
			return
		case <-s.wake:
		}
		for s.once(ctx) {
		}
	}
}

// once makes the wanted search, and reports whether another may be wanted by now.
func (s *Search) once(ctx context.Context) (more bool) {
	searching, stop := context.WithCancel(ctx)
	defer stop()
	s.mu.Lock()
	snap, next := s.wanted, target{}
	if snap != nil {
		next = target{snap.Version, s.day}
	}
	if snap == nil || s.done == next || ctx.Err() != nil {
		s.mu.Unlock()
		return false
	}
	s.stop, s.under = stop, next
	s.mu.Unlock()
	found, err := s.find(searching, snap)
	s.mu.Lock()
	defer s.mu.Unlock()
	s.stop = nil
	if errors.Is(err, context.Canceled) {
		return true
	}
	if err != nil {
		slog.Error("cannot look for flags", "error", err)
	}
	s.done, s.found = next, found
	return true
}

// find works half of the time, and a twenty-fifth of it while somebody is asking something.
func (s *Search) find(ctx context.Context, snap *book.Snapshot) ([]flags.Flag, error) {
	var channels []string
	for i := range snap.Book.Channels {
		channels = append(channels, snap.Book.Channels[i].Code)
	}
	began := time.Now()
	rest := func() error {
		worked := time.Since(began)
		wait(ctx, min(worked, time.Second))
		for waited := worked; s.busy(400*time.Millisecond) && waited < min(24*worked, 5*time.Second) &&
			ctx.Err() == nil; waited += tick {
			wait(ctx, tick)
		}
		began = time.Now()
		return ctx.Err()
	}
	at := snap.Moment(s.now())
	found, err := flags.Find(snap.Engine, flags.Question{From: at, To: at + Span, Channels: channels, Between: rest})
	// The most money at stake first.
	slices.SortStableFunc(found, func(a, b flags.Flag) int {
		if a.Margin != nil && b.Margin != nil {
			return a.Margin.Cmp(*b.Margin)
		}
		return cmp.Compare(a.Kind, b.Kind)
	})
	return found, err
}

const tick = 20 * time.Millisecond

func wait(ctx context.Context, d time.Duration) {
	select {
	case <-ctx.Done():
	case <-time.After(d):
	}
}
