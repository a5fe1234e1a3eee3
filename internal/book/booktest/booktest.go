// Package booktest keeps books in memory, for tests that need a live book and no database.
package booktest

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"sync"
	"testing"
	"time"
	_ "time/tzdata" // books name time zones, whatever the machine knows

	"github.com/stretchr/testify/require"

	"dogbane/internal/book"
	"dogbane/internal/bookfile"
	"dogbane/internal/checks"
	"dogbane/internal/pricing"
)

// Memory keeps a book and its log.
type Memory struct {
	mu     sync.Mutex // guards all
	book   *pricing.Book
	log    []book.Entry
	Checks []checks.Pinned
	Moved  map[int64]int // prices that an entry moved, where somebody counted
}

// Read is a book as docs/book.md writes it. Settings that a test leaves out are euros in UTC.
func Read(t testing.TB, doc string) *pricing.Book {
	t.Helper()
	var parts map[string]json.RawMessage
	require.NoError(t, json.Unmarshal([]byte(doc), &parts))
	parts["book"] = json.RawMessage(fmt.Sprintf("%q", bookfile.Format))
	if parts["settings"] == nil {
		parts["settings"] = json.RawMessage(`{"currency":"EUR","timeZone":"UTC"}`)
	}
	whole, err := json.Marshal(parts)
	require.NoError(t, err)
	b, err := bookfile.Decode(whole)
	require.NoError(t, err)
	return b
}

// Live is a live book that holds a book, kept in memory.
func Live(t testing.TB, b *pricing.Book) (*book.Live, *Memory) {
	t.Helper()
	m := &Memory{book: b, Moved: map[int64]int{}}
	live, err := book.OpenLive(context.Background(), m, checks.Guard(m))
	require.NoError(t, err)
	return live, m
}

// Snapshot is a book as version 1.
func Snapshot(t testing.TB, b *pricing.Book) *book.Snapshot {
	t.Helper()
	s, err := book.NewSnapshot(b, 1, pricing.Compile(b), nil)
	require.NoError(t, err)
	return s
}

// Load is what is kept.
func (m *Memory) Load(context.Context) (*pricing.Book, int64, []book.Refused, error) {
	m.mu.Lock()
	defer m.mu.Unlock()
	return m.book, int64(1 + len(m.log)), nil, nil
}

// Version counts the edits.
func (m *Memory) Version(context.Context) (int64, error) {
	m.mu.Lock()
	defer m.mu.Unlock()
	return int64(1 + len(m.log)), nil
}

// Write keeps an edit. A piece that is no longer as the edit found it is a conflict.
func (m *Memory) Write(_ context.Context, e book.Edit) (book.Entry, error) {
	m.mu.Lock()
	defer m.mu.Unlock()
	now := book.NewPieces(m.book)
	for _, c := range e.Changes {
		if c.Kind == book.Measures {
			continue
		}
		if doc := now.Doc(c.Kind, c.Code); (doc == nil) != (c.Before == nil) || doc != nil &&
			!book.SameDoc(c.Kind, doc, c.Before) {
			return book.Entry{}, &book.Conflict{Kind: c.Kind, Code: c.Code, Now: doc}
		}
	}
	next, err := book.Apply(m.book, e.Changes)
	if err != nil {
		return book.Entry{}, err
	}
	m.book = next
	entry := book.Entry{ID: int64(1 + len(m.log)), At: e.At, Who: e.Who, Version: int64(2 + len(m.log)),
		Summary: e.Summary,
		Changes: slices.Clone(e.Changes), Undoes: e.Undoes}
	m.log = append(m.log, entry)
	return entry, nil
}

// LogEntry is a saved edit.
func (m *Memory) LogEntry(_ context.Context, id int64) (book.Entry, error) {
	m.mu.Lock()
	defer m.mu.Unlock()
	if id < 1 || id > int64(len(m.log)) {
		return book.Entry{}, book.ErrNotFound
	}
	return m.log[id-1], nil
}

// EntryOf is the edit that led to a version.
func (m *Memory) EntryOf(ctx context.Context, version int64) (book.Entry, error) {
	return m.LogEntry(ctx, version-1)
}

// Uncounted are the newest edits of which nobody has counted the moved prices.
func (m *Memory) Uncounted(_ context.Context, limit int) ([]book.Entry, error) {
	m.mu.Lock()
	defer m.mu.Unlock()
	var list []book.Entry
	for _, e := range slices.Backward(m.log) {
		if _, counted := m.Moved[e.ID]; !counted && len(list) < limit {
			list = append(list, e)
		}
	}
	return list, nil
}

// SetMoved keeps how many prices an edit moved.
func (m *Memory) SetMoved(_ context.Context, id int64, n int) error {
	m.mu.Lock()
	defer m.mu.Unlock()
	m.Moved[id] = n
	return nil
}

// Pinned are the checks.
func (m *Memory) Pinned(context.Context) ([]checks.Pinned, error) { return m.Checks, nil }

// Save saves changes that a test needs.
func Save(t testing.TB, live *book.Live, changes ...book.Change) book.Entry {
	t.Helper()
	entry, err := live.Save(t.Context(), book.Edit{Who: "me", At: time.Date(2026, 11, 26, 8, 0, 0, 0, time.UTC),
		Summary: "an edit", Changes: changes, ChecksSeen: true})
	require.NoError(t, err)
	return entry
}
