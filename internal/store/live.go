package store

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"slices"
	"sync"
	"sync/atomic"
	"time"

	"dogbane/internal/bookfile"
	"dogbane/internal/checks"
	"dogbane/internal/money"
	"dogbane/internal/pricing"
)

// Snapshot is one saved version of the book with its engine. It never changes.
type Snapshot struct {
	*Pieces
	Version int64
	Engine  *pricing.Engine
	Zone    *time.Location
	Refused []Refused // stored pieces that could not be read and take no part
}

// Live holds the newest snapshot and takes edits. Answers never wait for an edit: a new snapshot is swapped in when it
// is ready.
type Live struct {
	store   *Store
	current atomic.Pointer[Snapshot]
	edits   sync.Mutex // held while a snapshot is made that is to be the next
}

// OpenLive loads the book.
func OpenLive(ctx context.Context, s *Store) (*Live, error) {
	l := &Live{store: s}
	if err := l.reload(ctx); err != nil {
		return nil, err
	}
	return l, nil
}

// Current is the newest snapshot known here.
func (l *Live) Current() *Snapshot { return l.current.Load() }

// reload loads the book; the lock on edits is held, or nobody else knows the Live yet.
func (l *Live) reload(ctx context.Context) error {
	book, version, refused, err := l.store.Load(ctx)
	if err != nil {
		return err
	}
	zone, err := time.LoadLocation(book.Settings.TimeZone)
	if err != nil {
		return fmt.Errorf("read the book's time zone: %w", err)
	}
	for _, r := range refused {
		slog.Error("a stored piece cannot be read and takes no part", "kind", r.Kind, "code", r.Code, "problem", r.Problem)
	}
	l.current.Store(&Snapshot{NewPieces(book), version, pricing.Compile(book), zone, refused})
	return nil
}

// Refresh loads the book where another instance has saved a newer version.
func (l *Live) Refresh(ctx context.Context) error {
	l.edits.Lock()
	defer l.edits.Unlock()
	version, err := l.store.Version(ctx) // under the lock: a save that is just ending here is no newer version
	if err != nil || version == l.Current().Version {
		return err
	}
	if err := l.reload(ctx); err != nil {
		return fmt.Errorf("load the newer book %d: %w", version, err)
	}
	return nil
}

// Follow reloads the book whenever another instance has saved a newer version, until ctx ends.
func (l *Live) Follow(ctx context.Context, every time.Duration) {
	for {
		select {
		case <-ctx.Done():
			return
		case <-time.After(every):
		}
		if err := l.Refresh(ctx); err != nil && ctx.Err() == nil {
			slog.Warn("cannot see whether the book has changed", "error", err)
		}
	}
}

// Save writes an edit and swaps in the book that it makes. A piece that was changed in the meantime is a *Conflict.
// Errors of the book that the changes would make are bookfile.Errors; pinned prices that it would break without anybody
// having seen that are a *checks.BrokenError.
func (l *Live) Save(ctx context.Context, edit Edit) (Entry, error) {
	l.edits.Lock()
	defer l.edits.Unlock()
	before := l.Current()
	next, err := edit.Next, error(nil)
	if next == nil || edit.Base != before.Book {
		next, err = Apply(before.Book, edit.Changes)
	} else {
		err = bookfile.CheckTaxClasses(next)
	}
	if err != nil {
		return Entry{}, err
	}
	zone, err := time.LoadLocation(next.Settings.TimeZone)
	if err != nil {
		return Entry{}, fmt.Errorf("read the book's time zone: %w", err)
	}
	var engine *pricing.Engine
	var compiling sync.WaitGroup // while the database writes
	compiling.Go(func() { engine = before.Engine.Recompile(next) })
	defer compiling.Wait()
	if !edit.BreaksSeen {
		pinned, err := l.store.Pinned(ctx)
		if err != nil {
			return Entry{}, err
		}
		if len(pinned) > 0 {
			compiling.Wait()
			if broken := checks.Broken(pinned, before.Engine, engine); len(broken) > 0 {
				return Entry{}, &checks.BrokenError{Checks: broken}
			}
		}
	}
	entry, err := l.store.save(ctx, edit)
	if err != nil {
		var conflict *Conflict
		if errors.As(err, &conflict) {
			_ = l.reload(ctx) // somebody else's write; the next answer should show it
		}
		return Entry{}, err
	}
	if entry.Version != before.Version+1 {
		return entry, l.reload(ctx)
	}
	compiling.Wait()
	l.current.Store(&Snapshot{NewPieces(next), entry.Version, engine, zone, stillRefused(before.Refused, edit.Changes)})
	return entry, nil
}

// stillRefused are the pieces that no change wrote anew.
func stillRefused(refused []Refused, changes []Change) []Refused {
	return slices.DeleteFunc(slices.Clone(refused), func(r Refused) bool {
		return slices.ContainsFunc(changes, func(c Change) bool { return c.Kind == r.Kind && c.Code == r.Code })
	})
}

// Undo takes a saved edit back, as a new edit, with the errors of Save.
func (l *Live) Undo(ctx context.Context, id int64, who string, at time.Time, breaksSeen bool) (Entry, error) {
	entry, err := l.store.LogEntry(ctx, id)
	if err != nil {
		return Entry{}, err
	}
	back := Edit{Who: who, At: at, Summary: "Undo: " + entry.Summary, Undoes: &id, BreaksSeen: breaksSeen}
	back.Changes = reversed(entry.Changes)
	if len(back.Changes) == 0 {
		return Entry{}, fmt.Errorf("log entry %d changed nothing: %w", id, ErrNotFound)
	}
	return l.Save(ctx, back)
}

