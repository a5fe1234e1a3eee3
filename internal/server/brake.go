package server

import (
	"fmt"
	"sync"
	"time"

	lru "github.com/hashicorp/golang-lru/v2"
	"golang.org/x/time/rate"
)

// brake slows down the guessing of passwords. A guess counts before it is looked at, so that many at once are no more
// than many in a row; the right password gives its count back. Guesses from a browser from which somebody has signed in
// before are counted by themselves: nobody locks another person out.
type brake struct {
	mu      sync.Mutex
	buckets *lru.Cache[string, *rate.Limiter]
	looking map[string]int // guesses that are being looked at, by key
}

// The guesses that are free, and how often one more is.
var (
	byName    = allowance{5, time.Minute}
	byDevice  = allowance{5, 20 * time.Second}
	byAddress = allowance{40, 2 * time.Second}
)

type allowance struct {
	free  int
	every time.Duration
}

func newBrake() *brake {
	buckets, err := lru.New[string, *rate.Limiter](20_000) // nobody fills the memory with names
	if err != nil {
		panic(fmt.Sprintf("server: %v", err))
	}
	return &brake{buckets: buckets, looking: map[string]int{}}
}

func (b *brake) bucket(key string, a allowance) *rate.Limiter {
	l, known := b.buckets.Get(key)
	if !known {
		l = rate.NewLimiter(rate.Every(a.every), a.free)
		b.buckets.Add(key, l)
	}
	return l
}

// guess is one guess that was counted; it ends with whether it was right.
type guess struct {
	brake *brake
	keys  []string
}

// count counts a guess of the password of a name from an address, or says how long to wait.
func (b *brake) count(name, address string, knownDevice string, now time.Time) (*guess, time.Duration) {
	keys, allowed := []string{"name " + name, "address " + address}, []allowance{byName, byAddress}
	if knownDevice != "" {
		keys, allowed = []string{"device " + knownDevice}, []allowance{byDevice}
	}
	b.mu.Lock()
	defer b.mu.Unlock()
	for i, key := range keys {
		free := b.bucket(key, allowed[i]).TokensAt(now) - float64(b.looking[key])
		if free < 1 {
			return nil, time.Duration((1 - free) * float64(allowed[i].every))
		}
	}
	for _, key := range keys {
		b.looking[key]++
	}
	return &guess{b, keys}, 0
}

// end says whether the password was the right one: then it was no guess, and those before were slips of its owner. An
// address keeps its count: others may guess from there, too.
func (g *guess) end(right bool, now time.Time) {
	b := g.brake
	b.mu.Lock()
	defer b.mu.Unlock()
	for i, key := range g.keys {
		if b.looking[key]--; b.looking[key] == 0 {
			delete(b.looking, key)
		}
		switch l, known := b.buckets.Get(key); {
		case !right && known:
			l.AllowN(now, 1)
		case right && i == 0:
			b.buckets.Remove(key)
		}
	}
}
