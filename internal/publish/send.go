package publish

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"maps"
	"slices"
	"time"

	"dogbane/internal/pricing"
	"dogbane/internal/store"
)

// Order is what somebody decided to send.
type Order struct {
	Who       string
	Version   int64
	Overrides map[string]string // SKU → the reason for sending a blocked row
	LeaveOut  []string          // SKUs that are not sent this time
}

// Undecided says which blocked rows are neither overridden nor left out.
type Undecided struct{ SKUs []string }

func (u *Undecided) Error() string {
	return fmt.Sprintf("%d prices are below cost: give a reason for each, or leave it out", len(u.SKUs))
}

// ErrNothing says that the channel already shows everything that would be sent.
var ErrNothing = errors.New("there is nothing to send")

// rows are what an order sends of the differences.
func (o *Order) rows(d *Differences) ([]store.PublicationRow, error) {
	var rows []store.PublicationRow
	var undecided []string
	for i := range d.Rows {
		diff := &d.Rows[i]
		if slices.Contains(o.LeaveOut, diff.SKU) {
			continue
		}
		reason := o.Overrides[diff.SKU]
		if diff.BelowCost && reason == "" {
			undecided = append(undecided, diff.SKU)
			continue
		}
		if !diff.BelowCost {
			reason = ""
		}
		rows = append(rows, store.PublicationRow{SKU: diff.SKU, Kind: diff.Kind, Was: diff.Was, Price: diff.Price, Reference: diff.Reference, Currency: d.Currency, Override: reason})
	}
	if undecided != nil {
		return nil, &Undecided{undecided}
	}
	if len(rows) == 0 {
		return nil, ErrNothing
	}
	return rows, nil
}

// Answer is what a channel says to one row.
type Answer struct {
	Taken   bool
	Message string
}

// connection delivers rows to a channel and hands every answer on as it comes.
type connection interface {
	deliver(ctx context.Context, publication int64, names map[string]string, rows []store.PublicationRow, answered func([]store.PublicationRow) error) error
}

// ErrUnlinked says that nobody has said how a channel is reached.
var ErrUnlinked = errors.New("nothing says how this channel is reached")

// Publisher sends publications, one at a time per channel.
type Publisher struct {
	Store *store.Store
	Now   func() time.Time
	// Done is called when a publication has ended.
	Done func(channel string)
}

// Start keeps a publication of the differences and sends it in the background.
func (p *Publisher) Start(ctx context.Context, engine *pricing.Engine, d *Differences, o Order) (*store.Publication, error) {
	rows, err := o.rows(d)
	if err != nil {
		return nil, err
	}
	links, err := p.Store.Links(ctx)
	if err != nil {
		return nil, err
	}
	link, linked := links[d.Channel]
	if !linked {
		return nil, fmt.Errorf("channel %q: %w", d.Channel, ErrUnlinked)
	}
	conn, err := connect(link)
	if err != nil {
		return nil, err
	}
	pub := &store.Publication{Channel: d.Channel, Version: o.Version, PricedAt: time.Unix(int64(d.At), 0).UTC(), Started: p.Now().UTC(), Who: o.Who}
	if err := p.Store.StartPublication(ctx, pub, rows); err != nil {
		return nil, err
	}
	names := map[string]string{}
	for _, r := range rows {
		if n, exists := engine.ProductNumber(r.SKU); exists {
			names[r.SKU] = engine.Products()[n].Name
		}
	}
	started := *pub
	go p.send(context.WithoutCancel(ctx), conn, pub, names, rows)
	return &started, nil
}

func (p *Publisher) send(ctx context.Context, conn connection, pub *store.Publication, names map[string]string, rows []store.PublicationRow) {
	ctx, cancel := context.WithTimeout(ctx, 10*time.Minute)
	defer cancel()
	waiting := map[string]store.PublicationRow{}
	for _, r := range rows {
		waiting[r.SKU] = r
	}
	refused := 0
	answered := func(some []store.PublicationRow) error {
		for _, r := range some {
			delete(waiting, r.SKU)
			if r.Answer != "taken" {
				refused++
			}
		}
		return p.Store.AnswerRows(ctx, pub, some, p.Now())
	}
	err := conn.deliver(ctx, pub.ID, names, rows, answered)
	if err == nil && len(waiting) > 0 {
		err = fmt.Errorf("the channel left %d rows without an answer", len(waiting))
	}
	switch {
	case err != nil && len(waiting) == len(rows):
		pub.Status = "failed"
	case err != nil || refused > 0:
		pub.Status = "partly"
	default:
		pub.Status = "done"
	}
	if err != nil {
		pub.Problem = err.Error()
		left := slices.Collect(maps.Values(waiting))
		for i := range left {
			left[i].Answer, left[i].Message = "failed", "not answered by the channel"
		}
		if err := p.Store.AnswerRows(ctx, pub, left, p.Now()); err != nil {
			slog.Error("cannot keep unanswered rows", "publication", pub.ID, "error", err)
		}
	}
	ended := p.Now().UTC()
	pub.Ended = &ended
	if err := p.Store.EndPublication(ctx, pub); err != nil {
		slog.Error("cannot keep the end of a publication", "publication", pub.ID, "error", err)
	}
	slog.Info("publication ended", "publication", pub.ID, "channel", pub.Channel, "status", pub.Status, "rows", len(rows), "refused", refused, "problem", pub.Problem)
	if p.Done != nil {
		p.Done(pub.Channel)
	}
}
