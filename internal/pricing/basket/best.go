package basket

import (
	"fmt"
	"slices"
	"strings"

	"dogbane/internal/money"
	"dogbane/internal/pricing"
)

// mostTries bounds how many offers are tried on the way to the best order: all orders of eight take fewer.
const mostTries = 120_000

// candidate is an offer that other offers alone may keep from applying.
type candidate struct {
	*offer
	place  int     // among all offers
	sorted [][]int // by need, those that may fill it, in its order
	pool   [][]int // by give to goods outside the needs, in its order
}

// result is what the rest of an order takes, and the applications it consists of.
type result struct {
	off     money.Rat
	applied []done
}

type done struct {
	candidate
	*application
}

// run applies the offers and notes in the answer why others did not.
func (t *till) run(a *Answer) []Applied {
	t.checkCodes(a)
	open := make([]candidate, 0, len(t.offers))
	for place, o := range t.offers {
		if miss, eligible := t.bars(o); miss.Reason == "" {
			open = append(open, t.ready(o, place, eligible))
		} else {
			a.Missed = append(a.Missed, miss)
		}
	}
	s := t.untouched()
	var applied []done
	if t.mode == pricing.Lowest {
		for _, group := range t.competing(open) {
			b := &best{till: t, offers: group, known: map[string]result{}}
			applied = append(applied, b.from(strings.Repeat("-", len(group)), s).applied...)
			a.Exact = a.Exact && b.tries <= mostTries
		}
	} else {
		applied = t.inRank(open, s)
	}
	words := len(t.q.Codes) > 0
	if t.q.Explain || words {
		t.explain(a, open, applied)
	}
	if words {
		t.idle(a, applied)
	}
	if !t.q.Explain {
		a.Missed = nil
	}
	out := make([]Applied, len(applied))
	for i, d := range applied {
		out[i] = t.answer(d)
	}
	return out
}

// untouched is what there is before any offer.
func (t *till) untouched() standing {
	s := standing{by: make([]int, len(t.units)), shipping: money.Int(0)}
	if t.q.Shipping != nil {
		s.shipping = *t.q.Shipping
	}
	return s
}

// inRank applies offers by rank to what is left.
func (t *till) inRank(open []candidate, s standing) (applied []done) {
	for _, c := range open {
		a := t.try(c, &s)
		if a == nil {
			continue
		}
		applied = append(applied, done{c, a})
		s.use(c, a)
		if c.Then != "" {
			break
		}
	}
	return applied
}

// use takes away what an offer uses that is applied.
func (s *standing) use(c candidate, a *application) {
	s.shipping = s.shipping.Sub(a.shipping)
	for _, u := range a.needed {
		s.by[u] = c.place + 1
	}
	for _, x := range a.rewarded {
		s.by[x.unit] = c.place + 1
	}
}

// after is what is left when an offer was applied; s stays as it is.
func (s standing) after(c candidate, a *application) standing {
	s.by = slices.Clone(s.by)
	s.use(c, a)
	return s
}

// competing are the offers in groups: offers of different groups take nothing from each other, so that only the order
// within a group matters.
func (t *till) competing(open []candidate) (groups [][]candidate) {
	reach := make([]map[int32]bool, len(open)) // products; -1 stands for the shipping
	ends := slices.ContainsFunc(open, func(c candidate) bool { return c.Then != "" })
	for i, c := range open {
		reach[i] = map[int32]bool{}
		everything := false
		for j := range c.gives {
			g := &c.gives[j]
			everything = everything || g.To == "basket" && g.Where == nil
			if g.To == "shipping" && g.Where == nil {
				reach[i][-1] = true
			}
		}
		for _, u := range t.eligible(c.offer) {
			p := t.units[u].p
			if everything || c.matches(p) {
				reach[i][p] = true
			}
		}
	}
	group := make([]int, len(open))
	for i := range open {
		group[i] = i
		for j := range i {
			meet := ends
			for p := range reach[i] {
				meet = meet || reach[j][p]
			}
			if meet && group[j] != group[i] {
				from, to := max(group[i], group[j]), min(group[i], group[j])
				for k := range i + 1 {
					if group[k] == from {
						group[k] = to
					}
				}
			}
		}
	}
	for g := range open {
		var members []candidate
		for i, c := range open {
			if group[i] == g {
				members = append(members, c)
			}
		}
		if members != nil {
			groups = append(groups, members)
		}
	}
	return groups
}

