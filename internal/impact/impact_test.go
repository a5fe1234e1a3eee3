package impact_test

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"dogbane/internal/board"
	"dogbane/internal/book"
	"dogbane/internal/book/booktest"
	"dogbane/internal/bookfile"
	"dogbane/internal/checks"
	"dogbane/internal/impact"
	"dogbane/internal/money"
	"dogbane/internal/pricing"
	"dogbane/internal/pricing/flags"
	"dogbane/internal/pricing/pricingtest"
)

const kiln = `{"settings":{"currency":"EUR","timeZone":"UTC"},
	"groups":[{"code":"trade"}],"customers":[{"code":"C1","attrs":{"region":"<north>"}}],
	"channels":[{"code":"web","name":"Web <shop>"},
		{"code":"fair","limits":{"wholeUnits":true,"minOffPercent":"10","maxOffPercent":"50","leadHours":"24","needsReference":true}}],
	"products":[{"sku":"A & B","name":"Cup","category":"Cups","list":"10.00","cost":"6.00"},{"sku":"C","name":"Bowl","category":"Cups","list":"30.00","cost":"21.00"},
		{"sku":"D","name":"Kiln","category":"Kilns","list":"1000.00","cost":"900.00"},{"sku":"E","category":"Cups"}],
	"rules":[{"code":"SALE","layer":"sale","rank":5,"where":{"sku":"D"},"effect":{"percentOff":"5"}}]}`

func noon(t *testing.T) pricing.Moment {
	t.Helper()
	m, err := pricing.ParseMoment("2026-11-26T12:00")
	require.NoError(t, err)
	return m
}

type desk struct {
	t    *testing.T
	snap *book.Snapshot
	*impact.Impacts
}

func open(t *testing.T, pinned ...checks.Pinned) *desk {
	t.Helper()
	live, memory := booktest.Live(t, booktest.Read(t, kiln))
	memory.Checks = pinned
	return &desk{t, live.Current(), impact.New(board.NewSweeps(), memory)}
}

func (d *desk) rule(doc string) pricing.Rule {
	d.t.Helper()
	r, err := bookfile.DecodeRule([]byte(doc), d.snap.Book)
	require.NoError(d.t, err)
	return r
}

// save is the desk of a book with a rule more.
func (d *desk) save(doc string) {
	d.t.Helper()
	b := *d.snap.Book
	b.Rules = append(slices.Clone(b.Rules), d.rule(doc))
	_, memory := booktest.Live(d.t, &b)
	d.snap, d.Impacts = booktest.Snapshot(d.t, &b), impact.New(board.NewSweeps(), memory)
}

func (d *desk) ofRule(doc, channel string) impact.Rule {
	d.t.Helper()
	vp := pricing.Viewpoint{Channel: channel, At: noon(d.t), Quantity: 1}
	out, err := d.OfRule(d.t.Context(), d.snap, impact.Draft{Rule: d.rule(doc)}, vp, noon(d.t))
	require.NoError(d.t, err)
	return out
}

