package telling

import (
	"bytes"
	"fmt"
	"slices"

	"dogbane/internal/pricing"
)

func Alike(a, b *Digest) bool { return (a == nil) == (b == nil) && (a == nil || *a == *b) }

// touched are the products, by the numbers of each, of which two books may tell a channel something else.
func touched(before, now *Telling) (was, is pricing.Set) {
	is, told := now.Engine.Touched(before.Engine)
	if !told {
		everything := &pricing.Where{Field: pricing.FieldAll}
		return before.Engine.Match(everything), now.Engine.Match(everything)
	}
	products := now.Engine.Products()
	var old []int32
	is.Each(func(n int32) bool {
		if p, exists := before.Engine.ProductNumber(products[n].SKU); exists {
			old = append(old, p)
		}
		return true
	})
	return before.Engine.SetOf(old), is
}

// apart are the lines at a moment of products of which two books may tell a channel something else, by their SKU; nil:
// there is none.
func Apart(before, now *Telling, at pricing.Moment) (is, was map[string]*Digest, err error) {
	old, some := touched(before, now)
	if is, err = now.digests(at, some); err == nil {
		was, err = before.digests(at, old)
	}
	return is, was, err
}

func (t *Telling) digests(at pricing.Moment, some pricing.Set) (map[string]*Digest, error) {
	lines, err := t.AtSome(at, nil, some)
	if err != nil {
		return nil, err
	}
	all := make(map[string]*Digest, some.Count())
	found, err := lines.digests(some)
	for p, digest := range found {
		all[t.Engine.Products()[p].SKU] = digest
	}
	return all, err
}

// figure is what a channel is told of a product at a moment.
type Figure struct {
	Digest *Digest   // nil: no line
	Prices [][]entry // what each kind of buyer pays, where that is asked for
}

// figures are those of some products at a moment; -1 among them stands for one that the book does not have.
func (t *Telling) figures(at pricing.Moment, products []int32, prices bool) ([]Figure, error) {
	here := slices.DeleteFunc(slices.Clone(products), func(p int32) bool { return p < 0 })
	list := make([]Figure, len(products))
	if len(here) == 0 {
		return list, nil
	}
	lines, err := t.AtSome(at, nil, t.Engine.SetOf(here))
	if err != nil {
		return nil, err
	}
	pricing.InParallel(len(products), func(from, to int) {
		for i := from; i < to; i++ {
			p := products[i]
			if p < 0 {
				continue
			}
			told, is := lines.Of(p)
			if !is {
				continue
			}
			digest := told.Digest()
			if list[i].Digest = &digest; prices {
				list[i].Prices = lines.paid(p)
			}
		}
	})
	return list, nil
}

// paid is what each kind of buyer pays for a product from which quantity on, by place among groups; nil where one of
// them has no price.
func (l *Lines) paid(p int32) [][]entry {
	least, _ := l.Telling.Baskets.Least(l.Scope, p)
	sweeps := l.Orders(least)
	all := make([][]entry, len(sweeps))
	for i, sw := range sweeps {
		if minor, priced := sw.Price(p); priced {
			all[i] = l.entries(nil, p, i, least, minor)
		}
	}
	return all
}

// pair is two books that tell one channel, over time.
type Pair struct {
	before, now *Telling
	prices      bool // figures have prices
}

// kin are products of which the same rules open and close by themselves, in both books.
type kin struct {
	skus    []string
	was, is []int32 // their numbers; -1: a book does not have it
	rules   [2][]int
	open    [2][]byte              // which of them are open, at the moment before
	known   [2]map[string][]Figure // by which are open
	last    [2][]Figure            // at the moment before
}

