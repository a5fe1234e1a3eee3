package publish

import (
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"dogbane/internal/demo"
	"dogbane/internal/pricing"
	"dogbane/internal/pricing/basket"
	"dogbane/internal/pricing/flags"
	"dogbane/internal/publish/telling"
)

func moment(t testing.TB, text string) pricing.Moment {
	t.Helper()
	m, err := pricing.ParseMoment(text)
	require.NoError(t, err)
	return m
}

// The lines that are blocked as below cost are those of which a flag says it: of each unit, whoever buys how many.
func TestBlockedBelowCostIsFlagged(t *testing.T) {
	book := demo.Book(12_000)
	e := pricing.Compile(book)
	at := moment(t, demo.Now)
	graduated := 0
	for _, channel := range []string{demo.WebShop, demo.Kilnfair} {
		tell, err := telling.Tell(e, basket.Compile(e), channel, telling.Lowest30)
		require.NoError(t, err)
		d, err := Compare(tell, at, &Know{}, nil, false, nil)
		require.NoError(t, err)
		blocked, flagged := []string{}, []string{}
		for i := range d.Rows {
			if r := &d.Rows[i]; slices.Contains(kindsOf(r.Stops), flags.BelowCost) {
				blocked = append(blocked, r.SKU)
				if strings.HasPrefix(e.Products()[r.Product].Category, "Kilns/Furniture") {
					graduated++
				}
			}
		}
		search, err := flags.NewSearch(e, flags.Question{From: at, To: at + 1, Channels: []string{channel},
			Groups: append([]string{""}, tell.Groups...), Quantities: tell.Quantities()})
		require.NoError(t, err)
		list, err := search.Flags()
		require.NoError(t, err)
		for i := range list {
			if f := &list[i]; f.Kind == flags.BelowCost && f.SKU != "" {
				flagged = append(flagged, f.SKU)
			}
		}
		require.NotEmpty(t, flagged)
		require.ElementsMatch(t, flagged, blocked, channel)
	}
	require.Positive(t, graduated, "some unit of graduated breaks costs less than others")
}
