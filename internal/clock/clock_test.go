package clock_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"dogbane/internal/clock"
)

// A book that was set to another present goes on from there as fast as the machine, until it follows the machine again.
func TestTheBooksPresent(t *testing.T) {
	machine := time.Date(2031, 3, 30, 1, 30, 0, 0, time.UTC)
	b := clock.NewBook(func() time.Time { return machine })
	require.Equal(t, machine, b.Now())
	require.False(t, b.IsSet())
	demo := time.Date(2026, 11, 26, 9, 0, 0, 0, time.UTC)
	b.Set(demo)
	require.True(t, b.IsSet())
	require.Equal(t, demo, b.Now())
	machine = machine.Add(90 * time.Minute)
	require.Equal(t, demo.Add(90*time.Minute), b.Now())
	b.Follow()
	require.Equal(t, machine, b.Now())
}
