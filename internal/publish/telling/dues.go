package telling

import (
	"maps"
	"slices"

	"dogbane/internal/pricing"
)

// DueMoment is one at which lines of a channel differ by themselves.
type DueMoment struct {
	At      pricing.Moment
	Changed []int32  // products whose lines do
	SKUs    []string // theirs
}

// Dues are the moments after those of lines, before to, at which lines differ, at most limit of them.
func (l *Lines) Dues(to pricing.Moment, limit int) (dues []DueMoment, err error) {
	last := map[int32]*Digest{} // nil: no line
	err = l.walk(to, nil, func(at pricing.Moment, turned pricing.Set, then *Lines) (bool, error) {
		var unknown, changed []int32
		turned.Each(func(p int32) bool {
			if _, known := last[p]; !known {
				unknown = append(unknown, p)
			}
			return true
		})
		first, err := l.digests(l.Telling.Engine.SetOf(unknown))
		if err != nil {
			return false, err
		}
		maps.Copy(last, first)
		next, err := then.digests(turned)
		if err != nil {
			return false, err
		}
		for p, now := range next {
			if !Alike(last[p], now) {
				changed = append(changed, p)
			}
			last[p] = now
		}
		slices.Sort(changed)
		if len(changed) > 0 {
			due := DueMoment{At: at, Changed: changed}
			for _, p := range changed {
				due.SKUs = append(due.SKUs, l.Telling.Engine.Products()[p].SKU)
			}
			dues = append(dues, due)
		}
		return len(dues) < limit, nil
	})
	return dues, err
}
