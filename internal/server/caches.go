package server

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"log/slog"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	lru "github.com/hashicorp/golang-lru/v2"
	"golang.org/x/sync/singleflight"

	"dogbane/internal/money"
	"dogbane/internal/pricing"
	"dogbane/internal/pricing/flags"
	"dogbane/internal/publish"
	"dogbane/internal/store"
)

// swept is a sweep with the orders in which its rows have been asked for.
type swept struct {
	*pricing.Sweep
	mu     sync.Mutex
	orders map[string][]int32
}

// sweepCache keeps the sweeps that were looked at last: a board asks for many pages of one. Who asks for one that is just
// being made waits for it.
type sweepCache struct {
	made   *lru.Cache[string, sweepResult]
	making singleflight.Group

	mu    sync.Mutex
	words map[int64][]string
}

type sweepResult struct {
	sweep *swept
	err   error // of the question
}

const sweepsKept = 48

func newSweepCache() *sweepCache {
	made, err := lru.New[string, sweepResult](sweepsKept)
	if err != nil {
		panic(fmt.Sprintf("server: %v", err))
	}
	return &sweepCache{made: made}
}

func (s *Server) sweep(snap *store.Snapshot, vp pricing.Viewpoint) (*swept, error) {
	c := s.sweeps
	key := fmt.Sprintf("%d ", snap.Version) + vp.Key()
	if r, made := c.made.Get(key); made {
		return r.sweep, r.err
	}
	made, _, _ := c.making.Do(key, func() (any, error) {
		sw, err := snap.Engine.Sweep(vp)
		r := sweepResult{err: err}
		if err == nil {
			r.sweep = &swept{Sweep: sw, orders: map[string][]int32{}}
		}
		c.made.Add(key, r)
		return r, nil
	})
	r, _ := made.(sweepResult)
	return r.sweep, r.err
}

// searchable is what the words of a search are looked for in, by product number.
func (s *Server) searchable(snap *store.Snapshot) []string {
	c := s.sweeps
	c.mu.Lock()
	defer c.mu.Unlock()
	if words, done := c.words[snap.Version]; done {
		return words
	}
	products := snap.Engine.Products()
	words := make([]string, len(products))
	for i := range products {
		p := products[i]
		words[i] = strings.ToLower(p.SKU + "\n" + p.Name + "\n" + p.Brand + "\n" + p.Supplier + "\n" + p.GTIN + "\n" + p.Category)
	}
	c.words = map[int64][]string{snap.Version: words}
	return words
}

// flagCache keeps the flags of the newest version; they are found in the background.
type flagCache struct {
	mu       sync.Mutex
	version  int64
	from     pricing.Moment
	running  bool
	stop     context.CancelFunc // of the search under way
	searched int64              // the version that it looks at
	flags    []flags.Flag
	bySKU    map[string][]string // kinds by SKU
}

// lastAsked is when somebody last asked something; what pages ask by themselves does not count.
type lastAsked struct{ at atomic.Int64 }

var askedByItself = []string{"/api/state", "/api/flags", "/api/session"}

func (l *lastAsked) note(path string) {
	if strings.HasPrefix(path, "/api/") && !slices.Contains(askedByItself, path) {
		l.at.Store(time.Now().UnixNano())
	}
}

func (l *lastAsked) within(d time.Duration) bool { return time.Now().UnixNano()-l.at.Load() < int64(d) }

// flagSpan is how far ahead flags are looked for.
const flagSpan = 90 * pricing.Day

// Flags are those of the newest version looked at, with the version and whether a newer search is under way.
func (s *Server) currentFlags(snap *store.Snapshot) (found []flags.Flag, version int64, searching bool) {
	at := s.moment(snap)
	day := at - at%pricing.Day
	c := &s.flags
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.running && c.searched != snap.Version {
		c.stop() // a search of a book that is no longer the saved one
	} else if (c.version != snap.Version || c.from != day) && !c.running {
		ctx, stop := context.WithCancel(context.Background())
		c.running, c.stop, c.searched = true, stop, snap.Version
		go s.findFlags(ctx, snap, day, at)
	}
	return c.flags, c.version, c.running
}

