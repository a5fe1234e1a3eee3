package board

import (
	"cmp"
	"math"
	"slices"
	"strings"

	"dogbane/internal/book"
	"dogbane/internal/money"
	"dogbane/internal/pricing"
)

// Filter says which products a board is about. What is left empty does not narrow.
type Filter struct {
	Viewpoint pricing.Viewpoint
	Assumed   book.Assumed // of the viewpoint's buyer, which is in it already
	Against   string       // what prices are compared with: published (or nothing), list, at:MOMENT or who:WHO
	Words     string
	Category  string
	Show      string   // reduced, changed, below-cost, no-price; else all
	Rule      string   // only products that this rule applied to
	Margin    string   // only margins in percent from MIN to below MAX, as MIN:MAX; either may be empty
	AnyMargin bool     // the margin is that of any channel, at the viewpoint otherwise
	Change    string   // only changes in percent, likewise
	Stock     string   // only so many in stock, from MIN to MAX; a product without a count has none
	Sold      string   // only so many sold, likewise
	Tags      []string // only products that show one of these tags, those of rules at work among them
	Reach     Reach
	First     int // only so many rows, in the board's order
}

// Reach says which products a board shows by the rules that reach them.
type Reach string

// The ways to be reached.
const (
	Changed    Reach = "changed"    // a rule makes the price
	Unchanged  Reach = "unchanged"  // no rule does
	Unselected Reach = "unselected" // no rule selects the product, now or later, for whomever
)

type test = func(p int32) bool

// filter says which products a board shows.
func (v *View) filter(q *Filter) (test, error) {
	var tests []test
	var problem error
	add := func(t test, err error) {
		tests = append(tests, t)
		problem = cmp.Or(problem, err)
	}
	if q.Category != "" {
		in := v.Snap.Engine.Match(&pricing.Where{Field: pricing.FieldCategory, Values: []string{q.Category}})
		tests = append(tests, in.Has)
	}
	if q.Rule != "" {
		tests = append(tests, v.sweep.AppliedBy(q.Rule))
	}
	if q.Margin != "" {
		add(v.byMargin(q.Margin, q.AnyMargin))
	}
	if q.Change != "" {
		add(bySpan("change", q.Change, v.changeShare))
	}
	products := v.Snap.Engine.Products()
	if q.Stock != "" {
		add(byCount("stock", q.Stock, func(p int32) *money.Rat { return products[p].Stock }))
	}
	if q.Sold != "" {
		add(byCount("sold", q.Sold, func(p int32) *money.Rat { return products[p].Sold }))
	}
	if len(q.Tags) > 0 {
		tests = append(tests, v.byTags(q.Tags))
	}
	if q.Reach != "" {
		add(v.byReach(q.Reach))
	}
	if t := v.shown(q.Show); t != nil {
		tests = append(tests, t)
	}
	if problem != nil {
		return nil, problem
	}
	return func(p int32) bool {
		for _, t := range tests {
			if !t(p) {
				return false
			}
		}
		return true
	}, nil
}

// shown is the test of one of the ways to show a board; nil: all.
func (v *View) shown(how string) test {
	sw := v.sweep
	switch how {
	case "reduced":
		lists := sw.Lists()
		return func(p int32) bool {
			price, priced := sw.Price(p)
			list, listed := lists(p)
			return priced && listed && price < list
		}
	case "changed":
		return func(p int32) bool {
			price, priced := sw.Price(p)
			was, had := v.against.price(p)
			return v.against.known && (had != priced || priced && price != was)
		}
	case "below-cost":
		return sw.BelowCost
	case "no-price":
		return func(p int32) bool {
			_, priced := sw.Price(p)
			return !priced
		}
	}
	return nil
}

func (v *View) byMargin(span string, everywhere bool) (test, error) {
	if !everywhere {
		return bySpan("margin", span, marginShare(v.sweep))
	}
	var channels []test
	for i := range v.Snap.Book.Channels {
		sw, err := v.inChannel(v.Snap.Book.Channels[i].Code)
		if err != nil {
			return nil, err
		}
		t, err := bySpan("margin", span, marginShare(sw))
		if err != nil {
			return nil, err
		}
		v.channels = append(v.channels, sw)
		channels = append(channels, t)
	}
	return func(p int32) bool { return slices.ContainsFunc(channels, func(t test) bool { return t(p) }) }, nil
}

// inChannel is the sweep of the viewpoint in another channel.
func (v *View) inChannel(code string) (*Sweep, error) {
	vp := v.Viewpoint
	vp.Channel = code
	return v.boards.Sweeps.Of(v.Snap, vp)
}

// marginShare gives margins in millionths of the net price.
func marginShare(sw *Sweep) func(p int32) (int64, bool) {
	m := sw.Margins()
	return func(p int32) (int64, bool) { return Share(m.Net[p], m.Amount[p], m.Known[p]) }
}

// bySpan tests a share in millionths by a span in percent.
func bySpan(path, text string, share func(p int32) (int64, bool)) (test, error) {
	low, high, ok := span(text)
	if !ok {
		return nil, &pricing.QuestionError{Path: path, Problem: "a span is written as MIN:MAX in percent"}
	}
	return func(p int32) bool {
		n, known := share(p)
		return known && n >= low && n < high
	}, nil
}

// byCount tests a number of a product by a span that holds both of its ends.
func byCount(path, text string, count func(p int32) *money.Rat) (test, error) {
	a, b, found := strings.Cut(text, ":")
	low, err1 := end(a)
	high, err2 := end(b)
	if !found || err1 != nil || err2 != nil {
		return nil, &pricing.QuestionError{Path: path, Problem: "a span is written as MIN:MAX"}
	}
	return func(p int32) bool {
		n := count(p)
		return n != nil && (low == nil || !n.Less(*low)) && (high == nil || !high.Less(*n))
	}, nil
}

// end is one end of a span; nil where it is left open.
func end(text string) (*money.Rat, error) {
	if text == "" {
		return nil, nil
	}
	n, err := money.Parse(text)
	return &n, err
}

// byTags tests for one of some tags, as the product shows them while the rules at work are live.
func (v *View) byTags(tags []string) test {
	products := v.Snap.Engine.Products()
	wanted := func(tag string) bool { return slices.Contains(tags, tag) }
	own := func(p int32) bool { return slices.ContainsFunc(products[p].Tags, wanted) }
	live := slices.ContainsFunc(v.Snap.Book.Rules, func(r pricing.Rule) bool {
		return r.LiveTags != nil && (slices.ContainsFunc(r.LiveTags.Add, wanted) ||
			slices.ContainsFunc(r.LiveTags.Remove, wanted))
	})
	if !live {
		return own
	}
	return func(p int32) bool {
		return slices.ContainsFunc(pricing.LiveTagsOf(v.sweep.Rules(p)).On(products[p]), wanted)
	}
}

func (v *View) byReach(how Reach) (test, error) {
	switch how {
	case Changed:
		return v.sweep.Ruled, nil
	case Unchanged:
		return func(p int32) bool { return !v.sweep.Ruled(p) }, nil
	case Unselected:
		all := v.Snap.Engine.Selected(v.Viewpoint.At)
		return func(p int32) bool { return !all.Has(p) }, nil
	}
	return nil, &pricing.QuestionError{Path: "reach", Problem: "must be changed, unchanged or unselected"}
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
