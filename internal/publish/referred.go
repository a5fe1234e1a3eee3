package publish

import (
	"context"

	"dogbane/internal/book"
	"dogbane/internal/money"
	"dogbane/internal/pricing"
	"dogbane/internal/publish/telling"
)

// Referred is what a price is shown as reduced from in a channel.
type Referred struct {
	Reference money.Rat // in the channel's currency
	Kind      telling.ReferenceKind
}

// References are what the prices of some products would be shown as reduced from in a channel at a moment, if a version
// of the book were told it then, by product number. Those that are not reduced, or against nothing, are not among them.
func (d *Desk) References(ctx context.Context, snap *book.Snapshot, channel string, at pricing.Moment,
	products []int32) (map[int32]Referred, error) {
	t, err := d.Telling(ctx, snap, channel)
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
	instant := at.Instant(t.Zone)
	shown, err := d.keeper.LinesOf(ctx, channel, instant, skus)
	if err != nil {
		return nil, err
	}
	know := &Know{Shown: map[string]telling.Shown{}}
	for _, s := range shown {
		know.Shown[s.SKU] = s.Shown
	}
	lines, err := t.AtSome(at, d.reductions(ctx, t, at, know, &telling.Lows{}), snap.Engine.SetOf(products))
	if err != nil {
		return nil, err
	}
	for _, p := range products {
		if told, is := lines.Of(p); is && told.Reference != "" {
			found[p] = Referred{*told.Begun.Reference, t.Kind}
		}
	}
	return found, nil
}
