package pricing

import (
	"fmt"
	"runtime"
	"sync"

	"dogbane/internal/money"
)

// Sweep is the prices of all products from one viewpoint, by product number. Amounts are whole minor units of Currency
// on the channel's footing; where a price was cut by layers, the price after each layer is rounded for showing only.
type Sweep struct {
	Viewpoint Viewpoint
	Currency  string
	Digits    int
	Rows      []Row
	Ties      []Tie
}

// Row is one product's price. The amounts are valid where the flag beside them says so.
type Row struct {
	List, Price int64
	Lowest      int64             // the lowest permitted price, rounded up
	Cost        int64             // on the channel's footing, rounded
	After       [LayerCount]int64 // the price after each layer in order, on the channel's footing, rounded
	Left        int64             // net − fee − cost, rounded
	Net         int64             // the price without tax, rounded
	HasList     bool
	HasPrice    bool
	HasCost     bool
	BelowCost   bool // the exact margin is under 0
	UnderGuard  bool // the price is below what the guard permits
	Held        bool // the guard lifted the price
	Rules       []*Rule
}

// Tie is two rules of equal rank in a layer of mode first that give a product different prices.
type Tie struct {
	Winner, Other *Rule
	Product       int32
	Won, Lost     money.Rat // in the channel's currency, before finishing
}

// Sweep prices all products. For a quantity whose units fall into several portions, Price is the total divided by the
// quantity, as Price would answer. Its errors are QuestionErrors.
func (e *Engine) Sweep(vp Viewpoint) (*Sweep, error) {
	first, err := e.look(vp)
	if err != nil {
		return nil, err
	}
	sw := &Sweep{Viewpoint: vp, Currency: first.currency, Digits: first.digits, Rows: make([]Row, len(e.products))}
	workers := max(1, min(runtime.GOMAXPROCS(0), len(e.products)/256))
	chunk := (len(e.products) + workers - 1) / workers
	ties := make([][]Tie, workers)
	var wg sync.WaitGroup
	for w := range workers {
		wg.Go(func() {
			v := *first
			v.onTie = func(winner, other *rule, p int32, won, lost money.Rat) {
				ties[w] = append(ties[w], Tie{winner.Rule, other.Rule, p, won, lost})
			}
			for p := w * chunk; p < min((w+1)*chunk, len(e.products)); p++ {
				v.row(int32(p), &sw.Rows[p])
			}
		})
	}
	wg.Wait()
	for _, list := range ties {
		sw.Ties = append(sw.Ties, list...)
	}
	return sw, nil
}

func (v *view) row(p int32, row *Row) {
	minor := func(o opt, mode money.Mode) (int64, bool) {
		if !o.ok {
			return 0, false
		}
		return o.v.Minor(v.digits, mode)
	}
	toChannel := func(o opt) opt {
		if o.ok {
			o.v = v.toChannel(p, o.v)
		}
		return o
	}
	mode := v.book.Settings.Rounding.Mode
	row.List, row.HasList = minor(toChannel(v.listPrice(p)), mode)
	if cost := v.bookAmount(v.products[p].Cost); cost.ok {
		row.Cost, row.HasCost = minor(some(v.shown(p, cost.v)), mode)
	}
	segs := []segment{{v.quantity, v.quantity}}
	if v.quantity > 1 {
		segs = v.segments(p)
	}
	total := money.Int(0)
	for i, seg := range segs {
		s := state{product: p, quantity: v.quantity, unit: seg.last}
		v.unit(&s)
		if !s.price.ok {
			row.HasPrice = false
			return
		}
		fin := v.finish(&s)
		total = total.Add(fin.price.Mul(money.Int(int64(seg.units))))
		row.UnderGuard = row.UnderGuard || fin.UnderGuard || fin.OverMaxOff
		row.Held = row.Held || fin.Held
		if i > 0 {
			continue
		}
		for k, after := range s.after {
			row.After[k], _ = minor(toChannel(after), mode)
		}
		for _, r := range s.applied {
			row.Rules = append(row.Rules, r.Rule)
		}
		if limit, _ := v.lowest(p); limit.ok {
			row.Lowest, _ = minor(limit, money.Up)
		}
	}
	unit := total
	if len(segs) > 1 || v.quantity > 1 {
		unit = total.Div(money.Int(int64(v.quantity)))
	}
	row.Price, row.HasPrice = unit.Minor(v.digits, mode)
	if m := v.margin(p, unit); m != nil {
		row.Left, _ = m.Left.Minor(v.digits, money.HalfUp)
		row.Net, _ = m.Net.Minor(v.digits, money.HalfUp)
		row.BelowCost = m.Left.Sign() < 0
	}
}

// Changes are the moments in [from, to) at which a rule's or a campaign's window may open or close, in order, at most
// limit of them; from itself is not among them.
func (e *Engine) Changes(from, to Moment, limit int) []Moment {
	var moments []Moment
	for at := from; len(moments) < limit; {
		next, found := Moment(0), false
		look := func(w *Window, status Status) {
			if status == Off {
				return
			}
			if m, ok := w.Next(at); ok && (!found || m < next) {
				next, found = m, true
			}
		}
		for i := range e.book.Rules {
			look(e.book.Rules[i].Window, e.book.Rules[i].Status)
		}
		for i := range e.book.Campaigns {
			look(e.book.Campaigns[i].Window, e.book.Campaigns[i].Status)
		}
		if !found || next >= to {
			break
		}
		moments = append(moments, next)
		at = next
	}
	return moments
}

// Alike is a text that is the same for two viewpoints only if all prices are the same from both, because the same
// rules take part and nothing else that a price depends on differs.
func (e *Engine) Alike(vp Viewpoint) (string, error) {
	v, err := e.look(vp)
	if err != nil {
		return "", err
	}
	key := []byte(fmt.Sprintf("%s\x00%d\x00%d\x00", vp.Channel, v.quantity, v.term))
	for _, h := range vp.History { // history counts back from the moment
		key = fmt.Appendf(key, "%s %d %d %d\x00", h.SKU, h.Quantity, h.At, vp.At)
	}
	word := byte(0)
	for i, r := range e.rules {
		if v.blocked[r.ordinal] == "" {
			word |= 1 << (i & 7)
		}
		if i&7 == 7 {
			key, word = append(key, word), 0
		}
	}
	return string(append(key, word)), nil
}
