package pricing

import (
	"reflect"
	"slices"
)

// Changes are the moments in [from, to) at which a rule's or a campaign's window opens or closes, or at which later
// figures of a product begin to hold, in order, at most limit of them; from itself is not among them. Rules and
// campaigns that are switched off count only where with names them.
func (e *Engine) Changes(from, to Moment, limit int, with []string) []Moment {
	book := e.book()
	var windows []*Window
	take := func(w *Window, code string, status Status) {
		if w != nil && (status != Off || slices.Contains(with, code)) {
			windows = append(windows, w)
		}
	}
	for i := range book.Rules {
		take(book.Rules[i].Window, book.Rules[i].Code, book.Rules[i].Status)
	}
	for i := range book.Campaigns {
		take(book.Campaigns[i].Window, book.Campaigns[i].Code, book.Campaigns[i].Status)
	}
	open := make([]bool, len(windows))
	for i, w := range windows {
		open[i] = w.Open(from)
	}
	var moments []Moment
	for at := from; len(moments) < limit; {
		next, found := Moment(0), false
		if era := eraOf(e.begins, at); era < len(e.begins) {
			next, found = e.begins[era], true
		}
		for _, w := range windows {
			if m, ok := w.Next(at); ok && (!found || m < next) {
				next, found = m, true
			}
		}
		if !found || next >= to {
			break
		}
		_, changed := slices.BinarySearch(e.begins, next)
		for i, w := range windows {
			if now := w.Open(next); now != open[i] {
				open[i], changed = now, true
			}
		}
		if changed {
			moments = append(moments, next)
		}
		at = next
	}
	return moments
}

// Alike is a text that is the same for two viewpoints only if all prices are the same from both, because the same
// rules take part and nothing else that a price depends on differs.
func (e *Engine) Alike(vp Viewpoint) (string, error) {
	v, err := e.look(vp)
	if err != nil {
		return "", err
	}
	matters := Viewpoint{Channel: vp.Channel, Quantity: vp.Quantity, Term: vp.Term, History: vp.History}
	if len(vp.History) > 0 { // history counts back from the moment
		matters.At = vp.At
	}
	key := append([]byte(matters.Key()), byte(v.era), byte(v.era>>8), byte(v.era>>16))
	word := byte(0)
	for i, r := range e.rules {
		if r != nil && r.prices() && v.blocked[r.ordinal] == "" {
			word |= 1 << (i & 7)
		}
		if i&7 == 7 {
			key, word = append(key, word), 0
		}
	}
	return string(append(key, word)), nil
}

// Touched are the products of which something may cost otherwise than in an earlier engine, or be told otherwise: all
// others are the same questions with the same answers. false where so much differs that they cannot be told.
func (e *Engine) Touched(before *Engine) (Set, bool) {
	now, was := e.book(), before.book()
	touched := e.index.empty()
	if e.goods != before.goods {
		// Other goods, numbered alike: those that were written anew.
		if len(e.products) != len(before.products) || !reflect.DeepEqual(now.Settings, was.Settings) ||
			!reflect.DeepEqual(now.Channels, was.Channels) || !reflect.DeepEqual(now.Groups, was.Groups) ||
			!reflect.DeepEqual(now.Customers, was.Customers) || !reflect.DeepEqual(now.Ranges, was.Ranges) {
			return nil, false
		}
		for p := range e.products {
			x, y := e.products[p], before.products[p]
			if x.SKU != y.SKU {
				return nil, false
			}
			if !reflect.DeepEqual(x, y) {
				touched.add(int32(p))
			}
		}
	}
	old := map[string]*rule{}
	for _, r := range before.rules {
		if r != nil {
			old[r.Code] = r
		}
	}
	reach := func(r *rule) {
		touched.or(e.ever(r))
	}
	for _, r := range e.rules {
		if r == nil {
			continue
		}
		o := old[r.Code]
		delete(old, r.Code)
		if o != nil && reflect.DeepEqual(r.Rule, o.Rule) && reflect.DeepEqual(r.campaign, o.campaign) &&
			reflect.DeepEqual(e.ladders[r.Ladder], before.ladders[o.Ladder]) {
			continue
		}
		reach(r)
		if o != nil {
			reach(o)
		}
	}
	for _, o := range old {
		reach(o)
	}
	any := slices.ContainsFunc(touched, func(w uint64) bool { return w != 0 })
	for _, r := range e.rules { // prices that are derived from others follow those
		if any && r != nil && r.derives() {
			reach(r)
		}
	}
	return touched, true
}
