package publish_test

import (
	"maps"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"dogbane/internal/book"
	"dogbane/internal/money"
	"dogbane/internal/pricing"
	"dogbane/internal/publish"
	"dogbane/internal/publish/pieces"
	"dogbane/internal/publish/telling"
)

// later is what the pieces that differ change later, by their name.
func (o *office) later() map[string][]publish.LaterLines {
	o.t.Helper()
	p, err := o.desk.Pending(o.t.Context(), o.live.Current(), "web", publish.Choice{All: true})
	require.NoError(o.t, err)
	later := map[string][]publish.LaterLines{}
	for _, one := range p.All {
		later[one.String()] = one.Later
	}
	return later
}

func moment(t *testing.T, text string) pricing.Moment {
	t.Helper()
	m, err := pricing.ParseMoment(text)
	require.NoError(t, err)
	return m
}

// A sale that begins tomorrow changes nothing today: it is a piece all the same, is published without a line, and the
// clock follows it then.
func TestWhatIsPlannedIsPublished(t *testing.T) {
	o := opened(t, shop)
	o.onTheMinute()
	o.publishes(publish.Wish{})
	require.Empty(t, o.later(), "all of it was published")
	s := o.scheduled()
	o.passes(time.Minute, s)

	deeper := o.live.Current().Book.Rules[0]
	was, effect := deeper, *deeper.Effect
	effect.Value = effect.Value.Add(effect.Value)
	deeper.Effect = &effect
	o.saves(&was, &deeper) // a fifth off, from tomorrow 9:00
	require.Empty(t, o.differences())
	later := o.later()["rule S"]
	require.Len(t, later, 1)
	require.Equal(t, []any{moment(t, "2026-11-27T09:00"), 4, []string{"C"}}, []any{later[0].At, later[0].Lines,
		slices.Collect(maps.Keys(later[0].Stopped))}, "what will be blocked is said before")
	require.Equal(t, "-5.00", later[0].Stopped["C"][0].Left.Fixed(2))

	w := publish.Wish{Who: "me", Version: o.live.Current().Version, SKUs: []string{"B"}}
	_, err := o.desk.Prepare(t.Context(), o.live.Current(), "web", w)
	require.ErrorIs(t, err, publish.ErrNothing, "some lines are wanted, and none of them differs")
	p := o.publishes(publish.Wish{})
	require.Equal(t, []any{publish.Done, 0}, []any{p.State, p.Counts.Total})
	require.Empty(t, o.later())
	_, err = o.desk.Prepare(t.Context(), o.live.Current(), "web", publish.Wish{Who: "me", Version: o.live.Current().Version})
	require.ErrorIs(t, err, publish.ErrNothing)

	o.passes(24*time.Hour, s)
	require.Equal(t, "16.00", o.out.Prices()["B"])
	require.Equal(t, "30.00", o.out.Prices()["C"], "blocked: it would be below cost")
	o.out.Check(t)
}

// What is decided of lines when a sale is published that begins later holds at its moments: what was overridden goes
// although it is blocked then, what was left out stays out. A later publication that reaches them decides anew.
func TestDecisionsOfPlannedLinesHold(t *testing.T) {
	for name, c := range map[string]struct {
		after func(o *office)
		c, b  string
	}{
		"as it was decided": {func(*office) {}, "24.00", "20.00"},
		"decided anew": {func(o *office) {
			o.setOff("S", "21")
			o.publishes(publish.Wish{})
		}, "30.00", "15.80"},
		"beside something else": {func(o *office) {
			o.setList("A & <b>", "11.00")
			o.publishes(publish.Wish{})
		}, "24.00", "20.00"},
		"of the first one": {nil, "27.00", ""}, // the book's own tenth; what was left out was never shown
		"let go of": {func(o *office) {
			require.NoError(t, o.store.ReleaseLeftOut(t.Context(), "web", []string{"B", "C"}))
		}, "24.00", "16.00"},
	} {
		t.Run(name, func(t *testing.T) {
			o := opened(t, shop)
			o.onTheMinute()
			s := o.scheduled()
			decided := publish.Wish{LeaveOut: []string{"B"}, Overrides: map[string]string{"C": "agreed"}}
			if c.after == nil {
				o.publishes(decided)
			} else {
				o.publishes(publish.Wish{})
				o.passes(time.Minute, s)
				o.setOff("S", "20")
				o.publishes(decided)
				c.after(o)
			}
			o.passes(24*time.Hour, s)
			require.Equal(t, []string{c.c, c.b}, []string{o.out.Prices()["C"], o.out.Prices()["B"]})
			for _, p := range o.publications() {
				if rows, err := o.store.Rows(t.Context(), p.ID, "", 0); err == nil && p.Kind == publish.Due && c.c == "24.00" {
					at := slices.IndexFunc(rows, func(r publish.Row) bool { return r.SKU == "C" })
					require.Equal(t, "agreed", rows[at].Override, "why it went is in the history")
				}
			}
			// After the sale nothing of it is left.
			o.passes(48*time.Hour, s)
			require.Equal(t, "30.00", o.out.Prices()["C"])
			o.out.Check(t)
		})
	}
}

