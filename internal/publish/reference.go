package publish

import (
	"context"

	"dogbane/internal/book"
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

// refer finds what a price is shown against. What a channel showed is what guests saw: what somebody else pays is
// shown against nothing.
func (l *Lines) refer(told *Told) {
	if l.of.buyer.Customer != "" || len(l.of.buyer.Groups) > 0 {
		return
	}
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

// Referred is what a price is shown as reduced from in a channel.
type Referred struct {
	Reference money.Rat // in the channel's currency
	Kind      ReferenceKind
}

// References are what the prices of some products would be shown as reduced from in a channel at a moment, if a version
// of the book were told it then, by product number. Those that are not reduced, or against nothing, are not among them.
func (d *Desk) References(ctx context.Context, snap *book.Snapshot, channel string, at pricing.Moment,
	products []int32) (map[int32]Referred, error) {
	t, err := d.telling(ctx, snap, channel)
	if err != nil {
		return nil, err
	}
	found := map[int32]Referred{}
	skus := make([]string, len(products))
	for i, p := range products {
		skus[i] = snap.Engine.Products()[p].SKU
	}
	if len(skus) == 0 {
		return found, nil
	}
	instant := at.Instant(t.zone)
	shown, err := d.keeper.LinesOf(ctx, channel, instant, skus)
	if err != nil {
		return nil, err
	}
	know := &Know{Shown: map[string]Shown{}}
	for _, s := range shown {
		know.Shown[s.SKU] = s.Shown
	}
	lowest, err := d.lowest(ctx, t, at, skus...)
	if err != nil {
		return nil, err
	}
	lines, err := t.AtSome(at, know.begun(lowest), snap.Engine.SetOf(products))
	if err != nil {
		return nil, err
	}
	for _, p := range products {
		if told, is := lines.Of(p); is && told.Reference != "" {
			found[p] = Referred{*told.Begun.Reference, t.kind}
		}
	}
	return found, nil
}
