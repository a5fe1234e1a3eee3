package publish

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"
	"sync"
	"time"

	lru "github.com/hashicorp/golang-lru/v2"
	"golang.org/x/sync/singleflight"

	"dogbane/internal/book"
	"dogbane/internal/bookfile"
	"dogbane/internal/clock"
	"dogbane/internal/money"
	"dogbane/internal/pricing"
)

// Keeper keeps publications and what channels show.
type Keeper interface {
	Links(ctx context.Context) (map[string]Link, error)
	ChannelState(ctx context.Context, channel string) (ChannelState, error)
	Know(ctx context.Context, channel string, at time.Time) (*Know, error)
	// Lowest are the lowest prices of some products that were shown from an instant on, before another, by SKU.
	Lowest(ctx context.Context, channel string, from, to time.Time, skus []string) (map[string]money.Rat, error)
	// Prepare keeps a publication with its rows, and gives it its number.
	Prepare(ctx context.Context, p *Publication, rows []Row) error
	Publication(ctx context.Context, id int64) (Publication, error)
	Rows(ctx context.Context, id int64, after string, limit int) ([]Row, error)
	// Decide brings a publication that is not sent yet into another state.
	Decide(ctx context.Context, id int64, to State, by, reason string, at time.Time) error
	KeepBook(ctx context.Context, version int64, book func() []byte) error
	KeptBook(ctx context.Context, version int64) ([]byte, error)
	// LinesOf are the whole lines that a channel shows of some products.
	LinesOf(ctx context.Context, channel string, at time.Time, skus []string) ([]ShownLine, error)
	// Before is what a channel showed of each product that still stems from a publication, before it.
	Before(ctx context.Context, p *Publication) ([]Row, error)
	// RulesBefore undoes what a publication told of rules that still stem from it.
	RulesBefore(ctx context.Context, p *Publication) (RuleChanges, error)
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

	published *lru.Cache[int64, *book.Snapshot] // versions that channels show
	reading   singleflight.Group

	mu       sync.Mutex // guards what follows; held for a moment alone
	channels map[string]*known
	links    map[string]Link // as they were last read
	quoted   map[string]*Quoted
	turns    map[string]int // how often a channel took something from this instance
	upcoming map[string]*upcoming
	planned  map[string]*planned
}

// NewDesk makes a desk.
func NewDesk(keeper Keeper, now clock.Clock, broken Broken, wake func()) *Desk {
	versions, err := lru.New[int64, *book.Snapshot](mostPublished)
	if err != nil {
		panic(fmt.Sprintf("publish: %v", err)) // it is a number above 0
	}
	return &Desk{keeper: keeper, now: now, broken: broken, wake: wake, channels: map[string]*known{},
		published: versions, quoted: map[string]*Quoted{}, turns: map[string]int{}, upcoming: map[string]*upcoming{},
		planned: map[string]*planned{}}
}

// Wish is what somebody wants to send.
type Wish struct {
	Who       string
	Version   int64                    // of the differences that were looked at
	Overrides map[string]string        // SKU → the reason for sending a blocked line
	LeaveOut  []string                 // SKUs that are not sent this time
	Only      []string                 // the SKUs that are sent, where not all; the rest stays due
	Whole     bool                     // everything is told again
	Of        func(d *Difference) bool // those that are sent, where not all; the rest stays due
}

