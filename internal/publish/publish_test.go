package publish_test

import (
	"context"
	"io"
	"net/http"
	"net/http/httptest"
	"path/filepath"
	"testing"
	"time"
	_ "time/tzdata"

	"github.com/stretchr/testify/require"

	"dogbane/internal/bookfile"
	"dogbane/internal/money"
	"dogbane/internal/pricing"
	"dogbane/internal/publish"
	"dogbane/internal/standin"
)

var at = time.Date(2026, 11, 26, 9, 0, 0, 0, time.UTC)

func engine(t *testing.T) *pricing.Engine {
	t.Helper()
	book, err := bookfile.Decode([]byte(
		`{"book":"dogbane/1","settings":{"currency":"EUR","timeZone":"UTC"},"channels":[{"code":"web","where":{"not":{"sku":"HIDDEN"}}},{"code":"till"}],
		"products":[{"sku":"SAME","name":"Same","list":"10.00"},{"sku":"DOWN","name":"Down","list":"10.00"},{"sku":"UP","name":"Up","list":"10.00"},{"sku":"NEW","name":"New","list":"10.00"},
			{"sku":"HIDDEN","name":"Hidden","list":"10.00"},{"sku":"LOSS","name":"Loss","list":"10.00","cost":"9.00"},{"sku":"NAMELESS","list":"3.00"}],
		"rules":[{"code":"SALE","layer":"sale","rank":1,"where":{"sku":["DOWN","LOSS"]},"effect":{"percentOff":"20"},"liveTags":{"add":["week & <end>"]}}]}`))
	require.NoError(t, err)
	return pricing.Compile(book)
}

func amount(text string) money.Rat { return money.MustParse(text) }

func shown(prices map[string]string) map[string]publish.Shown {
	m := map[string]publish.Shown{}
	for sku, text := range prices {
		one := publish.Shown{SKU: sku, Currency: "EUR"}
		one.Price = amount(text)
		m[sku] = one
	}
	return m
}

func TestDifferences(t *testing.T) {
	d, err := publish.Compare(engine(t), "web", pricing.MomentOf(at),
		shown(map[string]string{"SAME": "10.00", "DOWN": "10.00", "UP": "9.00", "HIDDEN": "10.00", "LOSS": "8.00",
			"LEFT": "5.00"}), true)
	require.NoError(t, err)
	kinds := map[string]publish.Kind{}
	for _, r := range d.Rows {
		kinds[r.SKU] = r.Kind
	}
	// LOSS shows the right price but not the price that it is reduced from.
	require.Equal(t, map[string]publish.Kind{"DOWN": publish.Down, "UP": publish.Up, "NEW": publish.New,
		"HIDDEN": publish.Gone, "LOSS": publish.Reference, "LEFT": publish.Gone, "NAMELESS": publish.New}, kinds)
	require.Equal(t, 1, d.Same)
	require.Equal(t, 1, d.Blocked(), "LOSS sells for less than it costs")
}

// A change of live tags alone is a difference for channels that are told of tags, and for no others.
func TestLiveTagsAlone(t *testing.T) {
	e := engine(t)
	prices := shown(map[string]string{"DOWN": "8.00"})
	down := prices["DOWN"]
	ten := amount("10.00")
	down.Reference = &ten
	for _, c := range []struct {
		took   pricing.LiveTags
		tagged bool
		want   []publish.Kind
	}{
		{pricing.LiveTags{}, true, []publish.Kind{publish.Tags}},
		{pricing.LiveTags{}, false, nil},
		{pricing.LiveTags{Add: []string{"week & <end>"}}, true, nil},
		{pricing.LiveTags{Add: []string{"week & <end>"}, Remove: []string{"x"}}, true, []publish.Kind{publish.Tags}},
	} {
		down.Tags = c.took
		d, err := publish.Compare(e, "web", pricing.MomentOf(at), map[string]publish.Shown{"DOWN": down}, c.tagged)
		require.NoError(t, err)
		var kinds []publish.Kind
		for _, r := range d.Rows {
			if r.SKU == "DOWN" {
				kinds = append(kinds, r.Kind)
			}
		}
		require.Equal(t, c.want, kinds, "%+v", c)
	}
}

