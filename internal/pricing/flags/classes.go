package flags

import (
	"encoding/binary"
	"maps"
	"slices"

	"dogbane/internal/money"
	"dogbane/internal/pricing"
)

// kin are products which the same rules can reach, which the same channels list and whose figures change at the same
// moments: all questions about them divide alike.
type kin struct {
	rules    []int            // ordinals in the order in which prices meet them, of sources of derived prices too
	channels []bool           // by place in asked.channels: whether it lists them at some moment
	begins   []pricing.Moment // within the span, at which their figures, or those of such a source, change
	listed   [][]bool         // by how many of begins are past, then like channels; nil: not looked at
	products []int32
}

// era is how many of begins are past.
func (k *kin) era(at pricing.Moment) int {
	n, found := slices.BinarySearch(k.begins, at)
	if found {
		n++
	}
	return n
}

// sold reports whether a channel, by its place, lists them in an era.
func (k *kin) sold(channel, era int) bool { return k.listed == nil || k.listed[era][channel] }

// kinOf divides products (nil: all) into kin.
func (a *asked) kinOf(only pricing.Set, examiners []*pricing.Examiner) []*kin {
	n := len(a.engine.Products())
	lists := make([][]int32, n) // places in order, by product
	for at, ordinal := range a.order {
		reached := a.engine.MayReach(ordinal)
		if only != nil {
			reached = reached.And(only.Or(a.derivedFrom()))
		}
		reached.Each(func(p int32) bool {
			lists[p] = append(lists[p], int32(at))
			return true
		})
	}
	reaching := a.sources(lists)
	found := map[string]*kin{}
	var all []*kin
	var key []byte
	inEra := map[pricing.Moment][]*pricing.Examiner{}
	in := func(at pricing.Moment) []*pricing.Examiner {
		if inEra[at] == nil {
			for _, x := range examiners {
				inEra[at] = append(inEra[at], x.In(at))
			}
		}
		return inEra[at]
	}
	each := func(p int32) bool {
		list, begins := reaching(p)
		listed := make([][]bool, 1+len(begins))
		for era := range listed {
			at := a.From
			if era > 0 {
				at = begins[era-1]
			}
			for _, x := range in(at) {
				listed[era] = append(listed[era], x.Sells(p))
			}
		}
		key = key[:0]
		for _, at := range begins {
			key = binary.AppendVarint(key, int64(at))
		}
		key = append(key, 0xff, 0xff)
		for _, at := range list {
			key = binary.AppendUvarint(key, uint64(at))
		}
		key = append(key, 0xff, 0xff)
		for _, there := range listed {
			for _, lists := range there {
				if lists {
					key = append(key, 1)
				} else {
					key = append(key, 0)
				}
			}
		}
		k := found[string(key)]
		if k == nil {
			k = &kin{begins: begins, listed: listed}
			for _, at := range list {
				k.rules = append(k.rules, a.order[at])
			}
			for c := range examiners {
				k.channels = append(k.channels, slices.ContainsFunc(listed, func(there []bool) bool { return there[c] }))
			}
			found[string(key)], all = k, append(all, k)
		}
		k.products = append(k.products, p)
		return true
	}
	if only != nil {
		only.Each(each)
		return all
	}
	for p := range int32(n) {
		each(p)
	}
	return all
}

// derivedFrom are the products that prices of others are derived from.
func (a *asked) derivedFrom() pricing.Set {
	set := a.engine.Match(&pricing.Where{Field: pricing.FieldAny})
	for _, ordinal := range a.order {
		for _, e := range a.effects(ordinal) {
			if e.Kind == pricing.ToDerived {
				set = set.Or(a.engine.Match(&pricing.Where{Field: pricing.FieldSKU, Values: []string{e.Derive.From}}))
			}
		}
	}
	return set
}

// effects are those of a rule, of each of its breaks where it has breaks.
func (a *asked) effects(ordinal int) (list []*pricing.Effect) {
	if e := a.rules[ordinal].Effect; e != nil {
		return []*pricing.Effect{e}
	}
	breaks, _ := a.engine.Breaks(ordinal)
	for i := range breaks {
		list = append(list, &breaks[i].Effect)
	}
	return list
}

