package pricing

import (
	"maps"
	"math/bits"
	"slices"

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

// Names reports whether the condition names a value of a field anywhere.
func (w *Where) Names(field Field, value string) bool {
	return w.Field == field && slices.Contains(w.Values, value) ||
		slices.ContainsFunc(w.Parts, func(p Where) bool { return p.Names(field, value) })
}

// sameSelection reports whether two conditions are written alike.
func sameSelection(a, b *Where) bool {
	if a.Field != b.Field || a.Reduced != b.Reduced || len(a.Parts) != len(b.Parts) || !slices.Equal(a.Values, b.Values) ||
		!a.Bounds.same(b.Bounds) {
		return false
	}
	for i := range a.Parts {
		if !sameSelection(&a.Parts[i], &b.Parts[i]) {
			return false
		}
	}
	return maps.EqualFunc(a.Attrs, b.Attrs, func(x, y AttrTest) bool {
		return slices.Equal(x.Values, y.Values) && (x.Bounds == nil) == (y.Bounds == nil) &&
			(x.Bounds == nil || x.Bounds.same(*y.Bounds))
	})
}

func (b Bounds) same(c Bounds) bool {
	equal := func(x, y *money.Rat) bool { return (x == nil) == (y == nil) && (x == nil || x.Equal(*y)) }
	return equal(b.Min, c.Min) && equal(b.Max, c.Max)
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

// And is the set of what both hold.
func (s Set) And(t Set) Set {
	both := slices.Clone(s)
	both.and(t)
	return both
}

// Or is the set of what either holds.
func (s Set) Or(t Set) Set {
	either := slices.Clone(s)
	either.or(t)
	return either
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

// fill adds the products from..to-1.
func (s Set) fill(from, to int32) {
	for p := from; p < to; {
		w, bit := p>>6, uint(p)&63
		n := min(int32(64-bit), to-p)
		s[w] |= (^uint64(0) >> (64 - uint(n))) << bit
		p += n
	}
}

func (s Set) or(t Set) {
	for i, w := range t {
		s[i] |= w
	}
}

func (s Set) and(t Set) {
	for i, w := range t {
		s[i] &= w
	}
}

func (s Set) andNot(t Set) {
	for i, w := range t {
		s[i] &^= w
	}
}
