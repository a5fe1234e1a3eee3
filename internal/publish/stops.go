package publish

import (
	"fmt"
	"slices"

	"dogbane/internal/money"
	"dogbane/internal/pricing"
	"dogbane/internal/pricing/flags"
	"dogbane/internal/publish/telling"
)

// BrokenCheck blocks a line whose pinned price does not hold.
const BrokenCheck flags.Kind = "pinned-price"

// Stop is what keeps a price, or an offer, from being sent, with for whom and at which quantity it is worst.
type Stop struct {
	Kind            flags.Kind
	Group, Customer string // "": a guest
	Quantity        int
	Price, Left     *money.Rat // what a piece costs then, and what is left of it; nil: unknown
}

// stopOf is a flag as what stops.
func stopOf(f *flags.Flag) Stop {
	s := Stop{Kind: f.Kind, Customer: f.Witness.Customer, Quantity: max(f.Witness.Quantity, 1),
		Price: f.Price, Left: f.Margin}
	if len(f.Witness.Groups) > 0 {
		s.Group = f.Witness.Groups[0]
	}
	return s
}

// Blocked reports whether the row is sent only with a reason.
func (d *Difference) Blocked() bool { return len(d.Stops) > 0 }

// Blocked is how many rows are blocked.
func (d *Differences) Blocked() int {
	n := 0
	for i := range d.Rows {
		if d.Rows[i].Blocked() {
			n++
		}
	}
	return n
}

// judge finds what blocks rows, and what they leave.
func (d *Differences) judge(t *telling.Telling, rows []Difference, broken map[string]bool) error {
	x, err := t.Engine.Examine(pricing.Viewpoint{Channel: d.Channel, At: d.At})
	if err != nil {
		return fmt.Errorf("weigh the changes of channel %q: %w", d.Channel, err)
	}
	d.weigh(x, rows)
	pricing.InParallel(len(rows), func(from, to int) {
		for i := from; i < to; i++ {
			r := &rows[i]
			if r.Line == nil {
				continue
			}
			first := d.lines.Single[0]
			if cost, known := first.Cost(r.Product); known {
				amount := money.FromMinor(cost, d.Digits)
				r.Cost = &amount
				if _, minor, known := first.Margin(r.Product); known {
					margin := money.FromMinor(minor, d.Digits)
					r.Margin = &margin
				}
			}
			if stop := belowCost(d.lines, r); stop != nil {
				if m := x.Margin(r.Product, *stop.Price); m != nil {
					stop.Left = &m.Amount
				}
				r.Stops = append(r.Stops, *stop)
			}
			if broken[r.SKU] {
				r.Stops = append(r.Stops, Stop{Kind: BrokenCheck, Quantity: 1, Price: r.Price})
			}
		}
	})
	var suspects []int32
	for i := range rows {
		if r := &rows[i]; r.Line != nil && t.Entry.Limits != nil && r.Begun.Reduced {
			suspects = append(suspects, r.Product)
		}
	}
	if len(suspects) == 0 {
		return nil
	}
	q := flags.Question{From: d.At, To: d.At + 1, Channels: []string{d.Channel}, Groups: append([]string{""}, t.Groups...),
		Quantities: t.Quantities()}
	stopping, err := flags.Stopping(t.Engine, q, t.Engine.SetOf(suspects))
	if err != nil {
		return fmt.Errorf("hold the prices against the limits of channel %q: %w", d.Channel, err)
	}
	for i := range rows {
		r := &rows[i]
		if r.Line == nil {
			continue
		}
		for _, f := range stopping[r.Product] {
			if !slices.ContainsFunc(r.Stops, func(s Stop) bool { return s.Kind == f.Kind }) {
				r.Stops = append(r.Stops, stopOf(&f))
			}
		}
	}
	return nil
}

// belowCost is for whom and at which quantity a row's product costs less than it does itself; nil: for nobody.
func belowCost(l *telling.Lines, r *Difference) *Stop {
	least, priced := int64(0), false
	var worst Stop
	look := func(quantity int, sweeps []*pricing.Sweep) {
		for i, sw := range sweeps {
			if price, ok := sw.Price(r.Product); ok && (!priced || price < least) {
				least, priced = price, true
				if worst.Quantity, worst.Group = quantity, ""; i > 0 {
					worst.Group = l.Telling.Groups[i-1]
				}
			}
		}
	}
	look(1, l.Single)
	if r.Line.Order != nil {
		look(r.Line.Order.Min, l.Orders(r.Line.Order.Min))
	}
	for _, step := range l.Steps {
		if step.Moves.Has(r.Product) {
			look(step.From, step.Sweeps)
		}
	}
	if !priced || !l.Single[0].Loses(r.Product, least) {
		return nil
	}
	price := money.FromMinor(least, l.Digits)
	worst.Kind, worst.Price = flags.BelowCost, &price
	return &worst
}
