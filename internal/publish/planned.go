package publish

import (
	"context"
	"slices"

	"dogbane/internal/book"
	"dogbane/internal/pricing"
)

// Planned is what the saved book has otherwise than the published one only later: sales that were planned, moved or
// dropped since. The clock follows the published book, so somebody has to publish it, also where nothing differs now.
type Planned struct {
	Lines int            // that agree now and will not
	First pricing.Moment // the first moment at which one does not; 0: there is none
}

// planned is what was found for two versions of the book, from a moment on.
type planned struct {
	saved, published int64
	kind             ReferenceKind
	from             pricing.Moment
	Planned
}

// course is how the line of a product goes on by itself.
type course struct {
	first *Digest // nil: there is no line
	then  []step
}

type step struct {
	at     pricing.Moment
	digest *Digest
}

func alike(a, b *Digest) bool { return (a == nil) == (b == nil) && (a == nil || *a == *b) }

// Planned looks as far ahead as a line is looked for that differs by itself.
func (d *Desk) Planned(ctx context.Context, snap *book.Snapshot, channel string) (Planned, error) {
	version, err := d.Published(ctx, snap, channel)
	if err != nil || version == nil || version.Version == snap.Version {
		return Planned{}, err
	}
	now, err := d.telling(ctx, snap, channel)
	if err != nil {
		return Planned{}, err
	}
	at := snap.Moment(d.now())
	d.mu.Lock()
	known := d.planned[channel]
	d.mu.Unlock()
	if known != nil && known.saved == snap.Version && known.published == version.Version && known.kind == now.kind &&
		at >= known.from && at-known.from < pricing.Hour && (known.First == 0 || at < known.First) {
		return known.Planned, nil
	}
	before, err := d.telling(ctx, version, channel)
	if err != nil {
		return Planned{}, err
	}
	found := &planned{snap.Version, version.Version, now.kind, at, Planned{}}
	if found.Planned, err = plan(before, now, at); err != nil {
		return Planned{}, err
	}
	d.mu.Lock()
	defer d.mu.Unlock()
	d.planned[channel] = found
	return found.Planned, nil
}

// touched are the products, by the numbers of each, of which two books may tell a channel something else.
func touched(before, now *Telling) (was, is pricing.Set) {
	is, told := now.engine.Touched(before.engine)
	if !told {
		everything := &pricing.Where{Field: pricing.FieldAll}
		return before.engine.Match(everything), now.engine.Match(everything)
	}
	products := now.engine.Products()
	var old []int32
	is.Each(func(n int32) bool {
		if p, exists := before.engine.ProductNumber(products[n].SKU); exists {
			old = append(old, p)
		}
		return true
	})
	return before.engine.SetOf(old), is
}

// apart are the lines at a moment of products of which two books may tell a channel something else, by their SKU; nil:
// there is none.
func apart(before, now *Telling, at pricing.Moment) (is, was map[string]*Digest, err error) {
	old, some := touched(before, now)
	if is, err = now.digests(at, some); err == nil {
		was, err = before.digests(at, old)
	}
	return is, was, err
}

func (t *Telling) digests(at pricing.Moment, some pricing.Set) (map[string]*Digest, error) {
	lines, err := t.AtSome(at, nil, some)
	if err != nil {
		return nil, err
	}
	all := make(map[string]*Digest, some.Count())
	found, err := lines.digests(some)
	for p, digest := range found {
		all[t.engine.Products()[p].SKU] = digest
	}
	return all, err
}

// plan holds how products go on in one book against how they go on in another.
func plan(before, now *Telling, at pricing.Moment) (p Planned, err error) {
	old, some := touched(before, now)
	if some.Count() == 0 {
		return p, nil
	}
	is, err := now.courses(at, some)
	if err != nil {
		return p, err
	}
	was, err := before.courses(at, old)
	if err != nil {
		return p, err
	}
	for sku, next := range is {
		last := was[sku]
		if !alike(next.first, last.first) {
			continue // it differs now
		}
		k := 0
		for k < len(next.then) && k < len(last.then) && next.then[k].at == last.then[k].at &&
			alike(next.then[k].digest, last.then[k].digest) {
			k++
		}
		var ahead []pricing.Moment
		for _, steps := range [][]step{next.then, last.then} {
			if k < len(steps) {
				ahead = append(ahead, steps[k].at)
			}
		}
		if len(ahead) == 0 {
			continue
		}
		p.Lines++
		if first := slices.Min(ahead); p.First == 0 || first < p.First {
			p.First = first
		}
	}
	return p, nil
}

// courses are how the lines of some products go on from a moment, by their SKU.
func (t *Telling) courses(at pricing.Moment, some pricing.Set) (map[string]course, error) {
	lines, err := t.AtSome(at, nil, some)
	if err != nil {
		return nil, err
	}
	all := make(map[string]course, some.Count())
	products := t.engine.Products()
	found, err := lines.digests(some)
	if err != nil {
		return nil, err
	}
	for p, digest := range found {
		all[products[p].SKU] = course{first: digest}
	}
	wants := func(p int32, _ []bool) bool { return some.Has(p) }
	err = lines.walk(at+Ahead, wants, func(at pricing.Moment, turned pricing.Set, then *Lines) (bool, error) {
		next, err := then.digests(turned)
		for p, now := range next {
			c := all[products[p].SKU]
			last := c.first
			if n := len(c.then); n > 0 {
				last = c.then[n-1].digest
			}
			if !alike(last, now) {
				c.then = append(c.then, step{at, now})
				all[products[p].SKU] = c
			}
		}
		return true, err
	})
	return all, err
}
