package pricing

import (
	"cmp"
	"slices"
)

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
	taxes        []tax        // 1 + the book's rate, by class
	factors      []tax        // what brings a price to the channel's footing, by class; nil: nothing does
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

// plan reduces the rules that take part to kernels. stacked is what an earlier sweep of the same viewpoint noted:
// its slots stay.
func (v *view) plan(stacked []*rule) *plan {
	pl := &plan{slow: v.index.empty(), stacked: slices.Clone(stacked), minorUnits: 1, places: make([]int, len(v.rules)),
		slots: make([]int, len(v.rules))}
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
	if v.converts() {
		for class := range v.taxes {
			n, d, fits := v.factor(class).Reduce().Parts()
			if !fits {
				n, d = 0, 0
			}
			pl.factors = append(pl.factors, tax{n, d})
		}
	}
	pl.fixedHere = v.fixedIn[v.currency]
	for i := range v.layers {
		ly := planLayer{LayerSetting: v.layers[i].LayerSetting, kernels: make([]*kernel, 0, len(v.active[i]))}
		for _, r := range v.active[i] {
			if i >= v.lastLayer() {
				break
			}
			reduced := v.kernelsOf(r)
			switch {
			case reduced.slow:
				pl.slow.or(r.reach[0])
				pl.slow.or(r.reach[1])
			case len(reduced.kernels) == 0:
				continue
			}
			if ly.Mode == Stack || ly.Mode == Add {
				slot := slices.IndexFunc(pl.stacked, func(o *rule) bool { return o.ordinal == r.ordinal })
				if slot < 0 {
					slot = len(pl.stacked)
					pl.stacked = append(pl.stacked, r)
				}
				pl.stacked[slot], pl.slots[r.ordinal] = r, slot
			}
			if reduced.slow {
				continue
			}
			pl.places[r.ordinal] = len(ly.kernels)
			for _, k := range reduced.kernels {
				pl.usesList = pl.usesList || k.of == OfList
				pl.usesCatalog = pl.usesCatalog || k.of == OfCatalog
			}
			pl.usesCatalog = pl.usesCatalog || r.usesReduced
			ly.usesReduced = ly.usesReduced || r.usesReduced
			ly.ends = ly.ends || r.Then == EndPrice
			ly.kernels = append(ly.kernels, reduced.kernels...)
		}
		ly.bestFactorFirst()
		pl.layers = append(pl.layers, ly)
	}
	allSlow := false
	if v.catalogOnly && !v.withEnding {
		return pl
	}
	if v.channel != nil && v.channel.Ending != nil {
		var ok bool
		pl.ending, ok = wholeEndingOf(v.channel.Ending)
		allSlow = !ok
	}
	if !v.catalogOnly {
		v.planGuards(pl)
	}
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

// layerOf is the position of the layer of a slot's rule.
func (pl *plan) layerOf(slot int) int {
	return slices.IndexFunc(pl.layers, func(ly planLayer) bool { return ly.Layer == pl.stacked[slot].Layer })
}
