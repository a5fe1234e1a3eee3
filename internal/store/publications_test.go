package store_test

import (
	"database/sql"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"dogbane/internal/demo"
	"dogbane/internal/publish"
	"dogbane/internal/publish/telling"
	"dogbane/internal/store"
	"dogbane/internal/store/storetest"
)

// queued is a publication of one product that is on its way.
func queued(t *testing.T, s *store.Store, price string) *publish.Publication {
	t.Helper()
	p := &publish.Publication{Channel: "web", Version: 1, Prepared: then, Who: "me", Kind: publish.ByHand,
		State: publish.Prepared}
	require.NoError(t, s.Prepare(t.Context(), p, []publish.Row{{SKU: "A", Kind: publish.Up, Price: amount(price),
		Currency: "EUR", Line: []byte(`{"sku":"A","price":"` + price + `"}`)}}))
	require.NoError(t, s.Decide(t.Context(), p.ID, publish.Queued, "", "", then))
	return p
}

func took(answer bool) map[string]publish.Reply {
	return map[string]publish.Reply{"A": {Taken: answer}}
}

// Every price that a channel took is kept, with the time for which it was shown.
func TestPublishedPricesAreKept(t *testing.T) {
	s, _ := opened(t)
	send := func(at time.Time, price string, taken bool) {
		p := queued(t, s, price)
		mine, err := s.Claim(t.Context(), p.ID, "one", time.Minute)
		require.NoError(t, err)
		require.True(t, mine)
		p.Parts = 1
		require.NoError(t, s.FixParts(t.Context(), p.ID, "one", [][]byte{[]byte("bytes")}))
		require.NoError(t, s.KeepAnswers(t.Context(), p, "one", 1, took(taken), at))
		require.NoError(t, s.End(t.Context(), p, "one", "", at))
	}
	send(then, "12.50", true)
	send(then.Add(time.Hour), "11.0055", true)
	send(then.Add(2*time.Hour), "1.00", false)
	know, err := s.Know(t.Context(), "web", then.Add(3*time.Hour))
	require.NoError(t, err)
	require.Equal(t, "11.0055", know.Shown["A"].Price.String())
	require.True(t, know.Open["A"].Behind, "it refused the newest")
	history, err := s.PriceHistory(t.Context(), "web", "A")
	require.NoError(t, err)
	require.Len(t, history, 2)
	require.Nil(t, history[0].Until)
	require.Equal(t, then.Add(time.Hour), *history[1].Until)
	require.Equal(t, "12.5", history[1].Price.String())
	lowest, err := s.Lowest(t.Context(), "web", then.Add(30*time.Minute), then.Add(time.Hour), []string{"A"})
	require.NoError(t, err)
	require.Equal(t, "12.5", lowest["A"].String(), "shown at the start; the other from the end on")
	lowest, err = s.Lowest(t.Context(), "web", then.Add(time.Hour), then.Add(2*time.Hour), []string{"A", "B"})
	require.NoError(t, err)
	require.Equal(t, "11.0055", lowest["A"].String())
}