// approval has the channel want a second person.
func (o *office) approval(when string) {
	o.t.Helper()
	require.NoError(o.t, o.store.SetLink(o.t.Context(), publish.Link{Channel: "web", Kind: "http", Address: o.out.Address(),
		Token: "secret", Sends: "on-the-minute", Approval: when, GiveUpAfter: time.Minute, Reference: telling.Lowest30}))
}

// asks prepares and sends, and says whether a second person has to agree; whoever does agrees.
func (o *office) asks(w publish.Wish) bool {
	o.t.Helper()
	snap := o.live.Current()
	w.Who, w.Version = "me", snap.Version
	p, err := o.desk.Prepare(o.t.Context(), snap, "web", w)
	require.NoError(o.t, err)
	p, err = o.desk.Send(o.t.Context(), snap, p.ID, "me", "")
	require.NoError(o.t, err)
	waits := p.State == publish.Waiting
	if waits {
		_, err = o.desk.Approve(o.t.Context(), snap, p.ID, "me", "")
		require.ErrorIs(o.t, err, publish.ErrOwn)
		_, err = o.desk.Approve(o.t.Context(), snap, p.ID, "another", "")
		require.NoError(o.t, err)
	}
	require.Equal(o.t, publish.Done, o.ends(p.ID).State)
	return waits
}

// Nobody passes the demand of a second person by what moves no price now: each way in which somebody could.
func TestTheDemandOfASecondPersonHolds(t *testing.T) {
	for name, c := range map[string]struct {
		approval string
		edit     func(o *office)
		asks     bool
	}{
		"a small change": {"10", func(o *office) { o.setList("B", "20.10") }, false},
		"a large change": {"10", func(o *office) { o.setList("B", "25.00") }, true},
		"always, for a sale that begins later": {"always", func(o *office) {
			o.adds(`{"code":"L","layer":"sale","rank":9,"where":{"all":[]},"window":{"from":"2026-12-20T00:00"},"effect":{"percentOff":"1"}}`)
		}, true},
		"a small sale that begins later": {"10", func(o *office) {
			o.adds(`{"code":"L","layer":"catalog","rank":9,"where":{"all":[]},"window":{"from":"2026-12-20T00:00"},"effect":{"percentOff":"1"}}`)
		}, false},
		"a sale in two minutes beside a small edit": {"10", func(o *office) {
			o.adds(`{"code":"L","layer":"sale","rank":9,"where":{"sku":["B"]},"window":{"from":"2026-11-26T09:02"},"effect":{"percentOff":"95"}}`)
			o.setList("A & <b>", "10.05")
		}, true},
		"a code for 95 percent beside a small edit": {"10", func(o *office) {
			o.adds(`{"code":"D","layer":"promotion","rank":9,"where":{"all":[]},"offer":{"codes":{"words":["PSST"]},"gives":[{"to":"basket","percentOff":"95"}]}}`)
			o.setList("A & <b>", "10.05")
		}, true},
		"for one group, later": {"10", func(o *office) {
			o.adds(`{"code":"L","layer":"group","rank":9,"where":{"all":[]},"audience":{"groups":["g"]},"window":{"from":"2026-12-20T00:00"},"effect":{"percentOff":"50"}}`)
		}, true},
		"for one customer": {"10", func(o *office) {
			o.adds(`{"code":"L","layer":"group","rank":9,"where":{"all":[]},"audience":{"customers":["me"]},"effect":{"percentOff":"50"}}`)
		}, true},
		"from the sixth piece on": {"10", func(o *office) {
			o.adds(`{"code":"L","layer":"tier","rank":9,"where":{"all":[]},"breaks":[{"from":6,"percentOff":"50"}]}`)
		}, true},
		"delisted, and listed again at 40 times the price": {"10", func(o *office) {
			old := *o.live.Current().Product("B")
			booktestSave(o, book.Change{Kind: book.Products, Code: "B", Before: doc(o, "B")})
			require.False(o.t, o.asks(publish.Wish{}))
			list := money.MustParse("800.00")
			old.List = &list
			booktestSave(o, book.OfProduct(nil, &old))
		}, true},
	} {
		t.Run(name, func(t *testing.T) {
			o := opened(t, `{"book":"dogbane/1","settings":{"currency":"EUR","timeZone":"UTC"},"groups":[{"code":"g"}],"customers":[{"code":"me"}],
				"channels":[{"code":"web"}],"products":[{"sku":"A & <b>","list":"10.00"},{"sku":"B","list":"20.00"}]}`)
			o.publishes(publish.Wish{})
			o.approval(c.approval)
			c.edit(o)
			require.Equal(t, c.asks, o.asks(publish.Wish{}))
		})
	}
}

