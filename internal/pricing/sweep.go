package pricing

import (
	"math"
	"math/bits"
	"runtime"
	"slices"
	"sync"
	"sync/atomic"

	"dogbane/internal/money"
)

// Sweep is the prices of all products from one viewpoint, by product number, in whole minor units of Currency on the
// channel's footing. It never changes once made, and holds its engine.
type Sweep struct {
	Viewpoint Viewpoint
	Currency  string
	Digits    int

	view    *view
	shards  []*shard
	stacked []*rule // rules of layers in which every rule applies, by slot

	once, catalogOnce sync.Once
	margins           Margins
	catalog           *Sweep
}

// maxLimit is above every price.
const maxLimit = math.MaxInt64

// shard is the prices of shardSize products.
type shard struct {
	price [shardSize]int64             // missing where there is none
	won   [LayerCount][shardSize]int32 // by position of the layer, where one rule wins: 1 + its ordinal; 0 for none
	also  []uint64                     // by slot of Sweep.stacked, shardWords words each: the products that the rule applied to
}

// plan is a viewpoint made ready for a sweep.
type plan struct {
	layers       []planLayer
	stacked      []*rule
	slow         Set // products that no kernel expresses
	usesList     bool
	fixedHere    Set // products with a list price of their own in this currency; nil: none
	rateN, rateD int64
	minorUnits   int64
	taxes        []tax
	ending       *wholeEnding // the channel's
	held         Set          // products whose guard lifts prices; nil: none
	limits       *limits      // where held is not nil
}

type tax struct{ n, d int64 }

type planLayer struct {
	LayerSetting
	usesReduced, ends bool
	kernels           []kernel
}

func (s Set) has(p int32) bool { return s != nil && s.Has(p) }

// plan reduces the rules that take part to kernels. stacked is what an earlier sweep of the same viewpoint noted:
// its slots stay.
func (v *view) plan(stacked []*rule) *plan {
	pl := &plan{slow: v.index.empty(), stacked: slices.Clone(stacked), minorUnits: 1}
	for range v.digits {
		pl.minorUnits *= 10
	}
	n, d, fits := v.rate.Parts()
	if fits {
		pl.rateN, pl.rateD = n, d
	}
	for _, t := range v.taxes {
		n, d, fits := t.Parts()
		if !fits {
			n, d = 0, 0
		}
		pl.taxes = append(pl.taxes, tax{n, d})
	}
	pl.fixedHere = v.fixedIn[v.currency]
	for i := range v.layers {
		ly := planLayer{LayerSetting: v.layers[i].LayerSetting}
		for _, r := range v.active[i] {
			if i >= v.lastLayer() {
				break
			}
			k, none, slow := v.kernelOf(r)
			switch {
			case none:
				continue
			case slow:
				pl.slow.or(r.reach[0])
				pl.slow.or(r.reach[1])
			}
			if ly.Mode == Stack || ly.Mode == Add {
				if k.slot = slices.IndexFunc(pl.stacked, func(o *rule) bool { return o.ordinal == r.ordinal }); k.slot < 0 {
					k.slot = len(pl.stacked)
					pl.stacked = append(pl.stacked, r)
				}
				pl.stacked[k.slot] = r
			}
			if slow {
				continue
			}
			pl.usesList = pl.usesList || k.of == OfList
			ly.usesReduced = ly.usesReduced || r.usesReduced
			ly.ends = ly.ends || r.Then == EndPrice
			ly.kernels = append(ly.kernels, k)
		}
		pl.layers = append(pl.layers, ly)
	}
	allSlow := false
	if v.catalogOnly {
		return pl
	}
	if v.channel != nil && v.channel.Ending != nil {
		var ok bool
		pl.ending, ok = wholeEndingOf(v.channel.Ending)
		allSlow = !ok
	}
	v.planGuards(pl)
	if allSlow {
		pl.slow.fill(0, int32(len(v.products)))
	}
	return pl
}

// planGuards finds the products whose guard lifts prices. One that limits the whole reduction is left to unit.
func (v *view) planGuards(pl *plan) {
	set := v.settings
	guards, where := []*Guard{&set.Guard}, []Set{nil}
	for i := range set.Guards {
		guards, where = append(guards, &set.Guards[i]), append(where, v.guards[i])
	}
	if !slices.ContainsFunc(guards, func(g *Guard) bool { return g.Hold }) {
		return
	}
	pl.held, pl.limits = v.index.empty(), v.limitsOf()
	for i, g := range guards { // the last that matches holds
		all := where[i]
		if all == nil {
			all = v.index.full()
		}
		if g.Hold {
			pl.held.or(all)
		} else {
			pl.held.andNot(all)
		}
		if g.Hold && g.MaxOff != nil {
			pl.slow.or(all)
		}
	}
}

