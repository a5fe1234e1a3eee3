package server

import (
	"context"
	"errors"
	"net/http"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"dogbane/internal/bookfile"
	"dogbane/internal/checks"
	"dogbane/internal/jobs"
	"dogbane/internal/store"
)

// Job is long work that goes on after its request was answered.
type Job struct {
	ID      int64            `json:"id"`
	What    string           `json:"what"`
	State   string           `json:"state" enum:"running,done,failed,given-up"`
	Step    string           `json:"step" doc:"what is being done, in words"`
	Done    int              `json:"done"`
	Total   int              `json:"total"`
	Problem string           `json:"problem,omitempty"`
	Errors  []bookfile.Error `json:"errors,omitempty"`
	Saved   *Saved           `json:"saved,omitempty"`
	Checks  []checks.Result  `json:"checks,omitempty" doc:"what it would have broken, and nobody has seen"`
}

// jobPatience is how long a request waits for its job.
const jobPatience = 400 * time.Millisecond

// JobQuery names a job.
type JobQuery struct {
	ID int64 `path:"id"`
}

func (s *Server) registerJobs(api huma.API) {
	get(api, "/api/jobs/{id}", func(_ context.Context, in *JobQuery) (Job, error) {
		return jobOf(s.Jobs.Find(in.ID))
	})
	answers(api, store.Manager, http.MethodDelete, "/api/jobs/{id}", func(_ context.Context, in *JobQuery) (Job, error) {
		return jobOf(s.Jobs.Stop(in.ID))
	})
}

// jobOf tells how a job stands.
func jobOf(j jobs.Job, kept bool) (Job, error) {
	if !kept {
		return Job{}, store.ErrNotFound
	}
	out := Job{ID: j.ID, What: j.What, State: string(j.State), Step: j.Step, Done: j.Done, Total: j.Total}
	switch j.State {
	case jobs.Done:
		s := saved(j.Entry)
		out.Saved = &s
	case jobs.GivenUp:
		out.Problem = "Given up; nothing was changed."
	case jobs.Failed:
		out.fail(j.Err)
	}
	return out, nil
}

// fail says what went wrong as a problem document would.
func (j *Job) fail(err error) {
	var e *huma.ErrorModel
	var broken *BrokenChecks
	err = asProblem(err)
	switch {
	case errors.As(err, &broken):
		j.Checks, j.Problem = broken.Checks, broken.Detail
	case errors.As(err, &e):
		j.Problem = e.Detail
		for _, d := range e.Errors {
			j.Errors = append(j.Errors, bookfile.Error{Path: d.Location, Problem: d.Message})
		}
	default:
		j.Problem = err.Error()
	}
}
