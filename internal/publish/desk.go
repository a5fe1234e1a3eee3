package publish

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"
	"sync"
	"time"

	"dogbane/internal/book"
	"dogbane/internal/bookfile"
	"dogbane/internal/clock"
	"dogbane/internal/money"
	"dogbane/internal/pricing"
)

// Keeper keeps publications and what channels show.
type Keeper interface {
	Links(ctx context.Context) (map[string]Link, error)
	ChannelState(ctx context.Context, channel string) (ChannelState, error)
	Know(ctx context.Context, channel string, at time.Time) (*Know, error)
	// Lowest are the lowest prices shown from an instant on, before another, by SKU.
	Lowest(ctx context.Context, channel string, from, to time.Time) (map[string]money.Rat, error)
	// Prepare keeps a publication with its rows, and gives it its number.
	Prepare(ctx context.Context, p *Publication, rows []Row) error
	Publication(ctx context.Context, id int64) (Publication, error)
	Rows(ctx context.Context, id int64, after string, limit int) ([]Row, error)
	// Decide brings a publication that is not sent yet into another state.
	Decide(ctx context.Context, id int64, to State, by, reason string, at time.Time) error
	KeepBook(ctx context.Context, version int64, book func() []byte) error
	KeptBook(ctx context.Context, version int64) ([]byte, error)
	// LinesOf are the whole lines that a channel shows of some products.
	LinesOf(ctx context.Context, channel string, at time.Time, skus []string) ([]ShownLine, error)
	// Before is what a channel showed of each product that still stems from a publication, before it.
	Before(ctx context.Context, p *Publication) ([]Row, error)
	// RulesBefore undoes what a publication told of rules that still stem from it.
	RulesBefore(ctx context.Context, p *Publication) (RuleChanges, error)
}

// Broken are SKUs whose pinned prices do not hold in a channel, in a version of the book.
type Broken func(ctx context.Context, snap *book.Snapshot, channel string) (map[string]bool, error)

// Desk is where publications are prepared and decided on. It keeps in memory what each channel shows, until anything of
// that changes, whoever changes it.
type Desk struct {
	keeper Keeper
	now    clock.Clock // the book's
	broken Broken
	wake   func() // has the sender look

	mu        sync.Mutex // guards what follows; held while something is read
	known     map[string]*knownOf
	links     map[string]Link          // as they were last read
	published map[int64]*book.Snapshot // versions that channels show
	quoted    map[string]*Quoted
	upcoming  map[string]*upcoming
}

// knownOf is what is known of a channel at one revision.
type knownOf struct {
	revision int64
	know     *Know
	lookback pricing.Moment // of know.Lowest
	newest   time.Time      // since when the newest line is shown; zero: it was not looked for

	key         string
	differences *Differences
	compared    comparedOf
	numbered    *Numbered
}

// comparedOf is what differences were found from, besides what the channel shows.
type comparedOf struct {
	snap     *book.Snapshot
	telling  *Telling
	kind     ReferenceKind
	lookback pricing.Moment
	broken   string
}

