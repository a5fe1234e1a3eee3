// Package sending brings what the desk decided to the channels, and their answers back: parts with keys, leases among
// instances, patience, late answers, and what a channel shows held against what it took. Each kind of channel is a Way
// with a file of its own.
package sending

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"runtime/debug"
	"sync"
	"sync/atomic"
	"time"

	"dogbane/internal/clock"
	"dogbane/internal/publish"
	"dogbane/internal/publish/format"
)

// Outbox is what the sender keeps, and how it tells others what is its own to send.
type Outbox interface {
	Links(ctx context.Context) (map[string]publish.Link, error)
	// Underway are publications that are queued or sent, the lowest number of each channel.
	Underway(ctx context.Context) ([]publish.Publication, error)
	Publication(ctx context.Context, id int64) (publish.Publication, error)
	// Going are the rows of a publication that are sent, by their parts, with what is said of each.
	Going(ctx context.Context, id int64) ([]publish.Going, error)
	// Claim makes a publication an owner's for as long as a lease lasts; false where it is another's.
	Claim(ctx context.Context, id int64, owner string, lease time.Duration) (bool, error)
	// Renew lengthens a lease: ErrLost where it is not the owner's any more, *Stopped where somebody stops what is sent,
	// ErrUnlinked where its channel is not connected any more.
	Renew(ctx context.Context, id int64, owner string, lease time.Duration) error
	LetGo(ctx context.Context, id int64, owner string) error
	// FixParts keeps the bytes of all parts before the first is sent. A single one has all rows, of several each has
	// those that were prepared for it.
	FixParts(ctx context.Context, id int64, owner string, parts [][]byte) error
	Parts(ctx context.Context, id int64) ([]publish.Part, error)
	PartBytes(ctx context.Context, id int64, number int) ([]byte, error)
	KeepPart(ctx context.Context, id int64, owner string, p publish.Part) error
	// KeepAnswers keeps answers to a part with what the channel shows from then on; a line not named is unanswered. nil:
	// the channel will not answer any more.
	KeepAnswers(ctx context.Context, p *publish.Publication, owner string, number int, answers map[string]publish.Reply,
		at time.Time) error
	End(ctx context.Context, p *publish.Publication, owner, problem string, at time.Time) error
	// DropUnsent drops what was prepared before an instant and nobody sent.
	DropUnsent(ctx context.Context, before, now time.Time) error
	// Unsettled are ended publications of which lines are unanswered.
	Unsettled(ctx context.Context, channel string, since time.Time) ([]int64, error)
	// KeepLate keeps answers that come after a publication has ended.
	KeepLate(ctx context.Context, id int64, answers map[string]publish.Reply, at time.Time) error
}

// Sender sends what is queued: one publication to a channel at a time, in rising order, whichever instance is alive.
// What it knows it keeps before it goes on, so that another goes on where it stood.
type Sender struct {
	Keeper  Outbox
	Owner   string      // tells this instance from others
	Book    clock.Clock // for what is recorded of prices
	Machine clock.Clock // for patience
	// Instant is a publication's moment as channels are told it.
	Instant func(p *publish.Publication) string
	// Wait lets time pass; false where ctx has ended.
	Wait func(ctx context.Context, d time.Duration) bool
	// Newer is told of a channel that has a newer publication than the program knows; nil: nobody is.
	Newer func(channel string)
	// Told is told of a channel of which another answer is kept; nil: nobody is.
	Told func(channel string)
	// Begins is asked before anything of a publication is sent; its error puts that off. nil: nobody is.
	Begins func(ctx context.Context, p *publish.Publication) error
	Lease  time.Duration // how long a publication is an instance's that says nothing

	mu    sync.Mutex
	under map[int64]bool // publications that are sent from here
	late  atomic.Bool    // late answers are looked for
	work  sync.WaitGroup
	wake  chan struct{}
}

const unlinkedMeanwhile = "The channel is no longer connected."

