// Package jobs is long work that goes on after whoever asked for it was answered. A job belongs to the program: its
// context ends with the program's, a panic in it is its failure, and the program waits for it. What it does is told by
// its caller.
package jobs

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"runtime/debug"
	"slices"
	"sync"
	"time"

	"dogbane/internal/book"
)

// State is where a job stands.
type State string

// The states.
const (
	Running State = "running"
	Done    State = "done"
	Failed  State = "failed"
	GivenUp State = "given-up" // nothing was changed
)

// Job is one as it stands.
type Job struct {
	ID          int64
	What, Who   string
	State       State
	Step        string // what is being done, in words
	Done, Total int
	Entry       book.Entry // what was saved, where it is done
	Err         error      // why it failed
}

// Tell says how far a job has come.
type Tell func(step string, done, total int)

// Work does a job. It is given up when its context ends, and then must have changed nothing.
type Work func(ctx context.Context, tell Tell) (book.Entry, error)

// Shelf keeps the newest jobs.
type Shelf struct {
	ctx   context.Context
	under sync.WaitGroup // jobs under way

	mu   sync.Mutex // guards the rest, and every job
	next int64
	jobs []*running
}

type running struct {
	Job
	stop  context.CancelFunc
	ended chan struct{}
}

const kept = 50

// NewShelf keeps jobs that end, at the latest, with ctx.
func NewShelf(ctx context.Context) *Shelf { return &Shelf{ctx: ctx} }

// Wait returns when no job is under way.
func (s *Shelf) Wait() { s.under.Wait() }

// Begin starts a job in somebody's name and tells how it stands after at most some patience: most are small and done by
// then.
func (s *Shelf) Begin(what, who string, patience time.Duration, work Work) Job {
	ctx, stop := context.WithCancel(s.ctx)
	s.mu.Lock()
	s.next++
	j := &running{Job: Job{ID: s.next, What: what, Who: who, State: Running}, stop: stop, ended: make(chan struct{})}
	if len(s.jobs) >= kept { // the oldest that has ended; whoever waits for one that runs finds it
		if i := slices.IndexFunc(s.jobs, func(j *running) bool { return j.State != Running }); i >= 0 {
			s.jobs = slices.Delete(s.jobs, i, i+1)
		}
	}
	s.jobs = append(s.jobs, j)
	s.mu.Unlock()
	s.under.Go(func() {
		defer close(j.ended)
		defer stop()
		entry, err := done(ctx, j.ID, work, func(step string, done, total int) {
			s.mu.Lock()
			defer s.mu.Unlock()
			j.Step, j.Done, j.Total = step, done, total
		})
		s.mu.Lock()
		defer s.mu.Unlock()
		switch {
		case err == nil:
			j.State, j.Entry = Done, entry
		case errors.Is(err, context.Canceled):
			j.State = GivenUp
		default:
			j.State, j.Err = Failed, err
		}
	})
	select {
	case <-j.ended:
	case <-time.After(patience):
	}
	return s.now(j)
}

// done does the work; a panic in it is an error.
func done(ctx context.Context, id int64, work Work, tell Tell) (entry book.Entry, err error) {
	defer func() {
		if r := recover(); r != nil {
			slog.Error("a job failed unexpectedly", "job", id, "panic", fmt.Sprint(r), "stack", string(debug.Stack()))
			err = fmt.Errorf("job %d failed unexpectedly", id)
		}
	}()
	return work(ctx, tell)
}

// now is a copy of a job as it stands.
func (s *Shelf) now(j *running) Job {
	s.mu.Lock()
	defer s.mu.Unlock()
	return j.Job
}

func (s *Shelf) find(id int64) *running {
	s.mu.Lock()
	defer s.mu.Unlock()
	if i := slices.IndexFunc(s.jobs, func(j *running) bool { return j.ID == id }); i >= 0 {
		return s.jobs[i]
	}
	return nil
}

// Find is a job as it stands; false where it is not kept.
func (s *Shelf) Find(id int64) (Job, bool) {
	j := s.find(id)
	if j == nil {
		return Job{}, false
	}
	return s.now(j), true
}

// Stop gives a job up and tells how it ended; false where it is not kept.
func (s *Shelf) Stop(id int64) (Job, bool) {
	j := s.find(id)
	if j == nil {
		return Job{}, false
	}
	j.stop()
	<-j.ended
	return s.now(j), true
}
