package publish

import (
	"context"
	"encoding/json"
	"fmt"
	"sync"
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
	if state.Version == 0 {
		return d.keepQuoted(channel, turn, &Quoted{Snapshot: snap, until: at + pricing.Day, read: now}), nil
	}
	// All who ask meanwhile wait for the same, also where whoever asked first goes.
	found, err, _ := d.reading.Do(fmt.Sprintf("%s as of %d at %d", channel, state.Revision, at), func() (any, error) {
		next := &Quoted{Snapshot: snap, until: at + pricing.Day, read: now, revision: state.Revision}
		err := d.asTold(context.WithoutCancel(ctx), next, channel, state, at)
		return next, err
	})
	if err != nil {
		return nil, fmt.Errorf("find what channel %q was told: %w", channel, err)
	}
	next := *found.(*Quoted)
	return d.keepQuoted(channel, turn, &next), nil
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
	t, err := d.telling(ctx, version, channel)
	if err != nil {
		return err
	}
	know, err := d.know(ctx, channel)
	if err != nil {
		return err
	}
	unshown, shown, err := t.guests().showsOtherwise(at, know)
	if err != nil {
		return err
	}
	q.Snapshot, q.Told = version, map[string]*pricing.ToldPrice{}
	for _, sku := range unshown {
		q.Told[sku] = nil
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

// guests is how guests alone are told what one piece costs, or as many as they have to order.
func (t *Telling) guests() *Telling {
	own := *t
	own.groups, own.thresholds = nil, nil
	return &own
}

// showsOtherwise are the products of which a channel does not show what a guest pays at a moment: those of which it
// shows nothing, and those of which it shows something else. It looks at prices alone, a fraction of whole lines.
func (t *Telling) showsOtherwise(at pricing.Moment, know *Know) (unshown, shown []string, err error) {
	lines, err := t.At(at, nil)
	if err != nil {
		return nil, nil, err
	}
	var mu sync.Mutex
	products := t.engine.Products()
	pricing.InParallel(len(products), func(from, to int) {
		for p := int32(from); p < int32(to); p++ {
			minor, priced := lines.price(p)
			was, shows := know.Shown[products[p].SKU]
			if priced == shows && (!shows || was.Price.Equal(money.FromMinor(minor, lines.Digits))) {
				continue
			}
			mu.Lock()
			if shows {
				shown = append(shown, products[p].SKU)
			} else {
				unshown = append(unshown, products[p].SKU)
			}
			mu.Unlock()
		}
	})
	return unshown, shown, nil
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
	told.Brackets = line.Method == Brackets
	if told.Breaks, err = breaks(line.Breaks); err != nil {
		return nil, err
	}
	told.Groups = map[string]*pricing.ToldPrice{}
	for code, g := range line.Groups {
		own := &pricing.ToldPrice{Brackets: g.Method == Brackets}
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
