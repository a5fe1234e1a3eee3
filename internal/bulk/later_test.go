package bulk_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"dogbane/internal/board"
	"dogbane/internal/book"
	"dogbane/internal/book/booktest"
	"dogbane/internal/bulk"
	"dogbane/internal/pricing"
)

const dated = `{"settings":{"currency":"EUR","timeZone":"UTC"},"products":[
	{"sku":"A","list":"10.00","cost":"5.00","later":[{"from":"2027-01-01T00:00","cost":"6.00"}]},
	{"sku":"B & C","list":"20.00","later":[{"from":"2027-01-01T00:00","list":"22.00"},{"from":"2027-02-01T00:00","cost":"9.00"}]},
	{"sku":"D","cost":"3.00"}],"rules":[]}`

func later(t *testing.T, b *pricing.Book, sku string) map[string]string {
	t.Helper()
	found := map[string]string{}
	for _, p := range b.Products {
		if p.SKU == sku {
			for _, f := range p.Later {
				if f.List != nil {
					found[f.From.String()+" list"] = f.List.Fixed(2)
				}
				if f.Cost != nil {
					found[f.From.String()+" cost"] = f.Cost.Fixed(2)
				}
			}
		}
	}
	return found
}

// Amounts from a later moment on rest on those that hold by then, and leave what holds now; at the moment of a later
// entry itself they are changed in their place.
func TestAmountsFromALaterDay(t *testing.T) {
	boards := board.New(board.NewSweeps(), book.NewBuyers(nil), nil)
	at := func(moment string) *board.View {
		m, err := pricing.ParseMoment(moment)
		require.NoError(t, err)
		v, err := boards.Look(t.Context(), booktest.Snapshot(t, booktest.Read(t, dated)),
			board.Filter{Viewpoint: pricing.Viewpoint{At: m}}, board.Order{})
		require.NoError(t, err)
		return v
	}
	v := at("2026-12-01T00:00")
	form := bulk.Amounts{Field: "list", How: "percentOn", Value: "10", From: "2027-03-01T00:00"}
	edit, err := form.Edit(v)
	require.NoError(t, err)
	require.Equal(t, 2, edit.Changed)
	require.Equal(t, 1, edit.Missing)
	require.Equal(t, "List price +10 % on 2 products from 1 Mar 2027 00:00", edit.Summary)
	next, err := book.Apply(v.Snap.Book, edit.Changes)
	require.NoError(t, err)
	require.Equal(t, edit.Book(v.Snap.Book).Products, next.Products, "what is previewed is what is saved")
	require.Equal(t, "24.20", later(t, next, "B & C")["2027-03-01T00:00 list"], "a tenth upon January's")
	require.Equal(t, "22.00", later(t, next, "B & C")["2027-01-01T00:00 list"])
	require.Equal(t, "20.00", next.Products[1].List.Fixed(2))

	v = at("2027-01-15T00:00") // looked at after January's began
	edit, err = (&bulk.Amounts{Field: "list", How: "amountOn", Value: "1"}).Edit(v)
	require.NoError(t, err)
	next, err = book.Apply(v.Snap.Book, edit.Changes)
	require.NoError(t, err)
	require.Equal(t, "23.00", later(t, next, "B & C")["2027-01-01T00:00 list"])
	require.Equal(t, "20.00", next.Products[1].List.Fixed(2), "what was before stays")
	require.Equal(t, "11.00", next.Products[0].List.Fixed(2), "where no later one holds, the product's own")

	for _, from := range []string{"2026-12-01T00:00", "2027-02-29T00:00", "tomorrow"} {
		form.From = from
		_, err := form.Edit(at("2026-12-01T00:00"))
		var invalid *book.InvalidError
		require.ErrorAs(t, err, &invalid, from)
		require.Equal(t, "from", invalid.Path)
	}
}

// Later figures move to another moment, where they join what begins there, or are dropped; those of goods that nobody
// named stay, and so does what has begun.
func TestLaterFiguresMove(t *testing.T) {
	b := booktest.Read(t, dated)
	now, err := pricing.ParseMoment("2026-12-01T00:00")
	require.NoError(t, err)
	apply := func(form bulk.Later) (*pricing.Book, string) {
		changes, summary, err := form.Changes(b, now)
		require.NoError(t, err)
		next, err := book.Apply(b, changes)
		require.NoError(t, err)
		return next, summary
	}
	next, summary := apply(bulk.Later{At: "2027-01-01T00:00", To: "2027-02-01T00:00"})
	require.Equal(t, "Moved the figures of 2 products from 1 Jan 2027 00:00 to 1 Feb 2027 00:00", summary)
	require.Equal(t, map[string]string{"2027-02-01T00:00 list": "22.00", "2027-02-01T00:00 cost": "9.00"},
		later(t, next, "B & C"))
	next, summary = apply(bulk.Later{At: "2027-01-01T00:00", SKUs: []string{"A"}})
	require.Equal(t, "Dropped the figures of 1 product from 1 Jan 2027 00:00", summary)
	require.Empty(t, later(t, next, "A"))
	require.Len(t, later(t, next, "B & C"), 2)
	require.Equal(t, map[string]string{"2027-01-01T00:00 cost": "6.00"}, later(t, b, "A"), "the book before keeps its own")

	for path, form := range map[string]bulk.Later{
		"at": {At: "2027-01-02T00:00"}, "to": {At: "2027-01-01T00:00", To: "2026-12-01T00:00"},
	} {
		_, _, err := form.Changes(b, now)
		var invalid *book.InvalidError
		require.ErrorAs(t, err, &invalid)
		require.Equal(t, path, invalid.Path)
	}
	_, _, err = (&bulk.Later{At: "2027-01-01T00:00"}).Changes(b, now+40*pricing.Day)
	require.ErrorContains(t, err, "hold already")
}
