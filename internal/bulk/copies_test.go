package bulk_test

import (
	"fmt"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/require"

	"dogbane/internal/book"
	"dogbane/internal/book/booktest"
	"dogbane/internal/bulk"
	"dogbane/internal/pricing"
)

const year = `{"settings":{"currency":"EUR","timeZone":"Europe/Amsterdam"},
	"campaigns":[{"code":"DARK","name":"Dark <days> 2026","window":{"from":"2026-11-27T09:00","to":"2026-12-07T00:00"}},
		{"code":"LOOSE","name":"Loose"}],
	"products":[{"sku":"A","list":"10.00"}],
	"rules":[
		{"code":"DATED","name":"Clay & week","layer":"sale","rank":1,"where":{"sku":"A"},"effect":{"percentOff":"5"},"window":{"from":"2026-11-27T09:00","to":"2026-12-06T00:00","days":["fri"]}},
		{"code":"WITH","name":"With","layer":"sale","rank":2,"campaign":"DARK","where":{"sku":"A"},"effect":{"percentOff":"6"}},
		{"code":"INSIDE","name":"First day","layer":"sale","rank":3,"campaign":"DARK","where":{"sku":"A"},"effect":{"percentOff":"7"},"window":{"from":"2026-11-27T09:00","to":"2026-11-28T00:00"}},
		{"code":"OUTSIDE","name":"Longer","layer":"sale","rank":4,"campaign":"DARK","where":{"sku":"A"},"effect":{"percentOff":"8"},"window":{"from":"2026-11-01T00:00","to":"2026-12-01T00:00"}},
		{"code":"BARE","name":"Bare","layer":"tier","rank":1,"campaign":"LOOSE","where":{"sku":"A"},"effect":{"percentOff":"9"}}]}`

func planned(t *testing.T, c bulk.Copies) (*pricing.Book, []string) {
	t.Helper()
	b := booktest.Read(t, year)
	list, err := c.Plan(b)
	require.NoError(t, err)
	var changes []book.Change
	var told []string
	for _, one := range list {
		changes = append(changes, one.Change)
		ends := ""
		if one.From != nil {
			ends = fmt.Sprintf(" %s %s", one.From.Format("Mon 2006-01-02T15:04"), one.To)
		}
		told = append(told, fmt.Sprintf("%s %q%s %v", one.Code, one.Name, ends, one.Undated))
	}
	next, err := book.Apply(b, changes)
	require.NoError(t, err, "what is planned can be saved")
	return next, told
}

// One year on each weekday is the same; names and codes say the year; a campaign with dates comes along, once; what has
// no dates says so.
func TestCopies(t *testing.T) {
	_, told := planned(t, bulk.Copies{Rules: []string{"DATED", "WITH", "INSIDE", "BARE"}, By: "year"})
	require.Equal(t, []string{
		`DATED-2027 "Clay & week 2027" Fri 2027-11-26T09:00 2027-12-05T00:00 false`,
		`DARK-2027 "Dark <days> 2027" Fri 2027-11-26T09:00 2027-12-06T00:00 false`,
		`WITH-2027 "With 2027" false`,
		`INSIDE-2027 "First day 2027" Fri 2027-11-26T09:00 2027-11-27T00:00 false`,
		`BARE-copy "Bare" true`}, told)
	next, told := planned(t, bulk.Copies{Campaign: "DARK", By: "week"})
	require.Equal(t, []string{
		`DARK-1204 "Dark <days> 2026, 4 Dec" Fri 2026-12-04T09:00 2026-12-14T00:00 false`,
		`WITH-1204 "With, 4 Dec" false`,
		`INSIDE-1204 "First day, 4 Dec" Fri 2026-12-04T09:00 2026-12-05T00:00 false`,
		`OUTSIDE-1108 "Longer, 8 Nov" Sun 2026-11-08T00:00 2026-12-08T00:00 false`}, told)
	for _, r := range next.Rules[5:] {
		require.Equal(t, "DARK-1204", r.Campaign, "copies belong to the campaign's copy")
	}
	_, told = planned(t, bulk.Copies{Campaign: "LOOSE", By: "days", Days: -3})
	require.Equal(t, []string{`LOOSE-copy "Loose" true`, `BARE-copy "Bare" false`}, told)
	for _, bad := range []bulk.Copies{{Rules: []string{"NONE"}, By: "week"}, {Campaign: "NONE", By: "week"}, {Rules: []string{"DATED"}, By: "days"}} {
		_, err := bad.Plan(booktest.Read(t, year))
		var invalid *book.InvalidError
		require.ErrorAs(t, err, &invalid)
	}
}

// A copy of a copy has a name and a code of its own that do not grow, and what repeats in a window goes on as it is.
func TestCopiesOfCopies(t *testing.T) {
	b := booktest.Read(t, year)
	code := "DATED"
	for range 3 {
		list, err := (&bulk.Copies{Rules: []string{code}, By: "week"}).Plan(b)
		require.NoError(t, err)
		b, err = book.Apply(b, []book.Change{list[0].Change})
		require.NoError(t, err)
		code = list[0].Code
	}
	last := b.Rules[len(b.Rules)-1]
	require.Equal(t, "DATED-1218", last.Code)
	require.Equal(t, "Clay & week, 18 Dec", last.Name)
	require.Equal(t, []pricing.Weekday{4}, last.Window.Days)
	list, err := (&bulk.Copies{Rules: []string{"DATED"}, By: "week"}).Plan(b)
	require.NoError(t, err)
	require.Equal(t, "DATED-1204-2", list[0].Code, "a code that is taken is not taken again")
}

// However far: both ends move by as much, and by whole weeks the weekday stays.
func TestCopiesMoveBothEnds(t *testing.T) {
	b := booktest.Read(t, year)
	rng := rand.New(rand.NewPCG(4, 9))
	for range 300 {
		c := bulk.Copies{Rules: []string{"DATED"}, By: []string{"year", "week", "days"}[rng.IntN(3)], Days: 1 + rng.IntN(4000)}
		list, err := c.Plan(b)
		require.NoError(t, err)
		was := b.Rules[0].Window
		by := *list[0].From - *was.From
		require.Equal(t, by, *list[0].To-*was.To)
		if c.By != "days" {
			require.Equal(t, was.From.Format("Mon 15:04"), list[0].From.Format("Mon 15:04"))
			require.Zero(t, by%pricing.Week)
		}
	}
}

// A campaign that is moved takes along those of its rules that lie in its days, and no others.
func TestAlong(t *testing.T) {
	b := booktest.Read(t, year)
	from, err := pricing.ParseMoment("2026-11-30T09:00")
	require.NoError(t, err)
	changes, err := bulk.Along(b, "DARK", from)
	require.NoError(t, err)
	require.Len(t, changes, 1)
	next, err := book.Apply(b, changes)
	require.NoError(t, err)
	require.Equal(t, []string{"2026-11-30T09:00", "2026-12-01T00:00"},
		[]string{next.Rules[2].Window.From.String(), next.Rules[2].Window.To.String()})
	for _, campaign := range []string{"DARK", "LOOSE"} {
		stays, err := bulk.Along(b, campaign, *b.Campaigns[0].Window.From)
		require.NoError(t, err)
		require.Empty(t, stays)
	}
	_, err = bulk.Along(b, "NONE", from)
	require.ErrorIs(t, err, book.ErrNotFound)
}
