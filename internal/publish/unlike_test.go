package publish_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"dogbane/internal/publish"
	"dogbane/internal/publish/publishtest"
	"dogbane/internal/publish/telling"
)

// What the same people are shown at two prices is listed; what differs in currency, group or tax is not the same.
func TestUnlikes(t *testing.T) {
	o := opened(t, `{"book":"dogbane/1","settings":{"currency":"EUR","timeZone":"UTC"},"groups":[{"code":"g"}],
		"channels":[{"code":"web"},{"code":"feed"},{"code":"trade","group":"g"},{"code":"gb","currency":"GBP"},{"code":"net","tax":"excluded"}],
		"products":[{"sku":"A & <b>","list":"10.00"},{"sku":"B","list":"20.00"}],
		"rules":[{"code":"S","layer":"sale","rank":1,"where":{"sku":["B"]},"channels":["feed","trade"],"effect":{"percentOff":"10"}}]}`)
	for _, channel := range []string{"feed", "trade", "gb", "net"} {
		out := publishtest.Open(t)
		require.NoError(t, o.store.SetLink(t.Context(), publish.Link{Channel: channel, Kind: "http", Address: out.Address(), Token: "secret"}))
	}
	o.publishes(publish.Wish{})
	for _, channel := range []string{"feed", "trade"} {
		p, err := o.desk.Prepare(t.Context(), o.live.Current(), channel, publish.Wish{Who: "me", Version: o.live.Current().Version})
		require.NoError(t, err)
		require.Equal(t, publish.Done, o.sends(p).State)
	}
	list, total, err := o.desk.Unlikes(t.Context(), o.live.Current(), "web", 10)
	require.NoError(t, err)
	require.Equal(t, 1, total)
	require.Equal(t, []string{"B", "feed", "20", "18"}, []string{list[0].SKU, list[0].Other, list[0].Here.String(), list[0].Theirs.String()})
	list, total, err = o.desk.Unlikes(t.Context(), o.live.Current(), "feed", 0)
	require.NoError(t, err)
	require.Empty(t, list)
	require.Equal(t, 1, total)
	_, _, err = o.desk.Unlikes(t.Context(), o.live.Current(), "nowhere", 1)
	require.ErrorIs(t, err, telling.ErrNoChannel)
}
