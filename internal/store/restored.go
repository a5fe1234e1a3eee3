package store

import (
	"context"
	"fmt"
	"time"

	"dogbane/internal/publish"
)

// NextPublication is the number that the next publication gets.
func (s *Store) NextPublication(ctx context.Context) (int64, error) {
	var next int64
	err := s.db.WithContext(ctx).Raw(`SELECT GREATEST(
		COALESCE((SELECT MAX(id) FROM publications), 0) + 1,
		COALESCE((SELECT auto_increment FROM information_schema.tables
			WHERE table_schema = DATABASE() AND table_name = 'publications'), 1))`).Scan(&next).Error
	if err != nil {
		return 0, fmt.Errorf("look the next number of a publication up: %w", err)
	}
	return next, nil
}

// compareFirst is the fact that a channel has to be compared before anything is sent to it.
const compareFirst = "compare first: "

// PutBack says that the database was put back from a copy. Numbers that were given since may be known to channels with
// other contents: they go on at the Unix second. What channels took since nobody knows here: each that can be asked is
// compared before anything is sent.
func (s *Store) PutBack(ctx context.Context, now time.Time) (int64, error) {
	next, err := s.NextPublication(ctx)
	if err != nil {
		return 0, err
	}
	next = max(next, now.Unix())
	links, err := s.Links(ctx)
	if err != nil {
		return 0, err
	}
	for channel := range links {
		if links[channel].Kind == publish.HTTP {
			if err := s.SetFact(ctx, compareFirst+channel, "yes"); err != nil {
				return 0, err
			}
		}
	}
	// A number is no parameter of this statement.
	alter := fmt.Sprintf("ALTER TABLE publications AUTO_INCREMENT = %d", next)
	if err := s.db.WithContext(ctx).Exec(alter).Error; err != nil {
		return 0, fmt.Errorf("let the numbers of publications go on at %d: %w", next, err)
	}
	return next, nil
}

// ComparesFirst reports whether a channel has to be compared before anything is sent to it.
func (s *Store) ComparesFirst(ctx context.Context, channel string) (bool, error) {
	value, err := s.Fact(ctx, compareFirst+channel)
	return value != "", err
}

// ComparedFirst says that it was.
func (s *Store) ComparedFirst(ctx context.Context, channel string) error {
	return s.DropFact(ctx, compareFirst+channel)
}

// Now is the database's clock, UTC.
func (s *Store) Now(ctx context.Context) (now time.Time, err error) {
	if err := s.db.WithContext(ctx).Raw("SELECT UTC_TIMESTAMP(6)").Row().Scan(&now); err != nil {
		return now, fmt.Errorf("ask the database's clock: %w", err)
	}
	return now, nil
}
