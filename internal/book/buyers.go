package book

import (
	"cmp"
	"context"
	"fmt"
	"maps"
	"slices"
	"strings"

	lru "github.com/hashicorp/golang-lru/v2"

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

// Bought is what a customer bought.
type Bought struct {
	Count, Newest int64              // of the sales that it is made of, and the number of the newest: others are others
	List          []pricing.Purchase // oldest first; it never changes
	Any           bool               // anything was ever sold, to whomever
}

// Buyers know what customers bought. What the newest of those that were asked for bought is kept, looked at anew each
// time whether it still holds, so that sales of any instance count at once.
type Buyers struct {
	// read is what a customer bought; as it is known where that still holds.
	read  func(ctx context.Context, customer string, known Bought) (Bought, error)
	known *lru.Cache[string, Bought]
}

// mostBuyers bounds of how many customers it is kept what they bought.
const mostBuyers = 500

// NewBuyers knows what customers bought by read, which gives what is known where nothing was sold since.
func NewBuyers(read func(ctx context.Context, customer string, known Bought) (Bought, error)) *Buyers {
	known, err := lru.New[string, Bought](mostBuyers)
	if err != nil {
		panic(fmt.Sprintf("book: %v", err)) // it is a number above 0
	}
	return &Buyers{read: read, known: known}
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
	known, asked := b.known.Get(vp.Customer)
	now, err := b.read(ctx, vp.Customer, known)
	switch {
	case err == nil:
		b.known.Add(vp.Customer, now)
	case asked && ctx.Err() == nil: // while the database is away, what was last known
		now = known
	default:
		return err
	}
	before := func(p pricing.Purchase, at pricing.Moment) int { return cmp.Compare(p.At, at) }
	end, _ := slices.BinarySearchFunc(now.List, vp.At, before)
	vp.FirstOrder = now.Any && end == 0
	from, _ := slices.BinarySearchFunc(now.List[:end], since, before)
	if from < end {
		vp.History = slices.Clone(now.List[from:end])
	}
	return nil
}