// sources adds to the rules that reach a product those that reach what its price may be derived from, and to the
// moments at which its figures change theirs.
func (a *asked) sources(lists [][]int32) func(p int32) ([]int32, []pricing.Moment) {
	from := map[int32][]int32{} // products that a rule, by its place in order, derives from
	for at, ordinal := range a.order {
		for _, e := range a.effects(ordinal) {
			if e.Kind == pricing.ToDerived {
				if p, exists := a.engine.ProductNumber(e.Derive.From); exists {
					from[int32(at)] = append(from[int32(at)], p)
				}
			}
		}
	}
	if len(from) == 0 {
		return func(p int32) ([]int32, []pricing.Moment) { return lists[p], a.beginsOf(p) }
	}
	return func(p int32) ([]int32, []pricing.Moment) {
		derives := slices.ContainsFunc(lists[p], func(at int32) bool { return from[at] != nil })
		if !derives {
			return lists[p], a.beginsOf(p)
		}
		seen, all := map[int32]bool{p: true}, slices.Clone(lists[p])
		for i := 0; i < len(all); i++ {
			for _, source := range from[all[i]] {
				if !seen[source] {
					seen[source] = true
					all = append(all, lists[source]...)
				}
			}
		}
		slices.Sort(all)
		return slices.Compact(all), a.beginsOf(slices.Collect(maps.Keys(seen))...)
	}
}

// class is questions about kin at which the same rules take part, in channels that price alike: all have the same
// answer.
type class struct {
	active  bits           // places in kin.rules, and after them the era
	figures pricing.Moment // at which its figures have begun to hold
	rules   []int          // ordinals
	seen    []seen
	// quantities are asked ones; the count of everything that is looked at lies between the same thresholds from one of
	// them up to last.
	quantities, last []int
	tried            []int // not asked ones, at which breaks are looked at all the same
	from             []int // where the thresholds lie, ascending; where every asked quantity is looked at, nil
	derives          bool  // some of its rules derive prices
}

// seen is the earliest question of a class in one channel.
type seen struct {
	channel int
	at      pricing.Moment
	who     int32
}

// pair is a class with that of a guest in the same channel at the same moment, which is seen's.
type pair struct {
	guest, other int
	seen         seen
}

// division is how questions about kin divide in channels that price alike. Of a class that nobody asks in, which is
// there for comparison alone, nothing is seen.
type division struct {
	channels []int
	classes  []class
	pairs    []pair
}

// divide divides the questions about kin in channels that price alike. admitted are the rules, by ordinal, that may
// take part for an audience in one.
func (a *asked) divide(k *kin, channels []int, admitted func(channel int, who int32) bits) *division {
	d := &division{channels: channels}
	times, asking := a.times(k), a.asking(k)
	at := map[setKey]int{}
	classOf := func(mask bits) int {
		key := mask.key()
		i, is := at[key]
		if !is {
			i = len(d.classes)
			at[key] = i
			c := class{active: mask, figures: a.From}
			for era, begun := range k.begins {
				if mask.has(len(k.rules) + era) {
					c.figures = begun
				}
			}
			for n, ordinal := range k.rules {
				if mask.has(n) {
					c.rules = append(c.rules, ordinal)
				}
			}
			a.thresholds(&c)
			d.classes = append(d.classes, c)
		}
		return i
	}
	for _, channel := range channels {
		maskOf := func(who int32) bits {
			mask, may := newBits(len(k.rules)+len(k.begins)), admitted(channel, who)
			for era := range k.begins {
				mask.add(len(k.rules) + era)
			}
			for i, ordinal := range k.rules {
				if may.has(ordinal) {
					mask.add(i)
				}
			}
			return mask
		}
		type audience struct {
			mask bits
			who  int32
		}
		var audiences []audience
		known := map[setKey]bool{}
		for _, who := range asking {
			if mask := maskOf(who); !known[mask.key()] {
				known[mask.key()] = true
				audiences = append(audiences, audience{mask, who})
			}
		}
		compared, here := map[[2]int]bool{}, map[int]bool{}
		guest := maskOf(-1)
		for _, t := range times {
			if !k.sold(channel, t.era) {
				continue
			}
			public := -1
			for _, who := range audiences {
				i := classOf(who.mask.and(t.mask))
				s := seen{channel, t.at, who.who}
				if !here[i] {
					here[i] = true
					d.classes[i].seen = append(d.classes[i].seen, s)
				}
				if int(who.who) == a.guest {
					continue
				}
				if public < 0 {
					public = classOf(guest.and(t.mask))
				}
				if p := [2]int{public, i}; public != i && !compared[p] {
					compared[p] = true
					d.pairs = append(d.pairs, pair{public, i, s})
				}
			}
		}
	}
	return d
}

// alike groups the channels, by their places, that list kin and price alike.
func (a *asked) alike(k *kin, pricesAs []int) (groups [][]int) {
	at := map[int]int{}
	for c, lists := range k.channels {
		if !lists {
			continue
		}
		i, known := at[pricesAs[c]]
		if !known {
			i = len(groups)
			at[pricesAs[c]] = i
			groups = append(groups, nil)
		}
		groups[i] = append(groups[i], c)
	}
	return groups
}

