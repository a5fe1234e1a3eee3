package store_test

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"math/rand/v2"
	"testing"
	"time"
	_ "time/tzdata"

	"github.com/stretchr/testify/require"

	"dogbane/internal/book"
	"dogbane/internal/bookfile"
	"dogbane/internal/checks"
	"dogbane/internal/demo"
	"dogbane/internal/money"
	"dogbane/internal/pricing"
	"dogbane/internal/pricing/pricingtest"
	"dogbane/internal/store"
	"dogbane/internal/store/storetest"
)

func TestMain(m *testing.M) { storetest.Main(m) }

var then = time.Date(2026, 11, 26, 8, 0, 0, 0, time.UTC)

func opened(t *testing.T) (*store.Store, *book.Live) { return openedWith(t, demo.Book(0)) }

func openedWith(t testing.TB, b *pricing.Book) (*store.Store, *book.Live) {
	t.Helper()
	s := storetest.Open(t)
	require.NoError(t, s.Create(t.Context(), b, "test", then))
	live, err := book.OpenLive(t.Context(), s, checks.Guard(s))
	require.NoError(t, err)
	return s, live
}

// A book in MariaDB is the book that was put there, to the letter.
func TestBookSurvivesTheDatabase(t *testing.T) {
	_, live := opened(t)
	require.Equal(t, string(bookfile.Encode(demo.Book(0))), string(bookfile.Encode(live.Current().Book)))
}

func deleteRule(b *pricing.Book, i int) book.Change {
	return book.OfRule(&b.Rules[i], nil)
}

func TestSaveAndUndo(t *testing.T) {
	s, live := opened(t)
	before := live.Current()
	entry, err := live.Save(t.Context(), book.Edit{Who: "me", At: then, Summary: "Deleted it",
		Changes: []book.Change{deleteRule(before.Book, 3)}})
	require.NoError(t, err)
	require.Equal(t, int64(2), entry.Version)
	require.Len(t, live.Current().Book.Rules, len(before.Book.Rules)-1)
	require.Len(t, before.Book.Rules, len(demo.Book(0).Rules), "a snapshot never changes")

	_, err = live.Undo(t.Context(), entry.ID, "me", then, false)
	require.NoError(t, err)
	require.Len(t, live.Current().Book.Rules, len(before.Book.Rules))
	_, err = live.Undo(t.Context(), entry.ID, "me", then, false)
	require.Error(t, err, "a change is undone once")

	reloaded, version, _, err := s.Load(t.Context())
	require.NoError(t, err)
	require.Equal(t, int64(3), version)
	require.ElementsMatch(t, rulesOf(live.Current().Book), rulesOf(reloaded), "memory and database agree")
	log, err := s.Log(t.Context(), 10)
	require.NoError(t, err)
	require.Equal(t, []string{"Undo: Deleted it", "Deleted it", "Set up the book"},
		[]string{log[0].Summary, log[1].Summary, log[2].Summary})
	require.NotNil(t, log[1].UndoneBy)
}

// Names as people write them: what JSON encoders like to escape, what runs from right to left, what has two code units.
var hostileNames = []string{"Cup & saucer", "Glaze <b>slip</b>", `5" "brush"`, "=1+1", "Ton 🏺 roh", "طين أبيض",
	"back\\slash \\u0026", "L\u2028S", "O'Brien; DROP TABLE items"}

// Whatever a piece is called, it can be made, taken back, brought back, and changed again, here and after a restart.
func TestUndoOfAnyName(t *testing.T) {
	s, live := opened(t)
	for i, name := range hostileNames {
		code := fmt.Sprintf("H-%d", i)
		product := pricing.Product{SKU: code, Name: name, Unit: "each", Tags: []string{name}}
		rule := live.Current().Book.Rules[0]
		rule.Code, rule.Name, rule.Note = code, name, name
		made, err := live.Save(t.Context(), book.Edit{Who: "me", At: then, Summary: "Made " + name, Changes: []book.Change{
			{Kind: book.Products, Code: code, After: bookfile.EncodeProduct(&product)},
			{Kind: book.Rules, Code: code, After: bookfile.EncodeRule(&rule)}}})
		require.NoError(t, err, name)
		gone, err := live.Undo(t.Context(), made.ID, "me", then, false)
		require.NoError(t, err, name)
		_, err = live.Undo(t.Context(), gone.ID, "me", then, false)
		require.NoError(t, err, name)
		live, err = book.OpenLive(t.Context(), s, checks.Guard(s)) // as after a restart
		require.NoError(t, err)
		require.Equal(t, name, live.Current().Product(code).Name)
		draft := rule
		draft.Status = pricing.Draft
		_, err = live.Save(t.Context(), book.Edit{Who: "me", At: then, Summary: "Switched " + name, Changes: []book.Change{
			{Kind: book.Rules, Code: code, Before: bookfile.EncodeRule(&rule), After: bookfile.EncodeRule(&draft)}}})
		require.NoError(t, err, name)
	}
}

