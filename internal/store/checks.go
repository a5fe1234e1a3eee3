package store

import (
	"context"
	"fmt"
	"time"

	"dogbane/internal/checks"
)

// Check is an expected price that somebody pinned: an expectation as docs/book.md writes it.
type Check struct {
	ID   int64
	Name string
	Doc  string
	Who  string
	At   time.Time
}

// Checks are all, oldest first.
func (s *Store) Checks(ctx context.Context) ([]Check, error) {
	var list []Check
	if err := s.db.WithContext(ctx).Order("id").Find(&list).Error; err != nil {
		return nil, fmt.Errorf("read the checks: %w", err)
	}
	return list, nil
}

// Pinned are all checks as they are run.
func (s *Store) Pinned(ctx context.Context) ([]checks.Pinned, error) {
	list, err := s.Checks(ctx)
	pinned := make([]checks.Pinned, len(list))
	for i, c := range list {
		pinned[i] = checks.Pinned{ID: c.ID, Name: c.Name, Doc: c.Doc}
	}
	return pinned, err
}

// SaveCheck keeps a new check (ID 0) or another state of one.
func (s *Store) SaveCheck(ctx context.Context, c *Check) error {
	if err := s.db.WithContext(ctx).Save(c).Error; err != nil {
		return fmt.Errorf("keep the check %q: %w", c.Name, err)
	}
	return nil
}

// DropCheck forgets a check.
func (s *Store) DropCheck(ctx context.Context, id int64) error {
	done := s.db.WithContext(ctx).Delete(&Check{}, id)
	if done.Error != nil {
		return fmt.Errorf("forget the check %d: %w", id, done.Error)
	}
	if done.RowsAffected == 0 {
		return fmt.Errorf("check %d: %w", id, ErrNotFound)
	}
	return nil
}
