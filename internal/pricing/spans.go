package pricing

// Span is a stretch of wall-clock time, To exclusive.
type Span struct{ From, To Moment }

// NextOpen is the first moment from a moment on at which all of some windows are open, and whether there is one within
// forty years: as far apart as a weekday on 29 February may lie.
func NextOpen(windows []*Window, from Moment) (Moment, bool) {
	at, span := from, 8*Day // without days of the year, what repeats repeats by the week
	for _, w := range windows {
		if w != nil && w.From != nil {
			at = max(at, *w.From)
		}
		if w != nil && w.Yearly != nil {
			span = 40 * 366 * Day
		}
	}
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

// NextShut is the first moment after one at which all of some windows are open at which one of them is not, and whether
// there is one within a year.
func NextShut(windows []*Window, open Moment) (Moment, bool) {
	for at, last := open, open+366*Day; ; {
		next, found := nextOf(windows, at)
		if !found || next > last {
			return 0, false
		}
		if !allOpen(windows, next) {
			return next, true
		}
		at = next
	}
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