// Sweep prices all products: each costs what Price would answer as its unit price. Its errors are QuestionErrors.
func (e *Engine) Sweep(vp Viewpoint) (*Sweep, error) {
	v, err := e.look(vp)
	if err != nil {
		return nil, err
	}
	sw := &Sweep{Viewpoint: vp, Currency: v.currency, Digits: v.digits, view: v, shards: make([]*shard, (len(e.products)+shardSize-1)/shardSize)}
	sw.run(nil, nil)
	return sw, nil
}

// Resweep prices the touched products anew, for a book and a viewpoint that differ from an earlier sweep's in nothing
// that could move the price of any other. It costs what the touched products cost.
func (e *Engine) Resweep(before *Sweep, vp Viewpoint, touched Set) (*Sweep, error) {
	v, err := e.look(vp)
	if err != nil {
		return nil, err
	}
	sw := &Sweep{Viewpoint: vp, Currency: v.currency, Digits: v.digits, view: v, shards: slices.Clone(before.shards)}
	sw.run(touched, before.stacked)
	return sw, nil
}

// run prices the touched products (nil: all).
func (sw *Sweep) run(touched Set, stacked []*rule) {
	v := sw.view
	pl := v.plan(stacked)
	sw.stacked = pl.stacked
	var todo []int
	var masks []mask
	for i := range sw.shards {
		m := v.shardMask(i, touched)
		if m != (mask{}) {
			todo, masks = append(todo, i), append(masks, m)
		}
	}
	if len(todo) == 0 {
		return
	}
	slab, also := make([]shard, len(todo)), make([]uint64, len(todo)*len(pl.stacked)*shardWords)
	var next atomic.Int64
	work := func() {
		l := &lane{view: v.own(), plan: pl}
		for {
			k := int(next.Add(1)) - 1
			if k >= len(todo) {
				return
			}
			out := &slab[k]
			if old := sw.shards[todo[k]]; old != nil {
				out.price, out.won = old.price, old.won
				out.also = also[k*len(pl.stacked)*shardWords:][:len(pl.stacked)*shardWords]
				copy(out.also, old.also)
			} else {
				out.also = also[k*len(pl.stacked)*shardWords:][:len(pl.stacked)*shardWords]
			}
			l.price(int32(todo[k]<<shardBits), masks[k], out)
			sw.shards[todo[k]] = out
		}
	}
	workers := min(runtime.GOMAXPROCS(0), len(todo))
	if workers == 1 {
		work()
		return
	}
	var wg sync.WaitGroup
	for range workers {
		wg.Go(work)
	}
	wg.Wait()
}

// shardMask is the touched products of a shard.
func (v *view) shardMask(i int, touched Set) (m mask) {
	for w := range m {
		at := i*shardWords + w
		rest := len(v.products) - at<<6
		if rest <= 0 {
			break
		}
		m[w] = ^uint64(0)
		if rest < 64 {
			m[w] = 1<<rest - 1
		}
		if touched != nil {
			m[w] &= touched[at]
		}
	}
	return m
}

// price prices some products of a shard.
func (l *lane) price(first int32, of mask, out *shard) {
	for w, m := range of {
		for at := range out.won {
			if len(l.plan.layers[at].kernels) == 0 && m == 0 {
				continue
			}
			for k := m; k != 0; k &= k - 1 {
				out.won[at][w<<6+bits.TrailingZeros64(k)] = 0
			}
		}
		for slot := range l.plan.stacked {
			out.also[slot*shardWords+w] &^= m
		}
		for ; m != 0; m &= m - 1 {
			out.price[w<<6+bits.TrailingZeros64(m)] = missing
		}
	}
	l.start(first, of)
	for at := range l.plan.layers {
		l.pass(at, out)
	}
	l.finish(out)
	for w, m := range l.slow {
		for ; m != 0; m &= m - 1 {
			l.priceSlow(w<<6+bits.TrailingZeros64(m), out)
		}
	}
}

// priceSlow prices one product of the shard by unit.
func (l *lane) priceSlow(i int, out *shard) {
	for at := range out.won {
		out.won[at][i] = 0
	}
	for slot := range l.plan.stacked {
		out.also[slot*shardWords+i>>6] &^= 1 << (i & 63)
	}
	p := l.first + int32(i)
	unit, ok := l.unitPrice(p, func(s *state) {
		for _, r := range s.applied {
			at := slices.IndexFunc(l.layers, func(ly layer) bool { return ly.Layer == r.Layer })
			if m := l.layers[at].Mode; m == Stack || m == Add {
				slot := slices.IndexFunc(l.plan.stacked, func(o *rule) bool { return o.ordinal == r.ordinal })
				out.also[slot*shardWords+i>>6] |= 1 << (i & 63)
			} else if out.won[at][i] == 0 {
				out.won[at][i] = int32(r.ordinal) + 1
			}
		}
	})
	out.price[i] = missing
	if ok {
		if n, fits := unit.Minor(l.digits, l.settings.Rounding.Mode); fits {
			out.price[i] = n
		}
	}
}

