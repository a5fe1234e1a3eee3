package timeline_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"dogbane/internal/book/booktest"
	"dogbane/internal/pricing"
	"dogbane/internal/timeline"
)

// What a rule selects is told with the figures that hold now, and each later figure beside what it takes the place of.
func TestLaterFiguresInTime(t *testing.T) {
	e := pricing.Compile(booktest.Read(t, `{"settings":{"currency":"EUR","timeZone":"UTC"},"products":[
		{"sku":"A & B","list":"20","levels":{"least":"15"},"later":[{"from":"2026-11-01T00:00","list":"30"},
			{"from":"2027-01-01T00:00","list":"31","levels":{"least":"16","most":"40"}}]}],
		"rules":[{"code":"DEAR","layer":"sale","rank":1,"where":{"list":{"min":"25"}},"effect":{"percentOff":"5"},
			"window":{"from":"2026-11-27T00:00","to":"2026-12-20T00:00"}}]}`))
	now, err := pricing.ParseMoment("2026-11-26T09:00")
	require.NoError(t, err)
	c := timeline.CalendarOf(e, now, now, now+30*pricing.Day)
	require.Len(t, c.Week, 1)
	require.Equal(t, 1, c.Week[0].Reach)

	list := timeline.LaterOf(e, now)
	require.Len(t, list, 1, "what has begun is not to come")
	var told []string
	for _, f := range list[0].Changes() {
		was := "none"
		if f.Was != nil {
			was = f.Was.String()
		}
		told = append(told, f.Figure+" "+f.Name+" "+was+" → "+f.Is.String())
	}
	require.Equal(t, []string{"list  30 → 31", "levels least 15 → 16", "levels most none → 40"}, told)
}
