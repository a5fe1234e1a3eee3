package pricing

import (
	"math/rand/v2"
	"testing"
	"time"
	_ "time/tzdata"

	"github.com/stretchr/testify/require"
	"github.com/teambition/rrule-go"
)

func at(t *testing.T, s string) Moment {
	t.Helper()
	m, err := ParseMoment(s)
	require.NoError(t, err)
	return m
}

func TestParseMoment(t *testing.T) {
	require.Equal(t, "2026-11-27T10:00", at(t, "2026-11-27T10:00").String())
	require.Equal(t, "2026-11-27T10:00:30", at(t, "2026-11-27T10:00:30").String())
	require.Equal(t, "2028-02-29T00:00", at(t, "2028-02-29T00:00").String())
	for _, bad := range []string{"", "2026-11-27", "2026-04-31T00:00", "2026-02-29T00:00", "2026-11-27T25:00",
		"27.11.2026 10:00", "2026-11-27T10:00Z"} {
		_, err := ParseMoment(bad)
		require.Error(t, err, bad)
	}
}

func TestWindow(t *testing.T) {
	from, to := at(t, "2026-11-27T09:00"), at(t, "2026-11-30T00:00")
	fri, sat := Weekday(4), Weekday(5)
	night := &Hours{From: 22 * Hour, To: 2 * Hour}
	for _, tc := range []struct {
		name   string
		window *Window
		at     string
		want   Reason
	}{
		{"no window is always open", nil, "2026-11-27T08:59", ""},
		{"the start belongs to it", &Window{From: &from, To: &to}, "2026-11-27T09:00", ""},
		{"before the start", &Window{From: &from, To: &to}, "2026-11-27T08:59", NotYet},
		{"the end does not belong to it", &Window{From: &from, To: &to}, "2026-11-30T00:00", Ended},
		{"the last minute does", &Window{From: &from, To: &to}, "2026-11-29T23:59", ""},
		{"another weekday", &Window{Days: []Weekday{sat}}, "2026-11-27T12:00", OutsideHours},
		{"its weekday", &Window{Days: []Weekday{fri}}, "2026-11-27T12:00", ""},
		{"hours", &Window{Hours: &Hours{From: 9 * Hour, To: 12 * Hour}}, "2026-11-27T12:00", OutsideHours},
		{"hours past midnight, before", &Window{Hours: night}, "2026-11-27T23:00", ""},
		{"hours past midnight, after", &Window{Hours: night}, "2026-11-28T01:59", ""},
		{"hours past midnight, over", &Window{Hours: night}, "2026-11-28T02:00", OutsideHours},
		{"the night belongs to the day on which it began", &Window{Hours: night, Days: []Weekday{fri}}, "2026-11-28T01:00",
			""},
		{"and not to the day on which it ends", &Window{Hours: night, Days: []Weekday{sat}}, "2026-11-28T01:00",
			OutsideHours},
		{"weekly span", &Window{Weekly: &Weekly{From: 4*Day + 18*Hour, To: 10 * Hour}}, "2026-11-30T09:59", ""},
		{"weekly span over", &Window{Weekly: &Weekly{From: 4*Day + 18*Hour, To: 10 * Hour}}, "2026-11-30T10:00",
			OutsideHours},
		{"yearly span", &Window{Yearly: &Yearly{From: 301, To: 516}}, "2027-05-15T23:59", ""},
		{"yearly span over", &Window{Yearly: &Yearly{From: 301, To: 516}}, "2027-05-16T00:00", OutsideHours},
		{"yearly span past new year", &Window{Yearly: &Yearly{From: 1220, To: 107}}, "2027-01-06T12:00", ""},
	} {
		require.Equal(t, tc.want, tc.window.test(at(t, tc.at), at(t, tc.at)), tc.name)
	}
}

