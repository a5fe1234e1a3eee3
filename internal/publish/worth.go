package publish

import (
	"dogbane/internal/money"
	"dogbane/internal/pricing"
)

// Worth is what a change of prices does at the sales of the last 30 days, in the channel's currency: as if the same
// pieces were sold again.
type Worth struct {
	Margin  money.Rat // that is earned more than before; negative: less
	Sales   money.Rat // that is taken more than before, as prices are shown
	Counted int       // products that changed and were sold
	Unknown int       // products that changed, and whose cost or sales nobody knows
}

// WorthText is a worth as it is told, amounts with the currency's digits.
type WorthText struct {
	Margin  string `json:"margin" doc:"that is earned more than before at the sales of the last 30 days; negative: less"`
	Sales   string `json:"sales" doc:"that is taken more than before, likewise, as prices are shown"`
	Counted int    `json:"counted" doc:"products whose price changes and that were sold"`
	Unknown int    `json:"unknown" doc:"products whose price changes, and whose cost or sales nobody knows"`
}

// Text is the worth in a currency of so many digits.
func (w *Worth) Text(digits int) WorthText {
	return WorthText{w.Margin.Fixed(digits), w.Sales.Fixed(digits), w.Counted, w.Unknown}
}

// Add counts a row. What was not shown before, or is not any more, has nothing to be compared with; what is held back
// is not sent.
func (w *Worth) Add(r *Difference) {
	if r.Was == nil || r.Price == nil || r.Held || r.Was.Equal(*r.Price) {
		return
	}
	if r.Sold == nil || r.Gain == nil {
		w.Unknown++
		return
	}
	if r.Sold.Sign() > 0 {
		w.Counted++
		w.Margin = w.Margin.Add(r.Gain.Mul(*r.Sold))
		w.Sales = w.Sales.Add(r.Price.Sub(*r.Was).Mul(*r.Sold))
	}
}

// weigh notes of rows what a piece earns more than at the price that is shown, and how many pieces were sold.
func (d *Differences) weigh(t *Telling, x *pricing.Examiner, rows []Difference) {
	pricing.InParallel(len(rows), func(from, to int) {
		for i := from; i < to; i++ {
			r := &rows[i]
			if r.Product < 0 || r.Was == nil || r.Price == nil {
				continue
			}
			r.Sold = t.engine.Products()[r.Product].Sold
			before, after := x.Margin(r.Product, *r.Was), x.Margin(r.Product, *r.Price)
			if before != nil && after != nil {
				gain := after.Amount.Sub(before.Amount)
				r.Gain = &gain
			}
		}
	})
}

// worthOf is what the rows that are sent of differences are worth.
func (d *Differences) worthOf(rows []Row) *WorthText {
	goes := map[string]bool{}
	for i := range rows {
		goes[rows[i].SKU] = rows[i].Goes()
	}
	w := Worth{}
	for i := range d.Rows {
		if goes[d.Rows[i].SKU] {
			w.Add(&d.Rows[i])
		}
	}
	text := w.Text(d.Digits)
	return &text
}