// What differs now is not planned, nor is what another channel will show.
func TestWhatIsPlannedElsewhereIsNot(t *testing.T) {
	o := opened(t, `{"book":"dogbane/1","settings":{"currency":"EUR","timeZone":"UTC"},"channels":[{"code":"web"},{"code":"till"}],
		"products":[{"sku":"A","list":"10.00"},{"sku":"B","list":"20.00"}],"rules":[
		{"code":"S","layer":"sale","rank":1,"where":{"sku":["A"]},"channels":["till"],"effect":{"percentOff":"10"}}]}`)
	o.publishes(publish.Wish{})
	o.adds(`{"code":"S","layer":"sale","rank":1,"where":{"sku":["A"]},"channels":["till"],"effect":{"percentOff":"10"},"window":{"from":"2026-12-01T00:00"}}`)
	o.setList("B", "21.00")
	require.Equal(t, map[string][]publish.LaterLines{"rule S": nil, "product B": nil}, o.later())
}

// Of what recurs the first times are told, each by how much it makes another; where both books say the same nothing is.
func TestWhatRecursIsPlanned(t *testing.T) {
	o := opened(t, evenings)
	o.publishes(publish.Wish{})
	o.adds(`{"code":"E","layer":"sale","rank":1,"campaign":"W","where":{"sku":["A & <b>"]},"window":{"hours":["17:00","20:00"]},"effect":{"percentOff":"10"}}`)
	later := o.later()["rule E"]
	require.Equal(t, []publish.LaterLines{{At: moment(t, "2026-11-26T17:00"), Lines: 1}, {At: moment(t, "2026-11-26T19:00"), Lines: 1},
		{At: moment(t, "2026-11-27T17:00"), Lines: 1}}, later[:3], "C is not reduced at five any more, A is longer")
	require.Len(t, later, 12)
}