// slice is moments at which the same rules are open and the same figures hold. In mask, the bits after those of the
// rules say which of the kin's begins was the last.
type slice struct {
	mask bits
	at   pricing.Moment
	era  int
}

// times are the moments that the rules of kin tell apart, each with its first.
func (a *asked) times(k *kin) []slice {
	var windowed []int // places in k.rules
	always := newBits(len(k.rules) + len(k.begins))
	for i, ordinal := range k.rules {
		if a.open[ordinal] == nil {
			always.add(i)
		} else {
			windowed = append(windowed, i)
		}
	}
	if len(a.moments) == 0 {
		return nil
	}
	if len(windowed) == 0 && len(k.begins) == 0 {
		return []slice{{always, a.moments[0], 0}}
	}
	var list []slice
	known := map[setKey]bool{}
	mask := make(bits, len(always))
	for m, at := range a.moments {
		copy(mask, always)
		era := k.era(at)
		if era > 0 {
			mask.add(len(k.rules) + era - 1)
		}
		for _, i := range windowed {
			if a.open[k.rules[i]].has(m) {
				mask.add(i)
			}
		}
		if m > 0 && len(list) > 0 && slices.Equal(mask, list[len(list)-1].mask) {
			continue
		}
		if key := mask.key(); !known[key] {
			known[key] = true
			list = append(list, slice{slices.Clone(mask), at, era})
		}
	}
	return list
}

// asking are those whom the rules of kin may tell apart: everybody who is no single customer, the customers whom these
// rules name, and of each class one whom they do not name.
func (a *asked) asking(k *kin) []int32 {
	var who []int32
	for i := range a.audiences {
		who = append(who, int32(i))
	}
	if len(a.classes) == 0 {
		return who
	}
	named := map[int32]bool{} // by place in the book
	name := func(au *pricing.Audience) {
		if au == nil {
			return
		}
		for _, code := range au.Customers {
			if i, known := a.customers[code]; known && !named[i] {
				named[i] = true
				who = append(who, int32(len(a.audiences))+i)
			}
		}
	}
	for _, ordinal := range k.rules {
		name(a.rules[ordinal].Audience)
		if c := a.engine.Campaign(ordinal); c != nil {
			name(c.Audience)
		}
	}
	for _, class := range a.classes {
		if at := slices.IndexFunc(class, func(i int32) bool { return !named[i] }); at >= 0 {
			who = append(who, int32(len(a.audiences))+class[at])
		}
	}
	return who
}

// steps are the quantities at which one rule comes to another result.
type steps struct {
	from    []int
	every   bool  // it may be any quantity
	tried   []int // not asked ones, at which its breaks are looked at all the same
	derives bool  // the rule derives prices from those of other goods
}

// stepsOf finds the steps of a rule.
func (a *asked) stepsOf(ordinal int) steps {
	derives := func(e *pricing.Effect) bool { return e.Kind == pricing.ToDerived }
	s := steps{from: []int{a.rules[ordinal].MinQuantity}, derives: slices.ContainsFunc(a.effects(ordinal), derives)}
	breaks, counting := a.engine.Breaks(ordinal)
	if len(breaks) == 0 || counting.Measure == "term" || counting.Measure == "days" {
		return s
	}
	s.every = counting.Method == pricing.Graduated || counting.Measure != "quantity"
	for i := range breaks {
		if n, fits := breaks[i].From.Minor(0, money.Up); fits && n > 0 && n <= pricing.MaxQuantity {
			s.from = append(s.from, int(n))
			if !slices.Contains(a.quantities, int(n)) {
				s.tried = append(s.tried, int(n))
			}
		}
	}
	return s
}

// thresholds finds the quantities at which the rules of a class come to other results.
func (a *asked) thresholds(c *class) {
	var from []int
	every := false
	for _, ordinal := range c.rules {
		s := &a.steps[ordinal]
		from, c.tried = append(from, s.from...), append(c.tried, s.tried...)
		every, c.derives = every || s.every, c.derives || s.derives
	}
	slices.Sort(from)
	passed := -1
	for _, q := range a.quantities {
		reached, _ := slices.BinarySearch(from, q+1)
		if every || reached != passed {
			passed = reached
			c.quantities, c.last = append(c.quantities, q), append(c.last, q)
		} else {
			c.last[len(c.last)-1] = q
		}
	}
	slices.Sort(c.tried)
	c.tried = slices.Compact(c.tried)
	if !every {
		c.from = from
	}
}

// alike reports whether a unit costs the same at two quantities because the same thresholds are passed.
func (c *class) alike(p, q int) bool {
	if c.from == nil {
		return false
	}
	a, _ := slices.BinarySearch(c.from, p+1)
	b, _ := slices.BinarySearch(c.from, q+1)
	return a == b
}