// A rule is looked at from where it can be seen at work, and what it does there is told: reach, prices, margins,
// movers.
func TestARulesImpact(t *testing.T) {
	d := open(t, checks.Pinned{ID: 7, Name: "the cup & its price",
		Doc: `{"price":{"sku":"A & B","channel":"web","at":"2026-11-26T12:00"},"is":{"unit":"10.00"}}`})
	out := d.ofRule(`{"code":"HALF","layer":"promotion","rank":1,"where":{"category":"Cups"},"effect":{"percentOff":"50"}}`, "web")
	require.Equal(t, []int{3, 2, 2, 0, 2, 2, 2}, []int{out.Reach, out.Applies, out.Moved, out.Up, out.Down, out.Below,
		out.NewBelow})
	require.Equal(t, []string{"35.0", "-30.0"}, []string{*out.MarginBefore, *out.MarginAfter})
	require.Equal(t, []string{"C", "A & B"}, []string{out.Movers[0].SKU, out.Movers[1].SKU}, "the biggest first")
	require.Equal(t, "-15.00", *out.Movers[0].Change)
	require.Equal(t, "the cup & its price", out.Checks[0].Name)
	require.Equal(t, []string{"10.00", "5"}, []string{out.Checks[0].Differences[0].Want,
		out.Checks[0].Differences[0].Have[:1]})
	require.Equal(t, "5.00", *out.Example.Final)
	total := 0
	for _, n := range out.Changes.Counts {
		total += n
	}
	require.Equal(t, 2, total)

	for doc, want := range map[string]string{
		`"audience":{"groups":["trade"]}`:                              "group:trade 1 2026-11-26T12:00 false false",
		`"audience":{"customers":["C1"]}`:                              "customer:C1 1 2026-11-26T12:00 false false",
		`"minQuantity":6`:                                              " 6 2026-11-26T12:00 false false",
		`"window":{"from":"2026-12-24T00:00"}`:                         " 1 2026-12-24T00:00 true false",
		`"window":{"days":["sun"]}`:                                    " 1 2026-11-29T00:00 true false",
		`"window":{"from":"2025-01-01T00:00","to":"2025-02-01T00:00"}`: " 1 2025-01-01T00:00 true true",
	} {
		out := d.ofRule(`{"code":"X","layer":"promotion","rank":1,"where":{"sku":"A & B"},"effect":{"percentOff":"10"},`+doc+`}`, "web")
		require.Equal(t, want, fmt.Sprintf("%s %d %s %v %v", out.Who, out.Quantity, out.At, out.Shifted, out.Never), doc)
		require.Equal(t, 1, out.Moved, doc)
	}
	for doc, want := range map[string]book.Assumed{
		`"firstOrder":true`:                       {First: new(true)},
		`"signedIn":true,"countries":["DE","NL"]`: {SignedIn: new(true), Country: "DE"},
		`"customerAttr":{"region":["<north>"]}`:   {Attrs: map[string]string{"region": "<north>"}},
	} {
		out := d.ofRule(`{"code":"X","layer":"promotion","rank":1,"where":{"sku":"A & B"},"effect":{"percentOff":"10"},"audience":{`+doc+`}}`, "web")
		require.Equal(t, &want, out.As, "what the rule wants of a buyer is assumed, and told")
		require.Equal(t, 1, out.Moved, doc)
	}
	for _, doc := range []string{`"firstOrder":false`, `"customers":["C1"],"signedIn":true,"customerAttr":{"region":["<south>","<north>"]}`} {
		out := d.ofRule(`{"code":"X","layer":"promotion","rank":1,"where":{"sku":"A & B"},"effect":{"percentOff":"10"},"audience":{`+doc+`}}`, "web")
		require.Nil(t, out.As, "what is so already is not assumed")
		require.Equal(t, 1, out.Moved, doc)
	}
}

// A price that is meant to be fixed for a customer names what may change it all the same; others name nothing.
func TestWhatIsNotFixed(t *testing.T) {
	d := open(t)
	rule := `{"code":"FIXED","layer":"group","rank":1,"where":{"sku":"A & B"},"effect":{"setPrice":"7.00"},"audience":{"customers":["C1"]},"mayRaise":true%s}`
	require.Empty(t, d.ofRule(fmt.Sprintf(rule, ""), "web").Unfixed)
	require.Empty(t, d.ofRule(fmt.Sprintf(rule, `,"then":"end-price"`), "web").Unfixed)
	d.save(`{"code":"SAME","name":"Same & again","layer":"group","rank":1,"where":{"category":"Cups"},"effect":{"percentOff":"1"},"audience":{"customers":["C1"]}}`)
	d.save(`{"code":"AFTER","layer":"group","rank":2,"where":{"all":[]},"effect":{"percentOff":"1"},"audience":{"customers":["C1"]}}`)
	d.save(`{"code":"ENDS","layer":"sale","rank":1,"where":{"sku":"A & B"},"effect":{"percentOff":"1"},"then":"end-price"}`)
	d.save(`{"code":"ELSEWHERE","layer":"sale","rank":2,"where":{"sku":"C"},"effect":{"percentOff":"1"},"then":"end-price"}`)
	var found []string
	for _, o := range d.ofRule(fmt.Sprintf(rule, `,"then":"end-price"`), "web").Unfixed {
		found = append(found, string(o.Kind)+" "+o.Rule.Code)
	}
	require.ElementsMatch(t, []string{"same-customer SAME", "rule-ends ENDS"}, found)
}

