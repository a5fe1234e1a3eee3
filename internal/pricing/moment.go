package pricing

import (
	"fmt"
	"time"
)

// Moment is a local wall-clock time in the book's time zone, in seconds since 1970-01-01T00:00 on that clock. Windows
// are tested against the wall clock, so a Moment knows no offset: when clocks go back, two instants share one Moment.
type Moment int64

// Lengths of wall-clock time in seconds.
const (
	Minute Moment = 60
	Hour          = 60 * Minute
	Day           = 24 * Hour
	Week          = 7 * Day
)

// MomentOf is what the wall clock of t's location shows at t.
func MomentOf(t time.Time) Moment {
	_, offset := t.Zone()
	return Moment(t.Unix() + int64(offset))
}

// wall is the moment as a time.Time whose UTC fields read as the local wall clock.
func (m Moment) wall() time.Time { return time.Unix(int64(m), 0).UTC() }

// Instant is the first instant at which clocks in zone show m. Where clocks skip m (a gap in spring), it is the instant
// as far after the change as m lies in the gap, which is RFC 5545 section 3.3.5's reading of such a time: the offset
// before the gap applies.
func (m Moment) Instant(zone *time.Location) time.Time {
	_, before := time.Unix(int64(m-Day), 0).In(zone).Zone()
	_, after := time.Unix(int64(m+Day), 0).In(zone).Zone()
	first := time.Unix(int64(m)-int64(before), 0).In(zone)
	if MomentOf(first) == m || before == after {
		return first
	}
	if second := time.Unix(int64(m)-int64(after), 0).In(zone); MomentOf(second) == m {
		return second
	}
	return first
}

// Layouts of a moment in documents and on the wire.
const (
	momentLayout  = "2006-01-02T15:04"
	secondsLayout = "2006-01-02T15:04:05"
	dateLayout    = "2006-01-02"
)

// ParseMoment reads "2026-11-27T10:00" or, with seconds, "2026-11-27T10:00:30". The date must exist.
func ParseMoment(s string) (Moment, error) {
	layout := momentLayout
	if len(s) == len(secondsLayout) {
		layout = secondsLayout
	}
	t, err := time.Parse(layout, s)
	if err != nil {
		if len(s) >= len(dateLayout) {
			if _, derr := time.Parse(dateLayout, s[:len(dateLayout)]); derr != nil && looksLikeDate(s) {
				return 0, fmt.Errorf("the date %s does not exist", s[:len(dateLayout)])
			}
		}
		return 0, fmt.Errorf("not a date and time such as \"2026-11-27T10:00\"")
	}
	return Moment(t.Unix()), nil
}

func looksLikeDate(s string) bool {
	for i, c := range []byte(s[:len(dateLayout)]) {
		if dash := i == 4 || i == 7; dash != (c == '-') || !dash && (c < '0' || c > '9') {
			return false
		}
	}
	return true
}

// String is the moment as documents write it, with seconds only where there are any.
func (m Moment) String() string {
	if m%Minute != 0 {
		return m.wall().Format(secondsLayout)
	}
	return m.wall().Format(momentLayout)
}

// Format writes the moment in a layout of package time.
func (m Moment) Format(layout string) string { return m.wall().Format(layout) }

// day counts whole days since 1970-01-01; seconds of the day are left over.
func (m Moment) day() (day, second Moment) {
	day = m / Day
	if m%Day < 0 {
		day--
	}
	return day, m - day*Day
}

// Weekday is 0 for Monday to 6 for Sunday.
type Weekday int8

var weekdayNames = [...]string{"mon", "tue", "wed", "thu", "fri", "sat", "sun"}

// String is the weekday as documents write it: "mon".
func (d Weekday) String() string { return weekdayNames[d] }

// ParseWeekday reads "mon" to "sun".
func ParseWeekday(s string) (Weekday, bool) {
	for i, name := range weekdayNames {
		if s == name {
			return Weekday(i), true
		}
	}
	return 0, false
}

// weekdayOf is the weekday of a day count; 1970-01-01 was a Thursday.
func weekdayOf(day Moment) Weekday { return Weekday(((day+3)%7 + 7) % 7) }
