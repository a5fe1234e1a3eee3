package publish

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"slices"
	"time"

	"dogbane/internal/book"
	"dogbane/internal/bookfile"
	"dogbane/internal/money"
	"dogbane/internal/pricing"
	"dogbane/internal/publish/telling"
)

// Quoted is what a channel's customers are quoted from: the book on which the channel runs, with the rules that it took
// as it took them, and the products of which it shows other prices than that, whatever the reason, with what it took.
// So page, feed and basket say the same.
type Quoted struct {
	*book.Snapshot
	Told map[string]*pricing.ToldPrice // nil: none is shown

	edition  *book.Snapshot // that it was found from
	revision int64
	until    pricing.Moment // it holds before
	read     time.Time      // when it was seen to hold, by the book's clock
}

// seenToHold is for how long what a channel is quoted from is not looked at again.
const seenToHold = 300 * time.Millisecond

// ErrUnpublished says that nothing is published in a channel yet.
var ErrUnpublished = errors.New("nothing is published in this channel yet")

// Quoted is what a channel's customers are quoted from now; ErrUnpublished where nothing was published.
func (d *Desk) Quoted(ctx context.Context, snap *book.Snapshot, channel string) (*Quoted, error) {
	now := d.now()
	at := snap.Present(now)
	d.mu.Lock()
	q, turn := d.quoted[channel], d.turns[channel]
	d.mu.Unlock()
	if q != nil && at < q.until && now.Sub(q.read).Abs() < seenToHold {
		return q, nil
	}
	state, err := d.keeper.ChannelState(ctx, channel)
	if err != nil {
		if q != nil && ctx.Err() == nil { // while the database is away, what was last known is quoted
			return q, nil
		}
		return nil, err
	}
	if state.Base == 0 {
		return nil, fmt.Errorf("channel %q: %w", channel, ErrUnpublished)
	}
	e, err := d.Published(ctx, snap, channel)
	if err != nil {
		return nil, err
	}
	if e == nil {
		return nil, fmt.Errorf("channel %q: %w", channel, ErrUnpublished)
	}
	if q != nil && q.revision == state.Revision && q.edition == e.Snapshot && at < q.until {
		again := *q
		again.read = now
		return d.keepQuoted(channel, turn, &again), nil
	}
	// All who ask meanwhile wait for the same, also where whoever asked first goes.
	found, err, _ := d.reading.Do(fmt.Sprintf("%s as of %d, %d at %d", channel, state.Revision, e.Version, at), func() (any,
		error) {
		next := &Quoted{Snapshot: e.Snapshot, edition: e.Snapshot, until: at + pricing.Day, read: now,
			revision: state.Revision}
		err := d.asTold(context.WithoutCancel(ctx), next, snap, channel, e, at)
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

// asTold finds what the channel shows otherwise than the book on which it runs says at a moment.
func (d *Desk) asTold(ctx context.Context, q *Quoted, snap *book.Snapshot, channel string, e *Edition,
	at pricing.Moment) error {
	found, err := d.differences(ctx, e.Snapshot, channel, at, slotPublished)
	if err != nil {
		return err
	}
	know, err := d.know(ctx, channel)
	if err != nil {
		return err
	}
	q.Told = map[string]*pricing.ToldPrice{}
	var shown []string
	asking := map[string]*Difference{}
	for i := range found.Rows {
		r := &found.Rows[i]
		if r.Product < 0 && r.Was == nil {
			continue
		}
		if r.Was == nil {
			q.Told[r.SKU] = nil
			continue
		}
		shown = append(shown, r.SKU)
		asking[r.SKU] = r
	}
	lines, err := d.keeper.LinesOf(ctx, channel, q.read, shown)
	if err != nil {
		return err
	}
	for i := range lines {
		told, asks, err := toldOf(&lines[i])
		if err != nil {
			return err
		}
		if p := e.Product(lines[i].SKU); asks || p != nil && p.Unit == "day" {
			open := know.Open[lines[i].SKU]
			if open.Since == 0 || !open.Behind && !open.Unanswered && !open.Held {
				continue // it differs for no decision of anybody: the published book prices it
			}
			if told.Asked, err = d.before(ctx, snap, channel, e, open.Since); err != nil {
				return err
			}
			if told.Asked == e.Engine {
				continue
			}
		}
		q.Told[lines[i].SKU] = told
	}
	if next := e.Engine.Changes(at, at+pricing.Day, 1, nil); len(next) > 0 {
		q.until = next[0]
	}
	return d.rulesAsTaken(q, e, channel, know, at)
}

// rulesAsTaken has the rules that a channel is sent be at work as it took them.
func (d *Desk) rulesAsTaken(q *Quoted, e *Edition, channel string, know *Know, at pricing.Moment) error {
	t, err := telling.Tell(e.Engine, e.Baskets(), channel, telling.Lowest30)
	if err != nil {
		return err
	}
	now := t.Rules(at)
	taken := map[string]*pricing.Rule{}
	for code, doc := range know.Rules {
		if string(now[code]) == string(doc) {
			continue
		}
		r, err := bookfile.ReadRule(doc)
		if err != nil {
			return fmt.Errorf("read the rule %q as the channel took it: %w", code, err)
		}
		if w := r.Window; w != nil && w.To != nil && *w.To <= at {
			continue // it is over
		}
		taken[code] = &r
	}
	gone := map[string]bool{}
	for code := range now {
		gone[code] = know.Rules[code] == nil
	}
	if len(taken) == 0 && !slices.Contains(slices.Collect(maps.Values(gone)), true) {
		return nil
	}
	b := *e.Book
	b.Rules = nil
	for i := range e.Book.Rules {
		r := e.Book.Rules[i]
		if as := taken[r.Code]; as != nil {
			as.Name, as.Note = r.Name, r.Note
			knownWords(as, &r)
			r = *as
			delete(taken, r.Code)
		} else if gone[r.Code] {
			continue
		}
		b.Rules = append(b.Rules, r)
	}
	for _, code := range slices.Sorted(maps.Keys(taken)) {
		b.Rules = append(b.Rules, *taken[code])
	}
	snap, err := book.NewSnapshot(&b, -composedCount.Add(1), e.Engine.Recompile(&b), nil)
	if err == nil {
		q.Snapshot = snap
	}
	return err
}

// knownWords puts the words of an offer in the place of their hashes, as far as another state of it has them.
func knownWords(as, like *pricing.Rule) {
	if as.Offer == nil || as.Offer.Codes == nil || like.Offer == nil || like.Offer.Codes == nil {
		return
	}
	words := map[string]string{}
	for _, word := range like.Offer.Codes.Words {
		words[telling.Hashed(word)] = word
	}
	for i, hash := range as.Offer.Codes.Words {
		if word, known := words[hash]; known {
			as.Offer.Codes.Words[i] = word
		}
	}
}

// toldOf reads what a line that a channel took says of prices; asks says that they have to be asked for.
func toldOf(l *ShownLine) (told *pricing.ToldPrice, asks bool, err error) {
	told = &pricing.ToldPrice{Price: l.Price}
	if l.Line == nil {
		return told, false, nil
	}
	var line telling.Line
	if err := json.Unmarshal(l.Line, &line); err != nil {
		return nil, false, fmt.Errorf("read the line of %q: %w", l.SKU, err)
	}
	breaks := func(list []telling.LineBreak) (out []pricing.ToldBreak, err error) {
		for _, b := range list {
			price, err := money.Parse(b.Price)
			if err != nil {
				return nil, fmt.Errorf("read the line of %q: %w", l.SKU, err)
			}
			out = append(out, pricing.ToldBreak{From: b.From, Price: price})
		}
		return out, nil
	}
	asks, told.Brackets = line.Ask, line.Method == telling.Brackets
	if told.Breaks, err = breaks(line.Breaks); err != nil {
		return nil, false, err
	}
	told.Groups = map[string]*pricing.ToldPrice{}
	for code, g := range line.Groups {
		own := &pricing.ToldPrice{Brackets: g.Method == telling.Brackets}
		if own.Price, err = money.Parse(g.Price); err != nil {
			return nil, false, fmt.Errorf("read the line of %q: %w", l.SKU, err)
		}
		if own.Breaks, err = breaks(g.Breaks); err != nil {
			return nil, false, err
		}
		asks = asks || g.Ask
		told.Groups[code] = own
	}
	return told, asks, nil
}
