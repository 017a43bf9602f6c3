package client

import (
	"context"
	"fmt"
	"net/http"
	"strconv"

	"nimbusreach/client/wire"
)

// Tell hears how far a job is, each time it has moved; nil hears nothing.
type Tell func(*wire.Job)

// Stopped is a job that somebody stopped. What it had done stays, and ResumeJob lets it go on.
type Stopped struct{ Job *wire.Job }

func (e *Stopped) Error() string {
	return fmt.Sprintf("job %d (%s) was stopped with %d of %d done", e.Job.ID, e.Job.Kind, e.Job.Done, e.Job.Total)
}

// followWait is how many seconds one question after a job waits for news.
const followWait = 20

// Follow waits for a job to end. One that failed gives its problem as the error, one that was stopped a
// *Stopped. When the context ends the job goes on.
func (c *Client) Follow(ctx context.Context, j *wire.Job, tell Tell) (*wire.Job, error) {
	for {
		if tell != nil {
			tell(j)
		}
		switch {
		case j.Problem != nil:
			return j, &Error{*j.Problem}
		case j.State == "stopped":
			return j, &Stopped{j}
		case j.Ended != nil:
			return j, nil
		}
		next := &wire.Job{}
		path := fmt.Sprintf("%s?wait=%d&since=%d", jobAt(j.ID), followWait, j.Done)
		if err := c.send(ctx, http.MethodGet, path, nil, next); err != nil {
			return j, err
		}
		j = next
	}
}

func jobAt(id uint64) string { return at("jobs", strconv.FormatUint(id, 10)) }

// Job reads a job as it is.
func (c *Client) Job(ctx context.Context, id uint64) (*wire.Job, error) {
	var j wire.Job
	return &j, c.send(ctx, http.MethodGet, jobAt(id), nil, &j)
}

// Jobs lists a course's newest jobs.
func (c *Client) Jobs(ctx context.Context, course string) (*wire.Jobs, error) {
	var list wire.Jobs
	return &list, c.send(ctx, http.MethodGet, at("courses", course, "jobs"), nil, &list)
}

// StopJob asks a job to stop. What it has done stays.
func (c *Client) StopJob(ctx context.Context, id uint64) (*wire.Job, error) {
	var j wire.Job
	return &j, c.send(ctx, http.MethodDelete, jobAt(id), nil, &j)
}

// ResumeJob lets a job go on that was stopped.
func (c *Client) ResumeJob(ctx context.Context, id uint64) (*wire.Job, error) {
	var j wire.Job
	return &j, c.send(ctx, http.MethodPost, jobAt(id)+"/resume", nil, &j)
}

// Recheck begins to check attempts again by the current revision: those at some exercises, or all. keep lets the better
// of both verdicts count for the grade.
func (c *Client) Recheck(ctx context.Context, course string, exercises []string, keep bool) (*wire.Job, error) {
	var j wire.Job
	return &j, c.send(ctx, http.MethodPost, at("courses", course, "recheck"), wire.Recheck{Exercises: exercises,
		KeepBetter: keep}, &j)
}
