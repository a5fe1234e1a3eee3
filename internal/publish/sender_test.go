package publish_test

import (
	"context"
	"crypto/rand"
	"fmt"
	"maps"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"dogbane/internal/book"
	"dogbane/internal/book/booktest"
	"dogbane/internal/bookfile"
	"dogbane/internal/checks"
	"dogbane/internal/money"
	"dogbane/internal/pricing"
	"dogbane/internal/pricing/basket"
	"dogbane/internal/publish"
	"dogbane/internal/publish/publishtest"
	"dogbane/internal/publish/sending"
	"dogbane/internal/publish/telling"
	"dogbane/internal/publish/timing"
	"dogbane/internal/store"
	"dogbane/internal/store/storetest"
)

// office is a program with a book, a channel that is outside of it, and a clock of its own.
type office struct {
	t      testing.TB
	store  *store.Store
	live   *book.Live
	desk   *publish.Desk
	sender *sending.Sender
	out    *publishtest.Channel

	mu  sync.Mutex
	now time.Time
}

func (o *office) clock() time.Time {
	o.mu.Lock()
	defer o.mu.Unlock()
	return o.now
}

// wait lets the office's time pass without any of the machine's.
func (o *office) wait(ctx context.Context, d time.Duration) bool {
	o.mu.Lock()
	defer o.mu.Unlock()
	o.now = o.now.Add(d)
	return ctx.Err() == nil
}

const shop = `{"book":"dogbane/1","settings":{"currency":"EUR","timeZone":"UTC"},"groups":[{"code":"g"}],"channels":[{"code":"web"}],
	"products":[{"sku":"A & <b>","name":"=1+1","list":"10.00"},{"sku":"B","name":"\"B\" 😀","list":"20.00"},{"sku":"C","name":"طين","list":"30.00","cost":"29.00"},
		{"sku":"a & <b>","name":"small","list":"1.00"}],
	"rules":[{"code":"S","layer":"sale","rank":1,"where":{"all":[]},"window":{"from":"2026-11-27T09:00","to":"2026-11-29T00:00"},"effect":{"percentOff":"10"}},
		{"code":"O","layer":"promotion","rank":1,"where":{"all":[]},"offer":{"needs":[{"id":"n","where":{"sku":["B"]},"quantity":2}],"gives":[{"to":"needs","percentOff":"5"}]}}]}`

func opened(t testing.TB, doc string) *office {
	t.Helper()
	o := &office{t: t, store: storetest.Open(t), now: time.Date(2026, 11, 26, 9, 0, 0, 0, time.UTC), out: publishtest.Open(t)}
	b, err := bookfile.Decode([]byte(doc))
	require.NoError(t, err)
	require.NoError(t, o.store.Create(t.Context(), b, "test", o.now))
	o.live, err = book.OpenLive(t.Context(), o.store, checks.Guard(o.store))
	require.NoError(t, err)
	require.NoError(t, o.store.SetLink(t.Context(), publish.Link{Channel: "web", Kind: "http", Address: o.out.Address(),
		Token: "secret", Sends: "by-hand", Approval: "none", GiveUpAfter: time.Minute, Reference: telling.Lowest30}))
	o.another()
	return o
}

// another has another instance take over.
func (o *office) another() {
	o.sender = &sending.Sender{Keeper: o.store, Owner: rand.Text(), Book: o.clock,
		Machine: o.clock, Lease: time.Minute, Wait: o.wait, Instant: func(p *publish.Publication) string { return p.At.String() }}
	broken := func(context.Context, *book.Snapshot, string) (map[string]bool, error) { return nil, nil }
	o.desk = publish.NewDesk(o.store, o.clock, broken, nil)
	o.sender.Told = o.desk.Turned
}

// publishes prepares and sends everything that differs, and says how it ended.
func (o *office) publishes(w publish.Wish) publish.Publication {
	o.t.Helper()
	w.Who, w.Version = "me", o.live.Current().Version
	p, err := o.desk.Prepare(o.t.Context(), o.live.Current(), "web", w)
	require.NoError(o.t, err)
	return o.sends(p)
}

func (o *office) sends(p publish.Publication) publish.Publication {
	o.t.Helper()
	_, err := o.desk.Send(o.t.Context(), o.live.Current(), p.ID, "me", "")
	require.NoError(o.t, err)
	return o.ends(p.ID)
}

