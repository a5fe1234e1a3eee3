package publish

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"log/slog"
	"maps"
	"runtime/debug"
	"slices"
	"sync"
	"time"

	"dogbane/internal/clock"
	"dogbane/internal/money"
	"dogbane/internal/pricing"
	"dogbane/internal/publish/format"
	"dogbane/internal/publish/transport"
)

// Order is what somebody decided to send.
type Order struct {
	Who       string
	Version   int64
	Overrides map[string]string // SKU → the reason for sending a blocked row
	LeaveOut  []string          // SKUs that are not sent this time
	Only      []string          // the SKUs that are sent, where not all; the rest stays due
}

// Undecided says which blocked rows are neither overridden nor left out.
type Undecided struct{ SKUs []string }

func (u *Undecided) Error() string {
	return fmt.Sprintf("%d prices are below cost: give a reason for each, or leave it out", len(u.SKUs))
}

// ErrNothing says that the channel already shows everything that would be sent.
var ErrNothing = errors.New("there is nothing to send")

// rows are what an order sends of the differences.
func (o *Order) rows(d *Differences) ([]Row, error) {
	var rows []Row
	var undecided []string
	out, only := setOf(o.LeaveOut), setOf(o.Only)
	for i := range d.Rows {
		diff := &d.Rows[i]
		if out[diff.SKU] || len(only) > 0 && !only[diff.SKU] {
			continue
		}
		reason := o.Overrides[diff.SKU]
		if diff.Blocked() && reason == "" {
			undecided = append(undecided, diff.SKU)
			continue
		}
		if !diff.Blocked() {
			reason = ""
		}
		rows = append(rows, Row{SKU: diff.SKU, Kind: diff.Kind, Was: diff.Was, Price: diff.Price, Reference: diff.Reference,
			Currency: d.Currency, Tags: diff.Tags, Override: reason})
	}
	if undecided != nil {
		return nil, &Undecided{undecided}
	}
	if len(rows) == 0 {
		return nil, ErrNothing
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

// ErrUnlinked says that nobody has said how a channel is reached.
var ErrUnlinked = errors.New("nothing says how this channel is reached")

// Worker sends publications, one at a time per channel. It is owned by the program: what it sends ends, at the latest,
// when the program's context does, and Wait returns when nothing is under way any more.
type Worker struct {
	keeper Keeper
	shows  *Shows
	now    clock.Clock // the book's
	ctx    context.Context
	under  sync.WaitGroup // publications under way
}

// NewWorker sends until ctx ends.
func NewWorker(ctx context.Context, keeper Keeper, shows *Shows, now clock.Clock) *Worker {
	return &Worker{keeper: keeper, shows: shows, now: now, ctx: ctx}
}

// Wait returns when no publication is under way.
func (w *Worker) Wait() { w.under.Wait() }

var errEnded = errors.New("the program ended while this was being sent")

// longestSending is after which time a publication is given up.
const longestSending = 10 * time.Minute

// Start keeps a publication of the differences and sends it beside its caller.
func (w *Worker) Start(ctx context.Context, engine *pricing.Engine, d *Differences, o Order) (Publication, error) {
	s, err := w.prepare(ctx, engine, d, o, w.now)
	if err != nil {
		return Publication{}, err
	}
	started := *s.publication
	w.under.Go(func() { w.send(s, w.now) })
	return started, nil
}

// Send keeps a publication of the differences as one of an earlier time, sends it and says how it ended.
func (w *Worker) Send(ctx context.Context, engine *pricing.Engine, d *Differences, o Order, at time.Time) (Publication,
	error) {
	now := func() time.Time { return at }
	s, err := w.prepare(ctx, engine, d, o, now)
	if err != nil {
		return Publication{}, err
	}
	w.under.Add(1)
	defer w.under.Done()
	w.send(s, now)
	return *s.publication, nil
}

// sending is a publication on its way.
type sending struct {
	publication *Publication
	transport   transport.Transport
	rows        []Row
	lines       []format.Line
}

func (w *Worker) prepare(ctx context.Context, engine *pricing.Engine, d *Differences, o Order,
	now clock.Clock) (*sending, error) {
	rows, err := o.rows(d)
	if err != nil {
		return nil, err
	}
	links, err := w.keeper.Links(ctx)
	if err != nil {
		return nil, err
	}
	link, linked := links[d.Channel]
	if !linked {
		return nil, fmt.Errorf("channel %q: %w", d.Channel, ErrUnlinked)
	}
	s := &sending{rows: rows, lines: make([]format.Line, len(rows))}
	if s.transport, err = transport.Open(link.Kind, link.Address, link.Token); err != nil {
		return nil, fmt.Errorf("reach channel %q: %w", d.Channel, err)
	}
	for i := range rows {
		s.lines[i] = line(engine, &rows[i])
	}
	s.publication = &Publication{Channel: d.Channel, Version: o.Version, PricedAt: time.Unix(int64(d.At), 0).UTC(),
		Started: now().UTC(), Who: o.Who, Status: Sending}
	return s, w.keeper.StartPublication(ctx, s.publication, rows)
}

func line(engine *pricing.Engine, r *Row) format.Line {
	l := format.Line{SKU: r.SKU, Currency: r.Currency, Remove: r.Kind == Gone}
	if n, exists := engine.ProductNumber(r.SKU); exists {
		l.Name = engine.Products()[n].Name
	}
	digits, _ := money.Digits(r.Currency)
	if r.Price != nil {
		l.Price = r.Price.Fixed(digits)
	}
	if r.Reference != nil {
		l.Reference = r.Reference.Fixed(digits)
	}
	if !r.Tags.None() {
		l.Tags = &format.Tags{Add: r.Tags.Add, Remove: r.Tags.Remove}
	}
	return l
}

// send delivers a publication and keeps how it ended, whatever happens in between.
func (w *Worker) send(s *sending, now clock.Clock) {
	p := s.publication
	keeping := context.WithoutCancel(w.ctx) // how it ended is kept even when the program ends
	waiting := make(map[string]Row, len(s.rows))
	for _, r := range s.rows {
		waiting[r.SKU] = r
	}
	refused := 0
	answered := func(answers map[string]format.Answer) error {
		var rows []Row
		for sku, a := range answers {
			r, asked := waiting[sku]
			if !asked {
				continue
			}
			delete(waiting, sku)
			r.Answer, r.Message = Taken, a.Message
			if !a.Taken {
				r.Answer = Refused
				refused++
			}
			rows = append(rows, r)
		}
		slices.SortFunc(rows, func(a, b Row) int { return cmp.Compare(a.SKU, b.SKU) })
		return w.keeper.AnswerRows(keeping, p, rows, now())
	}
	err := w.deliver(s, answered)
	if err == nil && len(waiting) > 0 {
		err = fmt.Errorf("the channel left %d rows without an answer", len(waiting))
	}
	next := Done
	switch {
	case err != nil && w.ctx.Err() != nil:
		next, err = BrokenOff, errEnded
	case err != nil && len(waiting) == len(s.rows):
		next = Failed
	case err != nil || refused > 0:
		next = Partly
	}
	if err != nil {
		p.Problem = err.Error()
		left := slices.SortedFunc(maps.Values(waiting), func(a, b Row) int { return cmp.Compare(a.SKU, b.SKU) })
		for i := range left {
			left[i].Answer, left[i].Message = Missing, "not answered by the channel"
		}
		if err := w.keeper.AnswerRows(keeping, p, left, now()); err != nil {
			slog.Error("cannot keep unanswered rows", "publication", p.ID, "error", err)
		}
	}
	ended := now().UTC()
	p.Ended = &ended
	if err := errors.Join(p.to(next), w.keeper.EndPublication(keeping, p)); err != nil {
		slog.Error("cannot keep the end of a publication", "publication", p.ID, "error", err)
	}
	slog.Info("publication ended", "publication", p.ID, "channel", p.Channel, "status", p.Status, "rows", len(s.rows),
		"refused", refused, "problem", p.Problem)
	w.shows.Forget(p.Channel)
}

// deliver sends the lines; a panic on the way is an error.
func (w *Worker) deliver(s *sending, answered func(map[string]format.Answer) error) (err error) {
	ctx, cancel := context.WithTimeout(w.ctx, longestSending)
	defer cancel()
	defer func() {
		if r := recover(); r != nil {
			slog.Error("sending failed unexpectedly", "publication", s.publication.ID, "panic", fmt.Sprint(r), "stack",
				string(debug.Stack()))
			err = errors.New("sending failed unexpectedly; it has been noted in the program's log")
		}
	}()
	return s.transport.Deliver(ctx, s.publication.ID, s.lines, answered)
}
