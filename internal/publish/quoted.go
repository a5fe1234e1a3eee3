package publish

import (
	"context"
	"encoding/json"
	"fmt"
	"time"

	"dogbane/internal/book"
	"dogbane/internal/money"
	"dogbane/internal/pricing"
)

// Quoted is what a channel's customers are quoted from: the book as it was published there, and the products of which
// the channel shows another price than that, whatever the reason, with what it took. So page, feed and basket say the
// same.
type Quoted struct {
	*book.Snapshot
	Told map[string]*pricing.ToldPrice // nil: none is shown

	revision int64
	until    pricing.Moment // it holds before
	read     time.Time      // when it was seen to hold, by the book's clock
}

// seenToHold is for how long what a channel is quoted from is not looked at again.
const seenToHold = 300 * time.Millisecond

// Quoted is what a channel's customers are quoted from now. Where nothing was published that is the saved book.
func (d *Desk) Quoted(ctx context.Context, snap *book.Snapshot, channel string) (*Quoted, error) {
	now := d.now()
	at := pricing.MomentOf(now.In(snap.Zone))
	d.mu.Lock()
	q, turn := d.quoted[channel], d.turns[channel]
	d.mu.Unlock()
	if q != nil && at < q.until && now.Sub(q.read).Abs() < seenToHold && (q.revision > 0 || q.Snapshot == snap) {
		return q, nil
	}
	state, err := d.keeper.ChannelState(ctx, channel)
	if err != nil {
		if q != nil && ctx.Err() == nil { // while the database is away, what was last known is quoted
			return q, nil
		}
		return nil, err
	}
	if q != nil && q.revision == state.Revision && at < q.until && (state.Version > 0 || q.Snapshot == snap) {
		again := *q
		again.read = now
		return d.keepQuoted(channel, turn, &again), nil
	}
	next := &Quoted{Snapshot: snap, until: at + pricing.Day, read: now}
	if state.Version > 0 {
		next.revision = state.Revision
		if err := d.asTold(ctx, next, channel, state, at); err != nil {
			return nil, fmt.Errorf("find what channel %q was told: %w", channel, err)
		}
	}
	return d.keepQuoted(channel, turn, next), nil
}

// keepQuoted keeps what a channel is quoted from, as it was found since a turn of the channel.
func (d *Desk) keepQuoted(channel string, turn int, q *Quoted) *Quoted {
	d.mu.Lock()
	defer d.mu.Unlock()
	if d.turns[channel] != turn { // it has turned meanwhile
		q.read = time.Time{}
	}
	d.quoted[channel] = q
	return q
}

// Turned has the next quote in a channel look at what it shows now, as this instance has just sent it something. What
// others send it is seen within seenToHold.
func (d *Desk) Turned(channel string) {
	d.mu.Lock()
	defer d.mu.Unlock()
	d.turns[channel]++
	if q := d.quoted[channel]; q != nil {
		again := *q
		again.read = time.Time{}
		d.quoted[channel] = &again
	}
}

// asTold finds the published book, and what the channel shows otherwise at a moment.
func (d *Desk) asTold(ctx context.Context, q *Quoted, channel string, state ChannelState, at pricing.Moment) error {
	version, err := d.version(ctx, q.Snapshot, state.Version)
	if err != nil {
		return err
	}
	find := d.Differences // they are known already, or are wanted elsewhere, too
	if version.Version != q.Snapshot.Version {
		find = func(ctx context.Context, snap *book.Snapshot, channel string, at pricing.Moment) (*Differences, error) {
			return d.at(ctx, snap, channel, at, false)
		}
	}
	found, err := find(ctx, version, channel, at)
	if err != nil {
		return err
	}
	q.Snapshot, q.Told = version, map[string]*pricing.ToldPrice{}
	var shown []string
	for i := range found.Rows {
		switch r := &found.Rows[i]; r.Kind {
		case New:
			q.Told[r.SKU] = nil
		case Up, Down, Gone:
			shown = append(shown, r.SKU)
		}
	}
	lines, err := d.keeper.LinesOf(ctx, channel, q.read, shown)
	if err != nil {
		return err
	}
	for i := range lines {
		if q.Told[lines[i].SKU], err = toldOf(&lines[i]); err != nil {
			return err
		}
	}
	if next := version.Engine.Changes(at, at+pricing.Day, 1, nil); len(next) > 0 {
		q.until = next[0]
	}
	return nil
}

// toldOf reads what a line that a channel took says of prices.
func toldOf(l *ShownLine) (*pricing.ToldPrice, error) {
	told := &pricing.ToldPrice{Price: l.Price}
	if l.Line == nil {
		return told, nil
	}
	var line Line
	if err := json.Unmarshal(l.Line, &line); err != nil {
		return nil, fmt.Errorf("read the line of %q: %w", l.SKU, err)
	}
	breaks := func(list []LineBreak) (out []pricing.ToldBreak, err error) {
		for _, b := range list {
			price, err := money.Parse(b.Price)
			if err != nil {
				return nil, fmt.Errorf("read the line of %q: %w", l.SKU, err)
			}
			out = append(out, pricing.ToldBreak{From: b.From, Price: price})
		}
		return out, nil
	}
	var err error
	if told.Breaks, err = breaks(line.Breaks); err != nil {
		return nil, err
	}
	told.Groups = map[string]*pricing.ToldPrice{}
	for code, g := range line.Groups {
		own := &pricing.ToldPrice{}
		if own.Price, err = money.Parse(g.Price); err != nil {
			return nil, fmt.Errorf("read the line of %q: %w", l.SKU, err)
		}
		if own.Breaks, err = breaks(g.Breaks); err != nil {
			return nil, err
		}
		told.Groups[code] = own
	}
	return told, nil
}
