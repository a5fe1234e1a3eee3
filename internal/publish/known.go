package publish

import (
	"context"
	"fmt"
	"slices"
	"sync"
	"time"

	"dogbane/internal/book"
	"dogbane/internal/money"
	"dogbane/internal/pricing"
	"dogbane/internal/publish/telling"
)

// known is what the desk knows of one channel. Whoever wants to know what it shows does not wait for whoever compares.
type known struct {
	reading  sync.Mutex // guards what follows; held while it is read
	revision int64
	know     *Know
	numbered *Numbered
	newest   time.Time // since when the newest line is shown; zero: it was not looked for

	comparing sync.Mutex // guards what follows; held while lines are held against what is shown
	of        *Know      // that the rest was found from, but differences
	lows      *telling.Lows
	lookback  pricing.Moment // of lows
	slots     [slotCount]slot
}

// slot is what was found of one book that is compared.
type slot struct {
	key         string
	differences *Differences
	compared    compared
}

// The books of a channel that are compared again and again: the saved one, that on which it runs, and what somebody
// chooses.
const (
	slotSaved = iota
	slotPublished
	slotChosen
	slotCount
)

// compared is what differences were found from.
type compared struct {
	know     *Know
	snap     *book.Snapshot
	telling  *telling.Telling
	lookback pricing.Moment
	broken   string
}

// channel is what is known of a channel.
func (d *Desk) channel(code string) *known {
	d.mu.Lock()
	defer d.mu.Unlock()
	if d.channels[code] == nil {
		d.channels[code] = &known{}
	}
	return d.channels[code]
}

// read is what is known of a channel now. The caller holds reading.
func (k *known) read(ctx context.Context, d *Desk, channel string) error {
	state, err := d.keeper.ChannelState(ctx, channel)
	if err != nil {
		if k.know != nil && ctx.Err() == nil { // while the database is away, what was last known is shown
			return nil
		}
		return err
	}
	now := d.now()
	if k.know != nil && k.revision == state.Revision && (k.know.Until == nil || now.Before(*k.know.Until)) {
		return nil
	}
	know, err := d.keeper.Know(ctx, channel, now)
	if err != nil {
		return err
	}
	k.revision, k.know, k.numbered, k.newest = state.Revision, know, nil, time.Time{}
	return nil
}

// know is what is known of a channel; it never changes.
func (d *Desk) know(ctx context.Context, channel string) (*Know, error) {
	k := d.channel(channel)
	k.reading.Lock()
	defer k.reading.Unlock()
	err := k.read(ctx, d, channel)
	return k.know, err
}

// Shown is what a channel shows, by SKU.
func (d *Desk) Shown(ctx context.Context, channel string) (map[string]telling.Shown, error) {
	know, err := d.know(ctx, channel)
	if err != nil {
		return nil, err
	}
	return know.Shown, nil
}

// Ahead reports whether a channel was told what it shows later.
func (d *Desk) Ahead(ctx context.Context, channel string) (bool, error) {
	know, err := d.know(ctx, channel)
	return err == nil && len(know.Later) > 0, err
}

// Mark tells two things apart that a channel showed at different times, and says since when it shows the newest.
func (d *Desk) Mark(ctx context.Context, channel string) (mark string, since time.Time, err error) {
	k := d.channel(channel)
	k.reading.Lock()
	defer k.reading.Unlock()
	if err := k.read(ctx, d, channel); err != nil {
		return "", since, err
	}
	if k.newest.IsZero() {
		for _, s := range k.know.Shown {
			if s.From.After(k.newest) {
				k.newest = s.From
			}
		}
	}
	return fmt.Sprintf("%d-%d", k.revision, k.newest.UnixNano()), k.newest, nil
}

// Numbered is what a channel shows by product number, in minor units.
type Numbered struct {
	Price []int64
	Known []bool

	products []*pricing.Product // whose numbers these are
	digits   int
}

// At is the price shown of the product with a number; false where none is.
func (n *Numbered) At(p int32) (int64, bool) { return n.Price[p], n.Known[p] }

// Numbered is what a channel shows by product number, in minor units of so many digits. It is kept as long as the
// products are the same.
func (d *Desk) Numbered(ctx context.Context, snap *book.Snapshot, channel string, digits int) (*Numbered, error) {
	k := d.channel(channel)
	k.reading.Lock()
	defer k.reading.Unlock()
	if err := k.read(ctx, d, channel); err != nil {
		return nil, err
	}
	products := snap.Engine.Products()
	if n := k.numbered; n != nil && n.digits == digits && sameSlice(n.products, products) {
		return n, nil
	}
	n := &Numbered{make([]int64, len(products)), make([]bool, len(products)), products, digits}
	for i, product := range products {
		if was, known := k.know.Shown[product.SKU]; known {
			n.Price[i], n.Known[i] = was.Price.Minor(digits, money.HalfUp)
		}
	}
	k.numbered = n
	return n, nil
}

// sameSlice reports whether two slices are the same one.
func sameSlice[T any](a, b []T) bool { return len(a) == len(b) && (len(a) == 0 || &a[0] == &b[0]) }

// link is how a channel is reached; while the database is away, as was last known.
func (d *Desk) link(ctx context.Context, channel string) (Link, error) {
	links, err := d.keeper.Links(ctx)
	d.mu.Lock()
	defer d.mu.Unlock()
	if err != nil {
		if d.links == nil || ctx.Err() != nil {
			return Link{}, err
		}
		links = d.links
	}
	d.links = links
	return links[channel], nil
}

