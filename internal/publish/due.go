package publish

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"maps"
	"slices"
	"sync"
	"time"

	"dogbane/internal/book"
	"dogbane/internal/money"
	"dogbane/internal/pricing"
	"dogbane/internal/publish/telling"
)

// DueKeeper keeps which moments were dealt with.
type DueKeeper interface {
	Links(ctx context.Context) (map[string]Link, error)
	ChannelState(ctx context.Context, channel string) (ChannelState, error)
	Underway(ctx context.Context) ([]Publication, error)
	// ClaimDue says that a channel's moments up to one are dealt with, by a publication that is queued at once where it
	// has rows or rules; false where another instance was first.
	ClaimDue(ctx context.Context, channel string, after, to pricing.Moment, p *Publication, rows []Row) (bool, error)
}

// Schedule publishes by itself what differs when a moment comes, in channels that are told on the minute. Any number of
// instances may: each moment of a channel is claimed once.
type Schedule struct {
	Desk   *Desk
	Keeper DueKeeper
	Book   func() *book.Snapshot
	Now    func() time.Time // the book's
	Wake   func()           // has the sender look

	mu   sync.Mutex
	next map[string]*awaited
}

// awaited is the next due moment of a channel.
type awaited struct {
	version int64 // of the book on which the channel runs
	after   pricing.Moment
	dues    []telling.DueMoment
	until   pricing.Moment // how far was looked
	ready   *readied       // the first of dues, shortly before it comes
}

// readied is what a channel will be told at a moment, found before it so that it goes out on it.
type readied struct {
	from        grounds
	publication Publication
	rows        []Row
}

// grounds are what that was found from. Where any of it is another when the moment comes, it is found anew.
type grounds struct {
	at                       pricing.Moment
	version, saved, revision int64
	reference                telling.ReferenceKind
	broken                   string // the SKUs of pinned prices that do not hold
}

// lookAhead is how far ahead the next due moments are looked for; beyond, they are looked for again.
const (
	lookAhead = 2 * pricing.Day
	beat      = 200 * time.Millisecond
)

// Run publishes due moments until ctx ends.
func (s *Schedule) Run(ctx context.Context) {
	for {
		if err := s.Look(ctx); err != nil && ctx.Err() == nil {
			slog.Warn("cannot publish what is due; it is tried again", "error", err)
		}
		select {
		case <-ctx.Done():
			return
		case <-time.After(beat):
		}
	}
}

// Look publishes what is due now.
func (s *Schedule) Look(ctx context.Context) error {
	links, err := s.Keeper.Links(ctx)
	if err != nil {
		return err
	}
	var failed error
	s.mu.Lock() // of what does not go on the minute any more nothing is awaited
	maps.DeleteFunc(s.next, func(channel string, _ *awaited) bool {
		link := links[channel]
		return !link.OnTheMinute()
	})
	s.mu.Unlock()
	for channel, link := range links {
		if link.OnTheMinute() {
			if err := s.look(ctx, channel); err != nil {
				failed = errors.Join(failed, fmt.Errorf("publish what is due in channel %q: %w", channel, err))
			}
		}
	}
	return failed
}

func (s *Schedule) look(ctx context.Context, channel string) error {
	state, err := s.Keeper.ChannelState(ctx, channel)
	if err != nil || state.Base == 0 || state.DueAfter == nil {
		return err
	}
	snap := s.Book()
	now := snap.Present(s.Now())
	a, err := s.awaited(ctx, snap, channel, state, now)
	if err != nil {
		return err
	}
	passed := 0
	for passed < len(a.dues) && a.dues[passed].At <= now {
		passed++
	}
	ahead := pricing.Moment(0)
	if passed == 0 {
		// A channel that keeps one later line is told the next moment ahead, once the one before has come.
		if ahead = leadOf(snap, channel); ahead == 0 {
			return s.getReady(ctx, snap, channel, state, a, now)
		}
		if *state.DueAfter > now || len(a.dues) == 0 || a.dues[0].At > now+ahead {
			return nil
		}
		passed = 1
	}
	underway, err := s.Keeper.Underway(ctx)
	if err != nil {
		return err
	}
	for i := range underway {
		if underway[i].Channel == channel {
			return nil // when that has ended, the present is published
		}
	}
	return s.publish(ctx, snap, channel, state, a, passed, ahead > 0)
}

