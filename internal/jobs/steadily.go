package jobs

import (
	"context"
	"fmt"
	"log/slog"
	"runtime/debug"
	"time"
)

// pause is how long Steadily waits after a panic.
var pause = 5 * time.Second

// Steadily keeps something going until ctx ends, which is when run returns. A panic in it is logged, and it is begun
// anew after a pause: what goes on beside requests ends no program.
func Steadily(ctx context.Context, what string, run func(ctx context.Context)) {
	for !finished(ctx, what, run) {
		select {
		case <-ctx.Done():
			return
		case <-time.After(pause):
		}
	}
}

// finished says whether run returned by itself.
func finished(ctx context.Context, what string, run func(ctx context.Context)) (returned bool) {
	defer func() {
		if r := recover(); r != nil {
			slog.Error("ended unexpectedly and is begun anew", "what", what, "panic", fmt.Sprint(r), "stack",
				string(debug.Stack()))
		}
	}()
	run(ctx)
	return true
}
