package flags

import (
	"reflect"
	"slices"

	"dogbane/internal/pricing"
)

// carry takes over what was found of products that an edit does not touch. Rules may have other ordinals now; those
// that are gone reached none of these products.
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
		if still && sameRule(r, before.asked, code) && (quick || !s.asked.offerReaches(r, touched)) {
			s.ofOffers[code] = list
		}
	}
	if !moved {
		return
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
			x.rule, x.other, x.cause = place(x.rule), place(x.other), place(x.cause)
			if x.other >= 0 && x.other < x.rule {
				x.rule, x.other = x.other, x.rule
			}
		}
		for i := range f.shut {
			f.shut[i].rule, f.shut[i].by = place(f.shut[i].rule), place(f.shut[i].by)
		}
		for i := range f.applied {
			f.applied[i] = place(f.applied[i])
		}
		slices.Sort(f.applied)
	}
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