// What a channel is told at a moment is found so long before, unless another moment is so near.
const (
	readyBefore = pricing.Minute
	tooNear     = 10
)

// getReady finds what a channel is told at its next moment, where that is near and nothing else is.
func (s *Schedule) getReady(ctx context.Context, snap *book.Snapshot, channel string, state ChannelState, a *awaited,
	now pricing.Moment) error {
	if len(a.dues) == 0 || a.dues[0].At > now+readyBefore {
		return nil
	}
	s.mu.Lock()
	calm := true
	for _, other := range s.next {
		// One that has long come waits for the channel's own publication, such as one under review.
		calm = calm && (len(other.dues) == 0 || other.dues[0].At > now+tooNear || other.dues[0].At < now-tooNear)
	}
	s.mu.Unlock()
	if !calm {
		return nil
	}
	from, err := s.grounds(ctx, snap, channel, state, a.dues[0].At)
	if err != nil || a.ready != nil && a.ready.from == from {
		return err
	}
	p, rows, err := s.build(ctx, snap, channel, state, a.dues[:1], false)
	if err == nil {
		a.ready = &readied{from, p, rows}
	}
	return err
}

func (s *Schedule) grounds(ctx context.Context, snap *book.Snapshot, channel string, state ChannelState,
	at pricing.Moment) (g grounds, err error) {
	version, err := s.published(ctx, snap, channel)
	if err != nil {
		return g, err
	}
	link, err := s.Desk.link(ctx, channel)
	if err != nil {
		return g, err
	}
	broken, err := s.Desk.broken(ctx, version.Snapshot, channel)
	return grounds{at, version.Version, snap.Version, state.Revision, link.Reference, fmt.Sprint(broken)}, err
}

// leastLead is the least that a channel which can schedule is told ahead.
const leastLead = 15 * pricing.Minute

// leadOf is how long ahead a channel is told what it shows later; 0: it cannot schedule.
func leadOf(snap *book.Snapshot, channel string) pricing.Moment {
	c := snap.Channel(channel)
	if c == nil || !slices.Contains(c.Can, "schedule") {
		return 0
	}
	lead := leastLead
	if c.Limits != nil && c.Limits.LeadHours != nil {
		if n, fits := c.Limits.LeadHours.Mul(money.Int(int64(pricing.Hour))).Minor(0, money.Up); fits {
			lead = max(lead, pricing.Moment(n))
		}
	}
	return lead
}

// awaited are the next due moments of a channel, found once for each version and moment that was dealt with.
func (s *Schedule) awaited(ctx context.Context, snap *book.Snapshot, channel string, state ChannelState,
	now pricing.Moment) (*awaited, error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.next == nil {
		s.next = map[string]*awaited{}
	}
	version, err := s.published(ctx, snap, channel)
	if err != nil {
		return nil, err
	}
	a := s.next[channel]
	if a != nil && a.version == version.Version && a.after == *state.DueAfter &&
		now < a.until-lookAhead/2-leadOf(snap, channel) {
		return a, nil
	}
	t, err := s.Desk.telling(ctx, version.Snapshot, channel)
	if err != nil {
		return nil, err
	}
	lines, err := t.At(*state.DueAfter, nil)
	if err != nil {
		return nil, err
	}
	a = &awaited{version: version.Version, after: *state.DueAfter, until: now + lookAhead + leadOf(snap, channel)}
	if a.dues, err = lines.Dues(a.until, mostDues); err != nil {
		return nil, err
	}
	s.next[channel] = a
	return a, nil
}

// published is the book on which a channel runs.
func (s *Schedule) published(ctx context.Context, snap *book.Snapshot, channel string) (*Edition, error) {
	e, err := s.Desk.Published(ctx, snap, channel)
	if err == nil && e == nil {
		err = ErrForgotten // it was taken back just now
	}
	return e, err
}

