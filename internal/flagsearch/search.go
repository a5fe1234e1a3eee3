// Package flagsearch looks for the flags of the newest book beside everything else that goes on: at most one search at
// a time, given up when the book is another, slow while somebody asks something. After an edit only what it touches is
// looked at again; what was found is kept with the version of the book, so that neither a start nor another instance
// looks again. Here it is also known since when a flag is raised, who has acknowledged it, and what would clear it.
// What a flag is belongs to package flags.
package flagsearch

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"sync"
	"time"

	"dogbane/internal/book"
	"dogbane/internal/bookfile"
	"dogbane/internal/clock"
	"dogbane/internal/pricing"
	"dogbane/internal/pricing/flags"
)

// Span is how far ahead flags are looked for.
const Span = 90 * pricing.Day

// Keeper keeps what was found.
type Keeper interface {
	// KeptFlags are those of a version of the book, looked for from a moment on; false where nobody has.
	KeptFlags(ctx context.Context, version int64, since pricing.Moment) ([]byte, bool, error)
	KeepFlags(ctx context.Context, version int64, since pricing.Moment, found []byte) error
	// NoteFlags notes which flags a version has that the one looked at before had not, and the other way round.
	NoteFlags(ctx context.Context, version int64, at time.Time, raised, cleared []string) error
}

// Found is what is known of the flags of a book.
type Found struct {
	Flags     []*bookfile.FlagAnswer
	entries   *entryList // of them, made when first asked for
	Version   int64      // of the book that was looked at
	From      pricing.Moment
	Searching bool // a newer book is being looked at, or will be
	Present   bool // only the present moment was looked at so far
	Left      int  // products of which not even that was looked at since they changed
}

// Search keeps the flags of the newest book that was looked at.
type Search struct {
	now    clock.Clock // the book's
	busy   func(within time.Duration) bool
	keeper Keeper
	wake   chan struct{}

	mu     sync.Mutex // guards what follows
	wanted *book.Snapshot
	since  pricing.Moment // that the wanted search is of
	turn   turn
	stop   context.CancelFunc // of the search under way; nil: there is none
	under  target             // what is being looked at
	done   target
	found  Found
	whole  Found // the last one of a whole span: what came and went is told against it
	base   *base // nil: what was found is known, not how
	needed bool  // somebody wants the base
}

// base is a search with what it was of: what edits are held against.
type base struct {
	target
	engine *pricing.Engine
	search *flags.Search
}

// target is what a search is of: a version of the book, from the last moment on at which anything changed by itself.
type target struct {
	version int64
	since   pricing.Moment
}

// turn is a time in which no window of a version of the book opens or closes, and no day begins.
type turn struct {
	version     int64
	since, next pricing.Moment
}

// turnOf is the time around a moment.
func turnOf(snap *book.Snapshot, at pricing.Moment) turn {
	day := at - at%pricing.Day
	t := turn{snap.Version, day, day + pricing.Day}
	for _, edge := range snap.Engine.Changes(day, t.next, int(pricing.Day), nil) {
		if edge > at {
			t.next = edge
			break
		}
		t.since = edge
	}
	return t
}

// New makes a search that holds back while busy says that somebody asked something within a time.
func New(now clock.Clock, keeper Keeper, busy func(within time.Duration) bool) *Search {
	return &Search{now: now, busy: busy, keeper: keeper, wake: make(chan struct{}, 1)}
}

// Of is what is known of the flags of a book. Asking has the snapshot looked at.
func (s *Search) Of(snap *book.Snapshot) Found {
	at := snap.Moment(s.now())
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.turn.version != snap.Version || at < s.turn.since || at >= s.turn.next {
		s.turn = turnOf(snap, at)
	}
	s.wanted, s.since = snap, s.turn.since
	next := target{snap.Version, s.since}
	if s.stop != nil && s.under.version != snap.Version {
		s.stop() // a search of a book that is no longer the saved one
	}
	if s.done != next {
		s.look()
	}
	found := s.found
	found.Searching = s.done != next
	return found
}

func (s *Search) look() {
	select {
	case s.wake <- struct{}{}:
	default: // it will look anyway
	}
}

