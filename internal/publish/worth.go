package publish

import (
	"context"
	"time"

	"dogbane/internal/book"
	"dogbane/internal/money"
	"dogbane/internal/pricing"
)

// Worth is what a change of prices does at a channel's sales of the last 30 days, in the channel's currency: as if the
// same pieces were sold again.
type Worth struct {
	Margin  money.Rat // that is earned more than before; negative: less
	Sales   money.Rat // that is taken more than before, as prices are shown
	Counted int       // products that changed and were sold
	Unknown int       // products that changed, and whose cost or sales nobody knows

	sold *Sold
}

// WorthText is a worth as it is told, amounts with the currency's digits.
type WorthText struct {
	Margin  string `json:"margin" doc:"that is earned more than before at the channel's sales of the last 30 days; negative: less"`
	Sales   string `json:"sales" doc:"that is taken more than before, likewise, as prices are shown"`
	Counted int    `json:"counted" doc:"products whose price changes and that were sold"`
	Unknown int    `json:"unknown" doc:"products whose price changes, and whose cost or sales nobody knows"`
	// Whole says that sales bear no channel: what each channel is told then must not be added up.
	Whole bool `json:"whole,omitempty" doc:"at the sales of all channels together, as sales bear no channel: not to be added up over channels"`
}

// Text is the worth in a currency of so many digits.
func (w *Worth) Text(digits int) WorthText {
	return WorthText{w.Margin.Fixed(digits), w.Sales.Fixed(digits), w.Counted, w.Unknown, w.sold.units == nil}
}

// Sold is how much a channel sold in the last 30 days.
type Sold struct {
	units map[string]int64 // nil: sales bear no channel
	snap  *book.Snapshot
	from  time.Time // when it was counted
}

// of is how many pieces of a product were sold; nil: nobody knows.
func (s *Sold) of(sku string) *money.Rat {
	if s.units != nil {
		n := money.Int(s.units[sku])
		return &n
	}
	if p := s.snap.Product(sku); p != nil {
		return p.Sold
	}
	return nil
}

const (
	soldIn    = 30 * pricing.Day
	soldKnown = time.Minute // for so long what was counted holds
)

// Worth begins to weigh what changes in a channel, at its own sales; where no sale bears a channel, at those of all.
func (d *Desk) Worth(ctx context.Context, snap *book.Snapshot, channel string) (*Worth, error) {
	now := d.now()
	d.mu.Lock()
	known := d.sold[channel]
	d.mu.Unlock()
	if known == nil || now.Sub(known.from).Abs() > soldKnown || known.snap != snap {
		at := snap.Moment(now)
		units, err := d.keeper.SoldIn(ctx, channel, at-soldIn, at)
		if err != nil {
			return nil, err
		}
		known = &Sold{units, snap, now}
		d.mu.Lock()
		d.sold[channel] = known
		d.mu.Unlock()
	}
	return &Worth{sold: known}, nil
}

// Add counts a row. What was not shown before, or is not any more, has nothing to be compared with; what is held back
// is not sent.
func (w *Worth) Add(r *Difference) {
	if r.Was == nil || r.Price == nil || r.Held || r.Was.Equal(*r.Price) {
		return
	}
	sold := w.sold.of(r.SKU)
	if sold == nil || r.Gain == nil {
		w.Unknown++
		return
	}
	if sold.Sign() > 0 {
		w.Counted++
		w.Margin = w.Margin.Add(r.Gain.Mul(*sold))
		w.Sales = w.Sales.Add(r.Price.Sub(*r.Was).Mul(*sold))
	}
}

// weigh notes of rows what a piece earns more than at the price that is shown.
func (d *Differences) weigh(x *pricing.Examiner, rows []Difference) {
	pricing.InParallel(len(rows), func(from, to int) {
		for i := from; i < to; i++ {
			r := &rows[i]
			if r.Product < 0 || r.Was == nil || r.Price == nil {
				continue
			}
			before, after := x.Margin(r.Product, *r.Was), x.Margin(r.Product, *r.Price)
			if before != nil && after != nil {
				gain := after.Amount.Sub(before.Amount)
				r.Gain = &gain
			}
		}
	})
}

// of is what the rows that are sent of differences are worth.
func (w *Worth) of(d *Differences, rows []Row) *WorthText {
	goes := map[string]bool{}
	for i := range rows {
		goes[rows[i].SKU] = rows[i].Goes()
	}
	for i := range d.Rows {
		if goes[d.Rows[i].SKU] {
			w.Add(&d.Rows[i])
		}
	}
	text := w.Text(d.Digits)
	return &text
}
