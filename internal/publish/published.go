package publish

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"sync"
	"sync/atomic"

	"dogbane/internal/book"
	"dogbane/internal/bookfile"
	"dogbane/internal/pricing"
	"dogbane/internal/publish/pieces"
)

// Edition is the book that is published in a channel. It never changes.
type Edition struct {
	// Snapshot is what the channel runs on: the pieces as they were published, with what is in force once it is saved.
	*book.Snapshot
	Pieces []pieces.Piece // in which the saved book differs from it
	Held   map[pieces.Key]bool

	own  *pricing.Book // the pieces as they were published
	base int64
	by   []int64 // the publications that brought pieces since, by number
	book int64   // the count of what changed the published book
	from *book.Snapshot
}

// editions is what is known of the book published in one channel.
type editions struct {
	mu   sync.Mutex // held while it is found
	last *Edition
	held map[pieces.Key]json.RawMessage // pieces that were taken back, as the saved book had them

	lastBefore map[int64]*pricing.Engine // of the published book before a publication, as last was known
}

// Published is the book that channel runs on; nil: nothing is published there.
func (d *Desk) Published(ctx context.Context, snap *book.Snapshot, channel string) (*Edition, error) {
	e := d.editions(channel)
	e.mu.Lock()
	defer e.mu.Unlock()
	state, err := d.keeper.ChannelState(ctx, channel)
	if err != nil {
		if e.last != nil && e.last.from == snap && ctx.Err() == nil { // while the database is away, what was last known
			return e.last, nil
		}
		return nil, err
	}
	if state.Base == 0 {
		e.last = nil
		return nil, nil
	}
	if e.last != nil && e.last.book == state.Book && e.last.from == snap {
		return e.last, nil
	}
	// Whoever asked first may go; the others wait for the same.
	next, err := d.edition(context.WithoutCancel(ctx), e, snap, channel, state)
	if err != nil {
		return nil, fmt.Errorf("find what is published in channel %q: %w", channel, err)
	}
	if e.last == nil || e.last.book != next.book || e.last.Snapshot != next.Snapshot {
		e.lastBefore = nil
	}
	e.last = next
	return next, nil
}

func (d *Desk) editions(channel string) *editions {
	d.mu.Lock()
	defer d.mu.Unlock()
	if d.published[channel] == nil {
		d.published[channel] = &editions{}
	}
	return d.published[channel]
}

// edition finds the present one. The caller holds the lock of e.
func (d *Desk) edition(ctx context.Context, e *editions, snap *book.Snapshot, channel string,
	state ChannelState) (next *Edition, err error) {
	next = &Edition{base: state.Base, book: state.Book, from: snap}
	if e.last != nil && e.last.book == state.Book {
		next.own, next.by = e.last.own, e.last.by
	} else {
		if next.by, err = d.keeper.PublishedBy(ctx, channel); err != nil {
			return nil, err
		}
		if e.held, err = d.keeper.HeldPieces(ctx, channel); err != nil {
			return nil, err
		}
		var known *Edition
		if e.last != nil && e.last.base == next.base && isPrefix(e.last.by, next.by) {
			known = e.last
		}
		if known == nil && len(next.by) > mostBrought {
			if known, err = d.shorten(ctx, next, snap, channel); err != nil {
				return nil, err
			}
		}
		if next.own, err = d.applied(ctx, known, next.base, next.by, snap); err != nil {
			return nil, err
		}
	}
	if next.Pieces = pieces.Differences(next.own, snap.Book, channel); len(next.Pieces) == 0 {
		next.own, next.Snapshot = snap.Book, snap
		return next, nil
	}
	if next.Held = held(e.held, snap); anyOf(next.Held) {
		if err := pieces.HeldAlong(next.own, snap.Book, next.Pieces, next.Held); err != nil {
			return nil, err
		}
	}
	if last := e.last; last != nil && last.own == next.own && pieces.LiveSame(last.from.Book, snap.Book) {
		next.Snapshot = last.Snapshot
		return next, nil
	}
	next.Snapshot, err = composed(next.own, snap, channel, snap.Engine)
	return next, err
}

