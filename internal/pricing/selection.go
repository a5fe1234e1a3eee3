package pricing

import (
	"cmp"
	"math/bits"
	"slices"
	"strings"

	"dogbane/internal/money"
)

// Field names what a condition looks at. Every condition has exactly one.
type Field string

// The fields of a condition.
const (
	FieldAll      Field = "all"
	FieldAny      Field = "any"
	FieldNot      Field = "not"
	FieldSKU      Field = "sku"
	FieldStyle    Field = "style"
	FieldBrand    Field = "brand"
	FieldSupplier Field = "supplier"
	FieldType     Field = "type"
	FieldTag      Field = "tag"
	FieldTaxClass Field = "taxClass"
	FieldRange    Field = "range"
	FieldCategory Field = "category"
	FieldAttr     Field = "attr"
	FieldList     Field = "list"
	FieldCost     Field = "cost"
	FieldStock    Field = "stock"
	FieldRating   Field = "rating"
	FieldSold     Field = "sold"
	FieldReduced  Field = "reduced"
)

// Where selects products.
type Where struct {
	Field   Field
	Parts   []Where             // all, any; one for not
	Values  []string            // sku … taxClass, range, category: any of
	Attrs   map[string]AttrTest // attr: all of
	Bounds  Bounds              // list, cost, stock, rating, sold
	Reduced bool                // reduced
}

// AttrTest is what an attribute must be: one of some texts, or a number within bounds.
type AttrTest struct {
	Values []string
	Bounds *Bounds
}

// Bounds are inclusive; a nil end is open.
type Bounds struct{ Min, Max *money.Rat }

// Contains reports whether x lies within the bounds.
func (b Bounds) Contains(x money.Rat) bool {
	return (b.Min == nil || !x.Less(*b.Min)) && (b.Max == nil || !b.Max.Less(x))
}

// UsesReduced reports whether the condition looks at the price entering the layer.
func (w *Where) UsesReduced() bool {
	return w.Field == FieldReduced || slices.ContainsFunc(w.Parts, func(p Where) bool { return p.UsesReduced() })
}

// Set is a set of products by their number in the engine, one bit each.
type Set []uint64

// Has reports whether product p is in the set.
func (s Set) Has(p int32) bool { return s[p>>6]&(1<<(uint(p)&63)) != 0 }

func (s Set) add(p int32) { s[p>>6] |= 1 << (uint(p) & 63) }

// Count is the number of products in the set.
func (s Set) Count() int {
	n := 0
	for _, w := range s {
		n += bits.OnesCount64(w)
	}
	return n
}

// Each calls f for every product in the set, in order, until f returns false.
func (s Set) Each(f func(p int32) bool) {
	for i, w := range s {
		for ; w != 0; w &= w - 1 {
			if !f(int32(i<<6 + bits.TrailingZeros64(w))) {
				return
			}
		}
	}
}

// index finds products by the value of a field. Products are numbered in the order of their categories, so that a
// category with all that lies under it is one run of numbers.
type index struct {
	products []Product
	bySKU    map[string]int32
	texts    map[Field]map[string][]int32
	attrs    map[string]map[string][]int32
	numbers  map[Field][]int32 // products with a value, by value
	attrNums map[string][]int32
	ranges   map[string]*Where
	cached   map[string]Set // ranges already computed
}

// categoryOrder puts a category straight before what lies under it: the separator sorts before every other character.
func categoryOrder(path string) string { return strings.ReplaceAll(path, "/", "\x00") }

func newIndex(products []Product, ranges []Range) *index {
	x := &index{products: products, bySKU: make(map[string]int32, len(products)), texts: map[Field]map[string][]int32{},
		attrs: map[string]map[string][]int32{}, numbers: map[Field][]int32{}, attrNums: map[string][]int32{},
		ranges: map[string]*Where{}, cached: map[string]Set{}}
	for _, f := range []Field{FieldStyle, FieldBrand, FieldSupplier, FieldType, FieldTag, FieldTaxClass} {
		x.texts[f] = map[string][]int32{}
	}
	for i := range products {
		p, n := &products[i], int32(i)
		x.bySKU[p.SKU] = n
		for _, t := range p.Tags {
			x.texts[FieldTag][t] = append(x.texts[FieldTag][t], n)
		}
		for f, value := range map[Field]string{FieldStyle: p.Style, FieldBrand: p.Brand, FieldSupplier: p.Supplier, FieldType: p.Type, FieldTaxClass: p.TaxClass} {
			if value != "" {
				x.texts[f][value] = append(x.texts[f][value], n)
			}
		}
		for f, value := range map[Field]*money.Rat{FieldList: p.List, FieldCost: p.Cost, FieldStock: p.Stock, FieldRating: p.Rating, FieldSold: p.Sold} {
			if value != nil {
				x.numbers[f] = append(x.numbers[f], n)
			}
		}
		for name, a := range p.Attrs {
			if x.attrs[name] == nil {
				x.attrs[name] = map[string][]int32{}
			}
			x.attrs[name][a.Text] = append(x.attrs[name][a.Text], n)
			if a.Number != nil {
				x.attrNums[name] = append(x.attrNums[name], n)
			}
		}
	}
	for f, list := range x.numbers {
		slices.SortStableFunc(list, func(a, b int32) int { return x.number(f, a).Cmp(x.number(f, b)) })
	}
	for name, list := range x.attrNums {
		slices.SortStableFunc(list, func(a, b int32) int {
			return products[a].Attrs[name].Number.Cmp(*products[b].Attrs[name].Number)
		})
	}
	for i := range ranges {
		x.ranges[ranges[i].Code] = &ranges[i].Where
	}
	for code := range x.ranges {
		x.rangeSet(code)
	}
	return x
}