// A publication is one owner's to send; when its lease is over it is another's, and what the first still says counts no
// more.
func TestLeases(t *testing.T) {
	s, _ := opened(t)
	p := queued(t, s, "1.00")
	claim := func(owner string, lease time.Duration) bool {
		mine, err := s.Claim(t.Context(), p.ID, owner, lease)
		require.NoError(t, err)
		return mine
	}
	require.True(t, claim("one", 200*time.Millisecond))
	require.False(t, claim("two", time.Minute))
	require.ErrorIs(t, s.Renew(t.Context(), p.ID, "two", time.Minute), publish.ErrLost)
	require.ErrorIs(t, s.Renew(t.Context(), p.ID, "one", 200*time.Millisecond), publish.ErrUnlinked)
	p.Parts = 1
	require.NoError(t, s.FixParts(t.Context(), p.ID, "one", [][]byte{[]byte("the very bytes")}))
	require.Eventually(t, func() bool { return claim("two", time.Minute) }, 10*time.Second, 20*time.Millisecond)
	require.ErrorIs(t, s.KeepAnswers(t.Context(), p, "one", 1, took(true), then), publish.ErrLost)
	require.ErrorIs(t, s.End(t.Context(), p, "one", "", then), publish.ErrLost)
	require.ErrorIs(t, s.KeepPart(t.Context(), p.ID, "one", publish.Part{Number: 1}), publish.ErrLost)
	bytes, err := s.PartBytes(t.Context(), p.ID, 1)
	require.NoError(t, err)
	require.Equal(t, "the very bytes", string(bytes))
	require.NoError(t, s.KeepAnswers(t.Context(), p, "two", 1, took(true), then))
	require.NoError(t, s.KeepAnswers(t.Context(), p, "two", 1, took(false), then), "an answer that is kept is not changed")
	require.NoError(t, s.End(t.Context(), p, "two", "", then))
	now, err := s.Publication(t.Context(), p.ID)
	require.NoError(t, err)
	require.Equal(t, publish.Counts{Total: 1, Taken: 1}, now.Counts)
	require.ErrorIs(t, s.Decide(t.Context(), p.ID, publish.Dropped, "me", "", then), publish.ErrState)
	require.ErrorIs(t, s.Decide(t.Context(), 99, publish.Dropped, "me", "", then), store.ErrNotFound)
}

// One at a time per channel, in rising order: an older one is not queued behind a newer one.
func TestRisingOrder(t *testing.T) {
	s, _ := opened(t)
	prepared := func() *publish.Publication {
		p := &publish.Publication{Channel: "web", Version: 1, Prepared: then, Who: "me", Kind: publish.ByHand,
			State: publish.Prepared}
		require.NoError(t, s.Prepare(t.Context(), p, []publish.Row{{SKU: "A", Price: amount("1"), Currency: "EUR"}}))
		return p
	}
	older, newer := prepared(), prepared()
	require.NoError(t, s.Decide(t.Context(), newer.ID, publish.Queued, "", "", then))
	require.ErrorIs(t, s.Decide(t.Context(), older.ID, publish.Queued, "", "", then), publish.ErrOlder)
	third := queued(t, s, "2.00")
	underway, err := s.Underway(t.Context())
	require.NoError(t, err)
	require.Len(t, underway, 1)
	require.Equal(t, newer.ID, underway[0].ID)
	moment := third.At
	mine, err := s.ClaimDue(t.Context(), "web", moment, moment+1, &publish.Publication{}, nil)
	require.NoError(t, err)
	require.False(t, mine, "nothing is due where nothing was published")
}

