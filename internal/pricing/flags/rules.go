package flags

import (
	"slices"
	"strings"

	"dogbane/internal/money"
	"dogbane/internal/pricing"
)

// rulesAt notes what rules do to each other in units that came out alike.
func (w *worker) rulesAt(c *class, quantity int, u *pricing.Exam) {
	for i := range u.Applied {
		w.applied[int32(u.Applied[i].Ordinal)] = true
	}
	for _, h := range u.Shut {
		if h.Reason == pricing.TooFew {
			continue
		}
		w.shutOut(c, quantity, h)
		if h.Reason != pricing.Outranked {
			continue
		}
		winner := w.rules[h.By]
		if winner.Rank != w.rules[h.Ordinal].Rank || w.modes[winner.Layer] != pricing.First {
			continue
		}
		for i := range u.Applied {
			if a := &u.Applied[i]; a.Ordinal == h.By && !a.Result.Equal(h.Would) {
				f := finding{kind: tie, cause: -1, worst: h.Would.Sub(a.Result), price: u.Finished, priced: u.Priced,
					against: h.Would}
				f.rule, f.other = int32(min(h.By, h.Ordinal)), int32(max(h.By, h.Ordinal))
				w.keep(c.once(), quantity, f)
			}
		}
	}
	w.doubled(c, quantity, u)
}

// shutOut notes a rule that fits and did not apply, once for each that shut it out.
func (w *worker) shutOut(c *class, quantity int, h pricing.Shut) {
	if w.applied[int32(h.Ordinal)] {
		return
	}
	for i := range w.shut {
		if old := &w.shut[i]; old.rule == int32(h.Ordinal) && old.by == int32(h.By) && old.reason == h.Reason {
			if s := c.once(); s.at < old.at {
				*old = shut{old.rule, old.by, old.reason, int16(s.channel), s.who, s.at, quantity}
			}
			return
		}
	}
	s := c.once()
	w.shut = append(w.shut, shut{int32(h.Ordinal), int32(h.By), h.Reason, int16(s.channel), s.who, s.at, quantity})
}

// doubled notes a reduction upon a reduction.
func (w *worker) doubled(c *class, quantity int, u *pricing.Exam) {
	for i := range u.Applied {
		sale := &u.Applied[i]
		if sale.Rule.Layer != pricing.Sale || !sale.Lowered() {
			continue
		}
		for k := range u.Applied {
			p := &u.Applied[k]
			if p.Rule.Layer != pricing.Promotion || !p.Lowered() || p.Rule.Of != pricing.OfEntering ||
				p.Effect.Kind != pricing.PercentOff && p.Effect.Kind != pricing.AmountOff {
				continue
			}
			w.keep(c.once(), quantity, finding{kind: doubled, rule: int32(min(sale.Ordinal, p.Ordinal)),
				other: int32(max(sale.Ordinal, p.Ordinal)), cause: -1,
				worst: sale.Before.Sub(sale.After), price: u.Finished, priced: u.Priced})
		}
	}
}

// cycle notes a circle of derived prices.
func (w *worker) cycle(c *class, quantity int, rules []*pricing.Rule) {
	var codes []string
	for _, r := range rules {
		codes = append(codes, r.Code)
	}
	slices.Sort(codes)
	w.keep(c.once(), quantity, finding{kind: deriveCycle, rule: -1, other: -1, cause: -1,
		rules: strings.Join(slices.Compact(codes), "\x00")})
}

// wholeRules are the flags of rules that need no price: what they select, when they are open, which words they take.
func (s *Search) wholeRules() (list []Flag) {
	a := s.asked
	for ordinal := range ordered(a.rules) {
		r := a.rules[ordinal]
		if !a.live[ordinal] {
			continue
		}
		if a.matchesNothing(ordinal) {
			list = append(list, a.ofRule(MatchesNothing, r))
		}
		if open := a.open[ordinal]; open != nil && open.empty() {
			f := a.ofRule(NeverOpen, r)
			windows := []*pricing.Window{r.Window}
			if c := a.engine.Campaign(ordinal); c != nil {
				windows = append(windows, c.Window)
			}
			for _, w := range windows {
				if w != nil && (w.To != nil && *w.To <= a.From || w.From != nil && *w.From >= a.To) {
					f.Severity = Note
				}
			}
			list = append(list, f)
		}
	}
	return list
}

// matchesNothing reports whether a rule selects no product at any moment of the span.
func (a *asked) matchesNothing(ordinal int) bool {
	if a.engine.MayReach(ordinal).Count() == 0 {
		return true
	}
	return !slices.ContainsFunc(a.eras(), func(at pricing.Moment) bool {
		return a.engine.At(at).Reaches(ordinal).Count() > 0
	})
}

// ordered are the keys of a map, ascending.
func ordered[V any](m map[int]V) func(yield func(int) bool) {
	keys := make([]int, 0, len(m))
	for k := range m {
		keys = append(keys, k)
	}
	slices.Sort(keys)
	return slices.Values(keys)
}

// ofRule is a flag of a rule without figures. Its witness is the span's first moment.
func (a *asked) ofRule(kind Kind, r *pricing.Rule) Flag {
	digits, _ := money.Digits(a.book.Settings.Currency)
	return Flag{Kind: kind, Severity: Of(kind).Severity, Rule: r.Code, Currency: a.book.Settings.Currency, Digits: digits,
		Witness: pricing.Question{Viewpoint: pricing.Viewpoint{At: a.From, With: a.With}}}
}
