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

	"dogbane/internal/publish/telling"

	lru "github.com/hashicorp/golang-lru/v2"
	"golang.org/x/sync/singleflight"

	"dogbane/internal/book"
	"dogbane/internal/bookfile"
	"dogbane/internal/clock"
	"dogbane/internal/money"
	"dogbane/internal/pricing"
	"dogbane/internal/pricing/flags"
	"dogbane/internal/publish/pieces"
)

// Keeper keeps publications and what channels show.
type Keeper interface {
	Links(ctx context.Context) (map[string]Link, error)
	ChannelState(ctx context.Context, channel string) (ChannelState, error)
	Know(ctx context.Context, channel string, at time.Time) (*Know, error)
	// Lowest are the lowest prices of some products that were shown from an instant on, before another, by SKU.
	Lowest(ctx context.Context, channel string, from, to time.Time, skus []string) (map[string]money.Rat, error)
	// Prepare keeps a publication with its rows and what it brings, and gives it its number.
	Prepare(ctx context.Context, p *Publication, rows []Row) error
	Publication(ctx context.Context, id int64) (Publication, error)
	Rows(ctx context.Context, id int64, after string, limit int) ([]Row, error)
	// Decide brings a publication that is not sent yet into another state.
	Decide(ctx context.Context, id int64, to State, by, reason string, at time.Time) error
	KeepBook(ctx context.Context, version int64, book func() []byte) error
	KeptBook(ctx context.Context, version int64) ([]byte, error)
	// PublishedBy are the publications that brought pieces into the published book since it began, by number.
	PublishedBy(ctx context.Context, channel string) ([]int64, error)
	// Shorten has a published book that began as a kept one begin with what it was after a publication; it gives under
	// which number that is kept. Its error is ErrStale where the book began otherwise by now.
	Shorten(ctx context.Context, channel string, base, upTo int64, book []byte) (int64, error)
	Brought(ctx context.Context, id int64) (pieces.Brought, error)
	// HeldPieces are pieces that were taken back, as the saved book had them; nil: they were gone there.
	HeldPieces(ctx context.Context, channel string) (map[pieces.Key]json.RawMessage, error)
	ReleasePieces(ctx context.Context, channel string, keys []pieces.Key) error
	// Release lets go of lines that are held back.
	Release(ctx context.Context, channel string, skus []string) error
	// LinesOf are the whole lines that a channel shows of some products.
	LinesOf(ctx context.Context, channel string, at time.Time, skus []string) ([]ShownLine, error)
	// Decisions are what was decided of lines that differ later in a channel, by SKU.
	Decisions(ctx context.Context, channel string) (map[string]Decision, error)
	// SoldIn are the pieces of each product that a channel sold in [from, to); nil: no sale of that time bears a channel.
	SoldIn(ctx context.Context, channel string, from, to pricing.Moment) (map[string]int64, error)
	// LastShown are the prices that a channel showed last of some products that it does not show any more.
	LastShown(ctx context.Context, channel string, skus []string) (map[string]money.Rat, error)
	// Before is what a channel showed of each product that still stems from a publication, before it.
	Before(ctx context.Context, p *Publication) ([]Row, error)
	// RulesBefore undoes what a publication told of rules that still stem from it.
	RulesBefore(ctx context.Context, p *Publication) (telling.RuleChanges, error)
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

	targets *lru.Cache[string, *target] // books that choices make
	reading singleflight.Group

	mu        sync.Mutex // guards what follows; held for a moment alone
	channels  map[string]*known
	published map[string]*editions
	links     map[string]Link // as they were last read
	quoted    map[string]*Quoted
	turns     map[string]int // how often a channel took something from this instance
	upcoming  map[string]*upcoming
	planned   map[string]*planned
	sold      map[string]*Sold
}

// NewDesk makes a desk.
func NewDesk(keeper Keeper, now clock.Clock, broken Broken, wake func()) *Desk {
	targets, err := lru.New[string, *target](mostTargets)
	if err != nil {
		panic(fmt.Sprintf("publish: %v", err)) // it is a number above 0
	}
	return &Desk{keeper: keeper, now: now, broken: broken, wake: wake, channels: map[string]*known{},
		published: map[string]*editions{}, targets: targets, quoted: map[string]*Quoted{}, turns: map[string]int{},
		upcoming: map[string]*upcoming{}, planned: map[string]*planned{}, sold: map[string]*Sold{}}
}