// Changes are the flags that an edit of a book would raise and those that it would clear, in the span that was looked
// at; known is false where the book was not looked at yet: it will be. engine is that of the book after the edit.
func (s *Search) Changes(ctx context.Context, snap *book.Snapshot, engine *pricing.Engine) (raised,
	cleared []flags.Flag, known bool, err error) {
	b := s.baseOf(snap)
	if b == nil {
		return nil, nil, false, nil
	}
	touched, told := engine.Touched(b.engine)
	if !told {
		return nil, nil, false, nil
	}
	raised, cleared, err = b.search.Changes(engine, touched, ctx.Err)
	return raised, cleared, err == nil, err
}

// WhyNot tells what keeps a rule of a book from applying; false where the book was not looked at yet: it will be.
func (s *Search) WhyNot(snap *book.Snapshot, code string) (applies int, shutters []flags.Shutter, known bool) {
	b := s.baseOf(snap)
	if b == nil {
		return 0, nil, false
	}
	applies, shutters = b.search.WhyNot(code)
	return applies, shutters, true
}

// baseOf is how the flags of a book were found; nil where that is not known: it will be.
func (s *Search) baseOf(snap *book.Snapshot) *base {
	s.Of(snap)
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.base == nil || s.base.version != snap.Version {
		s.needed = true
		s.look()
		return nil
	}
	return s.base
}

// Run searches until ctx ends.
func (s *Search) Run(ctx context.Context) {
	for {
		select {
		case <-ctx.Done():
			return
		case <-s.wake:
		}
		for s.once(ctx) {
		}
	}
}

// once makes the wanted search, and reports whether another may be wanted by now.
func (s *Search) once(ctx context.Context) (more bool) {
	searching, stop := context.WithCancel(ctx)
	defer stop()
	s.mu.Lock()
	snap, next := s.wanted, target{}
	if snap != nil {
		next = target{snap.Version, s.since}
	}
	hasBase := s.base != nil && s.base.target == next
	if snap == nil || s.done == next && (!s.needed || hasBase) || ctx.Err() != nil {
		s.mu.Unlock()
		return false
	}
	s.stop, s.under = stop, next
	before, was, needed := s.base, s.whole, s.needed
	s.mu.Unlock()
	made, result, err := s.find(searching, snap, next, before, needed)
	s.mu.Lock()
	s.stop = nil
	if errors.Is(err, context.Canceled) || searching.Err() != nil {
		s.mu.Unlock()
		return ctx.Err() == nil
	}
	s.done, s.needed = next, false
	if err == nil {
		s.found, s.whole = result, result
		if made != nil {
			s.base = made
		}
	}
	s.mu.Unlock()
	if err != nil {
		slog.Error("cannot look for flags", "error", err)
	} else if err := s.note(ctx, was, result); err != nil {
		slog.Error("cannot keep what is known of flags", "error", err)
	}
	return true
}

// find looks at a book: again at what an edit touched, where the book before is known; else, if nobody has, at the
// present moment and then at the whole span.
func (s *Search) find(ctx context.Context, snap *book.Snapshot, next target, before *base, needed bool) (*base, Found,
	error) {
	q := flags.Question{Between: s.resting(ctx)}
	for i := range snap.Book.Channels {
		q.Channels = append(q.Channels, snap.Book.Channels[i].Code)
	}
	at := snap.Moment(s.now())
	q.From, q.To = at, at+Span
	if before != nil && before.search.Question().From <= at {
		if touched, told := snap.Engine.Touched(before.engine); told {
			if err := s.presentFirst(ctx, snap, q, before, touched); err != nil {
				return nil, Found{}, err
			}
			from := at
			if before.since == next.since {
				from = before.search.Question().From
			}
			search, err := before.search.After(snap.Engine, touched, from, q.Between)
			if err != nil {
				return nil, Found{}, err
			}
			return s.settled(ctx, snap, next, search)
		}
	} else if !needed {
		if data, kept, err := s.keeper.KeptFlags(ctx, next.version, next.since); err != nil {
			slog.Warn("cannot read the flags that were found", "error", err)
		} else if kept {
			found := Found{Version: next.version, From: at, entries: &entryList{}}
			if err := json.Unmarshal(data, &found.Flags); err == nil {
				return nil, found, nil
			}
		}
	}
	s.mu.Lock()
	first := s.found.Version == 0
	s.mu.Unlock()
	if first {
		if err := s.present(snap, q); err != nil {
			return nil, Found{}, err
		}
	}
	search, err := flags.NewSearch(snap.Engine, q)
	if err != nil {
		return nil, Found{}, err
	}
	return s.settled(ctx, snap, next, search)
}

