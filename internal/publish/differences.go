// Package publish brings prices to the channels: what would change there, what blocks it, sending, and what the channel
// answered. What a price is belongs to package pricing; what was sent is kept by package store.
package publish

import (
	"cmp"
	"fmt"
	"slices"

	"dogbane/internal/money"
	"dogbane/internal/pricing"
	"dogbane/internal/pricing/flags"
)

// Kind of a difference.
type Kind string

// The kinds.
const (
	New       Kind = "new"
	Up        Kind = "up"
	Down      Kind = "down"
	Reference Kind = "reference" // the price stays, the price it is reduced from changes
	Tags      Kind = "tags"      // price and reference stay, the live tags change
	Gone      Kind = "gone"      // the channel shows a price and should show none
)

// Difference is one product whose price in a channel is not what the book says.
type Difference struct {
	SKU, Name             string
	Kind                  Kind
	Was, Price, Reference *money.Rat
	Tags                  pricing.LiveTags
	Margin                *money.Rat   // net − fee − cost of the new price
	Cost                  *money.Rat   // on the price's footing
	Stops                 []flags.Kind // keep the row from being sent until they are overridden or it is left out
	Rules                 []string
}

// Differences are what a publication to a channel would change.
type Differences struct {
	Channel, Currency string
	Digits            int
	At                pricing.Moment
	Rows              []Difference // by SKU
	Same              int          // products that already show the right price
	Unpriced          int          // products in the book that have no price in this channel
}

// Blocked reports whether the row is sent only with a reason.
func (d *Difference) Blocked() bool { return len(d.Stops) > 0 }

// Blocked is how many rows are blocked.
func (d *Differences) Blocked() int {
	n := 0
	for i := range d.Rows {
		if d.Rows[i].Blocked() {
			n++
		}
	}
	return n
}

// Compare holds what a channel shows against the book's prices at a moment: those a guest pays for one piece, with
// their live tags where the channel is told of tags.
func Compare(engine *pricing.Engine, channel string, at pricing.Moment, shown map[string]Shown,
	tagged bool) (*Differences, error) {
	sweep, err := engine.Sweep(pricing.Viewpoint{Channel: channel, At: at, Quantity: 1})
	if err != nil {
		return nil, fmt.Errorf("price channel %q: %w", channel, err)
	}
	d := &Differences{Channel: channel, Currency: sweep.Currency, Digits: sweep.Digits, At: at}
	products, known := engine.Products(), 0
	tagged = tagged && slices.ContainsFunc(engine.Book().Rules, func(r pricing.Rule) bool { return r.LiveTags != nil })
	for i, product := range products {
		was, shows := shown[product.SKU]
		if shows {
			known++
		}
		diff := Difference{SKU: product.SKU, Name: product.Name}
		if shows {
			diff.Was = &was.Price
		}
		minor, priced := sweep.Price(int32(i))
		if !priced {
			d.Unpriced++
			if shows {
				diff.Kind = Gone
				d.Rows = append(d.Rows, diff)
			}
			continue
		}
		price := money.FromMinor(minor, sweep.Digits)
		diff.Price, diff.Reference = &price, reference(sweep, int32(i), minor)
		if tagged {
			diff.Tags = pricing.LiveTagsOf(sweep.Rules(int32(i)))
		}
		if shows {
			switch c := price.Cmp(was.Price); {
			case c > 0:
				diff.Kind = Up
			case c < 0:
				diff.Kind = Down
			case !sameReference(was.Reference, diff.Reference):
				diff.Kind = Reference
			case !was.Tags.Equal(diff.Tags):
				diff.Kind = Tags
			default:
				d.Same++
				continue
			}
		} else {
			diff.Kind = New
		}
		if cost, costed := sweep.Cost(int32(i)); costed {
			_, minorMargin, _ := sweep.Margin(int32(i))
			margin, amount := money.FromMinor(minorMargin, sweep.Digits), money.FromMinor(cost, sweep.Digits)
			diff.Margin, diff.Cost = &margin, &amount
			diff.Stops = stops(sweep, int32(i))
		}
		for _, r := range sweep.Rules(int32(i)) {
			diff.Rules = append(diff.Rules, r.Code)
		}
		d.Rows = append(d.Rows, diff)
	}
	if known < len(shown) { // products that left the book
		for sku, was := range shown {
			if _, exists := engine.ProductNumber(sku); !exists {
				d.Rows = append(d.Rows, Difference{SKU: sku, Kind: Gone, Was: &was.Price})
			}
		}
	}
	slices.SortFunc(d.Rows, func(a, b Difference) int { return cmp.Compare(a.SKU, b.SKU) })
	return d, nil
}

// reference is the price that a reduced price is shown against: the price after the catalog layer.
func reference(sweep *pricing.Sweep, p int32, price int64) *money.Rat {
	before, known := sweep.CatalogPrice(p)
	if !known || before <= price {
		return nil
	}
	r := money.FromMinor(before, sweep.Digits)
	return &r
}

func sameReference(a, b *money.Rat) bool {
	if a == nil || b == nil {
		return a == b
	}
	return a.Equal(*b)
}

// stops are the kinds of trouble that keep a price from being sent.
func stops(sweep *pricing.Sweep, p int32) []flags.Kind {
	if !sweep.BelowCost(p) && !sweep.UnderGuard(p) { // nearly all: nothing marks them that would stop them
		return nil
	}
	row := sweep.Row(p)
	return slices.DeleteFunc(flags.On(&row), func(k flags.Kind) bool { return !flags.Of(k).Stops })
}
