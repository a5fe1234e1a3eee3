package store

import (
	"context"
	"fmt"
	"time"

	"dogbane/internal/publish"
)

// link is a row of the table of that name; times are milliseconds.
type link struct {
	Channel                               string `gorm:"primaryKey"`
	Kind, Address, Token, Sends, Approval string
	GiveUpAfter, Compare                  int64
	Reference                             string
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
			Compare: time.Duration(l.Compare) * time.Millisecond, Reference: publish.ReferenceKind(l.Reference)}
	}
	return links, nil
}

// SetLink keeps how a channel is reached.
func (s *Store) SetLink(ctx context.Context, l publish.Link) error {
	row := link{l.Channel, l.Kind, l.Address, l.Token, l.Sends, l.Approval, l.GiveUpAfter.Milliseconds(),
		l.Compare.Milliseconds(), string(l.Reference)}
	if err := s.db.WithContext(ctx).Save(&row).Error; err != nil {
		return fmt.Errorf("keep the link of channel %q: %w", l.Channel, err)
	}
	return nil
}

// DropLink forgets how a channel is reached.
func (s *Store) DropLink(ctx context.Context, channel string) error {
	if err := s.db.WithContext(ctx).Delete(&link{Channel: channel}).Error; err != nil {
		return fmt.Errorf("drop the link of channel %q: %w", channel, err)
	}
	return nil
}