// Brackets give the pieces of a line several prices: the example follows those that the rule makes, and the margin is
// that of a piece over all of them, as the board has it.
func TestBracketsInTheExample(t *testing.T) {
	d := open(t)
	vp := pricing.Viewpoint{Channel: "web", At: noon(t), Quantity: 4}
	doc := `{"code":"BRACKETS","layer":"tier","rank":1,"where":{"sku":"A & B"},"method":"graduated","breaks":[{"from":3,"percentOff":"10"}]}`
	out, err := d.OfRule(t.Context(), d.snap, impact.Draft{Rule: d.rule(doc)}, vp, noon(t))
	require.NoError(t, err)
	e := out.Example
	require.Empty(t, e.Missed)
	require.Equal(t, []string{"10.00", "9.00", "9.50", *out.Movers[0].After}, []string{*e.Before, *e.Final, *e.Each, "9.50"})
	require.Equal(t, 2, e.Pieces)
	require.Equal(t, *out.Movers[0].Margin, (*e.Margin)[:len(*out.Movers[0].Margin)])
}

// What a channel demands of a price is told by the kinds that flags have, with prices that would pass; so are the
// nearest values of the effect, and they are the nearest.
func TestDemands(t *testing.T) {
	d := open(t)
	kinds := func(doc string) (list []string) {
		for _, demand := range d.ofRule(doc, "fair").Demands {
			require.NotNil(t, flags.Of(demand.Kind), "%s is a kind of the table", demand.Kind)
			list = append(list, string(demand.Kind)+string(demand.Side))
		}
		return list
	}
	rule := func(percent, more string) string {
		return `{"code":"X","layer":"promotion","rank":1,"where":{"sku":"A & B"},"effect":{"percentOff":"` + percent + `"}` +
			more + `}`
	}
	require.Equal(t, []string{"limit-whole-units", "limit-discountleast"}, kinds(rule("5", "")))
	require.Equal(t, []string{"limit-discountmost"}, kinds(rule("60", "")))
	require.Empty(t, kinds(rule("20", "")))
	require.Equal(t, []string{"limit-lead-time"}, kinds(rule("20", `,"window":{"from":"2026-11-27T11:00"}`)))
	require.Empty(t, kinds(rule("20", `,"window":{"from":"2026-11-27T12:00"}`)))
	require.Empty(t, kinds(rule("5", `,"channels":["web"]`)), "it does not reach the channel")
	vp := pricing.Viewpoint{Channel: "fair", At: noon(t), Quantity: 1}
	near := func(doc string, side impact.Side) impact.Nearest {
		out, err := d.Nearest(d.snap, impact.Draft{Rule: d.rule(doc)}, vp, side, "fair", noon(t))
		require.NoError(t, err)
		return out
	}
	out := near(rule("5", ""), impact.Least)
	require.Equal(t, []string{"0.0", "10.0"}, []string{*out.Lower, *out.Upper},
		"no reduction at all is no reduction that is too small")
	out = near(rule("60", ""), impact.Most)
	require.Equal(t, "50.0", *out.Lower)
	require.Nil(t, out.Upper)
	out = near(`{"code":"X","layer":"promotion","rank":1,"where":{"sku":"A & B"},"effect":{"setPrice":"1.00"}}`,
		impact.Most)
	require.Equal(t, "5.00", *out.Upper)
	out = near(`{"code":"X","layer":"promotion","rank":1,"where":{"sku":"A & B"},"effect":{"level":"B"}}`, impact.Most)
	require.Empty(t, out.Kind, "a level has no value to search for")
}

// What was agreed with a customer is told though no rule is another: the price level that the rule gives is.
func TestAnAgreedPriceIsToldForItsCustomer(t *testing.T) {
	d := open(t)
	level := func(b pricing.Book, price int64) pricing.Book {
		b.Products = slices.Clone(b.Products)
		amount := money.Int(price)
		first := *b.Products[0]
		first.Levels = map[string]money.Rat{"agreed:C1": amount}
		b.Products[0] = &first
		return b
	}
	before := level(*d.snap.Book, 9)
	before.Rules = append(slices.Clone(before.Rules), d.rule(`{"code":"AGREED","layer":"group","rank":1,"where":{"sku":"A & B"},"audience":{"customers":["C1"]},"effect":{"level":"agreed:C1"}}`))
	live, memory := booktest.Live(t, &before)
	next := level(before, 8)
	out, err := impact.New(board.NewSweeps(), memory).OfBook(t.Context(), live.Current(), &next, noon(t))
	require.NoError(t, err)
	var told []string
	for _, c := range out.Prices {
		told = append(told, fmt.Sprintf("%s %s: %d down", c.Channel, c.Who, c.Down))
	}
	require.Equal(t, []string{"web : 0 down", "web customer:C1: 1 down", "fair : 0 down", "fair customer:C1: 1 down"}, told)
}

