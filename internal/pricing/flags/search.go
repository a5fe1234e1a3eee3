package flags

import (
	"cmp"
	"reflect"
	"runtime"
	"slices"
	"strings"
	"sync"
	"sync/atomic"

	"dogbane/internal/money"
	"dogbane/internal/pricing"
)

// Search is what was found in a book, product by product. It never changes once made.
type Search struct {
	asked     *asked
	examiners []*pricing.Examiner // by channel, for what is asked once
	pricesAs  []int               // by channel: the first that prices alike
	found     []found             // by product
	codes     []string            // of rules, by ordinal
	looked    pricing.Set         // products that were looked at anew; nil: all
	mu        sync.Mutex          // guards what follows
	tallied   *tally
	ofOffers  map[string][]Flag // what sets of goods show of each offer, as it was looked at
}

// found is what there is to know of one product.
type found struct {
	findings []finding
	shut     []shut
	applied  []int32 // ordinals of rules that apply to it at some question
}

// finding is trouble of one product, or of rules on one product, at its worst question.
type finding struct {
	kind        kind
	rule, other int32  // ordinals; -1: none
	rules       string // codes, where they are more, or words
	cause       int32  // of a price: the rule that lowered it most; -1: none
	channel     int16
	who         int32
	at          pricing.Moment
	quantity    int
	worst       money.Rat // how bad it is
	price       money.Rat
	priced      bool
	against     money.Rat // what the price is held against
	product     int32
}

// shut is a rule that fits a product at some question and applies to it at none; by shut it out (-1: no rule did).
type shut struct {
	rule, by int32
	reason   pricing.Reason
	channel  int16
	who      int32
	at       pricing.Moment
	quantity int
}

// NewSearch looks at all products. Its errors are those of the question and of Between.
func NewSearch(e *pricing.Engine, q Question) (*Search, error) {
	return newSearch(e, q, nil, nil, false)
}

// After looks at a book after an edit: of the products in touched anew (see pricing.Engine.Touched), the others are as
// they were found.
// between is called like a question's.
func (s *Search) After(e *pricing.Engine, touched pricing.Set, between func() error) (*Search, error) {
	q := s.asked.Question
	q.Between = between
	return newSearch(e, q, s, touched, false)
}

// Changes are the flags that an edit raises and those that it clears, of the products in touched and of all rules. What
// sets of goods show of offers is looked at anew for offers that were edited themselves; for others it stays as it was.
func (s *Search) Changes(e *pricing.Engine, touched pricing.Set, between func() error) (raised, cleared []Flag,
	err error) {
	q := s.asked.Question
	q.Between = between
	after, err := newSearch(e, q, s, touched, true)
	if err != nil {
		return nil, nil, err
	}
	return after.against(s, after.looked)
}

// Question is what was asked.
func (s *Search) Question() Question { return s.asked.Question }

func newSearch(e *pricing.Engine, q Question, before *Search, touched pricing.Set, quick bool) (*Search, error) {
	a, err := ask(e, q)
	if err != nil {
		return nil, err
	}
	s := &Search{asked: a, found: make([]found, len(e.Products())), ofOffers: map[string][]Flag{}}
	if s.examiners, err = a.examiners(); err != nil {
		return nil, err
	}
	for c, x := range s.examiners {
		s.pricesAs = append(s.pricesAs, slices.IndexFunc(s.examiners[:c+1], x.PricesAs))
	}
	if err := a.checkGroups(); err != nil {
		return nil, err
	}
	s.codes = make([]string, a.ordinals)
	for ordinal, r := range a.rules {
		s.codes[ordinal] = r.Code
	}
	if before != nil {
		s.carry(before, touched, quick)
		if !slices.Equal(a.quantities, before.asked.quantities) {
			touched = touched.Or(a.countsEvery())
		}
	}
	s.looked = touched
	type task struct {
		*kin
		products []int32
	}
	var tasks []task
	for _, k := range a.kinOf(touched, s.examiners) {
		for list := range slices.Chunk(k.products, 256) {
			tasks = append(tasks, task{k, list})
		}
	}
	var next atomic.Int64
	var mu sync.Mutex
	var failed error
	work := func() {
		w, err := newWorker(a, s)
		for err == nil {
			i := int(next.Add(1)) - 1
			if i >= len(tasks) {
				return
			}
			w.look(tasks[i].kin, tasks[i].products)
			if q.Between != nil {
				mu.Lock()
				err = failed
				if err == nil {
					err = q.Between()
				}
				mu.Unlock()
			}
		}
		mu.Lock()
		defer mu.Unlock()
		failed = cmp.Or(failed, err)
	}
	var begun []*pricing.Begun
	for range max(1, min(runtime.GOMAXPROCS(0), len(tasks))) {
		begun = append(begun, pricing.Begin(work))
	}
	for _, b := range begun {
		b.Wait()
	}
	return s, failed
}

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

