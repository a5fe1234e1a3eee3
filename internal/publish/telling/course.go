package telling

import (
	"slices"
	"sync"

	"dogbane/internal/money"
	"dogbane/internal/pricing"
)

// buyer is what there is to know of one kind of buyer to tell how the prices of a line make its total.
type buyer struct {
	once  sync.Once
	scope *pricing.Scope
	// odd are the products of which the pieces of a line may cost otherwise than each what the line's quantity reaches in
	// its entries; graduated those of them whose pieces may differ among each other; derived those whose price rests on
	// the sum of others.
	odd, graduated, derived pricing.Set
	// apart are the products that may cost this buyer something else than a guest.
	apart pricing.Set
}

// buyer is that of a place among groups, made ready when a line of it is first looked at.
func (l *Lines) buyer(i int) *buyer {
	b := &l.buyers[i]
	b.once.Do(func() {
		t := l.Telling
		engine := t.Engine.At(l.At)
		b.odd, b.graduated, b.derived, b.apart = t.None(), t.None(), t.None(), t.None()
		var err error
		if b.scope, err = t.Engine.Scope(t.viewpoints(l.At, 1)[i]); err != nil {
			return // the same viewpoint was priced before
		}
		guests := map[int]bool{} // the rules that take part for guests, and not for this buyer
		if i > 0 {
			l.buyer(0).scope.ActiveRules(func(ordinal int, _ *pricing.Rule, _ []pricing.Break, _ pricing.Counting) {
				guests[ordinal] = true
			})
		}
		b.scope.ActiveRules(func(ordinal int, r *pricing.Rule, breaks []pricing.Break, counting pricing.Counting) {
			if !guests[ordinal] || derives(r, breaks) {
				b.apart = b.apart.Or(engine.Reaches(ordinal))
			}
			delete(guests, ordinal)
			if counting.Method == pricing.Graduated && len(breaks) > 0 {
				b.graduated = b.graduated.Or(engine.Reaches(ordinal))
			}
			if len(breaks) > 0 && counting.Measure != "term" && counting.Measure != "days" &&
				(counting.Method == pricing.Graduated || !inLines(r, counting)) {
				b.odd = b.odd.Or(engine.Reaches(ordinal))
			}
			if ofSubtotal(r.Effect) {
				b.derived = b.derived.Or(engine.Reaches(ordinal))
			}
			for k := range breaks {
				if ofSubtotal(&breaks[k].Effect) {
					b.derived = b.derived.Or(engine.Reaches(ordinal))
				}
			}
		})
		for ordinal := range guests {
			b.apart = b.apart.Or(engine.Reaches(ordinal))
		}
	})
	return b
}

func ofSubtotal(e *pricing.Effect) bool {
	return e != nil && e.Kind == pricing.ToDerived && e.Derive.Basis == "subtotal"
}

// entry is what a piece costs from a quantity on, in minor units.
type entry struct {
	from  int
	minor int64
}

// course is what more pieces of a product cost a buyer whose smallest order's last unit costs price: the entries of the
// line, and how they make the total of a line; or that it has to be asked for, without entries.
func (l *Lines) course(p int32, place, least int, price int64) (breaks []LineBreak, how Method, ask bool) {
	b := l.buyer(place)
	if b.derived.Has(p) || l.Telling.Engine.Products()[p].Unit == "day" {
		return nil, EachReached, true
	}
	if !l.Telling.can("breaks") {
		return nil, EachReached, false
	}
	entries := l.entries(make([]entry, 0, 8), p, place, least, price)
	if b.odd.Has(p) {
		if course := b.scope.Course(p); b.graduated.Has(p) {
			how, ask = l.manner(course, entries, least)
		} else {
			ask = !l.told(course, p, entries, least)
		}
		if ask || how == Brackets && !l.Telling.can("brackets") {
			return nil, EachReached, true
		}
	}
	if len(entries) > 1 {
		breaks = make([]LineBreak, 0, len(entries)-1)
	}
	for _, e := range entries[1:] {
		breaks = append(breaks, LineBreak{e.from, money.FormatMinor(e.minor, l.Digits)})
	}
	return breaks, how, false
}

// entries appends to list the price and the quantities above least from which a unit costs otherwise than from the one
// before.
func (l *Lines) entries(list []entry, p int32, place, least int, price int64) []entry {
	list = append(list, entry{1, price})
	for _, step := range l.Steps {
		if step.From <= least || !step.Moves.Has(p) {
			continue
		}
		if minor, ok := step.Sweeps[place].Price(p); ok && minor != list[len(list)-1].minor {
			list = append(list, entry{step.From, minor})
		}
	}
	return list
}

// told reports whether entries tell what a line costs all of whose pieces cost the same: whether what begins at
// quantities of which they do not tell makes no difference.
func (l *Lines) told(course *pricing.Course, p int32, entries []entry, least int) bool {
	all, _ := course.Begins()
	for _, begins := range all {
		if begins <= least || slices.ContainsFunc(l.Steps, func(s quantityStep) bool {
			return s.From == begins && s.Moves.Has(p)
		}) {
			continue
		}
		total, priced := course.Total(begins)
		minor := entries[0].minor
		for _, e := range entries {
			if e.from <= begins {
				minor = e.minor
			}
		}
		if !priced || !total.Equal(money.FromMinor(minor*int64(begins), l.Digits)) {
			return false
		}
	}
	return true
}

// beyond is how many pieces above the last quantity at which anything begins the entries have to tell.
const beyond = 10

// manner is how entries make the total of a line of each quantity, from the smallest order to beyond the last one at
// which anything begins; ask says that they do not. Between two quantities at which something begins a total grows by
// the same with each piece, by the entries as well: it is enough to look at the first and the last of them.
func (l *Lines) manner(course *pricing.Course, entries []entry, least int) (how Method, ask bool) {
	all, by := course.Begins()
	if len(by) == 1 && all[0] > least && len(entries) > 1 && l.byPiece(by[0]) {
		return Brackets, false
	}
	reached, brackets := true, len(entries) > 1
	holds := func(quantity int) bool {
		total, priced := course.Total(quantity)
		if !priced {
			reached, brackets = false, false
			return false
		}
		at, sum := entries[0].minor, int64(0)
		for i, e := range entries {
			if e.from > quantity {
				break
			}
			last := quantity
			if i+1 < len(entries) && entries[i+1].from <= quantity {
				last = entries[i+1].from - 1
			}
			at = e.minor
			sum += e.minor * int64(last-e.from+1)
		}
		reached = reached && total.Equal(money.FromMinor(at*int64(quantity), l.Digits))
		brackets = brackets && total.Equal(money.FromMinor(sum, l.Digits))
		return reached || brackets
	}
	from := least
	for _, begins := range append(all, 0) {
		switch {
		case begins == 0: // after the last one
			if !holds(from) || !holds(from+beyond) {
				return EachReached, true
			}
		case begins > from:
			if !holds(from) || begins-1 > from && !holds(begins-1) {
				return EachReached, true
			}
			from = begins
		}
	}
	if reached {
		return EachReached, false
	}
	return Brackets, false
}

// byPiece reports whether what a rule does to a unit depends on which of the line's it is, and not on how many there
// are: alone, such a rule makes what its entries say.
func (l *Lines) byPiece(ordinal int) bool {
	r := l.Telling.Engine.Rule(ordinal)
	_, counting := l.Telling.Engine.Breaks(ordinal)
	return counting.Method == pricing.Graduated && inLines(r, counting) && r.MinQuantity <= 1
}
