// Package timing is the clock of publishing: it has channels told by themselves what begins or ends at a moment in the
// book that is published there, and starts, ends or skips such a turn when somebody asks for it.
package timing

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
	"dogbane/internal/publish"
	"dogbane/internal/publish/telling"
)

// DueKeeper keeps which moments were dealt with.
type DueKeeper interface {
	Links(ctx context.Context) (map[string]publish.Link, error)
	ChannelState(ctx context.Context, channel string) (publish.ChannelState, error)
	Underway(ctx context.Context) ([]publish.Publication, error)
	// ClaimDue says that a channel's moments up to one are dealt with, by a publication that is queued at once where it
	// has rows or rules; false where another instance was first.
	ClaimDue(ctx context.Context, channel string, after, to pricing.Moment, p *publish.Publication,
		rows []publish.Row) (bool, error)
}

// Schedule publishes by itself what differs when a moment comes, in channels that are told on the minute. Any number of
// instances may: each moment of a channel is claimed once.
type Schedule struct {
	Desk   *publish.Desk
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
	publication publish.Publication
	rows        []publish.Row
}

// grounds are what that was found from. Where any of it is another when the moment comes, it is found anew.
type grounds struct {
	at                       pricing.Moment
	version, saved, revision int64
	told                     string // as the desk has it
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
func (s *Schedule) getReady(ctx context.Context, snap *book.Snapshot, channel string, state publish.ChannelState,
	a *awaited,
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

func (s *Schedule) grounds(ctx context.Context, snap *book.Snapshot, channel string, state publish.ChannelState,
	at pricing.Moment) (g grounds, err error) {
	version, err := s.published(ctx, snap, channel)
	if err != nil {
		return g, err
	}
	told, err := s.Desk.Grounds(ctx, version, channel)
	return grounds{at, version.Version, snap.Version, state.Revision, told}, err
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
func (s *Schedule) awaited(ctx context.Context, snap *book.Snapshot, channel string, state publish.ChannelState,
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
	t, err := s.Desk.Telling(ctx, version.Snapshot, channel)
	if err != nil {
		return nil, err
	}
	lines, err := t.At(*state.DueAfter, nil)
	if err != nil {
		return nil, err
	}
	a = &awaited{version: version.Version, after: *state.DueAfter, until: now + lookAhead + leadOf(snap, channel)}
	if a.dues, err = lines.Dues(a.until, publish.MostDues); err != nil {
		return nil, err
	}
	s.next[channel] = a
	return a, nil
}

// published is the book on which a channel runs.
func (s *Schedule) published(ctx context.Context, snap *book.Snapshot, channel string) (*publish.Edition, error) {
	e, err := s.Desk.Published(ctx, snap, channel)
	if err == nil && e == nil {
		err = publish.ErrForgotten // it was taken back just now
	}
	return e, err
}

// publish publishes the last of some moments that have come; the others are named.
func (s *Schedule) publish(ctx context.Context, snap *book.Snapshot, channel string, state publish.ChannelState,
	a *awaited,
	passed int, ahead bool) error {
	dues := a.dues[:passed]
	at := dues[passed-1].At
	var p publish.Publication
	var rows []publish.Row
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
func (s *Schedule) build(ctx context.Context, snap *book.Snapshot, channel string, state publish.ChannelState,
	dues []telling.DueMoment, ahead bool) (p publish.Publication, rows []publish.Row, err error) {
	at := dues[len(dues)-1].At
	p = publish.Publication{Channel: channel, Version: state.Version, At: at, Who: "the clock", Kind: publish.Due,
		State: publish.Queued}
	version, err := s.published(ctx, snap, channel)
	if err != nil {
		return p, nil, err
	}
	for i, due := range dues {
		if i < len(dues)-1 {
			p.Named.Passed = append(p.Named.Passed, due.At.String())
		}
	}
	if ahead {
		p.Named.Effective = at.Instant(snap.Zone).Format(time.RFC3339)
	}
	rows, err = s.Desk.BuildDue(ctx, snap, version, &p, dues, ahead)
	return p, rows, err
}
