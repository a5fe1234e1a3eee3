package flags

import (
	"slices"

	"dogbane/internal/money"
	"dogbane/internal/pricing"
)

// worker looks at products, in a goroutine of its own.
type worker struct {
	*asked
	search    *Search
	examiners []*pricing.Examiner // by channel
	admitted  func(channel int, of int32) bits
	promises  map[int]*promise
	modes     [pricing.LayerCount]pricing.LayerMode
	positions [pricing.LayerCount]int

	// of the product and the channels that are looked at
	product int32
	now     *found
	x       *pricing.Examiner
	good    *pricing.Product // with the figures that hold
	limits  []leasts         // by channel
	list    amount           // the list price, as these channels show it
	least   amount           // the lowest advertised price, likewise
	cause   int32            // of the unit that is looked at, or unknownCause
	applied map[int32]bool
	shut    []shut
}

// amount is one that may be missing.
type amount struct {
	money.Rat
	known bool
}

// leasts are the prices from which on a product loses nothing, and earns what its guard wants, in one channel.
type leasts struct{ loss, guard pricing.Least }

type who struct {
	channel int
	who     int32
}

func newWorker(a *asked, s *Search) (*worker, error) {
	w := &worker{asked: a, search: s, admitted: a.admitting(), applied: map[int32]bool{},
		promises: map[int]*promise{}, limits: make([]leasts, len(a.channels))}
	var err error
	if w.examiners, err = a.examiners(); err != nil {
		return nil, err
	}
	for at, l := range a.book.Settings.Layers {
		w.modes[l.Layer], w.positions[l.Layer] = l.Mode, at
	}
	for _, ordinal := range a.order {
		if p := promiseOf(a, ordinal); p != nil {
			w.promises[ordinal] = p
		}
	}
	return w, nil
}

// admitting says which rules, by ordinal, may take part in a channel for an audience. It belongs to one goroutine.
func (a *asked) admitting() func(channel int, of int32) bits {
	admitted := map[who]bits{}
	return func(channel int, of int32) bits {
		key := who{channel, of}
		mask := admitted[key]
		if mask == nil {
			vp := a.viewpoint(of)
			vp.Channel, vp.With = a.channels[channel], a.With
			x, err := a.engine.Examine(vp)
			if err != nil { // all that it names is of the book
				panic("flags: " + err.Error())
			}
			mask = newBits(a.ordinals)
			for o := range a.rules {
				if x.Admits(o) {
					mask.add(o)
				}
			}
			admitted[key] = mask
		}
		return mask
	}
}

// look looks at products of one kin.
func (w *worker) look(k *kin, products []int32) {
	var divisions []*division
	for _, channels := range w.alike(k, w.search.pricesAs) {
		divisions = append(divisions, w.divide(k, channels, w.admitted))
	}
	for _, p := range products {
		w.product, w.now = p, &found{}
		clear(w.applied)
		w.shut = w.shut[:0]
		for _, d := range divisions {
			w.x, w.good = w.examiners[d.channels[0]], nil
			w.lookAt(d)
		}
		for r := range w.applied {
			w.now.applied = append(w.now.applied, r)
		}
		slices.Sort(w.now.applied)
		for _, s := range w.shut {
			if !w.applied[s.rule] {
				w.now.shut = append(w.now.shut, s)
			}
		}
		w.search.found[p] = *w.now
	}
}

// answer is what a class comes to at one quantity.
type answer struct {
	total         money.Rat
	priced, asked bool
	cause         int32 // of its last units
}

// lookAt looks at the product in channels that price alike.
func (w *worker) lookAt(d *division) {
	answers := make([][]answer, len(d.classes))
	for i := range d.classes {
		c := &d.classes[i]
		answers[i] = make([]answer, len(c.quantities))
		if len(c.seen) == 0 {
			continue
		}
		w.hold(d, c)
		w.x.Take(c.rules, c.seen[0].at)
		if w.good.Cost == nil {
			w.keep(c.once(), c.quantities[0], finding{kind: noCost, rule: -1, other: -1, cause: -1})
		}
		if w.good.OnRequest { // it has no price, and no rule does anything to it
			continue
		}
		for n := range c.quantities {
			answers[i][n] = w.question(c, n, answers[i])
		}
		for _, q := range c.tried {
			w.tryBreaks(c, q)
		}
		w.dearerByQuantity(c, answers[i])
	}
	for i := range d.pairs {
		w.abovePublic(d, &d.pairs[i], answers)
	}
}

// hold has the figures of a class hold, in the channels of its division.
func (w *worker) hold(d *division, c *class) {
	for _, channel := range d.channels {
		w.examiners[channel].Hold(c.figures)
	}
	p := w.product
	if w.good == w.x.Product(p) {
		return
	}
	w.good = w.x.Product(p)
	w.list.Rat, w.list.known = w.x.ListPrice(p)
	w.least.Rat, w.least.known = w.x.Shown(p, w.good.MAP)
	for _, channel := range d.channels {
		w.limits[channel].loss, w.limits[channel].guard = w.examiners[channel].Leasts(p)
	}
}

// question looks at one question, of the n-th quantity; before are the answers at those below it.
func (w *worker) question(c *class, n int, before []answer) answer {
	quantity := c.quantities[n]
	var circle func([]*pricing.Rule)
	if c.derives {
		circle = func(rules []*pricing.Rule) { w.cycle(c, quantity, rules) }
	}
	units, total, priced := w.x.Price(w.product, quantity, circle)
	for i := range units {
		u := &units[i]
		w.cause = unknownCause
		w.prices(c, quantity, u)
		w.rulesAt(c, quantity, u)
		w.limitsAt(c, quantity, u)
		w.promisesAt(c, quantity, u)
	}
	w.live(c, quantity, units)
	w.breaksAt(c, n, units, answer{total: total, priced: priced}, before)
	return answer{total, priced, true, w.causeOf(&units[len(units)-1])}
}

// once is the earliest question of a class in any channel, for trouble that is raised once whatever the channel.
func (c *class) once() *seen {
	first := &c.seen[0]
	for i := range c.seen {
		if c.seen[i].at < first.at {
			first = &c.seen[i]
		}
	}
	return first
}

// keep notes a finding, or makes it worse: one per kind, rules and channel.
func (w *worker) keep(s *seen, quantity int, f finding) {
	f.product, f.who, f.at, f.quantity, f.channel = w.product, s.who, s.at, quantity, int16(s.channel)
	if old := w.known(&f); old == nil {
		w.now.findings = append(w.now.findings, f)
	} else if f.worse(old) {
		*old = f
	}
}

// known is what was found of the same trouble so far; nil: nothing.
func (w *worker) known(f *finding) *finding {
	for i := range w.now.findings {
		old := &w.now.findings[i]
		if old.kind == f.kind && old.rule == f.rule && old.other == f.other && old.rules == f.rules &&
			(old.channel == f.channel || !Table[f.kind].Channels) {
			return old
		}
	}
	return nil
}

// worse reports whether a finding is a worse witness than another of the same trouble.
func (f *finding) worse(old *finding) bool {
	by := f.worst.Cmp(old.worst)
	return by > 0 || by == 0 && f.at < old.at
}