func (s *Server) findFlags(ctx context.Context, snap *store.Snapshot, day, at pricing.Moment) {
	channels := []string{}
	for _, c := range snap.Book.Channels {
		channels = append(channels, c.Code)
	}
	if len(channels) == 0 {
		channels = nil
	}
	// The search works half of the time, and a twenty-fifth of it while somebody is asking something.
	began := time.Now()
	rest := func() error {
		worked := time.Since(began)
		time.Sleep(min(worked, time.Second))
		for waited := worked; s.asked.within(400*time.Millisecond) && waited < min(24*worked, 5*time.Second) && ctx.Err() == nil; waited += 20 * time.Millisecond {
			time.Sleep(20 * time.Millisecond)
		}
		began = time.Now()
		return ctx.Err()
	}
	found, err := flags.Find(snap.Engine, flags.Question{From: at, To: at + flagSpan, Channels: channels, Between: rest})
	if errors.Is(err, context.Canceled) {
		s.flags.mu.Lock()
		defer s.flags.mu.Unlock()
		s.flags.running = false
		return
	}
	if err != nil {
		slog.Error("cannot look for flags", "error", err)
	}
	// The most money at stake first.
	slices.SortStableFunc(found, func(a, b flags.Flag) int {
		if a.Left != nil && b.Left != nil {
			return a.Left.Cmp(*b.Left)
		}
		return cmp.Compare(a.Kind, b.Kind)
	})
	c := &s.flags
	c.mu.Lock()
	defer c.mu.Unlock()
	c.version, c.from, c.running, c.flags, c.bySKU = snap.Version, day, false, found, map[string][]string{}
	for _, f := range found {
		if f.Kind == flags.BelowCost && !slices.Contains(c.bySKU[f.SKU], string(f.Kind)) {
			c.bySKU[f.SKU] = append(c.bySKU[f.SKU], string(f.Kind))
		}
	}
}

// shownCache keeps what each channel shows, until something is published there.
type shownCache struct {
	mu        sync.Mutex
	byChannel map[string]map[string]store.Shown
	compared  map[string]compared
	numbered  map[string]*published
}

// published is what a channel shows, by product number, in minor units.
type published struct {
	products []*pricing.Product // whose numbers these are
	digits   int
	price    []int64
	known    []bool
}

// publishedIn is what a channel shows by product number. It is kept as long as the products are the same.
func (s *Server) publishedIn(ctx context.Context, snap *store.Snapshot, channel string, digits int) (*published, error) {
	shown, err := s.shownIn(ctx, channel)
	if err != nil {
		return nil, err
	}
	c := &s.shown
	c.mu.Lock()
	defer c.mu.Unlock()
	products := snap.Engine.Products()
	if p := c.numbered[channel]; p != nil && p.digits == digits && len(p.products) == len(products) && (len(products) == 0 || &p.products[0] == &products[0]) {
		return p, nil
	}
	p := &published{products, digits, make([]int64, len(products)), make([]bool, len(products))}
	for i, product := range products {
		if was, known := shown[product.SKU]; known {
			p.price[i], p.known[i] = was.Price.Minor(digits, money.HalfUp)
		}
	}
	if c.numbered == nil {
		c.numbered = map[string]*published{}
	}
	c.numbered[channel] = p
	return p, nil
}

func (c *shownCache) forget(channel string) {
	c.mu.Lock()
	defer c.mu.Unlock()
	delete(c.byChannel, channel)
	delete(c.numbered, channel)
	delete(c.compared, channel)
}

func (s *Server) shownIn(ctx context.Context, channel string) (map[string]store.Shown, error) {
	c := &s.shown
	c.mu.Lock()
	defer c.mu.Unlock()
	if shown, known := c.byChannel[channel]; known {
		return shown, nil
	}
	shown, err := s.store.Shown(ctx, channel)
	if err != nil {
		return nil, err
	}
	c.byChannel[channel] = shown
	return shown, nil
}

// differences are what a channel shows against the book's prices now. They are kept until the book, what the channel
// shows, or the rules that take part are others.
func (s *Server) differences(ctx context.Context, snap *store.Snapshot, channel string) (*publish.Differences, error) {
	shown, err := s.shownIn(ctx, channel)
	if err != nil {
		return nil, err
	}
	now := s.moment(snap)
	key, err := snap.Engine.Alike(pricing.Viewpoint{Channel: channel, At: now, Quantity: 1})
	if err != nil {
		return nil, err
	}
	key = fmt.Sprint(snap.Version, key)
	c := &s.shown
	c.mu.Lock()
	defer c.mu.Unlock()
	if d := c.compared[channel]; d.key == key {
		return d.differences, nil
	}
	d, err := publish.Compare(snap.Engine, channel, now, shown)
	if err != nil {
		return nil, err
	}
	if c.compared == nil {
		c.compared = map[string]compared{}
	}
	c.compared[channel] = compared{key, d}
	return d, nil
}

type compared struct {
	key         string
	differences *publish.Differences
}

// moment is the present on the book's wall clock, to the minute.
func (s *Server) moment(snap *store.Snapshot) pricing.Moment {
	m := pricing.MomentOf(s.now().In(snap.Zone))
	return m - m%pricing.Minute
}