func (o *office) ends(id int64) publish.Publication {
	o.t.Helper()
	require.NoError(o.t, o.sender.Look(o.t.Context()))
	o.sender.Idle()
	p, err := o.store.Publication(o.t.Context(), id)
	require.NoError(o.t, err)
	require.True(o.t, p.State.Ended(), "it is %s", p.State)
	return p
}

func (o *office) differences() map[string]publish.Kind {
	o.t.Helper()
	d, err := o.desk.Differences(o.t.Context(), o.live.Current(), "web", o.live.Current().Moment(o.clock()))
	require.NoError(o.t, err)
	kinds := map[string]publish.Kind{}
	for _, r := range d.Rows {
		kinds[r.SKU] = r.Kind
		if r.Held {
			kinds[r.SKU] = "held"
		}
	}
	return kinds
}

func (o *office) answers(id int64) map[string]publish.Answer {
	o.t.Helper()
	rows, err := o.store.Rows(o.t.Context(), id, "", 0)
	require.NoError(o.t, err)
	answers := map[string]publish.Answer{}
	for _, r := range rows {
		answers[r.SKU] = r.Answer
	}
	return answers
}

func (o *office) setList(sku, list string) {
	o.t.Helper()
	before := *o.live.Current().Product(sku)
	after := before
	price := money.MustParse(list)
	after.List = &price
	booktest.Save(o.t, o.live, book.OfProduct(&before, &after))
}

// What a channel took is what the program says it shows; the book is in step then, by hand and after the clock moved on.
func TestPublishing(t *testing.T) {
	o := opened(t, shop)
	p := o.publishes(publish.Wish{})
	require.Equal(t, publish.Done, p.State, p.Problem)
	require.Equal(t, map[string]string{"A & <b>": "10.00", "B": "20.00", "C": "30.00", "a & <b>": "1.00"}, o.out.Prices())
	require.Empty(t, o.differences())
	require.Contains(t, o.out.Rule("O"), `"percentOff":"5"`)
	require.NotContains(t, o.out.Rule("O"), `"name"`)
	_, err := o.desk.Prepare(t.Context(), o.live.Current(), "web", publish.Wish{Version: o.live.Current().Version})
	require.ErrorIs(t, err, publish.ErrNothing)

	o.wait(t.Context(), 25*time.Hour)
	require.Len(t, o.differences(), 4)
	_, err = o.desk.Prepare(t.Context(), o.live.Current(), "web", publish.Wish{Version: o.live.Current().Version})
	var undecided *publish.Undecided
	require.ErrorAs(t, err, &undecided)
	require.Equal(t, []string{"C"}, undecided.SKUs)
	p = o.publishes(publish.Wish{LeaveOut: []string{"C"}})
	require.Equal(t, publish.Done, p.State, p.Problem)
	require.Equal(t, map[string]publish.Kind{"C": publish.Down}, o.differences())
	require.Equal(t, publish.LeftOut, o.answers(p.ID)["C"])
	line := o.out.Line("B")
	require.Equal(t, []string{"18.00", "20.00", "lowest30", "reduced", "2026-11-29T00:00:00Z"},
		[]string{line.Price, line.Reference, line.ReferenceKind, line.As, line.Until})
	o.out.Check(t)
}

// Whatever a channel does, the same key carries the same bytes, and what the program says it shows is what it took. What
// nobody knows is a difference until a channel has answered.
func TestAChannelMisbehaves(t *testing.T) {
	for _, c := range []struct {
		name  string
		ways  []string
		state publish.State
		taken int
	}{
		{"never, then well", []string{publishtest.Never, publishtest.Faulty, publishtest.Broken, publishtest.Well}, publish.Done, 4},
		{"cut after taking", []string{publishtest.Cut, publishtest.Cut, publishtest.Well}, publish.Done, 4},
		{"busy", []string{publishtest.Busy, publishtest.Busy, publishtest.Busy, publishtest.Well}, publish.Done, 4},
		{"reviewed", []string{publishtest.Reviewed}, publish.Done, 4},
		{"strange", []string{publishtest.Strange}, publish.Done, 4},
		{"half", []string{publishtest.Half}, publish.Partly, 2},
		{"redirects", []string{publishtest.Redirects}, publish.Failed, 0},
		{"newer", []string{publishtest.Newer}, publish.Failed, 0},
		{"wrong", []string{publishtest.Wrong}, publish.Failed, 0},
		{"never at all", []string{publishtest.Never}, publish.Failed, 0},
		{"cut for ever", []string{publishtest.Cut}, publish.Failed, 0},
	} {
		t.Run(c.name, func(t *testing.T) {
			o := opened(t, shop)
			o.out.Manner(func(n int) string { return c.ways[min(n, len(c.ways)-1)] })
			p := o.publishes(publish.Wish{})
			require.Equal(t, c.state, p.State, p.Problem)
			require.Equal(t, c.taken, p.Counts.Taken)
			require.Equal(t, c.state == publish.Done, p.Problem == "" && len(o.differences()) == 0, p.Problem)
			o.out.Manner(nil)
			if c.state != publish.Done {
				require.Len(t, o.differences(), 4-c.taken, "what has no answer is a difference")
				next, err := o.desk.Rest(t.Context(), o.live.Current(), p.ID, "me")
				require.NoError(t, err)
				require.Equal(t, publish.Done, o.sends(next).State)
			}
			require.Empty(t, o.differences())
			require.Equal(t, map[string]string{"A & <b>": "10.00", "B": "20.00", "C": "30.00", "a & <b>": "1.00"}, o.out.Prices())
			o.out.Check(t)
		})
	}
}

