package publish_test

import (
	"context"
	"fmt"
	"maps"
	"math/rand/v2"
	"os"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"dogbane/internal/book"
	"dogbane/internal/pricing"
	"dogbane/internal/pricing/basket"
	"dogbane/internal/publish"
	"dogbane/internal/publish/publishtest"
	"dogbane/internal/publish/telling"
)

// After any sequence of edits, publications, refusals, take-backs and passing moments, with a channel that misbehaves, what
// the program says that the channel shows is what it shows, but for lines without a known answer; and the channel shows
// the book's prices but for lines that are named as refused, unanswered, left out or held.
func TestRandomSequences(t *testing.T) {
	sequences, steps := 4, 60
	if testing.Short() {
		sequences = 1
	}
	if os.Getenv("DOGBANE_LONG") != "" {
		sequences, steps = 30, 300
	}
	published, taken := 0, 0
	for seed := range uint64(sequences) {
		rng := rand.New(rand.NewPCG(seed, 31))
		doc := `{"book":"dogbane/1","settings":{"currency":"EUR","timeZone":"Europe/Amsterdam"},"groups":[{"code":"g"}],"channels":[{"code":"web"}],
			"rules":[{"code":"S","layer":"sale","rank":1,"where":{"all":[]},"effect":{"percentOff":"5"}},
				{"code":"H","layer":"promotion","rank":1,"where":{"sku":["P0","P1","P2"]},"window":{"hours":["10:00","16:00"]},"effect":{"percentOff":"10"}},
				{"code":"W","layer":"promotion","rank":2,"where":{"sku":["P2","P3"]},"window":{"days":["sat","sun"]},"effect":{"amountOff":"1"}},
				{"code":"T","layer":"tier","rank":1,"where":{"all":[]},"breaks":[{"from":4,"percentOff":"7"}]}],"products":[`
		for i := range 9 {
			doc += fmt.Sprintf(`{"sku":"P%d","list":"%d.00","cost":"%d.00"},`, i, 10+i, 5+i)
		}
		o := opened(t, doc[:len(doc)-1]+"]}")
		o.onTheMinute()
		schedule := o.scheduled()
		refuses := map[string]bool{}
		o.out.Refuse = func(l telling.Line) string {
			if refuses[l.SKU] {
				return "not <this>"
			}
			return ""
		}
		for range steps {
			sku := fmt.Sprintf("P%d", rng.IntN(9))
			o.out.Manner(nil)
			switch rng.IntN(8) {
			case 0, 1:
				o.setList(sku, fmt.Sprintf("%d.%02d", 14+rng.IntN(10), rng.IntN(100)))
			case 2:
				o.setOff("S", fmt.Sprint(rng.IntN(12)))
			case 3:
				o.passes(time.Duration(rng.IntN(40))*time.Hour, schedule)
			case 4:
				o.out.Do(func() { refuses[sku] = !refuses[sku] })
			case 5:
				if list := o.publications(); len(list) > 0 {
					of := list[rng.IntN(min(len(list), 4))]
					back, err := o.desk.TakeBack(t.Context(), o.live.Current(), of.ID, "me")
					if err == nil {
						o.sends(back)
					}
				}
			default:
				o.out.Manner(publishtest.BySeed(rng.Uint64(), publishtest.Well, publishtest.Well, publishtest.Cut, publishtest.Never,
					publishtest.Half, publishtest.Wrong, publishtest.Reviewed))
				w := publish.Wish{Who: "me", Version: o.live.Current().Version, LeaveOut: o.blocked()}
				if rng.IntN(3) == 0 {
					w.LeaveOut = append(w.LeaveOut, sku)
				}
				p, err := o.desk.Prepare(t.Context(), o.live.Current(), "web", w)
				if err == nil {
					o.sends(p)
					published++
				}
			}
			taken += o.agrees(seed)
			o.looksAnew(seed)
		}
		o.out.Manner(nil)
		o.out.Do(func() { clear(refuses) })
		know, err := o.store.Know(t.Context(), "web", o.clock())
		require.NoError(t, err)
		for sku, open := range know.Open {
			if open.Held {
				require.NoError(t, o.store.Release(t.Context(), "web", []string{sku}))
			}
			if open.LeftOut {
				require.NoError(t, o.store.ReleaseLeftOut(t.Context(), "web", []string{sku}))
			}
		}
		held, err := o.store.HeldPieces(t.Context(), "web")
		require.NoError(t, err)
		require.NoError(t, o.store.ReleasePieces(t.Context(), "web", slices.Collect(maps.Keys(held))))
		p, err := o.desk.Prepare(t.Context(), o.live.Current(), "web", publish.Wish{Who: "me",
			Version: o.live.Current().Version, LeaveOut: o.blocked()})
		if err == nil {
			p = o.sends(p)
			require.Equal(t, publish.Done, p.State, p.Problem)
		}
		left := o.blocked()
		require.Len(t, o.differences(), len(left), "seed %d: the channel shows the book but for what was left out", seed)
		for i := range o.live.Current().Engine.Products() {
			a, err := o.live.Current().Engine.Price(pricing.Question{SKU: fmt.Sprintf("P%d", i),
				Viewpoint: pricing.Viewpoint{Channel: "web", At: o.live.Current().Moment(o.clock())}})
			require.NoError(t, err)
			if _, differs := o.differences()[a.SKU]; !differs {
				require.Equal(t, a.Unit.Fixed(2), o.out.Prices()[a.SKU], "seed %d", seed)
			}
		}
		o.out.Check(t)
	}
	t.Logf("%d publications, %d times a line agreed", published, taken)
	require.Greater(t, published, sequences*3)
}