// differing visits the moments from one on, that included, up to Ahead later, at which products begin to be told
// otherwise in one book than in the other, or otherwise than at the moment before.
func (x *Pair) Differing(at pricing.Moment, visit func(at pricing.Moment, sku string, was, is *Figure)) error {
	families, timed := x.kin()
	tellings := [2]*Telling{x.before, x.now}
	first := true
	for _, moment := range x.moments(at) {
		type todo struct {
			k    *kin
			side int
			key  string
		}
		var missing []todo
		var turned []*kin
		for _, k := range families {
			changed := first
			for side := range tellings {
				key := make([]byte, len(k.rules[side]))
				for i, r := range k.rules[side] {
					if key[i] = '0'; timed[side][r].open(moment) {
						key[i] = '1'
					}
				}
				if first || !bytes.Equal(key, k.open[side]) {
					k.open[side], changed = key, true
					if k.known[side][string(key)] == nil {
						missing = append(missing, todo{k, side, string(key)})
					}
				}
			}
			if changed {
				turned = append(turned, k)
			}
		}
		for side, t := range tellings {
			var products []int32
			for _, m := range missing {
				if m.side == side {
					products = append(products, m.k.numbers(side)...)
				}
			}
			found, err := t.figures(moment, products, x.prices)
			if err != nil {
				return err
			}
			for _, m := range missing {
				if m.side == side {
					n := len(m.k.skus)
					m.k.known[side][m.key], found = found[:n:n], found[n:]
				}
			}
		}
		for _, k := range turned {
			was, is := k.known[0][string(k.open[0])], k.known[1][string(k.open[1])]
			for i, sku := range k.skus {
				if !Alike(was[i].Digest, is[i].Digest) && (first || !Alike(was[i].Digest, k.last[0][i].Digest) ||
					!Alike(is[i].Digest, k.last[1][i].Digest)) {
					visit(moment, sku, &was[i], &is[i])
				}
			}
			k.last = [2][]Figure{was, is}
		}
		first = false
	}
	return nil
}

func (k *kin) numbers(side int) []int32 {
	if side == 0 {
		return k.was
	}
	return k.is
}

// moments are those at which anything opens or closes in either book, the first included.
func (x *Pair) moments(at pricing.Moment) []pricing.Moment {
	const most = 1 << 20
	list := append([]pricing.Moment{at}, x.before.Engine.Changes(at, at+Ahead, most, nil)...)
	list = append(list, x.now.Engine.Changes(at, at+Ahead, most, nil)...)
	slices.Sort(list)
	return slices.Compact(list)
}

// kin are the products of which the two books may say something else, by the rules that open or close for them.
func (x *Pair) kin() (list []*kin, timed [2][]timed) {
	old, some := touched(x.before, x.now)
	of := map[string]*kin{}
	var derived [2]pricing.Set
	timed[0], derived[0] = x.before.timed()
	timed[1], derived[1] = x.now.timed()
	reaching := func(side int, p int32) (rules []int) {
		for i := range timed[side] {
			if p >= 0 && (timed[side][i].reach.Has(p) || derived[side].Has(p)) { // what it is derived from may turn
				rules = append(rules, i)
			}
		}
		return rules
	}
	add := func(sku string, was, is int32) {
		rules := [2][]int{reaching(0, was), reaching(1, is)}
		key := fmt.Sprint(rules)
		k := of[key]
		if k == nil {
			k = &kin{rules: rules, known: [2]map[string][]Figure{{}, {}}}
			of[key] = k
			list = append(list, k)
		}
		k.skus, k.was, k.is = append(k.skus, sku), append(k.was, was), append(k.is, is)
	}
	some.Each(func(p int32) bool {
		sku := x.now.Engine.Products()[p].SKU
		was, had := x.before.Engine.ProductNumber(sku)
		if !had {
			was = -1
		}
		add(sku, was, p)
		return true
	})
	old.Each(func(p int32) bool {
		sku := x.before.Engine.Products()[p].SKU
		if _, still := x.now.Engine.ProductNumber(sku); !still {
			add(sku, p, -1)
		}
		return true
	})
	return list, timed
}

// Between compares two books from a moment on: by prices alone, or by all that lines say.
func Between(before, now *Telling, prices bool) *Pair { return &Pair{before, now, prices} }
