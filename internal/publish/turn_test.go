package publish_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"dogbane/internal/book"
	"dogbane/internal/pricing"
	"dogbane/internal/publish"
	"dogbane/internal/publish/pieces"
	"dogbane/internal/publish/telling"
	"dogbane/internal/publish/timing"
)

// evenings is a shop with a reduction every evening, in a campaign.
const evenings = `{"book":"dogbane/1","settings":{"currency":"EUR","timeZone":"UTC"},"channels":[{"code":"web"},{"code":"till"}],
	"campaigns":[{"code":"W","name":"Week","window":{"from":"2026-11-26T10:00","to":"2026-12-10T00:00"}}],
	"products":[{"sku":"A & <b>","list":"10.00"},{"sku":"B","list":"20.00"},{"sku":"C","list":"30.00","cost":"29.50"}],
	"rules":[{"code":"L","layer":"sale","rank":4,"campaign":"W","where":{"sku":["C"]},"window":{"from":"2026-12-08T00:00","to":"2026-12-10T00:00"},"effect":{"percentOff":"15"}},
		{"code":"E","layer":"sale","rank":1,"campaign":"W","where":{"sku":["A & <b>","C"]},"window":{"hours":["17:00","19:00"]},"effect":{"percentOff":"10"}},
		{"code":"N","layer":"sale","rank":2,"where":{"sku":["B"]},"window":{"from":"2026-11-26T17:00"},"effect":{"percentOff":"50"}},
		{"code":"T","layer":"sale","rank":3,"where":{"all":[]},"channels":["till"],"window":{"from":"2026-11-26T17:00"},"effect":{"percentOff":"5"}}]}`

func (o *office) dues() []telling.DueMoment {
	o.t.Helper()
	dues, err := o.desk.Upcoming(o.t.Context(), o.live.Current(), "web", o.live.Current().Moment(o.clock())+30*pricing.Day, 50)
	require.NoError(o.t, err)
	return dues
}

// A due moment names the rules and campaigns that turn there and change lines, and those alone.
func TestCausesOfADueMoment(t *testing.T) {
	o := opened(t, evenings)
	o.onTheMinute()
	o.publishes(publish.Wish{})
	dues := o.dues()
	require.Equal(t, "2026-11-26T17:00", dues[0].At.String(), "at 10:00 a campaign opens, and no price changes")
	require.Equal(t, []timing.Cause{{Kind: "rules", Code: "E", Opens: true, Lines: 2}, {Kind: "rules", Code: "N", Opens: true, Lines: 1}},
		timing.Causes(o.live.Current(), "web", &dues[0]), "what is for another channel is no cause")
	require.Equal(t, []timing.Cause{{Kind: "rules", Code: "E", Lines: 2}}, timing.Causes(o.live.Current(), "web", &dues[1]))
	last := dues[len(dues)-1]
	require.Equal(t, "2026-12-10T00:00", last.At.String())
	require.Equal(t, []timing.Cause{{Kind: "campaigns", Code: "W", Lines: 1, Rules: 1}}, timing.Causes(o.live.Current(), "web", &last),
		"a rule that ends with its campaign is told with it")
}

// An evening that is passed over passes, though another edit waits; the next one comes, and the edit still waits.
func TestAnEveningIsPassedOver(t *testing.T) {
	o := opened(t, evenings)
	o.onTheMinute()
	o.publishes(publish.Wish{})
	s := o.scheduled()
	o.passes(0, s)
	due := o.dues()[0]
	o.setList("B", "24.00")
	before := o.live.Current()
	old := *before.Rule("E")
	turned, never, ok := old.Window.Turn(pricing.Skip, due.At, before.Moment(o.clock()))
	require.True(t, ok && !never)
	next := old
	next.Window = turned
	o.saves(&old, &next)
	w := publish.Wish{Pieces: []pieces.Key{{Kind: book.Rules, Code: "E"}}, Reached: true}
	p := o.publishes(w)
	require.Equal(t, []any{publish.Done, 0}, []any{p.State, p.Counts.Total}, "no line changes now")
	require.Equal(t, []publish.NamedPiece{{Piece: "rule E", Name: "E", Change: pieces.Changed,
		Later: []publish.NamedLater{{At: "2026-11-26T17:00", Lines: 2}}}}, p.Named.Pieces)
	o.passes(9*time.Hour, s)
	require.Equal(t, map[string]string{"A & <b>": "10.00", "B": "10.00", "C": "30.00"}, o.out.Prices(),
		"B follows the clock as it was published, and its edit waits")
	require.Equal(t, map[string]publish.Kind{"B": publish.Up}, o.differences())
	o.passes(24*time.Hour, s)
	require.Equal(t, "9.00", o.out.Prices()["A & <b>"])
	o.out.Check(t)
}