// mostDues bounds how many due moments are looked at at once.
const mostDues = 5000

// publish publishes the last of some moments that have come; the others are named.
func (s *Schedule) publish(ctx context.Context, snap *book.Snapshot, channel string, state ChannelState, a *awaited,
	passed int, ahead bool) error {
	dues := a.dues[:passed]
	at := dues[passed-1].At
	var p Publication
	var rows []Row
	if passed == 1 && !ahead && a.ready != nil {
		from, err := s.grounds(ctx, snap, channel, state, at)
		if err != nil {
			return err
		}
		if a.ready.from == from {
			p, rows = a.ready.publication, a.ready.rows
		}
	}
	if p.Channel == "" {
		var err error
		if p, rows, err = s.build(ctx, snap, channel, state, dues, ahead); err != nil {
			return err
		}
	}
	p.Prepared = s.Now()
	mine, err := s.Keeper.ClaimDue(ctx, channel, *state.DueAfter, at, &p, rows)
	if err == nil && mine {
		slog.Info("a moment has come", "channel", channel, "at", at.String(), "lines", p.Counts.Total,
			"late", s.Now().Sub(at.Instant(snap.Zone)).Round(time.Millisecond).String())
		s.Wake()
	}
	return err
}

// build makes the publication of the last of some moments.
func (s *Schedule) build(ctx context.Context, snap *book.Snapshot, channel string, state ChannelState,
	dues []telling.DueMoment, ahead bool) (p Publication, rows []Row, err error) {
	at := dues[len(dues)-1].At
	p = Publication{Channel: channel, Version: state.Version, At: at, Who: "the clock", Kind: Due, State: Queued}
	changed := map[string]bool{}
	version, err := s.published(ctx, snap, channel)
	if err != nil {
		return p, nil, err
	}
	for i, due := range dues {
		if i < len(dues)-1 {
			p.Named.Passed = append(p.Named.Passed, due.At.String())
		}
		for _, sku := range due.SKUs {
			changed[sku] = true
		}
	}
	known, err := s.Desk.know(ctx, channel)
	if err != nil {
		return p, nil, err
	}
	var found *Differences
	if !ahead && len(known.Later) == 0 {
		var products []int32
		for _, due := range dues {
			products = append(products, due.Changed...)
		}
		found, err = s.Desk.ofSome(ctx, version.Snapshot, channel, at, products)
	} else {
		found, err = s.Desk.at(ctx, version.Snapshot, channel, at, false)
	}
	if err != nil {
		return p, nil, err
	}
	p.Rules = found.Rules
	decided, err := s.Desk.keeper.Decisions(ctx, channel)
	if err != nil {
		return p, nil, err
	}
	if rows, err = dueRows(found, changed, decided); err != nil {
		return p, nil, err
	}
	if ahead {
		p.Named.Effective = at.Instant(snap.Zone).Format(time.RFC3339)
	}
	if len(version.Pieces) > 0 {
		if p.Named.Unpublished, err = s.Desk.unpublished(ctx, snap, version.Snapshot, channel, at); err != nil {
			return p, nil, err
		}
	}
	return p, rows, nil
}

// ofSome are the differences of some products at a moment, with their lines, and of those of which nobody knows what
// the channel shows.
func (d *Desk) ofSome(ctx context.Context, snap *book.Snapshot, channel string, at pricing.Moment,
	products []int32) (*Differences, error) {
	t, broken, know, err := d.grounds(ctx, snap, channel)
	if err != nil {
		return nil, err
	}
	for sku, open := range know.Open {
		if p, exists := t.Engine.ProductNumber(sku); exists && open.Unanswered {
			products = append(products, p)
		}
	}
	none := &Differences{states: make([]lineState, len(t.Engine.Products()))}
	return none.after(t, at, know, d.reductions(ctx, t, at, know, &telling.Lows{}), broken, t.Engine.SetOf(products))
}

