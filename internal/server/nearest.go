package server

import (
	"cmp"
	"encoding/json"
	"errors"

	"dogbane/internal/bookfile"
	"dogbane/internal/money"
	"dogbane/internal/pricing"
)

// NearestValues are the values of a rule's effect next to the one written at which every price of it keeps to what a
// channel demands.
type NearestValues struct {
	Kind  string  `json:"kind" enum:",percentOff,amountOff,setPrice" doc:"of the effect; empty: one whose value cannot be searched for"`
	Lower *string `json:"lower" doc:"the greatest value below that passes; null: none does"`
	Upper *string `json:"upper" doc:"the least value above that passes; null: none does"`
}

// NearestQuery says which demand is to be kept.
type NearestQuery struct {
	ViewpointQuery
	Replaces string `query:"replaces"`
	Demand   string `query:"demand" enum:"least-off,most-off" doc:"the demand that is to be kept"`
	Of       string `query:"of" doc:"the channel whose demand it is"`
	Body     RuleDoc
}

// nearest searches, by halving, for the values of an effect at which a demand on the size of reductions is kept. Both
// demands are monotonic in the value but where a price is not reduced at all, which keeps to either; so the one side is
// found by halving and the other is the value that reduces nothing.
func (s *Server) nearest(in *NearestQuery) (NearestValues, error) {
	snap := s.live.Current()
	doc := withCode(in.Body)
	rule, err := bookfile.DecodeRule(doc, snap.Book)
	if err != nil {
		return NearestValues{}, err
	}
	vp, err := in.viewpoint(s, snap)
	if err != nil {
		return NearestValues{}, err
	}
	new(Impact).viewpoint(snap.Book, &rule, &vp)
	var out NearestValues
	kept := func(value int64, unit int) (bool, error) {
		tried := rule
		tried.Effect = &pricing.Effect{Kind: rule.Effect.Kind, Value: money.FromMinor(value, unit)}
		engine, touched := snap.Engine.With(pricing.Edit{Code: cmp.Or(in.Replaces, tried.Code), Rule: &tried})
		vp.With = []string{tried.Code}
		list, err := s.demands(snap, engine, &tried, vp, touched, in.Of)
		if err != nil {
			return false, err
		}
		for _, d := range list {
			if d.Kind == in.Demand {
				return false, nil
			}
		}
		return true, nil
	}
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
	up := (in.Demand == "least-off") == (out.Kind != "setPrice")
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
	if in.Demand == "least-off" {
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

// unsavedCode stands for that of a rule which has none yet.
const unsavedCode = "not-saved-yet.0-0-0"

// withCode gives a rule that is being written a code where it has none yet.
func withCode(doc RuleDoc) RuleDoc {
	keys, err := docKeys(doc)
	if err != nil || keys == nil || len(keys["code"]) > 2 { // nil: the document is null
		return doc
	}
	keys["code"] = json.RawMessage(`"` + unsavedCode + `"`)
	if filled, err := json.Marshal(keys); err == nil {
		return filled
	}
	return doc
}

// docErrors are the errors of a document that keep it from being saved; rest is any other error.
func docErrors(err error) (list []DocError, rest error) {
	list = []DocError{}
	var errs bookfile.Errors
	if !errors.As(err, &errs) {
		return list, err
	}
	for _, e := range errs {
		list = append(list, DocError{e.Path, e.Problem, e.Value})
	}
	return list, nil
}
