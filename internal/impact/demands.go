package impact

import (
	"cmp"
	"slices"

	"dogbane/internal/book"
	"dogbane/internal/money"
	"dogbane/internal/pricing"
	"dogbane/internal/pricing/flags"
)

// Side says which of the limits on the size of reductions is meant.
type Side string

// The sides.
const (
	Least Side = "least" // too little is taken off
	Most  Side = "most"  // too much is
)

// Demand is a limit of a channel that reduced prices break.
type Demand struct {
	Channel string     `json:"channel"`
	Name    string     `json:"name"`
	Kind    flags.Kind `json:"kind" enum:"limit-whole-units,limit-discount,limit-reference,limit-lead-time"`
	Side    Side       `json:"side,omitempty" enum:"least,most" doc:"of a limit on the size of reductions"`
	Count   int        `json:"count" doc:"products whose price breaks it"`
	SKU     string     `json:"sku,omitempty" doc:"one of them"`
	Have    string     `json:"have,omitempty" doc:"its price"`
	Wants   string     `json:"wants" doc:"what the channel demands"`
	Nearest []string   `json:"nearest" doc:"the nearest prices that would pass, ascending"`
}

// demands holds the prices that a rule makes in channels with limits (only one, where it is named) against those.
func (i *Impacts) demands(snap *book.Snapshot, engine *pricing.Engine, rule *pricing.Rule, vp pricing.Viewpoint,
	touched pricing.Set,
	only string, now pricing.Moment) ([]Demand, error) {
	list := []Demand{}
	for k := range snap.Book.Channels {
		c := &snap.Book.Channels[k]
		if c.Limits == nil || only != "" && only != c.Code || rule.Channels != nil &&
			!slices.Contains(rule.Channels, c.Code) {
			continue
		}
		sw, err := i.inChannel(snap, engine, vp, c.Code, touched)
		if err != nil {
			return nil, err
		}
		type about struct {
			kind flags.Kind
			side Side
		}
		found := map[about]*Demand{}
		breaks := func(p int32, what about, wants func() string, price int64, nearest ...int64) {
			d := found[what]
			if d == nil {
				d = &Demand{Channel: c.Code, Name: cmp.Or(c.Name, c.Code), Kind: what.kind, Side: what.side,
					SKU: engine.Products()[p].SKU, Have: money.FormatMinor(price, sw.Digits), Wants: wants(), Nearest: []string{}}
				for _, n := range nearest {
					if n > 0 {
						d.Nearest = append(d.Nearest, money.FormatMinor(n, sw.Digits))
					}
				}
				found[what] = d
			}
			d.Count++
		}
		unit, _ := money.Int(1).Minor(sw.Digits, money.HalfUp)
		x, err := engine.Examine(pricing.Viewpoint{Channel: c.Code, At: vp.At})
		if err != nil {
			return nil, err
		}
		applies, applied := false, sw.AppliedBy(rule.Code)
		engine.At(vp.At).Match(&rule.Where).Each(func(p int32) bool {
			price, priced := sw.Price(p)
			if !priced || !applied(p) {
				return true
			}
			from, known := sw.CatalogPrice(p)
			applies = true
			if known && price < from {
				if c.Limits.WholeUnits && price%unit != 0 {
					breaks(p, about{flags.LimitWholeUnits, ""}, func() string { return "whole amounts" }, price,
						price-price%unit, price-price%unit+unit)
				}
				if least := c.Limits.MinOffPercent; least != nil {
					if n := reduced(from, sw.Digits, least, money.Down); price > n {
						breaks(p, about{flags.LimitDiscount, Least}, func() string { return "at least " + least.String() + " % off" },
							price, n, from)
					}
				}
				if most := c.Limits.MaxOffPercent; most != nil {
					if n := reduced(from, sw.Digits, most, money.Up); price < n {
						breaks(p, about{flags.LimitDiscount, Most}, func() string { return "at most " + most.String() + " % off" }, price,
							n)
					}
				}
				list, lists := x.ListPrice(p)
				if c.Limits.NeedsReference && x.Product(p).RRP == nil &&
					(!lists || !money.FromMinor(price, sw.Digits).Less(list)) {
					breaks(p, about{flags.LimitReference, ""}, func() string { return "a recommended price or a higher list price" },
						price)
				}
			}
			return true
		})
		if lead := c.Limits.LeadHours; applies && lead != nil {
			begins := now
			windows := []*pricing.Window{rule.Window}
			for i := range snap.Book.Campaigns {
				if campaign := &snap.Book.Campaigns[i]; campaign.Code == rule.Campaign {
					windows = append(windows, campaign.Window)
				}
			}
			for _, w := range windows {
				if w != nil && w.From != nil {
					begins = max(begins, *w.From)
				}
			}
			seconds, _ := lead.Mul(money.Int(int64(pricing.Hour))).Minor(0, money.Up)
			if earliest := now + pricing.Moment(seconds); begins > now && begins < earliest {
				found[about{flags.LimitLeadTime, ""}] = &Demand{Channel: c.Code, Name: cmp.Or(c.Name, c.Code),
					Kind: flags.LimitLeadTime, Have: begins.String(), Wants: lead.String() + " hours' notice",
					Nearest: []string{earliest.String()}}
			}
		}
		for n := range flags.Table {
			for _, side := range []Side{Least, Most, ""} {
				if d := found[about{flags.Table[n].Kind, side}]; d != nil {
					list = append(list, *d)
				}
			}
		}
	}
	return list, nil
}

// inChannel are a channel's prices for guests with a rule that is being written.
func (i *Impacts) inChannel(snap *book.Snapshot, engine *pricing.Engine, vp pricing.Viewpoint, channel string,
	touched pricing.Set) (*pricing.Sweep, error) {
	vp.Channel, vp.Groups, vp.Customer = channel, nil, ""
	_, after, err := i.around(snap, engine, vp, touched)
	return after, err
}

// reduced is a price less so many percent, in minor units.
func reduced(from int64, digits int, percent *money.Rat, mode money.Mode) int64 {
	n, _ := money.FromMinor(from, digits).Mul(money.Int(1).Sub(money.PercentOf(*percent))).Minor(digits, mode)
	return n
}
