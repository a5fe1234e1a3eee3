package publish

import (
	"context"
	"errors"
	"slices"
	"strings"

	"dogbane/internal/book"
	"dogbane/internal/bookfile"
	"dogbane/internal/pricing"
	"dogbane/internal/publish/pieces"
)

// Prepare builds a publication by hand. Its errors are ErrStale, ErrUnlinked, ErrNothing, ErrNoChoice, ErrFirst,
// *ErrWholeOnly, *pieces.UnknownPiece, *pieces.Dangling and *Undecided.
func (d *Desk) Prepare(ctx context.Context, snap *book.Snapshot, channel string, w Wish) (Publication, error) {
	if w.Version != snap.Version {
		return Publication{}, ErrStale
	}
	if w.nothing() {
		return Publication{}, ErrNoChoice
	}
	if err := d.linked(ctx, channel); err != nil {
		return Publication{}, err
	}
	e, err := d.Published(ctx, snap, channel)
	if err != nil {
		return Publication{}, err
	}
	choice := Choice{All: w.Pieces == nil, Keys: w.Pieces}
	to, err := d.target(snap, channel, e, choice)
	if err != nil {
		return Publication{}, err
	}
	// Blocked pieces first: what is left out of them makes another book.
	stopped, err := d.stoppedPieces(to, channel)
	if err != nil {
		return Publication{}, err
	}
	var undecided []string
	out := setOf(w.LeaveOut)
	left := 0
	for _, p := range to.some {
		switch name := p.String(); {
		case stopped[p.Key] == nil || strings.TrimSpace(w.Overrides[name]) != "":
		case out[name] || w.LeaveOutBlocked:
			out[name] = true
			left++
		default:
			undecided = append(undecided, name)
		}
	}
	for _, name := range w.LeaveOut {
		if k, err := pieces.Parse(name); err == nil && stopped[k] == nil && slices.ContainsFunc(to.some,
			func(p pieces.Piece) bool { return p.Key == k }) {
			out[name] = true
			left++
		}
	}
	if left > 0 {
		choice = Choice{}
		for _, p := range to.some {
			if !out[p.String()] {
				choice.Keys = append(choice.Keys, p.Key)
			}
		}
		if to, err = d.target(snap, channel, e, choice); err != nil {
			return Publication{}, err
		}
	}
	found, err := d.told(ctx, to, channel, snap.Moment(d.now()), w.Whole)
	if err != nil {
		return Publication{}, err
	}
	d.release(to, e, found)
	if w.Reached {
		w.SKUs = w.reached(to, e, snap, found)
	}
	rows, err := w.rows(found)
	var lines *Undecided
	if errors.As(err, &lines) {
		undecided = append(undecided, lines.SKUs...)
	}
	if undecided != nil {
		return Publication{}, &Undecided{undecided}
	}
	if errors.Is(err, ErrNothing) && len(to.some) > 0 && (w.SKUs == nil || w.Reached) {
		err = nil // what changes no line now is brought all the same
	}
	if err != nil {
		return Publication{}, err
	}
	worth, err := d.Worth(ctx, snap, channel)
	if err != nil {
		return Publication{}, err
	}
	p := Publication{Channel: channel, Version: snap.Version, At: found.At, Prepared: d.now(), Who: w.Who, Kind: ByHand,
		Whole: w.Whole, State: Prepared, Rules: found.Rules, Brings: to.brings, Brought: &to.brought,
		Named: Named{Worth: worth.of(found, rows), Pieces: to.names()}}
	if err := d.foretell(ctx, snap, e, to, found, &p); err != nil {
		return p, err
	}
	if err := d.plan(ctx, e, to, &w, &p); err != nil {
		return p, err
	}
	for name, reason := range w.Overrides {
		if k, err := pieces.Parse(name); err == nil && stopped[k] != nil {
			if p.Named.Overrides == nil {
				p.Named.Overrides = map[string]string{}
			}
			p.Named.Overrides[name] = reason
		}
	}
	if to.brings == BringsBook {
		if err := d.keeper.KeepBook(ctx, p.Version, func() []byte { return bookfile.Encode(snap.Book) }); err != nil {
			return p, err
		}
	}
	return p, d.keeper.Prepare(ctx, &p, rows)
}

// foretell notes with the pieces that a publication brings what comes of each, now and later, for whoever agrees to it.
func (d *Desk) foretell(ctx context.Context, snap *book.Snapshot, e *Edition, to *target, found *Differences,
	p *Publication) error {
	if e == nil || len(to.some) == 0 {
		return nil
	}
	later, err := d.laterOf(ctx, snap, p.Channel, e, found.At)
	if err != nil {
		return err
	}
	of := map[string][]LaterLines{}
	for i := range e.Pieces {
		of[e.Pieces[i].String()] = later[i]
	}
	lines := map[string]int{}
	reach := reachesAt(to.some, e.Engine, to.Engine, &found.At)
	for i := range found.Rows {
		for _, place := range reach.of(found.Rows[i].SKU) {
			lines[to.some[place].String()]++
		}
	}
	for i := range p.Named.Pieces {
		n := &p.Named.Pieces[i]
		n.Lines = lines[n.Piece]
		for _, l := range of[n.Piece] {
			n.Later = append(n.Later, NamedLater{l.At.String(), l.Lines, len(l.Stopped)})
		}
	}
	return nil
}

// release lets go of the lines of pieces that were held back and that a choice names.
func (d *Desk) release(to *target, e *Edition, found *Differences) {
	var named []pieces.Piece
	for _, p := range to.some {
		if to.named[p.Key] {
			named = append(named, p)
		}
	}
	if len(named) == 0 || e == nil {
		return
	}
	reach := reachesOf(named, e.Engine, to.Engine)
	for i := range found.Rows {
		r := &found.Rows[i]
		if r.Held && len(reach.of(r.SKU)) > 0 {
			r.Held = false
		}
	}
}

// told are the differences that a target makes, with their lines.
func (d *Desk) told(ctx context.Context, to *target, channel string, at pricing.Moment, whole bool) (*Differences,
	error) {
	if whole {
		return d.at(ctx, to.Snapshot, channel, at, true)
	}
	found, err := d.Differences(ctx, to.Snapshot, channel, at)
	if err != nil {
		return nil, err
	}
	return d.withLines(ctx, to.Snapshot, channel, found)
}

// withLines are differences with their lines.
func (d *Desk) withLines(ctx context.Context, snap *book.Snapshot, channel string, found *Differences) (*Differences,
	error) {
	t, _, know, err := d.grounds(ctx, snap, channel)
	if err != nil {
		return nil, err
	}
	next := *found
	next.Rows = slices.Clone(found.Rows)
	var products []int32
	for i := range next.Rows {
		if r := &next.Rows[i]; r.Product >= 0 {
			if p, is := t.Engine.ProductNumber(r.SKU); is {
				r.Product = p
				products = append(products, p)
			}
		}
	}
	k := d.channel(channel)
	k.comparing.Lock()
	before := k.begin(ctx, d, know, t, found.At)
	k.comparing.Unlock()
	if next.lines, err = t.AtSome(found.At, before, t.Engine.SetOf(products)); err != nil {
		return nil, err
	}
	pricing.InParallel(len(next.Rows), func(from, to int) {
		for i := from; i < to; i++ {
			if r := &next.Rows[i]; r.Digest != nil {
				told, _ := next.lines.Of(r.Product)
				r.Line = &told.Line
			}
		}
	})
	return &next, nil
}