// A database in which an earlier version brought pieces back with their & escaped is one in which they can be changed.
func TestPoisonedPiecesAreMended(t *testing.T) {
	dsn := storetest.Address(t)
	s, err := store.Open(t.Context(), dsn)
	require.NoError(t, err)
	whole := demo.Book(0)
	whole.Rules[0].Name = `Glaze & <slip> \\u0026`
	require.NoError(t, s.Create(t.Context(), whole, "test", then))
	require.NoError(t, s.Close())
	db, err := sql.Open("mysql", dsn)
	require.NoError(t, err)
	defer db.Close()
	escaped, err := json.Marshal(json.RawMessage(bookfile.EncodeRule(&whole.Rules[0]))) // escapes &, < and >
	require.NoError(t, err)
	require.Contains(t, string(escaped), `\u0026`)
	_, err = db.ExecContext(t.Context(), "UPDATE items SET doc = ? WHERE kind = 'rules' AND code = ?", escaped,
		whole.Rules[0].Code)
	require.NoError(t, err)
	before(t, db, 5)
	s, err = store.Open(t.Context(), dsn)
	require.NoError(t, err)
	defer s.Close()
	var doc string
	require.NoError(t, db.QueryRowContext(t.Context(), "SELECT doc FROM items WHERE kind = 'rules' AND code = ?",
		whole.Rules[0].Code).Scan(&doc))
	require.Equal(t, string(bookfile.EncodeRule(&whole.Rules[0])), doc)
}

// before takes a database back to where a migration has been run and is not noted. What was new before the twelfth
// stays.
func before(t *testing.T, db *sql.DB, migration int) {
	steps, err := store.Versions(db)
	require.NoError(t, err)
	_, err = steps.DownTo(t.Context(), int64(max(migration, 12)))
	require.NoError(t, err)
	_, err = db.ExecContext(t.Context(), "DELETE FROM goose_db_version WHERE version_id >= ?", migration)
	require.NoError(t, err)
}

// A migration that broke off halfway is run again by the next start.
func TestHalfAMigrationIsRunAgain(t *testing.T) {
	dsn := storetest.Address(t)
	s, err := store.Open(t.Context(), dsn)
	require.NoError(t, err)
	require.NoError(t, s.Create(t.Context(), demo.Book(0), "test", then))
	require.NoError(t, s.Close())
	db, err := sql.Open("mysql", dsn)
	require.NoError(t, err)
	defer db.Close()
	// What a kill leaves behind: the statements are there, wholly or in part, and the note that they are is not.
	var newest int
	require.NoError(t, db.QueryRowContext(t.Context(), "SELECT MAX(version_id) FROM goose_db_version").Scan(&newest))
	require.GreaterOrEqual(t, newest, 7)
	for lost := newest; lost >= 0; lost-- {
		before(t, db, lost)
		if lost == 3 {
			_, err = db.ExecContext(t.Context(), "DROP TABLE log_pieces")
			require.NoError(t, err)
		}
		s, err = store.Open(t.Context(), dsn)
		require.NoError(t, err, lost)
		kept, _, _, err := s.Load(t.Context())
		require.NoError(t, err, lost)
		require.Equal(t, string(bookfile.Encode(demo.Book(0))), string(bookfile.Encode(kept)), lost)
		require.NoError(t, s.Close())
	}
}

