package pricing

// Span is a stretch of wall-clock time, To exclusive.
type Span struct{ From, To Moment }

// OpenSpans are the stretches within [from, to) in which all of some windows are open, in order. At most most are
// given; whole reports whether those are all.
func OpenSpans(windows []*Window, from, to Moment, most int) (spans []Span, whole bool) {
	open := func(at Moment) bool {
		for _, w := range windows {
			if !w.Open(at) {
				return false
			}
		}
		return true
	}
	next := func(at Moment) Moment {
		first := to
		for _, w := range windows {
			if n, found := w.Next(at); found {
				first = min(first, n)
			}
		}
		return first
	}
	for at := from; at < to; {
		end := next(at)
		if open(at) {
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
