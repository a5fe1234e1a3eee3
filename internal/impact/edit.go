package impact

import (
	"cmp"
	"context"
	"errors"
	"strings"

	"dogbane/internal/board"
	"dogbane/internal/book"
	"dogbane/internal/bookfile"
	"dogbane/internal/checks"
	"dogbane/internal/pricing"
)

// Edit is what an edit of the book would do.
type Edit struct {
	Errors []bookfile.Error `json:"errors" doc:"what keeps it from being saved; the rest is empty then"`
	At     string           `json:"at" doc:"the moment looked at"`
	Prices []Channel        `json:"prices"`
	Checks []checks.Result  `json:"checks" doc:"checks that hold now and would not"`
}

// Channel is what happens to the prices of a channel, for a guest who buys one piece or for somebody whom the edit is
// about.
type Channel struct {
	Channel  string `json:"channel"`
	Name     string `json:"name"`
	Who      string `json:"who,omitempty" doc:"group:CODE or customer:CODE; absent: a guest"`
	Quantity int    `json:"quantity"`
	Tally
}

// None is the impact of an edit that was not looked at, or cannot be saved.
func None(errs bookfile.Errors) Edit {
	return Edit{Errors: append([]bookfile.Error{}, errs...), Prices: []Channel{}, Checks: []checks.Result{}}
}

// Impacts work out what edits would do.
type Impacts struct {
	sweeps *board.Sweeps
	pinned checks.Source
}

// New makes impacts that take sweeps from those at hand.
func New(sweeps *board.Sweeps, pinned checks.Source) *Impacts { return &Impacts{sweeps, pinned} }

// OfBook is what another book in the place of a saved one would do to the prices of every channel at a moment, and to
// the checks: for a guest with one piece, and for other buyers to whom it may matter where that moves something.
func (i *Impacts) OfBook(ctx context.Context, snap *book.Snapshot, next *pricing.Book, at pricing.Moment) (Edit,
	error) {
	engine := snap.Engine.Recompile(next)
	out := None(nil)
	out.At = at.String()
	var err error
	if out.Checks, err = i.broken(ctx, snap.Engine, engine); err != nil {
		return out, err
	}
	number, buyers := numbers(snap.Engine, engine), append([]Buyer{{"", 1}}, Buyers(snap.Book, next)...)
	for k := range next.Channels {
		c, guests := &next.Channels[k], Tally{}
		for n, b := range buyers {
			if err := ctx.Err(); err != nil {
				return out, err
			}
			vp := pricing.Viewpoint{Channel: c.Code, At: at, Quantity: b.Quantity}
			if err := book.SetWho(&vp, b.Who); err != nil {
				return out, err
			}
			tally, err := i.between(snap, engine, number, vp)
			if err != nil {
				return out, err
			}
			if n == 0 {
				guests = tally
			}
			// A group whose prices move as everybody's do says nothing more.
			asAll := b.Quantity == 1 && strings.HasPrefix(b.Who, "group:") && tally.same(guests)
			if n == 0 || tally.Moved > 0 && !asAll {
				out.Prices = append(out.Prices, Channel{c.Code, cmp.Or(c.Name, c.Code), b.Who, b.Quantity, tally})
			}
		}
	}
	return out, nil
}

// OfBookFrom is what another book would do to the prices from one viewpoint, and to the checks.
func (i *Impacts) OfBookFrom(ctx context.Context, snap *book.Snapshot, next *pricing.Book, vp pricing.Viewpoint) (Tally,
	[]checks.Result, error) {
	engine := snap.Engine.Recompile(next)
	tally, err := i.between(snap, engine, numbers(snap.Engine, engine), vp)
	if err != nil {
		return tally, nil, err
	}
	broken, err := i.broken(ctx, snap.Engine, engine)
	return tally, broken, err
}

// between compares the prices of one viewpoint. What only one of the books knows has no prices in the other; somebody
// whom only the later one knows paid as a guest, or as the groups do.
func (i *Impacts) between(snap *book.Snapshot, engine *pricing.Engine, number func(int32) int32,
	vp pricing.Viewpoint) (Tally, error) {
	return tallyOf(engine, number, vp, func(vp pricing.Viewpoint) (*pricing.Sweep, error) {
		sw, err := i.sweeps.Of(snap, vp)
		if err != nil {
			return nil, err
		}
		return sw.Sweep, nil
	})
}

// Between compares the prices of two engines from one viewpoint.
func Between(before, after *pricing.Engine, vp pricing.Viewpoint) (Tally, error) {
	return tallyOf(after, numbers(before, after), vp, before.Sweep)
}

func tallyOf(engine *pricing.Engine, number func(int32) int32, vp pricing.Viewpoint,
	earlier func(vp pricing.Viewpoint) (*pricing.Sweep, error)) (Tally, error) {
	var unknown *pricing.QuestionError
	c := comparison{number: number}
	var err error
	if c.after, err = engine.Sweep(vp); errors.As(err, &unknown) {
		return Tally{}, nil
	} else if err != nil {
		return Tally{}, err
	}
	if c.before, err = earlier(vp); errors.As(err, &unknown) {
		c.before, err = earlier(asBefore(engine.Book(), vp)) // who comes is not new to the shop's prices
	}
	if err != nil && !errors.As(err, &unknown) {
		return Tally{}, err
	}
	return c.tally(), nil
}

// asBefore is the viewpoint of somebody whom an earlier book does not know: a member of the customer's groups, else a
// guest.
func asBefore(b *pricing.Book, vp pricing.Viewpoint) pricing.Viewpoint {
	was := vp.Guest()
	for i := range b.Customers {
		if b.Customers[i].Code == vp.Customer {
			was.Groups = b.Customers[i].Groups
		}
	}
	return was
}

// broken are the checks that hold with one engine and not with another.
func (i *Impacts) broken(ctx context.Context, before, after *pricing.Engine) ([]checks.Result, error) {
	pinned, err := i.pinned.Pinned(ctx)
	if err != nil {
		return []checks.Result{}, err
	}
	return checks.Broken(pinned, before, after), nil
}
