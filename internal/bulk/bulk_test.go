package bulk_test

import (
	"context"
	"errors"
	"testing"

	"github.com/stretchr/testify/require"

	"dogbane/internal/board"
	"dogbane/internal/book"
	"dogbane/internal/book/booktest"
	"dogbane/internal/bulk"
	"dogbane/internal/pricing"
)

const goods = `{"settings":{"currency":"EUR","timeZone":"UTC","taxRates":{"standard":"21","reduced":"9"}},"campaigns":[{"code":"K"}],
	"products":[{"sku":"A","name":"Cup & saucer","list":"10.00","cost":"5.00","tags":["new","<b>"],"category":"Cups"},
		{"sku":"B","list":"19.99","category":"Cups","attrs":{"glaze":"matt"}},{"sku":"C","cost":"3.00","category":"Bowls"},{"sku":"D","list":"999999999999999","category":"Big"}],
	"rules":[
		{"code":"R1","name":"One","layer":"sale","rank":1,"where":{"sku":"A"},"effect":{"percentOff":"5"},"window":{"from":"2026-11-01T00:00","to":"2026-12-01T00:00"}},
		{"code":"R2","layer":"sale","rank":2,"where":{"any":[{"category":"Bowls"},{"sku":"A"}]},"effect":{"percentOff":"5"}},
		{"code":"R3","layer":"sale","rank":2,"where":{"category":"Cups"},"effect":{"percentOff":"5"}},
		{"code":"R4","layer":"sale","rank":7,"where":{"category":"Cups"},"effect":{"percentOff":"5"},"status":"draft"}]}`

func look(t *testing.T, f board.Filter) *board.View {
	t.Helper()
	boards := board.New(board.NewSweeps(), book.NewBuyers(nil),
		func(context.Context, *book.Snapshot, string, int) (board.Prices, error) { return nil, nil })
	v, err := boards.Look(t.Context(), booktest.Snapshot(t, booktest.Read(t, goods)), f, board.Order{})
	require.NoError(t, err)
	return v
}

func amounts(how, value string) *bulk.Amounts {
	return &bulk.Amounts{Field: "list", How: how, Value: value}
}

// Amounts change as they are told to, are rounded to the cent and given their ending; what has none is left and
// counted.
func TestAmounts(t *testing.T) {
	cups := board.Filter{Category: "Cups"}
	for _, c := range []struct {
		form *bulk.Amounts
		want []string
	}{
		{amounts("percentOn", "7.5"), []string{"10.75", "21.49"}},
		{amounts("percentOff", "100"), []string{"0.00", "0.00"}},
		{amounts("amountOn", "0.005"), []string{"10.01", "20.00"}},
		{amounts("amountOff", "15"), []string{"0.00", "4.99"}},
		{amounts("set", "5"), []string{"5.00", "5.00"}},
		{&bulk.Amounts{Field: "list", How: "percentOn", Value: "0", Step: "1", Direction: "up", Shift: "-0.05"},
			[]string{"9.95", "19.95"}},
	} {
		v := look(t, cups)
		edit, err := c.form.Edit(v)
		require.NoError(t, err, "%+v", c.form)
		next := edit.Book(v.Snap.Book)
		for i, want := range c.want {
			require.Equal(t, want, next.Products[i].List.Fixed(2), "%+v", c.form)
		}
		applied, err := book.Apply(v.Snap.Book, edit.Changes)
		require.NoError(t, err)
		require.Equal(t, next.Products, applied.Products, "what is previewed is what is saved")
		require.NotContains(t, edit.Summary, "%!", "the log reads as a sentence")
	}
	edit, err := amounts("percentOn", "10").Edit(look(t, board.Filter{Category: "Bowls"}))
	require.NoError(t, err)
	require.Equal(t, bulk.Outcome{Reached: 1, Missing: 1, Sample: []bulk.Sample{}}, edit.Outcome)
	for path, form := range map[string]*bulk.Amounts{
		"value": amounts("percentOff", "101"), "step": {Field: "list", How: "set", Value: "1", Step: "0"},
		"shift": {Field: "list", How: "set", Value: "1", Step: "1", Shift: "x"},
		"skus":  {Field: "list", How: "set", Value: "1", SKUs: []string{"NONE"}},
	} {
		_, err := form.Edit(look(t, cups))
		require.Error(t, err, path)
		var value *book.InvalidError
		var question *pricing.QuestionError
		require.True(t, asEither(err, &value, &question), path)
		if value != nil {
			require.Equal(t, path, value.Path)
		} else {
			require.Equal(t, path, question.Path)
		}
	}
	_, err = amounts("amountOn", "1").Edit(look(t, board.Filter{Category: "Big"}))
	require.ErrorContains(t, err, "15 digits")
}

