package timeline

import (
	"fmt"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/require"

	"dogbane/internal/bookfile"
	"dogbane/internal/money"
	"dogbane/internal/pricing"
	"dogbane/internal/pricing/pricingtest"
)

func engine(t *testing.T, rules string) *pricing.Engine {
	t.Helper()
	return engineWith(t, `"campaigns":[{"code":"autumn","name":"Autumn & <after>","window":{"from":"2026-11-10T00:00","to":"2026-11-20T00:00"}},{"code":"asleep","status":"draft"}],`, rules)
}

func engineWith(t *testing.T, campaigns, rules string) *pricing.Engine {
	t.Helper()
	book, err := bookfile.Decode([]byte(`{"book":"dogbane/1","settings":{"currency":"EUR","timeZone":"Europe/Amsterdam"},
		"groups":[{"code":"trade"},{"code":"school"}],"channels":[{"code":"web"},{"code":"till"}],
		"customers":[{"code":"C1","groups":["trade"]},{"code":"C2"}],
		` + campaigns + `"products":[{"sku":"A","list":"10.00"},{"sku":"B","list":"20.00"}],"rules":[` + rules + `]}`))
	require.NoError(t, err)
	return pricing.Compile(book)
}

func at(t *testing.T, text string) pricing.Moment {
	t.Helper()
	m, err := pricing.ParseMoment(text)
	require.NoError(t, err)
	return m
}

func rule(code, where, more string) string {
	return fmt.Sprintf(`{"code":%q,"layer":"catalog","rank":1,"where":%s,"effect":{"percentOff":"10"}%s}`, code, where,
		more)
}

// A rule is open where its window and its campaign's both are; what is off is laid out, but neither starts nor
// conflicts.
func TestCalendarNarrowsRulesByTheirCampaign(t *testing.T) {
	t.Parallel()
	e := engine(t, rule("LONG", `{"sku":"A"}`,
		`,"campaign":"autumn","window":{"from":"2026-11-01T00:00","to":"2026-11-15T00:00"}`)+","+
		rule("ASLEEP", `{"sku":"A"}`, `,"campaign":"asleep"`)+","+rule("ALWAYS", `{"sku":"B"}`, ``))
	c := CalendarOf(e, at(t, "2026-11-09T12:00"), at(t, "2026-11-01T00:00"), at(t, "2026-12-01T00:00"))
	require.Len(t, c.Campaigns, 2)
	require.Equal(t, 1, c.Always)
	require.Len(t, c.Rules, 2)
	require.Equal(t, "ASLEEP", c.Rules[0].Rule.Code)
	require.Equal(t, []pricing.Span{{From: at(t, "2026-11-10T00:00"), To: at(t, "2026-11-15T00:00")}}, c.Rules[1].Spans)
	var events []string
	for _, ev := range c.Week {
		code := ev.Campaign
		if ev.Rule != nil {
			events = append(events, fmt.Sprint(ev.At, ev.Starts, " ", ev.Rule.Code, ev.Reach))
			continue
		}
		events = append(events, fmt.Sprint(ev.At, ev.Starts, " ", code.Code))
	}
	require.Equal(t, []string{"2026-11-10T00:00 true autumn", "2026-11-10T00:00 true LONG1",
		"2026-11-15T00:00 false LONG1"}, events)
}

// Two rules conflict only where all of it meets: layer, rank, goods, time, channels and buyers.
func TestWhatConflicts(t *testing.T) {
	t.Parallel()
	span := `,"window":{"from":"2026-11-10T00:00","to":"2026-11-20T00:00"}`
	for name, c := range map[string]struct {
		other     string
		conflicts int
	}{
		"the same goods and time": {rule("Y", `{"all":[]}`, span), 1},
		"other goods":             {rule("Y", `{"sku":"B"}`, span), 0},
		"another time":            {rule("Y", `{"sku":"A"}`, `,"window":{"from":"2026-11-20T00:00"}`), 0},
		"another channel":         {rule("Y", `{"sku":"A"}`, `,"channels":["till"]`), 0},
		"other customers":         {rule("Y", `{"sku":"A"}`, `,"audience":{"customers":["C2"]}`), 0},
		"a group may hold both":   {rule("Y", `{"sku":"A"}`, `,"audience":{"groups":["trade"]}`), 1},
		"switched off":            {rule("Y", `{"sku":"A"}`, `,"status":"off"`), 0},
	} {
		e := engine(t, rule("X", `{"sku":"A"}`, span+`,"channels":["web"],"audience":{"customers":["C1"]}`)+","+c.other)
		got := CalendarOf(e, 0, at(t, "2026-11-01T00:00"), at(t, "2026-12-01T00:00")).Conflicts
		require.Len(t, got, c.conflicts, name)
		if c.conflicts > 0 {
			require.Equal(t, 1, got[0].Goods, name)
			require.Equal(t, []pricing.Span{{From: at(t, "2026-11-10T00:00"), To: at(t, "2026-11-20T00:00")}}, got[0].Spans,
				name)
		}
	}
}

