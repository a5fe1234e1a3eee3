package pricing

import (
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/require"
)

// Friday 27 November 2026, half past nine.
const turnNow = "2026-11-27T09:30"

func TestTurns(t *testing.T) {
	m := func(s string) *Moment { v := at(t, s); return &v }
	evening := &Hours{From: 17 * Hour, To: 19 * Hour}
	morning := &Hours{From: 9 * Hour, To: 12 * Hour}
	fri := []Weekday{4}
	for _, c := range []struct {
		name     string
		window   Window
		at       string
		turn     Turn
		from, to string // "": open
		never    bool
		refused  bool
	}{
		{name: "what begins later begins now", window: Window{From: m("2026-12-01T00:00"), To: m("2026-12-06T00:00")},
			at: "2026-12-01T00:00", turn: StartNow, from: turnNow, to: "2026-12-06T00:00"},
		{name: "what is open does not begin", window: Window{To: m("2026-12-06T00:00")}, at: "2026-12-06T00:00",
			turn: StartNow, refused: true},
		{name: "what opens by its hours does not begin between them", window: Window{Hours: evening},
			at: "2026-11-27T17:00", turn: StartNow, refused: true},
		{name: "nor before its first day", window: Window{From: m("2026-12-01T00:00"), Hours: evening},
			at: "2026-12-01T17:00", turn: StartNow, refused: true},
		{name: "within its hours it begins before its first day", at: "2026-12-01T09:00", turn: StartNow, from: turnNow,
			window: Window{From: m("2026-12-01T00:00"), Hours: morning}},
		{name: "what ends later ends now", window: Window{From: m("2026-11-01T00:00"), To: m("2026-12-06T00:00")},
			at: "2026-12-06T00:00", turn: EndNow, from: "2026-11-01T00:00", to: turnNow},
		{name: "what has no end but its hours ends for good", window: Window{Hours: morning}, at: "2026-11-27T12:00",
			turn: EndNow, to: turnNow},
		{name: "what is shut does not end", window: Window{Hours: evening}, at: "2026-11-27T17:00", turn: EndNow,
			refused: true},
		{name: "what opens once is passed over by not opening", window: Window{From: m("2026-12-01T00:00")},
			at: "2026-12-01T00:00", turn: Skip, from: "2026-12-01T00:00", never: true},
		{name: "one evening is passed over", window: Window{Hours: evening}, at: "2026-11-27T17:00", turn: Skip,
			from: "2026-11-27T19:00"},
		{name: "the next week's is not the next", window: Window{Hours: evening, Days: fri}, at: "2026-12-04T17:00",
			turn: Skip, refused: true},
		{name: "the last evening is passed over by not opening", turn: Skip, at: "2026-11-27T17:00", never: true,
			window: Window{Hours: evening, To: m("2026-11-27T20:00")}, from: "2026-11-27T19:00", to: "2026-11-27T20:00"},
		{name: "the rest of a morning is passed over", window: Window{Hours: morning}, at: "2026-11-27T12:00", turn: Skip,
			from: "2026-11-27T12:00"},
		{name: "what ends once is not passed over", window: Window{To: m("2026-12-06T00:00")}, at: "2026-12-06T00:00",
			turn: Skip, refused: true},
		{name: "a night belongs to the day on which it begins", turn: Skip, at: "2026-11-27T22:00", from: "2026-11-28T02:00",
			window: Window{Hours: &Hours{From: 22 * Hour, To: 2 * Hour}, Days: fri}},
		{name: "a moment at which nothing turns", window: Window{Hours: evening}, at: "2026-11-27T18:00", turn: Skip,
			refused: true},
	} {
		turned, never, ok := c.window.Turn(c.turn, at(t, c.at), at(t, turnNow))
		require.Equal(t, c.refused, !ok, c.name)
		if !ok {
			continue
		}
		text := func(m *Moment) string {
			if m == nil {
				return ""
			}
			return m.String()
		}
		require.Equal(t, c.from, text(turned.From), c.name)
		require.Equal(t, c.to, text(turned.To), c.name)
		require.Equal(t, c.never, never, c.name)
	}
	opened := Window{From: m(turnNow), To: m("2026-12-06T00:00")}
	turned, _, ok := opened.Turn(EndNow, *opened.To, *opened.From+20)
	require.True(t, ok)
	require.Equal(t, []string{"2026-11-27T09:29", "2026-11-27T09:30"}, []string{turned.From.String(), turned.To.String()},
		"within the minute in which it opened: prices are made for the minute")
	later := Window{From: m("2026-12-01T00:00")}
	turned, _, ok = later.Turn(StartNow, *later.From, at(t, turnNow)+40)
	require.True(t, ok)
	require.Equal(t, turnNow, turned.From.String(), "at the minute for which prices are made, not at the second")
}

// Passing over one time changes that time and no other.
func TestSkippingChangesOneTime(t *testing.T) {
	random := rand.New(rand.NewPCG(7, 11))
	skipped := 0
	for range 2000 {
		w := randomWindow(random)
		now := at(t, "2026-11-27T00:00") + Moment(random.IntN(7*24*60))*Minute
		if w.Open(now) || !w.recurring() {
			continue
		}
		opening := w.stays(now)
		turned, never, ok := w.Turn(Skip, opening, now)
		if !ok || never {
			continue
		}
		skipped++
		over := w.stays(opening)
		for range 50 {
			m := now + Moment(random.IntN(40*24*60))*Minute
			require.Equal(t, w.Open(m) && (m < opening || m >= over), turned.Open(m), "%+v at %s", w, m)
		}
	}
	require.Greater(t, skipped, 200)
}

// randomWindow opens on some days, in some hours, weekly or yearly, and perhaps between two moments.
func randomWindow(random *rand.Rand) *Window {
	w := &Window{}
	if random.IntN(2) == 0 {
		w.Hours = &Hours{From: Moment(random.IntN(24)) * Hour, To: Moment(random.IntN(24))*Hour + 30*Minute}
	}
	for d := range Weekday(7) {
		if random.IntN(4) == 0 {
			w.Days = append(w.Days, d)
		}
	}
	if random.IntN(4) == 0 {
		from := Moment(random.IntN(7*24)) * Hour
		w.Weekly = &Weekly{From: from, To: (from + Moment(1+random.IntN(160))*Hour) % Week}
	}
	if random.IntN(8) == 0 {
		w.Yearly = &Yearly{From: 1120, To: 1224}
	}
	if begin := Moment(1_795_000_000 / 60 * 60); random.IntN(4) == 0 {
		from, to := begin+Moment(random.IntN(30))*Day, begin+Moment(40+random.IntN(30))*Day
		w.From, w.To = &from, &to
	}
	return w
}
