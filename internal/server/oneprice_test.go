package server_test

import (
	"encoding/csv"
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"dogbane/internal/store"
)

type onePrice struct {
	Rows []struct {
		SKU      string
		Channels []struct {
			Channel, State, Since string
			Book, Shows, Reports  *string
		}
	}
	Total, Products int
}

// Each product's price is held against what was published and what the channel reported; what is apart is the
// difference that publishing makes, and nothing is once it was published and the channel shows it.
func TestOnePriceEverywhere(t *testing.T) {
	a := started(t, store.Administrator)
	out := a.link(object{})
	look := func(query string) (list onePrice) {
		t.Helper()
		a.do("GET", "/api/one-price?limit=500"+query, nil, 200, &list)
		return list
	}
	d, blocked := a.blocked()
	apart := look("&only=apart")
	require.Equal(t, d.Total, apart.Total, "nothing was published yet: all that has a price")
	require.Less(t, apart.Total, look("").Total+1)
	var p published
	a.do("POST", "/api/channels/web/publications", object{"version": d.Version, "leaveOut": blocked}, 201, &p)
	a.do("POST", fmt.Sprintf("/api/publications/%d/send", p.ID), object{}, 202, nil)
	a.ends(p.ID)
	require.Equal(t, len(blocked), look("&only=apart").Total, "what was left out")

	out.Change("BAT-30", "0.01")
	a.do("POST", "/api/channels/web/compare", nil, 200, nil)
	found := look("&only=apart&q=BAT-30")
	require.Equal(t, 1, found.Total)
	for _, c := range found.Rows[0].Channels {
		if c.Channel == "web" {
			require.Equal(t, []any{"drifting", "0.01"}, []any{c.State, *c.Reports})
			require.NotEmpty(t, c.Since)
			require.Equal(t, *c.Book, *c.Shows)
		} else {
			require.NotEqual(t, "drifting", c.State)
		}
	}
	status, data, kind := a.file("/api/one-price.csv?q=BAT-30")
	require.Equal(t, 200, status)
	require.Contains(t, kind, "text/csv")
	rows, err := csv.NewReader(strings.NewReader(string(data))).ReadAll()
	require.NoError(t, err)
	require.Equal(t, []string{"sku", "name", "channel", "currency", "book", "published", "shown", "state", "since"}, rows[0])
	require.Contains(t, string(data), "0.01,drifting")
	a.do("GET", "/api/one-price?only=x", nil, 422, nil)
}
