package pieces

import (
	"bytes"
	"reflect"
	"slices"

	"dogbane/internal/book"
	"dogbane/internal/bookfile"
	"dogbane/internal/pricing"
)

// Compose is the book that a channel runs on: the pieces as they were published there, with what is in force once it is
// saved. What the published book still names and the saved one lacks is kept for it.
func Compose(published, saved *pricing.Book, channel string) *pricing.Book {
	if published == saved {
		return saved
	}
	next := *published
	var names refers
	for i := range published.Rules {
		names.rule(&published.Rules[i])
	}
	for i := range published.Campaigns {
		names.audience(published.Campaigns[i].Audience)
		names.channels(published.Campaigns[i].Channels)
	}
	needed := map[Key]bool{}
	for _, k := range names.people {
		needed[k] = true
	}
	var own *pricing.Channel
	for i := range published.Channels {
		if c := &published.Channels[i]; c.Code == channel {
			own = c
			needed[Key{book.Groups, c.Group}] = true
		}
	}
	next.Customers = kept(published.Customers, saved.Customers, func(c *pricing.Customer) bool {
		return needed[Key{book.Customers, c.Code}]
	}, func(c *pricing.Customer) string { return c.Code })
	for i := range next.Customers {
		for _, g := range next.Customers[i].Groups {
			needed[Key{book.Groups, g}] = true
		}
	}
	next.Groups = kept(published.Groups, saved.Groups, func(g *pricing.Group) bool {
		return needed[Key{book.Groups, g.Code}]
	}, func(g *pricing.Group) string { return g.Code })
	next.Channels = kept(published.Channels, saved.Channels, func(c *pricing.Channel) bool {
		return needed[Key{book.Channels, c.Code}]
	}, func(c *pricing.Channel) string { return c.Code })
	if own != nil {
		entry := *own
		at := slices.IndexFunc(next.Channels, func(c pricing.Channel) bool { return c.Code == channel })
		switch {
		case at < 0:
			next.Channels = append(slices.Clip(next.Channels), entry)
		default:
			entry.Limits = next.Channels[at].Limits
			if !bytes.Equal(bookfile.EncodeChannel(&entry), bookfile.EncodeChannel(&next.Channels[at])) {
				next.Channels = slices.Clone(next.Channels)
				next.Channels[at] = entry
			}
		}
	}
	if reflect.DeepEqual(&next.Settings, &saved.Settings) {
		next.Settings = saved.Settings
	}
	next.Groups, next.Customers = adopted(next.Groups, saved.Groups), adopted(next.Customers, saved.Customers)
	next.Channels, next.Ranges = adopted(next.Channels, saved.Channels), adopted(next.Ranges, saved.Ranges)
	next.Products = goods(published.Products, saved.Products)
	return &next
}

// adopted is a list, as the saved one where they are the same: engines share what is the very same.
func adopted[T any](list, saved []T) []T {
	if sameList(list, saved) {
		return saved
	}
	return list
}

// kept is the saved list with those of the published one that it lacks and that are needed.
func kept[T any](published, saved []T, needed func(*T) bool, code func(*T) string) []T {
	if sameSlice(published, saved) {
		return saved
	}
	in := map[string]bool{}
	for i := range saved {
		in[code(&saved[i])] = true
	}
	list := saved
	for i := range published {
		if p := &published[i]; !in[code(p)] && needed(p) {
			list = append(slices.Clip(list), *p)
		}
	}
	return list
}

// goods are the published products with the stock, units sold and rating of the saved ones. What is the same in both is
// the saved one's, so that it lies in memory once.
func goods(published, saved []*pricing.Product) []*pricing.Product {
	if sameSlice(published, saved) {
		return saved
	}
	is := placesOf(saved, published)
	next := make([]*pricing.Product, len(published))
	differs := make([]bool, len(published))
	pricing.InParallel(len(published), func(from, to int) {
		for i := from; i < to; i++ {
			p := published[i]
			at := is.of(i, p.SKU)
			switch {
			case at < 0:
				next[i], differs[i] = p, true
			case SameProduct(p, saved[at]):
				next[i] = saved[at]
			default:
				own := *p // the published one stays as it is
				own.Stock, own.Sold, own.Rating = saved[at].Stock, saved[at].Sold, saved[at].Rating
				next[i], differs[i] = &own, true
			}
		}
	})
	if is.by == nil && len(saved) == len(published) && !slices.Contains(differs, true) {
		return saved
	}
	return next
}

// LiveSame reports whether what is in force once it is saved is the same in two saved books, as far as a book composed
// with either needs it.
func LiveSame(a, b *pricing.Book) bool {
	if !sameList(a.Groups, b.Groups) || !sameList(a.Customers, b.Customers) || !sameList(a.Channels, b.Channels) {
		return false
	}
	if sameSlice(a.Products, b.Products) {
		return true
	}
	if len(a.Products) != len(b.Products) {
		return false
	}
	for i := range a.Products {
		x, y := a.Products[i], b.Products[i]
		if x.SKU != y.SKU || !sameLive(x, y) {
			return false
		}
	}
	return true
}

func sameList[T any](a, b []T) bool { return sameSlice(a, b) || reflect.DeepEqual(a, b) }