// Tags, attributes and texts change on the products named or on all that the filter leaves, and not where they are so
// already.
func TestWords(t *testing.T) {
	for _, c := range []struct {
		form    bulk.Words
		changed int
		summary string
	}{
		{bulk.Words{Do: "add", Field: "tag", Value: " <b> "}, 1, "Tagged 1 product “<b>”"},
		{bulk.Words{Do: "remove", Field: "tag", Value: "new"}, 1, "Took the tag “new” off 1 product"},
		{bulk.Words{Do: "set", Field: "brand", Value: "Saltmarrow & sons"}, 2,
			"Set brand to “Saltmarrow & sons” on 2 products"},
		{bulk.Words{Do: "set", Field: "attr:glaze", Value: "matt"}, 1, "Set glaze to “matt” on 1 product"},
		{bulk.Words{Do: "set", Field: "attr:glaze", Value: ""}, 1, "Took glaze off 1 product"},
		{bulk.Words{Do: "set", Field: "taxClass", Value: "reduced"}, 2, "Set taxClass to “reduced” on 2 products"},
		{bulk.Words{Do: "set", Field: "brand", Value: "X", SKUs: []string{"C"}}, 1, "Set brand to “X” on 1 product"},
	} {
		v := look(t, board.Filter{Category: "Cups"})
		edit, err := c.form.Edit(v)
		require.NoError(t, err)
		require.Equal(t, c.changed, edit.Changed, "%+v", c.form)
		require.Equal(t, c.summary, edit.Summary)
		next, err := book.Apply(v.Snap.Book, edit.Changes)
		require.NoError(t, err)
		again := board.New(board.NewSweeps(), book.NewBuyers(nil),
			func(context.Context, *book.Snapshot, string, int) (board.Prices, error) { return nil, nil })
		w, err := again.Look(t.Context(), booktest.Snapshot(t, next), board.Filter{Category: "Cups"}, board.Order{})
		require.NoError(t, err)
		twice, err := c.form.Edit(w)
		require.NoError(t, err)
		require.Empty(t, twice.Changes, "%+v twice", c.form)
	}
	for path, form := range map[string]bulk.Words{
		"field": {Do: "add", Field: "brand", Value: "x"}, "value": {Do: "add", Field: "tag", Value: "  "},
	} {
		_, err := form.Edit(look(t, board.Filter{}))
		var invalid *book.InvalidError
		require.ErrorAs(t, err, &invalid)
		require.Equal(t, path, invalid.Path)
	}
	_, err := (&bulk.Words{Do: "set", Field: "taxClass", Value: "none"}).Edit(look(t, board.Filter{}))
	require.ErrorContains(t, err, "it has reduced, standard")
	_, err = (&bulk.Words{Do: "set", Field: "colour", Value: "x"}).Edit(look(t, board.Filter{}))
	require.ErrorContains(t, err, "There is no such field")
}

func state(t *testing.T, form bulk.Rules) (map[string]pricing.Rule, int) {
	t.Helper()
	snap := booktest.Snapshot(t, booktest.Read(t, goods))
	now, err := pricing.ParseMoment("2026-12-05T09:00")
	require.NoError(t, err)
	changes, err := form.Changes(snap, now)
	require.NoError(t, err)
	next, err := book.Apply(snap.Book, changes)
	require.NoError(t, err)
	rules := map[string]pricing.Rule{}
	for _, r := range next.Rules {
		rules[r.Code] = r
	}
	return rules, len(changes)
}

