package store

import (
	"context"
	"errors"
	"time"

	"gorm.io/gorm"
)

// JobState says where a job is.
type JobState string

// The states of a job. Failed means that it ended with a problem; stopped that somebody stopped it, and
// that it may go on from where it was.
const (
	JobWaiting JobState = "waiting"
	JobRunning JobState = "running"
	JobDone    JobState = "done"
	JobFailed  JobState = "failed"
	JobStopped JobState = "stopped"
)

// Ended reports whether nothing more comes of a job by itself.
func (s JobState) Ended() bool { return s != JobWaiting && s != JobRunning }

// Job is long work that any process takes up, with how far it is and what came of it.
type Job struct {
	ID        uint64
	Kind      string
	Course    string // its name in addresses
	CourseID  *uint64
	PersonID  uint64
	State     JobState
	Owner     string // the process that runs it
	BeatAt    time.Time
	Stop      bool // it was asked to stop
	Tries     int  // how often it was taken up
	Stage     string
	Done      int64
	Total     int64
	Args      string // as JSON
	Input     []byte
	Reached   string  // where to go on, as the kind of job has it
	Status    int     // of the answer, as HTTP has it
	Answer    *string // as JSON: what came of it, or the problem
	CreatedAt time.Time
	EndedAt   *time.Time
}

const jobColumns = "id, kind, course, course_id, person_id, state, owner, beat_at, stop, tries, stage, done, total, " +
	"args, reached, status, answer, created_at, ended_at"

// ErrTooManyJobs says that a person has as many jobs under way as are taken.
var ErrTooManyJobs = errors.New("too many jobs are under way")

// AddJob stores a job that waits to be taken up, unless the person has so many under way.
func (s *Store) AddJob(ctx context.Context, j *Job, most int) error {
	return s.tx(ctx, func(tx *gorm.DB) error {
		var open []uint64
		err := tx.Raw("SELECT id FROM jobs FORCE INDEX (jobs_line) WHERE state IN ('waiting', 'running') AND person_id = ? "+
			"LIMIT ?", j.PersonID, most).Scan(&open).Error
		if err != nil {
			return err
		}
		if len(open) >= most {
			return ErrTooManyJobs
		}
		j.ID, j.State, j.CreatedAt = 0, JobWaiting, s.now()
		j.BeatAt = j.CreatedAt
		if err := tx.Create(j).Error; err != nil {
			return err
		}
		return s.jobChanged(tx, j)
	})
}

// jobChanged tells every process of a job.
func (s *Store) jobChanged(tx *gorm.DB, j *Job) error {
	return tx.Create(&Change{CourseID: j.CourseID, Subject: &j.ID, Kind: "job", CreatedAt: s.now()}).Error
}

// JobByID finds a job, without what it works on.
func (s *Store) JobByID(ctx context.Context, id uint64) (*Job, error) {
	var j Job
	err := s.db.WithContext(ctx).Select(jobColumns).Take(&j, id).Error
	return &j, known(err)
}

// JobsOf lists a course's newest jobs.
func (s *Store) JobsOf(ctx context.Context, course string, limit int) ([]Job, error) {
	var out []Job
	err := s.db.WithContext(ctx).Select(jobColumns).Where("course = ?", course).Order("id DESC").Limit(limit).Find(&out).
		Error
	return out, err
}