// A line without an answer goes with the next publication although the book says again what the channel showed before.
func TestUnansweredIsADifferenceWhateverTheBookSays(t *testing.T) {
	o := opened(t, shop)
	require.Equal(t, publish.Done, o.publishes(publish.Wish{}).State)
	o.setList("B", "12.00")
	o.out.Manner(func(int) string { return publishtest.Cut })
	require.Equal(t, publish.Failed, o.publishes(publish.Wish{}).State)
	require.Equal(t, "12.00", o.out.Prices()["B"], "it took it, and could not say so")
	o.setList("B", "20.00")
	require.Equal(t, map[string]publish.Kind{"B": publish.Again}, o.differences())
	o.out.Manner(nil)
	require.Equal(t, publish.Done, o.publishes(publish.Wish{}).State)
	require.Equal(t, "20.00", o.out.Prices()["B"])
	require.Empty(t, o.differences())
	o.out.Check(t)
}

// Taking back gives every line what was shown before; the book says otherwise, so those lines are held until they are
// released, or the book changes.
func TestTakingBack(t *testing.T) {
	o := opened(t, shop)
	first := o.publishes(publish.Wish{})
	o.setList("A & <b>", "11.00")
	o.setList("B", "22.00")
	second := o.publishes(publish.Wish{})
	o.setList("B", "23.00")
	o.publishes(publish.Wish{})
	back, err := o.desk.TakeBack(t.Context(), o.live.Current(), second.ID, "me")
	require.NoError(t, err)
	require.Equal(t, publish.Done, o.sends(back).State)
	require.Equal(t, "10.00", o.out.Prices()["A & <b>"])
	require.Equal(t, "23.00", o.out.Prices()["B"], "it no longer stemmed from that publication")
	require.Equal(t, map[string]publish.Kind{"A & <b>": "held"}, o.differences())
	_, err = o.desk.Prepare(t.Context(), o.live.Current(), "web", publish.Wish{Version: o.live.Current().Version})
	require.ErrorIs(t, err, publish.ErrNothing)
	require.NoError(t, o.desk.Release(t.Context(), o.live.Current(), "web", []string{"A & <b>"}, nil))
	require.Equal(t, map[string]publish.Kind{"A & <b>": publish.Up}, o.differences())
	require.Equal(t, publish.Done, o.publishes(publish.Wish{}).State)

	back, err = o.desk.TakeBack(t.Context(), o.live.Current(), first.ID, "me")
	require.NoError(t, err)
	require.Equal(t, publish.Done, o.sends(back).State)
	require.Equal(t, []string{"A & <b>", "B"}, slices.Sorted(maps.Keys(o.out.Prices())), "the others were not shown before")
	require.Empty(t, o.out.Rule("O"), "nor was the offer known")
	require.Equal(t, map[string]publish.Kind{"C": "held", "a & <b>": "held"}, o.differences())
	o.setList("C", "31.00")
	require.Equal(t, map[string]publish.Kind{"C": publish.New, "a & <b>": "held"}, o.differences(),
		"the book says something else than what was taken back")
	o.out.Check(t)
}