// matches reports whether a product matches a need, the spend or a give of the offer.
func (o *offer) matches(p int32) bool {
	return o.spend != nil && o.spend.Has(p) ||
		slices.ContainsFunc(o.needs, func(n need) bool { return n.where.Has(p) }) ||
		slices.ContainsFunc(o.gives, func(g give) bool { return g.where != nil && g.where.Has(p) })
}

// best looks for the order that gives the lowest total, trying orders as they stand when all are listed by rank; of
// several the first is kept. What the rest of an order can take depends on which offers are left and on what the others
// left, not on how it came to that, so each such point is worked out once.
type best struct {
	*till
	offers []candidate
	known  map[string]result
	tries  int
}

// from is the best that the offers not yet tried (a letter each in tried) can do.
func (b *best) from(tried string, s standing) result {
	key := key(tried, s)
	if r, seen := b.known[key]; seen {
		return r
	}
	r := result{off: money.Int(0)}
	first := true
	for i, c := range b.offers {
		if tried[i] != '-' {
			continue
		}
		if b.tries++; b.tries > mostTries && !first {
			break
		}
		var other result
		then := tried[:i] + "x" + tried[i+1:]
		if a := b.try(c, &s); a != nil {
			rest := result{off: money.Int(0)}
			if c.Then == "" {
				rest = b.from(then, s.after(c, a))
			}
			other = result{a.off.Add(rest.off), append([]done{{c, a}}, rest.applied...)}
		} else {
			other = b.from(then, s)
		}
		if first || r.off.Less(other.off) {
			r, first = other, false
		}
	}
	b.known[key] = r
	return r
}

// key names a point on the way.
func key(tried string, s standing) string {
	var k strings.Builder
	fmt.Fprintf(&k, "%s %s ", tried, s.shipping)
	for _, by := range s.by {
		if by != 0 {
			k.WriteByte('1')
		} else {
			k.WriteByte('0')
		}
	}
	return k.String()
}

// explain notes why offers that were open did not apply.
func (t *till) explain(a *Answer, open []candidate, applied []done) {
	s := t.untouched()
	ended := ""
	for _, d := range applied {
		s.use(d.candidate, d.application)
		if d.Then != "" {
			ended = d.Code
		}
	}
	for _, c := range open {
		if slices.ContainsFunc(applied, func(d done) bool { return d.place == c.place }) {
			continue
		}
		miss := Miss{Rule: c.Code, Reason: NoGain}
		if nothing := t.untouched(); t.try(c, &nothing) != nil {
			miss.Reason = UnitsTaken
			if ended != "" {
				miss.Reason, miss.By = pricing.LayerEnded, ended
			}
			for i, by := range s.by {
				if by != 0 && miss.By == "" && c.where.Has(t.units[i].p) && (c.matches(t.units[i].p) || len(c.needs) == 0) {
					miss.By = t.offers[by-1].Code
				}
			}
		}
		a.Missed = append(a.Missed, miss)
	}
}

// answer is an application by line.
func (t *till) answer(d done) Applied {
	out := Applied{Rule: d.Code, Off: d.off, Shipping: d.shipping, Applications: d.times, Needed: []Share{},
		Rewarded: []Share{}}
	if d.Offer.Codes != nil {
		if at := slices.IndexFunc(t.q.Codes, func(word string) bool { return t.opens(d.offer, word) }); at >= 0 {
			out.Code = t.q.Codes[at]
		}
	}
	add := func(to *[]Share, u int, off money.Rat) {
		line := t.units[u].line
		if n := len(*to); n == 0 || (*to)[n-1].Line != line {
			*to = append(*to, Share{Line: line, Off: money.Int(0)})
		}
		share := &(*to)[len(*to)-1]
		share.Units++
		share.Off = share.Off.Add(off)
	}
	for _, u := range d.needed {
		add(&out.Needed, u, money.Int(0))
	}
	for _, x := range d.rewarded {
		add(&out.Rewarded, x.unit, x.off)
	}
	return out
}