// Apply makes the book that changes lead to, without saving. Its errors are those of the book: the changes must leave it valid.
func Apply(book *pricing.Book, changes []Change) (*pricing.Book, error) {
	next := *book
	rest := slices.DeleteFunc(slices.Clone(changes), func(c Change) bool { return c.Kind == Products || c.Kind == Measures })
	if slices.ContainsFunc(rest, func(c Change) bool { return c.Kind != Rules }) {
		small, err := applyToRest(book, rest)
		if err != nil {
			return nil, err
		}
		products := next.Products
		next, rest = *small, nil
		next.Products = products
	}
	if err := applyRules(&next, rest); err != nil {
		return nil, err
	}
	if err := applyProducts(&next, changes); err != nil {
		return nil, err
	}
	if err := bookfile.CheckTaxClasses(&next); err != nil {
		return nil, err
	}
	return &next, nil
}

// applyToRest changes everything but the products, by way of the document, whose reader checks all of it.
func applyToRest(book *pricing.Book, changes []Change) (*pricing.Book, error) {
	small := *book
	small.Products = nil
	settings := []byte(bookfile.EncodeSettings(&small.Settings))
	items := pieces(&small)
	at := map[[2]string]int{}
	for i := range items {
		at[[2]string{items[i].Kind, items[i].Code}] = i
	}
	for _, c := range changes {
		i, exists := at[[2]string{c.Kind, c.Code}]
		switch {
		case c.Kind == Settings:
			settings = c.After
		case exists:
			items[i].After = c.After
		default:
			at[[2]string{c.Kind, c.Code}] = len(items)
			items = append(items, c)
		}
	}
	byKind := map[string][][]byte{}
	for _, item := range items {
		if item.After != nil {
			byKind[item.Kind] = append(byKind[item.Kind], item.After)
		}
	}
	return bookfile.Decode(document(string(settings), byKind))
}

func applyRules(next *pricing.Book, changes []Change) error {
	if len(changes) == 0 {
		return nil
	}
	next.Rules = slices.Clone(next.Rules)
	rules, gone := positions(next.Rules, func(r *pricing.Rule) string { return r.Code }), map[string]bool{}
	for _, c := range changes {
		if c.After == nil {
			gone[c.Code] = true
			continue
		}
		r, err := bookfile.DecodeRule(c.After, next)
		if err != nil {
			return err
		}
		put(&next.Rules, rules, c.Code, r)
	}
	next.Rules = slices.DeleteFunc(next.Rules, func(r pricing.Rule) bool { return gone[r.Code] })
	return nil
}

func applyProducts(next *pricing.Book, changes []Change) error {
	changes = slices.DeleteFunc(slices.Clone(changes), func(c Change) bool { return c.Kind != Products && c.Kind != Measures })
	if len(changes) == 0 {
		return nil
	}
	decoded, errs := make([]pricing.Product, len(changes)), make([]error, len(changes))
	pricing.InParallel(len(changes), func(from, to int) {
		for i := from; i < to; i++ {
			if changes[i].After != nil && changes[i].Kind == Products {
				decoded[i], errs[i] = bookfile.DecodeProduct(changes[i].After, next)
			}
		}
	})
	next.Products = slices.Clone(next.Products)
	products := positions(next.Products, func(p *pricing.Product) string { return p.SKU })
	gone := map[string]bool{}
	for i, c := range changes {
		if errs[i] != nil {
			return fmt.Errorf("product %q: %w", c.Code, errs[i])
		}
		switch {
		case c.Kind == Measures:
			at, exists := products[c.Code]
			if !exists {
				continue // it left the book; nothing is counted of it any more
			}
			p := &next.Products[at]
			var err error
			if p.Stock, p.Sold, err = readMeasures(c.After); err != nil {
				return fmt.Errorf("stock and units sold of %q: %w", c.Code, err)
			}
		case c.After == nil:
			gone[c.Code] = true
		default:
			put(&next.Products, products, c.Code, decoded[i])
		}
	}
	if len(gone) > 0 {
		next.Products = slices.DeleteFunc(next.Products, func(p pricing.Product) bool { return gone[p.SKU] })
	}
	return nil
}

// readMeasures reads the document of a piece of the kind Measures.
func readMeasures(doc []byte) (stock, sold *money.Rat, err error) {
	_, m := split("", doc)
	for _, one := range []struct {
		text *string
		to   **money.Rat
	}{{m.Stock, &stock}, {m.Sold, &sold}} {
		if one.text == nil {
			continue
		}
		n, err := money.Parse(*one.text)
		if err != nil {
			return nil, nil, err
		}
		*one.to = &n
	}
	return stock, sold, nil
}

func positions[T any](items []T, key func(*T) string) map[string]int {
	at := make(map[string]int, len(items))
	for i := range items {
		at[key(&items[i])] = i
	}
	return at
}

func put[T any](items *[]T, at map[string]int, code string, item T) {
	if i, exists := at[code]; exists {
		(*items)[i] = item
		return
	}
	at[code] = len(*items)
	*items = append(*items, item)
}
