package flags

import (
	"errors"
	"fmt"
	"slices"

	"dogbane/internal/pricing"
)

// firstPiece is how many products Show looks at before it tells anything; each later piece is twice as large.
const firstPiece = 1_000

// Show tells the flags that single products in some show in the span of a question, each by itself: what is about rules
// cannot be told from a few products. It tells piece by piece what the products of a piece show, with those that were
// not looked at yet: first the products of which a sweep of guests' prices says that they are below cost or under a
// guard. So what costs most is known in a fraction of the time, however many products there are. Its errors are those
// of the question, of Between and of tell.
func Show(e *pricing.Engine, q Question, some pricing.Set, tell func(list []Flag, left pricing.Set) error) error {
	order, err := worstFirst(e, q, some)
	if err != nil {
		return err
	}
	for n := firstPiece; len(order) > 0; n *= 2 {
		piece := order[:min(n, len(order))]
		order = order[len(piece):]
		list, err := show(e, q, e.SetOf(piece))
		if err != nil {
			return err
		}
		if err := tell(list, e.SetOf(order)); err != nil {
			return err
		}
	}
	return nil
}

// worstFirst are the products in some, first those that cost guests nothing that can be right where the span begins.
func worstFirst(e *pricing.Engine, q Question, some pricing.Set) ([]int32, error) {
	channels := q.Channels
	if channels == nil {
		for i := range e.Book().Channels {
			channels = append(channels, e.Book().Channels[i].Code)
		}
	}
	suspects, failed := make([][]int32, len(channels)), make([]error, len(channels))
	var begun []*pricing.Begun
	for i, channel := range channels {
		begun = append(begun, pricing.Begin(func() {
			sw, err := e.SweepOf(pricing.Viewpoint{At: q.From, Channel: channel, With: q.With}, some)
			if err != nil {
				failed[i] = fmt.Errorf("sweep channel %q: %w", channel, err)
				return
			}
			some.Each(func(p int32) bool {
				if sw.BelowCost(p) || sw.UnderGuard(p) {
					suspects[i] = append(suspects[i], p)
				}
				return true
			})
		}))
	}
	for _, b := range begun {
		b.Wait()
	}
	if err := errors.Join(failed...); err != nil {
		return nil, err
	}
	bad := e.SetOf(slices.Concat(suspects...))
	var first, then []int32
	some.Each(func(p int32) bool {
		if bad.Has(p) {
			first = append(first, p)
		} else {
			then = append(then, p)
		}
		return true
	})
	return append(first, then...), nil
}

func show(e *pricing.Engine, q Question, some pricing.Set) ([]Flag, error) {
	s, err := newSearch(e, q, nil, some, false)
	if err != nil {
		return nil, err
	}
	var list []Flag
	some.Each(func(p int32) bool {
		for i := range s.found[p].findings {
			if f := &s.found[p].findings[i]; f.subject().product >= 0 {
				list = append(list, s.flag(f))
			}
		}
		return true
	})
	return list, nil
}
