package api

import (
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"strconv"
	"time"

	"nimbusreach/client/wire"
	"nimbusreach/internal/service/access"
	"nimbusreach/internal/service/desk"
	"nimbusreach/internal/service/jobs"
	"nimbusreach/internal/service/store"
)

// usualWait is how many seconds a request waits for the job that it began.
const usualWait = 30

// begin stores a job and waits for it a while. What has come of it by then is the answer; else it is the
// job, to be asked for again.
func (r *request) begin(j *store.Job) error {
	wait, err := r.number("wait", usualWait, 0, longestWait)
	if err != nil {
		return err
	}
	j.Course, j.PersonID = r.Params("course"), r.who.Person.ID
	if c, err := r.Store.CourseBySlug(r.Context(), j.Course); err == nil {
		j.CourseID = &c.ID
	} else if !errors.Is(err, store.ErrNotFound) {
		return err
	}
	listener, end := r.Hub.ListenJobs()
	defer end()
	if err := r.Store.AddJob(r.Context(), j, jobs.MostUnderWay); err != nil {
		if p := jobs.Problem(err); p != nil {
			return &failure{Problem: *p, after: 2 * time.Second}
		}
		return err
	}
	j, err = r.ended(j.ID, wait, listener)
	if err != nil {
		return err
	}
	out, err := jobOf(j)
	if err != nil {
		return err
	}
	switch {
	case out.Problem != nil:
		return &failure{Problem: *out.Problem}
	case j.State != store.JobDone:
		r.Set("Location", jobAddress(j.ID))
		r.Status(http.StatusAccepted)
		return r.JSON(out)
	case out.Draft != nil:
		return r.JSON(out.Draft)
	case out.Rechecked != nil:
		return r.JSON(out.Rechecked)
	}
	if !out.Published.Preview {
		r.Set("Location", "/api/v1/courses/"+url.PathEscape(j.Course))
	}
	if out.Published.Revision > 0 {
		r.revisionTag(out.Published.Revision)
	}
	return r.JSON(out.Published)
}

func jobAddress(id uint64) string { return "/api/v1/jobs/" + strconv.FormatUint(id, 10) }

// ended waits some seconds for a job to end, and gives it as it is then.
func (r *request) ended(id, seconds uint64, listener *desk.Listener) (*store.Job, error) {
	deadline := time.After(time.Duration(seconds) * time.Second)
	for {
		j, err := r.Store.JobByID(r.Context(), id)
		if err != nil || seconds == 0 || j.State.Ended() {
			return j, err
		}
		if !r.news(listener, id, deadline) {
			seconds = 0
		}
	}
}

// news blocks until something is heard of a job; false when time is up.
func (r *request) news(l *desk.Listener, job uint64, deadline <-chan time.Time) bool {
	for {
		select {
		case e := <-l.Events:
			if e.Job == nil || *e.Job == job {
				return true
			}
		case <-deadline:
			return false
		case <-r.server.closing:
			return false
		}
	}
}

// jobOf is a job as clients see it.
func jobOf(j *store.Job) (*wire.Job, error) {
	out := &wire.Job{ID: j.ID, Kind: j.Kind, Course: j.Course, State: string(j.State), Stage: j.Stage, Done: j.Done,
		Total: j.Total, Created: j.CreatedAt, Ended: j.EndedAt}
	if j.State == store.JobFailed && j.Answer == nil {
		out.Problem = &wire.Problem{Type: wire.ProblemType + "fault", Title: "A fault of ours",
			Status: http.StatusInternalServerError, Detail: "The processes that worked at it ended, each time.",
			Hint: "tell the operator the job's number, " + fmt.Sprint(j.ID)}
	}
	if j.Answer == nil || !j.State.Ended() {
		return out, nil
	}
	var into any
	switch {
	case j.State == store.JobFailed:
		out.Problem = &wire.Problem{}
		into = out.Problem
	case j.Kind == jobs.Probe:
		out.Draft = &wire.Draft{}
		into = out.Draft
	case j.Kind == jobs.Recheck:
		out.Rechecked = &wire.Rechecked{}
		into = out.Rechecked
	default:
		out.Published = &wire.Published{}
		into = out.Published
	}
	return out, json.Unmarshal([]byte(*j.Answer), into)
}