// Between two moments that Next names, no window opens or closes: walking minute by minute finds nothing more.
func TestNextMissesNoChange(t *testing.T) {
	from, to := at(t, "2026-11-26T09:30"), at(t, "2026-12-03T17:00")
	for name, w := range map[string]*Window{
		"dates":    {From: &from, To: &to},
		"weekdays": {Days: []Weekday{0, 5}},
		"nights":   {Hours: &Hours{From: 22 * Hour, To: 2 * Hour}, Days: []Weekday{4}},
		"weekly":   {Weekly: &Weekly{From: 4*Day + 18*Hour, To: 10 * Hour}},
		"yearly":   {Yearly: &Yearly{From: 1130, To: 1202}},
		"all":      {From: &from, To: &to, Days: []Weekday{3, 4, 5}, Hours: &Hours{From: 9 * Hour, To: 12 * Hour}},
	} {
		begin := at(t, "2026-11-25T00:00")
		next, found := w.Next(begin)
		open := w.Open(begin)
		for m := begin; m < begin+14*Day; m += Minute {
			if found && m == next {
				open = w.Open(m)
				next, found = w.Next(m)
			}
			require.Equal(t, open, w.Open(m), "%s at %s", name, m)
		}
	}
}

// RFC 5545 section 3.3.5: a local time that occurs twice is the first of the two; one that does not occur is read with
// the offset before the gap.
func TestInstantFollowsRFC5545(t *testing.T) {
	berlin, err := time.LoadLocation("Europe/Berlin")
	require.NoError(t, err)
	for wall, want := range map[string]string{
		"2026-10-25T02:30": "2026-10-25T00:30:00Z", // twice: the first, still summer time
		"2026-10-25T03:00": "2026-10-25T02:00:00Z",
		"2026-03-29T02:30": "2026-03-29T01:30:00Z", // skipped: read as +01:00, so 03:30 summer time
		"2026-03-29T03:00": "2026-03-29T01:00:00Z",
		"2026-11-27T10:00": "2026-11-27T09:00:00Z",
	} {
		require.Equal(t, want, at(t, wall).Instant(berlin).UTC().Format(time.RFC3339), wall)
	}
}

// Weekly and yearly spans open when recurrences of RFC 5545, read by an independent library, begin. Clock changes are
// left out: there the library is wrong, and wall-clock moments know none.
func TestRecurringSpansAgainstRFC5545(t *testing.T) {
	rng := rand.New(rand.NewPCG(9, 9))
	begin := at(t, "2026-01-01T00:00")
	starts := func(w *Window, until Moment) (list []Moment) {
		open := w.Open(begin)
		for m, more := w.Next(begin); more && m < until; m, more = w.Next(m) {
			if now := w.Open(m); now && !open {
				list = append(list, m)
				open = now
			} else {
				open = now
			}
		}
		return list
	}
	for range 60 {
		from := Moment(rng.IntN(7*24)) * Hour
		w := &Window{Weekly: &Weekly{From: from, To: (from + Moment(1+rng.IntN(160))*Hour) % Week}}
		rule, err := rrule.NewRRule(rrule.ROption{Freq: rrule.WEEKLY, Dtstart: begin.wall(),
			Byweekday: []rrule.Weekday{weekdays[from/Day]}, Byhour: []int{int(from % Day / Hour)}, Byminute: []int{0},
			Bysecond: []int{0}})
		require.NoError(t, err)
		var want []Moment
		for _, m := range rule.Between(begin.wall(), (begin + 20*Week).wall(), false) {
			want = append(want, Moment(m.Unix()))
		}
		require.Equal(t, want, starts(w, begin+20*Week), "%+v", w.Weekly)
	}
	for range 40 {
		month, day := 1+rng.IntN(12), 1+rng.IntN(28)
		end := time.Date(2026, time.Month(month), day+1+rng.IntN(200), 0, 0, 0, 0, time.UTC)
		w := &Window{Yearly: &Yearly{From: MonthDay(month*100 + day), To: MonthDay(int(end.Month())*100 + end.Day())}}
		rule, err := rrule.NewRRule(rrule.ROption{Freq: rrule.YEARLY, Dtstart: begin.wall(), Bymonth: []int{month},
			Bymonthday: []int{day}})
		require.NoError(t, err)
		var want []Moment
		for _, m := range rule.Between(begin.wall(), (begin + 1400*Day).wall(), false) {
			want = append(want, Moment(m.Unix()))
		}
		require.Equal(t, want, starts(w, begin+1400*Day), "%+v", w.Yearly)
	}
}

var weekdays = []rrule.Weekday{rrule.MO, rrule.TU, rrule.WE, rrule.TH, rrule.FR, rrule.SA, rrule.SU}
