package pricing

import (
	"fmt"
	"slices"

	"dogbane/internal/money"
)

// Line is so many units of one product, asked for together with others.
type Line struct {
	SKU      string
	Quantity int
	Options  []string // codes of chosen options
	Term     int      // months; 0 counts as 1
	Hire     *Hire    // of a product that is hired by the day
	ByHand   *ByHand
}

// Hire is from when to when a product is out.
type Hire struct{ From, To Moment }

// ByHand is a reduction that somebody at a till gives: a percent, or an amount per unit, day or month in the channel's
// currency and on the book's footing. Exactly one is set.
type ByHand struct{ PercentOff, AmountOff *money.Rat }

// PricedLine is a line with what its units cost before any offer, on the channel's footing.
type PricedLine struct {
	Line
	Product int32      // its number; -1: unknown
	List    *money.Rat // of one unit, day or month
	Runs    []Run      // in the order of the units; nil: the line has no price and counts for nothing
	// ByHandRefused says that the reduction by hand was more than may be taken, of a unit or on a day.
	ByHandRefused bool
	Problems      []LineProblem
	Times         int         // the charged days or the months that one unit's price is of; 1 where neither is sold
	Cost          *money.Rat  // of one unit in all, without tax in the channel's currency; nil: unknown
	Next          []NextBreak // where a trail is asked for
	Charged       *Charged    // nil: not hired
}

// NextBreak is what a rule would look at next if there were more units of a line: a higher break, or its least
// quantity.
type NextBreak struct {
	Rule  string
	Units int // that are missing
}

// Run is neighbouring units of a line that come out alike.
type Run struct {
	Units   int
	Price   money.Rat  // of one unit in all: its days or its term, with options
	Options money.Rat  // the options' part of it
	List    *money.Rat // the list price in all, finished without guard and options
	Catalog *money.Rat // likewise the price after the catalog layer
	Ended   bool       // a rule ended the price: no offer takes the unit
	Reduced bool       // the price after the layers is below that after the catalog layer
	Rules   []string   // that applied, in the order in which they first did
	Days    []DayTrail // where a trail is asked for
}

// DayTrail is how days of a hire, or the one price of a unit that is not hired, came to their price.
type DayTrail struct {
	Days  int
	Trail Trail
}

// LineProblem is what is wrong with a line, beside its price. Key is the line's key, "" the line itself.
type LineProblem struct{ Key, Problem string }

// Total is what the line's units cost before any offer.
func (l *PricedLine) Total() money.Rat {
	sum := money.Int(0)
	for i := range l.Runs {
		sum = sum.Add(l.Runs[i].Price.Mul(money.Int(int64(l.Runs[i].Units))))
	}
	return sum
}

// basket is the goods that are asked for together.
type basket struct {
	lines []*basketLine
	whole *view              // the view of the question itself, where this is one of a day of a hire
	alone *view              // the question without the basket
	sums  map[int32]optional // what a product's lines sum to after the layers
	first map[int32]*basketLine
}

// basketLine is a line of known goods made ready.
type basketLine struct {
	*Line
	product int32
	options []Option
	hire    *Hire // nil for goods that are not hired
	term    int
	counts  bool // it has a price, as far as is known
	days    []daysAlike
	nDays   int // of a hire
}

// daysAlike are days of a hire on which the same rules take part.
type daysAlike struct {
	*view
	days int
}

// asked is the view of the question itself.
func (v *view) asked() *view {
	if v.basket != nil {
		return v.basket.whole
	}
	return v
}

// single is the view of the question as if for one product alone.
func (v *view) single() *view {
	if v.basket != nil {
		return v.basket.alone
	}
	return v
}

// firstLine is the first line of a product that counts.
func (v *view) firstLine(p int32) *basketLine {
	if v.basket == nil {
		return nil
	}
	return v.basket.first[p]
}

func (v *view) holds(p int32) bool { return v.firstLine(p) != nil }

// state is a unit of the line on its way, unit counted from 1.
func (l *basketLine) state(unit int) state {
	return state{product: l.product, quantity: l.Quantity, unit: unit, term: l.term, days: l.nDays, line: l}
}

