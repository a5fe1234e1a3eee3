package flags

import (
	"cmp"
	"runtime"
	"slices"
	"strings"
	"sync"
	"sync/atomic"

	"dogbane/internal/money"
	"dogbane/internal/pricing"
	"dogbane/internal/pricing/basket"
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

// After looks at a book after an edit, and at a span of the same length from a later moment on: anew at the products in
// touched (see pricing.Engine.Touched) and at those of which a rule opened or closed meanwhile; the others are as they
// were found. between is called like a question's.
func (s *Search) After(e *pricing.Engine, touched pricing.Set, from pricing.Moment, between func() error) (*Search,
	error) {
	q := s.asked.Question
	q.From, q.To, q.Between = from, q.To+from-q.From, between
	return newSearch(e, q, s, touched, false)
}

// Stopping are the flags that keep a price from being sent, one of each kind by product, of some products in the span
// of a question, each with its worst witness. Its errors are those of the question and of Between.
func Stopping(e *pricing.Engine, q Question, some pricing.Set) (map[int32][]Flag, error) {
	s, err := newSearch(e, q, nil, some, false)
	if err != nil {
		return nil, err
	}
	stopping := map[int32][]Flag{}
	some.Each(func(p int32) bool {
		for i := range s.found[p].findings {
			f := &s.found[p].findings[i]
			if e := &Table[f.kind]; e.Stops && !slices.ContainsFunc(stopping[p], func(o Flag) bool { return o.Kind == e.Kind }) {
				stopping[p] = append(stopping[p], s.flag(f))
			}
		}
		slices.SortFunc(stopping[p], func(x, y Flag) int { return Compare(x.Kind, y.Kind) })
		return true
	})
	return stopping, nil
}

// OffersStopping are the flags that keep offers from being sent, by code, of some offers in the span of a question. Its
// errors are those of the question.
func OffersStopping(e *pricing.Engine, q Question, codes map[string]bool) (map[string][]Flag, error) {
	s, err := newSearch(e, q, nil, e.SetOf(nil), false)
	if err != nil {
		return nil, err
	}
	stopping, baskets := map[string][]Flag{}, basket.Compile(e)
	for ordinal := range ordered(s.asked.rules) {
		r := s.asked.rules[ordinal]
		if r.Offer == nil || !codes[r.Code] || !s.asked.live[ordinal] {
			continue
		}
		found, err := s.offer(ordinal, r, baskets)
		if err != nil {
			return nil, err
		}
		for _, f := range found {
			if f.Kind == OfferBelowCost || Of(f.Kind).Stops {
				stopping[r.Code] = append(stopping[r.Code], f)
			}
		}
	}
	return stopping, nil
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
	if before != nil && a.From >= before.asked.To {
		before, touched = nil, nil
	}
	if before != nil {
		touched = touched.Or(a.moved(before.asked))
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

// countsEvery are products whose questions every asked quantity is looked at for: another threshold anywhere in the
// book adds one.
func (a *asked) countsEvery() pricing.Set {
	all := a.engine.Match(&pricing.Where{Field: pricing.FieldAny})
	for _, ordinal := range a.order {
		breaks, counting := a.engine.Breaks(ordinal)
		if len(breaks) > 0 && (counting.Method == pricing.Graduated || counting.Measure != "quantity") {
			all = all.Or(a.engine.MayReach(ordinal))
		}
	}
	return all
}

// checkGroups asks for the groups that the question names. Its error is that of the question.
func (a *asked) checkGroups() error {
	for _, g := range a.Groups {
		if g == "" {
			continue
		}
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

// flag is a finding as those outside see it.
func (s *Search) flag(f *finding) Flag {
	a, e := s.asked, &Table[f.kind]
	vp := a.viewpoint(f.who)
	vp.At, vp.Channel, vp.Quantity, vp.With = f.at, a.channels[f.channel], f.quantity, a.With
	flag := Flag{Kind: e.Kind, Severity: e.Severity, Witness: pricing.Question{Viewpoint: vp,
		SKU: a.engine.Products()[f.product].SKU}}
	x := s.examiners[f.channel]
	if len(a.engine.Products()[f.product].Later) > 0 {
		x = x.In(f.at)
	}
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
