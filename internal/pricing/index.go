package pricing

import (
	"cmp"
	"math"
	"slices"
	"strings"
	"sync"

	"dogbane/internal/money"
)

// index finds products by the value of a field. Products are numbered in the order of their categories, so that a
// category with all that lies under it is one run of numbers. What a field needs is built when a selection first looks
// at it: a book of a hundred thousand products uses few of all fields.
type index struct {
	book     []*Product // in the book's order
	numberOf []int32    // by place in book
	bySKU    map[string]int32
	skuOnce  sync.Once

	categories []categoryRun // in the order of products
	ranges     map[string]*Where
	rangeSets  map[string]Set // all ranges, computed when the index is made

	figuredRanges map[string]bool // ranges that look at figures
	first         *index          // of the same products with other figures, which knows all else; nil: none

	texts    lazy[Field, map[string][]int32]
	attrs    lazy[string, map[string][]int32]
	numbers  lazy[Field, *numbers]
	attrNums lazy[string, *numbers]
}

// lazy keeps what is made when first asked for. Different things are made side by side.
type lazy[K comparable, V any] struct {
	mu   sync.Mutex
	made map[K]func() V
}

func (l *lazy[K, V]) get(key K, build func() V) V {
	l.mu.Lock()
	get := l.made[key]
	if get == nil {
		if l.made == nil {
			l.made = map[K]func() V{}
		}
		get = sync.OnceValue(build)
		l.made[key] = get
	}
	l.mu.Unlock()
	return get()
}

// categoryRun is the products of one category.
type categoryRun struct {
	key         string // categoryOrder of the path
	first, next int32
}

// categoryOrder puts a category straight before what lies under it: the separator sorts before every other character.
func categoryOrder(path string) string { return strings.ReplaceAll(path, "/", "\x00") }

// inOrder numbers products by category, those of one category in the book's order.
func inOrder(products []*Product) (list []*Product, numberOf []int32, categories []categoryRun) {
	number := map[string]int{}
	var runs []categoryRun
	of := make([]int32, len(products))
	for i := range products {
		path := products[i].Category
		k, known := number[path]
		if !known {
			k = len(runs)
			number[path] = k
			runs = append(runs, categoryRun{key: categoryOrder(path)})
		}
		of[i] = int32(k)
		runs[k].next++ // a count, for now
	}
	order := make([]int, len(runs))
	for k := range order {
		order[k] = k
	}
	slices.SortFunc(order, func(a, b int) int { return cmp.Compare(runs[a].key, runs[b].key) })
	at := int32(0)
	fill := make([]int32, len(runs))
	sorted := make([]categoryRun, len(runs))
	for i, k := range order {
		fill[k] = at
		sorted[i] = categoryRun{runs[k].key, at, at + runs[k].next}
		at += runs[k].next
	}
	list = make([]*Product, len(products))
	for i := range products {
		k := of[i]
		list[fill[k]] = products[i]
		of[i] = fill[k] // from here on its number
		fill[k]++
	}
	return list, of, sorted
}

func newIndex(book []*Product, numberOf []int32, categories []categoryRun, ranges []Range) *index {
	x := &index{book: book, numberOf: numberOf, categories: categories, ranges: map[string]*Where{},
		rangeSets: map[string]Set{}}
	for i := range ranges {
		x.ranges[ranges[i].Code] = &ranges[i].Where
	}
	x.figuredRanges = map[string]bool{}
	for more := true; more; { // until no range is found by another one
		more = false
		for code, where := range x.ranges {
			if !x.figuredRanges[code] && x.figured(where) {
				x.figuredRanges[code], more = true, true
			}
		}
	}
	for code := range x.ranges {
		x.rangeSet(code)
	}
	return x
}

// number finds a product by its SKU.
func (x *index) number(sku string) (int32, bool) {
	if x.first != nil {
		return x.first.number(sku)
	}
	x.skuOnce.Do(func() {
		x.bySKU = make(map[string]int32, len(x.book))
		for i := range x.book {
			x.bySKU[x.book[i].SKU] = x.numberOf[i]
		}
	})
	p, known := x.bySKU[sku]
	return p, known
}

func (x *index) empty() Set { return make(Set, (len(x.book)+63)/64) }

func (x *index) full() Set {
	s := x.empty()
	s.fill(0, int32(len(x.book)))
	return s
}

// match is the set of products that the condition selects; reduced says what the field of that name stands for.
func (x *index) match(w *Where, reduced bool) Set {
	s := x.empty()
	switch w.Field {
	case FieldAll:
		s.fill(0, int32(len(x.book)))
		for i := range w.Parts {
			if part := &w.Parts[i]; part.Field == FieldNot {
				s.andNot(x.match(&part.Parts[0], reduced))
			} else {
				s.and(x.match(part, reduced))
			}
		}
	case FieldAny:
		for i := range w.Parts {
			s.or(x.match(&w.Parts[i], reduced))
		}
	case FieldNot:
		s.fill(0, int32(len(x.book)))
		s.andNot(x.match(&w.Parts[0], reduced))
	case FieldSKU:
		for _, sku := range w.Values {
			if p, known := x.number(sku); known {
				s.add(p)
			}
		}
	case FieldRange:
		for _, code := range w.Values {
			s.or(x.rangeSet(code))
		}
	case FieldCategory:
		for _, path := range w.Values {
			s.fill(x.subtree(path))
		}
	case FieldAttr:
		s.fill(0, int32(len(x.book)))
		for name, test := range w.Attrs {
			one := x.empty()
			for _, v := range test.Values {
				one.addAll(x.attrTexts(name)[v])
			}
			if test.Bounds != nil {
				x.attrNumbers(name).within(*test.Bounds, one)
			}
			s.and(one)
		}
	case FieldList, FieldCost, FieldStock, FieldRating, FieldSold:
		x.fieldNumbers(w.Field).within(w.Bounds, s)
	case FieldReduced:
		if w.Reduced == reduced {
			s.fill(0, int32(len(x.book)))
		}
	default:
		for _, v := range w.Values {
			s.addAll(x.fieldTexts(w.Field)[v])
		}
	}
	return s
}

