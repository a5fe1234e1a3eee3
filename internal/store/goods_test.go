package store_test

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"testing"

	"github.com/stretchr/testify/require"

	"dogbane/internal/book"
	"dogbane/internal/bookfile"
	"dogbane/internal/demo"
	"dogbane/internal/intake"
	"dogbane/internal/money"
	"dogbane/internal/pricing"
	"dogbane/internal/store"
)

// repriced are changes that set the list price of the first n products.
func repriced(b *pricing.Book, n int, price string) []book.Change {
	var changes []book.Change
	amount := money.MustParse(price)
	for i := range b.Products[:n] {
		after := *b.Products[i]
		after.List = &amount
		changes = append(changes, book.Change{Kind: book.Products, Code: after.SKU,
			Before: bookfile.EncodeProduct(b.Products[i]), After: bookfile.EncodeProduct(&after)})
	}
	return changes
}

// An edit of more pieces than one row of the log holds is kept, found from each piece, and taken back whole.
func TestLargeEditsAreKeptWhole(t *testing.T) {
	s, live := openedWith(t, demo.Book(2500))
	before := live.Current().Book
	var told []int
	entry, err := live.Save(t.Context(), book.Edit{Who: "me", At: then, Summary: "All at 7",
		Changes: repriced(before, 2300, "7.00"), Progress: func(n int) { told = append(told, n) }})
	require.NoError(t, err)
	require.Equal(t, []int{2000, 2300}, told)
	kept, err := s.LogEntry(t.Context(), entry.ID)
	require.NoError(t, err)
	require.Len(t, kept.Changes, 2300)
	for _, i := range []int{0, 499, 500, 2299} {
		history, err := s.History(t.Context(), book.Products, before.Products[i].SKU, 10)
		require.NoError(t, err)
		require.Len(t, history, 1)
		require.Len(t, history[0].Changes, 1)
		require.Equal(t, before.Products[i].SKU, history[0].Changes[0].Code)
		require.Equal(t, "All at 7", history[0].Summary)
	}
	_, err = live.Undo(t.Context(), entry.ID, "me", then, false)
	require.NoError(t, err)
	require.Equal(t, string(bookfile.Encode(before)), string(bookfile.Encode(live.Current().Book)))
}

// A save whose context ends between two batches leaves nothing behind.
func TestGivingUpASaveLeavesNothing(t *testing.T) {
	s, live := openedWith(t, demo.Book(2500))
	before := live.Current()
	ctx, stop := context.WithCancel(t.Context())
	_, err := live.Save(ctx, book.Edit{Who: "me", At: then, Summary: "Half", Changes: repriced(before.Book, 2300, "7.00"),
		Progress: func(int) { stop() }})
	require.ErrorIs(t, err, context.Canceled)
	require.Same(t, before, live.Current())
	stored, version, _, err := s.Load(t.Context())
	require.NoError(t, err)
	require.Equal(t, before.Version, version)
	require.Equal(t, string(bookfile.Encode(before.Book)), string(bookfile.Encode(stored)))
}