// unitPrice is a product's unit price as Price answers it; each portion's unit is shown to see.
func (v *view) unitPrice(p int32, see func(s *state)) (money.Rat, bool) {
	if v.quantity > 1 {
		v.nets = nil // a source that is the line itself stands there in that quantity, so what others found does not hold
	}
	total := money.Int(0)
	for _, seg := range v.segments(p) {
		s := state{product: p, quantity: v.quantity, unit: seg.last}
		v.unit(&s)
		if !s.price.ok {
			return total, false
		}
		if see != nil {
			see(&s)
		}
		total = total.Add(v.finish(&s).price.Mul(money.Int(int64(seg.units))))
	}
	return v.perUnit(p, total), true
}

// Len is the number of products.
func (sw *Sweep) Len() int { return len(sw.view.products) }

// Price is a product's price in minor units; false where there is none.
func (sw *Sweep) Price(p int32) (int64, bool) {
	n := sw.shards[p>>shardBits].price[p&(shardSize-1)]
	return n, n != missing
}

// CatalogPrice is a product's price after the catalog layer, on the channel's footing, rounded: what a reduced price is
// shown against. All are worked out when the first is asked for.
func (sw *Sweep) CatalogPrice(p int32) (int64, bool) {
	sw.catalogOnce.Do(func() {
		v := sw.view.own()
		v.catalogOnly = true
		sw.catalog = &Sweep{Viewpoint: sw.Viewpoint, Currency: sw.Currency, Digits: sw.Digits, view: v, shards: make([]*shard, len(sw.shards))}
		sw.catalog.run(nil, nil)
	})
	return sw.catalog.Price(p)
}

// Lists gives every product's list price on the channel's footing, rounded; false where there is none.
func (sw *Sweep) Lists() func(p int32) (int64, bool) {
	v := sw.view
	return func(p int32) (int64, bool) {
		list := v.listPrice(p)
		if !list.ok {
			return 0, false
		}
		return v.toChannel(p, list.v).Minor(v.digits, v.settings.Rounding.Mode)
	}
}

// Rules are the rules that applied to a product, by layer; within a layer in which every rule applies, by rank.
func (sw *Sweep) Rules(p int32) []*Rule {
	var list []*Rule
	sw.eachRule(p, func(r *rule) bool { list = append(list, r.Rule); return true })
	return list
}

// Applied reports whether a rule applied to a product.
func (sw *Sweep) Applied(p int32, code string) bool {
	found := false
	sw.eachRule(p, func(r *rule) bool { found = found || r.Code == code; return !found })
	return found
}

func (sw *Sweep) eachRule(p int32, see func(r *rule) bool) {
	sh, i := sw.shards[p>>shardBits], p&(shardSize-1)
	if sh.price[i] == missing {
		return
	}
	v := sw.view
	for at := range v.layers {
		if m := v.layers[at].Mode; m != Stack && m != Add {
			if won := sh.won[at][i]; won > 0 && !see(v.rules[won-1]) {
				return
			}
			continue
		}
		for _, r := range v.active[at] {
			slot := slices.IndexFunc(sw.stacked, func(o *rule) bool { return o.ordinal == r.ordinal })
			if slot >= 0 && slot*shardWords < len(sh.also) && sh.also[slot*shardWords+int(i)>>6]>>(i&63)&1 == 1 && !see(r) {
				return
			}
		}
	}
}

// Margin is what is left of a product's price, in minor units: net is the price without tax, left is net less fee and
// cost. ok is false where price or cost is missing.
func (sw *Sweep) Margin(p int32) (net, left int64, ok bool) {
	price, ok := sw.Price(p)
	if !ok {
		return 0, 0, false
	}
	m := sw.view.margin(p, money.FromMinor(price, sw.Digits))
	if m == nil {
		return 0, 0, false
	}
	net, ok1 := m.Net.Minor(sw.Digits, money.HalfUp)
	left, ok2 := m.Left.Minor(sw.Digits, money.HalfUp)
	return net, left, ok1 && ok2
}

// Margins are the margins of all products.
type Margins struct {
	Net, Left []int64
	Known     []bool
}

