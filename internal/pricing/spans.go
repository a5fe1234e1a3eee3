package pricing

// Span is a stretch of wall-clock time, To exclusive.
type Span struct{ From, To Moment }

// NextOpen is the first moment from a moment on at which all of some windows are open, and whether there is one within
// forty years: as far apart as a weekday on 29 February may lie.
func NextOpen(windows []*Window, from Moment) (Moment, bool) {
	at, yearly, weekly := from, false, make([]*Window, 0, len(windows))
	for _, w := range windows {
		if w == nil {
			continue
		}
		if w.From != nil {
			at = max(at, *w.From)
		}
		yearly = yearly || w.Yearly != nil
		weekly = append(weekly, &Window{Days: w.Days, Hours: w.Hours, Weekly: w.Weekly})
	}
	if !yearly {
		return openWithin(windows, at, aWeek)
	}
	// What never meets in a week need not be looked for through the years.
	if _, meets := openWithin(weekly, at, aWeek); !meets {
		return 0, false
	}
	return openWithin(windows, at, 40*366*Day)
}

// aWeek is after how long the parts that repeat without the days of the year have repeated, with what passes midnight.
const aWeek = 8 * Day

// openWithin is the first moment from a moment on, within a span, at which all of some windows are open.
func openWithin(windows []*Window, at, span Moment) (Moment, bool) {
	for last := at + span; at <= last; {
		if allOpen(windows, at) {
			return at, true
		}
		next, found := nextOf(windows, at)
		for _, w := range windows {
			switch {
			case w == nil:
			case w.To != nil && at >= *w.To:
				return 0, false
			case w.Yearly != nil && !w.Yearly.holds(at):
				next, found = max(next, w.Yearly.next(at)), true
			}
		}
		if !found {
			return 0, false
		}
		at = next
	}
	return 0, false
}

// NextShut is the first moment at which one of some windows, all of which are open at a moment, is not, and whether
// there is one.
func NextShut(windows []*Window, open Moment) (Moment, bool) {
	// What stays open for a year and a week ends only where a window does.
	for at, last := open, open+366*Day+aWeek; at <= last; {
		next, found := nextOf(windows, at)
		if !found {
			return 0, false
		}
		if !allOpen(windows, next) {
			return next, true
		}
		at = next
	}
	var end *Moment
	for _, w := range windows {
		if w != nil && w.To != nil && (end == nil || *w.To < *end) {
			end = w.To
		}
	}
	if end == nil {
		return 0, false
	}
	return *end, true
}

func allOpen(windows []*Window, at Moment) bool {
	for _, w := range windows {
		if !w.Open(at) {
			return false
		}
	}
	return true
}

// nextOf is the first moment after one at which one of some windows may open or close.
func nextOf(windows []*Window, at Moment) (first Moment, found bool) {
	for _, w := range windows {
		if n, one := w.Next(at); one && (!found || n < first) {
			first, found = n, true
		}
	}
	return first, found
}

// OpenSpans are the stretches within [from, to) in which all of some windows are open, in order. At most most are
// given; whole reports whether those are all.
func OpenSpans(windows []*Window, from, to Moment, most int) (spans []Span, whole bool) {
	for at := from; at < to; {
		end, found := nextOf(windows, at)
		if !found || end > to {
			end = to
		}
		if allOpen(windows, at) {
			if n := len(spans); n > 0 && spans[n-1].To == at {
				spans[n-1].To = end
			} else if n == most {
				return spans, false
			} else {
				spans = append(spans, Span{at, end})
			}
		}
		at = end
	}
	return spans, true
}

// Overlap is what two lists of spans, each in order, have in common.
func Overlap(a, b []Span) []Span {
	var out []Span
	for i, j := 0, 0; i < len(a) && j < len(b); {
		if from, to := max(a[i].From, b[j].From), min(a[i].To, b[j].To); from < to {
			out = append(out, Span{from, to})
		}
		if a[i].To < b[j].To {
			i++
		} else {
			j++
		}
	}
	return out
}
