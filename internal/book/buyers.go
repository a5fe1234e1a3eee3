package book

import (
	"cmp"
	"context"
	"maps"
	"slices"
	"strings"
	"sync"

	"dogbane/internal/pricing"
)

// SetWho puts whom "group:CODE" or "customer:CODE" names into a viewpoint; "" is everyone. Its error is a
// QuestionError.
func SetWho(vp *pricing.Viewpoint, who string) error {
	kind, code, _ := strings.Cut(who, ":")
	switch {
	case who == "":
	case kind == "group" && code != "":
		vp.Groups = []string{code}
	case kind == "customer" && code != "":
		vp.Customer = code
	default:
		return &pricing.QuestionError{Path: "who", Problem: "must be group:CODE or customer:CODE"}
	}
	return nil
}

// Assumed is what is taken to hold of a buyer, before what is known. What is left empty is not assumed.
type Assumed struct {
	Country  string            `json:"country,omitempty"`
	First    *bool             `json:"first,omitempty" doc:"whether it is a first order"`
	SignedIn *bool             `json:"signedIn,omitempty"`
	Attrs    map[string]string `json:"attrs,omitempty" doc:"attributes of the customer"`
}

// Put puts it into a viewpoint, after Know.
func (a *Assumed) Put(vp *pricing.Viewpoint) {
	vp.Country = cmp.Or(a.Country, vp.Country)
	if a.First != nil {
		vp.FirstOrder = *a.First
	}
	if a.SignedIn != nil {
		vp.SignedIn = a.SignedIn
	}
	for name, value := range a.Attrs {
		vp.Attrs = With(vp.Attrs, name, value)
	}
}

// With is a map with one entry more; the map itself stays as it is, since others may hold it.
func With[V any](m map[string]V, key string, value V) map[string]V {
	next := maps.Clone(m)
	if next == nil {
		next = map[string]V{}
	}
	next[key] = value
	return next
}

// Buyers know what customers bought, until they are told to forget.
type Buyers struct {
	purchases func(ctx context.Context) (map[string][]pricing.Purchase, error)

	mu      sync.Mutex // guards what follows
	loaded  bool
	version int64 // of the book when they were read: another instance may have brought sales in since
	by      map[string][]pricing.Purchase
}

// NewBuyers reads purchases, oldest first, by customer.
func NewBuyers(purchases func(ctx context.Context) (map[string][]pricing.Purchase, error)) *Buyers {
	return &Buyers{purchases: purchases}
}

// Forget lets go of what is known: sales were brought in or taken back.
func (b *Buyers) Forget() {
	b.mu.Lock()
	defer b.mu.Unlock()
	b.loaded, b.by = false, nil
}

// Know puts into a customer's viewpoint whether a purchase would be the first, and the earlier ones as far back as a
// price of the book counts them. Where no sales were ever brought in nothing is known, and no purchase is the first.
func (b *Buyers) Know(ctx context.Context, snap *Snapshot, vp *pricing.Viewpoint) error {
	days, all := 0, false
	for i := range snap.Book.Rules {
		r := &snap.Book.Rules[i]
		days, all = max(days, r.HistoryDays), all || r.CountsOwned()
	}
	for i := range snap.Book.Ladders {
		for _, step := range snap.Book.Ladders[i].Breaks {
			all = all || step.Effect.CountsOwned()
		}
	}
	since := vp.At - pricing.Moment(days+1)*pricing.Day
	switch {
	case all:
		since = 0
	case days == 0:
		since = vp.At
	}
	return b.know(ctx, snap, vp, since)
}

// KnowAll puts into a customer's viewpoint whether a purchase would be the first, and every earlier one: offers and
// orders of a basket look back as far as they like.
func (b *Buyers) KnowAll(ctx context.Context, snap *Snapshot, vp *pricing.Viewpoint) error {
	return b.know(ctx, snap, vp, 0)
}

func (b *Buyers) know(ctx context.Context, snap *Snapshot, vp *pricing.Viewpoint, since pricing.Moment) error {
	vp.FirstOrder, vp.History = false, nil
	if vp.Customer == "" {
		return nil
	}
	b.mu.Lock()
	defer b.mu.Unlock()
	if !b.loaded || b.version != snap.Version {
		by, err := b.purchases(ctx)
		if err != nil {
			return err
		}
		b.loaded, b.version, b.by = true, snap.Version, by
	}
	bought := b.by[vp.Customer]
	before := func(p pricing.Purchase, at pricing.Moment) int { return cmp.Compare(p.At, at) }
	end, _ := slices.BinarySearchFunc(bought, vp.At, before)
	vp.FirstOrder = len(b.by) > 0 && end == 0
	from, _ := slices.BinarySearchFunc(bought[:end], since, before)
	if from < end {
		vp.History = slices.Clone(bought[from:end])
	}
	return nil
}
