package timeline

import (
	"cmp"
	"slices"

	"dogbane/internal/pricing"
)

const (
	mostSpans = 500 // of one rule or campaign
	week      = 7 * pricing.Day
)

// Calendar is when campaigns and rules are open within a span of time.
type Calendar struct {
	Campaigns []Bar
	Rules     []Bar // with a window or a campaign, in the order in which prices meet them
	Always    int   // rules that are on without a window, which are not among them
	Conflicts []Conflict
	Week      []Event // what starts and ends in the seven days from now, by time
}

// Bar is a campaign (Rule is nil) or a rule (Campaign is its campaign, if it has one) and when it is open.
type Bar struct {
	Campaign *pricing.Campaign
	Rule     *pricing.Rule
	Spans    []pricing.Span
}

// Conflict is two rules of one rank that want the same goods at the same time, in a layer whose first rule is used.
type Conflict struct {
	A, B  *pricing.Rule
	Goods int // products that both select
	Spans []pricing.Span
}

// Event is a start, or an end, of a campaign (Rule is nil) or a rule.
type Event struct {
	At       pricing.Moment
	Starts   bool
	Campaign *pricing.Campaign
	Rule     *pricing.Rule
	Reach    int // products that the rule selects
}

// CalendarOf lays out what an engine's book opens and closes from a moment (in the span) to another (not in it).
func CalendarOf(e *pricing.Engine, now, from, to pricing.Moment) Calendar {
	b, out := e.Book(), Calendar{}
	e = e.At(now) // what rules select is told of the present
	for i := range b.Campaigns {
		c := &b.Campaigns[i]
		windows := []*pricing.Window{c.Window}
		spans, _ := pricing.OpenSpans(windows, from, to, mostSpans)
		out.Campaigns = append(out.Campaigns, Bar{Campaign: c, Spans: spans})
		if c.Status == pricing.On && c.Window != nil {
			out.note(Event{Campaign: c}, windows, now)
		}
	}
	var on []Bar // rules that take part at some moment of the span
	for _, r := range b.RulesInOrder() {
		windows, c := Windows(b, r)
		takesPart := r.Status == pricing.On && (c == nil || c.Status == pricing.On)
		bar := Bar{Campaign: c, Rule: r}
		bar.Spans, _ = pricing.OpenSpans(windows, from, to, mostSpans)
		if takesPart && len(bar.Spans) > 0 {
			on = append(on, bar)
		}
		if r.Window == nil && r.Campaign == "" {
			if r.Status == pricing.On {
				out.Always++
			}
			continue
		}
		out.Rules = append(out.Rules, bar)
		if takesPart {
			reach, _ := e.Reach(r.Code)
			out.note(Event{Rule: r, Reach: reach}, windows, now)
		}
	}
	out.Conflicts = conflicts(e, on)
	slices.SortStableFunc(out.Week, func(a, b Event) int { return cmp.Compare(a.At, b.At) })
	return out
}

// note adds the starts and ends of windows within a week from now.
func (c *Calendar) note(one Event, windows []*pricing.Window, now pricing.Moment) {
	spans, _ := pricing.OpenSpans(windows, now-pricing.Day, now+week+pricing.Day, mostSpans)
	for _, span := range spans {
		for _, end := range []Event{{At: span.From, Starts: true}, {At: span.To}} {
			if end.At >= now && end.At < now+week {
				one.At, one.Starts = end.At, end.Starts
				c.Week = append(c.Week, one)
			}
		}
	}
}

// conflicts finds the rules of one rank that want the same goods at the same time, in the order of the rules.
func conflicts(e *pricing.Engine, on []Bar) (found []Conflict) {
	first := map[pricing.Layer]bool{}
	for _, l := range e.Book().Settings.Layers {
		first[l.Layer] = l.Mode == pricing.First
	}
	for i, bar := range on {
		a := bar.Rule
		for _, other := range on[i+1:] {
			b := other.Rule
			if a.Layer != b.Layer || a.Rank != b.Rank || !first[a.Layer] || !meet(a.Channels, b.Channels) ||
				!sameBuyers(a.Audience, b.Audience) {
				continue
			}
			shared := pricing.Overlap(bar.Spans, other.Spans)
			if len(shared) == 0 {
				continue
			}
			goods, theirs := 0, e.Match(&b.Where)
			e.Match(&a.Where).Each(func(p int32) bool {
				if theirs.Has(p) {
					goods++
				}
				return true
			})
			if goods > 0 {
				found = append(found, Conflict{a, b, goods, shared})
			}
		}
	}
	return found
}

// meet reports whether two lists, where nil is everything, have something in common.
func meet(a, b []string) bool {
	return a == nil || b == nil || slices.ContainsFunc(a, func(x string) bool { return slices.Contains(b, x) })
}

// sameBuyers reports whether somebody may belong to two audiences. Customers of groups are not looked up: two groups
// may share one.
func sameBuyers(a, b *pricing.Audience) bool {
	if a == nil || b == nil {
		return true
	}
	only := func(x *pricing.Audience) bool { return len(x.Groups) == 0 && len(x.Customers) > 0 }
	if only(a) && only(b) {
		return meet(a.Customers, b.Customers)
	}
	return (a.FirstOrder == nil || b.FirstOrder == nil || *a.FirstOrder == *b.FirstOrder) &&
		(len(a.Countries) == 0 || len(b.Countries) == 0 || meet(a.Countries, b.Countries))
}
