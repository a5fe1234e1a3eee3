package server_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"dogbane/internal/store"
)

// What is to be from a later day on is seen by its day with what it moves, edited where it holds, moved and taken back
// like any edit.
func TestLaterFigures(t *testing.T) {
	a := started(t, store.Manager)
	var page struct {
		Doc  map[string]any
		ETag string
	}
	a.do("GET", "/api/products/BAT-30", nil, 200, &page)
	page.Doc["later"] = []map[string]any{{"from": "2027-01-01T00:00", "list": "99.00", "levels": map[string]string{"least": "50.00"}}}
	a.do("POST", "/api/edit", map[string]any{"changes": []map[string]any{{"kind": "products", "code": "BAT-30", "etag": page.ETag,
		"doc": page.Doc}}}, 200, nil)
	type list struct {
		Moments []struct {
			At                      string
			Goods, Moved, Up, Below int
			Figures                 map[string]int
		}
	}
	var all list
	a.do("GET", "/api/later", nil, 200, &all)
	require.Len(t, all.Moments, 1)
	require.Equal(t, map[string]int{"list": 1, "levels": 1}, all.Moments[0].Figures)
	require.Equal(t, []int{1, 1, 1}, []int{all.Moments[0].Goods, all.Moments[0].Moved, all.Moments[0].Up})
	var rows struct {
		Total int
		Rows  []struct{ SKU, Figure, Of, Is string }
	}
	a.do("GET", "/api/later/goods?at=2027-01-01T00:00", nil, 200, &rows)
	require.Equal(t, 2, rows.Total)
	require.Equal(t, "least", rows.Rows[1].Of)

	// What is seen in January is changed in January, and not today.
	a.do("PATCH", "/api/products/BAT-30", map[string]any{"list": "98.00", "was": "99.00", "at": "2027-01-05T09:00"}, 200, nil)
	var board struct{ Rows []struct{ BookList string } }
	a.do("GET", "/api/board?q=BAT-30&at=2027-01-05T09:00", nil, 200, &board)
	require.Equal(t, "98.00", board.Rows[0].BookList)
	a.do("GET", "/api/board?q=BAT-30", nil, 200, &board)
	require.NotEqual(t, "98.00", board.Rows[0].BookList)
	var price struct {
		Product struct {
			Figures []struct{ Figure, Since, Next, Then string }
		}
	}
	a.do("GET", "/api/price?sku=BAT-30&at=2027-01-05T09:00", nil, 200, &price)
	require.Equal(t, "2027-01-01T00:00", price.Product.Figures[0].Since)
	a.do("GET", "/api/price?sku=BAT-30", nil, 200, &price)
	require.Equal(t, []string{"2027-01-01T00:00", "98.00"}, []string{price.Product.Figures[0].Next, price.Product.Figures[0].Then})
	a.do("PATCH", "/api/products/BAT-30", map[string]any{"list": "97.00", "was": "99.00", "at": "2027-01-05T09:00"}, 412, nil)

	var saved struct{ Entry int64 }
	a.do("POST", "/api/later/move", map[string]any{"at": "2027-01-01T00:00", "to": "2027-02-01T00:00"}, 200, &saved)
	a.do("GET", "/api/later", nil, 200, &all)
	require.Equal(t, "2027-02-01T00:00", all.Moments[0].At)
	a.do("POST", "/api/later/move", map[string]any{"at": "2027-01-01T00:00"}, 422, nil)
	a.do("POST", "/api/later/move", map[string]any{"at": "2027-02-01T00:00"}, 200, nil)
	var none list
	a.do("GET", "/api/later", nil, 200, &none)
	require.Empty(t, none.Moments)
}

// What a channel in a country keeps is shown with figures of the core.
func TestKeeps(t *testing.T) {
	a := started(t, store.Manager)
	var settings struct {
		Doc  map[string]any
		ETag string
	}
	channel := map[string]any{"country": "DE", "fee": map[string]any{"percent": "12"}, "where": map[string]any{"sku": "NONE"}}
	type kept struct {
		SKU        string
		Price, Net struct {
			Unit, Net string
			Margin    *string
		}
	}
	var k kept
	a.do("POST", "/api/channels/keeps", channel, 200, &k)
	require.Empty(t, k.SKU, "no country has taxes of its own")
	a.do("GET", "/api/settings", nil, 200, &settings)
	settings.Doc["countries"] = map[string]any{"DE": map[string]any{"taxRates": map[string]any{"standard": "0"}}}
	a.do("PUT", "/api/settings", map[string]any{"doc": settings.Doc, "etag": settings.ETag}, 200, nil)
	a.do("POST", "/api/channels/keeps", channel, 200, &k)
	require.NotEmpty(t, k.SKU)
	require.Equal(t, k.Price.Unit, k.Price.Net, "without tax all of a price is net")
	require.Equal(t, []string{"1098.80", "908.10"}, []string{k.Price.Unit, k.Net.Unit}, "1098.80 ÷ 1.21 is what is left here")
	require.NotNil(t, k.Net.Margin)
	channel["currency"] = "QQQ"
	a.do("POST", "/api/channels/keeps", channel, 422, nil)
}
