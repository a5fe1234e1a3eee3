package board

import (
	"math"
	"slices"
	"strings"

	"dogbane/internal/money"
	"dogbane/internal/pricing"
)

// Filter says which products a board is about.
type Filter struct {
	Viewpoint pricing.Viewpoint
	Against   string // what prices are compared with: published (or nothing), list, at:MOMENT or who:WHO
	Words     string
	Category  string
	Show      string // reduced, changed, below-cost, no-price; else all
	Rule      string // only products that this rule applied to
	Margin    string // only margins in percent from MIN to below MAX, as MIN:MAX; either may be empty
	Change    string // only changes in percent, likewise
}

// filter says which products a board shows.
func (v *View) filter(q *Filter) (func(p int32) bool, error) {
	var in pricing.Set
	if q.Category != "" {
		in = v.Snap.Engine.Match(&pricing.Where{Field: pricing.FieldCategory, Values: []string{q.Category}})
	}
	marginLow, marginHigh, ok1 := span(q.Margin)
	changeLow, changeHigh, ok2 := span(q.Change)
	if !ok1 || !ok2 {
		return nil, &pricing.QuestionError{Path: "margin", Problem: "a span is written as MIN:MAX in percent"}
	}
	sw, lists, applied := v.sweep, v.sweep.Lists(), v.sweep.AppliedBy(q.Rule)
	var margins *pricing.Margins
	if q.Margin != "" {
		margins = sw.Margins()
	}
	return func(p int32) bool {
		if in != nil && !in.Has(p) || q.Rule != "" && !applied(p) {
			return false
		}
		if margins != nil {
			share, known := Share(margins.Net[p], margins.Amount[p], margins.Known[p])
			if !known || share < marginLow || share >= marginHigh {
				return false
			}
		}
		if q.Change != "" {
			share, known := v.changeShare(p)
			if !known || share < changeLow || share >= changeHigh {
				return false
			}
		}
		price, priced := sw.Price(p)
		switch q.Show {
		case "reduced":
			list, listed := lists(p)
			return priced && listed && price < list
		case "changed":
			was, had := v.against.price(p)
			return v.against.known && (had != priced || priced && price != was)
		case "below-cost":
			return sw.BelowCost(p)
		case "no-price":
			return !priced
		}
		return true
	}, nil
}

func containsAll(text string, words []string) bool {
	return !slices.ContainsFunc(words, func(w string) bool { return !strings.Contains(text, w) })
}

// span reads "MIN:MAX" in percent as millionths; ok is false where the text is none.
func span(text string) (low, high int64, ok bool) {
	low, high = math.MinInt64, math.MaxInt64
	a, b, found := strings.Cut(text, ":")
	if !found {
		return low, high, text == ""
	}
	for _, end := range []struct {
		text string
		to   *int64
	}{{a, &low}, {b, &high}} {
		if end.text == "" {
			continue
		}
		percent, err := money.Parse(end.text)
		if err != nil {
			return low, high, false
		}
		n, fits := percent.Minor(4, money.Down)
		if !fits {
			return low, high, false
		}
		*end.to = n
	}
	return low, high, true
}

// change is the price less what it is compared with.
func (v *View) change(p int32) (int64, bool) {
	price, priced := v.sweep.Price(p)
	was, had := v.against.price(p)
	return price - was, priced && had
}

// changeShare is the change in millionths of what the price is compared with.
func (v *View) changeShare(p int32) (int64, bool) {
	was, _ := v.against.price(p)
	d, known := v.change(p)
	if !known || was == 0 {
		return 0, false
	}
	return d * 1_000_000 / was, true
}
