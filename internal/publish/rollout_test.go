package publish_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"dogbane/internal/book"
	"dogbane/internal/book/booktest"
	"dogbane/internal/money"
	"dogbane/internal/pricing"
	"dogbane/internal/publish"
	"dogbane/internal/publish/pieces"
	"dogbane/internal/publish/telling"
)

// corners is a shop with three linked channels, of which one was never given anything, and a rule for two of them.
const corners = `{"book":"dogbane/1","settings":{"currency":"EUR","timeZone":"UTC"},
	"channels":[{"code":"web"},{"code":"till","name":"Till & <b>"},{"code":"never"},{"code":"unlinked"}],
	"campaigns":[{"code":"W","name":"Week"}],
	"products":[{"sku":"A","list":"10.00"},{"sku":"B","list":"20.00"},{"sku":"C","list":"30.00","cost":"29.50"},{"sku":"D","list":"40.00","cost":"30.00"}],
	"rules":[{"code":"L","layer":"promotion","rank":1,"where":{"sku":["D"]},"window":{"from":"2026-11-26T10:00"},"effect":{"percentOff":"80"}},
		{"code":"T","layer":"sale","rank":1,"where":{"all":[]},"channels":["till"],"effect":{"percentOff":"1"}},
		{"code":"E","layer":"sale","rank":2,"where":{"sku":["A","C"]},"channels":["web","till"],"status":"off","effect":{"percentOff":"10"}}]}`

// One edit is sent to every channel that it concerns and that runs on a published book, with what it needs, and nothing
// else goes along: what is blocked is left out, other saved changes stay.
func TestOneEditIsSentEverywhere(t *testing.T) {
	o := opened(t, corners)
	for _, code := range []string{"till", "never"} {
		require.NoError(t, o.store.SetLink(t.Context(), publish.Link{Channel: code, Kind: "feed", Sends: "by-hand",
			Approval: "none", Reference: telling.Lowest30}))
	}
	o.publishes(publish.Wish{})
	till := func() map[string]string {
		shown, err := o.desk.Shown(t.Context(), "till")
		require.NoError(t, err)
		prices := map[string]string{}
		for sku, s := range shown {
			prices[sku] = s.Price.Fixed(2)
		}
		return prices
	}
	first, err := o.desk.Prepare(t.Context(), o.live.Current(), "till", publish.Wish{Who: "me",
		Version: o.live.Current().Version, LeaveOutBlocked: true})
	require.NoError(t, err)
	o.sends(first)

	o.setList("B", "99.00")          // goes nowhere by itself
	o.wait(t.Context(), 2*time.Hour) // nor does what began in between, and nothing is decided about it
	rule := o.live.Current().Rule("E")
	next := *rule
	next.Status, next.Campaign = pricing.On, "W2"
	campaign := book.Change{Kind: book.Campaigns, Code: "W2", After: []byte(`{"code":"W2","name":"Weeks"}`)}
	booktest.Save(t, o.live, campaign, book.OfRule(rule, &next))
	key := pieces.Key{Kind: book.Rules, Code: "E"}

	look, err := o.desk.Rollouts(t.Context(), o.live.Current(), []pieces.Key{key})
	require.NoError(t, err)
	var codes []string
	for _, r := range look {
		codes = append(codes, r.Channel.Code)
		var names []string
		for _, p := range r.Pieces {
			names = append(names, p.String())
		}
		require.NoError(t, r.Err)
		require.ElementsMatch(t, []string{"rule E", "campaign W2"}, names, "what it needs goes along and is named")
		require.Equal(t, []int{1, 1}, []int{r.Lines, r.Blocked}, r.Channel.Code)
	}
	require.Equal(t, []string{"web", "till"}, codes, "it is for these, and the others have nothing of it")
	behind, err := o.desk.Behind(t.Context(), o.live.Current())
	require.NoError(t, err)
	require.Len(t, behind[key], 2)

	sent, err := o.desk.RollOut(t.Context(), o.live.Current(), []pieces.Key{key}, nil, "me", "")
	require.NoError(t, err)
	require.Len(t, sent, 2)
	for _, r := range sent {
		require.NoError(t, r.Err)
		o.ends(r.Publication.ID)
		require.Equal(t, map[string]publish.Answer{"A": publish.Taken, "C": publish.LeftOut},
			o.answers(r.Publication.ID), r.Channel.Code)
	}
	require.Equal(t, map[string]string{"A": "9.00", "B": "20.00", "C": "30.00", "D": "40.00"}, o.out.Prices())
	require.Equal(t, "9.00", till()["A"])
	require.Equal(t, "19.80", till()["B"], "what else is saved stays where it was")
	look, err = o.desk.Rollouts(t.Context(), o.live.Current(), []pieces.Key{key})
	require.NoError(t, err)
	require.Empty(t, look, "it is published everywhere")

	// What is for all channels is told also of one that was never given anything, and goes to those that are chosen.
	list := money.MustParse("99.00")
	product := *o.live.Current().Product("A")
	after := product
	after.List = &list
	booktest.Save(t, o.live, book.OfProduct(&product, &after))
	key = pieces.Key{Kind: book.Products, Code: "A"}
	sent, err = o.desk.RollOut(t.Context(), o.live.Current(), []pieces.Key{key}, []string{"till", "never"}, "me", "")
	require.NoError(t, err)
	require.Len(t, sent, 2)
	require.ErrorIs(t, sent[1].Err, publish.ErrFirst)
	o.ends(sent[0].Publication.ID)
	require.Equal(t, "89.10", till()["A"])
	require.Equal(t, "9.00", o.out.Prices()["A"])
	o.wait(t.Context(), time.Minute)
	o.out.Check(t)
}
