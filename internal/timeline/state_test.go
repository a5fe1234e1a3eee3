package timeline

import (
	"testing"

	"github.com/stretchr/testify/require"
)

// A rule is on, opens later, is over, closed outside its hours, or never opens; what is switched off is that before all
// else, and a rule has no better times than its campaign.
func TestStandingOf(t *testing.T) {
	every := `{"all":[]}`
	window := func(w string) string { return `,"window":` + w }
	e := engineWith(t, `"campaigns":[{"code":"friday","window":{"days":["fri"]}},{"code":"resting","status":"draft"},
		{"code":"gone","window":{"to":"2026-11-20T00:00"}}],`,
		rule("NOW", every, "")+","+
			rule("ENDS", every, window(`{"to":"2026-12-01T00:00"}`))+","+
			rule("LATER", every, window(`{"from":"2026-12-01T00:00"}`))+","+
			rule("OVER", every, window(`{"to":"2026-11-26T12:00"}`))+","+
			rule("FRIDAYS", every, window(`{"days":["fri"],"hours":["18:00","22:00"]}`))+","+
			rule("LENT", every, window(`{"from":"2026-11-27T00:00","days":["sun"],"yearly":{"from":"02-17","to":"04-05"}}`))+","+
			rule("NEVER", every, window(`{"from":"2026-11-27T00:00","to":"2026-12-31T00:00","yearly":{"from":"02-17","to":"04-05"}}`))+","+
			rule("WITH-FRIDAY", every, `,"campaign":"friday"`)+","+
			rule("NOT-FRIDAY", every, `,"campaign":"friday","window":{"days":["mon"]}`)+","+
			rule("WAITS", every, `,"campaign":"resting"`)+","+
			rule("GONE", every, `,"campaign":"gone"`)+","+
			rule("OFF", every, `,"status":"off","window":{"to":"2020-01-01T00:00"}`)+","+
			rule("DRAFT", every, `,"status":"draft"`))
	want := map[string]string{"NOW": "on", "ENDS": "on 2026-12-01T00:00", "LATER": "opens 2026-12-01T00:00", "OVER": "over",
		"FRIDAYS": "closed 2026-11-27T18:00", "LENT": "opens 2027-02-21T00:00", "NEVER": "never",
		"WITH-FRIDAY": "closed 2026-11-27T00:00", "NOT-FRIDAY": "never", "WAITS": "waits", "GONE": "over", "OFF": "off",
		"DRAFT": "draft"}
	for i := range e.Book().Rules {
		r := &e.Book().Rules[i]
		s := StandingOf(e.Book(), r, at(t, "2026-11-26T12:00"))
		said := string(s.State)
		if s.Next != nil {
			said += " " + s.Next.String()[:16]
		}
		require.Equal(t, want[r.Code], said, r.Code)
	}
}
