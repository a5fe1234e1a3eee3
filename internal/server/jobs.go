package server

import (
	"context"
	"errors"
	"net/http"
	"slices"
	"sync"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"dogbane/internal/store"
)

// Job is long work that goes on after its request was answered.
type Job struct {
	ID      int64      `json:"id"`
	What    string     `json:"what"`
	State   string     `json:"state" enum:"running,done,failed,given-up"`
	Step    string     `json:"step" doc:"what is being done, in words"`
	Done    int        `json:"done"`
	Total   int        `json:"total"`
	Problem string     `json:"problem,omitempty"`
	Errors  []DocError `json:"errors,omitempty"`
	Saved   *Saved     `json:"saved,omitempty"`

	Checks []BrokenCheck `json:"checks,omitempty" doc:"what it would have broken, and nobody has seen"`
}

type runningJob struct {
	Job
	who   string
	stop  context.CancelFunc
	ended chan struct{}
}

// jobShelf keeps the newest jobs.
type jobShelf struct {
	mu   sync.Mutex
	next int64
	jobs []*runningJob
}

const (
	jobsKept = 50
	// jobPatience is how long a request waits for its job: most imports are small and done by then.
	jobPatience = 400 * time.Millisecond
)

func (s *Server) registerJobs(api huma.API) {
	huma.Get(api, "/api/jobs/{id}", func(ctx context.Context, in *struct {
		ID int64 `path:"id"`
	}) (*body[Job], error) {
		j := s.jobs.find(in.ID)
		if j == nil {
			return nil, asProblem(store.ErrNotFound)
		}
		return &body[Job]{s.jobs.now(j)}, nil
	})
	huma.Register(api, huma.Operation{Method: http.MethodDelete, Path: "/api/jobs/{id}"}, func(ctx context.Context, in *struct {
		ID int64 `path:"id"`
	}) (*body[Job], error) {
		j := s.jobs.find(in.ID)
		if j == nil {
			return nil, asProblem(store.ErrNotFound)
		}
		j.stop()
		<-j.ended
		return &body[Job]{s.jobs.now(j)}, nil
	})
}

func (b *jobShelf) find(id int64) *runningJob {
	b.mu.Lock()
	defer b.mu.Unlock()
	if i := slices.IndexFunc(b.jobs, func(j *runningJob) bool { return j.ID == id }); i >= 0 {
		return b.jobs[i]
	}
	return nil
}

// now is a copy of a job as it stands.
func (b *jobShelf) now(j *runningJob) Job {
	b.mu.Lock()
	defer b.mu.Unlock()
	return j.Job
}

// report tells how far a job has come.
type report func(step string, done, total int)

// begin starts a job in the name of whoever asks and answers it after a short wait, done or not. The work is given up
// when its context ends, and then must have changed nothing.
func (s *Server) begin(ctx context.Context, what string, work func(ctx context.Context, tell report) (Saved, error)) Job {
	b := &s.jobs
	b.mu.Lock()
	b.next++
	j := &runningJob{Job: Job{ID: b.next, What: what, State: "running"}, who: personOf(ctx).Name, ended: make(chan struct{})}
	if len(b.jobs) == jobsKept {
		b.jobs = slices.Delete(b.jobs, 0, 1)
	}
	b.jobs = append(b.jobs, j)
	b.mu.Unlock()
	var working context.Context
	working, j.stop = context.WithCancel(context.WithoutCancel(ctx))
	go func() {
		defer close(j.ended)
		defer j.stop()
		saved, err := work(working, func(step string, done, total int) {
			b.mu.Lock()
			defer b.mu.Unlock()
			j.Step, j.Done, j.Total = step, done, total
		})
		b.mu.Lock()
		defer b.mu.Unlock()
		switch {
		case err == nil:
			j.State, j.Saved = "done", &saved
		case errors.Is(err, context.Canceled):
			j.State, j.Problem = "given-up", "Given up; nothing was changed."
		default:
			j.State, j.Problem = "failed", jobProblem(err, &j.Job)
		}
	}()
	select {
	case <-j.ended:
	case <-time.After(jobPatience):
	}
	return b.now(j)
}

// jobProblem is an error as a problem document would say it.
func jobProblem(err error, j *Job) string {
	var e *huma.ErrorModel
	var breaks *Breaks
	err = asProblem(err)
	if errors.As(err, &breaks) {
		j.Checks = breaks.Checks
		return breaks.Detail
	}
	if !errors.As(err, &e) {
		return err.Error()
	}
	for _, d := range e.Errors {
		j.Errors = append(j.Errors, DocError{Path: d.Location, Problem: d.Message})
	}
	return e.Detail
}
