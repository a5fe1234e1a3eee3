package publish

import (
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
	Lowest    *money.Rat // where none is under way: the lowest price shown in the 30 days before; nil: none was
}

// refer finds what a price is shown against.
func (l *Lines) refer(told *Told) {
	p := told.Product
	before, has := l.sweeps[0].CatalogPrice(p)
	if !has || told.Minor >= before {
		return
	}
	was := Begun{}
	if l.begun != nil {
		was = l.begun(told.SKU)
	}
	reference := was.Reference
	if !was.Reduced {
		reference = l.reference(p, before, was.Lowest)
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
		return amount(l.sweeps[0].Lists()(p))
	case RRP:
		rrp := l.of.engine.Products()[p].RRP
		if rrp == nil {
			return nil
		}
		return amount(l.sweeps[0].Shown(p, rrp))
	default:
		return lowest
	}
}

// lookback is the instant from which on prices count for the reference of a reduction that begins at a moment: midnight
// of the 30th day before, on the book's wall clock.
func lookback(at pricing.Moment) pricing.Moment { return at - at%pricing.Day - 30*pricing.Day }