// Who prepared a publication does not approve it; a stale one is refused; an older one does not follow a newer one.
func TestDeciding(t *testing.T) {
	o := opened(t, shop)
	link := publish.Link{Channel: "web", Kind: "http", Address: o.out.Address(), Token: "secret", Approval: "10",
		GiveUpAfter: time.Minute}
	require.NoError(t, o.store.SetLink(t.Context(), link))
	first, err := o.desk.Prepare(t.Context(), o.live.Current(), "web", publish.Wish{Who: "me", Version: 1})
	require.NoError(t, err)
	first, err = o.desk.Send(t.Context(), o.live.Current(), first.ID, "me", "")
	require.NoError(t, err)
	require.Equal(t, publish.Waiting, first.State, "no price moves, but there is an offer that is new there")
	_, err = o.desk.Approve(t.Context(), o.live.Current(), first.ID, "you", "")
	require.NoError(t, err)
	require.Equal(t, publish.Done, o.ends(first.ID).State)
	prepare := func() publish.Publication {
		p, err := o.desk.Prepare(t.Context(), o.live.Current(), "web",
			publish.Wish{Who: "me", Version: o.live.Current().Version})
		require.NoError(t, err)
		return p
	}
	o.setList("B", "21.99")
	require.Equal(t, publish.Done, o.sends(prepare()).State, "9.95 % is not over 10")
	o.setList("B", "30.00")
	older, p := prepare(), prepare()
	p, err = o.desk.Send(t.Context(), o.live.Current(), p.ID, "me", "")
	require.NoError(t, err)
	require.Equal(t, publish.Waiting, p.State)
	_, err = o.desk.Approve(t.Context(), o.live.Current(), p.ID, "me", "")
	require.ErrorIs(t, err, publish.ErrOwn)
	_, err = o.desk.Approve(t.Context(), o.live.Current(), older.ID, "you", "")
	require.ErrorIs(t, err, publish.ErrState, "it was never sent")
	o.setList("B", "30.01")
	_, err = o.desk.Approve(t.Context(), o.live.Current(), p.ID, "you", "")
	require.ErrorIs(t, err, publish.ErrStale, "what it brings was edited since")
	_, err = o.desk.Decline(t.Context(), p.ID, "you", "too dear")
	require.NoError(t, err)
	o.setList("A & <b>", "10.00")
	again := prepare()
	_, err = o.desk.Send(t.Context(), o.live.Current(), again.ID, "me", "")
	require.NoError(t, err)
	_, err = o.desk.Approve(t.Context(), o.live.Current(), again.ID, "you", "")
	require.NoError(t, err)
	require.Equal(t, publish.Done, o.ends(again.ID).State)
	_, err = o.desk.Send(t.Context(), o.live.Current(), older.ID, "me", "")
	require.ErrorIs(t, err, publish.ErrStale)
	require.NoError(t, o.desk.Drop(t.Context(), older.ID, "me"))
	require.ErrorIs(t, o.desk.Drop(t.Context(), older.ID, "me"), publish.ErrState)
	o.out.Check(t)
}

// An instance that dies in the middle is followed by another, which sends no part again whose answer is kept, and all
// others with the same bytes.
func TestAnotherInstanceGoesOn(t *testing.T) {
	doc := `{"book":"dogbane/1","settings":{"currency":"EUR","timeZone":"UTC"},"channels":[{"code":"web"}],"products":[`
	for i := range 2500 {
		doc += fmt.Sprintf(`{"sku":"S-%04d","list":"%d.00"},`, i, 1+i%50)
	}
	o := opened(t, doc[:len(doc)-1]+`]}`)
	dying, die := context.WithCancel(t.Context())
	o.out.Manner(func(n int) string {
		if n == 1 {
			die()
			return publishtest.Cut
		}
		return publishtest.Well
	})
	p, err := o.desk.Prepare(t.Context(), o.live.Current(), "web", publish.Wish{Who: "me", Version: 1})
	require.NoError(t, err)
	_, err = o.desk.Send(t.Context(), o.live.Current(), p.ID, "me", "")
	require.NoError(t, err)
	require.NoError(t, o.sender.Look(dying))
	o.sender.Idle()
	now, err := o.store.Publication(t.Context(), p.ID)
	require.NoError(t, err)
	require.Equal(t, publish.Sending, now.State)
	require.Equal(t, 1000, now.Counts.Taken)
	o.wait(t.Context(), time.Second)
	o.another()
	require.Equal(t, publish.Done, o.ends(p.ID).State)
	require.Equal(t, 4, o.out.Asked(), "the second part twice, the first once")
	require.Empty(t, o.differences())
	require.Len(t, o.out.Prices(), 2500)
	o.out.Check(t)
}

