package server_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"dogbane/internal/store"
)

type calendar struct {
	Campaigns, Bars []struct {
		Code, From, To, ETag string
		Pattern              bool
		Spans                []struct{ From, To string }
		Doc                  map[string]any
	}
	Conflicts []struct {
		A, B  string
		Goods int
		Spans []struct{ From, To string }
	}
	Week []struct{ At, What, Code string }
}

// The calendar says when rules are open, what starts and ends within a week, and which rules of one rank conflict when.
func TestCalendar(t *testing.T) {
	a := started(t, store.Manager)
	rule := func(code string, window map[string]any) map[string]any {
		return map[string]any{"code": code, "name": code, "layer": "group", "rank": 77,
			"where": map[string]any{"sku": "BAT-30"}, "effect": map[string]any{"setPrice": "1"}, "window": window}
	}
	evenings := map[string]any{"from": "2026-11-27T00:00", "to": "2026-12-04T00:00", "days": []string{"fri", "mon"},
		"hours": []string{"18:00", "22:00"}}
	a.do("POST", "/api/rules", rule("EVENINGS", evenings), 200, nil)
	a.do("POST", "/api/rules", rule("MONDAY", map[string]any{"from": "2026-11-30T00:00", "to": "2026-12-01T00:00"}), 200,
		nil)
	a.do("POST", "/api/rules", rule("LATER", map[string]any{"from": "2026-12-20T00:00"}), 200, nil)
	var c calendar
	a.do("GET", "/api/calendar?from=2026-11-20T00:00&to=2026-12-20T00:00", nil, 200, &c)
	for _, bar := range c.Bars {
		switch bar.Code {
		case "EVENINGS":
			require.True(t, bar.Pattern)
			require.Equal(t, "2026-12-04T00:00", bar.To)
			require.Len(t, bar.Spans, 2)
			require.Equal(t, "2026-11-27T18:00", bar.Spans[0].From)
			require.Equal(t, "2026-11-30T22:00", bar.Spans[1].To)
		case "LATER":
			require.Empty(t, bar.Spans)
		}
	}
	conflicts := 0
	for _, f := range c.Conflicts {
		if f.A == "EVENINGS" {
			conflicts++
			require.Equal(t, "MONDAY", f.B)
			require.Equal(t, 1, f.Goods)
			require.Len(t, f.Spans, 1)
			require.Equal(t, "2026-11-30T18:00", f.Spans[0].From)
		}
	}
	require.Equal(t, 1, conflicts)
	var own []string
	for _, e := range c.Week {
		if e.Code == "MONDAY" || e.Code == "EVENINGS" {
			own = append(own, e.At+" "+e.What+" "+e.Code)
		}
	}
	require.Equal(t, []string{"2026-11-27T18:00 starts EVENINGS", "2026-11-27T22:00 ends EVENINGS",
		"2026-11-30T00:00 starts MONDAY",
		"2026-11-30T18:00 starts EVENINGS", "2026-11-30T22:00 ends EVENINGS", "2026-12-01T00:00 ends MONDAY"}, own)
	for _, bad := range []string{"from=x&to=2026-12-20T00:00", "from=2026-12-20T00:00&to=2026-12-20T00:00",
		"from=2026-01-01T00:00&to=2028-01-01T00:00"} {
		a.do("GET", "/api/calendar?"+bad, nil, 422, nil)
	}
}

// A price over time steps where windows open and close; what a reduction is measured against follows 30 days behind.
func TestPriceCourse(t *testing.T) {
	a := started(t, store.Manager)
	sale := map[string]any{"code": "DIP", "name": "Dip", "layer": "promotion", "rank": 1,
		"where": map[string]any{"sku": "BAT-30"}, "effect": map[string]any{"setPrice": "1"},
		"window": map[string]any{"from": "2026-12-10T00:00", "to": "2026-12-12T00:00"}}
	a.do("POST", "/api/rules", sale, 200, nil)
	var c struct {
		Planned, Lowest, Published []struct {
			At    string
			Price string
		}
		Cost string
	}
	a.do("GET", "/api/price-course?channel=web&sku=BAT-30&from=2026-12-09T00:00&to=2027-02-01T00:00", nil, 200, &c)
	require.Equal(t, "2026-12-10T00:00", c.Planned[1].At)
	require.Equal(t, "1.00", c.Planned[1].Price)
	require.Equal(t, "2026-12-12T00:00", c.Planned[2].At)
	require.NotEmpty(t, c.Cost)
	require.Empty(t, c.Published, "nothing was published")
	low := map[string]string{}
	for _, p := range c.Lowest {
		low[p.At] = p.Price
	}
	require.Equal(t, "1.00", low["2026-12-10T00:00"])
	require.Contains(t, low, "2027-01-11T00:00", "30 days after its end the sale no longer counts")
	a.do("GET", "/api/price-course?channel=web&sku=BAT-30&from=2026-12-20T00:00&to=2027-02-01T00:00", nil, 200, &c)
	require.Equal(t, "1.00", c.Lowest[0].Price, "a span that begins after the sale still looks back at it")
	a.do("GET", "/api/price-course?channel=web&sku=NOBODY&from=2026-12-09T00:00&to=2027-02-01T00:00", nil, 422, nil)
}