func TestSales(t *testing.T) {
	s, _ := opened(t)
	ctx := t.Context()
	day := func(n int) pricing.Moment { return pricing.Moment(n) * pricing.Day }
	first := intake.SalesFile{Name: "march.csv", Who: "me", At: then}
	require.NoError(t, s.AddSales(ctx, &first, []intake.SoldLine{
		{Moment: day(100), Customer: "C-1", SKU: "A", Quantity: 3, Paid: "29.97", Channel: "web"},
		{Moment: day(130), Customer: "", SKU: "A", Quantity: 2},
		{Moment: day(131), Customer: "C-1", SKU: "B", Quantity: 1},
	}, func(int) {}))
	second := intake.SalesFile{Name: "april.csv", Who: "me", At: then}
	require.NoError(t, s.AddSales(ctx, &second, []intake.SoldLine{{Moment: day(140), SKU: "A", Quantity: 10}},
		func(int) {}))

	sold, err := s.SoldUnits(ctx, day(110), day(140))
	require.NoError(t, err)
	require.Equal(t, map[string]int64{"A": 2, "B": 1}, sold, "the end does not count")
	bought, err := s.Purchases(ctx, "C-1", book.Bought{})
	require.NoError(t, err)
	require.Equal(t, []pricing.Purchase{{SKU: "A", Quantity: 3, At: day(100)}, {SKU: "B", Quantity: 1, At: day(131)}},
		bought.List)
	bought.List[0].SKU = "as it is known"
	again, err := s.Purchases(ctx, "C-1", bought)
	require.NoError(t, err)
	require.Equal(t, bought, again, "what holds still is not read again")
	nobody, err := s.Purchases(ctx, "c-1", book.Bought{})
	require.NoError(t, err)
	require.Equal(t, book.Bought{Any: true}, nobody)
	known, err := s.KnownSales(ctx, day(100), day(130))
	require.NoError(t, err)
	require.Len(t, known, 2)
	require.True(t, known[intake.SoldLine{Moment: day(100), Customer: "C-1", SKU: "A", Quantity: 3, Paid: "29.97",
		Channel: "web"}])

	files, err := s.SalesFiles(ctx)
	require.NoError(t, err)
	require.Equal(t, []string{"april.csv 1", "march.csv 3"}, []string{fmt.Sprint(files[0].Name, " ", files[0].Rows),
		fmt.Sprint(files[1].Name, " ", files[1].Rows)})
	require.NoError(t, s.DropSales(ctx, first.ID))
	again, err = s.Purchases(ctx, "C-1", again)
	require.NoError(t, err)
	require.Empty(t, again.List)
	sold, err = s.SoldUnits(ctx, 0, day(1000))
	require.NoError(t, err)
	require.Equal(t, map[string]int64{"A": 10}, sold)
	require.ErrorIs(t, s.DropSales(ctx, first.ID), store.ErrNotFound)
}

func TestMappingsAreRememberedByHeaders(t *testing.T) {
	s, _ := opened(t)
	headers := []string{"Artikel", "Preis"}
	none, err := s.Mapping(t.Context(), "products", headers)
	require.NoError(t, err)
	require.Nil(t, none)
	for _, m := range []intake.Matched{{Mapping: map[string]string{"sku": "Artikel"}},
		{Mapping: map[string]string{"sku": "Artikel", "list": "Preis"}, Format: json.RawMessage(`{"decimal":"comma"}`)}} {
		require.NoError(t, s.KeepMapping(t.Context(), "products", headers, m))
		kept, err := s.Mapping(t.Context(), "products", headers)
		require.NoError(t, err)
		require.Equal(t, &m, kept)
	}
	// Older versions kept the mapping alone.
	_, err = s.SQL().ExecContext(t.Context(), `UPDATE import_mappings SET mapping = '{"sku":"Artikel"}'`)
	require.NoError(t, err)
	old, err := s.Mapping(t.Context(), "products", headers)
	require.NoError(t, err)
	require.Equal(t, "Artikel", old.Mapping["sku"])
	for kind, other := range map[string][]string{"sales": headers, "products": {"ArtikelPreis"}} {
		kept, err := s.Mapping(t.Context(), kind, other)
		require.NoError(t, err)
		require.Nil(t, kept)
	}
}

func TestChecksAreKept(t *testing.T) {
	s, _ := opened(t)
	c := store.Check{Name: "ten bags", Doc: `{}`, Who: "me", At: then}
	require.NoError(t, s.SaveCheck(t.Context(), &c))
	c.Name = "twelve bags"
	require.NoError(t, s.SaveCheck(t.Context(), &c))
	list, err := s.Checks(t.Context())
	require.NoError(t, err)
	require.Len(t, list, 1)
	require.Equal(t, "twelve bags", list[0].Name)
	name, err := s.DropCheck(t.Context(), c.ID)
	require.NoError(t, err)
	require.Equal(t, "twelve bags", name)
	_, err = s.DropCheck(t.Context(), c.ID)
	require.True(t, errors.Is(err, store.ErrNotFound))
}
