package basket

import (
	"fmt"

	"dogbane/internal/pricing"
)

// order is an order rule made ready.
type order struct {
	*pricing.Rule
	ordinal int
	where   pricing.Set
}

// checkOrders names the goods of which more, fewer or another number is in the basket than may be bought.
func (e *Engine) checkOrders(t *till, a *Answer) {
	type goods struct{ line, units int }
	bySKU := map[int32]*goods{}
	var inOrder []int32
	for i := range a.Lines {
		l := &a.Lines[i]
		if l.Product < 0 {
			continue
		}
		if bySKU[l.Product] == nil {
			bySKU[l.Product] = &goods{line: i}
			inOrder = append(inOrder, l.Product)
		}
		bySKU[l.Product].units += l.Quantity
	}
	for _, p := range inOrder {
		g, product := bySKU[p], e.prices.Products()[p]
		least, most, multiple, perCustomer := e.ordered(t.scope, p)
		if perCustomer > 0 {
			had := 0
			for _, h := range t.q.History {
				if h.SKU == product.SKU {
					had += h.Quantity
				}
			}
			if left := max(perCustomer-had, 0); most == 0 || left < most {
				most = left
			}
			if most == 0 {
				a.Problems = append(a.Problems, Problem{fmt.Sprintf("lines[%d].quantity", g.line),
					fmt.Sprintf("a customer may have %d of %q in all, and has had %d", perCustomer, product.SKU, had)})
				continue
			}
		}
		bounded := most > 0
		most = most / multiple * multiple
		switch {
		case bounded && most < least:
			a.Problems = append(a.Problems, Problem{fmt.Sprintf("lines[%d].quantity", g.line),
				fmt.Sprintf("no quantity of %q can be ordered", product.SKU)})
		case g.units < least || bounded && g.units > most || g.units%multiple != 0:
			a.Problems = append(a.Problems, Problem{fmt.Sprintf("lines[%d].quantity", g.line),
				fmt.Sprintf("%d of %q cannot be ordered: %s", g.units, product.SKU, valid(least, most, multiple, bounded))})
		}
	}
}

// ordered is how many of a product may be ordered at once, in which multiples, and by one customer in all; 0: any.
func (e *Engine) ordered(scope *pricing.Scope, p int32) (least, most, multiple, perCustomer int) {
	least, multiple = max(e.prices.Products()[p].MinOrder, 1), 1
	tighter := func(most *int, other int) {
		if other > 0 && (*most == 0 || other < *most) {
			*most = other
		}
	}
	for _, o := range e.orders {
		if !o.where.Has(p) || scope.Barred(o.ordinal, 0) != "" {
			continue
		}
		least = max(least, o.Order.Min)
		tighter(&most, o.Order.Max)
		tighter(&perCustomer, o.Order.PerCustomer)
		if o.Order.Multiple > 1 {
			multiple = leastCommonMultiple(multiple, o.Order.Multiple)
		}
	}
	return (least + multiple - 1) / multiple * multiple, most, multiple, perCustomer
}

// Least is the smallest number of a product that may be ordered from a viewpoint, and of which number multiples.
func (e *Engine) Least(scope *pricing.Scope, p int32) (least, multiple int) {
	least, _, multiple, _ = e.in(scope.At()).ordered(scope, p)
	return least, multiple
}

// valid says which quantities can be ordered.
func valid(least, most, multiple int, bounded bool) string {
	if bounded && least == most {
		return fmt.Sprintf("%d only", least)
	}
	text := fmt.Sprintf("at least %d", least)
	if bounded {
		text = fmt.Sprintf("from %d to %d", least, most)
	}
	if multiple > 1 {
		text += fmt.Sprintf(", in multiples of %d", multiple)
	}
	return text
}

// leastCommonMultiple stops growing where it is beyond every basket.
func leastCommonMultiple(a, b int) int {
	x, y := a, b
	for y != 0 {
		x, y = y, x%y
	}
	return min(a/x*min(b, MaxUnits+1), MaxUnits+1)
}
