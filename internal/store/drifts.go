package store

import (
	"context"
	"fmt"
	"time"

	"gorm.io/gorm"

	"dogbane/internal/publish"
)

// drift is a row of the table of that name.
type drift struct {
	Channel     string `gorm:"primaryKey"`
	SKU         string `gorm:"column:sku;primaryKey"`
	Took, Shows *string
	Since       time.Time
	Accepted    bool
}

// Drifts are where a channel does not show what it took, by the bytes of their SKU.
func (s *Store) Drifts(ctx context.Context, channel string) ([]publish.Drift, error) {
	var rows []drift
	if err := s.db.WithContext(ctx).Where("channel = ?", channel).Order("sku").Find(&rows).Error; err != nil {
		return nil, fmt.Errorf("read the drifts of channel %q: %w", channel, err)
	}
	list := make([]publish.Drift, len(rows))
	for i, r := range rows {
		list[i] = publish.Drift{SKU: r.SKU, Took: r.Took, Shows: r.Shows, Since: r.Since, Accepted: r.Accepted}
	}
	return list, nil
}

// CountDrifts counts those that nobody accepted, by channel.
func (s *Store) CountDrifts(ctx context.Context) (map[string]int, error) {
	var rows []struct {
		Channel string
		N       int
	}
	err := s.db.WithContext(ctx).Raw("SELECT channel, COUNT(*) AS n FROM drifts WHERE accepted = 0 GROUP BY channel").
		Scan(&rows).Error
	if err != nil {
		return nil, fmt.Errorf("count the drifts: %w", err)
	}
	counts := map[string]int{}
	for _, r := range rows {
		counts[r.Channel] = r.N
	}
	return counts, nil
}

// KeepDrifts keeps what comparing found in the place of what it found before.
func (s *Store) KeepDrifts(ctx context.Context, channel string, drifts []publish.Drift, at time.Time) error {
	err := s.transaction(ctx, func(tx *gorm.DB) error {
		if err := tx.Exec("DELETE FROM drifts WHERE channel = ?", channel).Error; err != nil {
			return err
		}
		rows := make([]drift, len(drifts))
		for i, d := range drifts {
			rows[i] = drift{channel, d.SKU, d.Took, d.Shows, d.Since.UTC(), d.Accepted}
		}
		if len(rows) > 0 {
			if err := tx.CreateInBatches(rows, batchSize).Error; err != nil {
				return err
			}
		}
		return tx.Exec(`INSERT INTO channel_states (channel, compared) VALUES (?, ?) ON DUPLICATE KEY UPDATE compared = VALUES(compared)`,
			channel, at.UTC()).Error
	})
	if err != nil {
		return fmt.Errorf("keep the drifts of channel %q: %w", channel, err)
	}
	return nil
}

// AcceptDrifts says that somebody lives with some drifts as they are.
func (s *Store) AcceptDrifts(ctx context.Context, channel string, skus []string) error {
	err := s.db.WithContext(ctx).Exec("UPDATE drifts SET accepted = 1 WHERE channel = ? AND sku IN ?", channel, skus).Error
	if err != nil {
		return fmt.Errorf("accept drifts of channel %q: %w", channel, err)
	}
	return nil
}

// SendAgain makes lines that drifted differences, whatever they are: nobody counts on what the channel shows of them.
func (s *Store) SendAgain(ctx context.Context, channel string, skus []string) error {
	err := s.transaction(ctx, func(tx *gorm.DB) error {
		rows := make([]openLine, len(skus))
		for i, sku := range skus {
			rows[i] = openLine{Channel: channel, SKU: sku, Why: string(publish.Unanswered)}
		}
		if err := tx.Exec("DELETE FROM open_lines WHERE channel = ? AND sku IN ? AND why = ?", channel, skus,
			publish.Unanswered).Error; err != nil {
			return err
		}
		if err := tx.CreateInBatches(rows, batchSize).Error; err != nil {
			return err
		}
		if err := tx.Exec("DELETE FROM drifts WHERE channel = ? AND sku IN ?", channel, skus).Error; err != nil {
			return err
		}
		return touch(tx, channel)
	})
	if err != nil {
		return fmt.Errorf("have lines of channel %q sent again: %w", channel, err)
	}
	return nil
}