// job finds the job of a request, when it is one's own or of a course that one authors.
func (r *request) job() (*store.Job, error) {
	id, err := strconv.ParseUint(r.Params("job"), 10, 64)
	if err != nil {
		return nil, store.ErrNotFound
	}
	j, err := r.Store.JobByID(r.Context(), id)
	if err != nil || j.PersonID == r.who.Person.ID {
		return j, err
	}
	if _, _, err := r.Gate.Course(r.Context(), r.who, j.Course, access.Author); err != nil {
		if errors.Is(err, access.ErrForbidden) {
			err = store.ErrNotFound
		}
		return nil, err
	}
	return j, nil
}

func oneJob(r *request) error {
	j, err := r.job()
	if err != nil {
		return err
	}
	wait, err := r.number("wait", 0, 0, longestWait)
	if err != nil {
		return err
	}
	since, err := r.number("since", 0, 0, 1<<62)
	if err != nil {
		return err
	}
	listener, end := r.Hub.ListenJobs()
	defer end()
	deadline := time.After(time.Duration(wait) * time.Second)
	for wait > 0 && !j.State.Ended() && uint64(j.Done) == since {
		if !r.news(listener, j.ID, deadline) {
			wait = 0
		}
		if j, err = r.Store.JobByID(r.Context(), j.ID); err != nil {
			return err
		}
	}
	return r.answerJob(j)
}

func (r *request) answerJob(j *store.Job) error {
	out, err := jobOf(j)
	if err != nil {
		return err
	}
	return r.JSON(out)
}

// stopJob asks a job to stop. What it has done stays.
func stopJob(r *request) error {
	j, err := r.job()
	if err != nil {
		return err
	}
	if err := r.Store.StopJob(r.Context(), j); err != nil {
		return err
	}
	listener, end := r.Hub.ListenJobs()
	defer end()
	if j, err = r.ended(j.ID, 2, listener); err != nil {
		return err
	}
	return r.answerJob(j)
}

// resumeJob lets a job go on that was stopped.
func resumeJob(r *request) error {
	j, err := r.job()
	if err != nil {
		return err
	}
	resumed, err := r.Store.ResumeJob(r.Context(), j)
	if err != nil {
		return err
	}
	if !resumed {
		return fail(http.StatusConflict, "job", "The job cannot go on", fmt.Sprintf("It is %s.", j.State),
			"a job that was stopped can; begin a new one for the rest")
	}
	if j, err = r.Store.JobByID(r.Context(), j.ID); err != nil {
		return err
	}
	return r.answerJob(j)
}

// jobsShown is how many jobs of a course are listed.
const jobsShown = 20

func courseJobs(r *request) error {
	c, _, err := r.Gate.Course(r.Context(), r.who, r.Params("course"), access.Author)
	if err != nil {
		return err
	}
	list, err := r.Store.JobsOf(r.Context(), c.Slug, jobsShown)
	if err != nil {
		return err
	}
	out := wire.Jobs{Jobs: []wire.Job{}}
	for i := range list {
		j, err := jobOf(&list[i])
		if err != nil {
			return err
		}
		out.Jobs = append(out.Jobs, *j)
	}
	return r.JSON(out)
}

// recheck checks attempts again by the current revision.
func recheck(r *request) error {
	c, _, content, err := r.opened(access.Author)
	if err != nil {
		return err
	}
	var in wire.Recheck
	if err := r.json(&in); err != nil {
		return err
	}
	for _, name := range in.Exercises {
		if content.Find(name) == nil {
			return &access.Unfit{Field: "exercises", Message: fmt.Sprintf("the course has no exercise %q", name),
				Hint: "name some of its exercises, or none for all of them"}
		}
	}
	if len(in.Exercises) == 0 {
		for _, e := range content.Exercises {
			in.Exercises = append(in.Exercises, e.Name)
		}
	}
	number, err := r.Store.RevisionNumber(r.Context(), *c.CurrentRevisionID)
	if err != nil {
		return err
	}
	j, err := jobs.AddRecheck(r.Context(), r.Store, r.who.Person.ID, c, jobs.RecheckArgs{Revision: *c.CurrentRevisionID,
		Number: number, Exercises: in.Exercises, Keep: in.KeepBetter})
	if p := jobs.Problem(err); p != nil {
		return &failure{Problem: *p, after: 2 * time.Second}
	}
	if err != nil {
		return err
	}
	r.Set("Location", jobAddress(j.ID))
	return r.answerJob(j)
}