// countsEvery are products whose questions every asked quantity is looked at for: another threshold anywhere in the
// book adds one.
func (a *asked) countsEvery() pricing.Set {
	all := a.engine.Match(&pricing.Where{Field: pricing.FieldAny})
	for _, ordinal := range a.order {
		breaks, counting := a.engine.Breaks(ordinal)
		if len(breaks) > 0 && (counting.Method == pricing.Graduated || counting.Measure != "quantity") {
			all = all.Or(a.engine.Reaches(ordinal))
		}
	}
	return all
}

// checkGroups asks for the groups that the question names. Its error is that of the question.
func (a *asked) checkGroups() error {
	for _, g := range a.Groups {
		if _, err := a.engine.Examine(pricing.Viewpoint{Groups: []string{g}}); err != nil {
			return err
		}
	}
	return nil
}

// examiners are one for each asked channel.
func (a *asked) examiners() (list []*pricing.Examiner, err error) {
	for _, channel := range a.channels {
		x, err := a.engine.Examine(pricing.Viewpoint{Channel: channel, With: a.With})
		if err != nil {
			return nil, err
		}
		list = append(list, x)
	}
	return list, nil
}

// worker looks at products, in a goroutine of its own.
type worker struct {
	*asked
	search    *Search
	examiners []*pricing.Examiner // by channel
	admits    func(channel int, of int32, ordinal int) bool
	promises  map[int]*promise
	products  []*pricing.Product
	modes     [pricing.LayerCount]pricing.LayerMode
	positions [pricing.LayerCount]int
	reach     []pricing.Set // by ordinal
	plain     map[int]bool  // by ordinal, what inProportion found
	careful   bool          // steps are rounded, or a guard or an ending of a channel may hide what rules did

	// of the product and the channels that are looked at
	product int32
	now     *found
	x       *pricing.Examiner
	limits  []leasts // by channel
	list    amount   // the list price, as these channels show it
	least   amount   // the lowest advertised price, likewise
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
	w := &worker{asked: a, search: s, admits: a.admitting(), applied: map[int32]bool{}, products: a.engine.Products(),
		promises: map[int]*promise{}, plain: map[int]bool{}, limits: make([]leasts, len(a.channels))}
	var err error
	if w.examiners, err = a.examiners(); err != nil {
		return nil, err
	}
	for at, l := range a.book.Settings.Layers {
		w.modes[l.Layer], w.positions[l.Layer] = l.Mode, at
	}
	w.reach = make([]pricing.Set, a.ordinals)
	for _, ordinal := range a.order {
		w.reach[ordinal] = a.engine.Reaches(ordinal)
	}
	settings := &a.book.Settings
	w.careful = settings.Rounding.EveryStep || settings.Guard.Hold ||
		slices.ContainsFunc(settings.Guards, func(g pricing.Guard) bool { return g.Hold }) ||
		slices.ContainsFunc(a.settings, func(c *pricing.Channel) bool { return c != nil && c.Ending != nil })
	for _, ordinal := range a.order {
		if p := promiseOf(a, ordinal); p != nil {
			w.promises[ordinal] = p
		}
	}
	return w, nil
}

