package pricing

import (
	"reflect"
	"sync/atomic"
)

// Share takes over from another book what is the same in both, so that it lies in memory once. Where all goods are,
// Recompile makes nothing ready twice.
func (b *Book) Share(with *Book) {
	if reflect.DeepEqual(&b.Settings, &with.Settings) {
		b.Settings = with.Settings
	}
	takeOver(&b.Groups, with.Groups)
	takeOver(&b.Customers, with.Customers)
	takeOver(&b.Ranges, with.Ranges)
	takeOver(&b.Ladders, with.Ladders)
	takeOver(&b.Campaigns, with.Campaigns)
	takeOver(&b.Channels, with.Channels)
	takeOver(&b.Products, with.Products)
	takeOver(&b.Rules, with.Rules)
}

func takeOver[T any](list *[]T, with []T) {
	same := len(*list) == len(with)
	if same && (len(with) == 0 || &(*list)[0] == &with[0]) {
		return
	}
	var other atomic.Bool
	n := min(len(*list), len(with))
	InParallel(n, func(from, to int) {
		for i := from; i < to; i++ {
			if reflect.DeepEqual(&(*list)[i], &with[i]) {
				(*list)[i] = with[i]
			} else {
				other.Store(true)
			}
		}
	})
	if same && !other.Load() {
		*list = with
	}
}
