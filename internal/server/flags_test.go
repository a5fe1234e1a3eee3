package server_test

import (
	"net/http"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"dogbane/internal/money"
	"dogbane/internal/store"
)

// The sum beside a loss adds up for whoever reads it, and the count in the header is that of the headings: one for each
// product or pair of rules, in however many channels.
func TestFlagsAddUp(t *testing.T) {
	a := started(t, store.Manager)
	a.do("POST", "/api/rules", map[string]any{"code": "GIVEN", "layer": "promotion", "rank": 1,
		"where": map[string]any{"sku": "BAT-30"}, "effect": map[string]any{"setPrice": "0.10"}}, http.StatusOK, nil)
	type sum struct{ Net, Fee, Cost, Amount string }
	var list struct {
		Searching bool
		Flags     []struct {
			Kind, SKU, Channel, Left string
			Rules                    []string
			Margin                   *sum
		}
	}
	require.Eventually(t, func() bool {
		a.do("GET", "/api/flags", nil, http.StatusOK, &list)
		return !list.Searching && len(list.Flags) > 0
	}, time.Minute, 50*time.Millisecond)
	subjects, sums := map[string]bool{}, 0
	for _, f := range list.Flags {
		about := f.Kind + f.SKU
		if f.Kind == "tie" {
			about = f.Kind
			for _, r := range f.Rules {
				about += " " + r
			}
		}
		subjects[about] = true
		if f.Margin == nil {
			continue
		}
		sums++
		read := money.MustParse
		off := read(f.Margin.Net).Sub(read(f.Margin.Fee)).Sub(read(f.Margin.Cost)).Sub(read(f.Left))
		coin := read("0.01") // each part is rounded
		require.False(t, coin.Less(off) || off.Less(money.Int(0).Sub(coin)), "%s in %s", f.SKU, f.Channel)
	}
	require.Greater(t, sums, 3)
	var state struct{ Flags struct{ Errors, Others int } }
	a.do("GET", "/api/state", nil, http.StatusOK, &state)
	require.Equal(t, len(subjects), state.Flags.Errors+state.Flags.Others)
	require.Less(t, len(subjects), len(list.Flags), "the loss is in every channel")
}