// number is the value of a numeric field of a product that has it.
func (x *index) number(f Field, p int32) money.Rat {
	switch product := &x.products[p]; f {
	case FieldList:
		return *product.List
	case FieldCost:
		return *product.Cost
	case FieldStock:
		return *product.Stock
	case FieldRating:
		return *product.Rating
	default:
		return *product.Sold
	}
}

func (x *index) empty() Set { return make(Set, (len(x.products)+63)/64) }

func (x *index) full() Set {
	s := x.empty()
	for i := range s {
		s[i] = ^uint64(0)
	}
	if rest := len(x.products) & 63; rest != 0 {
		s[len(s)-1] = 1<<rest - 1
	}
	return s
}

// match is the set of products that the condition selects; reduced says what the field of that name stands for.
func (x *index) match(w *Where, reduced bool) Set {
	s := x.empty()
	mark := func(list []int32) {
		for _, p := range list {
			s.add(p)
		}
	}
	switch w.Field {
	case FieldAll:
		s = x.full()
		for i := range w.Parts {
			for k, word := range x.match(&w.Parts[i], reduced) {
				s[k] &= word
			}
		}
	case FieldAny:
		for i := range w.Parts {
			for k, word := range x.match(&w.Parts[i], reduced) {
				s[k] |= word
			}
		}
	case FieldNot:
		s = x.full()
		for k, word := range x.match(&w.Parts[0], reduced) {
			s[k] &^= word
		}
	case FieldSKU:
		for _, sku := range w.Values {
			if p, known := x.bySKU[sku]; known {
				s.add(p)
			}
		}
	case FieldRange:
		for _, code := range w.Values {
			for k, word := range x.rangeSet(code) {
				s[k] |= word
			}
		}
	case FieldCategory:
		for _, path := range w.Values {
			from, to := x.subtree(path)
			for p := from; p < to; p++ {
				s.add(p)
			}
		}
	case FieldAttr:
		s = x.full()
		for name, test := range w.Attrs {
			one := x.empty()
			for _, v := range test.Values {
				for _, p := range x.attrs[name][v] {
					one.add(p)
				}
			}
			if test.Bounds != nil {
				for _, p := range within(x.attrNums[name], *test.Bounds, func(p int32) money.Rat { return *x.products[p].Attrs[name].Number }) {
					one.add(p)
				}
			}
			for k := range s {
				s[k] &= one[k]
			}
		}
	case FieldList, FieldCost, FieldStock, FieldRating, FieldSold:
		mark(within(x.numbers[w.Field], w.Bounds, func(p int32) money.Rat { return x.number(w.Field, p) }))
	case FieldReduced:
		if w.Reduced == reduced {
			s = x.full()
		}
	default:
		for _, v := range w.Values {
			mark(x.texts[w.Field][v])
		}
	}
	return s
}

// within is the part of a list sorted by value that lies in the bounds.
func within(list []int32, b Bounds, value func(int32) money.Rat) []int32 {
	from, to := 0, len(list)
	if b.Min != nil {
		from, _ = slices.BinarySearchFunc(list, *b.Min, func(p int32, min money.Rat) int {
			if value(p).Less(min) {
				return -1
			}
			return 1
		})
	}
	if b.Max != nil {
		to, _ = slices.BinarySearchFunc(list, *b.Max, func(p int32, max money.Rat) int {
			if !max.Less(value(p)) {
				return -1
			}
			return 1
		})
	}
	if from >= to {
		return nil
	}
	return list[from:to]
}

// rangeSet computes each range once, while the index is made; afterwards it only reads. A range that contains itself
// selects nothing more by that.
func (x *index) rangeSet(code string) Set {
	w := x.ranges[code]
	if w == nil {
		return x.empty()
	}
	if s, done := x.cached[code]; done {
		return s
	}
	x.cached[code] = x.empty()
	x.cached[code] = x.match(w, false)
	return x.cached[code]
}

// subtree is the run of products at a category or under it.
func (x *index) subtree(path string) (from, to int32) {
	key := categoryOrder(path)
	find := func(limit string) int32 {
		i, _ := slices.BinarySearchFunc(x.products, limit, func(p Product, limit string) int {
			return cmp.Compare(categoryOrder(p.Category), limit)
		})
		return int32(i)
	}
	if path == "" {
		return 0, 0
	}
	return find(key), find(key + "\x01")
}
