package publish

import (
	"context"
	"errors"
	"fmt"

	"dogbane/internal/book"
	"dogbane/internal/pricing"
	"dogbane/internal/publish/telling"
)

// Upcoming are the next due moments of a channel, as its published version of the book has them; nil where nothing was
// published.
func (d *Desk) Upcoming(ctx context.Context, snap *book.Snapshot, channel string, to pricing.Moment,
	limit int) ([]telling.DueMoment, error) {
	version, err := d.Published(ctx, snap, channel)
	if err != nil || version == nil {
		return nil, err
	}
	t, err := d.Telling(ctx, version.Snapshot, channel)
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

// unpublished is how many lines the saved book has otherwise than the published one at a moment.
func (d *Desk) unpublished(ctx context.Context, snap, published *book.Snapshot, channel string,
	at pricing.Moment) (n int, err error) {
	now, err := d.Telling(ctx, snap, channel)
	if err != nil {
		return 0, err
	}
	before, err := d.Telling(ctx, published, channel)
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

// BuildDue makes the rows of a publication of the last of some moments, and puts what else it tells into it. ahead: it
// is told before, and shown from then on.
func (d *Desk) BuildDue(ctx context.Context, snap *book.Snapshot, e *Edition, p *Publication, dues []telling.DueMoment,
	ahead bool) (rows []Row, err error) {
	changed := map[string]bool{}
	var products []int32
	for _, due := range dues {
		products = append(products, due.Changed...)
		for _, sku := range due.SKUs {
			changed[sku] = true
		}
	}
	known, err := d.know(ctx, p.Channel)
	if err != nil {
		return nil, err
	}
	var found *Differences
	if !ahead && len(known.Later) == 0 {
		found, err = d.ofSome(ctx, e.Snapshot, p.Channel, p.At, products)
	} else {
		found, err = d.at(ctx, e.Snapshot, p.Channel, p.At, false)
	}
	if err != nil {
		return nil, err
	}
	p.Rules = found.Rules
	decided, err := d.keeper.Decisions(ctx, p.Channel)
	if err != nil {
		return nil, err
	}
	if rows, err = dueRows(found, changed, decided); err != nil {
		return nil, err
	}
	if len(e.Pieces) > 0 {
		p.Named.Unpublished, err = d.unpublished(ctx, snap, e.Snapshot, p.Channel, p.At)
	}
	return rows, err
}

// Grounds tells apart what lines of a published book are built from, beside the book and what is shown: against what
// reductions are shown, and which pinned prices do not hold.
func (d *Desk) Grounds(ctx context.Context, e *Edition, channel string) (string, error) {
	link, err := d.link(ctx, channel)
	if err != nil {
		return "", err
	}
	broken, err := d.broken(ctx, e.Snapshot, channel)
	return fmt.Sprint(link.Reference, " ", broken), err
}

// MostDues bounds how many due moments are looked at at once.
const MostDues = 5000