// TakeJob takes up a job that has waited for so long, or whose process has given no sign of life; nil where
// there is none. What was taken up too often, and ended its process each time, fails.
func (s *Store) TakeJob(ctx context.Context, owner string, waited, life time.Duration, mostTries int,
	kinds []string) (*Job, error) {
	var list []Job
	now := s.now()
	err := s.db.WithContext(ctx).Raw("SELECT "+jobColumns+" FROM jobs FORCE INDEX (jobs_line) WHERE (state = 'waiting' "+
		"AND beat_at <= ? OR state = 'running' AND beat_at < ?) AND kind IN ? ORDER BY id LIMIT 20", now.Add(-waited),
		now.Add(-life), kinds).Scan(&list).Error
	if err != nil {
		return nil, err
	}
	for i := range list {
		j := &list[i]
		to := map[string]any{"state": JobRunning, "owner": owner, "beat_at": s.now(), "tries": j.Tries + 1}
		if j.Tries >= mostTries {
			to = map[string]any{"state": JobFailed, "owner": "", "ended_at": s.now(), "status": 500}
		}
		mine := false
		err := s.tx(ctx, func(tx *gorm.DB) error {
			// Whoever else takes it up at once changes the row before: then this changes none.
			done := tx.Model(&Job{}).Where("id = ? AND state = ? AND owner = ? AND tries = ? AND beat_at = ?", j.ID, j.State,
				j.Owner, j.Tries, j.BeatAt).Updates(to)
			mine = done.Error == nil && done.RowsAffected == 1
			if !mine {
				return done.Error
			}
			return s.jobChanged(tx, j)
		})
		if err != nil {
			return nil, err
		}
		if mine && to["state"] == JobRunning {
			err := s.db.WithContext(ctx).Take(j, j.ID).Error
			return j, err
		}
	}
	return nil, nil
}

// BeatJob gives a sign of life of a job, with how far it is. What it answers is whether the process still
// has the job, and whether somebody asked it to stop.
func (s *Store) BeatJob(ctx context.Context, j *Job, told bool) (mine, stop bool, err error) {
	err = s.tx(ctx, func(tx *gorm.DB) error {
		mine = false
		done := tx.Model(&Job{}).Where("id = ? AND owner = ? AND state = ?", j.ID, j.Owner, JobRunning).
			Updates(map[string]any{"beat_at": s.now(), "stage": j.Stage, "done": j.Done, "total": j.Total})
		if mine = done.Error == nil && done.RowsAffected == 1; !mine {
			return done.Error
		}
		if err := tx.Model(&Job{}).Select("stop").Where("id = ?", j.ID).Scan(&stop).Error; err != nil || !told {
			return err
		}
		return s.jobChanged(tx, j)
	})
	return mine, stop, err
}

// EndJob stores what came of a job, if the process still has it.
func (s *Store) EndJob(ctx context.Context, j *Job) error {
	return s.tx(ctx, func(tx *gorm.DB) error {
		to := map[string]any{"state": j.State, "stage": j.Stage, "done": j.Done, "total": j.Total, "reached": j.Reached,
			"status": j.Status, "answer": j.Answer, "ended_at": s.now(), "stop": false}
		if j.State != JobStopped {
			to["input"] = nil // one that was stopped may go on
		}
		done := tx.Model(&Job{}).Where("id = ? AND owner = ? AND state = ?", j.ID, j.Owner, JobRunning).Updates(to)
		if done.Error != nil || done.RowsAffected == 0 {
			return done.Error
		}
		return s.jobChanged(tx, j)
	})
}

// LeaveJob gives a job back that its process cannot finish, for another to take up.
func (s *Store) LeaveJob(ctx context.Context, j *Job) error {
	return s.tx(ctx, func(tx *gorm.DB) error {
		done := tx.Model(&Job{}).Where("id = ? AND owner = ? AND state = ?", j.ID, j.Owner, JobRunning).
			Updates(map[string]any{"state": JobWaiting, "owner": "", "tries": gorm.Expr("tries - 1"), "reached": j.Reached,
				"beat_at": s.now()})
		if done.Error != nil || done.RowsAffected == 0 {
			return done.Error
		}
		return s.jobChanged(tx, j)
	})
}

// StopJob asks a job to stop; one that waits stops at once.
func (s *Store) StopJob(ctx context.Context, j *Job) error {
	return s.tx(ctx, func(tx *gorm.DB) error {
		err := tx.Model(&Job{}).Where("id = ? AND state = ?", j.ID, JobRunning).Update("stop", true).Error
		if err != nil {
			return err
		}
		err = tx.Model(&Job{}).Where("id = ? AND state = ?", j.ID, JobWaiting).Updates(map[string]any{"state": JobStopped,
			"ended_at": s.now()}).Error
		if err != nil {
			return err
		}
		return s.jobChanged(tx, j)
	})
}