// What an earlier version left half sent has no known answer: a difference, whatever it is. All it told is told again, as
// whole lines were not kept.
func TestPublicationsOfAnEarlierVersion(t *testing.T) {
	dsn := storetest.Address(t)
	s, err := store.Open(t.Context(), dsn)
	require.NoError(t, err)
	require.NoError(t, s.Create(t.Context(), demo.Book(0), "test", then))
	require.NoError(t, s.Close())
	db, err := sql.Open("mysql", dsn)
	require.NoError(t, err)
	defer db.Close()
	before(t, db, 12)
	for _, statement := range []string{
		`INSERT INTO publications (id, channel, version, priced_at, started, who, status) VALUES
			(1, 'web', 1, '2026-11-01 09:00:00', '2026-11-01 08:00:00', 'me', 'done'), (2, 'web', 1, '2026-11-02 09:00:00', '2026-11-02 08:00:00', 'me', 'sending')`,
		`INSERT INTO publication_rows (publication, sku, kind, price, currency, answer) VALUES (1, 'A', 'new', 10, 'EUR', 'taken'),
			(1, 'B & <b>', 'new', 20, 'EUR', 'refused'), (2, 'A', 'up', 11, 'EUR', 'taken'), (2, 'C', 'up', 12, 'EUR', ''), (2, 'D', 'up', 12, 'EUR', 'failed')`,
		`INSERT INTO published_prices (channel, sku, price, currency, from_at, until_at, publication) VALUES
			('web', 'A', 10, 'EUR', '2026-11-01 08:00:00', '2026-11-02 08:00:00', 1), ('web', 'A', 11, 'EUR', '2026-11-02 08:00:00', NULL, 2)`,
		`INSERT INTO links (channel, kind, address, token) VALUES ('web', 'http', 'http://127.0.0.1:1/interface', 'x')`,
		`DELETE FROM channel_states`,
	} {
		_, err := db.ExecContext(t.Context(), statement)
		require.NoError(t, err, statement)
	}
	s, err = store.Open(t.Context(), dsn)
	require.NoError(t, err)
	defer s.Close()
	p, err := s.Publication(t.Context(), 2)
	require.NoError(t, err)
	require.Equal(t, publish.Partly, p.State)
	require.Equal(t, publish.Counts{Total: 3, Taken: 1, Unanswered: 2}, p.Counts)
	know, err := s.Know(t.Context(), "web", then)
	require.NoError(t, err)
	require.Nil(t, know.Shown["A"].Digest)
	require.Equal(t, "11", know.Shown["A"].Price.String())
	require.True(t, know.Open["C"].Unanswered)
	require.True(t, know.Open["D"].Unanswered)
	state, err := s.ChannelState(t.Context(), "web")
	require.NoError(t, err)
	require.Positive(t, state.Revision)
	require.Zero(t, state.Version, "nothing begins by itself before somebody has published")
	links, err := s.Links(t.Context())
	require.NoError(t, err)
	require.Equal(t, publish.Link{Channel: "web", Kind: "http", Address: "http://127.0.0.1:1/interface", Token: "x",
		Sends: "by-hand", Approval: "none", GiveUpAfter: 30 * time.Minute, Reference: telling.Lowest30}, links["web"])
}

// Old lines lose their texts, which stay in the parts that carried them; what is shown, what was shown before it, what
// was refused and what is young keeps them, and what may be given back is given back whole.
func TestOldLinesArePacked(t *testing.T) {
	s, _ := opened(t)
	send := func(at time.Time, price string, taken bool) *publish.Publication {
		p := queued(t, s, price)
		_, err := s.Claim(t.Context(), p.ID, "one", time.Minute)
		require.NoError(t, err)
		p.Parts = 1
		require.NoError(t, s.FixParts(t.Context(), p.ID, "one", [][]byte{[]byte("part at " + price)}))
		require.NoError(t, s.KeepAnswers(t.Context(), p, "one", 1, took(taken), at))
		require.NoError(t, s.End(t.Context(), p, "one", "", at))
		return p
	}
	line := func(p *publish.Publication) string {
		rows, err := s.Rows(t.Context(), p.ID, "", 0)
		require.NoError(t, err)
		return string(rows[0].Line)
	}
	first, second, refused := send(then, "1.00", true), send(then.Add(time.Hour), "2.00", true), send(then.Add(2*time.Hour), "9.00", false)
	third := send(then.Add(3*time.Hour), "3.00", true)
	n, err := s.Pack(t.Context(), then)
	require.NoError(t, err)
	require.Zero(t, n, "all of it is young")
	n, err = s.Pack(t.Context(), then.Add(4*time.Hour))
	require.NoError(t, err)
	require.Equal(t, 1, n, "the price before the one before")
	require.Empty(t, line(first))
	for p, has := range map[*publish.Publication]string{second: "2.00", refused: "9.00", third: "3.00"} {
		require.Contains(t, line(p), has)
	}
	bytes, err := s.PartBytes(t.Context(), first.ID, 1)
	require.NoError(t, err)
	require.Equal(t, "part at 1.00", string(bytes))
	before, err := s.Before(t.Context(), third)
	require.NoError(t, err)
	require.Contains(t, string(before[0].Line), "2.00")
	shown, err := s.ShownLines(t.Context(), "web", then.Add(4*time.Hour), false, "", 9)
	require.NoError(t, err)
	require.Contains(t, string(shown[0].Line), "3.00")
	n, err = s.Pack(t.Context(), then.Add(4*time.Hour))
	require.NoError(t, err)
	require.Zero(t, n, "nothing is packed twice")
}
