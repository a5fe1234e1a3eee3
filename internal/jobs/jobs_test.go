package jobs_test

import (
	"context"
	"errors"
	"log/slog"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"dogbane/internal/book"
	"dogbane/internal/jobs"
)

// A job tells how far it is, how it ended and what it saved; one that takes longer than whoever asks has patience goes
// on.
func TestJobs(t *testing.T) {
	s := jobs.NewShelf(t.Context())
	quick := s.Begin("quick.csv", "maren", time.Minute, func(_ context.Context, tell jobs.Tell) (book.Entry, error) {
		tell("Writing", 3, 7)
		return book.Entry{ID: 9, Version: 4}, nil
	})
	require.Equal(t, jobs.Done, quick.State)
	require.EqualValues(t, 9, quick.Entry.ID)
	require.Equal(t, []int{3, 7}, []int{quick.Done, quick.Total})
	failed := s.Begin("bad.csv", "maren", time.Minute, func(context.Context, jobs.Tell) (book.Entry, error) {
		return book.Entry{}, errors.New("the disk is full")
	})
	require.Equal(t, jobs.Failed, failed.State)
	require.ErrorContains(t, failed.Err, "the disk is full")
	go1 := make(chan struct{})
	slow := s.Begin("slow.csv", "maren", 0, func(context.Context, jobs.Tell) (book.Entry,
		error) {
		<-go1
		return book.Entry{}, nil
	})
	require.Equal(t, jobs.Running, slow.State)
	close(go1)
	s.Wait()
	now, kept := s.Find(slow.ID)
	require.True(t, kept)
	require.Equal(t, jobs.Done, now.State)
	_, kept = s.Find(99)
	require.False(t, kept)
	_, kept = s.Stop(99)
	require.False(t, kept)
}

// A panic in a job is that job's failure, and nobody else's.
func TestAPanicInAJob(t *testing.T) {
	slog.SetDefault(slog.New(slog.DiscardHandler))
	s := jobs.NewShelf(t.Context())
	j := s.Begin("odd.csv", "maren", time.Minute, func(context.Context, jobs.Tell) (book.Entry, error) {
		panic("assignment to entry in nil map")
	})
	require.Equal(t, jobs.Failed, j.State)
	require.NotContains(t, j.Err.Error(), "nil map", "the log has the inside, whoever asks has not")
	again := s.Begin("fine.csv", "maren", time.Minute, func(context.Context, jobs.Tell) (book.Entry,
		error) {
		return book.Entry{}, nil
	})
	require.Equal(t, jobs.Done, again.State)
}

// A job ends when somebody gives it up, and when the program does; both leave nothing running.
func TestJobsAreGivenUp(t *testing.T) {
	ctx, stop := context.WithCancel(t.Context())
	s := jobs.NewShelf(ctx)
	until := func(ctx context.Context, _ jobs.Tell) (book.Entry, error) {
		<-ctx.Done()
		return book.Entry{}, ctx.Err()
	}
	first := s.Begin("first.csv", "maren", 0, until)
	second := s.Begin("second.csv", "wout", 0, until)
	ended, kept := s.Stop(first.ID)
	require.True(t, kept)
	require.Equal(t, jobs.GivenUp, ended.State)
	now, _ := s.Find(second.ID)
	require.Equal(t, jobs.Running, now.State)
	stop()
	s.Wait()
	now, _ = s.Find(second.ID)
	require.Equal(t, jobs.GivenUp, now.State)
}

// Only the newest jobs are kept.
func TestOldJobsAreForgotten(t *testing.T) {
	s := jobs.NewShelf(t.Context())
	var first, last jobs.Job
	wait := make(chan struct{})
	long := s.Begin("long.csv", "maren", 0, func(context.Context, jobs.Tell) (book.Entry, error) {
		<-wait
		return book.Entry{}, nil
	})
	for i := range 60 {
		j := s.Begin("a.csv", "maren", time.Minute, func(context.Context, jobs.Tell) (book.Entry,
			error) {
			return book.Entry{}, nil
		})
		if i == 0 {
			first = j
		}
		last = j
	}
	close(wait)
	_, kept := s.Find(long.ID)
	require.True(t, kept, "what runs is never forgotten")
	_, kept = s.Find(first.ID)
	require.False(t, kept)
	_, kept = s.Find(last.ID)
	require.True(t, kept)
}
