package board_test

import (
	"context"
	"testing"

	"github.com/stretchr/testify/require"

	"dogbane/internal/board"
	"dogbane/internal/book"
	"dogbane/internal/book/booktest"
	"dogbane/internal/pricing"
	"dogbane/internal/pricing/pricingtest"
)

// BenchmarkLook measures a board of 100,000 products whose sweeps are at hand, narrowed in the ways that there are.
// Baseline in the same run: the whole of it.
func BenchmarkLook(b *testing.B) {
	large := pricingtest.Large(100_000)
	snap := booktest.Snapshot(b, large)
	nobody := book.NewBuyers(func(context.Context, string, book.Bought) (book.Bought, error) { return book.Bought{}, nil })
	boards := board.New(board.NewSweeps(), nobody,
		func(context.Context, *book.Snapshot, string, int) (board.Prices, error) {
			return func(int32) (int64, bool) { return 0, false }, nil
		})
	vp := pricing.Viewpoint{At: pricingtest.Noon, Quantity: 1}
	if len(large.Channels) > 0 {
		vp.Channel = large.Channels[0].Code
	}
	for _, c := range []struct {
		name string
		f    board.Filter
	}{
		{"whole", board.Filter{}},
		{"margin", board.Filter{Margin: ":10"}},
		{"margin-in-any-channel", board.Filter{Margin: ":10", AnyMargin: true}},
		{"unruled", board.Filter{Reach: board.Unchanged}},
		{"unselected", board.Filter{Reach: board.Unselected}},
		{"tags", board.Filter{Tags: []string{"t1"}}},
		{"everything", board.Filter{Margin: ":30", AnyMargin: true, Reach: board.Changed, Stock: "1:", Sold: ":50", First: 500}},
	} {
		b.Run(c.name, func(b *testing.B) {
			c.f.Viewpoint = vp
			for b.Loop() {
				_, err := boards.Look(b.Context(), snap, c.f, board.Order{Key: "margin"})
				require.NoError(b, err)
			}
		})
	}
}
