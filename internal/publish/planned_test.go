package publish_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"dogbane/internal/money"
	"dogbane/internal/pricing"
	"dogbane/internal/publish"
)

// A sale that begins tomorrow changes nothing today: it is published without a line, and the clock follows it then.
func TestWhatIsPlannedIsPublished(t *testing.T) {
	o := opened(t, shop)
	o.onTheMinute()
	o.publishes(publish.Wish{})
	planned := func() publish.Planned {
		t.Helper()
		p, err := o.desk.Planned(t.Context(), o.live.Current(), "web")
		require.NoError(t, err)
		return p
	}
	require.Zero(t, planned(), "it is the version that was published")
	s := o.scheduled()
	o.passes(time.Minute, s)

	deeper := o.live.Current().Book.Rules[0]
	was, effect := deeper, *deeper.Effect
	effect.Value = effect.Value.Add(effect.Value)
	deeper.Effect = &effect
	o.saves(&was, &deeper) // a fifth off, from tomorrow 9:00
	require.Empty(t, o.differences())
	first, err := pricing.ParseMoment("2026-11-27T09:00")
	require.NoError(t, err)
	require.Equal(t, publish.Planned{Lines: 4, First: first}, planned())

	w := publish.Wish{Who: "me", Version: o.live.Current().Version, Only: []string{"B"}}
	_, err = o.desk.Prepare(t.Context(), o.live.Current(), "web", w)
	require.ErrorIs(t, err, publish.ErrNothing, "some lines are wanted, and none of them differs")
	p := o.publishes(publish.Wish{})
	require.Equal(t, []any{publish.Done, 0, 4}, []any{p.State, p.Counts.Total, p.Named.Planned})
	require.Zero(t, planned())
	_, err = o.desk.Prepare(t.Context(), o.live.Current(), "web", publish.Wish{Who: "me", Version: o.live.Current().Version})
	require.ErrorIs(t, err, publish.ErrNothing)

	o.passes(24*time.Hour, s)
	require.Equal(t, "16.00", o.out.Prices()["B"])
	require.Equal(t, "30.00", o.out.Prices()["C"], "blocked: it would be below cost")
	o.out.Check(t)
}

// What the clock will send needs a second person where moved prices do: nobody is asked again when its moment comes.
func TestWhatIsPlannedIsAgreedTo(t *testing.T) {
	o := opened(t, shop)
	o.publishes(publish.Wish{})
	for _, approval := range []string{"50", "always"} {
		link := publish.Link{Channel: "web", Kind: "http", Address: o.out.Address(), Token: "secret", Sends: "on-the-minute",
			Approval: approval, GiveUpAfter: time.Minute, Reference: publish.Lowest30}
		require.NoError(t, o.store.SetLink(t.Context(), link))
		deeper := o.live.Current().Book.Rules[0]
		was, effect := deeper, *deeper.Effect
		effect.Value = effect.Value.Add(money.Int(1))
		deeper.Effect = &effect
		o.saves(&was, &deeper)
		snap := o.live.Current()
		p, err := o.desk.Prepare(t.Context(), snap, "web", publish.Wish{Who: "me", Version: snap.Version})
		require.NoError(t, err)
		p, err = o.desk.Send(t.Context(), snap, p.ID, "me")
		require.NoError(t, err)
		require.Equal(t, publish.Waiting, p.State, approval)
		_, err = o.desk.Approve(t.Context(), snap, p.ID, "me")
		require.ErrorIs(t, err, publish.ErrOwn)
		_, err = o.desk.Approve(t.Context(), snap, p.ID, "another")
		require.NoError(t, err)
		require.Equal(t, publish.Done, o.ends(p.ID).State)
		later, err := o.desk.Planned(t.Context(), snap, "web")
		require.NoError(t, err)
		require.Zero(t, later)
	}
}

// What differs now is not planned, nor is what another channel will show.
func TestWhatIsPlannedElsewhereIsNot(t *testing.T) {
	o := opened(t, `{"book":"dogbane/1","settings":{"currency":"EUR","timeZone":"UTC"},"channels":[{"code":"web"},{"code":"till"}],
		"products":[{"sku":"A","list":"10.00"},{"sku":"B","list":"20.00"}],"rules":[
		{"code":"S","layer":"sale","rank":1,"where":{"sku":["A"]},"channels":["till"],"effect":{"percentOff":"10"}}]}`)
	o.publishes(publish.Wish{})
	rule := o.live.Current().Book.Rules[0]
	later := rule
	window, err := pricing.ParseMoment("2026-12-01T00:00")
	require.NoError(t, err)
	later.Window = &pricing.Window{From: &window}
	o.saves(&rule, &later)
	for _, list := range []string{"", "21.00"} {
		if list != "" {
			o.setList("B", list)
		}
		p, err := o.desk.Planned(t.Context(), o.live.Current(), "web")
		require.NoError(t, err)
		require.Zero(t, p)
	}
}
