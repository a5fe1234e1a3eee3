package board

import (
	"cmp"
	"fmt"
	"slices"

	"dogbane/internal/money"
	"dogbane/internal/pricing"
)

// Order is the order of a board's rows. Its keys are category, sku, name, list, price, margin, margin-amount, change,
// stock and sold.
type Order struct {
	Key  string
	Desc bool
}

// order is all products in the order asked for, but for changes; what is missing comes last in either direction.
func (v *View) order(o Order) []int32 {
	by, desc := o.Key, o.Desc
	sw, products := v.sweep, v.Snap.Engine.Products()
	sw.mu.Lock()
	defer sw.mu.Unlock()
	if by == "change" {
		by, desc = "category", false
	}
	key := fmt.Sprint(by, desc)
	if list, done := sw.orders[key]; done {
		return list
	}
	list := make([]int32, len(products))
	for i := range list {
		list[i] = int32(i)
	}
	number := func(value func(p int32) (int64, bool)) func(a, b int32) int {
		keys, known := make([]int64, len(products)), make([]bool, len(products))
		for p := range keys {
			keys[p], known[p] = value(int32(p))
		}
		return func(a, b int32) int {
			switch {
			case known[a] != known[b] && known[a]:
				return -1
			case known[a] != known[b]:
				return 1
			case desc:
				a, b = b, a
			}
			return cmp.Compare(keys[a], keys[b])
		}
	}
	text := func(value func(p *pricing.Product) string) func(a, b int32) int {
		return func(a, b int32) int {
			if desc {
				a, b = b, a
			}
			return cmp.Compare(value(products[a]), value(products[b]))
		}
	}
	amount := func(value func(p *pricing.Product) *money.Rat) func(a, b int32) int {
		return number(func(p int32) (int64, bool) {
			a := value(products[p])
			if a == nil {
				return 0, false
			}
			return a.Minor(6, money.HalfUp)
		})
	}
	var compare func(a, b int32) int
	switch by {
	case "sku":
		compare = text(func(p *pricing.Product) string { return p.SKU })
	case "name":
		compare = text(func(p *pricing.Product) string { return p.Name })
	case "list":
		compare = number(sw.Lists())
	case "price":
		compare = number(sw.Price)
	case "margin-amount":
		m := sw.Margins()
		compare = number(func(p int32) (int64, bool) { return m.Amount[p], m.Known[p] })
	case "margin":
		m := sw.Margins()
		compare = number(func(p int32) (int64, bool) { return Share(m.Net[p], m.Amount[p], m.Known[p]) })
	case "stock":
		compare = amount(func(p *pricing.Product) *money.Rat { return p.Stock })
	case "sold":
		compare = amount(func(p *pricing.Product) *money.Rat { return p.Sold })
	}
	switch {
	case compare != nil:
		slices.SortFunc(list, func(a, b int32) int { return cmp.Or(compare(a, b), cmp.Compare(a, b)) })
	case desc:
		slices.Reverse(list)
	}
	sw.orders[key] = list
	return list
}

// sortByChange sorts what the filter left by its change; what has none comes last. It is worked out for each answer:
// what a channel shows may change under a sweep.
func (v *View) sortByChange(desc bool) {
	type keyed struct {
		change int64
		p      int32
	}
	known, rest := make([]keyed, 0, len(v.Products)), []int32{}
	for _, p := range v.Products {
		if d, ok := v.change(p); ok {
			known = append(known, keyed{d, p})
		} else {
			rest = append(rest, p)
		}
	}
	slices.SortStableFunc(known, func(a, b keyed) int {
		if desc {
			a, b = b, a
		}
		return cmp.Compare(a.change, b.change)
	})
	v.Products = v.Products[:0]
	for _, k := range known {
		v.Products = append(v.Products, k.p)
	}
	v.Products = append(v.Products, rest...)
}
