package store

import (
	"bytes"
	"compress/gzip"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"dogbane/internal/flagsearch"
	"dogbane/internal/pricing"
)

type foundRow struct {
	Version int64
	Since   int64
	Flags   []byte
}

func (foundRow) TableName() string { return "found_flags" }

// KeptFlags are those of a version of the book, looked for from a moment on; false where nobody has.
func (s *Store) KeptFlags(ctx context.Context, version int64, since pricing.Moment) ([]byte, bool, error) {
	var row foundRow
	err := s.db.WithContext(ctx).Where("version = ? AND since = ?", version, since).Take(&row).Error
	if errors.Is(err, gorm.ErrRecordNotFound) {
		return nil, false, nil
	}
	if err != nil {
		return nil, false, fmt.Errorf("read the flags of version %d: %w", version, err)
	}
	r, err := gzip.NewReader(bytes.NewReader(row.Flags))
	if err != nil {
		return nil, false, fmt.Errorf("unpack the flags of version %d: %w", version, err)
	}
	data, err := io.ReadAll(r)
	return data, err == nil, err
}

// KeepFlags keeps what was found in a version, and forgets what was found in others.
func (s *Store) KeepFlags(ctx context.Context, version int64, since pricing.Moment, found []byte) error {
	var packed bytes.Buffer
	w := gzip.NewWriter(&packed)
	_, err := w.Write(found)
	if err = errors.Join(err, w.Close()); err != nil {
		return fmt.Errorf("pack flags: %w", err)
	}
	err = s.transaction(ctx, func(tx *gorm.DB) error {
		if err := tx.Where("version < ? OR since < ?", version, since).Delete(&foundRow{}).Error; err != nil {
			return err
		}
		return tx.Clauses(clause.OnConflict{UpdateAll: true}).Create(&foundRow{version, int64(since), packed.Bytes()}).Error
	})
	if err != nil {
		return fmt.Errorf("keep the flags of version %d: %w", version, err)
	}
	return nil
}

type flagHistoryRow struct {
	ID          int64
	SubjectHash string
	Subject     string
	Raised      *int64
	RaisedAt    *time.Time
	Cleared     *int64
	ClearedAt   *time.Time
}

func (flagHistoryRow) TableName() string { return "flag_history" }

func subjectHash(subject string) string {
	sum := sha256.Sum256([]byte(subject))
	return hex.EncodeToString(sum[:])
}

// mostNoted bounds how many flags of one edit are noted one by one: an import may raise a hundred thousand.
const mostNoted = 2000

// NoteFlags notes which flags came and went with a version. Another instance may have noted the same.
func (s *Store) NoteFlags(ctx context.Context, version int64, at time.Time, raised, cleared []string) error {
	err := s.transaction(ctx, func(tx *gorm.DB) error {
		for _, subject := range raised[:min(len(raised), mostNoted)] {
			hash := subjectHash(subject)
			var open int64
			of := tx.Model(&flagHistoryRow{}).Where("subject_hash = ? AND cleared IS NULL", hash)
			if err := of.Count(&open).Error; err != nil {
				return err
			}
			if open > 0 {
				continue
			}
			row := flagHistoryRow{SubjectHash: hash, Subject: subject, Raised: &version, RaisedAt: &at}
			if err := tx.Create(&row).Error; err != nil {
				return err
			}
		}
		for _, subject := range cleared[:min(len(cleared), mostNoted)] {
			hash := subjectHash(subject)
			done := tx.Model(&flagHistoryRow{}).Where("subject_hash = ? AND cleared IS NULL", hash).
				Updates(map[string]any{"cleared": version, "cleared_at": at})
			if done.Error != nil {
				return done.Error
			}
			if done.RowsAffected > 0 {
				continue
			}
			var known int64
			of := tx.Model(&flagHistoryRow{}).Where("subject_hash = ? AND cleared = ?", hash, version)
			if err := of.Count(&known).Error; err != nil {
				return err
			}
			if known > 0 {
				continue
			}
			row := flagHistoryRow{SubjectHash: hash, Subject: subject, Cleared: &version, ClearedAt: &at}
			if err := tx.Create(&row).Error; err != nil {
				return err
			}
		}
		return nil
	})
	if err != nil {
		return fmt.Errorf("note the flags of version %d: %w", version, err)
	}
	return nil
}

// FlagHistory is when a flag came and went, the newest first.
func (s *Store) FlagHistory(ctx context.Context, subject string, limit int) (list []flagsearch.Spell, err error) {
	var rows []flagHistoryRow
	of := s.db.WithContext(ctx).Where("subject_hash = ?", subjectHash(subject))
	if err = of.Order("id DESC").Limit(limit).Find(&rows).Error; err != nil {
		return nil, fmt.Errorf("read the history of a flag: %w", err)
	}
	for _, r := range rows {
		list = append(list, flagsearch.Spell{Raised: r.Raised, RaisedAt: r.RaisedAt, Cleared: r.Cleared,
			ClearedAt: r.ClearedAt})
	}
	return list, nil
}

type acknowledgementRow struct {
	SubjectHash string `gorm:"primaryKey"`
	Subject     string
	Who         string
	At, Until   time.Time
	Reason      string
}

func (acknowledgementRow) TableName() string { return "flag_acknowledgements" }

// Acknowledge keeps that somebody lives with a flag until a moment.
func (s *Store) Acknowledge(ctx context.Context, a flagsearch.Acknowledgement, subjects ...string) error {
	rows := make([]acknowledgementRow, len(subjects))
	for i, subject := range subjects {
		rows[i] = acknowledgementRow{subjectHash(subject), subject, a.Who, a.At, a.Until, a.Reason}
	}
	err := s.db.WithContext(ctx).Clauses(clause.OnConflict{UpdateAll: true}).CreateInBatches(&rows, 500).Error
	if err != nil {
		return fmt.Errorf("acknowledge %d flags: %w", len(rows), err)
	}
	return nil
}

// ForgetAcknowledgement brings a flag back.
func (s *Store) ForgetAcknowledgement(ctx context.Context, subject string) error {
	err := s.db.WithContext(ctx).Where("subject_hash = ?", subjectHash(subject)).Delete(&acknowledgementRow{}).Error
	if err != nil {
		return fmt.Errorf("bring a flag back: %w", err)
	}
	return nil
}

// Acknowledged are the flags that are acknowledged at a moment, by subject.
func (s *Store) Acknowledged(ctx context.Context, now time.Time) (map[string]flagsearch.Acknowledgement, error) {
	var rows []acknowledgementRow
	if err := s.db.WithContext(ctx).Where("until > ?", now).Find(&rows).Error; err != nil {
		return nil, fmt.Errorf("read acknowledgements: %w", err)
	}
	list := map[string]flagsearch.Acknowledgement{}
	for _, r := range rows {
		list[r.Subject] = flagsearch.Acknowledgement{Who: r.Who, At: r.At, Until: r.Until, Reason: r.Reason}
	}
	return list, nil
}
