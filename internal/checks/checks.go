// Package checks holds pinned prices against a book: which hold, and which a change would break. Where they are kept
// belongs to package store, how they are shown to package server.
package checks

import (
	"context"
	"encoding/json"
	"fmt"
	"strings"
	"sync"

	"dogbane/internal/book"
	"dogbane/internal/bookfile"
	"dogbane/internal/pricing"
	"dogbane/internal/pricing/basket"
)

// Pinned is an expected price that somebody pinned: an expectation as docs/book.md writes it.
type Pinned struct {
	ID   int64  `json:"id"`
	Name string `json:"name"`
	Doc  string `json:"-"`
}

// Difference is one value that is not as expected.
type Difference struct {
	What string `json:"what" doc:"such as unit"`
	Want string `json:"want"`
	Have string `json:"have"`
}

// Result is what a check finds. Problem says why there is no answer; a check holds where it finds nothing.
type Result struct {
	Pinned
	Problem     string       `json:"problem,omitempty"`
	Differences []Difference `json:"differences"`
}

// Holds reports whether all is as expected.
func (r *Result) Holds() bool { return r.Problem == "" && len(r.Differences) == 0 }

// Engines answer for one book: prices, and baskets by an engine that is made when first asked for.
type Engines struct {
	Prices  *pricing.Engine
	Baskets func() *basket.Engine
}

// Of are the engines of a book's prices.
func Of(prices *pricing.Engine) Engines {
	return Engines{prices, sync.OnceValue(func() *basket.Engine { return basket.Compile(prices) })}
}

// Run asks a check of a book.
func Run(p Pinned, of Engines) Result {
	r := Result{Pinned: p, Differences: []Difference{}}
	x, err := bookfile.ReadExpectation([]byte(p.Doc))
	if err != nil {
		r.Problem = err.Error()
		return r
	}
	found, err := x.Run(of.Prices, of.Baskets)
	if err != nil {
		r.Problem = err.Error()
		return r
	}
	for _, d := range found {
		r.Differences = append(r.Differences, Difference{strings.TrimPrefix(d.Path, "is."), strings.Trim(d.Want, `"`),
			strings.Trim(d.Have, `"`)})
	}
	return r
}

// Broken are the checks that hold with one engine and not with another.
func Broken(pinned []Pinned, before, after *pricing.Engine) []Result {
	out, is, had := []Result{}, Of(after), Of(before)
	for _, p := range pinned {
		r := Run(p, is)
		if r.Holds() {
			continue
		}
		if was := Run(p, had); was.Holds() {
			out = append(out, r)
		}
	}
	return out
}

// BrokenError refuses a change that would break checks and does not say that somebody has seen which.
type BrokenError struct{ Checks []Result }

func (e *BrokenError) Error() string {
	if len(e.Checks) == 1 {
		return "This would break a pinned price."
	}
	return fmt.Sprintf("This would break %d pinned prices.", len(e.Checks))
}

// Source is where pinned prices are kept.
type Source interface {
	Pinned(ctx context.Context) ([]Pinned, error)
}

// Guard refuses edits that break a pinned price which nobody has seen broken, with a *BrokenError.
func Guard(from Source) book.Guard {
	return func(ctx context.Context, before *pricing.Engine, after func() *pricing.Engine) error {
		pinned, err := from.Pinned(ctx)
		if err != nil || len(pinned) == 0 {
			return err
		}
		if broken := Broken(pinned, before, after()); len(broken) > 0 {
			return &BrokenError{Checks: broken}
		}
		return nil
	}
}

// BrokenIn are SKUs of which a pinned price does not hold, as far as it is about a channel or about none.
func BrokenIn(pinned []Pinned, prices *pricing.Engine, baskets func() *basket.Engine, channel string) map[string]bool {
	broken := map[string]bool{}
	for _, p := range pinned {
		var about struct {
			Price *struct{ SKU, Channel string } `json:"price"`
		}
		if json.Unmarshal([]byte(p.Doc), &about) != nil || about.Price == nil ||
			about.Price.Channel != "" && about.Price.Channel != channel {
			continue
		}
		if r := Run(p, Engines{prices, baskets}); !r.Holds() {
			broken[about.Price.SKU] = true
		}
	}
	return broken
}