// On random books the planned course at any moment is the price question's answer, and the rows of an outlook are too.
func TestCourseAndOutlookArePriceQuestions(t *testing.T) {
	t.Parallel()
	changed := 0
	for seed := range uint64(150) {
		rng := rand.New(rand.NewPCG(seed, 21))
		book := pricingtest.Book(rng)
		e := pricing.Compile(book)
		q := pricingtest.Question(rng, book)
		q.Options = nil
		from, to := q.At, q.At+9*pricing.Day
		c, err := CourseOf(e, q.Viewpoint, q.SKU, from, from, to, nil)
		require.NoError(t, err)
		changed += len(c.Planned) - 1
		for range 20 {
			one := q
			one.At = from + pricing.Moment(rng.IntN(int(to-from)))
			a, err := e.Price(one)
			require.NoError(t, err)
			require.True(t, samePrice(priceAt(c.Planned, one.At), a.Unit), "seed %d at %s", seed, one.At)
		}
		o, err := OutlookOf(e, q.Viewpoint, q.SKU, []int{1, 7})
		require.NoError(t, err)
		for _, r := range o.Rows {
			if r.Customer != "" {
				continue
			}
			one := pricing.Question{Viewpoint: q.Viewpoint.Guest(), SKU: q.SKU}
			one.Quantity = 7
			if r.Group != "" {
				one.Groups = []string{r.Group}
			}
			a, err := e.Price(one)
			require.NoError(t, err)
			require.True(t, samePrice(r.Prices[1], a.Unit), "seed %d, %s", seed, r.Name)
		}
	}
	require.Positive(t, changed, "no price changed")
}

func priceAt(list []PriceFrom, at pricing.Moment) (price *money.Rat) {
	for _, p := range list {
		if p.At <= at {
			price = p.Price
		}
	}
	return price
}

// What a channel showed comes first, what the book plans after it; a price that another replaced at the same moment
// never was, and the time without a price is none.
func TestCourseJoinsWhatWasShown(t *testing.T) {
	t.Parallel()
	e := engine(t, rule("SALE", `{"sku":"A"}`, `,"window":{"from":"2026-11-20T00:00","to":"2026-11-25T00:00"}`))
	price := func(text string) *money.Rat { p := money.MustParse(text); return &p }
	until := at(t, "2026-11-05T00:00")
	now := at(t, "2026-11-15T00:00")
	c, err := CourseOf(e, pricing.Viewpoint{Channel: "web"}, "A", now, at(t, "2026-11-01T00:00"),
		at(t, "2026-12-31T00:00"), []Shown{
			{From: at(t, "2026-11-16T00:00"), Price: price("1.00")}, // not shown yet
			{From: at(t, "2026-11-10T00:00"), Price: price("8.00")},
			{From: at(t, "2026-11-10T00:00"), Price: price("2.00")}, // replaced at once
			{From: at(t, "2026-10-01T00:00"), Until: &until, Price: price("9.50")},
		})
	require.NoError(t, err)
	var shown []string
	for _, p := range c.Published {
		text := "none"
		if p.Price != nil {
			text = p.Price.String()
		}
		shown = append(shown, p.At.String()+" "+text)
	}
	require.Equal(t, []string{"2026-10-01T00:00 9.5", "2026-11-05T00:00 none", "2026-11-10T00:00 8"}, shown)
	require.Equal(t, "8", priceAt(c.Lowest, at(t, "2026-11-21T00:00")).String())
	require.Equal(t, "9", priceAt(c.Lowest, at(t, "2026-12-16T00:00")).String(), "the 8.00 ended on 15 November")
	require.Equal(t, "10", priceAt(c.Lowest, at(t, "2026-12-25T00:00")).String())

	alone, err := CourseOf(e, pricing.Viewpoint{}, "A", now, at(t, "2026-11-01T00:00"), at(t, "2026-12-31T00:00"), nil)
	require.NoError(t, err)
	require.Empty(t, alone.Lowest)
	require.Len(t, alone.Planned, 3)
	_, err = CourseOf(e, pricing.Viewpoint{}, "NOBODY", now, 0, 1, nil)
	var problem *pricing.QuestionError
	require.ErrorAs(t, err, &problem)
	require.Equal(t, "sku", problem.Path)
}
