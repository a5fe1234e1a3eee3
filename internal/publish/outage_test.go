package publish_test

import (
	"context"
	"crypto/rand"
	"fmt"
	mathrand "math/rand/v2"
	"os"
	"regexp"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/Shopify/toxiproxy/v2"
	"github.com/rs/zerolog"
	"github.com/stretchr/testify/require"

	"dogbane/internal/book"
	"dogbane/internal/bookfile"
	"dogbane/internal/checks"
	"dogbane/internal/publish"
	"dogbane/internal/publish/publishtest"
	"dogbane/internal/publish/sending"
	"dogbane/internal/store"
	"dogbane/internal/store/storetest"
)

// The database is away, slow, or breaks connections, at random points of publications in three parts. Each goes on by
// itself: the same keys with the same bytes, no part again whose answer is kept, and what the program says that the
// channel shows is what it took. No new publication is refused afterwards.
func TestTheDatabaseFailsWhileSending(t *testing.T) {
	rounds := 4
	if os.Getenv("DOGBANE_LONG") != "" {
		rounds = 20
	}
	seed := uint64(time.Now().UnixNano())
	rng := mathrand.New(mathrand.NewPCG(seed, 5))
	dsn := storetest.Address(t)
	upstream := regexp.MustCompile(`tcp\(([^)]+)\)`).FindStringSubmatch(dsn)[1]
	server := toxiproxy.NewServer(toxiproxy.NewMetricsContainer(nil), zerolog.Nop())
	proxy := toxiproxy.NewProxy(server, "database", "127.0.0.1:0", upstream)
	require.NoError(t, proxy.Start())
	defer proxy.Stop()
	s, err := store.Open(t.Context(), strings.Replace(dsn, upstream, proxy.Listen, 1))
	require.NoError(t, err)
	defer s.Close()
	direct, err := store.Open(t.Context(), dsn)
	require.NoError(t, err)
	defer direct.Close()
	doc := `{"book":"dogbane/1","settings":{"currency":"EUR","timeZone":"UTC"},"channels":[{"code":"web"}],
		"rules":[{"code":"S","layer":"sale","rank":1,"where":{"all":[]},"effect":{"percentOff":"0"}}],"products":[`
	for i := range 3000 {
		doc += fmt.Sprintf(`{"sku":"S-%04d","list":"%d.00"},`, i, 100+i%50)
	}
	b, err := bookfile.Decode([]byte(doc[:len(doc)-1] + "]}"))
	require.NoError(t, err)
	require.NoError(t, direct.Create(t.Context(), b, "test", time.Now()))
	live, err := book.OpenLive(t.Context(), direct, checks.Guard(direct))
	require.NoError(t, err)
	out := publishtest.Open(t)
	require.NoError(t, direct.SetLink(t.Context(), publish.Link{Channel: "web", Kind: "http", Address: out.Address(),
		Token: "secret", GiveUpAfter: time.Hour}))
	none := func(context.Context, *book.Snapshot, string) (map[string]bool, error) { return nil, nil }
	desk := publish.NewDesk(direct, time.Now, none, nil)
	o := &office{t: t, store: direct, live: live, desk: desk, now: time.Now()}
	sender := &sending.Sender{Keeper: s, Owner: rand.Text(), Book: time.Now, Machine: time.Now, Lease: 800 * time.Millisecond,
		Wait: sending.Sleep, Instant: func(p *publish.Publication) string { return p.At.String() }}
	ctx, stop := context.WithCancel(t.Context())
	var running sync.WaitGroup
	running.Go(func() { sender.Run(ctx) })
	defer running.Wait()
	defer stop()
	again := 0
	for round := range rounds {
		o.setOff("S", fmt.Sprint(1+round))
		p, err := desk.Prepare(t.Context(), live.Current(), "web", publish.Wish{Who: "me", Version: live.Current().Version})
		require.NoError(t, err)
		before := out.Asked()
		_, err = desk.Send(t.Context(), live.Current(), p.ID, "me", "")
		require.NoError(t, err)
		time.Sleep(time.Duration(rng.IntN(250)) * time.Millisecond)
		lasts := time.Duration(200+rng.IntN(1800)) * time.Millisecond
		switch what := rng.IntN(3); what {
		case 0:
			proxy.Stop()
			time.Sleep(lasts)
			require.NoError(t, proxy.Start())
		default:
			toxic := []string{"", `{"name":"slow","type":"latency","attributes":{"latency":300,"jitter":200}}`,
				`{"name":"reset","type":"reset_peer","attributes":{"timeout":50}}`}[what]
			_, err := proxy.Toxics.AddToxicJson(strings.NewReader(toxic))
			require.NoError(t, err)
			time.Sleep(lasts)
			proxy.Toxics.ResetToxics(t.Context())
		}
		require.Eventually(t, func() bool {
			now, err := direct.Publication(t.Context(), p.ID)
			return err == nil && now.State.Ended()
		}, time.Minute, 20*time.Millisecond, "round %d", round)
		now, err := direct.Publication(t.Context(), p.ID)
		require.NoError(t, err)
		require.Equal(t, publish.Done, now.State, now.Problem)
		again += out.Asked() - before - 3
		know, err := direct.Know(t.Context(), "web", time.Now())
		require.NoError(t, err)
		prices := out.Prices()
		require.Len(t, know.Shown, 3000)
		for sku, shown := range know.Shown {
			require.Equal(t, prices[sku], shown.Price.Fixed(2), "round %d", round)
		}
		require.Empty(t, know.Open)
		require.Empty(t, o.differences())
		out.Check(t)
	}
	t.Logf("seed %d: %d failures, %d requests more than parts", seed, rounds, again)
}