// Prepare builds a publication by hand. One without lines publishes what is planned: the clock follows it from then on.
// Its errors are ErrStale, ErrUnlinked, ErrNothing and *Undecided.
func (d *Desk) Prepare(ctx context.Context, snap *book.Snapshot, channel string, w Wish) (Publication, error) {
	if w.Version != snap.Version {
		return Publication{}, ErrStale
	}
	if err := d.linked(ctx, channel); err != nil {
		return Publication{}, err
	}
	found, err := d.at(ctx, snap, channel, snap.Moment(d.now()), w.Whole)
	if err != nil {
		return Publication{}, err
	}
	rows, err := w.rows(found)
	var later Planned
	if errors.Is(err, ErrNothing) && len(w.Only) == 0 && w.Of == nil {
		var failed error
		if later, failed = d.Planned(ctx, snap, channel); failed != nil {
			return Publication{}, failed
		}
		if later.Lines > 0 {
			err = nil
		}
	}
	if err != nil {
		return Publication{}, err
	}
	p := Publication{Channel: channel, Version: snap.Version, At: found.At, Prepared: d.now(), Who: w.Who, Kind: ByHand,
		Whole: w.Whole, State: Prepared, Rules: found.Rules, Named: Named{Worth: found.worthOf(rows), Planned: later.Lines}}
	if err := d.keeper.KeepBook(ctx, p.Version, func() []byte { return bookfile.Encode(snap.Book) }); err != nil {
		return p, err
	}
	d.published.Add(snap.Version, snap) // it shares with its successors what they do not change
	return p, d.keeper.Prepare(ctx, &p, rows)
}

// rows are what a wish sends of the differences, and what it leaves out; with ErrNothing where it sends nothing.
func (w *Wish) rows(d *Differences) ([]Row, error) {
	var undecided []string
	out, only := setOf(w.LeaveOut), setOf(w.Only)
	kept := *d
	kept.Rows = nil
	var rows []Row
	goes := 0
	for i := range d.Rows {
		diff := d.Rows[i]
		if len(only) > 0 && !only[diff.SKU] || w.Of != nil && !w.Of(&diff) {
			out[diff.SKU] = true
		}
		row := Row{SKU: diff.SKU, Kind: diff.Kind, Was: diff.Was, Price: diff.Price, Reference: diff.Reference,
			Currency: d.Currency, Digest: diff.Digest, Begun: diff.Begun, Blocked: diff.Stops}
		switch {
		case diff.Held:
			row.Answer = Held
		case out[diff.SKU]:
			row.Answer = LeftOut
		case diff.Blocked():
			if row.Override = strings.TrimSpace(w.Overrides[diff.SKU]); row.Override == "" {
				undecided = append(undecided, diff.SKU)
			}
		}
		if row.Goes() {
			goes++
		}
		if diff.Line != nil {
			line := *diff.Line
			diff.Line = &line
		}
		kept.Rows, rows = append(kept.Rows, diff), append(rows, row)
	}
	if undecided != nil {
		return nil, &Undecided{undecided}
	}
	if err := kept.untils(); err != nil {
		return nil, err
	}
	pricing.InParallel(len(rows), func(from, to int) {
		for i := from; i < to; i++ {
			if l := kept.Rows[i].Line; l != nil {
				rows[i].Line = l.bytes()
			}
		}
	})
	if goes == 0 && d.Rules.None() {
		return rows, ErrNothing
	}
	return rows, nil
}

func setOf(list []string) map[string]bool {
	set := make(map[string]bool, len(list))
	for _, one := range list {
		set[one] = true
	}
	return set
}

// Send has a prepared publication sent, or wait for a second person where its channel wants one. A stale one answers
// ErrStale.
func (d *Desk) Send(ctx context.Context, snap *book.Snapshot, id int64, who string) (Publication, error) {
	p, err := d.keeper.Publication(ctx, id)
	if err != nil {
		return p, err
	}
	if p.State != Prepared {
		return p, fmt.Errorf("publication %d is %s: %w", id, p.State, ErrState)
	}
	links, err := d.keeper.Links(ctx)
	if err != nil {
		return p, err
	}
	link, linked := links[p.Channel]
	if !linked {
		return p, fmt.Errorf("channel %q: %w", p.Channel, ErrUnlinked)
	}
	if err := d.fresh(ctx, snap, &p); err != nil {
		return p, err
	}
	next := Queued
	if link.MayAsk() {
		rows, err := d.keeper.Rows(ctx, id, "", 0)
		if err != nil {
			return p, err
		}
		if link.Asks(rows) || p.Named.Planned > 0 { // nobody agrees later to what the clock sends
			next = Waiting
		}
	}
	return d.decide(ctx, &p, next, "", "")
}

