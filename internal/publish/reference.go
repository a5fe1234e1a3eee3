package publish

import (
	"slices"
	"sync"
	"time"

	"dogbane/internal/money"
	"dogbane/internal/pricing"
)

// ReferenceKind is what a reduction in a channel is shown against.
type ReferenceKind string

// The kinds. Lowest30 is the lowest price that the channel showed in the 30 days before the reduction began (Directive
// 98/6/EC, Article 6a, as amended by Directive (EU) 2019/2161; from memory).
const (
	Lowest30 ReferenceKind = "lowest30"
	Catalog  ReferenceKind = "catalog"
	List     ReferenceKind = "list"
	RRP      ReferenceKind = "rrp"
)

// ReferenceKinds are all of them.
var ReferenceKinds = []ReferenceKind{Lowest30, Catalog, List, RRP}

// Begun is the reduction of a product that is under way in a channel, or what there is to know before one begins. A
// reduction begins with the first line taken whose price lies below the price after the catalog layer, and ends with
// the first that does not, or with its removal; its reference stays meanwhile, deeper or shallower, also none.
type Begun struct {
	Reduced   bool
	Reference *money.Rat // of the reduction under way; nil: none
}

// reductions are what there is to know of those in a channel while its lines are built.
type reductions struct {
	shown map[string]Shown
	lows  *lows
	read  func(skus []string) (map[string]money.Rat, error)
}

// lows are the lowest prices that a channel showed in the 30 days before a reduction that begins. They are read for the
// products of which one does: what a channel once showed is many times what it shows.
type lows struct {
	mu    sync.Mutex
	known map[string]*money.Rat // nil: it showed none
}

func (b *reductions) begun(sku string) Begun {
	if b == nil {
		return Begun{}
	}
	return b.shown[sku].Begun
}

func (b *reductions) lowest(sku string) *money.Rat {
	if b == nil {
		return nil
	}
	b.lows.mu.Lock()
	defer b.lows.mu.Unlock()
	return b.lows.known[sku]
}

// need reads the lowest prices of some products, as far as they are not known yet.
func (b *reductions) need(skus []string) error {
	b.lows.mu.Lock()
	defer b.lows.mu.Unlock()
	if b.lows.known == nil {
		b.lows.known = map[string]*money.Rat{}
	}
	skus = slices.DeleteFunc(skus, func(sku string) bool { _, known := b.lows.known[sku]; return known })
	for some := range slices.Chunk(skus, mostNamed) {
		found, err := b.read(some)
		if err != nil {
			return err
		}
		for _, sku := range some {
			b.lows.known[sku] = nil
			if low, shown := found[sku]; shown {
				b.lows.known[sku] = &low
			}
		}
	}
	return nil
}

// mostNamed bounds how many products are named to the database at once.
const mostNamed = 1000

// toGuests reports whether prices are told to all, not to somebody.
func (t *Telling) toGuests() bool { return t.buyer.Customer == "" && len(t.buyer.Groups) == 0 }

// lookBack reads of some products, or of all with nil, of which a reduction begins what it is shown against.
func (l *Lines) lookBack(of pricing.Set) error {
	if l.before == nil || l.of.kind != Lowest30 || !l.of.toGuests() {
		return nil
	}
	var mu sync.Mutex
	var begin []string
	products := l.of.engine.Products()
	pricing.InParallel(len(products), func(from, to int) {
		var some []string
		for p := int32(from); p < int32(to); p++ {
			if of != nil && !of.Has(p) {
				continue
			}
			minor, priced := l.price(p)
			if before, has := l.single[0].ShownCatalog(p); priced && has && minor < before &&
				!l.before.begun(products[p].SKU).Reduced {
				some = append(some, products[p].SKU)
			}
		}
		mu.Lock()
		defer mu.Unlock()
		begin = append(begin, some...)
	})
	return l.before.need(begin)
}

// refer finds what a price is shown against. What a channel showed is what guests saw: what somebody else pays is
// shown against nothing.
func (l *Lines) refer(told *Told) {
	if !l.of.toGuests() {
		return
	}
	p := told.Product
	before, has := l.single[0].ShownCatalog(p)
	if !has || told.Minor >= before {
		return
	}
	was := l.before.begun(told.SKU)
	reference := was.Reference
	if !was.Reduced {
		reference = l.reference(p, before, l.before.lowest(told.SKU))
	}
	told.Begun = Begun{Reduced: true, Reference: reference}
	if reference != nil && money.FromMinor(told.Minor, l.Digits).Less(*reference) {
		told.Reference, told.ReferenceKind = reference.Fixed(l.Digits), string(l.of.kind)
	}
}

// reference is that of a reduction which begins.
func (l *Lines) reference(p int32, catalog int64, lowest *money.Rat) *money.Rat {
	amount := func(minor int64, is bool) *money.Rat {
		if !is {
			return nil
		}
		a := money.FromMinor(minor, l.Digits)
		return &a
	}
	switch l.of.kind {
	case Catalog:
		return amount(catalog, true)
	case List:
		return amount(l.single[0].Lists()(p))
	case RRP:
		rrp := l.of.engine.Products()[p].RRP
		if rrp == nil {
			return nil
		}
		return amount(l.single[0].Shown(p, rrp))
	default:
		return lowest
	}
}

// lookback is the instant from which on prices count for the reference of a reduction that begins at a moment: midnight
// of the 30th day before, on the book's wall clock.
func lookback(at pricing.Moment) pricing.Moment { return at - at%pricing.Day - 30*pricing.Day }

// Shown is what a channel shows for a product.
type Shown struct {
	SKU         string
	Price       money.Rat
	Reference   *money.Rat // the price it is shown as reduced from
	Currency    string
	Digest      *Digest // of the line as it was taken; nil: it was taken before whole lines were kept
	Begun       Begun
	From        time.Time
	Publication int64
}