func (s Set) addAll(list []int32) {
	for _, p := range list {
		s.add(p)
	}
}

// rangeSet computes each range once, while the index is made; afterwards it only reads. A range that contains itself
// selects nothing more by that.
func (x *index) rangeSet(code string) Set {
	w := x.ranges[code]
	if w == nil {
		return nil
	}
	if s, done := x.rangeSets[code]; done {
		return s
	}
	x.rangeSets[code] = x.empty()
	x.rangeSets[code] = x.match(w, false)
	return x.rangeSets[code]
}

// subtree is the run of products at a category or under it.
func (x *index) subtree(path string) (from, to int32) {
	if path == "" {
		return 0, 0
	}
	key := categoryOrder(path)
	find := func(limit string) int32 {
		i, _ := slices.BinarySearchFunc(x.categories, limit, func(c categoryRun,
			limit string) int {
			return cmp.Compare(c.key, limit)
		})
		if i == len(x.categories) {
			return int32(len(x.book))
		}
		return x.categories[i].first
	}
	return find(key), find(key + "\x01")
}

// textOf is the value of a field that holds one text.
func (p *Product) textOf(f Field) string {
	switch f {
	case FieldStyle:
		return p.Style
	case FieldBrand:
		return p.Brand
	case FieldSupplier:
		return p.Supplier
	case FieldType:
		return p.Type
	}
	return p.TaxClass
}

// fieldTexts are the products by the value of a field.
func (x *index) fieldTexts(f Field) map[string][]int32 {
	if x.first != nil {
		return x.first.fieldTexts(f)
	}
	return x.texts.get(f, func() map[string][]int32 {
		list := map[string][]int32{}
		for i := range x.book {
			p := x.book[i]
			if f == FieldTag {
				for _, t := range p.Tags {
					list[t] = append(list[t], x.numberOf[i])
				}
			} else if v := p.textOf(f); v != "" {
				list[v] = append(list[v], x.numberOf[i])
			}
		}
		return list
	})
}

// attrTexts are the products by the text of an attribute.
func (x *index) attrTexts(name string) map[string][]int32 {
	if x.first != nil {
		return x.first.attrTexts(name)
	}
	return x.attrs.get(name, func() map[string][]int32 {
		list := map[string][]int32{}
		for i := range x.book {
			if a, known := x.book[i].Attrs[name]; known {
				list[a.Text] = append(list[a.Text], x.numberOf[i])
			}
		}
		return list
	})
}

func (p *Product) numberOf(f Field) *money.Rat {
	switch f {
	case FieldList:
		return p.List
	case FieldCost:
		return p.Cost
	case FieldStock:
		return p.Stock
	case FieldRating:
		return p.Rating
	}
	return p.Sold
}

func (x *index) fieldNumbers(f Field) *numbers {
	if x.first != nil && f != FieldList && f != FieldCost {
		return x.first.fieldNumbers(f)
	}
	return x.numbers.get(f, func() *numbers {
		return x.newNumbers(func(p *Product) *money.Rat { return p.numberOf(f) })
	})
}

func (x *index) attrNumbers(name string) *numbers {
	if x.first != nil {
		return x.first.attrNumbers(name)
	}
	return x.attrNums.get(name, func() *numbers {
		return x.newNumbers(func(p *Product) *money.Rat { return p.Attrs[name].Number })
	})
}

// numbers are the values of a field in whole millionths, by product, so that bounds are compared as integers. A value
// that is no whole number of millionths, or too great, is kept apart and compared as it is.
type numbers struct {
	millionths []int64 // missing where there is none, or where it is kept apart
	apart      map[int32]money.Rat
}

const missing = math.MinInt64

func (x *index) newNumbers(value func(p *Product) *money.Rat) *numbers {
	n := &numbers{millionths: make([]int64, len(x.book))}
	for i := range x.book {
		at := x.numberOf[i]
		n.millionths[at] = missing
		v := value(x.book[i])
		if v == nil {
			continue
		}
		if m, exact := v.Millionths(); exact {
			n.millionths[at] = m
			continue
		}
		if n.apart == nil {
			n.apart = map[int32]money.Rat{}
		}
		n.apart[at] = *v
	}
	return n
}

// within adds the products whose value lies in the bounds.
func (n *numbers) within(b Bounds, s Set) {
	const most = math.MaxInt64
	low, high := int64(missing+1), int64(most)
	// A bound beyond 63 bits leaves no product, or all, on its side; those kept apart are compared below anyhow.
	if b.Min != nil {
		m, fits := b.Min.Minor(6, money.Up)
		switch {
		case fits:
			low = m
		case b.Min.Sign() > 0:
			low = most
		}
	}
	if b.Max != nil {
		m, fits := b.Max.Minor(6, money.Down)
		switch {
		case fits:
			high = m
		case b.Max.Sign() < 0:
			high = missing
		}
	}
	for i, m := range n.millionths {
		if low <= m && m <= high {
			s.add(int32(i))
		}
	}
	for p, v := range n.apart {
		if b.Contains(v) {
			s.add(p)
		}
	}
}
