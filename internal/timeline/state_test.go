package timeline

import (
	"testing"

	"github.com/stretchr/testify/require"
)

// A rule is on, opens later, is over, or is closed outside its hours; what is switched off is that before all else.
func TestState(t *testing.T) {
	e := engine(t, rule("NOW", `{"all":[]}`, "")+","+
		rule("LATER", `{"all":[]}`, `,"window":{"from":"2026-12-01T00:00"}`)+","+
		rule("OVER", `{"all":[]}`, `,"window":{"to":"2026-11-26T12:00"}`)+","+
		rule("FRIDAYS", `{"all":[]}`, `,"window":{"days":["fri"]}`)+","+
		rule("OFF", `{"all":[]}`, `,"status":"off","window":{"to":"2020-01-01T00:00"}`)+","+
		rule("DRAFT", `{"all":[]}`, `,"status":"draft"`))
	want := map[string]string{"NOW": "on", "LATER": "opens", "OVER": "over", "FRIDAYS": "closed", "OFF": "off", "DRAFT": "draft"}
	for i := range e.Book().Rules {
		r := &e.Book().Rules[i]
		require.Equal(t, want[r.Code], State(r, at(t, "2026-11-26T12:00")), r.Code)
	}
}