// scheduled has the office publish by itself what is due.
func (o *office) scheduled() *timing.Schedule {
	return &timing.Schedule{Desk: o.desk, Keeper: o.store, Book: o.live.Current, Now: o.clock, Wake: func() {}}
}

func (o *office) passes(d time.Duration, schedules ...*timing.Schedule) {
	o.t.Helper()
	o.wait(o.t.Context(), d)
	for _, s := range schedules {
		require.NoError(o.t, s.Look(o.t.Context()))
		require.NoError(o.t, o.sender.Look(o.t.Context()))
		o.sender.Idle()
	}
}

func (o *office) onTheMinute() {
	o.t.Helper()
	require.NoError(o.t, o.store.SetLink(o.t.Context(), publish.Link{Channel: "web", Kind: "http", Address: o.out.Address(),
		Token: "secret", Sends: "on-the-minute", Approval: "none", GiveUpAfter: time.Minute, Reference: telling.Lowest30}))
}

func (o *office) publications() []publish.Publication {
	o.t.Helper()
	list, err := o.store.Publications(o.t.Context(), "web", 0, 1000)
	require.NoError(o.t, err)
	return list
}

// At a due moment those lines go whose change comes from the clock, of the version published last: what is saved and
// not published stays; what is blocked is left out.
func TestOnTheMinute(t *testing.T) {
	o := opened(t, shop)
	o.onTheMinute()
	o.publishes(publish.Wish{})
	s := o.scheduled()
	o.passes(time.Hour, s)
	require.Len(t, o.publications(), 1)
	o.setList("B", "25.00")
	dues, err := o.desk.Upcoming(t.Context(), o.live.Current(), "web", o.live.Current().Moment(o.clock())+100*pricing.Day, 9)
	require.NoError(t, err)
	require.Len(t, dues, 2)
	require.Equal(t, "2026-11-27T09:00", dues[0].At.String())
	require.Len(t, dues[0].Changed, 4)

	o.passes(23*time.Hour, s)
	list := o.publications()
	require.Len(t, list, 2)
	due := list[0]
	require.Equal(t, []any{publish.Due, publish.Done, "2026-11-27T09:00", 1}, []any{due.Kind, due.State, due.At.String(),
		due.Named.Unpublished})
	require.Equal(t, map[string]string{"A & <b>": "9.00", "B": "18.00", "C": "30.00", "a & <b>": "0.90"}, o.out.Prices())
	require.Equal(t, publish.LeftOut, o.answers(due.ID)["C"], "it would be below cost")
	require.Equal(t, map[string]publish.Kind{"B": publish.Up, "C": publish.Down}, o.differences())
	o.passes(time.Minute, s)
	require.Len(t, o.publications(), 2, "a moment is dealt with once")

	o.passes(72*time.Hour, s)
	require.Equal(t, "20.00", o.out.Prices()["B"], "as it was published")
	require.Equal(t, "30.00", o.out.Prices()["C"])
	require.Equal(t, map[string]publish.Kind{"B": publish.Up}, o.differences())
	o.out.Check(t)
}

// After an outage the present is published, once, and what was passed over is named.
func TestMomentsThatWerePassedOver(t *testing.T) {
	o := opened(t, shop)
	o.onTheMinute()
	o.publishes(publish.Wish{})
	s := o.scheduled()
	o.passes(200*time.Hour, s)
	require.Len(t, o.publications(), 1, "the prices are what they were")
	o.passes(time.Hour, s)
	require.Len(t, o.publications(), 1)
	require.Empty(t, o.differences())
	o.out.Check(t)
}

// Two instances, of which each sees every moment, publish each of many once, and one of them dies in the middle.
func TestManyMomentsTwoInstances(t *testing.T) {
	o := opened(t, `{"book":"dogbane/1","settings":{"currency":"EUR","timeZone":"Europe/Amsterdam"},"channels":[{"code":"web"}],
		"products":[{"sku":"A","list":"10.00"},{"sku":"B","list":"20.00"}],
		"rules":[{"code":"H","layer":"sale","rank":1,"where":{"sku":["A"]},"window":{"hours":["10:00","11:00"]},"effect":{"percentOff":"10"}}]}`)
	o.onTheMinute()
	o.publishes(publish.Wish{})
	first, second := o.scheduled(), o.scheduled()
	boundaries := 0
	for boundaries < 200 {
		was := o.out.Prices()["A"]
		instances := []*timing.Schedule{first, second}
		if boundaries > 100 {
			instances = instances[1:]
		}
		o.passes(10*time.Minute, instances...)
		want := "10.00"
		if now := o.clock().In(o.live.Current().Zone); now.Hour() == 10 {
			want = "9.00"
		}
		require.Equal(t, want, o.out.Prices()["A"], o.clock())
		if was != want {
			boundaries++
		}
	}
	list := o.publications()
	require.Len(t, list, 1+boundaries, "each once")
	t.Logf("%d boundaries, %d publications", boundaries, len(list))
	o.out.Check(t)
}

