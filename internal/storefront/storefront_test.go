package storefront_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"dogbane/internal/bookfile"
	"dogbane/internal/pricing"
	"dogbane/internal/pricing/basket"
	"dogbane/internal/storefront"
)

const shop = `{"book":"dogbane/1","settings":{"currency":"EUR","timeZone":"UTC","rates":{"GBP":"0.85"}},
	"channels":[{"code":"web"},{"code":"leith","currency":"GBP","where":{"not":{"sku":["POST-2"]}}}],
	"products":[{"sku":"KILN","name":"Kiln <b>&","list":"100.00","options":[{"code":"crate","price":"10.00"}]},
		{"sku":"POST-1","name":"Post 😀","list":"5.00"},{"sku":"POST-2","name":"طين","list":"6.00"},{"sku":"POST-3","list":"7.00"}],
	"rules":[{"code":"SET-SECRET","name":"internal","layer":"promotion","rank":1,"where":{"all":[]},
			"offer":{"needs":[{"id":"k","where":{"sku":["KILN"]}},{"id":"p","where":{"sku":["POST-1","POST-2","POST-3"]}}],
				"gives":[{"to":"needs","forTotal":"90.00"}],"stock":3}},
		{"code":"SPEND-SECRET","name":"internal","layer":"promotion","rank":2,"where":{"all":[]},
			"offer":{"spend":{"where":{"all":[]},"amount":"60.00"},"gives":[{"to":"basket","amountOff":"10.00"}]}},
		{"code":"OWN-SECRET","name":"internal","layer":"promotion","rank":3,"currency":"GBP","where":{"sku":["POST-3"]},
			"offer":{"needs":[{"id":"p","where":{"all":[]},"quantity":3}],"gives":[{"to":"needs","each":"4.00"}]}}]}`

// goods are what a channel's page of a product shows.
func goods(t *testing.T, channel, sku string) storefront.Goods {
	t.Helper()
	b, err := bookfile.Decode([]byte(shop))
	require.NoError(t, err)
	e := pricing.Compile(b)
	asked := storefront.AskedBy(e, basket.Compile(e), pricing.Viewpoint{Channel: channel, At: 20_000 * pricing.Day})
	asked.Used = map[string]basket.Used{"SET-SECRET": {Uses: basket.Uses{Total: 1}}}
	g, err := asked.Goods(sku)
	require.NoError(t, err)
	return g
}

// An offer without a label is named by what it is, its amounts in the channel's own currency; no code and no internal
// name of anything is in it. Goods that the channel does not sell are not offered, and the one that is asked about
// comes first.
func TestDealsAsTheChannelHasThem(t *testing.T) {
	g := goods(t, "web", "POST-3")
	require.Equal(t, []string{"2 together for EUR 90.00", "Spend EUR 60.00: EUR 10.00 off the whole basket"}, titles(g))
	set := g.Deals[0]
	require.Equal(t, 2, *set.Left)
	require.Equal(t, []storefront.SetGoods{{SKU: "POST-3", Quantity: 1}, {SKU: "POST-1", Name: "Post 😀", Quantity: 1},
		{SKU: "POST-2", Name: "طين", Quantity: 1}}, set.Wants[1].Goods)
	require.Equal(t, []bool{false, true}, []bool{set.Wants[0].Has, set.Wants[1].Has})

	g = goods(t, "leith", "POST-3")
	require.Equal(t, []string{"2 together for GBP 76.50", "Spend GBP 51.00: GBP 8.50 off the whole basket",
		"3 together GBP 4.00 each"}, titles(g), "an amount of a rule in that currency stands as it is")
	require.Len(t, g.Deals[0].Wants[1].Goods, 2)
	require.Equal(t, 2, g.Deals[0].Wants[1].Many)
}

// What an option adds is told as the channel has it.
func TestOptionsAsTheChannelHasThem(t *testing.T) {
	require.Equal(t, []storefront.Option{{Code: "crate", Price: "10.00"}}, goods(t, "web", "KILN").Options)
	require.Equal(t, []storefront.Option{{Code: "crate", Price: "8.50"}}, goods(t, "leith", "KILN").Options)
}

func titles(g storefront.Goods) (list []string) {
	for _, d := range g.Deals {
		list = append(list, d.Title)
	}
	return list
}
