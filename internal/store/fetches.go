package store

import (
	"context"
	"fmt"
	"time"
)

// Fetch is when a feed of a channel was fetched last with a key.
type Fetch struct {
	Form    string // the feed's ending, as .csv
	KeyID   int64
	KeyName string
	At      time.Time
	WholeAt *time.Time // when it was sent whole last; nil: it never was, as it was unchanged
}

// NoteFetch notes that a feed was fetched: whole, or as unchanged.
func (s *Store) NoteFetch(ctx context.Context, channel, form string, key int64, at time.Time, whole bool) error {
	var sent *time.Time
	if whole {
		sent = &at
	}
	err := s.db.WithContext(ctx).Exec(`INSERT INTO feed_fetches (channel, form, key_id, at, whole_at) VALUES (?, ?, ?, ?, ?)
		ON DUPLICATE KEY UPDATE at = VALUES(at), whole_at = COALESCE(VALUES(whole_at), whole_at)`, channel, form, key,
		at.UTC(), sent).Error
	if err != nil {
		return fmt.Errorf("note that the %s feed of %q was fetched: %w", form, channel, err)
	}
	return nil
}

// Fetches are those of a channel, the newest first.
func (s *Store) Fetches(ctx context.Context, channel string) (list []Fetch, err error) {
	err = s.db.WithContext(ctx).Raw(`SELECT f.form, f.key_id, k.name AS key_name, f.at, f.whole_at FROM feed_fetches f
		JOIN channel_keys k ON k.id = f.key_id WHERE f.channel = ? ORDER BY f.at DESC, f.form`, channel).Scan(&list).Error
	if err != nil {
		return nil, fmt.Errorf("read when the feeds of %q were fetched: %w", channel, err)
	}
	return list, nil
}
