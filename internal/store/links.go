package store

import (
	"context"
	"fmt"
	"time"

	"gorm.io/gorm"

	"dogbane/internal/pricing"
	"dogbane/internal/publish"
	"dogbane/internal/publish/telling"
)

// link is a row of the table of that name; times are milliseconds.
type link struct {
	Channel                               string `gorm:"primaryKey"`
	Kind, Address, Token, Sends, Approval string
	GiveUpAfter, Compare                  int64
	Reference, Pages                      string
}

// Links are all links by channel.
func (s *Store) Links(ctx context.Context) (map[string]publish.Link, error) {
	var rows []link
	if err := s.db.WithContext(ctx).Find(&rows).Error; err != nil {
		return nil, fmt.Errorf("read the channels' links: %w", err)
	}
	links := map[string]publish.Link{}
	for _, l := range rows {
		links[l.Channel] = publish.Link{Channel: l.Channel, Kind: l.Kind, Address: l.Address, Token: l.Token, Sends: l.Sends,
			Approval: l.Approval, GiveUpAfter: time.Duration(l.GiveUpAfter) * time.Millisecond,
			Compare: time.Duration(l.Compare) * time.Millisecond, Reference: telling.ReferenceKind(l.Reference), Pages: l.Pages}
	}
	return links, nil
}

// SetLink keeps how a channel is reached.
func (s *Store) SetLink(ctx context.Context, l publish.Link) error {
	row := rowOfLink(l)
	if err := s.db.WithContext(ctx).Save(&row).Error; err != nil {
		return fmt.Errorf("keep the link of channel %q: %w", l.Channel, err)
	}
	return nil
}

// SetLinkFrom keeps how a channel is reached. Where it begins to send on the minute, moments after a present one are
// due, and none before: what fell behind by then is a difference that somebody sends.
func (s *Store) SetLinkFrom(ctx context.Context, l publish.Link, present pricing.Moment) error {
	err := s.transaction(ctx, func(tx *gorm.DB) error {
		var was link
		if err := tx.Where("channel = ?", l.Channel).Limit(1).Find(&was).Error; err != nil {
			return err
		}
		if l.OnTheMinute() && was.Sends != l.Sends {
			if err := tx.Exec(`UPDATE channel_states SET due_after = ?, revision = revision + 1 WHERE channel = ?
				AND base IS NOT NULL`, int64(present), l.Channel).Error; err != nil {
				return err
			}
		}
		row := rowOfLink(l)
		return tx.Save(&row).Error
	})
	if err != nil {
		return fmt.Errorf("keep the link of channel %q: %w", l.Channel, err)
	}
	return nil
}

func rowOfLink(l publish.Link) link {
	return link{l.Channel, l.Kind, l.Address, l.Token, l.Sends, l.Approval, l.GiveUpAfter.Milliseconds(),
		l.Compare.Milliseconds(), string(l.Reference), l.Pages}
}

// DropLink forgets how a channel is reached.
func (s *Store) DropLink(ctx context.Context, channel string) error {
	if err := s.db.WithContext(ctx).Delete(&link{Channel: channel}).Error; err != nil {
		return fmt.Errorf("drop the link of channel %q: %w", channel, err)
	}
	return nil
}
