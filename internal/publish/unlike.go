package publish

import (
	"cmp"
	"context"
	"slices"

	"dogbane/internal/book"
	"dogbane/internal/money"
	"dogbane/internal/pricing"
	"dogbane/internal/publish/telling"
)

// Unlike is a product that two channels show at different prices to the same people.
type Unlike struct {
	SKU          string
	Other        string // the other channel
	Here, Theirs money.Rat
	Currency     string
}

// Unlikes are the products that a channel shows otherwise than channels which sell to the same people: of the same
// group, country and tax footing, in one currency; by SKU, at most so many, and how many there are in all. A page and
// its feed that differ are such.
func (d *Desk) Unlikes(ctx context.Context, snap *book.Snapshot, channel string, most int) (list []Unlike, total int,
	err error) {
	here := snap.Channel(channel)
	if here == nil {
		return nil, 0, telling.ErrNoChannel
	}
	shown, err := d.Shown(ctx, channel)
	if err != nil {
		return nil, 0, err
	}
	for i := range snap.Book.Channels {
		other := &snap.Book.Channels[i]
		if other.Code == channel || !samePeople(snap, here, other) {
			continue
		}
		theirs, err := d.Shown(ctx, other.Code)
		if err != nil {
			return nil, 0, err
		}
		for sku, a := range shown {
			if b, both := theirs[sku]; both && a.Currency == b.Currency && !a.Price.Equal(b.Price) {
				list = append(list, Unlike{sku, other.Code, a.Price, b.Price, a.Currency})
			}
		}
	}
	slices.SortFunc(list, func(a, b Unlike) int {
		return cmp.Or(cmp.Compare(a.SKU, b.SKU), cmp.Compare(a.Other, b.Other))
	})
	return list[:min(most, len(list))], len(list), nil
}

// samePeople reports whether two channels sell to the same people on the same footing.
func samePeople(snap *book.Snapshot, a, b *pricing.Channel) bool {
	currency := func(c *pricing.Channel) string { return cmp.Or(c.Currency, snap.Book.Settings.Currency) }
	return a.Group == b.Group && a.Country == b.Country && currency(a) == currency(b) &&
		taxOf(snap, a.Code) == taxOf(snap, b.Code)
}