// A publication goes to a shop over HTTP and to a till through a folder; each row has the channel's answer, and what it
// took is what it shows from then on.
func TestDelivery(t *testing.T) {
	for _, kind := range []string{"http", "folder"} {
		t.Run(kind, func(t *testing.T) {
			keeper := newMemory()
			e := engine(t)
			link := publish.Link{Channel: "web", Kind: kind, Token: "secret"}
			if kind == "http" {
				shop, err := standin.OpenShop(t.TempDir(), "Shop", "EUR", "secret")
				require.NoError(t, err)
				web := httptest.NewServer(shop.Handler())
				defer web.Close()
				link.Address = web.URL + "/interface/prices"
			} else {
				folder := filepath.Join(t.TempDir(), "till")
				till, err := standin.OpenTill(folder, "EUR")
				require.NoError(t, err)
				ctx, stop := context.WithCancel(t.Context())
				defer stop()
				go till.Watch(ctx)
				link.Address = folder
			}
			keeper.links["web"] = link
			p := publish.NewWorker(context.Background(), keeper, publish.NewShows(keeper), func() time.Time { return at })
			d, err := publish.Compare(e, "web", pricing.MomentOf(at), nil, true)
			require.NoError(t, err)

			_, err = p.Start(t.Context(), e, d, publish.Order{Who: "me", Version: 1})
			var undecided *publish.Undecided
			require.ErrorAs(t, err, &undecided)
			require.Equal(t, []string{"LOSS"}, undecided.SKUs)

			pub, err := p.Start(t.Context(), e, d, publish.Order{Who: "me", Version: 1,
				Overrides: map[string]string{"LOSS": "to fill the shelf"}})
			require.NoError(t, err)
			p.Wait()
			got := keeper.publications[pub.ID]
			require.Equal(t, publish.Partly, got.Status, got.Problem)
			for _, r := range keeper.rows[pub.ID] {
				want := publish.Taken
				if r.SKU == "NAMELESS" {
					want = publish.Refused
					require.NotEmpty(t, r.Message)
				}
				require.Equal(t, want, r.Answer, r.SKU)
			}
			now := keeper.shown["web"]
			require.Equal(t, "8", now["DOWN"].Price.String())
			require.Equal(t, []string{"week & <end>"}, now["DOWN"].Tags.Add)
			require.NotContains(t, now, "NAMELESS")

			d, err = publish.Compare(e, "web", pricing.MomentOf(at), now, true)
			require.NoError(t, err)
			require.Len(t, d.Rows, 1, "only what was refused is left")
		})
	}
}

// A channel that cannot be reached fails as a whole, with the reason, and shows what it showed.
func TestUnreachableChannel(t *testing.T) {
	keeper := newMemory()
	e := engine(t)
	web := httptest.NewServer(nil)
	web.Close()
	keeper.links["till"] = publish.Link{Channel: "till", Kind: "http", Address: web.URL}
	p := publish.NewWorker(context.Background(), keeper, publish.NewShows(keeper), func() time.Time { return at })
	d, err := publish.Compare(e, "till", pricing.MomentOf(at), nil, true)
	require.NoError(t, err)
	pub, err := p.Send(t.Context(), e, d, publish.Order{LeaveOut: []string{"LOSS"}}, at)
	require.NoError(t, err)
	require.Equal(t, publish.Failed, pub.Status)
	require.Contains(t, pub.Problem, "reach the channel")
	require.Empty(t, keeper.shown["till"])
}

