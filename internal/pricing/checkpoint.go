package pricing

import (
	"sync"
)

// checkpoint is how far all products have come somewhere between the layers, for sweeps that differ only from there on.
// It halves the cost of an edit that touches nearly all products (BenchmarkWith, widest).
type checkpoint struct {
	once     sync.Once
	progress []progress
	bases    []bases // nil where no rule of the plan looks at them
}

// checkpoint is made when first asked for. plan is that of the sweep which goes on from there.
func (sw *Sweep) checkpoint(at int) *checkpoint {
	c := &sw.entering[at]
	c.once.Do(func() {
		pl := sw.view.plan(nil)
		pl.usesList, pl.usesCatalog = true, true
		c.progress, c.bases = make([]progress, len(sw.shards)), make([]bases, len(sw.shards))
		handOut(len(sw.shards), len(sw.shards), func(l *lot) func(k int) {
			l.view, l.plan = sw.view.own(), pl
			out := &shard{also: make([]uint64, len(pl.stacked)*shardWords)}
			return func(k int) {
				l.start(int32(k<<shardBits), sw.view.shardMask(k, nil))
				l.pass(0, at, out)
				c.progress[k], c.bases[k] = l.progress, l.bases
			}
		})
	})
	return c
}

// resume takes up products where a checkpoint has them.
func (l *lot) resume(c *checkpoint, k int, of mask) {
	l.first, l.progress, l.bases = int32(k<<shardBits), c.progress[k], c.bases[k]
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
	handOut(len(sw.shards), len(sw.shards), func(l *lot) func(k int) {
		l.view, l.plan = sw.view.own(), pl
		return func(k int) {
			of := sw.view.shardMask(k, touched)
			if of == (mask{}) {
				return
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
