package store_test

import (
	"context"
	"errors"
	"math/rand/v2"
	"testing"
	"time"
	_ "time/tzdata"

	"github.com/stretchr/testify/require"

	"dogbane/internal/bookfile"
	"dogbane/internal/demo"
	"dogbane/internal/money"
	"dogbane/internal/pricing"
	"dogbane/internal/pricing/pricingtest"
	"dogbane/internal/store"
	"dogbane/internal/store/storetest"
)

func TestMain(m *testing.M) { storetest.Main(m) }

var then = time.Date(2026, 11, 26, 8, 0, 0, 0, time.UTC)

func opened(t *testing.T) (*store.Store, *store.Live) { return openedWith(t, demo.Book(0)) }

func openedWith(t *testing.T, book *pricing.Book) (*store.Store, *store.Live) {
	t.Helper()
	s := storetest.Open(t)
	require.NoError(t, s.Create(t.Context(), book, "test", then))
	live, err := store.OpenLive(t.Context(), s)
	require.NoError(t, err)
	return s, live
}

// A book in MariaDB is the book that was put there, to the letter.
func TestBookSurvivesTheDatabase(t *testing.T) {
	_, live := opened(t)
	require.Equal(t, string(bookfile.Encode(demo.Book(0))), string(bookfile.Encode(live.Current().Book)))
}

func deleteRule(book *pricing.Book, i int) store.Change {
	return store.Change{Kind: store.Rules, Code: book.Rules[i].Code, Before: bookfile.EncodeRule(&book.Rules[i])}
}

func TestSaveAndUndo(t *testing.T) {
	s, live := opened(t)
	before := live.Current()
	entry, err := live.Save(t.Context(), store.Edit{Who: "me", At: then, Summary: "Deleted it", Changes: []store.Change{deleteRule(before.Book, 3)}})
	require.NoError(t, err)
	require.Equal(t, int64(2), entry.Version)
	require.Len(t, live.Current().Book.Rules, len(before.Book.Rules)-1)
	require.Len(t, before.Book.Rules, len(demo.Book(0).Rules), "a snapshot never changes")

	_, err = live.Undo(t.Context(), entry.ID, "me", then)
	require.NoError(t, err)
	require.Len(t, live.Current().Book.Rules, len(before.Book.Rules))
	_, err = live.Undo(t.Context(), entry.ID, "me", then)
	require.Error(t, err, "a change is undone once")

	reloaded, version, err := s.Load(t.Context())
	require.NoError(t, err)
	require.Equal(t, int64(3), version)
	require.ElementsMatch(t, codes(live.Current().Book), codes(reloaded), "memory and database agree")
	log, err := s.Log(t.Context(), 10)
	require.NoError(t, err)
	require.Equal(t, []string{"Undo: Deleted it", "Deleted it", "Set up the book"}, []string{log[0].Summary, log[1].Summary, log[2].Summary})
	require.NotNil(t, log[1].UndoneBy)
}

func codes(b *pricing.Book) []string {
	var list []string
	for i := range b.Rules {
		list = append(list, string(bookfile.EncodeRule(&b.Rules[i])))
	}
	return list
}

// Of two edits of the same piece, the second is refused with what is there now, and nothing of it is saved.
func TestConflict(t *testing.T) {
	_, live := opened(t)
	book := live.Current().Book
	edit := func(name string) store.Change {
		next := book.Rules[0]
		next.Name = name
		return store.Change{Kind: store.Rules, Code: next.Code, Before: bookfile.EncodeRule(&book.Rules[0]), After: bookfile.EncodeRule(&next)}
	}
	_, err := live.Save(t.Context(), store.Edit{Summary: "mine", At: then, Changes: []store.Change{edit("mine")}})
	require.NoError(t, err)
	_, err = live.Save(t.Context(), store.Edit{Summary: "theirs", At: then, Changes: []store.Change{deleteRule(book, 1), edit("theirs")}})
	var conflict *store.Conflict
	require.True(t, errors.As(err, &conflict))
	require.Contains(t, string(conflict.Now), `"mine"`)
	require.Equal(t, int64(2), live.Current().Version)
	require.Len(t, live.Current().Book.Rules, len(book.Rules))
}

