package pricing

import (
	"slices"
)

// Sweep prices all products: each costs what Price would answer as its unit price, a subscription that of one month.
// Its errors are QuestionErrors.
func (e *Engine) Sweep(vp Viewpoint) (*Sweep, error) {
	sweeps, err := e.Sweeps([]Viewpoint{vp})
	if err != nil {
		return nil, err
	}
	return sweeps[0], nil
}

// Sweeps prices all products from several viewpoints. What viewpoints that follow each other have in common, such as
// the layers before the group's terms, is worked out once.
func (e *Engine) Sweeps(vps []Viewpoint) ([]*Sweep, error) { return e.sweeps(vps, false) }

// LastUnits are Sweeps of what the last unit of a line costs, instead of what one of its units costs on average: they
// differ where breaks are graduated.
func (e *Engine) LastUnits(vps []Viewpoint) ([]*Sweep, error) { return e.sweeps(vps, true) }

func (e *Engine) sweeps(vps []Viewpoint, lastUnit bool) ([]*Sweep, error) {
	sweeps := make([]*Sweep, len(vps))
	for i, vp := range vps {
		v, err := e.look(vp)
		if err != nil {
			return nil, err
		}
		v.lastUnit = lastUnit
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

// SweepOf prices some products alone; it is not to be asked for any other.
func (e *Engine) SweepOf(vp Viewpoint, some Set) (*Sweep, error) { return e.sweepOf(vp, some, false) }

// LastUnitOf is what LastUnits say of some products alone; it is not to be asked for any other.
func (e *Engine) LastUnitOf(vp Viewpoint, some Set) (*Sweep, error) { return e.sweepOf(vp, some, true) }

func (e *Engine) sweepOf(vp Viewpoint, some Set, lastUnit bool) (*Sweep, error) {
	v, err := e.look(vp)
	if err != nil {
		return nil, err
	}
	v.lastUnit = lastUnit
	sw := e.newSweep(v, vp)
	sw.runPatch(v.plan(nil), some, some.Count())
	return sw, nil
}

func (e *Engine) newSweep(v *view, vp Viewpoint) *Sweep {
	return &Sweep{Viewpoint: vp, Currency: v.currency, Digits: v.digits, view: v}
}

// commonLayers is how many layers, from the first on, take the same rules to the same results from two viewpoints.
func commonLayers(a, b *view) int {
	if a.at != b.at || a.channel != b.channel || a.quantity != b.quantity || a.term != b.term ||
		len(a.history)+len(b.history) > 0 {
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
	v.lastUnit = before.view.lastUnit
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
	handOut(len(todo), len(todo), func(l *lot) func(k int) {
		views := make([]*view, len(sweeps))
		for i, sw := range sweeps {
			views[i] = sw.view.own()
		}
		var start *progress
		if len(sweeps) > 1 {
			start = &progress{}
		}
		return func(k int) {
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
						*start = l.progress
					}
				} else {
					l.progress = *start
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
