package book

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"slices"
	"sync"
	"sync/atomic"
	"time"

	"dogbane/internal/bookfile"
	"dogbane/internal/pricing"
)

// Keeper keeps the versions of the book.
type Keeper interface {
	// Load reads the newest version, and names the pieces of it that cannot be read.
	Load(ctx context.Context) (*pricing.Book, int64, []Refused, error)
	// Version is the number of the newest version.
	Version(ctx context.Context) (int64, error)
	// Write keeps an edit as the next version, or says with a *Conflict that a piece is no longer as the edit found it.
	Write(ctx context.Context, e Edit) (Entry, error)
	// LogEntry is a saved edit with its changes.
	LogEntry(ctx context.Context, id int64) (Entry, error)
}

// Guard looks at the prices before and after an edit whose maker has not seen what it breaks, and may refuse it. The
// engine afterwards is being made: asking for it waits.
type Guard func(ctx context.Context, before *pricing.Engine, after func() *pricing.Engine) error

// Live holds the newest snapshot and takes edits. Answers never wait for an edit: a new snapshot is swapped in when it
// is ready.
type Live struct {
	keeper  Keeper
	guard   Guard
	saved   []func()
	current atomic.Pointer[Snapshot]
	edits   sync.Mutex // held while a snapshot is made that is to be the next
}

// OpenLive loads the book. A nil guard refuses nothing.
func OpenLive(ctx context.Context, keeper Keeper, guard Guard) (*Live, error) {
	l := &Live{keeper: keeper, guard: guard}
	if err := l.reload(ctx); err != nil {
		return nil, err
	}
	return l, nil
}

// Current is the newest snapshot known here.
func (l *Live) Current() *Snapshot { return l.current.Load() }

// OnSave has something called after every edit that is saved here. It is said before edits are taken.
func (l *Live) OnSave(do func()) { l.saved = append(l.saved, do) }

// reload loads the book; the lock on edits is held, or nobody else knows the Live yet.
func (l *Live) reload(ctx context.Context) error {
	b, version, refused, err := l.keeper.Load(ctx)
	if err != nil {
		return err
	}
	for _, r := range refused {
		slog.Error("a stored piece cannot be read and takes no part", "kind", r.Kind, "code", r.Code, "problem", r.Problem)
	}
	next, err := NewSnapshot(b, version, pricing.Compile(b), refused)
	if err != nil {
		return err
	}
	l.current.Store(next)
	return nil
}

// Refresh loads the book where another instance has saved a newer version.
func (l *Live) Refresh(ctx context.Context) error {
	l.edits.Lock()
	defer l.edits.Unlock()
	version, err := l.keeper.Version(ctx) // under the lock: a save that is just ending here is no newer version
	if err != nil || version == l.Current().Version {
		return err
	}
	if err := l.reload(ctx); err != nil {
		return fmt.Errorf("load the newer book %d: %w", version, err)
	}
	return nil
}

// Follow reloads the book whenever another instance has saved a newer version, until ctx ends.
func (l *Live) Follow(ctx context.Context, every time.Duration) {
	for {
		select {
		case <-ctx.Done():
			return
		case <-time.After(every):
		}
		if err := l.Refresh(ctx); err != nil && ctx.Err() == nil {
			slog.Warn("cannot see whether the book has changed", "error", err)
		}
	}
}

// Save writes an edit and swaps in the book that it makes. A piece that was changed in the meantime is a *Conflict.
// Errors of the book that the changes would make are bookfile.Errors; the guard's are its own.
func (l *Live) Save(ctx context.Context, edit Edit) (Entry, error) {
	l.edits.Lock()
	defer l.edits.Unlock()
	before := l.Current()
	changed, err := edit.Next, error(nil)
	if changed == nil || edit.Base != before.Book {
		changed, err = Apply(before.Book, edit.Changes)
	} else {
		err = bookfile.CheckTaxClasses(changed)
	}
	if err != nil {
		return Entry{}, err
	}
	next, err := NewSnapshot(changed, before.Version+1, nil, stillRefused(before.Refused, edit.Changes))
	if err != nil {
		return Entry{}, err
	}
	compiling := pricing.Begin(func() { next.Engine = before.Engine.Recompile(changed) }) // while the keeper writes
	defer compiling.Wait()
	if !edit.ChecksSeen && l.guard != nil {
		after := func() *pricing.Engine { compiling.Wait(); return next.Engine }
		if err := l.guard(ctx, before.Engine, after); err != nil {
			return Entry{}, err
		}
	}
	entry, err := l.keeper.Write(ctx, edit)
	if err != nil {
		var conflict *Conflict
		if errors.As(err, &conflict) {
			_ = l.reload(ctx) // somebody else's write; the next answer should show it
		}
		return Entry{}, err
	}
	defer func() {
		for _, do := range l.saved {
			do()
		}
	}()
	if entry.Version != next.Version {
		return entry, l.reload(ctx)
	}
	compiling.Wait()
	l.current.Store(next)
	return entry, nil
}

// stillRefused are the pieces that no change wrote anew.
func stillRefused(refused []Refused, changes []Change) []Refused {
	return slices.DeleteFunc(slices.Clone(refused), func(r Refused) bool {
		return slices.ContainsFunc(changes, func(c Change) bool { return c.Kind == r.Kind && c.Code == r.Code })
	})
}

// Undo takes a saved edit back, as a new edit, with the errors of Save.
func (l *Live) Undo(ctx context.Context, id int64, who string, at time.Time, checksSeen bool) (Entry, error) {
	entry, err := l.keeper.LogEntry(ctx, id)
	if err != nil {
		return Entry{}, err
	}
	back := Edit{Who: who, At: at, Summary: "Undo: " + entry.Summary, Undoes: &id, ChecksSeen: checksSeen}
	back.Changes = Reversed(entry.Changes)
	if len(back.Changes) == 0 {
		return Entry{}, fmt.Errorf("log entry %d changed nothing: %w", id, ErrNotFound)
	}
	return l.Save(ctx, back)
}