// Wish is what somebody wants to send.
type Wish struct {
	Who       string
	Version   int64             // of the differences that were looked at
	Overrides map[string]string // the reason for sending a blocked line, by SKU, or a blocked piece, by its name
	LeaveOut  []string          // SKUs that are left out from now on, and blocked pieces
	// LeaveOutBlocked leaves out all that is blocked and not overridden.
	LeaveOutBlocked bool
	Pieces          []pieces.Key // those that are brought; nil: all but those that are held back
	SKUs            []string     // the lines that are sent; nil: all that differ
	Without         []string     // SKUs that are not sent, where all others are
	Reached         bool         // of the lines those alone are sent that a brought piece reaches
	Loose           bool         // lines that no brought piece reaches are chosen, even where no piece is
	Whole           bool         // everything is told again
}

// nothing reports whether a wish chooses nothing: an empty choice is one of nothing.
func (w *Wish) nothing() bool {
	return w.Pieces != nil && len(w.Pieces) == 0 && !w.Loose || w.SKUs != nil && len(w.SKUs) == 0
}

// ErrNoChoice says that nothing is chosen.
var ErrNoChoice = errors.New("nothing is chosen")

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

// reached are the SKUs of differences that a brought piece reaches, of those that are chosen.
func (w *Wish) reached(to *target, e *Edition, snap *book.Snapshot, found *Differences) []string {
	skus := []string{}
	if e == nil {
		return skus
	}
	chosen := setOf(w.SKUs)
	reach := reachesAt(to.some, e.Engine, snap.Engine, &found.At)
	for i := range found.Rows {
		if sku := found.Rows[i].SKU; (w.SKUs == nil || chosen[sku]) && len(reach.of(sku)) > 0 {
			skus = append(skus, sku)
		}
	}
	return skus
}

