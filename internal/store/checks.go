package store

import (
	"context"
	"errors"
	"fmt"
	"time"

	"gorm.io/gorm"

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

// DropCheck forgets a check and says how it was called.
func (s *Store) DropCheck(ctx context.Context, id int64) (name string, err error) {
	err = s.transaction(ctx, func(tx *gorm.DB) error {
		var c Check
		if err := tx.Take(&c, id).Error; err != nil {
			return err
		}
		name = c.Name
		return tx.Delete(&c).Error
	})
	if errors.Is(err, gorm.ErrRecordNotFound) {
		return "", fmt.Errorf("check %d: %w", id, ErrNotFound)
	}
	if err != nil {
		return "", fmt.Errorf("forget the check %d: %w", id, err)
	}
	return name, nil
}
