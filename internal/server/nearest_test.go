package server_test

import (
	"encoding/json"
	"net/url"
	"testing"

	"github.com/stretchr/testify/require"

	"dogbane/internal/money"
	"dogbane/internal/store"
)

// The values named are valid, and a step further towards the one written is not: nothing nearer would do.
func TestNearestValuesAreTheNearest(t *testing.T) {
	a := started(t, store.Manager)
	rule := func(kind, value string) map[string]any {
		return map[string]any{"code": "TRY", "name": "Try", "layer": "promotion", "rank": 90,
			"where": map[string]any{"category": "Tools"}, "effect": map[string]string{kind: value}}
	}
	breaks := func(side, kind, value string) bool {
		var impact struct {
			Demands []struct{ Kind, Side, Channel string }
		}
		a.do("POST", "/api/impact?channel=kilnfair", rule(kind, value), 200, &impact)
		for _, d := range impact.Demands {
			if d.Kind == "limit-discount" && d.Side == side && d.Channel == "kilnfair" {
				return true
			}
		}
		return false
	}
	for _, tc := range []struct{ side, kind, value, step string }{
		{"least", "percentOff", "4", "0.1"}, {"most", "percentOff", "93", "0.1"}, {"least", "amountOff", "0.10", "0.01"},
		{"most", "setPrice", "0.50", "0.01"},
	} {
		require.True(t, breaks(tc.side, tc.kind, tc.value), "%v", tc)
		var near struct {
			Kind         string
			Lower, Upper *string
		}
		query := url.Values{"channel": {"kilnfair"}, "of": {"kilnfair"}, "side": {tc.side}}
		a.do("POST", "/api/impact/nearest?"+query.Encode(), rule(tc.kind, tc.value), 200, &near)
		require.Equal(t, tc.kind, near.Kind)
		step := money.MustParse(tc.step)
		found := 0
		if near.Upper != nil && *near.Upper != "0.0" {
			require.False(t, breaks(tc.side, tc.kind, *near.Upper), "%v: %s", tc, *near.Upper)
			closer := money.MustParse(*near.Upper).Sub(step)
			require.True(t, breaks(tc.side, tc.kind, closer.String()), "%v: %s would do too", tc, closer)
			found++
		}
		if near.Lower != nil {
			require.False(t, breaks(tc.side, tc.kind, *near.Lower), "%v: %s", tc, *near.Lower)
			if tc.side == "most" {
				closer := money.MustParse(*near.Lower).Add(step)
				require.True(t, breaks(tc.side, tc.kind, closer.String()), "%v: %s would do too", tc, closer)
			}
			found++
		}
		require.Positive(t, found, "%v", tc)
	}
	var none struct{ Kind string }
	a.do("POST", "/api/impact/nearest?of=kilnfair&side=least", map[string]any{"code": "TRY", "layer": "sale", "rank": 1,
		"where": map[string]any{"all": []any{}}, "effect": map[string]string{"level": "B"}}, 200, &none)
	require.Empty(t, none.Kind, "a level has no value to search for")
}

// A rule that is null, or anything but an object, is refused like any other bad one.
func TestARuleThatIsNoObject(t *testing.T) {
	a := started(t, store.Manager)
	for _, doc := range []string{"null", "[]", `"x"`, "7"} {
		var impact struct{ Errors []struct{ Problem string } }
		a.do("POST", "/api/impact", json.RawMessage(doc), 200, &impact)
		require.NotEmpty(t, impact.Errors, doc)
		a.do("POST", "/api/impact/nearest?of=kilnfair&side=least", json.RawMessage(doc), 422, nil)
	}
}
