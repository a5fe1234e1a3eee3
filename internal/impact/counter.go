package impact

import (
	"context"
	"fmt"
	"log/slog"
	"slices"
	"time"

	"dogbane/internal/book"
	"dogbane/internal/pricing"
)

// Counter counts, beside everything else, how many prices of the channels each saved edit moved, for the log. It
// walks back from the newest book, so it holds two books however many edits wait, and what a stop left uncounted is
// counted after the next start.
type Counter struct {
	log     Log
	live    *book.Live
	wake    chan struct{}
	skipped map[int64]pause // entries that could not be counted, for a while
}

// pause is until when something is not tried again, and how long it is left alone then.
type pause struct {
	until time.Time
	next  time.Duration
}

const longestPause = 24 * time.Hour

// skip leaves an entry alone for a while: the database may have been away, and the others go on meanwhile.
func (c *Counter) skip(id int64) {
	next := max(c.skipped[id].next, time.Minute)
	c.skipped[id] = pause{time.Now().Add(next), min(2*next, longestPause)}
}

// NewCounter counts the edits of a live book.
func NewCounter(log Log, live *book.Live) *Counter {
	return &Counter{log, live, make(chan struct{}, 1), map[int64]pause{}}
}

// Log is where edits are kept with how many prices they moved.
type Log interface {
	// Uncounted are the newest entries of which nobody knows yet how many prices they moved, newest first.
	Uncounted(ctx context.Context, limit int) ([]book.Entry, error)
	// EntryOf is the entry that led to a version, with its changes.
	EntryOf(ctx context.Context, version int64) (book.Entry, error)
	SetMoved(ctx context.Context, id int64, n int) error
}

// Look says that an edit was saved.
func (c *Counter) Look() {
	select {
	case c.wake <- struct{}{}:
	default: // it will look anyway
	}
}

// Run counts until ctx ends.
func (c *Counter) Run(ctx context.Context) {
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
func (c *Counter) countAll(ctx context.Context) error {
	var at *book.Past
	for {
		waiting, err := c.log.Uncounted(ctx, 50)
		if err != nil {
			return err
		}
		waiting = slices.DeleteFunc(waiting, func(e book.Entry) bool { return time.Now().Before(c.skipped[e.ID].until) })
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
				if at, err = c.before(ctx, at); err != nil {
					return err
				}
			}
			before, err := c.before(ctx, at)
			if err != nil {
				c.skip(e.ID)
				return fmt.Errorf("entry %d: %w", e.ID, err)
			}
			if err := c.count(ctx, e, before, at); err != nil {
				c.skip(e.ID)
				return fmt.Errorf("entry %d: %w", e.ID, err)
			}
			at = before
		}
		if waiting[0].Version > c.live.Current().Version {
			return nil
		}
	}
}

func (c *Counter) count(ctx context.Context, e book.Entry, before, after *book.Past) error {
	zone, err := time.LoadLocation(after.Book.Settings.TimeZone)
	if err != nil {
		return fmt.Errorf("read the book's time zone: %w", err)
	}
	at := pricing.MomentOf(e.At.In(zone))
	at -= at % pricing.Minute
	total := 0
	for i := range after.Book.Channels {
		tally, err := Between(before.Engine, after.Engine, pricing.Viewpoint{Channel: after.Book.Channels[i].Code, At: at,
			Quantity: 1})
		if err != nil {
			return err
		}
		total += tally.Moved
		if err := ctx.Err(); err != nil {
			return err
		}
	}
	return c.log.SetMoved(ctx, e.ID, total)
}

// before is the book one version earlier.
func (c *Counter) before(ctx context.Context, at *book.Past) (*book.Past, error) {
	entry, err := c.log.EntryOf(ctx, at.Version)
	if err != nil {
		return nil, err
	}
	return at.Before(entry.Changes)
}