// One thing is done to each rule named; what is so already is no change.
func TestRules(t *testing.T) {
	rules, n := state(t, bulk.Rules{Codes: []string{"R1", "R4"}, Do: "on"})
	require.Equal(t, 1, n)
	require.Equal(t, pricing.On, rules["R4"].Status)
	rules, n = state(t, bulk.Rules{Codes: []string{"R1", "R2"}, Do: "shift", Days: -3})
	require.Equal(t, 1, n, "what has no window does not move")
	require.Equal(t, "2026-10-29T00:00", rules["R1"].Window.From.String())
	rules, _ = state(t, bulk.Rules{Codes: []string{"R1", "R4"}, Do: "start"})
	require.Equal(t, "2026-12-05T09:00", rules["R1"].Window.From.String())
	require.Nil(t, rules["R1"].Window.To, "an end that is over is no end any more")
	require.Equal(t, pricing.On, rules["R4"].Status)
	rules, _ = state(t, bulk.Rules{Codes: []string{"R2"}, Do: "campaign", Campaign: "K"})
	require.Equal(t, "K", rules["R2"].Campaign)
	rules, n = state(t, bulk.Rules{Codes: []string{"R1", "R2", "R3"}, Do: "delete"})
	require.Equal(t, 3, n)
	require.Len(t, rules, 1)
	snap := booktest.Snapshot(t, booktest.Read(t, goods))
	for _, form := range []bulk.Rules{{Codes: []string{"NONE"}, Do: "on"},
		{Codes: []string{"R1"}, Do: "campaign", Campaign: "NONE"}} {
		_, err := form.Changes(snap, 0)
		require.Error(t, err)
	}
}

// A new order gives new ranks; rules that shared one go on sharing it while they stand together, unless one was moved.
func TestReorder(t *testing.T) {
	b := booktest.Read(t, goods)
	ranks := func(moved string, codes ...string) map[string]int {
		changes, err := bulk.Reorder(b, pricing.Sale, moved, codes)
		require.NoError(t, err)
		next, err := book.Apply(b, changes)
		require.NoError(t, err)
		list := map[string]int{}
		for _, r := range next.Rules {
			list[r.Code] = r.Rank
		}
		return list
	}
	require.Equal(t, map[string]int{"R1": 1, "R2": 2, "R3": 2, "R4": 3}, ranks("", "R1", "R2", "R3", "R4"))
	require.Equal(t, map[string]int{"R4": 1, "R1": 2, "R2": 3, "R3": 3}, ranks("R4", "R4", "R1", "R2", "R3"))
	require.Equal(t, map[string]int{"R1": 1, "R3": 2, "R2": 3, "R4": 4}, ranks("R3", "R1", "R3", "R2", "R4"))
	for _, codes := range [][]string{{"R1"}, {"R1", "R1", "R2", "R3"}, {"R1", "R2", "R3", "NONE"}} {
		_, err := bulk.Reorder(b, pricing.Sale, "", codes)
		require.ErrorIs(t, err, bulk.ErrReordered)
	}
}

// A selection takes more products in, and holds exactly what it held and those.
func TestWithSKUs(t *testing.T) {
	e := pricing.Compile(booktest.Read(t, goods))
	for _, r := range e.Book().Rules {
		was := e.Match(&r.Where)
		next := bulk.WithSKUs(bulk.WithSKUs(r.Where, []string{"D"}), []string{"D", "C"})
		is := e.Match(&next)
		for p, product := range e.Products() {
			want := was.Has(int32(p)) || product.SKU == "D" || product.SKU == "C"
			require.Equal(t, want, is.Has(int32(p)), "%s %s", r.Code, product.SKU)
		}
	}
}

func asEither(err error, value **book.InvalidError, question **pricing.QuestionError) bool {
	return errors.As(err, value) || errors.As(err, question)
}