// linesOf is what the units of a product in the basket sum to after the layers, for all their days and months.
func (v *view) linesOf(p int32) optional {
	v = v.asked()
	if i := slices.Index(v.path, p); i >= 0 {
		v.cut = min(v.cut, i)
		return optional{}
	}
	if o, done := v.sums[p]; done {
		return o
	}
	sum := some(money.Int(0))
	whole := v.uncut(func() {
		for _, l := range v.lines {
			if l.product != p || !l.counts {
				continue
			}
			for _, d := range l.days {
				for _, seg := range d.segments(ptr(l.state(0))) {
					s := l.state(seg.last)
					d.unit(&s)
					sum.ok = sum.ok && s.price.ok
					sum.v = sum.v.Add(s.price.v.Mul(money.Int(int64(seg.units) * int64(d.days) * int64(v.months(l)))))
				}
			}
		}
	})
	if !sum.ok {
		sum = optional{}
	}
	if whole {
		v.sums[p] = sum
	}
	return sum
}

func ptr[T any](x T) *T { return &x }

// sold reports whether the channel lists the goods on each day that is charged.
func (l *basketLine) sold() bool {
	return !slices.ContainsFunc(l.days, func(d daysAlike) bool { return !d.sells(l.product) })
}

// months is what a price of one month is multiplied by.
func (v *view) months(l *basketLine) int {
	if v.products[l.product].Unit == "month" {
		return l.term
	}
	return 1
}

// Scope is a viewpoint resolved against an engine: what a package needs that prices more than one product at a time.
type Scope struct {
	v    *view
	vp   Viewpoint
	told map[string]*ToldPrice
}

// Scope resolves a viewpoint; its quantity and term do not matter. Its errors are QuestionErrors.
func (e *Engine) Scope(vp Viewpoint) (*Scope, error) {
	v, err := e.look(vp)
	if err != nil {
		return nil, err
	}
	return &Scope{v: v, vp: vp}, nil
}

// At is the moment that is asked about.
func (s *Scope) At() Moment { return s.v.at }

// Currency is the channel's, with its number of decimals.
func (s *Scope) Currency() (code string, digits int) { return s.v.currency, s.v.digits }

// Amount is an amount of a rule in the channel's currency; false where there is no rate.
func (s *Scope) Amount(r *Rule, a money.Rat) (money.Rat, bool) {
	if r.Currency != "" {
		return a, true
	}
	o := s.v.bookAmount(&a)
	return o.v, o.ok
}

// Barred is the reason why the rule of an ordinal takes no part, "" where it does. grace is by how much its windows,
// and its campaign's, close later.
func (s *Scope) Barred(ordinal int, grace Moment) Reason {
	v := s.v
	if grace <= 0 {
		return v.blocked[ordinal]
	}
	r := v.rules[ordinal]
	longer, c := *r.Rule, r.campaign
	longer.Window = r.Window.longer(grace)
	if c != nil {
		other := *c
		other.Window, c = c.Window.longer(grace), &other
	}
	return v.bars(&longer, c, v.at, v.at)
}

// longer is the window with its end so much later.
func (w *Window) longer(by Moment) *Window {
	if w == nil || w.To == nil {
		return w
	}
	l, to := *w, *w.To+by
	l.To = &to
	return &l
}

// Tax is a product's, or with "" as its class the shipping's, rate in percent and whether prices shown include it.
func (s *Scope) Tax(class string) (percent money.Rat, included bool) {
	if c := s.v.channel; c != nil {
		if own, has := s.v.settings.Countries[c.Country].TaxRates[class]; has {
			return own, s.v.showTax
		}
	}
	return s.v.settings.TaxRates[class], s.v.showTax
}

// Sells reports whether the channel lists a product.
func (s *Scope) Sells(p int32) bool { return s.v.sells(p) }

// Margin is what is left of what a line's units are paid with, options aside as in the margin of a unit; nil where the
// cost is unknown.
func (s *Scope) Margin(l *PricedLine, paid money.Rat) *Margin {
	if l.Runs == nil {
		return nil
	}
	units := money.Int(int64(l.Quantity))
	for i := range l.Runs {
		paid = paid.Sub(l.Runs[i].Options.Mul(money.Int(int64(l.Runs[i].Units))))
	}
	m := s.v.margin(l.Product, paid.Div(units))
	if m == nil || l.Cost == nil {
		return nil
	}
	m.Net, m.Fee, m.Cost = m.Net.Mul(units), m.Fee.Mul(units), l.Cost.Mul(units)
	m.Amount = m.Net.Sub(m.Fee).Sub(m.Cost)
	return m
}

