package publish

import (
	"context"

	"dogbane/internal/book"
	"dogbane/internal/pricing"
	"dogbane/internal/publish/telling"
)

// Lines are what a channel would be told of some products of the saved book at a moment, in their order, as far as they
// have a price: of its guests or, where the viewpoint names a customer or groups, of these. They are of the book that
// is published there, so that what is printed says what the channel's page says; where nothing is, or where ahead asks
// for what is not sent yet, of the saved one.
func (d *Desk) Lines(ctx context.Context, snap *book.Snapshot, vp pricing.Viewpoint, ahead bool,
	products []int32) ([]telling.Told, error) {
	if len(products) == 0 {
		return nil, nil
	}
	e, err := d.Published(ctx, snap, vp.Channel)
	if err != nil {
		return nil, err
	}
	there, saved := snap, map[int32]int32{} // the saved book's number of a product, by the published one's
	if e != nil && !ahead {
		there = e.Snapshot
	}
	var numbers []int32
	for _, p := range products {
		if n, is := there.Engine.ProductNumber(snap.Engine.Products()[p].SKU); is {
			saved[n] = p
			numbers = append(numbers, n)
		}
	}
	list, err := d.linesOf(ctx, there, vp, numbers)
	for i := range list {
		list[i].Product = saved[list[i].Product]
	}
	return list, err
}

func (d *Desk) linesOf(ctx context.Context, snap *book.Snapshot, vp pricing.Viewpoint,
	products []int32) ([]telling.Told, error) {
	t, err := d.Telling(ctx, snap, vp.Channel)
	if err != nil {
		return nil, err
	}
	t = t.To(vp)
	know, err := d.know(ctx, vp.Channel)
	if err != nil {
		return nil, err
	}
	return t.Tell(vp.At, d.reductions(ctx, t, vp.At, know, &telling.Lows{}), products)
}