// ResumeJob lets a job go on that was stopped, from where it was; false where it was not.
func (s *Store) ResumeJob(ctx context.Context, j *Job) (resumed bool, err error) {
	err = s.tx(ctx, func(tx *gorm.DB) error {
		done := tx.Model(&Job{}).Where("id = ? AND state = ?", j.ID, JobStopped).Updates(map[string]any{"state": JobWaiting,
			"owner": "", "stop": false, "tries": 0, "ended_at": nil, "beat_at": s.now()})
		if resumed = done.RowsAffected == 1; done.Error != nil || !resumed {
			return done.Error
		}
		return s.jobChanged(tx, j)
	})
	return resumed, err
}

// forgetJobsAt is how many jobs are removed in one go.
const forgetJobsAt = 200

// ForgetJobs removes jobs that ended before a time.
func (s *Store) ForgetJobs(ctx context.Context, before time.Time) error {
	return s.db.WithContext(ctx).Exec("DELETE FROM jobs WHERE ended_at < ? ORDER BY ended_at LIMIT ?", before,
		forgetJobsAt).Error
}

// CountRecheck counts what a re-check of some exercises puts back into the line.
func (s *Store) CountRecheck(ctx context.Context, course uint64, exercises []string) (int64, error) {
	var n int64
	err := s.db.WithContext(ctx).Raw("SELECT COUNT(*) FROM attempts FORCE INDEX (attempts_exercise) WHERE course_id = ? "+
		"AND exercise IN ?", course, exercises).Scan(&n).Error
	return n, err
}

// ErrNotMine says that another process has a job by now.
var ErrNotMine = errors.New("another process has the job")

// Recheck puts the next so many checked attempts of an exercise back into the line, behind those handed in, to be
// checked by a revision: those with an id above the one given. keep lets the better of both verdicts count for the
// grade. It gives the last id it looked at, 0 where no more follow, and how many were put back. Where the job goes on
// from there is kept with it: what a killed process put back is not put back again.
func (s *Store) Recheck(ctx context.Context, j *Job, revision uint64, exercise string, after uint64, most int,
	keep bool, reached func(last uint64, n int64) string) (last uint64, n int64, err error) {
	err = s.tx(ctx, func(tx *gorm.DB) error {
		var ids []uint64
		last, n = 0, 0
		err := tx.Raw("SELECT id FROM attempts FORCE INDEX (attempts_exercise) WHERE course_id = ? AND exercise = ? AND "+
			"id > ? ORDER BY id LIMIT ?", *j.CourseID, exercise, after, most).Scan(&ids).Error
		if err != nil || len(ids) == 0 {
			return err
		}
		done := tx.Model(&Attempt{}).Where("id IN ? AND state IN ?", ids, []State{Checked, Stuck}).
			Updates(map[string]any{"state": Waiting, "behind": true, "due": s.now(), "revision_id": revision, "tries": 0,
				"claimed_until": nil, "keep_better": keep})
		if done.Error != nil {
			return done.Error
		}
		last, n = ids[len(ids)-1], done.RowsAffected
		kept := tx.Model(&Job{}).Where("id = ? AND owner = ? AND state = ?", j.ID, j.Owner, JobRunning).
			Updates(map[string]any{"reached": reached(last, n), "beat_at": s.now()})
		if kept.Error == nil && kept.RowsAffected == 0 {
			return ErrNotMine
		}
		return kept.Error
	})
	return last, n, err
}

// Rechecking counts attempts of a course that wait to be checked again, or are, up to so many.
func (s *Store) Rechecking(ctx context.Context, course uint64, most int) (int64, error) {
	var ids []uint64
	err := s.db.WithContext(ctx).Raw("SELECT id FROM attempts FORCE INDEX (attempts_line) WHERE state IN ('waiting', "+
		"'checking') AND behind = TRUE AND course_id = ? LIMIT ?", course, most).Scan(&ids).Error
	return int64(len(ids)), err
}
