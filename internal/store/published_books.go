package store

import (
	"context"
	"fmt"

	"dogbane/internal/publish"
)

// KeepBook keeps a version of the book that a channel may come to show.
func (s *Store) KeepBook(ctx context.Context, version int64, book func() []byte) error {
	var known int64
	err := s.db.WithContext(ctx).Raw("SELECT COUNT(*) FROM published_books WHERE version = ?", version).Scan(&known).Error
	if err == nil && known == 0 {
		err = s.db.WithContext(ctx).Exec("INSERT IGNORE INTO published_books (version, book) VALUES (?, ?)", version,
			packed(book())).Error
	}
	if err != nil {
		return fmt.Errorf("keep version %d of the book: %w", version, err)
	}
	return nil
}

// KeptBook is a version of the book that a channel shows, as a document.
func (s *Store) KeptBook(ctx context.Context, version int64) ([]byte, error) {
	var rows [][]byte
	err := s.db.WithContext(ctx).Raw("SELECT book FROM published_books WHERE version = ?", version).Scan(&rows).Error
	if err == nil && len(rows) == 0 {
		err = publish.ErrForgotten
	}
	var book []byte
	if err == nil {
		book, err = unpacked(rows[0])
	}
	if err != nil {
		return nil, fmt.Errorf("read version %d of the book: %w", version, err)
	}
	return book, nil
}