// Sleep lets time pass on the machine's clock; false where ctx has ended.
func Sleep(ctx context.Context, d time.Duration) bool {
	select {
	case <-ctx.Done():
		return false
	case <-time.After(d):
		return true
	}
}

const (
	firstPause    = 500 * time.Millisecond
	longestPause  = 60 * time.Second
	longestReview = 72 * time.Hour
	lateAnswers   = 30 * 24 * time.Hour
	unsent        = 24 * time.Hour  // until what was prepared is dropped
	drain         = 5 * time.Second // for the answer to what is on its way when the program ends
	look          = 250 * time.Millisecond
)

// Wake has the sender look at once.
func (s *Sender) Wake() {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.wake == nil {
		s.wake = make(chan struct{}, 1)
	}
	select {
	case s.wake <- struct{}{}:
	default: // it will look anyway
	}
}

// Run sends until ctx ends and what is on its way has been answered.
func (s *Sender) Run(ctx context.Context) {
	s.Wake()
	defer s.work.Wait()
	lastLate := time.Time{}
	for ctx.Err() == nil {
		if err := s.Look(ctx); err != nil && ctx.Err() == nil {
			slog.Warn("cannot look for publications", "error", err)
		}
		// Beside the rest: a folder of a machine that is away must keep nobody waiting.
		if now := s.Machine(); now.Sub(lastLate) > 5*time.Second && s.late.CompareAndSwap(false, true) {
			lastLate = now
			s.work.Go(func() {
				defer s.late.Store(false)
				if err := s.Late(ctx); err != nil && ctx.Err() == nil {
					slog.Warn("cannot look for late answers", "error", err)
				}
			})
			if err := s.Keeper.DropUnsent(ctx, s.Book().Add(-unsent), s.Book()); err != nil && ctx.Err() == nil {
				slog.Warn("cannot drop what nobody sent", "error", err)
			}
		}
		select {
		case <-ctx.Done():
		case <-s.wake:
		case <-time.After(look):
		}
	}
}

// Idle returns when nothing is sent from here any more.
func (s *Sender) Idle() { s.work.Wait() }

// Look begins to send what is queued and nobody sends.
func (s *Sender) Look(ctx context.Context) error {
	list, err := s.Keeper.Underway(ctx)
	if err != nil {
		return err
	}
	for _, p := range list {
		s.mu.Lock()
		if s.under == nil {
			s.under = map[int64]bool{}
		}
		known := s.under[p.ID]
		s.mu.Unlock()
		if known {
			continue
		}
		mine, err := s.Keeper.Claim(ctx, p.ID, s.Owner, s.Lease)
		if err != nil {
			return err
		}
		if !mine {
			continue
		}
		s.mu.Lock()
		s.under[p.ID] = true
		s.mu.Unlock()
		s.work.Go(func() {
			defer func() {
				s.mu.Lock()
				delete(s.under, p.ID)
				s.mu.Unlock()
				s.Wake()
			}()
			s.send(ctx, p.ID)
		})
	}
	return nil
}

// send sends a publication that is this instance's, and holds it meanwhile.
func (s *Sender) send(ctx context.Context, id int64) {
	holding, lose := context.WithCancelCause(context.WithoutCancel(ctx))
	defer lose(nil)
	// What is on its way when the program ends has a little time to be answered.
	stop := context.AfterFunc(ctx, func() { time.AfterFunc(drain, func() { lose(context.Canceled) }) })
	defer stop()
	var holder sync.WaitGroup
	defer holder.Wait()
	done := make(chan struct{})
	defer close(done)
	holder.Go(func() { s.hold(id, done, lose) })
	err := s.deliver(ctx, holding, id)
	var stopped *publish.Stopped
	switch cause := context.Cause(holding); {
	case err == nil:
	case errors.As(cause, &stopped):
		err = s.over(id, stopped.Error())
	case errors.Is(cause, publish.ErrUnlinked):
		err = s.over(id, unlinkedMeanwhile)
	}
	switch {
	case errors.Is(err, publish.ErrLost) || errors.Is(context.Cause(holding), publish.ErrLost):
		slog.Warn("another instance sends a publication that was this one's", "publication", id)
	case err != nil && ctx.Err() == nil:
		slog.Error("sending was interrupted; it goes on", "publication", id, "error", err)
		s.Wait(ctx, firstPause)
	}
	if err != nil {
		letting, cancel := context.WithTimeout(context.WithoutCancel(ctx), time.Second)
		defer cancel()
		if err := s.Keeper.LetGo(letting, id, s.Owner); err != nil {
			slog.Warn("cannot let go of a publication; another goes on when the lease is over", "publication", id, "error", err)
		}
	}
}

