package flags

import (
	"reflect"
	"slices"

	"dogbane/internal/pricing"
)

// carry takes over what was found of products that an edit does not touch. Rules may have other ordinals now; those
// that are gone reached none of these products. What was seen before the span begins is seen at its beginning, too.
func (s *Search) carry(before *Search, touched pricing.Set, quick bool) {
	now := map[string]int32{}
	for ordinal, code := range s.codes {
		now[code] = int32(ordinal)
	}
	to, moved := make([]int32, len(before.codes)), false
	for ordinal, code := range before.codes {
		n, still := now[code]
		if !still {
			n = -1
		}
		to[ordinal], moved = n, moved || int(n) != ordinal
	}
	copy(s.found, before.found)
	before.mu.Lock()
	defer before.mu.Unlock()
	for code, list := range before.ofOffers {
		at, still := now[code]
		r := s.asked.rules[int(at)]
		if s.asked.From == before.asked.From && still && sameRule(r, before.asked, code) &&
			(quick || !s.asked.offerReaches(r, touched)) {
			s.ofOffers[code] = list
		}
	}
	if !moved && s.asked.From == before.asked.From {
		return
	}
	first := s.asked.From
	if len(s.asked.moments) > 0 {
		first = s.asked.moments[0]
	}
	place := func(ordinal int32) int32 {
		if ordinal < 0 {
			return ordinal
		}
		return to[ordinal]
	}
	for p := range s.found {
		if touched.Has(int32(p)) {
			continue
		}
		f := &s.found[p]
		*f = found{slices.Clone(f.findings), slices.Clone(f.shut), slices.Clone(f.applied)}
		for i := range f.findings {
			x := &f.findings[i]
			x.rule, x.other, x.cause, x.at = place(x.rule), place(x.other), place(x.cause), max(x.at, first)
			if x.other >= 0 && x.other < x.rule {
				x.rule, x.other = x.other, x.rule
			}
		}
		for i := range f.shut {
			h := &f.shut[i]
			h.rule, h.by, h.at = place(h.rule), place(h.by), max(h.at, first)
		}
		for i := range f.applied {
			f.applied[i] = place(f.applied[i])
		}
		slices.Sort(f.applied)
	}
}

// moved are the products whose questions are others because the span begins and ends later: those that a rule reaches
// which opened or closed in what is over now, or does in what has been added.
func (a *asked) moved(before *asked) pricing.Set {
	all := a.engine.Match(&pricing.Where{Field: pricing.FieldAny})
	if a.From == before.From {
		return all
	}
	any := false
	reach := func(of *asked, differ func(open bits) bool) {
		for ordinal, open := range of.open {
			if open == nil || !differ(open) {
				continue
			}
			any = true
			if r := of.rules[ordinal]; r.Offer != nil {
				all = all.Or(of.goodsOf(r))
			} else {
				all = all.Or(of.engine.MayReach(ordinal))
			}
		}
	}
	reach(before, func(open bits) bool { return before.turns(open, before.From, a.From) })
	reach(a, func(open bits) bool { return a.turns(open, before.To-1, a.To) })
	begun := func(at pricing.Moment) bool {
		return at > before.From && at <= a.From || at >= before.To && at < a.To
	}
	if slices.ContainsFunc(a.engine.Begins(), begun) {
		var changed []int32
		for p, product := range a.engine.Products() {
			if slices.ContainsFunc(product.Later, func(f pricing.Figures) bool { return begun(f.From) }) {
				changed = append(changed, int32(p))
			}
		}
		all, any = all.Or(a.engine.SetOf(changed)), true
	}
	for ordinal := range a.steps {
		if any && a.steps[ordinal].derives { // prices that are derived from others follow those
			all = all.Or(a.engine.MayReach(ordinal))
		}
	}
	return all
}

// turns reports whether a rule opens or closes after from, up to to.
func (a *asked) turns(open bits, from, to pricing.Moment) bool {
	last, known := false, false
	for m, at := range a.moments {
		if at > to {
			break
		}
		if known && at > from && open.has(m) != last {
			return true
		}
		last, known = open.has(m), true
	}
	return false
}

// sameRule reports whether a rule is as it was, with its campaign.
func sameRule(r *pricing.Rule, before *asked, code string) bool {
	for ordinal, old := range before.rules {
		if old.Code == code {
			return reflect.DeepEqual(r, old) && before.live[ordinal]
		}
	}
	return false
}