// Only what was chosen is sent, and only that has to be decided about; the rest stays due.
func TestOnlySomeRows(t *testing.T) {
	keeper := newMemory()
	e := engine(t)
	shop, err := standin.OpenShop(t.TempDir(), "Shop", "EUR", "secret")
	require.NoError(t, err)
	web := httptest.NewServer(shop.Handler())
	defer web.Close()
	keeper.links["web"] = publish.Link{Channel: "web", Kind: "http", Token: "secret", Address: web.URL + "/interface/prices"}
	p := publish.NewWorker(context.Background(), keeper, publish.NewShows(keeper), func() time.Time { return at })
	d, err := publish.Compare(e, "web", pricing.MomentOf(at), nil, true)
	require.NoError(t, err)
	_, err = p.Send(t.Context(), e, d, publish.Order{Only: []string{"LOSS"}}, at)
	var undecided *publish.Undecided
	require.ErrorAs(t, err, &undecided, "what is below cost is decided about where it is chosen")
	_, err = p.Send(t.Context(), e, d, publish.Order{Only: []string{"UP"}, LeaveOut: []string{"UP"}}, at)
	require.ErrorIs(t, err, publish.ErrNothing)
	pub, err := p.Send(t.Context(), e, d, publish.Order{Only: []string{"UP", "DOWN", "NOWHERE"}}, at)
	require.NoError(t, err)
	require.Equal(t, publish.Done, pub.Status)
	require.Len(t, keeper.shown["web"], 2)
	rest, err := publish.Compare(e, "web", pricing.MomentOf(at), keeper.shown["web"], true)
	require.NoError(t, err)
	require.Len(t, rest.Rows, len(d.Rows)-2)
}

// A program that ends while something is sent says so, and keeps what was answered until then.
func TestTheProgramEndsWhileSending(t *testing.T) {
	keeper := newMemory()
	e := engine(t)
	asked, ctx, stop := make(chan struct{}), context.Context(nil), context.CancelFunc(nil)
	ctx, stop = context.WithCancel(context.Background())
	web := httptest.NewServer(http.HandlerFunc(func(_ http.ResponseWriter, r *http.Request) {
		close(asked)
		_, _ = io.Copy(io.Discard, r.Body)
		<-r.Context().Done()
	}))
	defer web.Close()
	keeper.links["web"] = publish.Link{Channel: "web", Kind: "http", Address: web.URL}
	p := publish.NewWorker(ctx, keeper, publish.NewShows(keeper), func() time.Time { return at })
	d, err := publish.Compare(e, "web", pricing.MomentOf(at), nil, true)
	require.NoError(t, err)
	pub, err := p.Start(t.Context(), e, d, publish.Order{LeaveOut: []string{"LOSS"}})
	require.NoError(t, err)
	require.Equal(t, publish.Sending, pub.Status)
	<-asked
	_, err = p.Start(t.Context(), e, d, publish.Order{LeaveOut: []string{"LOSS"}})
	require.ErrorIs(t, err, publish.ErrBusy, "one at a time")
	stop()
	p.Wait()
	got := keeper.publications[pub.ID]
	require.Equal(t, publish.BrokenOff, got.Status)
	require.NotNil(t, got.Ended)
	for _, r := range keeper.rows[pub.ID] {
		require.Equal(t, publish.Missing, r.Answer)
	}
}

// A channel that answers what it was not asked, twice, or less than everything, is believed only in what it was asked.
func TestAnswersThatWereNotAsked(t *testing.T) {
	keeper := newMemory()
	e := engine(t)
	web := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		_, _ = io.Copy(io.Discard, r.Body)
		_, _ = w.Write([]byte(`{"answers":[{"sku":"UP","taken":true},{"sku":"NOT-ASKED","taken":true},{"sku":"DOWN","taken":false,"message":"<b>no & no</b>"}]}`))
	}))
	defer web.Close()
	keeper.links["web"] = publish.Link{Channel: "web", Kind: "http", Address: web.URL}
	p := publish.NewWorker(context.Background(), keeper, publish.NewShows(keeper), func() time.Time { return at })
	d, err := publish.Compare(e, "web", pricing.MomentOf(at), nil, true)
	require.NoError(t, err)
	pub, err := p.Send(t.Context(), e, d, publish.Order{LeaveOut: []string{"LOSS"}}, at)
	require.NoError(t, err)
	require.Equal(t, publish.Partly, pub.Status)
	require.Contains(t, pub.Problem, "left 3 rows without an answer")
	answers := map[string]string{}
	for _, r := range keeper.rows[pub.ID] {
		answers[r.SKU] = r.Answer
	}
	require.Equal(t, map[string]string{"UP": publish.Taken, "DOWN": publish.Refused, "SAME": publish.Missing,
		"NEW": publish.Missing, "NAMELESS": publish.Missing}, answers)
	require.Len(t, keeper.shown["web"], 1)
}