// hold renews the lease of a publication until done; where it cannot, or somebody stops it, what is under way is given
// up before the lease ends.
func (s *Sender) hold(id int64, done <-chan struct{}, lose context.CancelCauseFunc) {
	last := s.Machine()
	for {
		select {
		case <-done:
			return
		case <-time.After(min(s.Lease/4, time.Second)):
		}
		ctx, cancel := context.WithTimeout(context.Background(), s.Lease/4)
		err := s.Keeper.Renew(ctx, id, s.Owner, s.Lease)
		cancel()
		var stopped *publish.Stopped
		switch {
		case err == nil:
			last = s.Machine()
		case errors.Is(err, publish.ErrLost), errors.Is(err, publish.ErrUnlinked), errors.As(err, &stopped):
			select {
			case <-done: // it has just ended
			default:
				lose(err)
			}
			return
		case s.Machine().Sub(last) > s.Lease*3/4:
			lose(publish.ErrLost)
			return
		}
	}
}

// over ends a publication that is not to be sent any more, whatever is on its way.
func (s *Sender) over(id int64, why string) error {
	ctx, cancel := context.WithTimeout(context.Background(), s.Lease/2)
	defer cancel()
	p, err := s.Keeper.Publication(ctx, id)
	if err != nil {
		return err
	}
	return s.end(ctx, &p, why)
}

// deliver sends a publication; a panic on the way is an error. ctx ends with the program, holding with the lease.
func (s *Sender) deliver(ctx, holding context.Context, id int64) (err error) {
	defer func() {
		if r := recover(); r != nil {
			slog.Error("sending failed unexpectedly", "publication", id, "panic", fmt.Sprint(r), "stack", string(debug.Stack()))
			err = errors.New("sending failed unexpectedly")
		}
	}()
	p, err := s.Keeper.Publication(holding, id)
	if err != nil {
		return err
	}
	links, err := s.Keeper.Links(holding)
	if err != nil {
		return err
	}
	link, linked := links[p.Channel]
	if !linked {
		return s.end(holding, &p, unlinkedMeanwhile)
	}
	if s.Begins != nil {
		if err := s.Begins(holding, &p); err != nil {
			return err
		}
	}
	var last *format.Message
	if p.Parts == 0 {
		if last, err = s.fix(holding, &p, &link); err != nil {
			return err
		}
	}
	if p.Parts == 0 {
		return s.end(holding, &p, "")
	}
	way, err := WayOf(link.Kind)
	if err != nil {
		return err
	}
	return way.send(ctx, holding, s, &p, &link, last)
}

