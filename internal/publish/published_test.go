package publish_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/require"

	"dogbane/internal/book"
	"dogbane/internal/pricing"
	"dogbane/internal/publish"
	"dogbane/internal/publish/pieces"
)

// What many publications brought becomes a book of its own when the published one is read anew: it stays the same,
// and the newest of them can still be taken back.
func TestALongHistoryIsShortened(t *testing.T) {
	defer publish.Shortened(20, 10)()
	o := opened(t, shop)
	o.publishes(publish.Wish{})
	for i := range 25 {
		o.setList("B", fmt.Sprintf("%d.00", 21+i))
		o.publishes(publish.Wish{})
	}
	o.setList("C", "99.00") // saved, and not published
	price := func() string {
		e, err := o.desk.Published(t.Context(), o.live.Current(), "web")
		require.NoError(t, err)
		require.Len(t, e.Pieces, 1)
		a, err := e.Engine.Price(pricing.Question{SKU: "B", Viewpoint: pricing.Viewpoint{Channel: "web",
			At: o.live.Current().Moment(o.clock())}})
		require.NoError(t, err)
		return a.Unit.Fixed(2)
	}
	require.Equal(t, "45.00", price())
	before, err := o.store.PublishedBy(t.Context(), "web")
	require.NoError(t, err)
	require.Len(t, before, 25)
	other := o.desk // another instance, which does not know of it
	o.another()
	require.Equal(t, "45.00", price())
	after, err := o.store.PublishedBy(t.Context(), "web")
	require.NoError(t, err)
	require.Equal(t, before[15:], after)
	o.another()
	require.Equal(t, "45.00", price(), "read anew it is the same")

	back, err := o.desk.TakeBack(t.Context(), o.live.Current(), before[24], "me")
	require.NoError(t, err)
	o.sends(back)
	e, err := other.Published(t.Context(), o.live.Current(), "web")
	require.NoError(t, err)
	require.Len(t, e.Pieces, 2)
	require.Equal(t, "44.00", e.Book.Products[1].List.Fixed(2))
	require.Equal(t, "B", e.Book.Products[1].SKU)
	_, err = o.desk.TakeBack(t.Context(), o.live.Current(), before[3], "me")
	require.ErrorIs(t, err, publish.ErrNothing, "nothing stems from it any more")
	require.True(t, e.Held[pieces.Key{Kind: book.Products, Code: "B"}])
}