// Lines prices goods that are asked for together, before any offer. Lines without a price count for nothing: which they
// are is decided with all known lines counted, then the others are priced again without them.
func (s *Scope) Lines(lines []Line, explain bool) []PricedLine {
	v := *s.v
	b := &basket{whole: &v}
	alone := *s.v
	alone.workings, alone.basket = v.workings, nil
	b.alone, v.basket = &alone, b
	priced := make([]PricedLine, len(lines))
	ready := make([]*basketLine, len(lines))
	for i := range lines {
		priced[i] = PricedLine{Line: lines[i], Product: -1}
		if ready[i] = v.ready(&priced[i]); ready[i] != nil {
			b.lines = append(b.lines, ready[i])
		}
	}
	price := func() (dropped bool) {
		b.count()
		var without []*basketLine
		for i, l := range ready {
			if l == nil || !l.counts {
				continue
			}
			if priced[i].Runs = nil; l.sold() {
				v.priceLine(&priced[i], l, explain)
			}
			if priced[i].Runs == nil {
				without = append(without, l)
			}
		}
		for _, l := range without { // only now: the others were priced with it counted
			l.counts = false
		}
		return without != nil
	}
	if price() {
		price()
	}
	s.askElsewhere(priced, explain)
	for i := range priced {
		l := &priced[i]
		if ready[i] != nil {
			s.tell(l, ready[i])
		}
		if ready[i] != nil && l.Runs == nil {
			l.Problems = append(l.Problems, LineProblem{"", fmt.Sprintf("product %q has no price here", l.SKU)})
		}
		if l.ByHandRefused {
			l.Problems = append(l.Problems,
				LineProblem{"byHand", "is more than may be taken off by hand, and is not taken where it is"})
		}
	}
	return priced
}

// count forgets what was worked out with other lines counted.
func (b *basket) count() {
	b.sums, b.first = map[int32]optional{}, map[int32]*basketLine{}
	for _, l := range b.lines {
		if l.counts && b.first[l.product] == nil {
			b.first[l.product] = l
		}
	}
	b.whole.nets = nil
}

// ready looks up what a line names; nil where something is unknown.
func (v *view) ready(l *PricedLine) *basketLine {
	problem := func(key, format string, args ...any) {
		l.Problems = append(l.Problems, LineProblem{key, fmt.Sprintf(format, args...)})
	}
	p, exists := v.index.number(l.SKU)
	if !exists {
		problem("sku", "there is no product %q in the book", l.SKU)
		return nil
	}
	product := v.products[p]
	l.Product, l.List = p, v.listPrice(p).ptr()
	b := &basketLine{Line: &l.Line, product: p, term: max(l.Term, 1), counts: true}
	l.Times = v.months(b)
	for i, code := range l.Options {
		at := slices.IndexFunc(product.Options, func(o Option) bool { return o.Code == code })
		if at < 0 {
			problem(fmt.Sprintf("options[%d]", i), "product %q has no option %q", l.SKU, code)
			continue
		}
		b.options = append(b.options, product.Options[at])
	}
	if len(l.Problems) > 0 {
		return nil
	}
	if l.Hire != nil {
		if product.Unit == "day" {
			b.hire = l.Hire
			l.Charged = v.charged(b)
		} else {
			problem("hire", "product %q is not hired by the day: the dates are left aside", l.SKU)
		}
	}
	b.days = v.daysOf(b)
	for _, d := range b.days {
		if b.hire != nil {
			b.nDays += d.days
		}
	}
	l.Times *= max(b.nDays, 1)
	l.Cost = v.costOf(b)
	return b
}

// costOf is what one unit of a line costs in all: on each day as much as it does then.
func (v *view) costOf(b *basketLine) *money.Rat {
	sum := money.Int(0)
	for _, d := range b.days {
		cost := d.bookAmount(d.products[b.product].Cost)
		if !cost.ok {
			return nil
		}
		sum = sum.Add(cost.v.Mul(money.Int(int64(d.days) * int64(v.months(b)))))
	}
	return &sum
}

// priceLine works out the runs of a line; none where a unit has no price on one of its days.
func (v *view) priceLine(out *PricedLine, l *basketLine, explain bool) {
	// Graduated breaks that take part on some days only cut the line there too.
	var ends []int
	for _, d := range l.days {
		end := 0
		for _, seg := range d.segments(ptr(l.state(0))) {
			end += seg.units
			ends = append(ends, end)
		}
	}
	slices.Sort(ends)
	before := 0
	out.ByHandRefused = false
	for _, end := range slices.Compact(ends) {
		run, over, ok := v.priceRun(l, end, explain)
		if !ok {
			out.Runs, out.ByHandRefused = nil, false
			return
		}
		run.Units, before = end-before, end
		out.ByHandRefused = out.ByHandRefused || over
		out.Runs = append(out.Runs, run)
	}
	if out.Next = nil; explain {
		for _, d := range l.days {
			out.Next = append(out.Next, d.nextBreaks(l)...)
		}
	}
}

