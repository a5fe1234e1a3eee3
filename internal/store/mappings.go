package store

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"strings"

	"dogbane/internal/intake"

	"gorm.io/gorm"
)

type importMapping struct {
	Kind    string `gorm:"primaryKey"`
	Headers string `gorm:"primaryKey"`
	Mapping string
}

func headersKey(headers []string) string {
	sum := sha256.Sum256([]byte(strings.Join(headers, "\x00")))
	return hex.EncodeToString(sum[:])
}

// Mapping is how the columns of a file with these headers were matched last; nil where there was none.
func (s *Store) Mapping(ctx context.Context, kind string, headers []string) (*intake.Matched, error) {
	var row importMapping
	err := s.db.WithContext(ctx).Where("kind = ? AND headers = ?", kind, headersKey(headers)).Take(&row).Error
	if errors.Is(err, gorm.ErrRecordNotFound) {
		return nil, nil
	}
	var matched intake.Matched
	if err == nil {
		err = json.Unmarshal([]byte(row.Mapping), &matched)
	}
	if err == nil && matched.Mapping == nil { // older versions kept the mapping alone
		err = json.Unmarshal([]byte(row.Mapping), &matched.Mapping)
	}
	if err != nil {
		return nil, fmt.Errorf("read how columns were matched: %w", err)
	}
	return &matched, nil
}

// KeepMapping remembers how the columns of a file were matched.
func (s *Store) KeepMapping(ctx context.Context, kind string, headers []string, matched intake.Matched) error {
	text, err := json.Marshal(matched)
	if err == nil {
		err = s.db.WithContext(ctx).Save(&importMapping{kind, headersKey(headers), string(text)}).Error
	}
	if err != nil {
		return fmt.Errorf("remember how columns were matched: %w", err)
	}
	return nil
}

// KeepRateDays adds the days of rates.
func (s *Store) KeepRateDays(ctx context.Context, days []intake.RateDay) error {
	if len(days) == 0 {
		return nil
	}
	if err := s.db.WithContext(ctx).Create(&days).Error; err != nil {
		return fmt.Errorf("keep the days of exchange rates: %w", err)
	}
	return nil
}

// RateDays are all days of rates, newest first.
func (s *Store) RateDays(ctx context.Context) ([]intake.RateDay, error) {
	var list []intake.RateDay
	if err := s.db.WithContext(ctx).Order("id DESC").Find(&list).Error; err != nil {
		return nil, fmt.Errorf("read the days of exchange rates: %w", err)
	}
	return list, nil
}