// A stored piece that a stricter version cannot read is left out and named, with what refers to it; all else works, and
// writing it anew brings it back.
func TestAPieceThatCannotBeReadIsLeftOut(t *testing.T) {
	dsn := storetest.Address(t)
	s, err := store.Open(t.Context(), dsn)
	require.NoError(t, err)
	defer s.Close()
	whole := demo.Book(0)
	require.NoError(t, s.Create(t.Context(), whole, "test", then))
	db, err := sql.Open("mysql", dsn)
	require.NoError(t, err)
	defer db.Close()
	_, err = db.ExecContext(t.Context(),
		`UPDATE items SET doc = JSON_SET(doc, '$.rank', 0) WHERE kind = 'rules' AND code = ?`, whole.Rules[2].Code)
	require.NoError(t, err)
	live, err := book.OpenLive(t.Context(), s, checks.Guard(s))
	require.NoError(t, err)
	refused := live.Current().Refused
	require.Len(t, refused, 1)
	require.Equal(t, whole.Rules[2].Code, refused[0].Code)
	require.Contains(t, refused[0].Problem, "rank")
	require.Len(t, live.Current().Book.Rules, len(whole.Rules)-1)
	_, err = live.Save(t.Context(), book.Edit{Summary: "another", At: then, Changes: []book.Change{deleteRule(whole, 0)}})
	require.NoError(t, err)
	require.Len(t, live.Current().Refused, 1)
}

// The guard of pinned prices is part of saving: an edit, an undo, whoever makes it.
func TestSavingAsksThePinnedPrices(t *testing.T) {
	s, live := openedWith(t, plain(t, `{"sku":"A","list":"10.00"}`))
	at := pricing.MomentOf(then)
	require.NoError(t, s.SaveCheck(t.Context(), &store.Check{Name: "ten",
		Doc: fmt.Sprintf(`{"price":{"sku":"A","at":"%s"},"is":{"unit":"10.00"}}`, at), Who: "me", At: then}))
	dearer := func(from, to string) book.Edit {
		doc := func(list string) json.RawMessage {
			return json.RawMessage(fmt.Sprintf(`{"sku":"A","list":"%s"}`, list))
		}
		return book.Edit{Summary: "dearer", At: then, Changes: []book.Change{{Kind: book.Products, Code: "A",
			Before: doc(from), After: doc(to)}}}
	}
	var broken *checks.BrokenError
	_, err := live.Save(t.Context(), dearer("10.00", "11.00"))
	require.ErrorAs(t, err, &broken)
	require.Equal(t, []checks.Difference{{What: "unit", Want: "10.00", Have: "11.00"}}, broken.Checks[0].Differences)
	seen := dearer("10.00", "11.00")
	seen.ChecksSeen = true
	_, err = live.Save(t.Context(), seen)
	require.NoError(t, err)
	back, err := live.Save(t.Context(), dearer("11.00", "10.00"))
	require.NoError(t, err)
	_, err = live.Undo(t.Context(), back.ID, "me", then, false)
	require.ErrorAs(t, err, &broken, "an undo, too")
	_, err = live.Undo(t.Context(), back.ID, "me", then, true)
	require.NoError(t, err)
}

// plain is a book with some products and nothing else.
func plain(t *testing.T, products string) *pricing.Book {
	t.Helper()
	kept, err := bookfile.Decode([]byte(
		`{"book":"dogbane/1","settings":{"currency":"EUR","timeZone":"Europe/Amsterdam"},"products":[` + products + `]}`))
	require.NoError(t, err)
	return kept
}

// Units sold and stock are kept apart from the product: counting them rewrites no document, and an edit of the product
// does not stumble over them, or they over it.
func TestMeasuresAreKeptApart(t *testing.T) {
	s, live := openedWith(t, plain(t, `{"sku":"A & B","name":"x","stock":"3","sold":"7"},{"sku":"C"}`))
	text := func(s string) *string { return &s }
	count := book.Change{Kind: book.Measures, Code: "A & B", Before: book.MeasuresDoc(text("3"), text("7")),
		After: book.MeasuresDoc(text("3"), text("9"))}
	named := book.Change{Kind: book.Products, Code: "A & B", Before: json.RawMessage(
		`{"sku":"A & B","name":"x","stock":"3","sold":"7"}`), After: json.RawMessage(
		`{"sku":"A & B","name":"y","stock":"3","sold":"7"}`)}
	counted, err := live.Save(t.Context(), book.Edit{Summary: "count", At: then, Changes: []book.Change{count}})
	require.NoError(t, err)
	require.Equal(t, "9", live.Current().Product("A & B").Sold.String())
	_, err = live.Save(t.Context(), book.Edit{Summary: "stale count", At: then, Changes: []book.Change{count}})
	var conflict *book.Conflict
	require.ErrorAs(t, err, &conflict)
	_, err = live.Save(t.Context(), book.Edit{Summary: "name", At: then, Changes: []book.Change{named}})
	require.NoError(t, err, "the count in between is no hindrance")
	kept, _, _, err := s.Load(t.Context())
	require.NoError(t, err)
	require.Equal(t, []string{"y", "9"}, []string{kept.Products[0].Name, kept.Products[0].Sold.String()},
		"and is not undone by it")
	_, err = live.Undo(t.Context(), counted.ID, "me", then, false)
	require.NoError(t, err)
	kept, _, _, err = s.Load(t.Context())
	require.NoError(t, err)
	require.Equal(t, "7", kept.Products[0].Sold.String())
	require.Nil(t, kept.Products[1].Stock)
	gone := live.Current().Doc(book.Products, "A & B")
	_, err = live.Save(t.Context(), book.Edit{Summary: "gone", At: then,
		Changes: []book.Change{{Kind: book.Products, Code: "A & B", Before: gone}}})
	require.NoError(t, err)
	_, err = live.Save(t.Context(), book.Edit{Summary: "new", At: then,
		Changes: []book.Change{{Kind: book.Products, Code: "A & B", After: json.RawMessage(`{"sku":"A & B"}`)}}})
	require.NoError(t, err)
	kept, _, _, err = s.Load(t.Context())
	require.NoError(t, err)
	require.Nil(t, kept.Products[1].Sold, "a product that comes anew has no past")
}

