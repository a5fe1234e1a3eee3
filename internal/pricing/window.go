package pricing

import "time"

// Window says when a rule is open. Every part is optional and all given parts must hold. All of it is wall-clock time
// in the book's zone.
type Window struct {
	From, To *Moment   // From is inclusive, To exclusive
	Days     []Weekday // nil: every day
	Hours    *Hours
	Weekly   *Weekly
	Yearly   *Yearly
}

// Hours is a span within a day, in seconds since midnight, To exclusive. Where To is not after From the span passes
// midnight and belongs to the day on which it begins.
type Hours struct{ From, To Moment }

// Weekly is one span each week, in seconds since Monday 00:00, To exclusive; it may pass the end of the week.
type Weekly struct{ From, To Moment }

// Yearly is one span each year between two days, To exclusive; it may pass new year.
type Yearly struct{ From, To MonthDay }

// MonthDay is a day of the year, as month × 100 + day: 301 is 1 March.
type MonthDay int16

// openness of a window: the reasons are told apart in the trail.
//
// at is the moment itself; hours, and the days they belong to, are tested at clock, which differs for a day of a hire
// only.
func (w *Window) test(at, clock Moment) Reason {
	if w == nil {
		return ""
	}
	switch {
	case w.From != nil && at < *w.From:
		return NotYet
	case w.To != nil && at >= *w.To:
		return Ended
	case !w.recurs(at, clock):
		return OutsideHours
	}
	return ""
}

// Open reports whether the window is open at the moment.
func (w *Window) Open(at Moment) bool { return w.test(at, at) == "" }

// recurs tests the repeating parts of the window.
func (w *Window) recurs(at, clock Moment) bool {
	day, second := clock.day()
	if w.Hours != nil {
		switch h := w.Hours; {
		case h.From < h.To && (second < h.From || second >= h.To):
			return false
		case h.From >= h.To && second < h.From:
			if second >= h.To {
				return false
			}
			day-- // past midnight: the span began yesterday
		}
	}
	if w.Days != nil {
		found := false
		for _, d := range w.Days {
			found = found || d == weekdayOf(day)
		}
		if !found {
			return false
		}
	}
	if w.Weekly != nil {
		today, second := at.day()
		in := Moment(weekdayOf(today))*Day + second
		if !cyclic(in, w.Weekly.From, w.Weekly.To) {
			return false
		}
	}
	return w.Yearly == nil || w.Yearly.holds(at)
}

// holds reports whether a moment lies in the span.
func (y *Yearly) holds(at Moment) bool {
	t := at.wall()
	return cyclic(MonthDay(int(t.Month())*100+t.Day()), y.From, y.To)
}

// next is when the span begins next after a moment.
func (y *Yearly) next(at Moment) Moment {
	year := at.wall().Year()
	if start := y.From.in(year); start > at {
		return start
	}
	return y.From.in(year + 1)
}

// cyclic reports whether x lies in [from, to) on a circle.
func cyclic[T Moment | MonthDay](x, from, to T) bool {
	if from < to {
		return from <= x && x < to
	}
	return x >= from || x < to
}

// Next is the first moment after m at which the window may open or close, and whether there is one within a year and a
// day after m (which is as far as a yearly span needs). The window may also stay as it is at that moment.
func (w *Window) Next(m Moment) (Moment, bool) {
	next, found := Moment(0), false
	take := func(t Moment) {
		if t > m && (!found || t < next) {
			next, found = t, true
		}
	}
	if w == nil {
		return 0, false
	}
	if w.From != nil {
		take(*w.From)
	}
	if w.To != nil {
		take(*w.To)
	}
	day, _ := m.day()
	if w.Days != nil || w.Hours != nil {
		for d := day - 1; d <= day+8; d++ {
			if w.Hours == nil {
				take(d * Day)
				continue
			}
			take(d*Day + w.Hours.From)
			take(d*Day + w.Hours.To)
		}
	}
	if w.Weekly != nil {
		monday := (day - Moment(weekdayOf(day))) * Day
		for k := Moment(0); k <= 1; k++ {
			take(monday + k*Week + w.Weekly.From)
			take(monday + k*Week + w.Weekly.To)
		}
	}
	if w.Yearly != nil {
		year := m.wall().Year()
		for y := year; y <= year+1; y++ {
			take(w.Yearly.From.in(y))
			take(w.Yearly.To.in(y))
		}
	}
	return next, found
}

// in is the start of the day in a year; 29 February is 1 March where the year has none.
func (d MonthDay) in(year int) Moment {
	return Moment(time.Date(year, time.Month(d/100), int(d%100), 0, 0, 0, 0, time.UTC).Unix())
}