func anyOf(held map[pieces.Key]bool) bool {
	for _, is := range held {
		if is {
			return true
		}
	}
	return false
}

// held are the pieces that are held back: those that the saved book still has as they were taken back.
func held(docs map[pieces.Key]json.RawMessage, snap *book.Snapshot) map[pieces.Key]bool {
	held := map[pieces.Key]bool{}
	var settings map[string]json.RawMessage
	for k, doc := range docs {
		now := json.RawMessage(nil)
		if k.Kind == book.Settings {
			if settings == nil {
				settings, _ = book.Keys(bookfile.EncodeSettings(&snap.Book.Settings)) // the encoder wrote it
			}
			now = settings[k.Code]
			held[k] = string(now) == string(doc)
			continue
		}
		if now = snap.Doc(k.Kind, k.Code); now == nil || doc == nil {
			held[k] = now == nil && doc == nil
		} else {
			held[k] = book.SameDoc(k.Kind, now, doc)
		}
	}
	return held
}

// What so many publications brought is applied when a published book is first read; of more, the older ones become a
// book of their own, and cannot be given back piece by piece any more.
var mostBrought, keptBrought = 200, 100

// shorten keeps what the older publications made of a published book as the book that it begins as, and gives that.
func (d *Desk) shorten(ctx context.Context, e *Edition, snap *book.Snapshot, channel string) (*Edition, error) {
	older := e.by[:len(e.by)-keptBrought]
	own, err := d.applied(ctx, nil, e.base, older, snap)
	if err != nil {
		return nil, err
	}
	base, err := d.keeper.Shorten(ctx, channel, e.base, older[len(older)-1], bookfile.Encode(own))
	if err != nil {
		return nil, err
	}
	e.base, e.by = base, e.by[len(older):]
	return &Edition{own: own, base: base}, nil
}

func isPrefix(a, b []int64) bool { return len(a) <= len(b) && slices.Equal(a, b[:len(a)]) }

// applied is the book that began as a kept one with what publications brought since; known, where given, is how far
// that is known.
func (d *Desk) applied(ctx context.Context, known *Edition, base int64, by []int64,
	snap *book.Snapshot) (own *pricing.Book, err error) {
	if known != nil {
		own, by = known.own, by[len(known.by):]
	} else {
		doc, err := d.keeper.KeptBook(ctx, base)
		if err != nil {
			return nil, err
		}
		if own, err = bookfile.Decode(doc); err != nil {
			return nil, fmt.Errorf("read version %d of the book: %w", base, err)
		}
		own.Share(snap.Book)
	}
	for _, id := range by {
		b, err := d.keeper.Brought(ctx, id)
		if err != nil {
			return nil, err
		}
		if own, err = pieces.Apply(own, b); err != nil {
			return nil, fmt.Errorf("apply what publication %d brought: %w", id, err)
		}
	}
	return own, nil
}

// composedCount numbers books that are no saved version, so that nobody takes one for another.
var composedCount atomic.Int64

// composed is a published book that a channel runs on. Its engine shares what it can with another.
func composed(own *pricing.Book, snap *book.Snapshot, channel string, like *pricing.Engine) (*book.Snapshot, error) {
	b := pieces.Compose(own, snap.Book, channel)
	return book.NewSnapshot(b, -composedCount.Add(1), like.Recompile(b), nil)
}

// Choice is what of the pieces that differ is to be brought.
type Choice struct {
	All  bool         // all but those that are held back
	Keys []pieces.Key // where not all
}

// target is a channel's book with what a choice brings.
type target struct {
	*book.Snapshot
	some    []pieces.Piece
	brings  Brings
	brought pieces.Brought
	named   map[pieces.Key]bool // of those that were held back, the ones that the choice names
}

// ErrFirst says that a channel is given everything at first.
var ErrFirst = fmt.Errorf("the first publication to a channel brings everything")

// ErrWholeOnly says that a piece goes only with everything.
type ErrWholeOnly struct{ Key pieces.Key }

func (e *ErrWholeOnly) Error() string {
	return "The " + e.Key.String() + " goes only with everything: prices of the old and the new one cannot stand together."
}

