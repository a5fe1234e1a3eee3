package basket

import (
	"slices"

	"dogbane/internal/money"
)

// Step is what a change of the goods changed in the answer.
type Step struct {
	Before, After money.Rat // totals
	Came, Went    []string  // rules that apply now and did not, and the other way round
	More, Fewer   []string  // offers that apply more often, or less often
}

// StepOf is the step from one answer to another.
func StepOf(before, after *Answer) Step {
	s := Step{Before: before.Total, After: after.Total}
	had, has := before.applied(), after.applied()
	for _, code := range has {
		if !slices.Contains(had, code) {
			s.Came = append(s.Came, code)
		} else if n, m := before.times(code), after.times(code); n < m {
			s.More = append(s.More, code)
		} else if n > m {
			s.Fewer = append(s.Fewer, code)
		}
	}
	for _, code := range had {
		if !slices.Contains(has, code) {
			s.Went = append(s.Went, code)
		}
	}
	return s
}

// applied are the codes of the rules that made the prices of the lines, and of the offers, each once.
func (a *Answer) applied() (codes []string) {
	add := func(code string) {
		if !slices.Contains(codes, code) {
			codes = append(codes, code)
		}
	}
	for i := range a.Lines {
		for _, r := range a.Lines[i].Runs {
			for _, code := range r.Rules {
				add(code)
			}
		}
	}
	for i := range a.Offers {
		add(a.Offers[i].Rule)
	}
	return codes
}