// fix keeps the bytes of all parts, and tells the last.
func (s *Sender) fix(ctx context.Context, p *publish.Publication, link *publish.Link) (last *format.Message,
	err error) {
	way, err := WayOf(link.Kind)
	if err != nil {
		return nil, err
	}
	rows, err := s.Keeper.Going(ctx, p.ID)
	if err != nil {
		return nil, err
	}
	var chunks [][]publish.Going
	for i := range rows {
		n := rows[i].Part - 1
		if way.whole() {
			n = 0
		}
		if n == len(chunks) {
			chunks = append(chunks, nil)
		}
		chunks[n] = append(chunks[n], rows[i])
	}
	if len(chunks) == 0 && !p.Rules.None() {
		chunks = append(chunks, nil)
	}
	parts := make([][]byte, len(chunks))
	for i, chunk := range chunks {
		m := format.Message{Channel: p.Channel, Publication: p.ID, Part: i + 1, Parts: len(chunks), At: s.Instant(p),
			Effective: p.Named.Effective}
		for j := range chunk {
			r := &chunk[j]
			if r.Line == nil {
				m.Remove = append(m.Remove, r.SKU)
			} else {
				m.Lines = append(m.Lines, r.Line)
			}
		}
		if i == len(chunks)-1 {
			m.Rules, m.Withdraw = p.Rules.Rules, p.Rules.Withdraw
		}
		if parts[i], err = m.Bytes(); err != nil {
			return nil, err
		}
		last = &m
	}
	p.Parts = len(parts)
	if len(parts) == 0 {
		return nil, nil
	}
	return last, s.Keeper.FixParts(ctx, p.ID, s.Owner, parts)
}

func (s *Sender) end(ctx context.Context, p *publish.Publication, problem string) error {
	err := s.Keeper.End(ctx, p, s.Owner, problem, s.Book())
	s.told(p.Channel)
	if err != nil {
		return err
	}
	slog.Info("publication ended", "publication", p.ID, "channel", p.Channel, "state", p.State, "lines", p.Counts.Total,
		"taken", p.Counts.Taken, "problem", problem)
	return nil
}

// answered keeps answers to a part, however long the database is away, as long as the publication is this instance's.
func (s *Sender) answered(ctx context.Context, p *publish.Publication, number int,
	answers map[string]format.Answer) error {
	var replies map[string]publish.Reply // nil: it will not answer any more
	if answers != nil {
		replies = make(map[string]publish.Reply, len(answers))
	}
	for sku, a := range answers {
		replies[sku] = publish.Reply(a)
	}
	return s.keep(ctx, p, number, replies)
}

func (s *Sender) keep(ctx context.Context, p *publish.Publication, number int, replies map[string]publish.Reply) error {
	err := s.Keeper.KeepAnswers(ctx, p, s.Owner, number, replies, s.Book())
	s.told(p.Channel)
	return err
}

func (s *Sender) told(channel string) {
	if s.Told != nil {
		s.Told(channel)
	}
}

// takenWhole keeps every line of a part as taken.
func (s *Sender) takenWhole(ctx context.Context, p *publish.Publication, number int) error {
	body, err := s.Keeper.PartBytes(ctx, p.ID, number)
	if err != nil {
		return err
	}
	m, skus, err := readMessage(body)
	if err != nil {
		return err
	}
	replies := map[string]publish.Reply{}
	for _, sku := range append(skus, m.Remove...) {
		replies[sku] = publish.Reply{Taken: true}
	}
	return s.keep(ctx, p, number, replies)
}

// readMessage reads a part back, with the SKUs of its lines.
func readMessage(body []byte) (m format.Message, skus []string, err error) {
	if err := json.Unmarshal(body, &m); err != nil {
		return m, nil, fmt.Errorf("read a part: %w", err)
	}
	for _, line := range m.Lines {
		var head struct {
			SKU string `json:"sku"`
		}
		if err := json.Unmarshal(line, &head); err != nil {
			return m, nil, fmt.Errorf("read a line: %w", err)
		}
		skus = append(skus, head.SKU)
	}
	return m, skus, nil
}

// Late keeps answers that channels give to publications which have ended.
func (s *Sender) Late(ctx context.Context) error {
	links, err := s.Keeper.Links(ctx)
	if err != nil {
		return err
	}
	for channel, link := range links {
		way, known := ways[link.Kind]
		if !known || !way.answersLate() {
			continue
		}
		ids, err := s.Keeper.Unsettled(ctx, channel, s.Book().Add(-lateAnswers))
		if err != nil {
			return err
		}
		for _, id := range ids {
			if err := way.late(ctx, s, &link, id); err != nil {
				return err
			}
		}
	}
	return nil
}