// What a channel shows by itself is found, with since when; it is sent again, or lived with.
func TestDrift(t *testing.T) {
	o := opened(t, shop)
	o.publishes(publish.Wish{})
	c := &sending.Comparer{Keeper: o.store, Now: o.clock}
	drifts, err := c.Compare(t.Context(), "web")
	require.NoError(t, err)
	require.Empty(t, drifts)
	o.out.Do(func() {
		line := o.out.Shows["B"]
		line.Price = "1.00"
		o.out.Shows["B"], o.out.Shows["EXTRA"] = line, line
		delete(o.out.Shows, "C")
	})
	found := o.clock()
	_, err = c.Compare(t.Context(), "web")
	require.NoError(t, err)
	o.wait(t.Context(), time.Hour)
	_, err = c.Compare(t.Context(), "web")
	require.NoError(t, err)
	drifts, err = o.store.Drifts(t.Context(), "web")
	require.NoError(t, err)
	require.Len(t, drifts, 3)
	b := drifts[0]
	require.Equal(t, []any{"B", "20.00", "1.00", found}, []any{b.SKU, *b.Took, *b.Shows, b.Since.UTC()})
	require.Nil(t, drifts[1].Shows)
	require.Nil(t, drifts[2].Took)
	require.NoError(t, o.store.AcceptDrifts(t.Context(), "web", []string{"EXTRA"}))
	require.Empty(t, o.differences())
	require.NoError(t, o.store.SendAgain(t.Context(), "web", []string{"B", "C"}))
	require.Equal(t, map[string]publish.Kind{"B": publish.Again, "C": publish.Again}, o.differences())
	require.Equal(t, publish.Done, o.publishes(publish.Wish{}).State)
	drifts, err = c.Compare(t.Context(), "web")
	require.NoError(t, err)
	require.Len(t, drifts, 1)
	require.True(t, drifts[0].Accepted)
	o.out.Check(t)
}

// What a channel's customers are quoted is the book as it was published there, at the present; a line of which the channel
// shows another price is priced by the line that it took, whatever is saved since.
func TestWhatCustomersAreQuoted(t *testing.T) {
	o := opened(t, `{"book":"dogbane/1","settings":{"currency":"EUR","timeZone":"UTC"},"groups":[{"code":"g"},{"code":"h"}],"channels":[{"code":"web"}],
		"products":[{"sku":"A","list":"10.00"},{"sku":"B","list":"20.00"},{"sku":"C","list":"30.00"}],
		"rules":[{"code":"S","layer":"sale","rank":1,"where":{"sku":["A"]},"window":{"from":"2026-11-27T09:00"},"effect":{"percentOff":"10"}},
			{"code":"T","layer":"tier","rank":1,"where":{"all":[]},"breaks":[{"from":3,"percentOff":"10"}]},
			{"code":"G","layer":"group","rank":1,"where":{"all":[]},"audience":{"groups":["g"]},"effect":{"amountOff":"1"}}]}`)
	quote := func(sku string, quantity int, groups ...string) string {
		t.Helper()
		q, err := o.desk.Quoted(t.Context(), o.live.Current(), "web")
		require.NoError(t, err)
		a, err := q.Baskets().Price(basket.Question{Viewpoint: pricing.Viewpoint{Channel: "web", Groups: groups,
			At: pricing.MomentOf(o.clock())}, Lines: []pricing.Line{{SKU: sku, Quantity: quantity}}, Told: q.Told})
		require.NoError(t, err)
		if a.Lines[0].Total == nil {
			return "none"
		}
		return a.Lines[0].Total.Fixed(2)
	}
	_, err := o.desk.Quoted(t.Context(), o.live.Current(), "web")
	require.ErrorIs(t, err, publish.ErrUnpublished)
	o.publishes(publish.Wish{LeaveOut: []string{"C"}})
	o.setList("A", "15.00")
	o.wait(t.Context(), time.Minute)
	require.Equal(t, []string{"10.00", "27.00", "9.00", "24.00", "20.00", "none"}, []string{quote("A", 1), quote("A", 3),
		quote("A", 1, "g"), quote("A", 3, "g"), quote("B", 1), quote("C", 1)}, "what is saved is not published")
	o.wait(t.Context(), 24*time.Hour)
	require.Equal(t, "9.00", o.setOf("A"), "the published book says so by now")
	require.Equal(t, []string{"10.00", "27.00", "9.00", "24.00", "20.00"}, []string{quote("A", 1), quote("A", 3),
		quote("A", 1, "g"), quote("A", 3, "g", "h"), quote("B", 1)}, "but the channel was not told")
	require.NoError(t, o.store.ReleaseLeftOut(t.Context(), "web", []string{"C"}))
	o.publishes(publish.Wish{})
	o.wait(t.Context(), time.Minute)
	require.Equal(t, []string{"13.50", "30.00"}, []string{quote("A", 1), quote("C", 1)})
	o.out.Manner(func(int) string { return publishtest.Wrong })
	o.setList("B", "25.00")
	o.publishes(publish.Wish{})
	o.wait(t.Context(), time.Minute)
	require.Equal(t, "20.00", quote("B", 1), "the channel did not take it")
}

