package board

import (
	"cmp"
	"slices"
	"strings"

	"dogbane/internal/book"
	"dogbane/internal/money"
	"dogbane/internal/pricing"
)

// Category is a category with what lies under it.
type Category struct {
	Path   string  `json:"path"`
	Name   string  `json:"name"`
	Depth  int     `json:"depth"`
	Count  int     `json:"count"`
	Margin *string `json:"margin" doc:"mean margin in percent, of the products whose cost is known"`
	Flags  int     `json:"flags"`
}

// Categories are all categories of a book from a viewpoint, each before those below it; the first, with an empty path,
// is the whole catalogue.
func (b *Boards) Categories(snap *book.Snapshot, vp pricing.Viewpoint) ([]Category, error) {
	sw, err := b.Sweeps.Of(snap, vp)
	if err != nil {
		return nil, err
	}
	type sum struct {
		count, known, flags int
		margins             int64 // millionths
	}
	sums := map[string]*sum{}
	add := func(path string, share int64, known, flagged bool) {
		c := sums[path]
		if c == nil {
			c = &sum{}
			sums[path] = c
		}
		c.count++
		if known {
			c.known++
			c.margins += share
		}
		if flagged {
			c.flags++
		}
	}
	products, margins := snap.Engine.Products(), sw.Margins()
	for p := range int32(sw.Len()) {
		share, known := Share(margins.Net[p], margins.Amount[p], margins.Known[p])
		_, priced := sw.Price(p)
		flagged, path := !priced || sw.BelowCost(p), products[p].Category
		add("", share, known, flagged)
		for i := range len(path) {
			if path[i] == '/' {
				add(path[:i], share, known, flagged)
			}
		}
		if path != "" {
			add(path, share, known, flagged)
		}
	}
	paths := make([]string, 0, len(sums))
	for path := range sums {
		paths = append(paths, path)
	}
	slices.SortFunc(paths, func(a, b string) int {
		return cmp.Compare(strings.ReplaceAll(a, "/", "\x00"), strings.ReplaceAll(b, "/", "\x00"))
	})
	list := []Category{}
	for _, path := range paths {
		c := sums[path]
		out := Category{Path: path, Name: path[strings.LastIndex(path, "/")+1:], Count: c.count, Flags: c.flags}
		if path != "" {
			out.Depth = 1 + strings.Count(path, "/")
		}
		if c.known > 0 {
			mean := money.Ratio(c.margins, int64(c.known)).Mul(money.Ratio(1, 10_000)).Fixed(1)
			out.Margin = &mean
		}
		list = append(list, out)
	}
	return list, nil
}
