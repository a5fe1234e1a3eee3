package checks_test

import (
	"errors"
	"testing"

	"github.com/stretchr/testify/require"

	"dogbane/internal/book"
	"dogbane/internal/book/booktest"
	"dogbane/internal/checks"
	"dogbane/internal/pricing"
)

const goods = `{"settings":{"currency":"EUR","timeZone":"UTC"},"products":[{"sku":"A","list":"10.00"},{"sku":"B","list":"20.00"}],
	"rules":[{"code":"R","layer":"sale","rank":1,"where":{"sku":"A"},"effect":{"percentOff":"10"}}]}`

func pinned(id int64, name, doc string) checks.Pinned {
	return checks.Pinned{ID: id, Name: name, Doc: doc}
}

var all = []checks.Pinned{
	pinned(1, "A & its sale", `{"price":{"sku":"A","at":"2026-11-26T12:00"},"is":{"unit":"9.00","rules":["R"]}}`),
	pinned(2, "broken already", `{"price":{"sku":"B","at":"2026-11-26T12:00"},"is":{"unit":"19.00"}}`),
	pinned(3, "no goods", `{"price":{"sku":"GONE","at":"2026-11-26T12:00"},"is":{"unit":"19.00"}}`),
	pinned(4, "no check at all", `[]`),
}

// A check holds, differs value by value, or has no answer and says why.
func TestRun(t *testing.T) {
	e := pricing.Compile(booktest.Read(t, goods))
	results := make([]checks.Result, len(all))
	for i, p := range all {
		results[i] = checks.Run(p, checks.Of(e))
	}
	require.True(t, results[0].Holds())
	require.Equal(t, []checks.Difference{{What: "unit", Want: "19.00", Have: "20.00"}}, results[1].Differences)
	require.Contains(t, results[2].Problem, "GONE")
	require.NotEmpty(t, results[3].Problem)
}

// Only what held before and does not afterwards is broken by an edit.
func TestBroken(t *testing.T) {
	before := booktest.Read(t, goods)
	after := *before
	after.Rules = nil
	broken := checks.Broken(all, pricing.Compile(before), pricing.Compile(&after))
	require.Len(t, broken, 1)
	require.EqualValues(t, 1, broken[0].ID)
	require.Empty(t, checks.Broken(all, pricing.Compile(before), pricing.Compile(before)))
}

// A live book refuses what breaks a pinned price until whoever saves it has seen that; nothing is saved meanwhile.
func TestTheGuard(t *testing.T) {
	live, memory := booktest.Live(t, booktest.Read(t, goods))
	memory.Checks = all
	gone := book.Edit{Who: "me", Summary: "no sale", Changes: []book.Change{book.OfRule(&live.Current().Book.Rules[0],
		nil)}}
	_, err := live.Save(t.Context(), gone)
	var broken *checks.BrokenError
	require.ErrorAs(t, err, &broken)
	require.Equal(t, "A & its sale", broken.Checks[0].Name)
	require.Equal(t, "This would break a pinned price.", err.Error())
	require.EqualValues(t, 1, live.Current().Version)
	require.Len(t, live.Current().Book.Rules, 1)
	gone.ChecksSeen = true
	entry, err := live.Save(t.Context(), gone)
	require.NoError(t, err)
	back, err := live.Undo(t.Context(), entry.ID, "me", entry.At, false)
	require.NoError(t, err, "it was broken: bringing it back breaks nothing")
	_, err = live.Undo(t.Context(), back.ID, "me", entry.At, false)
	require.True(t, errors.As(err, &broken), "an undo asks, too")
}