// Codes that differ in a blank at their end, in case or in an accent are different codes.
func TestCodesAreComparedToTheLetter(t *testing.T) {
	s, live := openedWith(t, plain(t, `{"sku":"PADX"},{"sku":"padx"},{"sku":"pädx"},{"sku":"a/b"},{"sku":".."}`))
	require.Len(t, live.Current().Book.Products, 5)
	db := s.SQL()
	_, err := db.ExecContext(t.Context(),
		"INSERT INTO items (kind, code, seq, doc) VALUES ('products', 'PADX ', 99, '{}')")
	require.NoError(t, err)
}

// Each question that is asked often is answered by an index.
func TestIndexesAreUsed(t *testing.T) {
	s, _ := openedWith(t, demo.Book(0))
	for query, key := range map[string]string{
		"SELECT COALESCE(MAX(seq), 0) FROM items":                                                   "",
		"SELECT * FROM shown_prices WHERE channel = 'web' AND price IS NOT NULL":                    "PRIMARY",
		"SELECT id FROM log WHERE moved IS NULL AND version > 1 ORDER BY version LIMIT 50":          "uncounted",
		"SELECT p.entry FROM log_pieces p WHERE p.kind IN ('products','measures') AND p.code = 'A'": "PRIMARY",
		"SELECT quantity FROM sales WHERE moment >= 1 AND moment <= 2":                              "at_moment",
	} {
		rows, err := s.SQL().QueryContext(t.Context(), "EXPLAIN "+query)
		require.NoError(t, err)
		require.True(t, rows.Next())
		columns, err := rows.Columns()
		require.NoError(t, err)
		values := make([]sql.NullString, len(columns))
		into := make([]any, len(columns))
		for i := range values {
			into[i] = &values[i]
		}
		require.NoError(t, rows.Scan(into...))
		plan := map[string]string{}
		for i, c := range columns {
			plan[c] = values[i].String
		}
		require.NoError(t, rows.Close())
		if key == "" {
			require.Contains(t, plan["Extra"], "optimized away", query)
			continue
		}
		require.Equal(t, key, plan["key"], "%s: %v", query, plan)
	}
}

func rulesOf(b *pricing.Book) []string {
	var list []string
	for i := range b.Rules {
		list = append(list, string(bookfile.EncodeRule(&b.Rules[i])))
	}
	return list
}

// Of two edits of the same piece, the second is refused with what is there now, and nothing of it is saved.
func TestConflict(t *testing.T) {
	_, live := opened(t)
	whole := live.Current().Book
	edit := func(name string) book.Change {
		next := whole.Rules[0]
		next.Name = name
		return book.Change{Kind: book.Rules, Code: next.Code, Before: bookfile.EncodeRule(&whole.Rules[0]),
			After: bookfile.EncodeRule(&next)}
	}
	_, err := live.Save(t.Context(), book.Edit{Summary: "mine", At: then, Changes: []book.Change{edit("mine")}})
	require.NoError(t, err)
	_, err = live.Save(t.Context(), book.Edit{Summary: "theirs", At: then,
		Changes: []book.Change{deleteRule(whole, 1), edit("theirs")}})
	var conflict *book.Conflict
	require.True(t, errors.As(err, &conflict))
	require.Contains(t, string(conflict.Now), `"mine"`)
	require.Equal(t, int64(2), live.Current().Version)
	require.Len(t, live.Current().Book.Rules, len(whole.Rules))
}

