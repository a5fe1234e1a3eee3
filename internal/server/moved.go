package server

import (
	"context"
	"fmt"
	"log/slog"
	"slices"
	"time"

	"dogbane/internal/pricing"
	"dogbane/internal/store"
)

// movedCounter counts, beside everything else, how many prices of the channels each saved edit moved, for the log. It
// walks back from the newest book, so it holds two books however many edits wait, and what a stop left uncounted is
// counted after the next start.
type movedCounter struct {
	*Server
	wake    chan struct{}
	skipped map[int64]bool // entries that cannot be counted
}

func newMovedCounter(s *Server) *movedCounter {
	return &movedCounter{s, make(chan struct{}, 1), map[int64]bool{}}
}

// look says that an edit was saved.
func (c *movedCounter) look() {
	select {
	case c.wake <- struct{}{}:
	default: // it will look anyway
	}
}

// run counts until ctx ends.
func (c *movedCounter) run(ctx context.Context) {
	for ctx.Err() == nil {
		if err := c.countAll(ctx); err != nil && ctx.Err() == nil {
			slog.Error("cannot count moved prices", "error", err)
		}
		select {
		case <-ctx.Done():
		case <-c.wake:
		case <-time.After(time.Minute): // another instance may have saved and ended
		}
	}
}

// countAll counts what is not counted yet, the newest first.
func (c *movedCounter) countAll(ctx context.Context) error {
	var at *store.Past
	for {
		waiting, err := c.store.Uncounted(ctx, 50)
		if err != nil {
			return err
		}
		waiting = slices.DeleteFunc(waiting, func(e store.Entry) bool { return c.skipped[e.ID] })
		if len(waiting) == 0 {
			return nil
		}
		if at == nil || at.Version < waiting[0].Version { // the first, or newer edits came in
			at = c.live.Current().Past()
		}
		for _, e := range waiting {
			if e.Version > at.Version {
				break // of another instance; it is not known here yet
			}
			for at.Version > e.Version {
				if at, err = c.store.Before(ctx, at); err != nil {
					return err
				}
			}
			before, err := c.store.Before(ctx, at)
			if err != nil {
				c.skipped[e.ID] = true
				return fmt.Errorf("entry %d: %w", e.ID, err)
			}
			if err := c.count(ctx, e, before, at); err != nil {
				c.skipped[e.ID] = true
				return fmt.Errorf("entry %d: %w", e.ID, err)
			}
			at = before
		}
		if waiting[0].Version > c.live.Current().Version {
			return nil
		}
	}
}

func (c *movedCounter) count(ctx context.Context, e store.Entry, before, after *store.Past) error {
	zone, err := time.LoadLocation(after.Book.Settings.TimeZone)
	if err != nil {
		return fmt.Errorf("read the book's time zone: %w", err)
	}
	at := pricing.MomentOf(e.At.In(zone))
	at -= at % pricing.Minute
	total := 0
	for i := range after.Book.Channels {
		moved, _, err := moves(before.Engine, after.Engine, pricing.Viewpoint{Channel: after.Book.Channels[i].Code, At: at, Quantity: 1})
		if err != nil {
			return err
		}
		total += moved
		if err := ctx.Err(); err != nil {
			return err
		}
	}
	return c.store.SetMoved(ctx, e.ID, total)
}
