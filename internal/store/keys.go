package store

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"strings"
	"time"

	"gorm.io/gorm"
)

// ChannelKey lets the programs of a channel ask.
type ChannelKey struct {
	ID            int64
	Channel, Name string
	Rights        []string
	Who           string
	At            time.Time
	LastUsed      *time.Time
	Revoked       *time.Time
}

// May reports whether the key has a right.
func (k *ChannelKey) May(right string) bool {
	for _, r := range k.Rights {
		if r == right {
			return true
		}
	}
	return false
}

type channelKeyRow struct {
	ID            int64
	Channel, Name string
	Rights, Hash  string
	Who           string
	At            time.Time
	LastUsed      *time.Time
	Revoked       *time.Time
}

func (channelKeyRow) TableName() string { return "channel_keys" }

func (r *channelKeyRow) key() ChannelKey {
	return ChannelKey{r.ID, r.Channel, r.Name, strings.Fields(r.Rights), r.Who, r.At, r.LastUsed, r.Revoked}
}

func keyHash(key string) string {
	sum := sha256.Sum256([]byte(key))
	return hex.EncodeToString(sum[:])
}

// MakeKey keeps a new key of a channel and returns it; only its hash is kept.
func (s *Store) MakeKey(ctx context.Context, k *ChannelKey) (string, error) {
	key := "dogbane-" + rand.Text()
	row := channelKeyRow{
		Channel: k.Channel,
		Name:    k.Name,
		Rights:  strings.Join(k.Rights, " "),
		Hash:    keyHash(key),
		Who:     k.Who,
		At:      k.At,
	}
	if err := s.db.WithContext(ctx).Create(&row).Error; err != nil {
		return "", fmt.Errorf("keep a key of %s: %w", k.Channel, err)
	}
	k.ID = row.ID
	return key, nil
}

// KeyOf is what a key that somebody shows stands for, revoked or not.
func (s *Store) KeyOf(ctx context.Context, key string) (ChannelKey, error) {
	var row channelKeyRow
	err := s.db.WithContext(ctx).Where("hash = ?", keyHash(key)).Take(&row).Error
	if errors.Is(err, gorm.ErrRecordNotFound) {
		return ChannelKey{}, fmt.Errorf("look a key up: %w", ErrNotFound)
	}
	if err != nil {
		return ChannelKey{}, fmt.Errorf("look a key up: %w", err)
	}
	return row.key(), nil
}

// Keys are a channel's, newest first, revoked ones among them.
func (s *Store) Keys(ctx context.Context, channel string) ([]ChannelKey, error) {
	var rows []channelKeyRow
	if err := s.db.WithContext(ctx).Where("channel = ?", channel).Order("id DESC").Find(&rows).Error; err != nil {
		return nil, fmt.Errorf("read the keys of %s: %w", channel, err)
	}
	list := make([]ChannelKey, len(rows))
	for i := range rows {
		list[i] = rows[i].key()
	}
	return list, nil
}

// RevokeKey ends a key of a channel for good. Ending it again changes nothing.
func (s *Store) RevokeKey(ctx context.Context, channel string, id int64, at time.Time) error {
	var row channelKeyRow
	err := s.db.WithContext(ctx).Where("id = ? AND channel = ?", id, channel).Take(&row).Error
	if errors.Is(err, gorm.ErrRecordNotFound) {
		return fmt.Errorf("key %d of %s: %w", id, channel, ErrNotFound)
	}
	if err == nil && row.Revoked == nil {
		err = s.db.WithContext(ctx).Model(&row).Update("revoked", at).Error
	}
	if err != nil {
		return fmt.Errorf("revoke the key %d of %s: %w", id, channel, err)
	}
	return nil
}

// UsedKey notes when a key was used last.
func (s *Store) UsedKey(ctx context.Context, id int64, at time.Time) error {
	if err := s.db.WithContext(ctx).Model(&channelKeyRow{ID: id}).Update("last_used", at).Error; err != nil {
		return fmt.Errorf("note the use of the key %d: %w", id, err)
	}
	return nil
}
