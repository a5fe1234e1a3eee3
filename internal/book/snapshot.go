package book

import (
	"fmt"
	"sync"
	"time"

	"dogbane/internal/pricing"
	"dogbane/internal/pricing/basket"
)

// Snapshot is one saved version of the book with its engine. It never changes.
type Snapshot struct {
	*Pieces
	Version int64
	Engine  *pricing.Engine
	Zone    *time.Location
	Refused []Refused // stored pieces that could not be read and take no part

	once    sync.Once
	baskets *basket.Engine
}

// Baskets answers what goods cost together under this version; it is made when first asked for.
func (s *Snapshot) Baskets() *basket.Engine {
	s.once.Do(func() { s.baskets = basket.Compile(s.Engine) })
	return s.baskets
}

// NewSnapshot is a version of a book, whose time zone has to exist.
func NewSnapshot(b *pricing.Book, version int64, engine *pricing.Engine, refused []Refused) (*Snapshot, error) {
	zone, err := time.LoadLocation(b.Settings.TimeZone)
	if err != nil {
		return nil, fmt.Errorf("read the book's time zone: %w", err)
	}
	return &Snapshot{Pieces: NewPieces(b), Version: version, Engine: engine, Zone: zone, Refused: refused}, nil
}

// Present is an instant on the book's wall clock. In the hour that a change of clocks repeats it is the latest wall
// time that there was, so that nothing which has begun or ended there does so again.
func (s *Snapshot) Present(t time.Time) pricing.Moment {
	t = t.In(s.Zone)
	now := pricing.MomentOf(t)
	if since, _ := t.ZoneBounds(); !since.IsZero() && t.Sub(since) < 3*time.Hour {
		now = max(now, pricing.MomentOf(since.Add(-time.Second).In(s.Zone)))
	}
	return now
}

// Moment is Present, to the minute.
func (s *Snapshot) Moment(t time.Time) pricing.Moment {
	m := s.Present(t)
	return m - m%pricing.Minute
}
