package store

import (
	"context"
	"fmt"
	"time"
)

// Event is something that happened beside the book.
type Event struct {
	ID     int64
	At     time.Time
	Who    string // a name, as it was typed where nobody came in
	What   string // such as "signed-in"
	Detail string
}

// TableName of events.
func (Event) TableName() string { return "journal" }

// Kinds of events.
const (
	SignedInEvent     = "signed-in"
	RefusedEvent      = "refused"
	SignedOutEvent    = "signed-out"
	PersonAdded       = "person-added"
	PersonChanged     = "person-changed"
	PasswordChanged   = "password-changed"
	CheckPinned       = "check-pinned"
	CheckChanged      = "check-changed"
	CheckDropped      = "check-dropped"
	KeyMade           = "key-made"
	KeyRevoked        = "key-revoked"
	ChannelLinked     = "channel-linked"
	ChannelUnlinked   = "channel-unlinked"
	CodesAdded        = "codes-added"
	CodesDropped      = "codes-dropped"
	FlagAcknowledged  = "flag-acknowledged"
	FlagBroughtBack   = "flag-brought-back"
	DemoEnded         = "demo-ended"
	BelowCostApproved = "below-cost-sent"
)

// eventsKept bounds the journal; refused sign-ins could fill it otherwise.
const eventsKept = 20_000

// Record adds an event.
func (s *Store) Record(ctx context.Context, e Event) error {
	e.Who, e.Detail, e.At = shorten(e.Who, 60), shorten(e.Detail, 500), e.At.UTC()
	if err := s.db.WithContext(ctx).Create(&e).Error; err != nil {
		return fmt.Errorf("record %q: %w", e.What, err)
	}
	if e.ID%1000 == 0 {
		if err := s.db.WithContext(ctx).Exec("DELETE FROM journal WHERE id <= ?", e.ID-eventsKept).Error; err != nil {
			return fmt.Errorf("forget old events: %w", err)
		}
	}
	return nil
}

// Events are the newest, newest first.
func (s *Store) Events(ctx context.Context, limit int) ([]Event, error) {
	var list []Event
	if err := s.db.WithContext(ctx).Order("id DESC").Limit(limit).Find(&list).Error; err != nil {
		return nil, fmt.Errorf("read the journal: %w", err)
	}
	return list, nil
}
