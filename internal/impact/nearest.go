package impact

import (
	"cmp"
	"slices"

	"dogbane/internal/book"
	"dogbane/internal/money"
	"dogbane/internal/pricing"
	"dogbane/internal/pricing/flags"
)

// Nearest are the values of a rule's effect next to the one written at which every price of it keeps to what a
// channel demands.
type Nearest struct {
	Kind  string  `json:"kind" enum:",percentOff,amountOff,setPrice" doc:"of the effect; empty: one whose value cannot be searched for"`
	Lower *string `json:"lower" doc:"the greatest value below that passes; null: none does"`
	Upper *string `json:"upper" doc:"the least value above that passes; null: none does"`
}

// Nearest searches for the values of an effect at which a demand on the size of reductions is kept. Both demands are
// monotonic in the value but where a price is not reduced at all, which keeps to either; so the one side is found by
// halving and the other is the value that reduces nothing. One price for goods of several prices is not: it may reduce
// some by enough and leave others alone, so that the gaps between what it must not be are looked at.
func (i *Impacts) Nearest(snap *book.Snapshot, d Draft, vp pricing.Viewpoint, side Side, channel string,
	now pricing.Moment) (Nearest, error) {
	rule := &d.Rule
	var out Nearest
	if err := new(Rule).viewpoint(snap.Engine, rule, &vp); err != nil {
		return out, err
	}
	kept := func(value int64, unit int) (bool, error) {
		tried := Draft{*rule, d.Replaces}
		tried.Rule.Effect = &pricing.Effect{Kind: rule.Effect.Kind, Value: money.FromMinor(value, unit)}
		engine, touched := snap.Engine.With(tried.edit())
		vp.With = []string{rule.Code}
		list, err := i.demands(snap, engine, &tried.Rule, vp, touched, channel, now)
		if err != nil {
			return false, err
		}
		return !slices.ContainsFunc(list, func(d Demand) bool { return d.Kind == flags.LimitDiscount && d.Side == side }), nil
	}
	var err error
	unit := 1 // tenths of a percent
	if rule.Effect == nil {
		return out, nil
	}
	switch rule.Effect.Kind {
	case pricing.PercentOff:
		out.Kind = "percentOff"
	case pricing.AmountOff:
		out.Kind = "amountOff"
	case pricing.SetPrice:
		out.Kind = "setPrice"
	default:
		return out, nil
	}
	highest := int64(1000)
	if out.Kind != "percentOff" {
		unit, _ = money.Digits(cmp.Or(rule.Currency, snap.Book.Settings.Currency))
		highest = 1
		snap.Engine.At(vp.At).Match(&rule.Where).Each(func(p int32) bool {
			if list := snap.Engine.At(vp.At).Products()[p].List; list != nil {
				n, _ := list.Minor(unit, money.Up)
				highest = max(highest, n)
			}
			return true
		})
	}
	below, ok := rule.Effect.Value.Minor(unit, money.Down)
	above, ok2 := rule.Effect.Value.Minor(unit, money.Up)
	if !ok || !ok2 {
		return out, nil
	}
	// Where more is wanted the passing values lie above for reductions and below for set prices, and the other way round.
	up := (side == Least) == (out.Kind != "setPrice")
	if up {
		out.Upper, err = search(above, highest, unit, kept)
	} else {
		out.Lower, err = search(below, 0, unit, kept)
	}
	if err != nil {
		return out, err
	}
	if side == Most {
		return out, nil
	}
	if out.Kind != "setPrice" {
		pass, err := kept(0, unit)
		if text := money.FormatMinor(0, unit); pass {
			out.Lower = &text
		}
		return out, err
	}
	gap, err := i.gap(snap, d, vp, channel, unit)
	if err != nil || gap.to == 0 {
		return out, err
	}
	if pass, err := kept(gap.from, unit); err != nil {
		return out, err
	} else if pass {
		text := money.FormatMinor(gap.from, unit)
		out.Lower = &text
	}
	for _, n := range []int64{gap.to, highest} { // the latter reduces nothing
		if pass, err := kept(n, unit); err != nil {
			return out, err
		} else if pass {
			text := money.FormatMinor(n, unit)
			out.Upper = &text
			break
		}
	}
	return out, nil
}

// span is one of whole numbers.
type span struct{ from, to int64 }

// gap is the span of set prices around the one written within which some product is reduced, but by too little for the
// channel; its ends are not. A product forbids what lies between its own price less the least reduction and its own
// price, and what several forbid may join. Where the channel's prices are other than the value that makes them (in
// another currency, or with tax), the ends are in proportion, and whoever asks tries them.
func (i *Impacts) gap(snap *book.Snapshot, d Draft, vp pricing.Viewpoint, channel string, unit int) (span, error) {
	engine, touched := snap.Engine.With(d.edit())
	vp.With = []string{d.Rule.Code}
	sw, err := i.inChannel(snap, engine, vp, channel, touched)
	if err != nil {
		return span{}, err
	}
	var least *money.Rat
	for _, c := range snap.Book.Channels {
		if c.Code == channel && c.Limits != nil {
			least = c.Limits.MinOffPercent
		}
	}
	var forbidden []span
	var here int64
	engine.At(vp.At).Match(&d.Rule.Where).Each(func(p int32) bool {
		price, priced := sw.Price(p)
		if from, known := sw.CatalogPrice(p); priced && known && least != nil {
			s := span{reduced(from, sw.Digits, least, money.Down), from}
			forbidden = append(forbidden, s)
			if s.from < price && price < s.to {
				here = price
			}
		}
		return true
	})
	slices.SortFunc(forbidden, func(a, b span) int { return cmp.Or(cmp.Compare(a.from, b.from), cmp.Compare(a.to, b.to)) })
	var joined span
	for _, s := range forbidden {
		if s.from >= joined.to {
			if joined.from < here && here < joined.to {
				break
			}
			joined = s
		}
		joined.to = max(joined.to, s.to)
	}
	if here == 0 {
		return span{}, nil
	}
	share := d.Rule.Effect.Value.Div(money.Int(here))
	low, _ := money.Int(joined.from).Mul(share).Minor(unit, money.Down)
	high, _ := money.Int(joined.to).Mul(share).Minor(unit, money.Up)
	return span{low, high}, nil
}

// search halves between a value that does not pass and the end at which one may.
func search(from, end int64, unit int, kept func(int64, int) (bool, error)) (*string, error) {
	pass, err := kept(end, unit)
	if err != nil || !pass {
		return nil, err
	}
	for from != end && from-end != 1 && end-from != 1 {
		middle := from + (end-from)/2
		if pass, err = kept(middle, unit); err != nil {
			return nil, err
		}
		if pass {
			end = middle
		} else {
			from = middle
		}
	}
	text := money.FormatMinor(end, unit)
	return &text, nil
}
