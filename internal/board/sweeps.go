package board

import (
	"fmt"
	"strings"
	"sync"

	lru "github.com/hashicorp/golang-lru/v2"
	"golang.org/x/sync/singleflight"

	"dogbane/internal/book"
	"dogbane/internal/pricing"
)

// Sweep is a sweep with the orders in which its rows have been asked for.
type Sweep struct {
	*pricing.Sweep

	mu     sync.Mutex // guards orders
	orders map[string][]int32
}

// Sweeps keep the sweeps that were looked at last: a board asks for many pages of one. Who asks for one that is just
// being made waits for it.
type Sweeps struct {
	made   *lru.Cache[string, result]
	making singleflight.Group
}

type result struct {
	sweep *Sweep
	err   error // of the question
}

const sweepsKept = 48

// NewSweeps keeps none yet.
func NewSweeps() *Sweeps {
	made, err := lru.New[string, result](sweepsKept)
	if err != nil {
		panic(fmt.Sprintf("board: %v", err))
	}
	return &Sweeps{made: made}
}

// Of is the sweep of a version of the book from a viewpoint.
func (c *Sweeps) Of(snap *book.Snapshot, vp pricing.Viewpoint) (*Sweep, error) {
	key := fmt.Sprintf("%d ", snap.Version) + vp.Key()
	if r, made := c.made.Get(key); made {
		return r.sweep, r.err
	}
	made, _, _ := c.making.Do(key, func() (any, error) {
		if r, made := c.made.Get(key); made { // since this one looked
			return r, nil
		}
		sw, err := snap.Engine.Sweep(vp)
		r := result{err: err}
		if err == nil {
			r.sweep = &Sweep{Sweep: sw, orders: map[string][]int32{}}
		}
		c.made.Add(key, r)
		return r, nil
	})
	r, _ := made.(result)
	return r.sweep, r.err
}

// words keep what the words of a search are looked for in, of one version of the book.
type words struct {
	mu      sync.Mutex // guards the others
	version int64
	texts   []string // by product number
}

func (w *words) of(snap *book.Snapshot) []string {
	w.mu.Lock()
	defer w.mu.Unlock()
	if w.texts != nil && w.version == snap.Version {
		return w.texts
	}
	products := snap.Engine.Products()
	texts := make([]string, len(products))
	for i, p := range products {
		texts[i] = strings.ToLower(strings.Join([]string{p.SKU, p.Name, p.Brand, p.Supplier, p.GTIN, p.Category}, "\n"))
	}
	w.version, w.texts = snap.Version, texts
	return texts
}