// admitting says which rules may take part in a channel for an audience. It belongs to one goroutine.
func (a *asked) admitting() func(channel int, of int32, ordinal int) bool {
	admitted := map[who]bits{}
	return func(channel int, of int32, ordinal int) bool {
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
		return mask.has(ordinal)
	}
}

// look looks at products of one kin.
func (w *worker) look(k *kin, products []int32) {
	var divisions []*division
	for _, channels := range w.alike(k, w.search.pricesAs) {
		divisions = append(divisions, w.divide(k, channels, w.admits))
	}
	for _, p := range products {
		w.product, w.now = p, &found{}
		clear(w.applied)
		w.shut = w.shut[:0]
		for _, d := range divisions {
			w.x = w.examiners[d.channels[0]]
			w.list.Rat, w.list.known = w.x.ListPrice(p)
			w.least.Rat, w.least.known = w.x.Shown(p, w.products[p].MAP)
			for _, c := range d.channels {
				w.limits[c].loss, w.limits[c].guard = w.examiners[c].Leasts(p)
			}
			w.lookAt(d)
		}
		if w.products[p].Cost == nil {
			w.noCost(divisions)
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
		w.x.Take(c.rules, c.seen[0].at)
		for n, q := range c.quantities {
			answers[i][n] = w.question(c, q)
		}
		for _, q := range c.tried {
			w.tryBreaks(c, q)
		}
		w.dearerByQuantity(c, answers[i])
		w.live(c)
	}
	for i := range d.pairs {
		w.abovePublic(d, &d.pairs[i], answers)
	}
}

// question looks at one question.
func (w *worker) question(c *class, quantity int) answer {
	var circle func([]*pricing.Rule)
	if c.derives {
		circle = func(rules []*pricing.Rule) { w.cycle(c, quantity, rules) }
	}
	units, total, priced := w.x.Price(w.product, quantity, circle)
	for i := range units {
		u := &units[i]
		w.prices(c, quantity, u)
		w.rulesAt(c, quantity, u)
		w.limitsAt(c, quantity, u)
		w.promisesAt(c, quantity, u)
	}
	w.breaksAt(c, quantity, units, total, priced)
	return answer{total, priced, true, cause(&units[len(units)-1])}
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

// flag is a finding as those outside see it.
func (s *Search) flag(f *finding) Flag {
	a, e := s.asked, &Table[f.kind]
	vp := a.viewpoint(f.who)
	vp.At, vp.Channel, vp.Quantity, vp.With = f.at, a.channels[f.channel], f.quantity, a.With
	flag := Flag{Kind: e.Kind, Severity: e.Severity, Witness: pricing.Question{Viewpoint: vp,
		SKU: a.engine.Products()[f.product].SKU}}
	x := s.examiners[f.channel]
	flag.Currency, flag.Digits = x.Currency()
	if e.Channels {
		flag.Channel = vp.Channel
	}
	if f.rule < 0 && f.kind != place[DeriveCycle] {
		flag.SKU = flag.Witness.SKU
	}
	switch {
	case f.kind == place[DeriveCycle]:
		flag.Rules = strings.Split(f.rules, "\x00")
	case f.other >= 0:
		flag.Rules = []string{a.rules[int(f.rule)].Code, a.rules[int(f.other)].Code}
		slices.Sort(flag.Rules)
	case f.rule >= 0:
		flag.Rule, flag.Words = a.rules[int(f.rule)].Code, f.rules
	default:
		flag.Words = f.rules
	}
	if f.rule < 0 && f.cause >= 0 {
		flag.Cause = a.rules[int(f.cause)].Code
	}
	if f.priced {
		flag.Price = &f.price
		if m := x.Margin(f.product, f.price); m != nil && f.rule < 0 {
			cost := m.Cost
			if m.Net.Sign() != 0 {
				cost = cost.Mul(f.price).Div(m.Net)
			}
			flag.Cost, flag.Margin = &cost, &m.Amount
		}
		if f.against.Sign() != 0 {
			flag.Other = &f.against
		}
	}
	s.nearest(f, &flag)
	return flag
}
