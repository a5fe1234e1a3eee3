package publish_test

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"dogbane/internal/money"
	"dogbane/internal/publish"
	"dogbane/internal/publish/telling"
)

// Reference prices against cases worked by hand, after Directive 98/6/EC, Article 6a (as amended by Directive (EU)
// 2019/2161; from memory): the lowest price of the 30 days before a reduction, which stays while the reduction lasts,
// deeper or shallower. A step says after how many days what is published: a list price, or a percent off it.
func TestReferencePrices(t *testing.T) {
	type step struct {
		after     time.Duration
		list, off string // "" as it was; "0" no reduction
		price     string
		reference string // "": none
	}
	const day = 24 * time.Hour
	for _, c := range []struct {
		name, kind, zone string
		steps            []step
	}{
		{"a reduction begins", "lowest30", "UTC", []step{{0, "10.00", "0", "10.00", ""}, {40 * day, "", "20", "8.00", "10.00"}}},
		{"it deepens, and becomes shallower", "lowest30", "UTC", []step{{0, "10.00", "0", "10.00", ""},
			{40 * day, "", "20", "8.00", "10.00"}, {5 * day, "", "40", "6.00", "10.00"}, {5 * day, "", "10", "9.00", "10.00"}}},
		{"it ends and begins again: the reduction before counts", "lowest30", "UTC", []step{{0, "10.00", "0", "10.00", ""},
			{40 * day, "", "20", "8.00", "10.00"}, {5 * day, "", "0", "10.00", ""}, {5 * day, "", "15", "8.50", ""},
			{1 * day, "", "30", "7.00", "8.00"}}},
		{"it begins again after more than 30 days", "lowest30", "UTC", []step{{0, "10.00", "0", "10.00", ""},
			{40 * day, "", "20", "8.00", "10.00"}, {5 * day, "", "0", "10.00", ""}, {32 * day, "", "15", "8.50", "10.00"}}},
		{"the price at the start of the 30 days counts", "lowest30", "UTC", []step{{0, "10.00", "0", "10.00", ""},
			{5 * day, "12.00", "", "12.00", ""}, {30 * day, "", "25", "9.00", "10.00"}}},
		{"a day later it does not", "lowest30", "UTC", []step{{0, "10.00", "0", "10.00", ""},
			{5 * day, "12.00", "", "12.00", ""}, {31 * day, "", "25", "9.00", "12.00"}}},
		{"shown for ten days", "lowest30", "UTC", []step{{0, "10.00", "0", "10.00", ""}, {6 * day, "11.00", "", "11.00", ""},
			{4 * day, "", "20", "8.80", "10.00"}}},
		{"never shown before", "lowest30", "UTC", []step{{0, "10.00", "20", "8.00", ""}, {2 * day, "", "30", "7.00", ""}}},
		{"midnight of the book's zone, over the end of summer time", "lowest30", "Europe/Amsterdam", []step{
			{0, "10.00", "0", "10.00", ""}, {14 * time.Hour, "12.00", "", "12.00", ""}, // 23:00Z is midnight of the 27th in the zone
			{30*day + 30*time.Minute, "", "25", "9.00", "12.00"}}},
		{"against the catalog price", "catalog", "UTC", []step{{0, "10.00", "20", "8.00", "10.00"}, {day, "12.00", "", "9.60", "10.00"}}},
		{"against the recommended price", "rrp", "UTC", []step{{0, "10.00", "0", "10.00", ""}, {day, "", "20", "8.00", "11.00"}}},
	} {
		t.Run(c.name, func(t *testing.T) {
			doc := strings.NewReplacer("ZONE", c.zone).Replace(`{"book":"dogbane/1","settings":{"currency":"EUR","timeZone":"ZONE"},
				"channels":[{"code":"web"}],"products":[{"sku":"A","list":"10.00","rrp":"11.00"}],
				"rules":[{"code":"S","layer":"sale","rank":1,"where":{"all":[]},"effect":{"percentOff":"0"}}]}`)
			o := opened(t, doc)
			require.NoError(t, o.store.SetLink(t.Context(), publish.Link{Channel: "web", Kind: "http", Address: o.out.Address(),
				Token: "secret", GiveUpAfter: time.Minute, Reference: telling.ReferenceKind(c.kind)}))
			for i, s := range c.steps {
				o.wait(t.Context(), s.after)
				if s.list != "" {
					o.setList("A", s.list)
				}
				if s.off != "" {
					o.setOff("S", s.off)
				}
				snap := o.live.Current()
				told, err := o.desk.References(t.Context(), snap, "web", snap.Moment(o.clock()), []int32{0})
				require.NoError(t, err)
				if r, is := told[0]; s.reference == "" {
					require.False(t, is, "step %d", i+1)
				} else {
					require.Equal(t, []string{s.reference, c.kind}, []string{r.Reference.Fixed(2), string(r.Kind)}, "step %d", i+1)
				}
				if d := o.differences(); len(d) > 0 {
					require.Equal(t, publish.Done, o.publishes(publish.Wish{}).State)
				}
				line := o.out.Line("A")
				as := "ordinary"
				if s.reference != "" {
					as = "reduced"
				}
				require.Equal(t, []string{s.price, s.reference, as}, []string{line.Price, line.Reference, line.As}, "step %d", i+1)
			}
			o.out.Check(t)
		})
	}
}

// setOff changes what percent a rule takes off.
func (o *office) setOff(code, percent string) {
	o.t.Helper()
	before := *o.live.Current().Rule(code)
	after := before
	effect := *before.Effect
	effect.Value = money.MustParse(percent)
	after.Effect = &effect
	o.saves(&before, &after)
}
