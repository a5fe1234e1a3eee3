package clock_test

import (
	"context"
	"errors"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"dogbane/internal/clock"
)

// A machine whose clock is ten minutes ahead learns so; an answer that took long, or none, changes nothing.
func TestAClockInCommon(t *testing.T) {
	noon := time.Date(2026, 12, 1, 12, 0, 0, 0, time.UTC)
	machine := noon.Add(10 * time.Minute)
	s := clock.Shared{Machine: func() time.Time { return machine }}
	require.NoError(t, s.Ask(t.Context(), func(context.Context) (time.Time, error) {
		machine = machine.Add(200 * time.Millisecond)
		return noon.Add(100 * time.Millisecond), nil
	}))
	require.Equal(t, -10*time.Minute, s.Off())
	require.NoError(t, s.Ask(t.Context(), func(context.Context) (time.Time, error) {
		machine = machine.Add(5 * time.Second)
		return noon, nil
	}))
	require.Equal(t, -10*time.Minute, s.Off(), "it took too long to say anything")
	require.Error(t, s.Ask(t.Context(), func(context.Context) (time.Time, error) { return noon, errors.New("away") }))
	require.Equal(t, -10*time.Minute, s.Off())
}
