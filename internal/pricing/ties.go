package pricing

import "dogbane/internal/money"

// Tie is two rules of equal rank in a layer of mode first that give a product different prices.
type Tie struct {
	Winner, Other *Rule
	Product       int32
	Won, Lost     money.Rat // in the channel's currency, before finishing
}

// Ties are those of the sweep's viewpoint.
func (sw *Sweep) Ties() []Tie {
	v := sw.view
	suspects := v.index.empty()
	for at := range v.layers {
		if v.layers[at].Mode != First {
			continue
		}
		rules := v.active[at]
		for i := 0; i < len(rules); {
			once, twice := v.index.empty(), v.index.empty()
			k := i
			for ; k < len(rules) && rules[k].Rank == rules[i].Rank; k++ {
				for w := range once {
					m := rules[k].reach[0][w] | rules[k].reach[1][w]
					twice[w] |= once[w] & m
					once[w] |= m
				}
			}
			if k > i+1 {
				suspects.or(twice)
			}
			i = k
		}
	}
	var ties []Tie
	own := v.own()
	own.onTie = func(winner, other *rule, p int32, won, lost money.Rat) {
		ties = append(ties, Tie{winner.Rule, other.Rule, p, won, lost})
	}
	suspects.Each(func(p int32) bool {
		if v.sells(p) {
			own.unitPrice(p, nil)
		}
		return true
	})
	return ties
}