// A second instance on the same database notices what the first one saved.
func TestFollow(t *testing.T) {
	s, first := opened(t)
	second, err := book.OpenLive(t.Context(), s, checks.Guard(s))
	require.NoError(t, err)
	ctx, stop := context.WithCancel(t.Context())
	defer stop()
	go second.Follow(ctx, 10*time.Millisecond)
	_, err = first.Save(t.Context(), book.Edit{Summary: "gone", At: then,
		Changes: []book.Change{deleteRule(first.Current().Book, 0)}})
	require.NoError(t, err)
	require.Eventually(t, func() bool { return second.Current().Version == 2 }, 10*time.Second, 10*time.Millisecond)
	require.ElementsMatch(t, rulesOf(first.Current().Book), rulesOf(second.Current().Book))
}

// A whole book put in the place of another is that book, and can be taken back.
func TestReplacingTheWholeBook(t *testing.T) {
	s, live := opened(t)
	next := pricingtest.Book(rand.New(rand.NewPCG(1, 1)))
	changes := book.Differences(live.Current().Book, next)
	entry, err := live.Save(t.Context(), book.Edit{Summary: "Another book", At: then, Changes: changes})
	require.NoError(t, err)
	loaded, _, _, err := s.Load(t.Context())
	require.NoError(t, err)
	require.Empty(t, book.Differences(loaded, next))
	require.Empty(t, book.Differences(live.Current().Book, next))

	_, err = live.Undo(t.Context(), entry.ID, "me", then, false)
	require.NoError(t, err)
	require.Empty(t, book.Differences(live.Current().Book, demo.Book(0)))
}

// Random books price the same from a file and out of MariaDB.
func TestPricesOutOfTheDatabase(t *testing.T) {
	s, _ := opened(t)
	for seed := range uint64(12) {
		rng := rand.New(rand.NewPCG(seed, 8))
		now, _, _, err := s.Load(t.Context())
		require.NoError(t, err)
		whole := pricingtest.Book(rng)
		live, err := book.OpenLive(t.Context(), s, checks.Guard(s))
		require.NoError(t, err)
		_, err = live.Save(t.Context(), book.Edit{Summary: "next", At: then, Changes: book.Differences(now, whole)})
		require.NoError(t, err)
		file := pricing.Compile(whole)
		for range 40 {
			q := pricingtest.Question(rng, whole)
			a, err := file.Price(q)
			require.NoError(t, err)
			b, err := live.Current().Engine.Price(q)
			require.NoError(t, err)
			require.Equal(t, bookfile.Answer(a), bookfile.Answer(b))
		}
	}
}

// A save, however long, is not followed by a load of the whole book: what it made is what answers.
func TestASaveIsNotFollowedByALoad(t *testing.T) {
	_, live := openedWith(t, demo.Book(2500))
	ctx, stop := context.WithCancel(t.Context())
	ended := make(chan struct{})
	go func() { defer close(ended); live.Follow(ctx, time.Millisecond) }()
	defer func() { stop(); <-ended }()
	for round := range 4 {
		base := live.Current().Book
		changes := repriced(base, 2300, fmt.Sprintf("%d.00", round+5))
		next, err := book.Apply(base, changes)
		require.NoError(t, err)
		_, err = live.Save(t.Context(), book.Edit{Who: "me", At: then, Summary: "all", Changes: changes, Base: base,
			Next: next})
		require.NoError(t, err)
		time.Sleep(30 * time.Millisecond)
		require.Same(t, next, live.Current().Book, "round %d", round)
	}
}

// A book that a newer program keeps is not opened by an older one, which would read it wrongly; nothing of it is
// changed.
func TestABookOfANewerFormatIsNotOpened(t *testing.T) {
	dsn := storetest.Address(t)
	s, err := store.Open(t.Context(), dsn)
	require.NoError(t, err)
	require.NoError(t, s.Create(t.Context(), demo.Book(0), "test", then))
	_, err = s.SQL().ExecContext(t.Context(), "UPDATE book SET format = 99")
	require.NoError(t, err)
	require.NoError(t, s.Close())
	_, err = store.Open(t.Context(), dsn)
	require.ErrorContains(t, err, "a newer version of the program, in format 99")
}

func amount(s string) *money.Rat {
	a := money.MustParse(s)
	return &a
}