// A rule that ends the price moves nothing for a guest and takes a group's terms away: that is told, and so are
// customers with terms of their own and other channels, but only where prices move.
func TestElsewhere(t *testing.T) {
	live, memory := booktest.Live(t, booktest.Read(t, strings.Replace(kiln, `"rules":[`, `"rules":[
		{"code":"TRADE","layer":"group","rank":1,"where":{"category":"Cups"},"audience":{"groups":["trade"]},"effect":{"percentOff":"20"}},
		{"code":"C1","layer":"group","rank":2,"where":{"sku":"C"},"audience":{"customers":["C1"]},"effect":{"percentOff":"10"}},`, 1)))
	d := &desk{t, live.Current(), impact.New(board.NewSweeps(), memory)}
	told := func(doc string, vp pricing.Viewpoint) (list []string) {
		vp.At, vp.Quantity = noon(t), 1
		out, err := d.ElsewhereOf(t.Context(), d.snap, impact.Draft{Rule: d.rule(doc)}, vp)
		require.NoError(t, err)
		for _, o := range out.Others {
			list = append(list, fmt.Sprintf("%s %s: %d up, %d down", o.Channel, o.Who, o.Up, o.Down))
		}
		return list
	}
	ends := `{"code":"END","layer":"sale","rank":1,"where":{"category":"Cups"},"effect":{"percentOff":"0"},"then":"end-price"}`
	require.Equal(t, []string{"web group:trade: 2 up, 0 down", "web customer:C1: 1 up, 0 down"},
		told(ends, pricing.Viewpoint{Channel: "web"}))
	require.Equal(t, []string{"web customer:C1: 1 up, 0 down"},
		told(ends, pricing.Viewpoint{Channel: "web", Groups: []string{"trade"}}), "whom the impact is told for is not among them")
	require.Equal(t, []string{"web group:trade: 2 up, 0 down"}, told(ends, pricing.Viewpoint{Channel: "web", Customer: "C1",
		FirstOrder: true, History: []pricing.Purchase{{SKU: "C", Quantity: 1, At: noon(t)}}}), "nor is a customer of whom more is known")
	off := `{"code":"OFF","layer":"sale","rank":1,"where":{"sku":"D"},"channels":["fair"],"effect":{"percentOff":"50"}}`
	require.Equal(t, []string{"fair group:trade: 0 up, 1 down"}, told(off, pricing.Viewpoint{Channel: "web"}))
}

// An edit is looked at in every channel for a guest, and for others where it moves something; goods and channels that
// only one of the books knows have no price in the other.
func TestAnEditsImpact(t *testing.T) {
	d := open(t)
	next := *d.snap.Book
	next.Channels = append(append([]pricing.Channel{}, next.Channels...), pricing.Channel{Code: "new", Name: "New"})
	ten := money.Int(10)
	next.Products = append(slices.Clone(next.Products[1:]),
		&pricing.Product{SKU: "NEW", List: &ten, Cost: &ten})
	trade := d.rule(`{"code":"T","layer":"group","rank":1,"where":{"sku":"C"},"audience":{"groups":["trade"]},"breaks":[{"from":3,"percentOff":"10"},{"from":9,"percentOff":"20"}]}`)
	next.Rules = append(append([]pricing.Rule{}, next.Rules...), trade)
	others := impact.Buyers(d.snap.Book, &next)
	require.Equal(t, []impact.Buyer{{Who: "group:trade", Quantity: 3}, {Who: "group:trade", Quantity: 9}}, others)
	out, err := d.OfBook(t.Context(), d.snap, &next, noon(t))
	require.NoError(t, err)
	var told []string
	for _, c := range out.Prices {
		told = append(told, fmt.Sprintf("%s %s %d: %d", c.Channel, c.Who, c.Quantity, c.Moved))
	}
	require.Equal(t, []string{"web  1: 1", "web group:trade 3: 2", "web group:trade 9: 2", "fair  1: 1",
		"fair group:trade 3: 2",
		"fair group:trade 9: 2", "new  1: 3", "new group:trade 3: 3", "new group:trade 9: 3"}, told)
	require.Equal(t, 1, out.Prices[0].Up)
	tally, broken, err := d.OfBookFrom(t.Context(), d.snap, &next,
		pricing.Viewpoint{Channel: "web", Groups: []string{"trade"}, At: noon(t), Quantity: 9})
	require.NoError(t, err)
	require.Equal(t, 2, tally.Moved)
	require.Zero(t, tally.Below, "24.00 is above 21.00, and the new goods sell for what they cost")
	require.Empty(t, broken)
}

