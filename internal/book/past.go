package book

import (
	"fmt"
	"slices"

	"dogbane/internal/pricing"
)

// Past is the book as it was at a version.
type Past struct {
	Version int64
	Book    *pricing.Book
	Engine  *pricing.Engine
}

// Past is the snapshot as a place to go back from.
func (s *Snapshot) Past() *Past { return &Past{s.Version, s.Book, s.Engine} }

// Before is the book one version earlier, before the changes that led to this one.
func (p *Past) Before(changes []Change) (*Past, error) {
	earlier, err := Apply(p.Book, Reversed(changes))
	if err != nil {
		return nil, fmt.Errorf("go back before version %d: %w", p.Version, err)
	}
	return &Past{p.Version - 1, earlier, p.Engine.Recompile(earlier)}, nil
}

// Reversed are the changes that take changes back.
func Reversed(changes []Change) []Change {
	back := make([]Change, 0, len(changes))
	for _, c := range slices.Backward(changes) {
		back = append(back, Change{Kind: c.Kind, Code: c.Code, Before: c.After, After: c.Before})
	}
	return back
}
