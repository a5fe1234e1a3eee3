package store

import (
	"context"
	"errors"
	"fmt"
	"slices"

	"gorm.io/gorm"

	"dogbane/internal/pricing"
)

// Past is the book as it was at a version.
type Past struct {
	Version int64
	Book    *pricing.Book
	Engine  *pricing.Engine
}

// Past is the snapshot as a place to go back from.
func (s *Snapshot) Past() *Past { return &Past{s.Version, s.Book, s.Engine} }

// Before is the book one version earlier.
func (s *Store) Before(ctx context.Context, p *Past) (*Past, error) {
	var row logRow
	err := s.db.WithContext(ctx).Where("version = ?", p.Version).Take(&row).Error
	if errors.Is(err, gorm.ErrRecordNotFound) {
		return nil, fmt.Errorf("version %d: %w", p.Version, ErrNotFound)
	}
	if err != nil {
		return nil, fmt.Errorf("read how version %d came about: %w", p.Version, err)
	}
	entry, err := s.LogEntry(ctx, row.ID)
	if err != nil {
		return nil, err
	}
	book, err := Apply(p.Book, reversed(entry.Changes))
	if err != nil {
		return nil, fmt.Errorf("go back before version %d: %w", p.Version, err)
	}
	return &Past{p.Version - 1, book, p.Engine.Recompile(book)}, nil
}

// reversed are the changes that take changes back.
func reversed(changes []Change) []Change {
	back := make([]Change, 0, len(changes))
	for _, c := range slices.Backward(changes) {
		back = append(back, Change{Kind: c.Kind, Code: c.Code, Before: c.After, After: c.Before})
	}
	return back
}

// Uncounted are the newest entries of which nobody knows yet how many prices they moved, newest first, without what they
// changed.
func (s *Store) Uncounted(ctx context.Context, limit int) ([]Entry, error) {
	var rows []logRow
	err := s.db.WithContext(ctx).Raw("SELECT id, at, version FROM log WHERE moved IS NULL AND version > 1 ORDER BY version DESC LIMIT ?", limit).Scan(&rows).Error
	if err != nil {
		return nil, fmt.Errorf("look for edits that are not counted: %w", err)
	}
	entries := make([]Entry, len(rows))
	for i, r := range rows {
		entries[i] = Entry{ID: r.ID, At: r.At, Version: r.Version}
	}
	return entries, nil
}
