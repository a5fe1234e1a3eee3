package demo

import (
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"dogbane/internal/bookfile"
	"dogbane/internal/money"
	"dogbane/internal/pricing"
	"dogbane/internal/pricing/basket"
	"dogbane/internal/pricing/flags"
)

// The demo is a valid document, large enough to read as a store, and shows each kind of trouble that it promises.
func TestDemoBook(t *testing.T) {
	book := Book(0)
	require.GreaterOrEqual(t, len(book.Products), 300)
	_, err := bookfile.Decode(bookfile.Encode(book))
	require.NoError(t, err)

	engine := pricing.Compile(book)
	now := *moment(Now)
	found, err := flags.Find(engine, flags.Question{From: now, To: now + 90*pricing.Day})
	require.NoError(t, err)
	met := map[trouble]bool{}
	for _, f := range found {
		about := trouble{f.Kind, f.Cause, f.Channel}
		if f.Rule != "" || f.Rules != nil {
			about.rule = strings.TrimSpace(f.Rule + " " + strings.Join(f.Rules, " "))
		}
		if flags.Of(f.Kind).Severity == flags.Note && f.Cause == "" && f.Rule == "" {
			about.channel = ""
		}
		planted := slices.IndexFunc(troubles, func(t trouble) bool {
			return t.kind == about.kind && t.rule == about.rule && (t.channel == about.channel || t.channel == "every")
		})
		require.GreaterOrEqual(t, planted, 0, "nobody planted %+v: %s", about, f.SKU)
		met[troubles[planted]] = true
	}
	for _, t2 := range troubles {
		require.True(t, met[t2], "%+v is to be found", t2)
	}
}

// trouble is what the demo has to be found: a kind of flag, by which rule, in which channel.
type trouble struct {
	kind          flags.Kind
	rule, channel string
}

var troubles = []trouble{
	// A contract, a price for schools and two reductions together that a supplier's increase put below cost.
	{flags.BelowCost, "HOLLOW-CONTRACT", "every"}, {flags.BelowCost, "SCHOOL-OXIDES", "every"},
	{flags.BelowCost, "TOOLS-CLEAR", "every"}, // at the fair because of what it keeps, too
	{flags.NoCost, "", ""},                    // a gift card
	{flags.Tie, "FERNHASK-TOOLS LAST-SEASON", ""},
	// Trade kilns come after the rule for everything else.
	{flags.NeverWins, "TRADE-KILNS OXBARROW-KILN TRADE-REST", ""},
	{flags.MatchesNothing, "RAKU-KIT", ""},
	// A lunch hour that never comes; a summer that is far; a spring that is over.
	{flags.NeverOpen, "NOON-NEVER", ""}, {flags.NeverOpen, "SUMMER-HIRE", ""}, {flags.NeverOpen, "SPRING-CLAY", ""},
	// The fair wants whole euros and at least 15 % off, and knows no breaks.
	{flags.LimitDiscount, "KILN-AUTUMN", Kilnfair}, {flags.LimitDiscount, "WHEELS-DARK", Kilnfair},
	{flags.LimitDiscount, "CUTTERS-MIXED", Kilnfair}, {flags.LimitWholeUnits, "CUTTERS-MIXED", Kilnfair},
	{flags.LimitWholeUnits, "KILN-AUTUMN", Kilnfair}, {flags.LimitWholeUnits, "KILNFAIR-TOOLS", Kilnfair},
	{flags.LimitWholeUnits, "TOOLS-CLEAR", Kilnfair}, {flags.ChannelCannot, "CUTTERS-MIXED", Kilnfair},
	// Tills take no codes.
	{flags.ChannelCannot, "FAIR-VOUCHER", QuayShop}, {flags.ChannelCannot, "FAIR-VOUCHER", MillShop},
	{flags.ChannelCannot, "MEMBER-CODE", QuayShop}, {flags.ChannelCannot, "MEMBER-CODE", MillShop},
	// Schools get their terms on what is not reduced: whatever breaks reduce costs them more by the ten than one by one.
	{flags.DearerByQuantity, "CLAY-PALLET", "every"}, {flags.DearerByQuantity, "GLAZE-BOX", "every"},
	{flags.DearerByQuantity, "BRUSH-DOZEN", "every"}, {flags.DearerByQuantity, "CUTTERS-MIXED", "every"},
	{flags.DearerByQuantity, "LAST-SEASON", "every"}, {flags.DearerByQuantity, "QUAY-CLAY", "every"},
	{flags.BundleDearer, "RIBS-THREE", ""},
	// Oxbarrow pays cost and a tenth, which is more than the autumn sale asks.
	{flags.GroupAbovePublic, "KILN-AUTUMN", "every"},
	// Staff pay 12 % above cost whatever the breaks, and the offers come off that.
	{flags.BreakLost, "CLAY-PALLET", ""}, {flags.BreakLost, "GLAZE-BOX", ""}, {flags.BreakLost, "BRUSH-DOZEN", ""},
	{flags.BreakLost, "CUTTERS-MIXED", ""}, {flags.BreakLost, "SHELVES-STEP", ""}, {flags.BundleDearer, "STARTER", ""},
	{flags.OfferBelowCost, "BRUSH-FOURTH", ""}, {flags.OfferBelowCost, "UNDERGLAZE-THREE", ""},
	{flags.OfferOverStock, "STARTER", ""},
	{flags.BreakCliff, "BRUSH-DOZEN", ""}, {flags.BreakCliff, "CLAY-PALLET", ""}, {flags.BreakCliff, "CUTTERS-MIXED", ""},
	// Two underglazes are meant to come off the week's price.
	{flags.Doubled, "GLAZE-WEEK UNDERGLAZE-TWO", ""}, {flags.Doubled, "SMALL-GLAZES UNDERGLAZE-TWO", ""},
	// October's lists, carriage and weekend hire are above the list price.
	{flags.AboveList, "", ""}, {flags.AboveList, "ISLAND-POUND", IslandShop},
}

func TestScaledBookKeepsSKUsUnique(t *testing.T) {
	book := Book(5000)
	require.Len(t, book.Products, 5000)
	seen := map[string]bool{}
	for _, p := range book.Products {
		require.False(t, seen[p.SKU], p.SKU)
		seen[p.SKU] = true
	}
}

// Units sold are what the sales of the last 30 days add up to, and the pinned prices hold but for the last, which is
// there to be found.
func TestRecordFitsTheBook(t *testing.T) {
	b := Book(0)
	now, err := pricing.ParseMoment(Now)
	require.NoError(t, err)
	units, buyers := map[string]int64{}, map[string]bool{}
	for _, s := range Sales(b) {
		require.Less(t, s.At, now)
		buyers[s.Customer] = true
		if s.At >= now-30*pricing.Day {
			units[s.SKU] += int64(s.Quantity)
		}
	}
	for i := range b.Products {
		if p := b.Products[i]; p.Sold != nil {
			require.Equal(t, p.Sold.String(), money.Int(units[p.SKU]).String(), p.SKU)
		}
	}
	require.True(t, buyers["C-01"] && buyers[""])
	require.False(t, buyers["C-12"], "one customer's first order is still to come")

	engine := pricing.Compile(b)
	checks := Checks()
	for i, c := range checks {
		x, err := bookfile.ReadExpectation([]byte(c.Doc))
		require.NoError(t, err)
		differences, err := x.Run(engine, func() *basket.Engine { return basket.Compile(engine) })
		require.NoError(t, err)
		require.Equal(t, i == len(checks)-1, len(differences) > 0, "%s: %v", c.Name, differences)
	}
}