// Nothing goes that was not chosen: each piece by itself, and what is not named stays.
func TestAPieceIsPublishedAlone(t *testing.T) {
	o := opened(t, shop)
	o.onTheMinute()
	o.publishes(publish.Wish{})
	s := o.scheduled()
	o.setList("B", "40.00")
	o.adds(`{"code":"N","layer":"promotion","rank":2,"where":{"sku":["a & <b>"]},"effect":{"amountOff":"0.25"}}`)
	o.adds(`{"code":"TOMORROW","layer":"sale","rank":2,"where":{"sku":["A & <b>"]},"window":{"from":"2026-11-27T08:00","to":"2026-11-27T09:00"},"effect":{"setPrice":"5"}}`)
	p := o.publishes(publish.Wish{Pieces: []pieces.Key{{Kind: book.Rules, Code: "N"}}})
	require.Equal(t, map[string]publish.Answer{"a & <b>": publish.Taken}, o.answers(p.ID))
	require.Equal(t, map[string]string{"A & <b>": "10.00", "B": "20.00", "C": "30.00", "a & <b>": "0.75"}, o.out.Prices())
	require.Equal(t, map[string]publish.Kind{"B": publish.Up}, o.differences())
	require.Equal(t, "20.00", o.quoted("B", ""))
	o.passes(23*time.Hour+30*time.Minute, s)
	require.Equal(t, "10.00", o.out.Prices()["A & <b>"], "the clock knows nothing of what was not chosen")
	for _, empty := range []publish.Wish{{Pieces: []pieces.Key{}}, {SKUs: []string{}}} {
		empty.Who, empty.Version = "me", o.live.Current().Version
		_, err := o.desk.Prepare(t.Context(), o.live.Current(), "web", empty)
		require.ErrorIs(t, err, publish.ErrNoChoice)
	}
	o.publishes(publish.Wish{})
	require.Equal(t, "40.00", o.out.Prices()["B"])
	require.Equal(t, "5.00", o.out.Prices()["A & <b>"])
	o.out.Check(t)
}

// A take-back gives the pieces back, too: they are held until they are named or edited.
func TestPiecesAreTakenBack(t *testing.T) {
	o := opened(t, shop)
	o.publishes(publish.Wish{})
	o.setList("B", "21.00")
	o.adds(`{"code":"N","layer":"promotion","rank":2,"where":{"sku":["a & <b>"]},"effect":{"amountOff":"0.25"}}`)
	p := o.publishes(publish.Wish{})
	back, err := o.desk.TakeBack(t.Context(), o.live.Current(), p.ID, "me")
	require.NoError(t, err)
	o.sends(back)
	require.Equal(t, []string{"20.00", "1.00"}, []string{o.out.Prices()["B"], o.out.Prices()["a & <b>"]})
	require.Equal(t, map[string]publish.Kind{"B": "held", "a & <b>": "held"}, o.differences())
	require.Equal(t, "1.00", o.quoted("a & <b>", ""))
	e, err := o.desk.Published(t.Context(), o.live.Current(), "web")
	require.NoError(t, err)
	require.Nil(t, e.Rule("N"), "the rule is gone from the published book")
	require.Len(t, e.Held, 2)
	_, err = o.desk.Prepare(t.Context(), o.live.Current(), "web", publish.Wish{Who: "me", Version: o.live.Current().Version})
	require.ErrorIs(t, err, publish.ErrNothing, "all of it is held back")
	o.setList("B", "22.00")
	o.publishes(publish.Wish{})
	require.Equal(t, []string{"22.00", "1.00"}, []string{o.out.Prices()["B"], o.out.Prices()["a & <b>"]}, "B was edited")
	o.publishes(publish.Wish{Pieces: []pieces.Key{{Kind: book.Rules, Code: "N"}}})
	require.Equal(t, "0.75", o.out.Prices()["a & <b>"], "it was named")
	require.Empty(t, o.differences())

	o.setList("B", "23.00")
	p = o.publishes(publish.Wish{})
	o.setList("B", "24.00")
	o.publishes(publish.Wish{})
	back, err = o.desk.TakeBack(t.Context(), o.live.Current(), p.ID, "me")
	require.ErrorIs(t, err, publish.ErrNothing, "all of it was published again since")
	_ = back
}

// Where the first publication is taken back nothing is published any more.
func TestTheFirstPublicationIsTakenBack(t *testing.T) {
	o := opened(t, shop)
	p := o.publishes(publish.Wish{})
	back, err := o.desk.TakeBack(t.Context(), o.live.Current(), p.ID, "me")
	require.NoError(t, err)
	o.sends(back)
	require.Empty(t, o.out.Prices())
	e, err := o.desk.Published(t.Context(), o.live.Current(), "web")
	require.NoError(t, err)
	require.Nil(t, e)
}

func doc(o *office, sku string) []byte { return o.live.Current().Doc(book.Products, sku) }