// NewDesk makes a desk.
func NewDesk(keeper Keeper, now clock.Clock, broken Broken, wake func()) *Desk {
	return &Desk{keeper: keeper, now: now, broken: broken, wake: wake, known: map[string]*knownOf{},
		published: map[int64]*book.Snapshot{}, quoted: map[string]*Quoted{},
		upcoming: map[string]*upcoming{}}
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

// of is what is known of a channel now. The caller holds mu.
func (d *Desk) of(ctx context.Context, channel string) (*knownOf, error) {
	state, err := d.keeper.ChannelState(ctx, channel)
	k := d.known[channel]
	if err != nil {
		if k != nil && ctx.Err() == nil { // while the database is away, what was last known is shown
			return k, nil
		}
		return nil, err
	}
	now := d.now()
	if k != nil && k.revision == state.Revision && (k.know.Until == nil || now.Before(*k.know.Until)) {
		return k, nil
	}
	know, err := d.keeper.Know(ctx, channel, now)
	if err != nil {
		return nil, err
	}
	k = &knownOf{revision: state.Revision, know: know}
	d.known[channel] = k
	return k, nil
}

// Shown is what a channel shows, by SKU.
func (d *Desk) Shown(ctx context.Context, channel string) (map[string]Shown, error) {
	d.mu.Lock()
	defer d.mu.Unlock()
	k, err := d.of(ctx, channel)
	if err != nil {
		return nil, err
	}
	return k.know.Shown, nil
}

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

// Mark tells two things apart that a channel showed at different times, and says since when it shows the newest.
func (d *Desk) Mark(ctx context.Context, channel string) (mark string, since time.Time, err error) {
	d.mu.Lock()
	defer d.mu.Unlock()
	k, err := d.of(ctx, channel)
	if err != nil {
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

// Numbered is what a channel shows by product number, in minor units of so many digits. It is kept as long as the
// products are the same.
func (d *Desk) Numbered(ctx context.Context, snap *book.Snapshot, channel string, digits int) (*Numbered, error) {
	d.mu.Lock()
	defer d.mu.Unlock()
	k, err := d.of(ctx, channel)
	if err != nil {
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

// Telling is how a channel is told the prices of a version of the book.
func (d *Desk) Telling(snap *book.Snapshot, channel string, link *Link) (*Telling, error) {
	kind := Lowest30
	if link != nil && link.Reference != "" {
		kind = link.Reference
	}
	return Tell(snap.Engine, snap.Baskets(), channel, kind)
}

// Differences are what a channel shows against what the book says at a moment. They are kept until the book, what the
// channel shows, or the rules that take part are others. Whoever gets them changes nothing of them.
func (d *Desk) Differences(ctx context.Context, snap *book.Snapshot, channel string, at pricing.Moment) (*Differences,
	error) {
	link, err := d.link(ctx, channel)
	if err != nil {
		return nil, err
	}
	alike, err := snap.Engine.Alike(pricing.Viewpoint{Channel: channel, At: at, Quantity: 1})
	if err != nil {
		return nil, err
	}
	broken, err := d.broken(ctx, snap, channel)
	if err != nil {
		return nil, err
	}
	d.mu.Lock()
	defer d.mu.Unlock()
	k, err := d.of(ctx, channel)
	if err != nil {
		return nil, err
	}
	key := fmt.Sprint(snap.Version, " ", link.Reference, " ", lookback(at), broken, alike)
	if k.key == key {
		return k.differences, nil
	}
	t, err := d.Telling(snap, channel, &link)
	if err != nil {
		return nil, err
	}
	of := comparedOf{snap, t, link.Reference, lookback(at), fmt.Sprint(broken)}
	found, err := d.little(k, of, at, broken)
	if err == nil && found == nil {
		found, err = d.compare(ctx, k, snap, channel, &link, at, false, broken)
	}
	if err != nil {
		return nil, err
	}
	found.slim()
	k.key, k.differences, k.compared = key, found, of
	return found, nil
}

// little are the differences where little differs from those that are known; nil where much does. The caller holds mu.
func (d *Desk) little(k *knownOf, of comparedOf, at pricing.Moment, broken map[string]bool) (*Differences, error) {
	was := k.compared
	if k.differences == nil || was.kind != of.kind || was.lookback != of.lookback || was.broken != of.broken ||
		len(k.know.Later) > 0 || !slices.Equal(was.telling.asks, of.telling.asks) {
		return nil, nil
	}
	some := of.telling.none()
	if was.snap != of.snap {
		touched, told := of.snap.Engine.Touched(was.snap.Engine)
		if !told {
			return nil, nil
		}
		some = some.Or(touched)
	}
	some = some.Or(of.telling.turned(k.differences.At, at))
	if some.Count() > len(of.snap.Engine.Products())/3 {
		return nil, nil
	}
	return k.differences.after(of.telling, at, k.know, broken, some)
}

// compare compares anew. The caller holds mu.
func (d *Desk) compare(ctx context.Context, k *knownOf, snap *book.Snapshot, channel string, link *Link,
	at pricing.Moment, whole bool, broken map[string]bool) (*Differences, error) {
	t, err := d.Telling(snap, channel, link)
	if err != nil {
		return nil, err
	}
	if from := lookback(at); k.know.Lowest == nil || k.lookback != from {
		if k.know.Lowest, err = d.keeper.Lowest(ctx, channel, from.Instant(snap.Zone),
			at.Instant(snap.Zone).Add(time.Minute)); err != nil {
			return nil, err
		}
		k.lookback = from
	}
	know := k.know
	if at.Instant(snap.Zone).After(d.now()) {
		know = know.later()
	}
	return Compare(t, at, know, whole, broken)
}

// Wish is what somebody wants to send.
type Wish struct {
	Who       string
	Version   int64             // of the differences that were looked at
	Overrides map[string]string // SKU → the reason for sending a blocked line
	LeaveOut  []string          // SKUs that are not sent this time
	Only      []string          // the SKUs that are sent, where not all; the rest stays due
	Whole     bool              // everything is told again
}

// Prepare builds a publication by hand. Its errors are ErrStale, ErrUnlinked, ErrNothing and *Undecided.
func (d *Desk) Prepare(ctx context.Context, snap *book.Snapshot, channel string, w Wish) (Publication, error) {
	if w.Version != snap.Version {
		return Publication{}, ErrStale
	}
	if err := d.linked(ctx, channel); err != nil {
		return Publication{}, err
	}
	found, err := d.anew(ctx, snap, channel, w.Whole)
	if err != nil {
		return Publication{}, err
	}
	rows, err := w.rows(found)
	if err != nil {
		return Publication{}, err
	}
	p := Publication{Channel: channel, Version: snap.Version, At: found.At, Prepared: d.now(), Who: w.Who, Kind: ByHand,
		Whole: w.Whole, State: Prepared, Rules: found.Rules}
	if err := d.keeper.KeepBook(ctx, p.Version, func() []byte { return bookfile.Encode(snap.Book) }); err != nil {
		return p, err
	}
	return p, d.keeper.Prepare(ctx, &p, rows)
}

// rows are what a wish sends of the differences.
func (w *Wish) rows(d *Differences) ([]Row, error) {
	var undecided []string
	out, only := setOf(w.LeaveOut), setOf(w.Only)
	kept := *d
	kept.Rows = nil
	var rows []Row
	goes := 0
	for i := range d.Rows {
		diff := d.Rows[i]
		if len(only) > 0 && !only[diff.SKU] {
			out[diff.SKU] = true
		}
		row := Row{SKU: diff.SKU, Kind: diff.Kind, Was: diff.Was, Price: diff.Price, Reference: diff.Reference,
			Currency: d.Currency, Digest: diff.Digest, Begun: diff.Begun, Blocked: diff.Stops}
		switch {
		case diff.Held:
			row.Answer = Held
		case out[diff.SKU]:
			row.Answer = LeftOut
		case diff.Blocked():
			if row.Override = strings.TrimSpace(w.Overrides[diff.SKU]); row.Override == "" {
				undecided = append(undecided, diff.SKU)
			}
		}
		if row.Goes() {
			goes++
		}
		if diff.Line != nil {
			line := *diff.Line
			diff.Line = &line
		}
		kept.Rows, rows = append(kept.Rows, diff), append(rows, row)
	}
	if undecided != nil {
		return nil, &Undecided{undecided}
	}
	if goes == 0 && d.Rules.None() {
		return nil, ErrNothing
	}
	if err := kept.untils(); err != nil {
		return nil, err
	}
	for i := range rows {
		if l := kept.Rows[i].Line; l != nil {
			rows[i].Line = l.bytes()
		}
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

// Send has a prepared publication sent, or wait for a second person where its channel wants one. A stale one answers
// ErrStale.
func (d *Desk) Send(ctx context.Context, snap *book.Snapshot, id int64, who string) (Publication, error) {
	p, err := d.keeper.Publication(ctx, id)
	if err != nil {
		return p, err
	}
	if p.State != Prepared {
		return p, fmt.Errorf("publication %d is %s: %w", id, p.State, ErrState)
	}
	links, err := d.keeper.Links(ctx)
	if err != nil {
		return p, err
	}
	link, linked := links[p.Channel]
	if !linked {
		return p, fmt.Errorf("channel %q: %w", p.Channel, ErrUnlinked)
	}
	if err := d.fresh(ctx, snap, &p); err != nil {
		return p, err
	}
	next := Queued
	if link.MayAsk() {
		rows, err := d.keeper.Rows(ctx, id, "", 0)
		if err != nil {
			return p, err
		}
		if link.Asks(rows) {
			next = Waiting
		}
	}
	return d.decide(ctx, &p, next, "", "")
}

// Approve has a publication sent that waits for a second person, who is not whoever prepared it.
func (d *Desk) Approve(ctx context.Context, snap *book.Snapshot, id int64, who string) (Publication, error) {
	p, err := d.keeper.Publication(ctx, id)
	if err != nil {
		return p, err
	}
	if p.Who == who {
		return p, ErrOwn
	}
	if p.State != Waiting {
		return p, fmt.Errorf("publication %d is %s: %w", id, p.State, ErrState)
	}
	if err := d.fresh(ctx, snap, &p); err != nil {
		return p, err
	}
	return d.decide(ctx, &p, Queued, who, "")
}

// Decline refuses a publication that waits, with a reason.
func (d *Desk) Decline(ctx context.Context, id int64, who, reason string) (Publication, error) {
	p, err := d.keeper.Publication(ctx, id)
	if err != nil {
		return p, err
	}
	if p.Who == who {
		return p, ErrOwn
	}
	return d.decide(ctx, &p, Declined, who, reason)
}

// Drop drops a prepared publication.
func (d *Desk) Drop(ctx context.Context, id int64, who string) error {
	return d.keeper.Decide(ctx, id, Dropped, who, "", d.now())
}

func (d *Desk) decide(ctx context.Context, p *Publication, next State, by, reason string) (Publication, error) {
	if err := d.keeper.Decide(ctx, p.ID, next, by, reason, d.now()); err != nil {
		if errors.Is(err, ErrOlder) {
			err = errors.Join(ErrStale, err)
		}
		return *p, err
	}
	p.State, p.DecidedBy, p.Reason = next, by, reason
	if next == Queued && d.wake != nil {
		d.wake()
	}
	return *p, nil
}

// fresh fails with ErrStale where the lines of a publication would not come out the same now. One that gives lines back
// what they were is never stale.
func (d *Desk) fresh(ctx context.Context, snap *book.Snapshot, p *Publication) error {
	if p.Kind == TakeBack || p.Kind == ByHand && p.Version == snap.Version && p.At == snap.Moment(d.now()) {
		return nil
	}
	rows, err := d.keeper.Rows(ctx, p.ID, "", 0)
	if err != nil {
		return err
	}
	var now *Differences
	switch {
	case p.Kind == ByHand && !p.Whole:
		now, err = d.Differences(ctx, snap, p.Channel, snap.Moment(d.now()))
	default:
		if p.Kind != ByHand {
			if snap, err = d.version(ctx, snap, p.Version); err != nil {
				return err
			}
		}
		if now, err = d.anew(ctx, snap, p.Channel, p.Whole); err == nil && p.Kind != ByHand {
			now.only(rows)
		}
	}
	if err != nil {
		return err
	}
	if !sameRows(rows, now) || p.Kind == ByHand && !sameRules(p.Rules, now.Rules) {
		return ErrStale
	}
	return nil
}

// anew are the differences of a channel from a version of the book, at the present.
func (d *Desk) anew(ctx context.Context, snap *book.Snapshot, channel string, whole bool) (*Differences, error) {
	links, err := d.keeper.Links(ctx)
	if err != nil {
		return nil, err
	}
	link := links[channel]
	broken, err := d.broken(ctx, snap, channel)
	if err != nil {
		return nil, err
	}
	d.mu.Lock()
	defer d.mu.Unlock()
	k, err := d.of(ctx, channel)
	if err != nil {
		return nil, err
	}
	return d.compare(ctx, k, snap, channel, &link, snap.Moment(d.now()), whole, broken)
}

// only leaves of differences those of the products in rows.
func (d *Differences) only(rows []Row) {
	in := map[string]bool{}
	for i := range rows {
		in[rows[i].SKU] = true
	}
	d.Rows = slices.DeleteFunc(d.Rows, func(r Difference) bool { return !in[r.SKU] })
}

// sameRows reports whether rows are what differences would be told now.
func sameRows(rows []Row, now *Differences) bool {
	if len(rows) != len(now.Rows) {
		return false
	}
	for i := range rows {
		a, b := &rows[i], &now.Rows[i]
		if a.SKU != b.SKU || (a.Digest == nil) != (b.Digest == nil) || a.Digest != nil && *a.Digest != *b.Digest ||
			!sameAmount(a.Was, b.Was) || (a.Answer == Held) != b.Held || a.Goes() && a.Override == "" && b.Blocked() {
			return false
		}
	}
	return true
}

func sameRules(a, b RuleChanges) bool {
	return slices.EqualFunc(a.Rules, b.Rules, func(x, y json.RawMessage) bool { return string(x) == string(y) }) &&
		slices.Equal(a.Withdraw, b.Withdraw)
}

// linked fails where nothing says how a channel is reached.
func (d *Desk) linked(ctx context.Context, channel string) error {
	links, err := d.keeper.Links(ctx)
	if err != nil {
		return err
	}
	if _, is := links[channel]; !is {
		return fmt.Errorf("channel %q: %w", channel, ErrUnlinked)
	}
	return nil
}

// Published is the version of the book that a channel was told last; nil: none is known.
func (d *Desk) Published(ctx context.Context, snap *book.Snapshot, channel string) (*book.Snapshot, error) {
	state, err := d.keeper.ChannelState(ctx, channel)
	if err != nil || state.Version == 0 {
		return nil, err
	}
	return d.version(ctx, snap, state.Version)
}

// version is one that was published, with its engine.
func (d *Desk) version(ctx context.Context, snap *book.Snapshot, version int64) (*book.Snapshot, error) {
	if version == snap.Version {
		return snap, nil
	}
	d.mu.Lock()
	defer d.mu.Unlock()
	if s := d.published[version]; s != nil {
		return s, nil
	}
	doc, err := d.keeper.KeptBook(ctx, version)
	if err != nil {
		return nil, err
	}
	b, err := bookfile.Decode(doc)
	if err != nil {
		return nil, fmt.Errorf("read version %d of the book: %w", version, err)
	}
	s, err := book.NewSnapshot(b, version, pricing.Compile(b), nil)
	if err != nil {
		return nil, err
	}
	if len(d.published) >= mostPublished {
		clear(d.published)
	}
	d.published[version] = s
	return s, nil
}

// mostPublished bounds how many published versions are in memory.
const mostPublished = 8
