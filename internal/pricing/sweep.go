package pricing

import (
	"math"
	"slices"
	"sync"

	"dogbane/internal/money"
)

// Sweep is the prices of all products from one viewpoint, by product number, in whole minor units of Currency on the
// channel's footing: what a unit of a line costs on average, or its last one. It never changes once made, and holds its
// engine.
type Sweep struct {
	Viewpoint Viewpoint
	Currency  string
	Digits    int

	view    *view
	shards  []*shard
	patch   *patch  // a few products whose prices are not those of the shards; nil: none
	stacked []*rule // rules of layers in which every rule applies, by slot

	once                  sync.Once
	entering              [LayerCount]checkpoint // by layer, how far its products have come where they enter it
	margins               Margins
	catalog, shownCatalog afterCatalog
}

// maxLimit is above every price.
const maxLimit = math.MaxInt64

func (s Set) has(p int32) bool { return s != nil && s.Has(p) }

// Len is the number of products.
func (sw *Sweep) Len() int { return len(sw.view.products) }

// Price is a product's price in minor units; false where there is none.
func (sw *Sweep) Price(p int32) (int64, bool) {
	sh, i := sw.at(p)
	n := sh.price[i]
	return n, n != missing
}

// CatalogPrice is a product's price after the catalog layer, on the channel's footing, rounded, without the channel's
// ending. All are worked out when the first is asked for.
func (sw *Sweep) CatalogPrice(p int32) (int64, bool) { return sw.catalog.price(sw, false, p) }

// ShownCatalog is CatalogPrice as the channel would show it, with its ending: what a reduced price is shown against.
func (sw *Sweep) ShownCatalog(p int32) (int64, bool) {
	if c := sw.view.channel; c == nil || c.Ending == nil {
		return sw.CatalogPrice(p)
	}
	return sw.shownCatalog.price(sw, true, p)
}

// afterCatalog is the prices after the catalog layer of a sweep, made when first asked for.
type afterCatalog struct {
	once  sync.Once
	sweep *Sweep
}

func (c *afterCatalog) price(of *Sweep, ended bool, p int32) (int64, bool) {
	c.once.Do(func() {
		v := of.view.own()
		v.catalogOnly, v.withEnding = true, ended
		c.sweep = &Sweep{Viewpoint: of.Viewpoint, Currency: of.Currency, Digits: of.Digits, view: v,
			shards: make([]*shard, len(of.shards))}
		if of.shards == nil && of.patch != nil { // of some products alone
			c.sweep.runPatch(v.plan(nil), of.patch.of, of.patch.of.Count())
			return
		}
		run([]*Sweep{c.sweep}, []*plan{v.plan(nil)}, 0, nil)
	})
	return c.sweep.Price(p)
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

// Ruled says whether any rule applied to a product.
func (sw *Sweep) Ruled(p int32) bool {
	ruled := false
	sw.eachRule(p, func(*rule) bool { ruled = true; return false })
	return ruled
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
			return slot >= 0 && slot*shardWords < len(sh.also) && sh.also[slot*shardWords+i>>6]>>(i&63)&1 == 1 &&
				sh.price[i] != missing
		}
	}
	return func(int32) bool { return false }
}

func (sw *Sweep) eachRule(p int32, visit func(r *rule) bool) {
	sh, i := sw.at(p)
	if sh.price[i] == missing {
		return
	}
	v := sw.view
	for at := range v.layers {
		if m := v.layers[at].Mode; m != Stack && m != Add {
			if won := sh.won[at][i]; won > 0 && !visit(v.rules[won-1]) {
				return
			}
			continue
		}
		for _, r := range v.active[at] {
			slot := slices.IndexFunc(sw.stacked, func(o *rule) bool { return o.ordinal == r.ordinal })
			if slot >= 0 && slot*shardWords < len(sh.also) && sh.also[slot*shardWords+i>>6]>>(i&63)&1 == 1 && !visit(r) {
				return
			}
		}
	}
}

// Shown is an amount of a product in the book's currency, such as its recommended price, as the channel would show it,
// in minor units.
func (sw *Sweep) Shown(p int32, amount *money.Rat) (int64, bool) {
	v := sw.view
	o := v.bookAmount(amount)
	if !o.ok {
		return 0, false
	}
	return v.toChannel(p, o.v).Minor(v.digits, v.settings.Rounding.Mode)
}