// Margins are worked out when first asked for.
func (sw *Sweep) Margins() *Margins {
	sw.once.Do(func() {
		n := sw.Len()
		m := Margins{make([]int64, n), make([]int64, n), make([]bool, n)}
		inParallel(n, func(from, to int) {
			for p := from; p < to; p++ {
				m.Net[p], m.Left[p], m.Known[p] = sw.Margin(int32(p))
			}
		})
		sw.margins = m
	})
	return &sw.margins
}

// BelowCost reports whether the exact margin of a product's price is under 0.
func (sw *Sweep) BelowCost(p int32) bool {
	price, ok := sw.Price(p)
	return ok && price < sw.view.limitsOf().breakEven[p]
}

// UnderGuard reports whether a product's price is below what the guard's margin permits.
func (sw *Sweep) UnderGuard(p int32) bool {
	price, ok := sw.Price(p)
	return ok && price < sw.view.limitsOf().guarded[p]
}

// Row is everything about one product's price. The amounts are valid where the flag beside them says so.
type Row struct {
	List, Price int64
	Lowest      int64             // the lowest permitted price, rounded up; 0 where there is none
	Cost        int64             // on the channel's footing, rounded
	After       [LayerCount]int64 // the price after each layer in order, on the channel's footing, rounded
	Left        int64             // net − fee − cost, rounded
	Net         int64             // the price without tax, rounded
	HasList     bool
	HasPrice    bool
	HasCost     bool
	BelowCost   bool // the exact margin is under 0
	UnderGuard  bool // the price is below what the guard permits
	Held        bool // the guard lifted the price
	Rules       []*Rule
}

// Row prices one product once more, by the letter, for what the columns do not hold. Where a line falls into several
// portions, After is that of the first.
func (sw *Sweep) Row(p int32) Row {
	v := sw.view.own()
	row := Row{}
	minor := func(o opt, mode money.Mode) (int64, bool) {
		if !o.ok {
			return 0, false
		}
		return o.v.Minor(v.digits, mode)
	}
	toChannel := func(o opt) opt {
		if o.ok {
			o.v = v.toChannel(p, o.v)
		}
		return o
	}
	mode := v.settings.Rounding.Mode
	row.List, row.HasList = minor(toChannel(v.listPrice(p)), mode)
	if cost := v.bookAmount(v.products[p].Cost); cost.ok {
		row.Cost, row.HasCost = minor(some(v.shown(p, cost.v)), mode)
	}
	if limit, _ := v.limit(p, v.guard(p).MinMargin); limit.ok {
		row.Lowest, _ = minor(limit, money.Up)
	}
	first := true
	_, ok := v.unitPrice(p, func(s *state) {
		fin := v.finish(s)
		row.UnderGuard = row.UnderGuard || fin.UnderGuard || fin.OverMaxOff
		row.Held = row.Held || fin.Held
		if first {
			for k, after := range s.after {
				row.After[k], _ = minor(toChannel(after), mode)
			}
		}
		first = false
	})
	if !ok {
		return row
	}
	if row.Price, row.HasPrice = sw.Price(p); !row.HasPrice {
		return row
	}
	row.Rules = sw.Rules(p)
	if m := v.margin(p, money.FromMinor(row.Price, v.digits)); m != nil {
		row.Left, _ = m.Left.Minor(v.digits, money.HalfUp)
		row.Net, _ = m.Net.Minor(v.digits, money.HalfUp)
		row.BelowCost = m.Left.Sign() < 0
	}
	return row
}

// Tie is two rules of equal rank in a layer of mode first that give a product different prices.
type Tie struct {
	Winner, Other *Rule
	Product       int32
	Won, Lost     money.Rat // in the channel's currency, before finishing
}

// Ties are those of the sweep's viewpoint.
func (sw *Sweep) Ties() []Tie {
	v := sw.view
	suspects := v.index.empty()
	for at := range v.layers {
		if v.layers[at].Mode != First {
			continue
		}
		rules := v.active[at]
		for i := 0; i < len(rules); {
			once, twice := v.index.empty(), v.index.empty()
			k := i
			for ; k < len(rules) && rules[k].Rank == rules[i].Rank; k++ {
				for w := range once {
					m := rules[k].reach[0][w] | rules[k].reach[1][w]
					twice[w] |= once[w] & m
					once[w] |= m
				}
			}
			if k > i+1 {
				suspects.or(twice)
			}
			i = k
		}
	}
	var ties []Tie
	own := v.own()
	own.onTie = func(winner, other *rule, p int32, won, lost money.Rat) {
		ties = append(ties, Tie{winner.Rule, other.Rule, p, won, lost})
	}
	suspects.Each(func(p int32) bool {
		if v.listed == nil || v.listed.Has(p) {
			own.unitPrice(p, nil)
		}
		return true
	})
	return ties
}