// A group or a customer that is new moves no price: the one pays as everybody, the other as the groups do. Terms that come
// with them do.
func TestNewcomersMoveNothing(t *testing.T) {
	live, memory := booktest.Live(t, booktest.Read(t, strings.Replace(kiln, `"rules":[`, `"rules":[
		{"code":"TRADE","layer":"group","rank":1,"where":{"category":"Cups"},"audience":{"groups":["trade"]},"effect":{"percentOff":"20"}},`, 1)))
	d := &desk{t, live.Current(), impact.New(board.NewSweeps(), memory)}
	told := func(next *pricing.Book) (list []string) {
		out, err := d.OfBook(t.Context(), d.snap, next, noon(t))
		require.NoError(t, err)
		for _, c := range out.Prices {
			if c.Channel == "web" {
				list = append(list, fmt.Sprintf("%s: %d", c.Who, c.Moved))
			}
		}
		return list
	}
	next := *d.snap.Book
	next.Groups = append(slices.Clone(next.Groups), pricing.Group{Code: "guild"})
	next.Customers = append(slices.Clone(next.Customers), pricing.Customer{Code: "C9", Groups: []string{"trade"}})
	require.Equal(t, []string{": 0"}, told(&next))
	rule, err := bookfile.DecodeRule([]byte(`{"code":"G","layer":"group","rank":2,"where":{"sku":"C"},"audience":{"groups":["guild"]},"effect":{"percentOff":"5"}}`), &next)
	require.NoError(t, err)
	next.Rules = append(slices.Clone(next.Rules), rule)
	require.Equal(t, []string{": 0", "group:guild: 1"}, told(&next))
}

// Over random books and edits: what an impact counts is what one price after the other says, whichever way it is worked
// out: by one rule, by whole books, by two engines.
func TestImpactsAgreeWithOneByOne(t *testing.T) {
	rounds := 80
	if testing.Short() {
		rounds = 20
	}
	for seed := range uint64(rounds) {
		rng := rand.New(rand.NewPCG(seed, 11))
		b := pricingtest.Book(rng)
		snap := booktest.Snapshot(t, b)
		other := pricingtest.Book(rng)
		rule := other.Rules[rng.IntN(len(other.Rules))]
		rule.Code, rule.Window, rule.Audience, rule.Campaign, rule.Channels, rule.Status = b.Rules[0].Code, nil, nil, "", nil,
			pricing.On
		rule.MinQuantity, rule.Breaks, rule.Ladder = 1, nil, ""
		if rule.Effect == nil {
			continue
		}
		next := *b
		next.Rules = append([]pricing.Rule{rule}, b.Rules[1:]...)
		vp := pricingtest.Viewpoint(rng, b)
		vp.With, vp.Channel = nil, "web"
		engine := pricing.Compile(&next)
		moved, below := 0, 0
		for i := range b.Products {
			q := pricing.Question{Viewpoint: vp, SKU: b.Products[i].SKU}
			was, err := snap.Engine.Price(q)
			require.NoError(t, err)
			is, err := engine.Price(q)
			require.NoError(t, err)
			if (was.Unit == nil) != (is.Unit == nil) || is.Unit != nil && !was.Unit.Equal(*is.Unit) {
				moved++
				if is.Margin != nil && is.Margin.Amount.Sign() < 0 && len(is.Portions) == 1 {
					below++
				}
			}
		}
		memory := &booktest.Memory{}
		impacts := impact.New(board.NewSweeps(), memory)
		tally, _, err := impacts.OfBookFrom(t.Context(), snap, &next, vp)
		require.NoError(t, err)
		require.Equal(t, moved, tally.Moved, "seed %d", seed)
		require.Equal(t, tally.Moved, tally.Up+tally.Down, "seed %d", seed)
		require.GreaterOrEqual(t, tally.Below, below, "seed %d", seed)
		two, err := impact.Between(snap.Engine, engine, vp)
		require.NoError(t, err)
		require.Equal(t, tally, two, "seed %d", seed)
		one, err := impacts.OfRule(t.Context(), snap, impact.Draft{Rule: rule}, vp, vp.At)
		require.NoError(t, err)
		if !one.Shifted && one.Who == "" && one.Quantity == max(vp.Quantity, 1) {
			require.Equal(t, [4]int{tally.Moved, tally.Up, tally.NewBelow, tally.Cleared},
				[4]int{one.Moved, one.Up, one.NewBelow, one.Cleared}, "seed %d", seed)
		}
	}
}
