package telling

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
type Reductions struct {
	Shown map[string]Shown
	Lows  *Lows
	Read  func(skus []string) (map[string]money.Rat, error)
}

// lows are the lowest prices that a channel showed in the 30 days before a reduction that begins. They are read for the
// products of which one does: what a channel once showed is many times what it shows.
type Lows struct {
	mu    sync.Mutex
	known map[string]*money.Rat // nil: it showed none
}

func (b *Reductions) begun(sku string) Begun {
	if b == nil {
		return Begun{}
	}
	return b.Shown[sku].Begun
}

func (b *Reductions) lowest(sku string) *money.Rat {
	if b == nil {
		return nil
	}
	b.Lows.mu.Lock()
	defer b.Lows.mu.Unlock()
	return b.Lows.known[sku]
}

// need reads the lowest prices of some products, as far as they are not known yet.
func (b *Reductions) need(skus []string) error {
	b.Lows.mu.Lock()
	defer b.Lows.mu.Unlock()
	if b.Lows.known == nil {
		b.Lows.known = map[string]*money.Rat{}
	}
	skus = slices.DeleteFunc(skus, func(sku string) bool { _, known := b.Lows.known[sku]; return known })
	for some := range slices.Chunk(skus, mostNamed) {
		found, err := b.Read(some)
		if err != nil {
			return err
		}
		for _, sku := range some {
			b.Lows.known[sku] = nil
			if low, shown := found[sku]; shown {
				b.Lows.known[sku] = &low
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
	if l.Before == nil || l.Telling.Kind != Lowest30 || !l.Telling.toGuests() {
		return nil
	}
	var mu sync.Mutex
	var begin []string
	products := l.Telling.Engine.Products()
	pricing.InParallel(len(products), func(from, to int) {
		var some []string
		for p := int32(from); p < int32(to); p++ {
			if of != nil && !of.Has(p) {
				continue
			}
			minor, priced := l.price(p)
			if before, has := l.Single[0].ShownCatalog(p); priced && has && minor < before &&
				!l.Before.begun(products[p].SKU).Reduced {
				some = append(some, products[p].SKU)
			}
		}
		mu.Lock()
		defer mu.Unlock()
		begin = append(begin, some...)
	})
	return l.Before.need(begin)
}

// refer finds what a price is shown against. What a channel showed is what guests saw: what somebody else pays is
// shown against nothing.
func (l *Lines) refer(told *Told) {
	if !l.Telling.toGuests() {
		return
	}
	p := told.Product
	before, has := l.Single[0].ShownCatalog(p)
	if !has || told.Minor >= before {
		return
	}
	was := l.Before.begun(told.SKU)
	reference := was.Reference
	if !was.Reduced {
		reference = l.reference(p, before, l.Before.lowest(told.SKU))
	}
	told.Begun = Begun{Reduced: true, Reference: reference}
	if reference != nil && money.FromMinor(told.Minor, l.Digits).Less(*reference) {
		told.Reference, told.ReferenceKind = reference.Fixed(l.Digits), string(l.Telling.Kind)
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
	switch l.Telling.Kind {
	case Catalog:
		return amount(catalog, true)
	case List:
		return amount(l.Single[0].Lists()(p))
	case RRP:
		rrp := l.Telling.Engine.Products()[p].At(l.At).RRP
		if rrp == nil {
			return nil
		}
		return amount(l.Single[0].Shown(p, rrp))
	default:
		return lowest
	}
}

// lookback is the instant from which on prices count for the reference of a reduction that begins at a moment: midnight
// of the 30th day before, on the book's wall clock.
func Lookback(at pricing.Moment) pricing.Moment { return at - at%pricing.Day - 30*pricing.Day }

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

// Same reports whether two channels, or one at two times, were told the same.
func (s *Shown) Same(o *Shown) bool {
	return s.Publication == o.Publication && s.From.Equal(o.From) && s.Currency == o.Currency &&
		s.Price.Equal(o.Price) && SameAmount(s.Reference, o.Reference) && Alike(s.Digest, o.Digest) &&
		s.Begun.Reduced == o.Begun.Reduced && SameAmount(s.Begun.Reference, o.Begun.Reference)
}

// Says reports whether what is shown is a line, with its price and what that is reduced from.
func (s *Shown) Says(told *Told, digest Digest, digits int) bool {
	if s.Digest == nil || *s.Digest != digest || !s.Price.Equal(money.FromMinor(told.Minor, digits)) {
		return false
	}
	if told.Reference == "" {
		return s.Reference == nil
	}
	return SameAmount(s.Reference, told.Begun.Reference)
}

func SameAmount(a, b *money.Rat) bool {
	if a == nil || b == nil {
		return a == b
	}
	return a.Equal(*b)
}