// nextBreaks are what more units of a line would make rules that take part look at next.
func (v *view) nextBreaks(l *basketLine) (next []NextBreak) {
	s := l.state(l.Quantity)
	for _, layer := range v.active {
		for _, r := range layer {
			if !r.reach[0].Has(l.product) && !r.reach[1].Has(l.product) {
				continue
			}
			if missing := r.MinQuantity - l.Quantity; missing > 0 {
				next = append(next, NextBreak{r.Code, missing})
				continue
			}
			measure := r.counting.Measure
			if len(r.breaks) == 0 || measure == "term" || measure == "days" || !v.counts(&s, r, l.product) {
				continue
			}
			counted, known := v.count(&s, r)
			one, ok := v.measure(r, l.product, 1)
			if !known || !ok || one.Sign() <= 0 {
				continue
			}
			for _, b := range r.breaks {
				from := some(b.from)
				if measure == "spend" {
					from = v.ruleAmount(r, b.from)
				}
				if !from.ok || !counted.Less(from.v) {
					continue
				}
				if n, fits := from.v.Sub(counted).Div(one).Minor(0, money.Up); fits && n <= MaxQuantity {
					next = append(next, NextBreak{r.Code, int(n)})
				}
				break
			}
		}
	}
	return next
}

// priceRun is what one unit of a line costs; refused says that the reduction by hand was too much.
func (v *view) priceRun(l *basketLine, unit int, explain bool) (run Run, refused, ok bool) {
	run = Run{Price: money.Int(0), Rules: []string{}}
	list, catalog, after := some(money.Int(0)), some(money.Int(0)), money.Int(0)
	rawCatalog := money.Int(0)
	for i, d := range l.days {
		s := l.state(unit)
		if explain {
			s.trail = &Trail{List: d.listPrice(l.product).ptr()}
		}
		if i == 0 { // options are reduced by the rules of the first day
			s.options = d.chosen(l.options)
		}
		d.unit(&s)
		if !s.price.ok {
			return run, false, false
		}
		times := money.Int(int64(d.days) * int64(v.months(l)))
		sum := func(to *optional, o optional) {
			if to.ok = to.ok && o.ok; to.ok {
				price, _ := d.round(l.product, o.v)
				to.v = to.v.Add(money.Max(price, money.Int(0)).Mul(times))
			}
		}
		sum(&list, s.list)
		sum(&catalog, s.catalog)
		after, rawCatalog = after.Add(s.price.v.Mul(times)), rawCatalog.Add(s.catalog.v.Mul(times))
		run.Ended = run.Ended || s.endedBy != nil
		off, over := d.byHand(l, s.price.v)
		s.price.v = s.price.v.Sub(off)
		refused = refused || over
		fin := d.finish(&s)
		run.Price = run.Price.Add(fin.price.Mul(times))
		if i == 0 {
			run.Options = d.optionSum(&s).Mul(money.Int(int64(v.months(l))))
		}
		for _, r := range s.applied {
			if !slices.Contains(run.Rules, r.Code) {
				run.Rules = append(run.Rules, r.Code)
			}
		}
		if explain {
			if off.Sign() > 0 {
				fin.ByHand = &off
			}
			s.trail.Finish = &fin.Finish
			run.Days = append(run.Days, DayTrail{d.days, *s.trail})
		}
	}
	run.Price = run.Price.Add(run.Options)
	run.List, run.Catalog = list.ptr(), catalog.ptr()
	run.Reduced = catalog.ok && after.Less(rawCatalog)
	return run, refused, true
}

// byHand is what is taken off a price by hand, and whether more was asked for than may be taken.
func (v *view) byHand(l *basketLine, price money.Rat) (off money.Rat, refused bool) {
	if l.ByHand == nil {
		return money.Rat{}, false
	}
	if l.ByHand.PercentOff != nil {
		off = price.Mul(money.PercentOf(*l.ByHand.PercentOff))
	} else {
		off = *l.ByHand.AmountOff
	}
	most := price.Mul(money.PercentOf(v.settings.ByHandMaxPercent))
	if most.Less(off) {
		return money.Rat{}, true
	}
	if limit := v.bookAmount(v.settings.ByHandMaxAmount); limit.ok && limit.v.Less(off) {
		return money.Rat{}, true
	}
	return off, false
}
