package telling

import (
	"slices"

	"dogbane/internal/pricing"
)

// Ahead is how far ahead a line is looked for that differs by itself.
const Ahead = 366 * pricing.Day

// timed is a rule that opens or closes by itself, with what it can reach, or a moment from which other figures of some
// products hold.
type timed struct {
	windows []*pricing.Window
	reach   pricing.Set
}

func (r *timed) open(at pricing.Moment) bool {
	return !slices.ContainsFunc(r.windows, func(w *pricing.Window) bool { return !w.Open(at) })
}

// timed are the rules of the book that open or close by themselves and the later figures of its products, and what
// derives prices from those of other goods.
func (t *Telling) timed() (rules []timed, derived pricing.Set) {
	derived = t.None()
	t.Engine.Rules(func(ordinal int, r *pricing.Rule, selected pricing.Set) {
		if r.Status == pricing.Off {
			return
		}
		if breaks, _ := t.Engine.Breaks(ordinal); derives(r, breaks) {
			derived = derived.Or(t.Engine.MayReach(ordinal))
		}
		one := timed{reach: selected.Or(t.Engine.MayReach(ordinal))}
		if r.Window != nil {
			one.windows = append(one.windows, r.Window)
		}
		if c := t.Engine.Campaign(ordinal); c != nil && c.Window != nil {
			one.windows = append(one.windows, c.Window)
		}
		if len(one.windows) > 0 {
			rules = append(rules, one)
		}
	})
	begin := map[pricing.Moment][]int32{}
	if begins := t.Engine.Begins(); len(begins) > 0 {
		for p, product := range t.Engine.Products() {
			for _, f := range product.Later {
				begin[f.From] = append(begin[f.From], int32(p))
			}
		}
		for _, at := range begins {
			rules = append(rules, timed{[]*pricing.Window{{From: &at}}, t.Engine.SetOf(begin[at])})
		}
	}
	return rules, derived
}

// derives reports whether a rule takes prices from those of other goods.
func derives(r *pricing.Rule, breaks []pricing.Break) bool {
	is := func(e *pricing.Effect) bool { return e != nil && e.Kind == pricing.ToDerived }
	return is(r.Effect) || slices.ContainsFunc(breaks, func(b pricing.Break) bool { return is(&b.Effect) })
}

// Open says which rules that open or close by themselves are open at a moment, whoever they are for, and which later
// figures have begun.
func (t *Telling) Open(at pricing.Moment) string {
	rules, _ := t.timed()
	key := make([]byte, len(rules))
	for i := range rules {
		if key[i] = '0'; rules[i].open(at) {
			key[i] = '1'
		}
	}
	return string(key)
}

// Turned are the products of which a rule opens or closes, or later figures begin, between two moments.
func (t *Telling) Turned(from, to pricing.Moment) pricing.Set {
	rules, derived := t.timed()
	all, any := t.None(), false
	for i := range rules {
		if rules[i].open(from) != rules[i].open(to) {
			all, any = all.Or(rules[i].reach), true
		}
	}
	if any {
		all = all.Or(derived)
	}
	return all
}

func (t *Telling) None() pricing.Set { return t.Engine.SetOf(nil) }

// walk visits the moments after those of lines, before to, at which a rule opens or closes, with the products that such
// rules reach and their prices at that moment, until visit says no more. wants narrows the products; nil: all.
func (l *Lines) walk(to pricing.Moment, wants func(p int32, open []bool) bool,
	visit func(at pricing.Moment, some pricing.Set, lines *Lines) (more bool, err error)) error {
	rules, derived := l.Telling.timed()
	open := make([]bool, len(rules))
	for i := range rules {
		open[i] = rules[i].open(l.At)
	}
	for _, at := range l.Telling.Engine.Changes(l.At, to, 1<<20, nil) {
		turned := l.Telling.None()
		any := false
		for i := range rules {
			if now := rules[i].open(at); now != open[i] {
				open[i], any = now, true
				turned = turned.Or(rules[i].reach)
			}
		}
		if !any {
			continue
		}
		if turned = turned.Or(derived); l.some != nil {
			turned = turned.And(l.some)
		}
		if wants != nil {
			var left []int32
			turned.Each(func(p int32) bool {
				if wants(p, open) {
					left = append(left, p)
				}
				return true
			})
			turned = l.Telling.Engine.SetOf(left)
		}
		if turned.Count() == 0 {
			continue
		}
		then, err := l.Telling.prices(at, l.Before, turned)
		if err != nil {
			return err
		}
		if more, err := visit(at, turned, then); err != nil || !more {
			return err
		}
	}
	return nil
}

// Untils are the moments at which lines of some products will differ by themselves; those that will not in a year are
// missing. digests are those of the lines now, by product; a product without a line has none.
func (l *Lines) Untils(some pricing.Set, digests map[int32]Digest) (map[int32]pricing.Moment, error) {
	rules, derived := l.Telling.timed()
	of := map[int32][]int{} // rules that reach a product
	start := make([]bool, len(rules))
	for i := range rules {
		start[i] = rules[i].open(l.At)
		rules[i].reach.Or(derived).Each(func(p int32) bool { // what others are derived from may have turned
			if some == nil || some.Has(p) {
				of[p] = append(of[p], i)
			}
			return true
		})
	}
	untils := map[int32]pricing.Moment{}
	met := map[int32]map[string]bool{} // by product: which of its rules were open, where that made no difference
	keyOf := func(p int32, open []bool) string {
		key := make([]byte, len(of[p]))
		for i, r := range of[p] {
			if open[r] {
				key[i] = 1
			}
		}
		return string(key)
	}
	wants := func(p int32, open []bool) bool {
		if _, known := untils[p]; known || some != nil && !some.Has(p) {
			return false
		}
		key := keyOf(p, open)
		if met[p] == nil {
			met[p] = map[string]bool{keyOf(p, start): true}
		}
		if met[p][key] {
			return false
		}
		met[p][key] = true
		return true
	}
	err := l.walk(l.At+Ahead, wants, func(at pricing.Moment, turned pricing.Set, then *Lines) (bool, error) {
		var alike []int32 // of the same price: the line may differ all the same
		turned.Each(func(p int32) bool {
			was, had := l.price(p)
			if now, has := then.price(p); now != was || has != had {
				untils[p] = at
			} else {
				alike = append(alike, p)
			}
			return true
		})
		next, err := then.digests(l.Telling.Engine.SetOf(alike))
		for p, now := range next {
			was, had := digests[p]
			if (now != nil) != had || had && *now != was {
				untils[p] = at
			}
		}
		return len(untils) < len(of), err
	})
	return untils, err
}