// target is what a choice makes of the book published in a channel; e is that, nil: nothing is published there yet.
func (d *Desk) target(snap *book.Snapshot, channel string, e *Edition, c Choice) (*target, error) {
	if e == nil {
		if !c.All {
			return nil, ErrFirst
		}
		return &target{Snapshot: snap, brings: BringsBook}, nil
	}
	t := &target{brings: BringsPieces, named: map[pieces.Key]bool{}}
	if c.All {
		for _, p := range e.Pieces {
			if !e.Held[p.Key] {
				t.some = append(t.some, p)
			}
		}
	} else {
		var err error
		if t.some, err = pieces.Choose(e.Pieces, c.Keys); err != nil {
			return nil, err
		}
		for _, p := range t.some {
			t.named[p.Key] = e.Held[p.Key]
		}
	}
	if len(t.some) < len(e.Pieces) {
		for _, p := range t.some {
			if p.WholeOnly() {
				return nil, &ErrWholeOnly{p.Key}
			}
		}
	}
	switch {
	case len(t.some) == 0:
		t.Snapshot, t.brings = e.Snapshot, BringsNothing
		return t, nil
	case len(t.some) == len(e.Pieces):
		t.Snapshot = snap
	default:
		key := targetKey(channel, e, t.some)
		if known, is := d.targets.Get(key); is {
			return known, nil
		}
		t.brought = pieces.Bring(e.own, snap.Book, t.some)
		own, err := pieces.Apply(pieces.Compose(e.own, snap.Book, channel), t.brought)
		if err != nil {
			return nil, err
		}
		if t.Snapshot, err = composed(own, snap, channel, e.Engine); err != nil {
			return nil, err
		}
		d.targets.Add(key, t)
		return t, nil
	}
	t.brought = pieces.Bring(e.own, snap.Book, t.some)
	return t, nil
}

func targetKey(channel string, e *Edition, some []pieces.Piece) string {
	var key strings.Builder
	fmt.Fprint(&key, channel, " ", e.Snapshot.Version, " ", e.from.Version, " ", e.book)
	for _, p := range some {
		key.WriteString("\n" + p.String())
	}
	return key.String()
}

// mostTargets bounds how many chosen books are in memory: those that were asked of last.
const mostTargets = 6

// names are the pieces as the history of a publication tells them: goods by how many they are where they are many.
func (t *target) names() (list []NamedPiece) {
	goods := 0
	for _, p := range t.some {
		if p.Kind == book.Products {
			if goods++; goods > mostNamedGoods {
				continue
			}
		}
		list = append(list, NamedPiece{Piece: p.String(), Name: p.Name, Change: p.Change})
	}
	if goods > mostNamedGoods {
		list = append(list, NamedPiece{Name: fmt.Sprintf("%d more products", goods-mostNamedGoods), Change: pieces.Changed})
	}
	return list
}

// mostNamedGoods bounds how many goods the history of a publication names.
const mostNamedGoods = 200

// before is the engine of the book that was published in a channel before a publication; nil: none was. The edition is
// the present one.
func (d *Desk) before(ctx context.Context, snap *book.Snapshot, channel string, now *Edition,
	publication int64) (*pricing.Engine, error) {
	e := d.editions(channel)
	e.mu.Lock()
	defer e.mu.Unlock()
	if known, is := e.lastBefore[publication]; is && e.last == now {
		return known, nil
	}
	by := slices.DeleteFunc(slices.Clone(now.by), func(id int64) bool { return id >= publication })
	var engine *pricing.Engine
	if len(by) == len(now.by) {
		engine = now.Engine
	} else {
		own, err := d.applied(ctx, nil, now.base, by, snap)
		if err != nil {
			return nil, err
		}
		was, err := composed(own, snap, channel, now.Engine)
		if err != nil {
			return nil, err
		}
		engine = was.Engine
	}
	if e.last == now {
		if e.lastBefore == nil {
			e.lastBefore = map[int64]*pricing.Engine{}
		}
		e.lastBefore[publication] = engine
	}
	return engine, nil
}
