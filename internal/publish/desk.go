// Package publish is the desk at which it is decided what channels are told: which book is published in each, in which
// pieces and lines the saved one differs from it and what stops them, what somebody chooses of it, who has to agree,
// and how it is taken back. What one product is told is package telling's, what a published book is made of package
// pieces'; packages sending and timing stand above: they send what was decided here, by whatever way a channel is
// reached, and what begins or ends by itself. Kept is all of it by package store.
package publish

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"sync"
	"time"

	lru "github.com/hashicorp/golang-lru/v2"
	"golang.org/x/sync/singleflight"

	"dogbane/internal/book"
	"dogbane/internal/clock"
	"dogbane/internal/money"
	"dogbane/internal/pricing"
	"dogbane/internal/publish/pieces"
	"dogbane/internal/publish/telling"
)

// Keeper keeps publications and what channels show.
type Keeper interface {
	Links(ctx context.Context) (map[string]Link, error)
	ChannelState(ctx context.Context, channel string) (ChannelState, error)
	Know(ctx context.Context, channel string, at time.Time) (*Know, error)
	// Lowest are the lowest prices of some products that were shown from an instant on, before another, by SKU.
	Lowest(ctx context.Context, channel string, from, to time.Time, skus []string) (map[string]money.Rat, error)
	// Prepare keeps a publication with its rows and what it brings, and gives it its number.
	Prepare(ctx context.Context, p *Publication, rows []Row) error
	Publication(ctx context.Context, id int64) (Publication, error)
	Rows(ctx context.Context, id int64, after string, limit int) ([]Row, error)
	// Decide brings a publication that is not sent yet into another state.
	Decide(ctx context.Context, id int64, to State, by, reason string, at time.Time) error
	KeepBook(ctx context.Context, version int64, book func() []byte) error
	KeptBook(ctx context.Context, version int64) ([]byte, error)
	// PublishedBy are the publications that brought pieces into the published book since it began, by number.
	PublishedBy(ctx context.Context, channel string) ([]int64, error)
	// Shorten has a published book that began as a kept one begin with what it was after a publication; it gives under
	// which number that is kept. Its error is ErrStale where the book began otherwise by now.
	Shorten(ctx context.Context, channel string, base, upTo int64, book []byte) (int64, error)
	Brought(ctx context.Context, id int64) (pieces.Brought, error)
	// HeldPieces are pieces that were taken back, as the saved book had them; nil: they were gone there.
	HeldPieces(ctx context.Context, channel string) (map[pieces.Key]json.RawMessage, error)
	ReleasePieces(ctx context.Context, channel string, keys []pieces.Key) error
	// Release lets go of lines that are held back.
	Release(ctx context.Context, channel string, skus []string) error
	// LinesOf are the whole lines that a channel shows of some products.
	LinesOf(ctx context.Context, channel string, at time.Time, skus []string) ([]ShownLine, error)
	// Decisions are what was decided of lines that differ later in a channel, by SKU.
	Decisions(ctx context.Context, channel string) (map[string]Decision, error)
	// SoldIn are the pieces of each product that a channel sold in [from, to); nil: no sale of that time bears a channel.
	SoldIn(ctx context.Context, channel string, from, to pricing.Moment) (map[string]int64, error)
	// LastShown are the prices that a channel showed last of some products that it does not show any more.
	LastShown(ctx context.Context, channel string, skus []string) (map[string]money.Rat, error)
	// Before is what a channel showed of each product that still stems from a publication, before it.
	Before(ctx context.Context, p *Publication) ([]Row, error)
	// RulesBefore undoes what a publication told of rules that still stem from it.
	RulesBefore(ctx context.Context, p *Publication) (telling.RuleChanges, error)
}

// Broken are SKUs whose pinned prices do not hold in a channel, in a version of the book.
type Broken func(ctx context.Context, snap *book.Snapshot, channel string) (map[string]bool, error)

// Desk is where publications are prepared and decided on. It keeps in memory what each channel shows, until anything of
// that changes, whoever changes it.
type Desk struct {
	keeper Keeper
	now    clock.Clock // the book's
	broken Broken
	wake   func() // has the sender look

	targets *lru.Cache[string, *target] // books that choices make
	reading singleflight.Group

	mu        sync.Mutex // guards what follows; held for a moment alone
	channels  map[string]*known
	published map[string]*editions
	links     map[string]Link // as they were last read
	quoted    map[string]*Quoted
	turns     map[string]int // how often a channel took something from this instance
	upcoming  map[string]*upcoming
	planned   map[string]*planned
	sold      map[string]*Sold
}

// NewDesk makes a desk.
func NewDesk(keeper Keeper, now clock.Clock, broken Broken, wake func()) *Desk {
	targets, err := lru.New[string, *target](mostTargets)
	if err != nil {
		panic(fmt.Sprintf("publish: %v", err)) // it is a number above 0
	}
	return &Desk{keeper: keeper, now: now, broken: broken, wake: wake, channels: map[string]*known{},
		published: map[string]*editions{}, targets: targets, quoted: map[string]*Quoted{}, turns: map[string]int{},
		upcoming: map[string]*upcoming{}, planned: map[string]*planned{}, sold: map[string]*Sold{}}
}

// Release lets go of lines and pieces that are held back in a channel: of lines with the pieces that reach them, as
// nothing could send them without, and of pieces with their lines.
func (d *Desk) Release(ctx context.Context, snap *book.Snapshot, channel string, skus []string,
	keys []pieces.Key) error {
	e, err := d.Published(ctx, snap, channel)
	if err != nil {
		return err
	}
	if e != nil {
		var held []pieces.Piece
		for _, p := range e.Pieces {
			if e.Held[p.Key] {
				held = append(held, p)
			}
		}
		reach := reachesOf(held, e.Engine, snap.Engine)
		named := keys
		for _, sku := range skus {
			for _, i := range reach.of(sku) {
				keys = append(keys, held[i].Key)
			}
		}
		know, err := d.know(ctx, channel)
		if err != nil {
			return err
		}
		for sku, open := range know.Open {
			if open.Held && slices.ContainsFunc(reach.of(sku), func(i int) bool { return slices.Contains(named, held[i].Key) }) {
				skus = append(skus, sku)
			}
		}
	}
	if err := d.keeper.Release(ctx, channel, skus); err != nil {
		return err
	}
	return d.keeper.ReleasePieces(ctx, channel, keys)
}

// linked fails where nothing says how a channel is reached.
func (d *Desk) linked(ctx context.Context, channel string) error {
	links, err := d.keeper.Links(ctx)
	if err != nil {
		return err
	}
	if _, is := links[channel]; !is {
		return fmt.Errorf("channel %q: %w", channel, ErrUnlinked)
	}
	return nil
}