// Approve has a publication sent that waits for a second person, who is not whoever prepared it.
func (d *Desk) Approve(ctx context.Context, snap *book.Snapshot, id int64, who string) (Publication, error) {
	p, err := d.keeper.Publication(ctx, id)
	if err != nil {
		return p, err
	}
	if p.Who == who {
		return p, ErrOwn
	}
	if p.State != Waiting {
		return p, fmt.Errorf("publication %d is %s: %w", id, p.State, ErrState)
	}
	if err := d.fresh(ctx, snap, &p); err != nil {
		return p, err
	}
	return d.decide(ctx, &p, Queued, who, "")
}

// Decline refuses a publication that waits, with a reason.
func (d *Desk) Decline(ctx context.Context, id int64, who, reason string) (Publication, error) {
	p, err := d.keeper.Publication(ctx, id)
	if err != nil {
		return p, err
	}
	if p.Who == who {
		return p, ErrOwn
	}
	return d.decide(ctx, &p, Declined, who, reason)
}

// Drop drops a prepared publication.
func (d *Desk) Drop(ctx context.Context, id int64, who string) error {
	return d.keeper.Decide(ctx, id, Dropped, who, "", d.now())
}

func (d *Desk) decide(ctx context.Context, p *Publication, next State, by, reason string) (Publication, error) {
	if err := d.keeper.Decide(ctx, p.ID, next, by, reason, d.now()); err != nil {
		if errors.Is(err, ErrOlder) {
			err = errors.Join(ErrStale, err)
		}
		return *p, err
	}
	p.State, p.DecidedBy, p.Reason = next, by, reason
	if next == Queued && d.wake != nil {
		d.wake()
	}
	return *p, nil
}

// fresh fails with ErrStale where the lines of a publication would not come out the same now. One that gives lines back
// what they were is never stale.
func (d *Desk) fresh(ctx context.Context, snap *book.Snapshot, p *Publication) error {
	if p.Kind == TakeBack || p.Kind == ByHand && p.Version == snap.Version && p.At == snap.Moment(d.now()) {
		return nil
	}
	rows, err := d.keeper.Rows(ctx, p.ID, "", 0)
	if err != nil {
		return err
	}
	var now *Differences
	switch {
	case p.Kind == ByHand && !p.Whole:
		now, err = d.restating(ctx, snap, p.Channel, snap.Moment(d.now()), toldAgain(rows))
	default:
		if p.Kind != ByHand {
			if snap, err = d.version(ctx, snap, p.Version); err != nil {
				return err
			}
		}
		if now, err = d.at(ctx, snap, p.Channel, snap.Moment(d.now()), p.Whole); err == nil && p.Kind != ByHand {
			now.only(rows)
		}
	}
	if err != nil {
		return err
	}
	if !sameRows(rows, now) || p.Kind == ByHand && !sameRules(p.Rules, now.Rules) {
		return ErrStale
	}
	return nil
}

// only leaves of differences those of the products in rows.
func (d *Differences) only(rows []Row) {
	in := map[string]bool{}
	for i := range rows {
		in[rows[i].SKU] = true
	}
	d.Rows = slices.DeleteFunc(d.Rows, func(r Difference) bool { return !in[r.SKU] })
}

// sameRows reports whether rows are what differences would be told now.
func sameRows(rows []Row, now *Differences) bool {
	if len(rows) != len(now.Rows) {
		return false
	}
	for i := range rows {
		a, b := &rows[i], &now.Rows[i]
		if a.SKU != b.SKU || (a.Digest == nil) != (b.Digest == nil) || a.Digest != nil && *a.Digest != *b.Digest ||
			!sameAmount(a.Was, b.Was) || (a.Answer == Held) != b.Held || a.Goes() && a.Override == "" && b.Blocked() {
			return false
		}
	}
	return true
}

func sameRules(a, b RuleChanges) bool {
	return slices.EqualFunc(a.Rules, b.Rules, func(x, y json.RawMessage) bool { return string(x) == string(y) }) &&
		slices.Equal(a.Withdraw, b.Withdraw)
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
