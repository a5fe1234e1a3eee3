package publish

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"

	"dogbane/internal/book"
	"dogbane/internal/bookfile"
	"dogbane/internal/publish/pieces"
	"dogbane/internal/publish/telling"
)

// Send has a prepared publication sent, or wait for a second person where its channel wants one. A stale one answers
// ErrStale. note goes along to whoever decides.
func (d *Desk) Send(ctx context.Context, snap *book.Snapshot, id int64, who, note string) (Publication, error) {
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
	if demands, err := d.demands(ctx, snap, &link, &p); err != nil {
		return p, err
	} else if demands {
		next = Waiting
	}
	return d.decide(ctx, &p, next, "", note)
}

// Approve has a publication sent that waits for a second person, who is not whoever prepared it.
func (d *Desk) Approve(ctx context.Context, snap *book.Snapshot, id int64, who, note string) (Publication, error) {
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
	return d.decide(ctx, &p, Queued, who, note)
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

// Drop drops a publication that was prepared, or is queued; one that waits is withdrawn by whoever prepared it.
func (d *Desk) Drop(ctx context.Context, id int64, who string) error {
	p, err := d.keeper.Publication(ctx, id)
	if err != nil {
		return err
	}
	if p.State == Waiting && p.Who != who {
		return ErrNotOwn
	}
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

// fresh fails with ErrStale where a publication would not come out the same now: its lines, the rules that go along,
// and the pieces that it brings. One that gives lines back what they were is never stale.
func (d *Desk) fresh(ctx context.Context, snap *book.Snapshot, p *Publication) error {
	if p.Kind == TakeBack {
		return nil
	}
	e, err := d.Published(ctx, snap, p.Channel)
	if err != nil {
		return err
	}
	to, err := d.again(ctx, snap, e, p)
	if err != nil {
		return err
	}
	rows, err := d.keeper.Rows(ctx, p.ID, "", 0)
	if err != nil {
		return err
	}
	now, err := d.told(ctx, to, p.Channel, snap.Moment(d.now()), p.Whole)
	if err != nil {
		return err
	}
	if e != nil {
		d.release(to, e, now)
	}
	now.only(rows)
	if !sameRows(rows, now) || p.Kind == ByHand && !sameRules(p.Rules, now.Rules) {
		return ErrStale
	}
	return nil
}

// again is the book that a publication makes of the present published one; ErrStale where it is no longer that of which
// it was prepared.
func (d *Desk) again(ctx context.Context, snap *book.Snapshot, e *Edition, p *Publication) (*target, error) {
	switch p.Brings {
	case BringsBook:
		if e != nil {
			return nil, ErrStale // somebody else published first
		}
		if p.Version != snap.Version {
			doc, err := d.keeper.KeptBook(ctx, p.Version)
			if err != nil {
				return nil, err
			}
			was, err := bookfile.Decode(doc)
			if err != nil {
				return nil, fmt.Errorf("read version %d of the book: %w", p.Version, err)
			}
			if len(pieces.Differences(was, snap.Book, p.Channel)) > 0 {
				return nil, ErrStale
			}
		}
		return d.target(snap, p.Channel, nil, Choice{All: true})
	case BringsPieces:
		if e == nil {
			return nil, ErrStale
		}
		b, err := d.keeper.Brought(ctx, p.ID)
		if err != nil {
			return nil, err
		}
		return d.sameChoice(snap, e, p.Channel, b)
	}
	if e == nil {
		return nil, ErrStale
	}
	return &target{Snapshot: e.Snapshot}, nil
}

// sameChoice is the target of pieces that were brought; ErrStale where they would not be the same any more.
func (d *Desk) sameChoice(snap *book.Snapshot, e *Edition, channel string, b pieces.Brought) (*target, error) {
	to, err := d.target(snap, channel, e, Choice{Keys: b.Keys()})
	var unknown *pieces.UnknownPiece
	var whole *ErrWholeOnly
	var dangling *pieces.Dangling
	switch {
	case errors.As(err, &unknown), errors.As(err, &whole), errors.As(err, &dangling):
		return nil, errors.Join(ErrStale, err)
	case err != nil:
		return nil, err
	}
	if !slices.EqualFunc(to.brought.Changes, b.Changes, func(x, y book.Change) bool {
		return x.Kind == y.Kind && x.Code == y.Code && string(x.Before) == string(y.Before) &&
			string(x.After) == string(y.After)
	}) {
		return nil, ErrStale
	}
	return to, nil
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
			!telling.SameAmount(a.Was, b.Was) || (a.Answer == Held) != b.Held || a.Goes() && b.LeftOut ||
			a.Goes() && a.Override == "" && b.Blocked() {
			return false
		}
	}
	return true
}

func sameRules(a, b telling.RuleChanges) bool {
	return slices.EqualFunc(a.Rules, b.Rules, func(x, y json.RawMessage) bool { return string(x) == string(y) }) &&
		slices.Equal(a.Withdraw, b.Withdraw)
}
