package jobs

import (
	"context"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
)

// A panic ends neither the program nor what it kept going; the end of ctx does, in a pause too.
func TestSteadily(t *testing.T) {
	defer func(was time.Duration) { pause = was }(pause)
	pause = time.Millisecond
	runs := 0
	Steadily(t.Context(), "three tries", func(context.Context) {
		if runs++; runs < 3 {
			panic("not yet")
		}
	})
	require.Equal(t, 3, runs)

	pause = time.Hour
	ctx, cancel := context.WithCancel(t.Context())
	Steadily(ctx, "a failure at the end", func(context.Context) {
		cancel()
		panic("the database is gone")
	})
}
