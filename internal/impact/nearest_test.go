package impact_test

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"dogbane/internal/board"
	"dogbane/internal/book/booktest"
	"dogbane/internal/impact"
	"dogbane/internal/money"
	"dogbane/internal/pricing"
	"dogbane/internal/pricing/flags"
)

// What halving finds is what trying every value finds: the nearest value below and above at which the channel's demand
// on the size of reductions is kept.
func TestNearestIsWhatTryingEveryValueFinds(t *testing.T) {
	if testing.Short() {
		t.Skip("thousands of impacts")
	}
	d := open(t)
	vp := pricing.Viewpoint{Channel: "fair", At: noon(t), Quantity: 1}
	draft := func(kind, value string) impact.Draft {
		return impact.Draft{Rule: d.rule(fmt.Sprintf(
			`{"code":"TRY","layer":"promotion","rank":1,"where":{"category":"Cups"},"effect":{%q:%q}}`, kind, value))}
	}
	for kind, of := range map[string]struct {
		digits int
		last   int64
		values []string
	}{
		"percentOff": {1, 1000, []string{"0", "4", "9.9", "10", "49.9", "50.1", "93", "100"}},
		"amountOff":  {2, 3000, []string{"0.10", "3.00", "4.99", "5.01", "29.99"}},
		"setPrice":   {2, 3000, []string{"0.50", "9.50", "15.01", "27.01"}},
	} {
		for _, side := range []impact.Side{impact.Least, impact.Most} {
			kept := make([]bool, of.last+1)
			for n := range kept {
				list, err := d.OfRule(t.Context(), d.snap, draft(kind, money.FromMinor(int64(n), of.digits).Fixed(of.digits)), vp,
					noon(t))
				require.NoError(t, err)
				kept[n] = true
				for _, demand := range list.Demands {
					if demand.Kind == flags.LimitDiscount && demand.Side == side && demand.Channel == "fair" {
						kept[n] = false
					}
				}
			}
			for _, value := range of.values {
				written, fits := money.MustParse(value).Minor(of.digits, money.HalfUp)
				require.True(t, fits)
				if kept[written] {
					continue // nothing to search for
				}
				near, err := d.Nearest(d.snap, draft(kind, value), vp, side, "fair", noon(t))
				require.NoError(t, err)
				require.Equal(t, kind, near.Kind)
				var lower, upper *string
				for n := written - 1; n >= 0 && lower == nil; n-- {
					if kept[n] {
						text := money.FromMinor(n, of.digits).Fixed(of.digits)
						lower = &text
					}
				}
				for n := written + 1; n <= of.last && upper == nil; n++ {
					if kept[n] {
						text := money.FromMinor(n, of.digits).Fixed(of.digits)
						upper = &text
					}
				}
				require.Equal(t, said(lower), said(near.Lower), "below %s %s, %s", kind, value, side)
				require.Equal(t, said(upper), said(near.Upper), "above %s %s, %s", kind, value, side)
			}
		}
	}
}

// One price for goods of many prices: what is named passes, also where the channel shows it in another currency and
// without tax; where it shows it as it is, nothing nearer would do.
func TestNearestPriceOfManyGoods(t *testing.T) {
	if testing.Short() {
		t.Skip("thousands of impacts")
	}
	for seed := range uint64(12) {
		rng := rand.New(rand.NewPCG(seed, 3))
		var goods []string
		for n := range 2 + rng.IntN(7) {
			goods = append(goods, fmt.Sprintf(`{"sku":"P%d","category":"Cups","taxClass":"standard","list":"%d.%02d"}`, n, 5+rng.IntN(30), rng.IntN(100)))
		}
		live, memory := booktest.Live(t, booktest.Read(t, fmt.Sprintf(`{"settings":{"currency":"EUR","timeZone":"UTC","taxRates":{"standard":"21"},"rates":{"GBP":"0.85"}},
			"channels":[{"code":"fair","limits":{"minOffPercent":"10"}},{"code":"abroad","currency":"GBP","tax":"excluded","limits":{"minOffPercent":"10"}}],
			"products":[%s]}`, strings.Join(goods, ","))))
		d := &desk{t, live.Current(), impact.New(board.NewSweeps(), memory)}
		for _, channel := range []string{"fair", "abroad"} {
			vp := pricing.Viewpoint{Channel: channel, At: noon(t), Quantity: 1}
			draft := func(n int64) impact.Draft {
				return impact.Draft{Rule: d.rule(fmt.Sprintf(
					`{"code":"TRY","layer":"sale","rank":1,"where":{"all":[]},"effect":{"setPrice":%q}}`, money.FormatMinor(n, 2)))}
			}
			kept := func(n int64) bool {
				out, err := d.OfRule(t.Context(), d.snap, draft(n), vp, noon(t))
				require.NoError(t, err)
				return !slices.ContainsFunc(out.Demands, func(of impact.Demand) bool {
					return of.Kind == flags.LimitDiscount && of.Side == impact.Least && of.Channel == channel
				})
			}
			written := int64(500 + rng.IntN(3000))
			for written < 3500 && kept(written) {
				written += 7
			}
			if written >= 3500 {
				continue
			}
			near, err := d.Nearest(d.snap, draft(written), vp, impact.Least, channel, noon(t))
			require.NoError(t, err)
			for value, step := range map[*string]int64{near.Lower: -1, near.Upper: 1} {
				require.NotNil(t, value, "seed %d: %s of %s", seed, money.FormatMinor(written, 2), channel)
				n, _ := money.MustParse(*value).Minor(2, money.HalfUp)
				require.True(t, kept(n), "seed %d: %s of %s: %s", seed, money.FormatMinor(written, 2), channel, *value)
				for closer := written; channel == "fair" && closer != n; closer += step {
					require.False(t, kept(closer), "seed %d: %s would do too, nearer than %s", seed, money.FormatMinor(closer, 2), *value)
				}
			}
		}
	}
}

// An effect without a value of its own has none to search for.
func TestNearestOfWhatHasNoValue(t *testing.T) {
	d := open(t)
	vp := pricing.Viewpoint{Channel: "fair", At: noon(t), Quantity: 1}
	for _, doc := range []string{
		`{"code":"T","layer":"sale","rank":1,"where":{"all":[]},"effect":{"level":"B"}}`,
		`{"code":"T","layer":"tier","rank":1,"where":{"all":[]},"breaks":[{"from":2,"percentOff":"5"}]}`,
	} {
		near, err := d.Nearest(d.snap, impact.Draft{Rule: d.rule(doc)}, vp, impact.Least, "fair", noon(t))
		require.NoError(t, err)
		require.Equal(t, impact.Nearest{}, near, doc)
	}
}

func said(value *string) string {
	if value == nil {
		return "none"
	}
	return *value
}
