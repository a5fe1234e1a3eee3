package impact

import (
	"slices"

	"dogbane/internal/board"
	"dogbane/internal/pricing"
)

// Tally counts what moved between two sweeps. Amounts are decimal texts in the currency of the later one.
type Tally struct {
	Moved    int `json:"moved" doc:"prices that differ"`
	Up       int `json:"up" doc:"of those, higher ones and such as were none"`
	Down     int `json:"down" doc:"of those, lower ones and such as are none any more"`
	Below    int `json:"below" doc:"moved prices that lie below cost afterwards"`
	NewBelow int `json:"newBelow" doc:"prices that come to lie below cost"`
	Cleared  int `json:"cleared" doc:"prices that no longer lie below cost"`

	MarginBefore *string `json:"marginBefore" doc:"mean gross margin in percent"`
	MarginAfter  *string `json:"marginAfter"`
}

// same reports whether two tallies say the same.
func (t Tally) same(o Tally) bool {
	equal := func(a, b *string) bool { return a == b || a != nil && b != nil && *a == *b }
	counts, others := t, o
	counts.MarginBefore, counts.MarginAfter, others.MarginBefore, others.MarginAfter = nil, nil, nil, nil
	return counts == others && equal(t.MarginBefore, o.MarginBefore) && equal(t.MarginAfter, o.MarginAfter)
}

// Mover is one changed price.
type Mover struct {
	SKU    string  `json:"sku"`
	Name   string  `json:"name"`
	Before *string `json:"before"`
	After  *string `json:"after"`
	Change *string `json:"change"`
	Margin *string `json:"margin" doc:"afterwards, in percent"`
	Below  bool    `json:"below" doc:"below cost afterwards"`
}

// move is one product's price before and after; n and p are its numbers.
type move struct {
	n, p     int32 // n is -1 where it was no product before
	was, is  int64
	had, has bool
}

func (m *move) moved() bool { return m.had != m.has || m.had && m.was != m.is }

// change is by how much a price moved, 0 where there was or is none.
func (m *move) change() int64 {
	if m.had && m.has {
		return m.is - m.was
	}
	return 0
}

// comparison holds two sweeps against each other. It is the one place where prices before and after an edit are
// compared.
type comparison struct {
	before *pricing.Sweep // nil: who asks, or the channel, is new
	after  *pricing.Sweep
	number func(p int32) int32 // before, of a product numbered afterwards; -1: it is new
	among  pricing.Set         // only these; nil: all
	// reached are the products whose mean margins are told; nil: those that moved.
	reached pricing.Set
	// each is told every product that was looked at; nil: nobody is.
	each func(m *move)
}

// numbers maps the products of an engine to those of an earlier one.
func numbers(before, after *pricing.Engine) func(p int32) int32 {
	a, b := before.Products(), after.Products()
	list := make([]int32, len(b))
	for p := range b {
		if p < len(a) && a[p].SKU == b[p].SKU {
			list[p] = int32(p)
		} else if n, exists := before.ProductNumber(b[p].SKU); exists {
			list[p] = n
		} else {
			list[p] = -1
		}
	}
	return func(p int32) int32 { return list[p] }
}

func same(p int32) int32 { return p }

func (c *comparison) tally() Tally {
	var out Tally
	var before, after []int64
	take := func(list *[]int64, margin func(int32) (int64, int64, bool), p int32) {
		if share, ok := board.Share(margin(p)); ok {
			*list = append(*list, share)
		}
	}
	marginBefore, marginAfter := c.margins()
	c.products(func(p int32) {
		m := move{n: -1, p: p}
		m.is, m.has = c.after.Price(p)
		wasBelow, isBelow := false, c.after.BelowCost(p)
		if c.before != nil {
			if m.n = c.number(p); m.n >= 0 {
				m.was, m.had = c.before.Price(m.n)
				wasBelow = c.before.BelowCost(m.n)
			}
		}
		moved := m.moved()
		if c.reached == nil && moved || c.reached != nil && c.reached.Has(p) {
			if m.had {
				take(&before, marginBefore, m.n)
			}
			if m.has {
				take(&after, marginAfter, p)
			}
		}
		switch {
		case isBelow && !wasBelow:
			out.NewBelow++
		case wasBelow && !isBelow:
			out.Cleared++
		}
		if moved {
			out.Moved++
			if !m.had || m.has && m.is > m.was {
				out.Up++
			} else {
				out.Down++
			}
			if isBelow {
				out.Below++
			}
		}
		if c.each != nil {
			c.each(&m)
		}
	})
	out.MarginBefore, out.MarginAfter = board.Mean(before), board.Mean(after)
	return out
}

// products calls look with the products to be compared.
func (c *comparison) products(look func(p int32)) {
	if c.among == nil {
		for p := range int32(c.after.Len()) {
			look(p)
		}
		return
	}
	c.among.Each(func(p int32) bool { look(p); return true })
}

// margins give the margins before and after; those of many products are worked out on all cores.
func (c *comparison) margins() (before, after func(p int32) (net, margin int64, known bool)) {
	of := func(sw *pricing.Sweep) func(p int32) (int64, int64, bool) {
		if sw == nil || c.among == nil || c.among.Count() <= sw.Len()/4 {
			return sw.Margin
		}
		all := sw.Margins()
		return func(p int32) (int64, int64, bool) { return all.Net[p], all.Amount[p], all.Known[p] }
	}
	return of(c.before), of(c.after)
}

// biggest keeps the biggest moves, the biggest first; of equals the first.
type biggest struct {
	most int
	list []move
}

func (b *biggest) add(m *move) {
	size := func(m *move) int64 { return max(m.change(), -m.change()) }
	if !m.moved() || len(b.list) == b.most && size(m) <= size(&b.list[b.most-1]) {
		return
	}
	at, _ := slices.BinarySearchFunc(b.list, m, func(have move, m *move) int {
		if size(&have) >= size(m) {
			return -1
		}
		return 1
	})
	b.list = slices.Insert(b.list[:min(len(b.list), b.most-1)], min(at, b.most-1), *m)
}

// movers write moves out.
func (c *comparison) movers(list []move, products []*pricing.Product) []Mover {
	out := []Mover{}
	for _, m := range list {
		product, digits := products[m.p], c.after.Digits
		one := Mover{SKU: product.SKU, Name: product.Name, Before: board.Minor(m.was, m.had, digits),
			After: board.Minor(m.is, m.has, digits),
			Below: c.after.BelowCost(m.p)}
		if m.had && m.has {
			one.Change = board.Minor(m.change(), true, digits)
		}
		if net, margin, known := c.after.Margin(m.p); known {
			one.Margin = board.Percent(margin, net)
		}
		out = append(out, one)
	}
	return out
}