// setOf is what the published book says that a guest pays now.
func (o *office) setOf(sku string) string {
	o.t.Helper()
	version, err := o.desk.Published(o.t.Context(), o.live.Current(), "web")
	require.NoError(o.t, err)
	a, err := version.Engine.Price(pricing.Question{Viewpoint: pricing.Viewpoint{Channel: "web",
		At: pricing.MomentOf(o.clock())}, SKU: sku})
	require.NoError(o.t, err)
	return a.Unit.Fixed(2)
}

func (o *office) saves(before, after *pricing.Rule) {
	o.t.Helper()
	booktest.Save(o.t, o.live, book.OfRule(before, after))
}

// A channel that can schedule is told ahead what it shows later; it counts from then on. An edit of what comes is told in
// its place, and a price by hand replaces both.
func TestScheduling(t *testing.T) {
	o := opened(t, `{"book":"dogbane/1","settings":{"currency":"EUR","timeZone":"Europe/Amsterdam"},
		"channels":[{"code":"web","can":["schedule","breaks"],"limits":{"leadHours":"2"}}],
		"products":[{"sku":"A","list":"10.00"},{"sku":"B","list":"20.00"}],
		"rules":[{"code":"S","layer":"sale","rank":1,"where":{"sku":["A"]},"window":{"from":"2026-11-27T09:00","to":"2026-11-27T18:00"},"effect":{"percentOff":"10"}}]}`)
	o.out.Now = o.clock
	o.onTheMinute()
	o.publishes(publish.Wish{})
	s := o.scheduled()
	o.passes(20*time.Hour+50*time.Minute, s) // 06:50 there
	require.Len(t, o.publications(), 1)
	o.passes(20*time.Minute, s)
	list := o.publications()
	require.Equal(t, []any{2, publish.Done, "2026-11-27T09:00:00+01:00"}, []any{len(list), list[0].State, list[0].Named.Effective})
	require.Equal(t, "10.00", o.out.Prices()["A"])
	require.Empty(t, o.differences(), "it shows what the book says")
	o.passes(time.Minute, s)
	require.Len(t, o.publications(), 2)

	o.setOff("S", "20")
	require.Equal(t, map[string]publish.Kind{"A": publish.Again}, o.differences(), "what it was told of later is another now")
	require.Equal(t, publish.Done, o.publishes(publish.Wish{}).State)
	require.Empty(t, o.differences())
	o.passes(time.Minute, s)
	require.Len(t, o.publications(), 4, "what comes is told anew")
	o.passes(2*time.Hour, s)
	require.Equal(t, "8.00", o.out.Prices()["A"])
	require.Equal(t, "10.00", o.out.Line("A").Reference)
	require.Empty(t, o.differences())
	shown, err := o.store.ShownLines(t.Context(), "web", o.clock(), true, "", 9)
	require.NoError(t, err)
	require.Equal(t, "8", shown[0].Price.String())
	history, err := o.store.PriceHistory(t.Context(), "web", "A")
	require.NoError(t, err)
	require.Equal(t, "2026-11-27T08:00:00Z", history[0].From.Format(time.RFC3339), "from its moment on")
	o.passes(12*time.Hour, s)
	require.Equal(t, "10.00", o.out.Prices()["A"])
	require.Empty(t, o.differences())
	o.out.Check(t)
}

