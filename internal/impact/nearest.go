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

// Nearest searches, by halving, for the values of an effect at which a demand on the size of reductions is kept. Both
// demands are monotonic in the value but where a price is not reduced at all, which keeps to either; so the one side is
// found by halving and the other is the value that reduces nothing.
func (i *Impacts) Nearest(snap *book.Snapshot, d Draft, vp pricing.Viewpoint, side Side, channel string,
	now pricing.Moment) (Nearest, error) {
	rule := &d.Rule
	new(Rule).viewpoint(snap.Book, rule, &vp)
	var out Nearest
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
		snap.Engine.Match(&rule.Where).Each(func(p int32) bool {
			if list := snap.Engine.Products()[p].List; list != nil {
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
	nothing := int64(0) // the value that reduces nothing
	if out.Kind == "setPrice" {
		nothing = highest
	}
	if side == Least {
		if pass, err := kept(nothing, unit); err != nil {
			return out, err
		} else if text := money.FormatMinor(nothing, unit); pass && up {
			out.Lower = &text
		} else if pass {
			out.Upper = &text
		}
	}
	return out, nil
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