// Release lets go of lines and pieces that are held back in a channel: of lines with the pieces that reach them, as
// nothing could send them without, and of pieces with their lines.
func (d *Desk) Release(ctx context.Context, snap *book.Snapshot, channel string, skus []string,
	keys []pieces.Key) error {
	e, err := d.Published(ctx, snap, channel)
	if err != nil {
		return err
	}
	if e != nil {
		var held []pieces.Piece
		for _, p := range e.Pieces {
			if e.Held[p.Key] {
				held = append(held, p)
			}
		}
		reach := reachesOf(held, e.Engine, snap.Engine)
		named := keys
		for _, sku := range skus {
			for _, i := range reach.of(sku) {
				keys = append(keys, held[i].Key)
			}
		}
		know, err := d.know(ctx, channel)
		if err != nil {
			return err
		}
		for sku, open := range know.Open {
			if open.Held && slices.ContainsFunc(reach.of(sku), func(i int) bool { return slices.Contains(named, held[i].Key) }) {
				skus = append(skus, sku)
			}
		}
	}
	if err := d.keeper.Release(ctx, channel, skus); err != nil {
		return err
	}
	return d.keeper.ReleasePieces(ctx, channel, keys)
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

// rows are what a wish sends of the differences, and what it leaves out; with ErrNothing where it sends nothing.
func (w *Wish) rows(d *Differences) ([]Row, error) {
	var undecided []string
	out, chosen, without := setOf(w.LeaveOut), setOf(w.SKUs), setOf(w.Without)
	kept := *d
	kept.Rows = nil
	var rows []Row
	goes := 0
	for i := range d.Rows {
		diff := d.Rows[i]
		row := Row{SKU: diff.SKU, Kind: diff.Kind, Was: diff.Was, Price: diff.Price, Reference: diff.Reference,
			Currency: d.Currency, Digest: diff.Digest, Begun: diff.Begun, Blocked: kindsOf(diff.Stops)}
		override := strings.TrimSpace(w.Overrides[diff.SKU])
		switch {
		case diff.Held:
			row.Answer = Held
		case diff.LeftOut && !w.Whole, out[diff.SKU]:
			row.Answer, row.Left = LeftOut, diff.left()
		case w.SKUs != nil && !chosen[diff.SKU], without[diff.SKU]:
			row.Answer = NotChosen
		case w.LeaveOutBlocked && diff.Blocked() && override == "":
			row.Answer, row.Left = LeftOut, diff.left()
		case diff.Blocked():
			if row.Override = override; override == "" {
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
	if err := kept.untils(); err != nil {
		return nil, err
	}
	pricing.InParallel(len(rows), func(from, to int) {
		for i := from; i < to; i++ {
			if l := kept.Rows[i].Line; l != nil && rows[i].Goes() {
				rows[i].Line = l.Bytes()
			}
		}
	})
	if goes == 0 && d.Rules.None() {
		return rows, ErrNothing
	}
	return rows, nil
}

// kindsOf are the kinds of what stops.
func kindsOf(stops []Stop) (kinds []flags.Kind) {
	for i := range stops {
		kinds = append(kinds, stops[i].Kind)
	}
	return kinds
}

func setOf(list []string) map[string]bool {
	set := make(map[string]bool, len(list))
	for _, one := range list {
		set[one] = true
	}
	return set
}

// Send has a prepared publication sent, or wait for a second person where its channel wants one. A stale one answers
// ErrStale. note goes along to whoever decides.
func (d *Desk) Send(ctx context.Context, snap *book.Snapshot, id int64, who, note string) (Publication, error) {
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
	if demands, err := d.demands(ctx, snap, &link, &p); err != nil {
		return p, err
	} else if demands {
		next = Waiting
	}
	return d.decide(ctx, &p, next, "", note)
}

// Approve has a publication sent that waits for a second person, who is not whoever prepared it.
func (d *Desk) Approve(ctx context.Context, snap *book.Snapshot, id int64, who, note string) (Publication, error) {
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
	return d.decide(ctx, &p, Queued, who, note)
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

// Drop drops a publication that was prepared, or is queued; one that waits is withdrawn by whoever prepared it.
func (d *Desk) Drop(ctx context.Context, id int64, who string) error {
	p, err := d.keeper.Publication(ctx, id)
	if err != nil {
		return err
	}
	if p.State == Waiting && p.Who != who {
		return ErrNotOwn
	}
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

// fresh fails with ErrStale where a publication would not come out the same now: its lines, the rules that go along,
// and the pieces that it brings. One that gives lines back what they were is never stale.
func (d *Desk) fresh(ctx context.Context, snap *book.Snapshot, p *Publication) error {
	if p.Kind == TakeBack {
		return nil
	}
	e, err := d.Published(ctx, snap, p.Channel)
	if err != nil {
		return err
	}
	to, err := d.again(ctx, snap, e, p)
	if err != nil {
		return err
	}
	rows, err := d.keeper.Rows(ctx, p.ID, "", 0)
	if err != nil {
		return err
	}
	now, err := d.told(ctx, to, p.Channel, snap.Moment(d.now()), p.Whole)
	if err != nil {
		return err
	}
	if e != nil {
		d.release(to, e, now)
	}
	now.only(rows)
	if !sameRows(rows, now) || p.Kind == ByHand && !sameRules(p.Rules, now.Rules) {
		return ErrStale
	}
	return nil
}

// again is the book that a publication makes of the present published one; ErrStale where it is no longer that of which
// it was prepared.
func (d *Desk) again(ctx context.Context, snap *book.Snapshot, e *Edition, p *Publication) (*target, error) {
	switch p.Brings {
	case BringsBook:
		if e != nil {
			return nil, ErrStale // somebody else published first
		}
		if p.Version != snap.Version {
			doc, err := d.keeper.KeptBook(ctx, p.Version)
			if err != nil {
				return nil, err
			}
			was, err := bookfile.Decode(doc)
			if err != nil {
				return nil, fmt.Errorf("read version %d of the book: %w", p.Version, err)
			}
			if len(pieces.Differences(was, snap.Book, p.Channel)) > 0 {
				return nil, ErrStale
			}
		}
		return d.target(snap, p.Channel, nil, Choice{All: true})
	case BringsPieces:
		if e == nil {
			return nil, ErrStale
		}
		b, err := d.keeper.Brought(ctx, p.ID)
		if err != nil {
			return nil, err
		}
		return d.sameChoice(snap, e, p.Channel, b)
	}
	if e == nil {
		return nil, ErrStale
	}
	return &target{Snapshot: e.Snapshot}, nil
}

// sameChoice is the target of pieces that were brought; ErrStale where they would not be the same any more.
func (d *Desk) sameChoice(snap *book.Snapshot, e *Edition, channel string, b pieces.Brought) (*target, error) {
	to, err := d.target(snap, channel, e, Choice{Keys: b.Keys()})
	var unknown *pieces.UnknownPiece
	var whole *ErrWholeOnly
	var dangling *pieces.Dangling
	switch {
	case errors.As(err, &unknown), errors.As(err, &whole), errors.As(err, &dangling):
		return nil, errors.Join(ErrStale, err)
	case err != nil:
		return nil, err
	}
	if !slices.EqualFunc(to.brought.Changes, b.Changes, func(x, y book.Change) bool {
		return x.Kind == y.Kind && x.Code == y.Code && string(x.Before) == string(y.Before) &&
			string(x.After) == string(y.After)
	}) {
		return nil, ErrStale
	}
	return to, nil
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
			!telling.SameAmount(a.Was, b.Was) || (a.Answer == Held) != b.Held || a.Goes() && b.LeftOut ||
			a.Goes() && a.Override == "" && b.Blocked() {
			return false
		}
	}
	return true
}

func sameRules(a, b telling.RuleChanges) bool {
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