func (o *office) savesProduct(before, after *pricing.Product) {
	o.t.Helper()
	booktest.Save(o.t, o.live, book.OfProduct(before, after))
}

// A line without an answer goes along when a moment comes, though the clock changes nothing of it.
func TestUnansweredGoesWithWhatIsDue(t *testing.T) {
	o := opened(t, strings.Replace(shop, `"where":{"all":[]},"window"`, `"where":{"sku":["B"]},"window"`, 1))
	o.onTheMinute()
	o.out.Manner(func(int) string { return publishtest.Half })
	require.Equal(t, publish.Partly, o.publishes(publish.Wish{}).State)
	require.Len(t, o.differences(), 2)
	o.out.Manner(nil)
	o.passes(25*time.Hour, o.scheduled())
	require.Empty(t, o.differences())
	require.Equal(t, map[string]string{"A & <b>": "10.00", "B": "18.00", "C": "30.00", "a & <b>": "1.00"}, o.out.Prices())
	o.out.Check(t)
}

// What a channel that schedules is told to remove later is no difference, and is gone when the moment comes.
func TestARemovalToldAhead(t *testing.T) {
	o := opened(t, `{"book":"dogbane/1","settings":{"currency":"EUR","timeZone":"UTC"},
		"channels":[{"code":"web","can":["schedule"]}],"products":[{"sku":"A"},{"sku":"B","list":"20.00"}],
		"rules":[{"code":"S","layer":"sale","rank":1,"where":{"sku":["A"]},"window":{"to":"2026-11-26T10:00"},"effect":{"setPrice":"5.00"}}]}`)
	o.out.Now = o.clock
	o.onTheMinute()
	o.publishes(publish.Wish{})
	require.Equal(t, "5.00", o.out.Prices()["A"])
	s := o.scheduled()
	o.passes(50*time.Minute, s)
	require.Len(t, o.publications(), 2)
	require.Equal(t, "5.00", o.out.Prices()["A"])
	require.Empty(t, o.differences())
	o.passes(20*time.Minute, s)
	require.NotContains(t, o.out.Prices(), "A")
	require.Empty(t, o.differences())
	require.Len(t, o.publications(), 2)
	o.out.Check(t)
}

// A take-back that nobody answered is held all the same: the channel may show it.
func TestAnUnansweredTakeBackIsHeld(t *testing.T) {
	o := opened(t, shop)
	o.publishes(publish.Wish{})
	o.setList("B", "22.00")
	second := o.publishes(publish.Wish{})
	back, err := o.desk.TakeBack(t.Context(), o.live.Current(), second.ID, "me")
	require.NoError(t, err)
	o.out.Manner(func(int) string { return publishtest.Cut })
	back = o.sends(back)
	require.Equal(t, publish.Failed, back.State)
	require.Equal(t, map[string]publish.Kind{"B": "held"}, o.differences())
	o.out.Manner(nil)
	rest, err := o.desk.Rest(t.Context(), o.live.Current(), back.ID, "me")
	require.NoError(t, err)
	require.Equal(t, publish.Done, o.sends(rest).State)
	require.Equal(t, "20.00", o.out.Prices()["B"])
	require.Equal(t, map[string]publish.Kind{"B": "held"}, o.differences())
	o.out.Check(t)
}

// Rules count as taken with the answer to the last part alone; a review that is never told is none.
func TestRulesOfAReviewThatIsNeverTold(t *testing.T) {
	o := opened(t, shop)
	o.out.Manner(func(int) string { return publishtest.Reviewed })
	o.out.Forgets = true
	require.Equal(t, publish.Failed, o.publishes(publish.Wish{}).State)
	know, err := o.store.Know(t.Context(), "web", o.clock())
	require.NoError(t, err)
	require.Empty(t, know.Rules)
	o.out.Manner(nil)
	require.Equal(t, publish.Done, o.publishes(publish.Wish{}).State)
	require.NotEmpty(t, o.out.Rule("O"))
}

func booktestSave(o *office, changes ...book.Change) {
	o.t.Helper()
	booktest.Save(o.t, o.live, changes...)
}

// adds saves a rule as docs/book.md writes it, new or in the place of another of its code.
func (o *office) adds(doc string) {
	o.t.Helper()
	r, err := bookfile.ReadRule([]byte(doc))
	require.NoError(o.t, err)
	booktestSave(o, book.OfRule(o.live.Current().Rule(r.Code), &r))
}
