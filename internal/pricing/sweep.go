package pricing

import (
	"cmp"
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
	patch   *patch  // a few products whose prices are not those of the shards; nil: none
	stacked []*rule // rules of layers in which every rule applies, by slot

	once, catalogOnce sync.Once
	entering          [LayerCount]checkpoint // by layer, how far its products have come where they enter it
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

// patch is prices of some products, close together.
type patch struct {
	of     Set
	before []int32 // how many of them come before each word of the set
	size   int     // of a piece
	pieces []shard
}

// checkpoint is how far all products have come somewhere between the layers, for sweeps that differ only from there on.
type checkpoint struct {
	once  sync.Once
	ways  []way
	bases []bases // nil where no rule of the plan looks at them
}

// checkpoint is made when first asked for. plan is that of the sweep which goes on from there.
func (sw *Sweep) checkpoint(at int) *checkpoint {
	c := &sw.entering[at]
	c.once.Do(func() {
		pl := sw.view.plan(nil)
		pl.usesList, pl.usesCatalog = true, true
		c.ways, c.bases = make([]way, len(sw.shards)), make([]bases, len(sw.shards))
		var next atomic.Int64
		inWorkers(runtime.GOMAXPROCS(0), func() {
			l := newLane()
			defer l.free()
			l.view, l.plan = sw.view.own(), pl
			out := &shard{also: make([]uint64, len(pl.stacked)*shardWords)}
			for {
				k := int(next.Add(1)) - 1
				if k >= len(sw.shards) {
					return
				}
				l.start(int32(k<<shardBits), sw.view.shardMask(k, nil))
				l.pass(0, at, out)
				c.ways[k], c.bases[k] = l.way, l.bases
			}
		})
	})
	return c
}

// resume takes up products where a checkpoint has them.
func (l *lane) resume(c *checkpoint, k int, of mask) {
	l.first, l.way, l.bases = int32(k<<shardBits), c.ways[k], c.bases[k]
	for w, m := range of {
		l.slow[w] &= m
		l.live[w] &= m
		if l.live[w] != 0 {
			slow := l.here(l.plan.slow, w, l.live[w])
			l.slow[w] |= slow
			l.live[w] &^= slow
		}
	}
}

// at is where a product's price is.
func (sw *Sweep) at(p int32) (*shard, int) {
	if sw.patch != nil && sw.patch.of.Has(p) {
		w := p >> 6
		rank := int(sw.patch.before[w]) + bits.OnesCount64(sw.patch.of[w]&(1<<(uint(p)&63)-1))
		return &sw.patch.pieces[rank/sw.patch.size], rank % sw.patch.size
	}
	return sw.shards[p>>shardBits], int(p & (shardSize - 1))
}

// plan is a viewpoint made ready for a sweep.
type plan struct {
	layers       []planLayer
	stacked      []*rule
	slow         Set // products that no kernel expresses
	usesList     bool
	usesCatalog  bool
	places       []int // by ordinal, the place of a rule in its layer by rank and code
	slots        []int // by ordinal, in layers where every rule applies: the slot of Sweep.stacked
	fixedHere    Set   // products with a list price of their own in this currency; nil: none
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
	kernels           []*kernel
	pure              int // in layers where the lowest or highest wins: how many kernels at the front only scale
}

func (s Set) has(p int32) bool { return s != nil && s.Has(p) }

// plan reduces the rules that take part to kernels. stacked is what an earlier sweep of the same viewpoint noted:
// its slots stay.
func (v *view) plan(stacked []*rule) *plan {
	pl := &plan{slow: v.index.empty(), stacked: slices.Clone(stacked), minorUnits: 1, places: make([]int, len(v.rules)), slots: make([]int, len(v.rules))}
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
		ly := planLayer{LayerSetting: v.layers[i].LayerSetting, kernels: make([]*kernel, 0, len(v.active[i]))}
		for _, r := range v.active[i] {
			if i >= v.lastLayer() {
				break
			}
			k := v.kernelOf(r)
			switch {
			case k.none:
				continue
			case k.slow:
				pl.slow.or(r.reach[0])
				pl.slow.or(r.reach[1])
			}
			if ly.Mode == Stack || ly.Mode == Add {
				slot := slices.IndexFunc(pl.stacked, func(o *rule) bool { return o.ordinal == r.ordinal })
				if slot < 0 {
					slot = len(pl.stacked)
					pl.stacked = append(pl.stacked, r)
				}
				pl.stacked[slot], pl.slots[r.ordinal] = r, slot
			}
			if k.slow {
				continue
			}
			pl.places[r.ordinal] = len(ly.kernels)
			pl.usesList = pl.usesList || k.of == OfList
			pl.usesCatalog = pl.usesCatalog || k.of == OfCatalog || r.usesReduced
			ly.usesReduced = ly.usesReduced || r.usesReduced
			ly.ends = ly.ends || r.Then == EndPrice
			ly.kernels = append(ly.kernels, &k.kernel)
		}
		ly.bestFactorFirst()
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

// bestFactorFirst brings the kernels that only scale to the front of a layer in which the lowest or the highest price
// wins: all start from one price, so the best factor makes the best result.
func (ly *planLayer) bestFactorFirst() {
	if ly.Mode != Lowest && ly.Mode != Highest {
		return
	}
	slices.SortStableFunc(ly.kernels, func(a, b *kernel) int {
		if a.pure != b.pure || !a.pure {
			return cmp.Compare(rank(!a.pure), rank(!b.pure))
		}
		if ly.Mode == Highest {
			a, b = b, a
		}
		return cmp.Compare(rank(below(b.n, b.d, a.n, a.d)), rank(below(a.n, a.d, b.n, b.d)))
	})
	for ly.pure < len(ly.kernels) && ly.kernels[ly.pure].pure {
		ly.pure++
	}
}

func rank(last bool) int {
	if last {
		return 1
	}
	return 0
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

// Sweep prices all products: each costs what Price would answer as its unit price, a subscription that of one month. Its errors are QuestionErrors.
func (e *Engine) Sweep(vp Viewpoint) (*Sweep, error) {
	sweeps, err := e.Sweeps([]Viewpoint{vp})
	if err != nil {
		return nil, err
	}
	return sweeps[0], nil
}

// Sweeps prices all products from several viewpoints. What viewpoints that follow each other have in common, such as the
// layers before the group's terms, is worked out once.
func (e *Engine) Sweeps(vps []Viewpoint) ([]*Sweep, error) {
	sweeps := make([]*Sweep, len(vps))
	for i, vp := range vps {
		v, err := e.look(vp)
		if err != nil {
			return nil, err
		}
		sweeps[i] = e.newSweep(v, vp)
		sweeps[i].shards = make([]*shard, (len(e.products)+shardSize-1)/shardSize)
	}
	plans := make([]*plan, len(sweeps))
	for i, sw := range sweeps {
		plans[i] = sw.view.plan(nil)
	}
	for from := 0; from < len(sweeps); {
		to := from + 1
		common := LayerCount
		for ; to < len(sweeps); to++ {
			c := min(common, commonLayers(sweeps[from].view, sweeps[to].view))
			if c == 0 {
				break
			}
			common = c
		}
		if to == from+1 {
			common = 0
		}
		run(sweeps[from:to], plans[from:to], common, nil)
		from = to
	}
	return sweeps, nil
}

func (e *Engine) newSweep(v *view, vp Viewpoint) *Sweep {
	return &Sweep{Viewpoint: vp, Currency: v.currency, Digits: v.digits, view: v}
}

// commonLayers is how many layers, from the first on, take the same rules to the same results from two viewpoints.
func commonLayers(a, b *view) int {
	if a.at != b.at || a.channel != b.channel || a.quantity != b.quantity || a.term != b.term || len(a.history)+len(b.history) > 0 {
		return 0
	}
	for at := range a.active {
		if !slices.Equal(a.active[at], b.active[at]) {
			return at
		}
	}
	return len(a.active)
}

// Resweep prices the touched products anew, for a book and a viewpoint that differ from an earlier sweep's in nothing
// that could move the price of any other. It costs what the touched products cost.
func (e *Engine) Resweep(before *Sweep, vp Viewpoint, touched Set) (*Sweep, error) {
	v, err := e.look(vp)
	if err != nil {
		return nil, err
	}
	sw := e.newSweep(v, vp)
	sw.shards = before.shards
	if before.patch != nil {
		both := slices.Clone(touched)
		both.or(before.patch.of)
		touched = both
	}
	pl := v.plan(before.stacked)
	if n := touched.Count(); n > len(e.products)/8 {
		sw.shards = slices.Clone(before.shards)
		sw.rerun(before, pl, touched)
	} else {
		sw.runPatch(pl, touched, n)
	}
	return sw, nil
}

// rerun prices the touched products, from the first layer on whose rules are not those of an earlier sweep.
func (sw *Sweep) rerun(before *Sweep, pl *plan, touched Set) {
	common := commonLayers(before.view, sw.view)
	if common == 0 || common == LayerCount || before.patch != nil {
		run([]*Sweep{sw}, []*plan{pl}, 0, touched)
		return
	}
	from := before.checkpoint(common)
	sw.stacked = pl.stacked
	slab, words := make([]shard, len(sw.shards)), len(pl.stacked)*shardWords
	also := make([]uint64, len(sw.shards)*words)
	var next atomic.Int64
	inWorkers(runtime.GOMAXPROCS(0), func() {
		l := newLane()
		defer l.free()
		l.view, l.plan = sw.view.own(), pl
		for {
			k := int(next.Add(1)) - 1
			if k >= len(sw.shards) {
				return
			}
			of := sw.view.shardMask(k, touched)
			if of == (mask{}) {
				continue
			}
			out, old := &slab[k], sw.shards[k]
			out.price, out.won = old.price, old.won
			out.also = also[k*words:][:words]
			copy(out.also, old.also)
			l.clear(common, of, out)
			l.resume(from, k, of)
			l.pass(common, LayerCount, out)
			l.finish(out)
			sw.shards[k] = out
		}
	})
}

// runPatch prices n touched products, gathered from wherever they are.
func (sw *Sweep) runPatch(pl *plan, touched Set, n int) {
	sw.stacked = pl.stacked
	if n == 0 {
		return
	}
	workers := max(1, min(runtime.GOMAXPROCS(0), n/256))
	size := min(shardSize, (n+workers-1)/workers)
	pt := &patch{of: touched, before: make([]int32, len(touched)), size: size, pieces: make([]shard, (n+size-1)/size)}
	ids := make([]int32, 0, n)
	for w, m := range touched {
		pt.before[w] = int32(len(ids))
		for ; m != 0; m &= m - 1 {
			ids = append(ids, int32(w<<6+bits.TrailingZeros64(m)))
		}
	}
	words := len(pl.stacked) * shardWords
	also := make([]uint64, len(pt.pieces)*words)
	sw.patch = pt
	var next atomic.Int64
	inWorkers(workers, func() {
		l := newLane()
		defer l.free()
		l.view, l.plan, l.gathered = sw.view.own(), pl, true
		for {
			k := int(next.Add(1)) - 1
			if k >= len(pt.pieces) {
				return
			}
			piece := ids[k*size : min((k+1)*size, n)]
			l.gather(piece)
			var of mask
			Set(of[:]).fill(0, int32(len(piece)))
			out := &pt.pieces[k]
			out.also = also[k*words:][:words]
			out.empty()
			l.start(0, of)
			l.pass(0, LayerCount, out)
			l.finish(out)
		}
	})
}

// empty says that no product has a price.
func (s *shard) empty() {
	for i := range s.price {
		s.price[i] = missing
	}
}

func inWorkers(n int, work func()) {
	if n == 1 {
		work()
		return
	}
	var wg sync.WaitGroup
	for range n {
		wg.Go(work)
	}
	wg.Wait()
}

// run prices the touched products (nil: all) of sweeps whose first layers are in common.
func run(sweeps []*Sweep, plans []*plan, common int, touched Set) {
	for i, sw := range sweeps {
		sw.stacked = plans[i].stacked
	}
	first := sweeps[0]
	var todo []int
	var masks []mask
	for i := range first.shards {
		if m := first.view.shardMask(i, touched); m != (mask{}) {
			todo, masks = append(todo, i), append(masks, m)
		}
	}
	if len(todo) == 0 {
		return
	}
	for _, pl := range plans[1:] { // what they have in common is as hard as it is for the hardest
		plans[0].slow.or(pl.slow)
		plans[0].usesList = plans[0].usesList || pl.usesList
		plans[0].usesCatalog = plans[0].usesCatalog || pl.usesCatalog
	}
	slabs, also := make([][]shard, len(sweeps)), make([][]uint64, len(sweeps))
	for i, sw := range sweeps {
		slabs[i], also[i] = make([]shard, len(todo)), make([]uint64, len(todo)*len(sw.stacked)*shardWords)
	}
	var next atomic.Int64
	inWorkers(min(runtime.GOMAXPROCS(0), len(todo)), func() {
		l := newLane()
		defer l.free()
		views := make([]*view, len(sweeps))
		for i, sw := range sweeps {
			views[i] = sw.view.own()
		}
		var start *way
		if len(sweeps) > 1 {
			start = &way{}
		}
		for {
			k := int(next.Add(1)) - 1
			if k >= len(todo) {
				return
			}
			at := todo[k]
			for i, sw := range sweeps {
				out := &slabs[i][k]
				words := len(sw.stacked) * shardWords
				out.also = also[i][k*words:][:words]
				l.view, l.plan = views[i], plans[i]
				old := sw.shards[at]
				if old != nil {
					out.price, out.won = old.price, old.won
					copy(out.also, old.also)
					l.clear(0, masks[k], out)
				} else {
					out.empty()
				}
				if i == 0 {
					l.start(int32(at<<shardBits), masks[k])
					l.pass(0, common, out)
					if start != nil {
						*start = l.way
					}
				} else {
					l.way = *start
					copy(out.won[:common], slabs[0][k].won[:common])
					for slot := range sw.stacked { // those of the common layers are the same, and come first
						if plans[i].layerOf(slot) < common {
							copy(out.also[slot*shardWords:][:shardWords], slabs[0][k].also[slot*shardWords:])
						}
					}
				}
				l.pass(common, LayerCount, out)
				l.finish(out)
				sw.shards[at] = out
			}
		}
	})
}

// layerOf is the position of the layer of a slot's rule.
func (pl *plan) layerOf(slot int) int {
	return slices.IndexFunc(pl.layers, func(ly planLayer) bool { return ly.Layer == pl.stacked[slot].Layer })
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

// clear takes back what was noted of some products in the layers from one on.
func (l *lane) clear(from int, of mask, out *shard) {
	for slot := range l.plan.stacked {
		if l.plan.layerOf(slot) >= from {
			for w, m := range of {
				out.also[slot*shardWords+w] &^= m
			}
		}
	}
	for w, m := range of {
		for ; m != 0; m &= m - 1 {
			i := w<<6 + bits.TrailingZeros64(m)
			out.price[i] = missing
			for at := from; at < LayerCount; at++ {
				out.won[at][i] = 0
			}
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
	p := l.number(i)
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
	if v.quantity > 1 || v.term > 1 {
		v.nets = nil // a source that is the line itself stands there in that quantity, so what others found does not hold
	}
	total := money.Int(0)
	if !v.sells(p) {
		return total, false
	}
	for _, seg := range v.segments(&state{product: p, quantity: v.quantity, term: v.term}) {
		s := state{product: p, quantity: v.quantity, unit: seg.last, term: v.term}
		v.unit(&s)
		if !s.price.ok {
			return total, false
		}
		if see != nil {
			see(&s)
		}
		total = total.Add(v.finish(&s).price.Mul(money.Int(int64(seg.units))))
	}
	return v.perUnit(total), true
}

// Len is the number of products.
func (sw *Sweep) Len() int { return len(sw.view.products) }

// Price is a product's price in minor units; false where there is none.
func (sw *Sweep) Price(p int32) (int64, bool) {
	sh, i := sw.at(p)
	n := sh.price[i]
	return n, n != missing
}

// CatalogPrice is a product's price after the catalog layer, on the channel's footing, rounded: what a reduced price is
// shown against. All are worked out when the first is asked for.
func (sw *Sweep) CatalogPrice(p int32) (int64, bool) {
	sw.catalogOnce.Do(func() {
		v := sw.view.own()
		v.catalogOnly = true
		sw.catalog = &Sweep{Viewpoint: sw.Viewpoint, Currency: sw.Currency, Digits: sw.Digits, view: v, shards: make([]*shard, len(sw.shards))}
		run([]*Sweep{sw.catalog}, []*plan{v.plan(nil)}, 0, nil)
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

// AppliedBy says whether a rule applied to a product.
func (sw *Sweep) AppliedBy(code string) func(p int32) bool {
	v := sw.view
	for at := range v.layers {
		i := slices.IndexFunc(v.active[at], func(r *rule) bool { return r.Code == code })
		if i < 0 {
			continue
		}
		r := v.active[at][i]
		if m := v.layers[at].Mode; m != Stack && m != Add {
			return func(p int32) bool {
				sh, i := sw.at(p)
				return sh.won[at][i] == int32(r.ordinal)+1 && sh.price[i] != missing
			}
		}
		slot := slices.IndexFunc(sw.stacked, func(o *rule) bool { return o.ordinal == r.ordinal })
		return func(p int32) bool {
			sh, i := sw.at(p)
			return slot >= 0 && slot*shardWords < len(sh.also) && sh.also[slot*shardWords+i>>6]>>(i&63)&1 == 1 && sh.price[i] != missing
		}
	}
	return func(int32) bool { return false }
}

func (sw *Sweep) eachRule(p int32, see func(r *rule) bool) {
	sh, i := sw.at(p)
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
			if slot >= 0 && slot*shardWords < len(sh.also) && sh.also[slot*shardWords+i>>6]>>(i&63)&1 == 1 && !see(r) {
				return
			}
		}
	}
}

// Margin is what remains of a product's price, in minor units: net is the price without tax, amount is net less fee and
// cost. ok is false where price or cost is missing.
func (sw *Sweep) Margin(p int32) (net, amount int64, ok bool) {
	price, ok := sw.Price(p)
	if !ok {
		return 0, 0, false
	}
	// Nearly all amounts are whole minor units and all factors short: the same figures, without fractions.
	l := sw.view.limitsOf()
	if f, spent := l.shares[sw.view.taxOf[p]], l.spent[p]; spent != noLimit && f.leftD != 0 && price <= 1<<40 {
		net, _ = money.RoundRatio(price*f.netN, f.netD, 0, money.HalfUp)
		amount, _ = money.RoundRatio(price*f.leftN-spent*f.leftD, f.leftD, 0, money.HalfUp)
		return net, amount, true
	}
	m := sw.view.margin(p, money.FromMinor(price, sw.Digits))
	if m == nil {
		return 0, 0, false
	}
	net, ok1 := m.Net.Minor(sw.Digits, money.HalfUp)
	amount, ok2 := m.Amount.Minor(sw.Digits, money.HalfUp)
	return net, amount, ok1 && ok2
}

// Margins are the margins of all products.
type Margins struct {
	Net, Amount []int64
	Known       []bool
}

// Margins are worked out when first asked for.
func (sw *Sweep) Margins() *Margins {
	sw.once.Do(func() {
		n := sw.Len()
		m := Margins{make([]int64, n), make([]int64, n), make([]bool, n)}
		InParallel(n, func(from, to int) {
			for p := from; p < to; p++ {
				m.Net[p], m.Amount[p], m.Known[p] = sw.Margin(int32(p))
			}
		})
		sw.margins = m
	})
	return &sw.margins
}

// Cost is a product's cost on the price's footing, in minor units, rounded; false where it is unknown.
func (sw *Sweep) Cost(p int32) (int64, bool) {
	cost := sw.view.bookAmount(sw.view.products[p].Cost)
	if !cost.ok {
		return 0, false
	}
	return sw.view.shown(p, cost.v).Minor(sw.Digits, sw.view.settings.Rounding.Mode)
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
	Margin      int64             // net − fee − cost, rounded
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
		row.Margin, _ = m.Amount.Minor(v.digits, money.HalfUp)
		row.Net, _ = m.Net.Minor(v.digits, money.HalfUp)
		row.BelowCost = m.Amount.Sign() < 0
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
		if v.sells(p) {
			own.unitPrice(p, nil)
		}
		return true
	})
	return ties
}
