package flags

import (
	"slices"

	"dogbane/internal/pricing"
)

// Shutter is what keeps a rule from applying to products that it fits.
type Shutter struct {
	By       string // the rule that shuts it out; "": none does
	Reason   pricing.Reason
	Products int
	Witness  pricing.Question // one of the questions at which it does, the earliest
}

// WhyNot tells of a rule on how many products it applies at some question, and what shuts it out on those that it fits
// and never applies to, the most products first.
func (s *Search) WhyNot(code string) (applies int, shutters []Shutter) {
	ordinal := int32(slices.Index(s.codes, code))
	if ordinal < 0 {
		return 0, nil
	}
	type key struct {
		by     int32
		reason pricing.Reason
	}
	at := map[key]int{}
	var first []shut
	var products []int32
	for p := range s.found {
		f := &s.found[p]
		if _, is := slices.BinarySearch(f.applied, ordinal); is {
			applies++
		}
		for _, h := range f.shut {
			if h.rule != ordinal {
				continue
			}
			k := key{h.by, h.reason}
			i, known := at[k]
			if !known {
				i = len(shutters)
				at[k] = i
				by := ""
				if h.by >= 0 {
					by = s.codes[h.by]
				}
				shutters = append(shutters, Shutter{By: by, Reason: h.reason})
				first, products = append(first, h), append(products, int32(p))
			}
			if shutters[i].Products++; h.at < first[i].at {
				first[i], products[i] = h, int32(p)
			}
		}
	}
	for i, h := range first {
		f := s.flag(&finding{kind: place[NeverWins], rule: h.rule, other: -1, channel: h.channel, who: h.who, at: h.at,
			quantity: h.quantity, product: products[i]})
		shutters[i].Witness = f.Witness
	}
	slices.SortStableFunc(shutters, func(a, b Shutter) int { return b.Products - a.Products })
	return applies, shutters
}
