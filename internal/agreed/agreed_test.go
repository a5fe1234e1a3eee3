package agreed_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"dogbane/internal/agreed"
	"dogbane/internal/book"
	"dogbane/internal/book/booktest"
	"dogbane/internal/money"
	"dogbane/internal/pricing"
)

const goods = `{"settings":{"currency":"EUR","timeZone":"UTC"},"customers":[{"code":"C-1","name":"Müller <GmbH>"},{"code":"C2"}],
	"products":[{"sku":"A","list":"10.00","levels":{"B":"9.00"}},{"sku":"a/b","list":"20.00"},{"sku":"طين","list":"30.00"}],
	"rules":[{"code":"OWN","layer":"promotion","rank":1,"where":{"sku":"A"},"audience":{"customers":["C-1"]},"effect":{"percentOff":"50"}}]}`

func price(text string) *money.Rat {
	a := money.MustParse(text)
	return &a
}

func set(t *testing.T, live *book.Live, prices agreed.Prices) book.Entry {
	t.Helper()
	changes, err := agreed.Set(live.Current().Book, prices)
	require.NoError(t, err)
	return booktest.Save(t, live, changes...)
}

func pays(t *testing.T, live *book.Live, customer, sku string) string {
	t.Helper()
	a, err := live.Current().Engine.Price(pricing.Question{Viewpoint: pricing.Viewpoint{Customer: customer, Quantity: 1},
		SKU: sku})
	require.NoError(t, err)
	return a.Unit.Fixed(2)
}

// What is agreed with customers is what they pay, and nobody else; other levels of the goods stay; ending the last of
// it takes the rule away; one undo takes everything back.
func TestAgreedPrices(t *testing.T) {
	live, _ := booktest.Live(t, booktest.Read(t, goods))
	before := live.Current().Book
	first := set(t, live, agreed.Prices{"C-1": {"a/b": price("15.50"), "طين": price("29.99")},
		"C2": {"a/b": price("19.00")}})
	require.Equal(t, []string{"15.50", "29.99", "19.00", "30.00", "20.00"},
		[]string{pays(t, live, "C-1", "a/b"), pays(t, live, "C-1", "طين"),
			pays(t, live, "C2", "a/b"), pays(t, live, "C2", "طين"), pays(t, live, "", "a/b")})
	rule := agreed.Rule(live.Current().Book, "C-1")
	require.Equal(t, "Agreed with Müller <GmbH>", rule.Name)
	require.Len(t, live.Current().Book.Rules, 3)

	set(t, live, agreed.Prices{"C-1": {"A": price("8.00"), "a/b": nil}})
	require.Equal(t, "20.00", pays(t, live, "C-1", "a/b"))
	require.Equal(t, "9", live.Current().Product("A").Levels["B"].String())
	list, err := agreed.Of(live.Current(), "C-1", 0)
	require.NoError(t, err)
	require.Equal(t, []string{"A", "8.00", "4.00"}, []string{list.Prices[0].SKU, list.Prices[0].Price,
		*list.Prices[0].Pays})
	require.Len(t, list.Prices, 2)
	require.Equal(t, "OWN", list.Rules[0].Code)

	cmp, err := agreed.Compare(live.Current(), "C-1", "A", money.MustParse("10.01"), 0)
	require.NoError(t, err)
	require.True(t, cmp.Dearer)
	require.Equal(t, "10.00", *cmp.Group)
	cmp, err = agreed.Compare(live.Current(), "C-1", "A", money.MustParse("10.00"), 0)
	require.NoError(t, err)
	require.False(t, cmp.Dearer, "the same is not dearer")
	fix := func(on bool) {
		change, err := agreed.Fix(live.Current().Book, "C-1", on)
		require.NoError(t, err)
		booktest.Save(t, live, change)
		list, err := agreed.Of(live.Current(), "C-1", 0)
		require.NoError(t, err)
		require.Equal(t, on, list.Fixed)
	}
	fix(true)
	require.Equal(t, "8.00", pays(t, live, "C-1", "A"), "no promotion comes after")
	set(t, live, agreed.Prices{"C-1": {"طين": price("31.00")}})
	require.Equal(t, "31.00", pays(t, live, "C-1", "طين"), "a lower price is raised to it, and what is added stays fixed")
	fix(false)
	require.Equal(t, "4.00", pays(t, live, "C-1", "A"))
	require.Equal(t, "30.00", pays(t, live, "C-1", "طين"))
	set(t, live, agreed.Prices{"C-1": {"طين": price("29.99")}})

	gone := set(t, live, agreed.Prices{"C-1": {"A": nil, "طين": nil}})
	require.Nil(t, agreed.Rule(live.Current().Book, "C-1"))
	changes, err := agreed.Set(live.Current().Book, agreed.Prices{"C-1": {"A": nil}, "C2": {"a/b": price("19")}})
	require.NoError(t, err)
	require.Empty(t, changes, "the same again changes nothing")
	_, err = live.Undo(t.Context(), gone.ID, "me", time.Time{}, true)
	require.NoError(t, err)
	require.Equal(t, "29.99", pays(t, live, "C-1", "طين"))
	require.NotZero(t, first.ID)
	require.NotEqual(t, before, live.Current().Book)

	_, err = agreed.Set(live.Current().Book, agreed.Prices{"nobody": {"A": price("1")}})
	require.ErrorIs(t, err, book.ErrNotFound)
	_, err = agreed.Of(live.Current(), "nobody", 0)
	require.ErrorIs(t, err, book.ErrNotFound)
	_, err = agreed.Compare(live.Current(), "nobody", "A", money.MustParse("1"), 0)
	require.ErrorIs(t, err, book.ErrNotFound)
	_, err = agreed.Fix(before, "C-1", true)
	require.ErrorIs(t, err, book.ErrNotFound, "nothing is agreed there")
}
