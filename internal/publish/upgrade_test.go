package publish_test

import (
	"bufio"
	"compress/gzip"
	"database/sql"
	"os"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"dogbane/internal/book"
	"dogbane/internal/checks"
	"dogbane/internal/pricing"
	"dogbane/internal/publish"
	"dogbane/internal/publish/pieces"
	"dogbane/internal/publish/publishtest"
	"dogbane/internal/publish/telling"
	"dogbane/internal/store"
	"dogbane/internal/store/storetest"
)

// upgraded is an office on a database that was written by the last program which published whole versions. It published
// version 1 to web and till; version 2, a deeper sale, to web without B; began to send that to a channel that did not
// answer; and left version 4, with two further edits, waiting for a second person in till and prepared in web.
func upgraded(t *testing.T) *office {
	t.Helper()
	address := storetest.Address(t)
	db, err := sql.Open("mysql", address)
	require.NoError(t, err)
	defer db.Close()
	one, err := db.Conn(t.Context()) // what is set below is a connection's
	require.NoError(t, err)
	defer one.Close()
	file, err := os.Open("testdata/whole_versions.sql.gz")
	require.NoError(t, err)
	defer file.Close()
	text, err := gzip.NewReader(file)
	require.NoError(t, err)
	lines := bufio.NewScanner(text)
	lines.Buffer(nil, 16<<20)
	for lines.Scan() {
		_, err := one.ExecContext(t.Context(), lines.Text())
		require.NoError(t, err)
	}
	require.NoError(t, lines.Err())
	o := &office{t: t, now: time.Date(2026, 12, 1, 15, 30, 0, 0, time.UTC), out: publishtest.Open(t)}
	o.store, err = store.Open(t.Context(), address)
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, o.store.Close()) })
	o.live, err = book.OpenLive(t.Context(), o.store, checks.Guard(o.store))
	require.NoError(t, err)
	o.another()
	return o
}

// An installation of whole versions, upgraded, shows what it showed, sends nothing by itself, and runs on the version that
// was published last.
func TestAnUpgradeFromWholeVersions(t *testing.T) {
	o := upgraded(t)
	ctx, snap := t.Context(), o.live.Current()
	shown := func(channel string) map[string]string {
		found, err := o.desk.Shown(ctx, channel)
		require.NoError(t, err)
		prices := map[string]string{}
		for sku, s := range found {
			prices[sku] = s.Price.Fixed(2)
		}
		return prices
	}
	price := func(channel, sku string) string {
		e, err := o.desk.Published(ctx, snap, channel)
		require.NoError(t, err)
		a, err := e.Engine.Price(pricing.Question{SKU: sku, Viewpoint: pricing.Viewpoint{Channel: channel,
			At: snap.Moment(o.clock())}})
		require.NoError(t, err)
		return a.Unit.Fixed(2)
	}
	require.Equal(t, map[string]string{"A & <b>": "8.00", "B": "18.00", "C": "30.00", "D": "40.00"}, shown("web"))
	require.Equal(t, map[string]string{"A & <b>": "9.00", "B": "18.00", "C": "30.00", "D": "40.00"}, shown("till"))
	require.Equal(t, []string{"8.00", "9.00"}, []string{price("web", "A & <b>"), price("till", "A & <b>")})
	never, err := o.desk.Published(ctx, snap, "never")
	require.NoError(t, err)
	require.Nil(t, never)

	// What waited or was prepared is dropped, what was on its way still is; nothing else comes about.
	states := map[int64]publish.State{}
	for _, channel := range []string{"web", "till", "out"} {
		list, err := o.store.Publications(ctx, channel, 0, 100)
		require.NoError(t, err)
		for _, p := range list {
			states[p.ID] = p.State
		}
	}
	require.Equal(t, map[int64]publish.State{1: publish.Done, 2: publish.Done, 4: publish.Done, 5: publish.Sending,
		6: publish.Dropped, 7: publish.Dropped}, states)

	// The saved book differs in what was edited since; B, left out then, was not chosen.
	found, err := o.desk.Pending(ctx, snap, "web", publish.Choice{All: true})
	require.NoError(t, err)
	var names []string
	for _, p := range found.All {
		names = append(names, p.String())
	}
	require.Equal(t, []string{"rule S", "rule GROUP"}, names)
	for i := range found.Rows {
		require.False(t, found.Rows[i].LeftOut, found.Rows[i].SKU)
	}
	require.Equal(t, "18.00", func() string {
		q, err := o.desk.Quoted(ctx, snap, "web")
		require.NoError(t, err)
		return q.Told["B"].Price.Fixed(2)
	}(), "customers pay what the channel took")

	// What was on its way brings its whole version once its channel answers.
	require.NoError(t, o.store.SetLink(ctx, publish.Link{Channel: "out", Kind: "http", Address: o.out.Address(),
		Token: "secret", Sends: "by-hand", Approval: "none", GiveUpAfter: 168 * time.Hour, Reference: telling.Lowest30}))
	o.now = o.now.Add(3 * time.Minute) // the lease of the program that began it is over
	require.Equal(t, publish.Done, o.ends(5).State)
	require.Equal(t, "8.00", shown("out")["A & <b>"])
	require.Equal(t, "8.00", price("out", "A & <b>"))

	// Taking back a publication of a whole version gives back its lines alone.
	back, err := o.desk.TakeBack(ctx, snap, 4, "me")
	require.NoError(t, err)
	o.sends(back)
	require.Equal(t, "9.00", shown("web")["A & <b>"])
	require.Equal(t, "8.00", price("web", "A & <b>"))
	key := pieces.Key{Kind: book.Rules, Code: "S"}
	behind, err := o.desk.Behind(ctx, snap)
	require.NoError(t, err)
	require.Len(t, behind[key], 3)
}