// Telling is how a channel is told the prices of a version of the book.
func (d *Desk) Telling(ctx context.Context, snap *book.Snapshot, channel string) (*telling.Telling, error) {
	link, err := d.link(ctx, channel)
	if err != nil {
		return nil, err
	}
	kind := link.Reference
	if kind == "" {
		kind = telling.Lowest30
	}
	return telling.Tell(snap.Engine, snap.Baskets(), channel, kind)
}

// grounds are what differences are found from: how the channel is told, which pinned prices do not hold, and what is
// known of it.
func (d *Desk) grounds(ctx context.Context, snap *book.Snapshot, channel string) (t *telling.Telling,
	broken map[string]bool, know *Know, err error) {
	if t, err = d.Telling(ctx, snap, channel); err != nil {
		return nil, nil, nil, err
	}
	if broken, err = d.broken(ctx, snap, channel); err != nil {
		return nil, nil, nil, err
	}
	know, err = d.know(ctx, channel)
	return t, broken, know, err
}

// reductions are what there is to know of those in a channel at a moment. known are the lowest prices that were read
// for it already, of the same know and the same day.
func (d *Desk) reductions(ctx context.Context, t *telling.Telling, at pricing.Moment, know *Know,
	known *telling.Lows) *telling.Reductions {
	return &telling.Reductions{Shown: know.Shown, Lows: known, Read: func(skus []string) (map[string]money.Rat, error) {
		return d.keeper.Lowest(ctx, t.Channel, telling.Lookback(at).Instant(t.Zone),
			at.Instant(t.Zone).Add(time.Minute), skus)
	}}
}

// Differences are what a channel shows against what a book says at a moment. They are kept until the book, what the
// channel shows, or the rules that take part are others. Whoever gets them changes nothing of them.
func (d *Desk) Differences(ctx context.Context, snap *book.Snapshot, channel string, at pricing.Moment) (*Differences,
	error) {
	place := slotChosen
	if snap.Version > 0 {
		place = slotSaved
	}
	return d.differences(ctx, snap, channel, at, place)
}

func (d *Desk) differences(ctx context.Context, snap *book.Snapshot, channel string, at pricing.Moment,
	place int) (*Differences, error) {
	t, broken, know, err := d.grounds(ctx, snap, channel)
	if err != nil {
		return nil, err
	}
	k := d.channel(channel)
	k.comparing.Lock()
	defer k.comparing.Unlock()
	before := k.begin(ctx, d, know, t, at)
	of := compared{know, snap, t, telling.Lookback(at), fmt.Sprint(broken)}
	key := fmt.Sprint(snap.Version, " ", t.Kind, " ", of.lookback, of.broken, t.Open(at))
	// Of another book that is known the same may be said, and else it is a start.
	for i := range k.slots {
		if s := &k.slots[(place+i)%slotCount]; s.key == key {
			k.slots[place] = *s
			return s.differences, nil
		}
	}
	var found *Differences
	for i := range k.slots {
		if found, err = k.slots[(place+i)%slotCount].since(of, at, before, broken); err != nil || found != nil {
			break
		}
	}
	if err == nil && found == nil {
		found, err = d.compare(t, at, know, before, false, broken)
	}
	if err != nil {
		return nil, err
	}
	found.slim()
	k.slots[place] = slot{key, found, of}
	return found, nil
}

// begin forgets what does not hold of what is known now, and of a day. The caller holds comparing.
func (k *known) begin(ctx context.Context, d *Desk, know *Know, t *telling.Telling,
	at pricing.Moment) *telling.Reductions {
	if from := telling.Lookback(at); k.of != know || k.lookback != from {
		k.of, k.lookback, k.lows = know, from, &telling.Lows{}
		for i := range k.slots {
			k.slots[i].key = ""
		}
	}
	return d.reductions(ctx, t, at, know, k.lows)
}

// since are the differences, of those products anew of which anything may have changed since they were found last; nil
// where that cannot be told. It takes as long as what it looks at. The caller holds comparing.
func (s *slot) since(of compared, at pricing.Moment, before *telling.Reductions, broken map[string]bool) (*Differences,
	error) {
	was := s.compared
	if s.differences == nil || was.telling.Kind != of.telling.Kind || was.lookback != of.lookback ||
		was.broken != of.broken || len(was.know.Later)+len(of.know.Later) > 0 ||
		!slices.Equal(was.telling.Groups, of.telling.Groups) ||
		!slices.Equal(was.telling.Quantities(), of.telling.Quantities()) {
		return nil, nil
	}
	some := of.telling.None()
	if was.snap != of.snap {
		touched, told := of.snap.Engine.Touched(was.snap.Engine)
		if !told {
			return nil, nil
		}
		some = some.Or(touched)
	}
	some = some.Or(of.telling.Turned(s.differences.At, at)).Or(of.telling.Engine.SetOf(of.telling.Numbers(
		was.know.unlike(of.know))))
	return s.differences.after(of.telling, at, of.know, before, broken, some)
}

// at are the differences of a channel from a book at a moment, with their lines.
func (d *Desk) at(
	ctx context.Context,
	snap *book.Snapshot,
	channel string,
	at pricing.Moment,
	whole bool,
) (*Differences, error) {
	t, broken, know, err := d.grounds(ctx, snap, channel)
	if err != nil {
		return nil, err
	}
	k := d.channel(channel)
	k.comparing.Lock()
	defer k.comparing.Unlock()
	return d.compare(t, at, know, k.begin(ctx, d, know, t, at), whole, broken)
}

// compare compares anew.
func (d *Desk) compare(t *telling.Telling, at pricing.Moment, know *Know, before *telling.Reductions, whole bool,
	broken map[string]bool) (*Differences, error) {
	if at.Instant(t.Zone).After(d.now()) {
		know = know.later()
		before.Shown = know.Shown
	}
	return Compare(t, at, know, before, whole, broken)
}