// present tells what there is at this moment, before the span is looked at.
func (s *Search) present(snap *book.Snapshot, q flags.Question) error {
	q.To = q.From + 1
	now, err := flags.Find(snap.Engine, q)
	if err != nil {
		return fmt.Errorf("look at the present moment: %w", err)
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	s.found = Found{Flags: answers(now), Version: snap.Version, From: q.From, Present: true, entries: &entryList{}}
	return nil
}

// presentFirst tells, after an edit, what the products that it touches show at this moment, piece by piece. What they
// show later, what was not looked at yet, and what is about rules stays as it was until then.
func (s *Search) presentFirst(ctx context.Context, snap *book.Snapshot, q flags.Question, from *base,
	touched pricing.Set) error {
	q.To, q.Between = q.From+1, ctx.Err
	before := newCarried(s.whole.all(snap), from.engine, touched, q.From)
	var seen []*Entry
	err := flags.Show(snap.Engine, q, touched, func(fresh []flags.Flag, left pricing.Set) error {
		seen = merged(seen, entries(snap, answers(fresh)))
		list := merged(seen, before.left(snap, left, seen))
		s.mu.Lock()
		defer s.mu.Unlock()
		s.found = Found{Flags: flagsOf(list), Version: snap.Version, From: q.From, Present: true, Left: left.Count(),
			entries: listed(list)}
		return nil
	})
	if err != nil {
		return fmt.Errorf("look at the present moment: %w", err)
	}
	return nil
}

// mostKept bounds how many flags are kept with the version of a book: beyond, looking again is as fast.
const mostKept = 50_000

func (s *Search) settled(ctx context.Context, snap *book.Snapshot, next target,
	search *flags.Search) (*base, Found, error) {
	list, err := search.Flags()
	if err != nil {
		return nil, Found{}, err
	}
	made := &base{next, snap.Engine, search}
	found := Found{Flags: answers(list), Version: next.version, From: search.Question().From, entries: &entryList{}}
	found.all(snap) // before anybody waits for them
	if len(list) <= mostKept {
		data, err := json.Marshal(found.Flags)
		if err == nil {
			err = s.keeper.KeepFlags(ctx, next.version, next.since, data)
		}
		if err != nil && ctx.Err() == nil {
			slog.Warn("cannot keep the flags that were found", "error", err)
		}
	}
	return made, found, nil
}

func answers(list []flags.Flag) []*bookfile.FlagAnswer {
	out := make([]*bookfile.FlagAnswer, len(list))
	for i := range list {
		a := bookfile.FlagAnswerOf(&list[i])
		out[i] = &a
	}
	return out
}

// note keeps which flags came and went between two books. What was there before anybody looked came with no edit.
func (s *Search) note(ctx context.Context, before, now Found) error {
	if before.Version == 0 || before.Version == now.Version {
		return nil
	}
	subjects := func(f Found) map[string]bool {
		set := map[string]bool{}
		for i := range f.Flags {
			set[Subject(f.Flags[i])] = true
		}
		return set
	}
	was, is := subjects(before), subjects(now)
	var raised, cleared []string
	for about := range is {
		if !was[about] {
			raised = append(raised, about)
		}
	}
	for about := range was {
		if !is[about] {
			cleared = append(cleared, about)
		}
	}
	if len(raised)+len(cleared) == 0 {
		return nil
	}
	return s.keeper.NoteFlags(ctx, now.Version, s.now(), raised, cleared)
}

// resting works half of the time, and a twenty-fifth of it while somebody is asking something.
func (s *Search) resting(ctx context.Context) func() error {
	began := time.Now()
	return func() error {
		worked := time.Since(began)
		if worked < tick {
			return ctx.Err()
		}
		wait(ctx, min(worked, time.Second))
		for waited := worked; s.busy(400*time.Millisecond) && waited < min(24*worked, 5*time.Second) &&
			ctx.Err() == nil; waited += tick {
			wait(ctx, tick)
		}
		began = time.Now()
		return ctx.Err()
	}
}

const tick = 20 * time.Millisecond

func wait(ctx context.Context, d time.Duration) {
	select {
	case <-ctx.Done():
	case <-time.After(d):
	}
}
