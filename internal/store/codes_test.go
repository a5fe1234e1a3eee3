package store_test

import (
	"fmt"
	"strings"
	"sync"
	"sync/atomic"
	"testing"

	"github.com/stretchr/testify/require"

	"dogbane/internal/book"
	"dogbane/internal/codes"
	"dogbane/internal/demo"
	"dogbane/internal/intake"
	"dogbane/internal/store"
)

// However many ask at once, in whatever order, no code and no offer is used more often than it goes, and each key counts
// once.
func TestUsesAreCountedOnce(t *testing.T) {
	s, _ := openedWith(t, demo.Book(0))
	seven, two, stock := 7, 2, 11
	bounds := codes.Bounds{Uses: &seven, UsesPerCustomer: &two, Stock: &stock}
	var counted, again, refused atomic.Int64
	var all sync.WaitGroup
	for worker := range 8 {
		all.Go(func() {
			for i := range 30 {
				n := (worker*7 + i*13) % 40 // the same keys from several at once
				u := codes.Use{Channel: "web", Key: fmt.Sprintf("order %d <&>", n), Rule: "R", Code: fmt.Sprintf("CODE-%d", n%3),
					Customer: fmt.Sprintf("C-%d", n%5), Applications: 1, Content: fmt.Sprint(n), At: then}
				_, was, err := s.Redeem(t.Context(), u, bounds)
				var used *codes.UsedUpError
				switch {
				case err == nil && was:
					again.Add(1)
				case err == nil:
					counted.Add(1)
				default:
					require.ErrorAs(t, err, &used)
					refused.Add(1)
				}
			}
		})
	}
	all.Wait()
	require.EqualValues(t, 11, counted.Load(), "what the stock allows")
	require.Positive(t, again.Load())
	require.Positive(t, refused.Load())
	used, err := s.Uses(t.Context(), []string{"CODE-0", "CODE-1", "CODE-2"}, "C-1")
	require.NoError(t, err)
	require.Equal(t, 11, used["R"].Total)
	sum := 0
	for _, u := range used["R"].Codes {
		require.LessOrEqual(t, u.Total, 7)
		require.LessOrEqual(t, u.Customer, 2)
		sum += u.Total
	}
	require.Equal(t, 11, sum)
	kept, err := s.Redemptions(t.Context(), "R", "", 100)
	require.NoError(t, err)
	require.Len(t, kept, 11, "what was refused left nothing")
	for _, k := range kept {
		require.NoError(t, s.GiveBack(t.Context(), "web", k.Key, then))
		require.NoError(t, s.GiveBack(t.Context(), "web", k.Key, then), "again changes nothing")
	}
	used, err = s.Uses(t.Context(), []string{"CODE-0", "CODE-1", "CODE-2"}, "C-1")
	require.NoError(t, err)
	require.Zero(t, used["R"].Total)
	require.Zero(t, used["R"].Codes["CODE-0"].Total)
	require.ErrorIs(t, s.GiveBack(t.Context(), "quay", kept[0].Key, then), store.ErrNotFound, "another channel's")
	_, _, err = s.Redeem(t.Context(), codes.Use{Channel: "web", Key: kept[0].Key, Rule: "R", Content: "other"}, bounds)
	var other *codes.OtherUseError
	require.ErrorAs(t, err, &other)
}

// An order that cannot be whole leaves nothing; a cancelled one gives all of it back.
func TestOrdersAreWholeOrNothing(t *testing.T) {
	s, _ := openedWith(t, demo.Book(0))
	one := 1
	line := intake.SoldLine{Moment: 1000, Customer: "C-01", SKU: "BAT-30", Quantity: 2, Paid: "20.00", Channel: "web"}
	place := func(key, content string) (bool, error) {
		use := func(rule, word string) codes.Use {
			return codes.Use{Channel: "web", Key: store.OrderUse(key, rule), Rule: rule, Code: word, Applications: 1, Content: content,
				At: then}
		}
		uses := []store.Counted{{Use: use("FREE", "")}}
		if content != "free" {
			uses = append(uses, store.Counted{Use: use("R", "WORD"), Bounds: codes.Bounds{Uses: &one}})
		}
		return s.PlaceOrder(t.Context(), &store.Order{Channel: "web", Key: key, Content: content, Answer: `{"n":1}`, At: then},
			"Orders", []intake.SoldLine{line}, uses)
	}
	again, err := place("a_%", "1")
	require.NoError(t, err)
	require.False(t, again)
	again, err = place("a_%", "1")
	require.NoError(t, err)
	require.True(t, again)
	_, err = place("a_%", "2")
	var other *codes.OtherUseError
	require.ErrorAs(t, err, &other)
	_, err = place("abc", "1")
	var used *codes.UsedUpError
	require.ErrorAs(t, err, &used)
	bought, err := s.Purchases(t.Context(), "C-01", book.Bought{})
	require.NoError(t, err)
	require.Len(t, bought.List, 1)
	free, err := s.Redemptions(t.Context(), "FREE", "", 10)
	require.NoError(t, err)
	require.Len(t, free, 1)
	require.NoError(t, s.CancelOrder(t.Context(), "web", "a_%", then))
	bought, err = s.Purchases(t.Context(), "C-01", bought)
	require.NoError(t, err)
	require.Empty(t, bought.List)
	_, err = place("abc", "3")
	require.NoError(t, err, "the code is free again")
	_, err = place("abc / x", "free")
	require.NoError(t, err)
	require.NoError(t, s.CancelOrder(t.Context(), "web", "abc", then))
	free, err = s.Redemptions(t.Context(), "FREE", "", 1)
	require.NoError(t, err)
	require.Nil(t, free[0].GivenBack, "an order whose key begins as that of the cancelled one keeps its uses")
}

// Of 100,000 words one is found, a page is read and what is no word is found in none.
func TestManyCodes(t *testing.T) {
	s, _ := openedWith(t, demo.Book(0))
	words, err := (&codes.Batch{Length: 9, Count: 100_000}).Make()
	require.NoError(t, err)
	added, err := s.AddCodes(t.Context(), "R", words, "me", then)
	require.NoError(t, err)
	require.Equal(t, 100_000, added)
	added, err = s.AddCodes(t.Context(), "R", words[:10], "me", then)
	require.NoError(t, err)
	require.Zero(t, added)
	rules, err := s.CodeRules(t.Context(), []string{words[70_000], "NOT-THERE", "ünïcode 🎁", strings.ToLower(words[0])})
	require.NoError(t, err)
	require.Equal(t, map[string][]string{words[70_000]: {"R"}}, rules)
	page, err := s.Codes(t.Context(), "R", words[5][2:7], "", false, 100)
	require.NoError(t, err)
	require.NotEmpty(t, page)
	dropped, err := s.DropCodes(t.Context(), "R", nil)
	require.NoError(t, err)
	require.Equal(t, 100_000, dropped)
}

// One of 100,000 words is looked up as fast as one of ten.
func BenchmarkCodeRules(b *testing.B) {
	s, _ := openedWith(b, demo.Book(0))
	for _, count := range []int{10, 100_000} {
		words, err := (&codes.Batch{Length: 9, Count: count}).Make()
		require.NoError(b, err)
		_, err = s.AddCodes(b.Context(), "R", words, "me", then)
		require.NoError(b, err)
		b.Run(fmt.Sprint(count), func(b *testing.B) {
			for i := 0; b.Loop(); i++ {
				found, err := s.CodeRules(b.Context(), words[i*7919%count:][:1])
				require.NoError(b, err)
				require.Len(b, found, 1)
			}
		})
	}
}
