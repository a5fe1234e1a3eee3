package pricing

import (
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
)

// Every piece is handed out once, whatever the number of goroutines, and a panic in one of them reaches whoever asked.
func TestWorkIsHandedOutOnceAndFailsAsAWhole(t *testing.T) {
	for _, n := range []int{0, 1, 7, 1000} {
		done := make([]atomic.Int32, n)
		handOut(n, 8, func(*lot) func(k int) { return func(k int) { done[k].Add(1) } })
		for k := range done {
			require.EqualValues(t, 1, done[k].Load())
		}
		covered := make([]atomic.Int32, n)
		InParallel(n, func(from, to int) {
			for k := from; k < to; k++ {
				covered[k].Add(1)
			}
		})
		for k := range covered {
			require.EqualValues(t, 1, covered[k].Load())
		}
	}
	// Whoever asked goes on only when all have ended, though one failed.
	var ended atomic.Int32
	require.Panics(t, func() {
		together(4, func(w int) {
			defer ended.Add(1)
			if w == 0 {
				panic("out of bounds")
			}
			time.Sleep(10 * time.Millisecond)
		})
	})
	require.EqualValues(t, 4, ended.Load())
	require.Panics(t, func() {
		InParallel(1000, func(int, int) { panic("out of bounds") })
	})
}
