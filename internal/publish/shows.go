package publish

import (
	"context"
	"fmt"
	"sync"

	"dogbane/internal/book"
	"dogbane/internal/money"
	"dogbane/internal/pricing"
)

// Shows keeps in memory what each channel shows, until something is published there.
type Shows struct {
	keeper Keeper

	mu        sync.Mutex // guards the maps; held while one is filled
	byChannel map[string]map[string]Shown
	compared  map[string]compared
	numbered  map[string]*Numbered
}

// NewShows reads from a keeper.
func NewShows(keeper Keeper) *Shows {
	return &Shows{keeper: keeper, byChannel: map[string]map[string]Shown{}, compared: map[string]compared{},
		numbered: map[string]*Numbered{}}
}

// Numbered is what a channel shows by product number, in minor units.
type Numbered struct {
	Price []int64
	Known []bool

	products []*pricing.Product // whose numbers these are
	digits   int
}

type compared struct {
	key         string
	differences *Differences
}

// Forget lets go of what is known of a channel.
func (s *Shows) Forget(channel string) {
	s.mu.Lock()
	defer s.mu.Unlock()
	delete(s.byChannel, channel)
	delete(s.numbered, channel)
	delete(s.compared, channel)
}

// In is what a channel shows, by SKU.
func (s *Shows) In(ctx context.Context, channel string) (map[string]Shown, error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.in(ctx, channel)
}

func (s *Shows) in(ctx context.Context, channel string) (map[string]Shown, error) {
	if shown, known := s.byChannel[channel]; known {
		return shown, nil
	}
	shown, err := s.keeper.Shown(ctx, channel)
	if err != nil {
		return nil, err
	}
	s.byChannel[channel] = shown
	return shown, nil
}

// Numbered is what a channel shows by product number, in minor units of so many digits. It is kept as long as the
// products are the same.
func (s *Shows) Numbered(ctx context.Context, snap *book.Snapshot, channel string, digits int) (*Numbered, error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	shown, err := s.in(ctx, channel)
	if err != nil {
		return nil, err
	}
	products := snap.Engine.Products()
	if n := s.numbered[channel]; n != nil && n.digits == digits && sameSlice(n.products, products) {
		return n, nil
	}
	n := &Numbered{make([]int64, len(products)), make([]bool, len(products)), products, digits}
	for i, product := range products {
		if was, known := shown[product.SKU]; known {
			n.Price[i], n.Known[i] = was.Price.Minor(digits, money.HalfUp)
		}
	}
	s.numbered[channel] = n
	return n, nil
}

// sameSlice reports whether two slices are the same one.
func sameSlice[T any](a, b []T) bool { return len(a) == len(b) && (len(a) == 0 || &a[0] == &b[0]) }

// Differences are what a channel shows against the book's prices at a moment. They are kept until the book, what the
// channel shows, or the rules that take part are others.
func (s *Shows) Differences(ctx context.Context, snap *book.Snapshot, channel string, now pricing.Moment) (*Differences,
	error) {
	key, err := snap.Engine.Alike(pricing.Viewpoint{Channel: channel, At: now, Quantity: 1})
	if err != nil {
		return nil, err
	}
	key = fmt.Sprint(snap.Version, key)
	s.mu.Lock()
	defer s.mu.Unlock()
	shown, err := s.in(ctx, channel)
	if err != nil {
		return nil, err
	}
	if c := s.compared[channel]; c.key == key {
		return c.differences, nil
	}
	links, err := s.keeper.Links(ctx)
	if err != nil {
		return nil, err
	}
	d, err := Compare(snap.Engine, channel, now, shown, links[channel].ToldTags())
	if err != nil {
		return nil, err
	}
	s.compared[channel] = compared{key, d}
	return d, nil
}

// At is the price shown of the product with a number; false where none is.
func (n *Numbered) At(p int32) (int64, bool) { return n.Price[p], n.Known[p] }