// dueRows are those lines of differences whose change comes from the clock, and those of which nobody knows whether the
// channel shows them. What was refused, left out or taken back waits for somebody; what is blocked is left out, unless
// it was decided otherwise when that was published.
func dueRows(d *Differences, changed map[string]bool, decided map[string]Decision) ([]Row, error) {
	w := Wish{Overrides: map[string]string{}}
	var rows []Difference
	for _, r := range d.Rows {
		switch {
		case r.Held:
		case r.Unanswered, r.Kind == Again, changed[r.SKU] && !r.Behind:
			rows = append(rows, r)
			said, is := decided[r.SKU]
			is = is && d.At <= said.Until && changed[r.SKU]
			switch {
			case is && said.Reason == "", r.Blocked() && !is:
				w.LeaveOut = append(w.LeaveOut, r.SKU)
			case is:
				w.Overrides[r.SKU] = said.Reason
			}
		}
	}
	some := *d
	some.Rows = rows
	out, err := w.rows(&some)
	if errors.Is(err, ErrNothing) {
		err = nil // what is left out is kept as that, also where it is all there is
	}
	return out, err
}

// unpublished is how many lines the saved book has otherwise than the published one at a moment.
func (d *Desk) unpublished(ctx context.Context, snap, published *book.Snapshot, channel string,
	at pricing.Moment) (n int, err error) {
	now, err := d.telling(ctx, snap, channel)
	if err != nil {
		return 0, err
	}
	before, err := d.telling(ctx, published, channel)
	if err != nil {
		return 0, err
	}
	is, was, err := telling.Apart(before, now, at)
	if err != nil {
		return 0, err
	}
	for sku, digest := range is {
		if !telling.Alike(digest, was[sku]) {
			n++
		}
	}
	for sku, digest := range was {
		if _, still := is[sku]; !still && digest != nil {
			n++
		}
	}
	return n, nil
}

// Upcoming are the next due moments of a channel, as its published version of the book has them; nil where nothing was
// published.
func (d *Desk) Upcoming(ctx context.Context, snap *book.Snapshot, channel string, to pricing.Moment,
	limit int) ([]telling.DueMoment, error) {
	version, err := d.Published(ctx, snap, channel)
	if err != nil || version == nil {
		return nil, err
	}
	t, err := d.telling(ctx, version.Snapshot, channel)
	if err != nil {
		return nil, err
	}
	now := snap.Present(d.now())
	d.mu.Lock()
	known := d.upcoming[channel]
	d.mu.Unlock()
	if known != nil && known.version == version.Version && known.kind == t.Kind && known.from <= now &&
		now-known.from < pricing.Hour && (len(known.dues) == 0 || now < known.dues[0].At) {
		return known.dues, nil
	}
	lines, err := t.At(now, nil)
	if err != nil {
		return nil, err
	}
	found := &upcoming{version: version.Version, kind: t.Kind, from: now}
	if found.dues, err = lines.Dues(to, limit); err != nil {
		return nil, err
	}
	d.mu.Lock()
	defer d.mu.Unlock()
	d.upcoming[channel] = found
	return found.dues, nil
}

// upcoming are due moments that were found for a version.
type upcoming struct {
	version int64
	kind    telling.ReferenceKind
	from    pricing.Moment
	dues    []telling.DueMoment
}

// Waits are products whose lines may be saved otherwise than they were published in a channel: what is due sends them
// as they were published.
func (d *Desk) Waits(ctx context.Context, snap *book.Snapshot, channel string) (map[string]bool, error) {
	version, err := d.Published(ctx, snap, channel)
	if err != nil || version == nil || len(version.Pieces) == 0 {
		return nil, err
	}
	waits := map[string]bool{}
	if touched, told := snap.Engine.Touched(version.Engine); told {
		touched.Each(func(p int32) bool {
			waits[snap.Engine.Products()[p].SKU] = true
			return true
		})
		return waits, nil
	}
	found, err := d.Differences(ctx, snap, channel, snap.Moment(d.now()))
	if err != nil {
		return nil, err
	}
	for i := range found.Rows {
		waits[found.Rows[i].SKU] = true
	}
	return waits, nil
}