// A second instance on the same database notices what the first one saved.
func TestFollow(t *testing.T) {
	s, first := opened(t)
	second, err := store.OpenLive(t.Context(), s)
	require.NoError(t, err)
	ctx, stop := context.WithCancel(t.Context())
	defer stop()
	go second.Follow(ctx, 10*time.Millisecond)
	_, err = first.Save(t.Context(), store.Edit{Summary: "gone", At: then, Changes: []store.Change{deleteRule(first.Current().Book, 0)}})
	require.NoError(t, err)
	require.Eventually(t, func() bool { return second.Current().Version == 2 }, 10*time.Second, 10*time.Millisecond)
	require.ElementsMatch(t, codes(first.Current().Book), codes(second.Current().Book))
}

func amount(s string) *money.Rat {
	a := money.MustParse(s)
	return &a
}

// Every price that a channel took is kept, with the time for which it was shown.
func TestPublishedPricesAreKept(t *testing.T) {
	s, _ := opened(t)
	send := func(at time.Time, price string, answer string) {
		p := &store.Publication{Channel: "web", Version: 1, PricedAt: at, Started: at, Who: "test"}
		row := store.PublicationRow{SKU: "A", Kind: "up", Price: amount(price), Reference: amount("20.00"), Currency: "EUR"}
		require.NoError(t, s.StartPublication(t.Context(), p, []store.PublicationRow{row}))
		require.ErrorIs(t, s.StartPublication(t.Context(), &store.Publication{Channel: "web", PricedAt: at, Started: at}, nil), store.ErrBusy)
		row.Answer = answer
		require.NoError(t, s.AnswerRows(t.Context(), p, []store.PublicationRow{row}, at))
		p.Status, p.Ended = "done", &at
		require.NoError(t, s.EndPublication(t.Context(), p))
	}
	send(then, "12.50", "taken")
	send(then.Add(time.Hour), "11.0055", "taken")
	send(then.Add(2*time.Hour), "1.00", "refused")
	shown, err := s.Shown(t.Context(), "web")
	require.NoError(t, err)
	require.Equal(t, "11.0055", shown["A"].Price.String())
	history, err := s.PriceHistory(t.Context(), "web", "A")
	require.NoError(t, err)
	require.Len(t, history, 2)
	require.Nil(t, history[0].Until)
	require.Equal(t, then.Add(time.Hour), *history[1].Until)
	require.Equal(t, "12.5", history[1].Price.String())
}

func TestPublicationsThatBrokeOff(t *testing.T) {
	s, _ := opened(t)
	p := &store.Publication{Channel: "web", PricedAt: then, Started: then}
	require.NoError(t, s.StartPublication(t.Context(), p, []store.PublicationRow{{SKU: "A", Kind: "new", Price: amount("1"), Currency: "EUR"}}))
	require.NoError(t, s.BreakOff(t.Context(), then))
	again := &store.Publication{Channel: "web", PricedAt: then, Started: then}
	require.NoError(t, s.StartPublication(t.Context(), again, []store.PublicationRow{{SKU: "A", Kind: "new", Price: amount("1"), Currency: "EUR"}}), "the channel is free again")
}

// A whole book put in the place of another is that book, and can be taken back.
func TestReplacingTheWholeBook(t *testing.T) {
	s, live := opened(t)
	next := pricingtest.Book(rand.New(rand.NewPCG(1, 1)))
	changes := store.Differences(live.Current().Book, next)
	entry, err := live.Save(t.Context(), store.Edit{Summary: "Another book", At: then, Changes: changes})
	require.NoError(t, err)
	loaded, _, err := s.Load(t.Context())
	require.NoError(t, err)
	require.Empty(t, store.Differences(loaded, next))
	require.Empty(t, store.Differences(live.Current().Book, next))

	_, err = live.Undo(t.Context(), entry.ID, "me", then)
	require.NoError(t, err)
	require.Empty(t, store.Differences(live.Current().Book, demo.Book(0)))
}

// Random books price the same from a file and out of MariaDB.
func TestPricesOutOfTheDatabase(t *testing.T) {
	s, _ := opened(t)
	for seed := range uint64(12) {
		rng := rand.New(rand.NewPCG(seed, 8))
		now, _, err := s.Load(t.Context())
		require.NoError(t, err)
		book := pricingtest.Book(rng)
		live, err := store.OpenLive(t.Context(), s)
		require.NoError(t, err)
		_, err = live.Save(t.Context(), store.Edit{Summary: "next", At: then, Changes: store.Differences(now, book)})
		require.NoError(t, err)
		file := pricing.Compile(book)
		for range 40 {
			q := pricingtest.Question(rng, book)
			a, err := file.Price(q)
			require.NoError(t, err)
			b, err := live.Current().Engine.Price(q)
			require.NoError(t, err)
			require.Equal(t, bookfile.Answer(a), bookfile.Answer(b))
		}
	}
}