// blocked are the SKUs that somebody would have to decide about.
func (o *office) blocked() (skus []string) {
	o.t.Helper()
	d, err := o.desk.Differences(o.t.Context(), o.live.Current(), "web", o.live.Current().Moment(o.clock()))
	require.NoError(o.t, err)
	for i := range d.Rows {
		if d.Rows[i].Blocked() {
			skus = append(skus, d.Rows[i].SKU)
		}
	}
	return skus
}

// looksAnew holds the differences that are known from those before against those of somebody who knows nothing yet.
func (o *office) looksAnew(seed uint64) {
	o.t.Helper()
	snap := o.live.Current()
	at := snap.Moment(o.clock())
	known, err := o.desk.Differences(o.t.Context(), snap, "web", at)
	require.NoError(o.t, err)
	none := func(context.Context, *book.Snapshot, string) (map[string]bool, error) { return nil, nil }
	anew, err := publish.NewDesk(o.store, o.clock, none, nil).Differences(o.t.Context(), snap, "web", at)
	require.NoError(o.t, err)
	require.Equal(o.t, []int{anew.Same, anew.Unpriced, len(anew.Rows)}, []int{known.Same, known.Unpriced, len(known.Rows)})
	for i := range anew.Rows {
		a, b := &anew.Rows[i], &known.Rows[i]
		require.Equal(o.t, []any{a.SKU, a.Kind, a.Digest, a.Held, a.Behind, a.Stops}, []any{b.SKU, b.Kind, b.Digest, b.Held,
			b.Behind, b.Stops}, "seed %d", seed)
	}
	require.Equal(o.t, anew.Rules, known.Rules)
}

// agrees holds what the program says that the channel shows against what it does.
func (o *office) agrees(seed uint64) (n int) {
	o.t.Helper()
	know, err := o.store.Know(o.t.Context(), "web", o.clock())
	require.NoError(o.t, err)
	shows := o.out.Prices()
	for i := range 9 {
		sku := fmt.Sprintf("P%d", i)
		if know.Open[sku].Unanswered {
			continue
		}
		said := ""
		if s, is := know.Shown[sku]; is {
			said = s.Price.Fixed(2)
		}
		require.Equal(o.t, shows[sku], said, "seed %d: %s at %s", seed, sku, o.clock())
		require.Equal(o.t, shows[sku], o.quoted(sku, shows[sku]), "seed %d: the quote of %s at %s", seed, sku, o.clock())
		n++
	}
	return n
}

// quoted is what a guest is quoted for one piece of a product; where nothing was published yet, that is not asked.
func (o *office) quoted(sku, unpublished string) string {
	o.t.Helper()
	state, err := o.store.ChannelState(o.t.Context(), "web")
	require.NoError(o.t, err)
	if state.Base == 0 {
		return unpublished
	}
	q, err := o.desk.Quoted(o.t.Context(), o.live.Current(), "web")
	require.NoError(o.t, err)
	a, err := q.Baskets().Price(basket.Question{Viewpoint: pricing.Viewpoint{Channel: "web",
		At: pricing.MomentOf(o.clock().In(q.Zone))}, Lines: []pricing.Line{{SKU: sku, Quantity: 1}}, Told: q.Told})
	if err != nil || a.Lines[0].Total == nil {
		return ""
	}
	return a.Lines[0].Total.Fixed(2)
}
