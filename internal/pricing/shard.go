package pricing

import (
	"math/bits"
	"runtime"
)

// shard is the prices of shardSize products.
type shard struct {
	price [shardSize]int64             // missing where there is none
	won   [LayerCount][shardSize]int32 // by position of the layer, where one rule wins: 1 + its ordinal; 0 for none
	// by slot of Sweep.stacked, shardWords words each: the products that the rule applied to
	also []uint64
}

// patch is prices of some products, close together.
type patch struct {
	of     Set
	before []int32 // how many of them come before each word of the set
	size   int     // of a piece
	pieces []shard
}

// empty says that no product has a price.
func (s *shard) empty() {
	for i := range s.price {
		s.price[i] = missing
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
func (l *lot) clear(from int, of mask, out *shard) {
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
	handOut(len(pt.pieces), workers, func(l *lot) func(k int) {
		l.view, l.plan, l.gathered = sw.view.own(), pl, true
		return func(k int) {
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
