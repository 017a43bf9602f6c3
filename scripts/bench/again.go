package main

import (
	"context"
	"database/sql"
	"fmt"
	"strings"
	"sync"
	"time"

	"nimbusreach/client"
	"nimbusreach/demo"
	"nimbusreach/internal/service"
	"nimbusreach/internal/service/jobs"
	"nimbusreach/internal/service/store"
)

// againAttempts is how many attempts are checked, and then checked again.
const againAttempts = 20_000

const againStudents = 2000

// again measures a re-check with its progress against the same attempts waiting in the line, with the same workers.
func again() error { return served(nil, measureAgain) }

func measureAgain(ctx context.Context, c *client.Client, dsn string) error {
	if err := demo.Enrol(ctx, c, func(string) {}); err != nil {
		return err
	}
	s, err := store.Open(ctx, dsn, nil)
	if err != nil {
		return err
	}
	defer s.Close()
	course, err := s.CourseBySlug(ctx, demo.CourseSlug)
	if err != nil {
		return err
	}
	if err := waitingAttempts(ctx, dsn, course); err != nil {
		return err
	}
	working, rest := context.WithCancel(ctx)
	var wg sync.WaitGroup
	wg.Go(func() { _ = service.Work(working, service.Config{DSN: dsn, Log: silent}) })
	defer func() { rest(); wg.Wait() }()
	start := time.Now()
	for {
		n, _, err := s.Waiting(ctx, course.ID)
		if err != nil {
			return err
		}
		if n == 0 {
			break
		}
		time.Sleep(50 * time.Millisecond)
	}
	line := time.Since(start)
	by, err := s.PersonByName(ctx, demo.Operator)
	if err != nil {
		return err
	}
	start = time.Now()
	j, err := jobs.AddRecheck(ctx, s, by.ID, course, jobs.RecheckArgs{Revision: *course.CurrentRevisionID, Number: 1,
		Exercises: againExercises})
	if err != nil {
		return err
	}
	for !j.State.Ended() {
		time.Sleep(50 * time.Millisecond)
		if j, err = s.JobByID(ctx, j.ID); err != nil {
			return err
		}
	}
	took := time.Since(start)
	row(fmt.Sprintf("%d attempts checked again, with progress, a second", againAttempts), fmt.Sprintf("%.0f",
		againAttempts/took.Seconds()), "")
	row("  against the same attempts waiting in the line", fmt.Sprintf("%.2f ×", line.Seconds()/took.Seconds()), "≥ 0.9 ×")
	return nil
}

var againExercises = []string{"rope-means", "ripe-fronds", "tide-height"}

// waitingAttempts stores attempts of the story that wait to be checked.
func waitingAttempts(ctx context.Context, dsn string, c *store.Course) error {
	story, err := demo.Story()
	if err != nil {
		return err
	}
	var some []demo.Attempt
	for _, a := range story {
		for _, name := range againExercises {
			if a.Exercise == name {
				some = append(some, a)
			}
		}
	}
	db, err := sql.Open("mysql", dsn)
	if err != nil {
		return err
	}
	defer db.Close()
	// A faculty's students, each with ten attempts.
	for _, statement := range []string{
		fmt.Sprintf("INSERT INTO people (id, name, display, password_hash, created_at) SELECT 1000 + seq, CONCAT('p', seq), "+
			"'P', 'x', NOW(6) FROM seq_1_to_%d", againStudents),
		fmt.Sprintf("INSERT INTO memberships (course_id, person_id, role, created_at) SELECT %d, 1000 + seq, 'student', "+
			"NOW(6) FROM seq_1_to_%d", c.ID, againStudents)} {
		if _, err := db.ExecContext(ctx, statement); err != nil {
			return err
		}
	}
	const batch = 500
	for from := 0; from < againAttempts; from += batch {
		text := "INSERT INTO attempts (course_id, revision_id, exercise, kind, person_id, number, program, state, behind, " +
			"due, tries, created_at) VALUES "
		var args []any
		for i := from; i < from+batch; i++ {
			a := some[i%len(some)]
			args = append(args, c.ID, *c.CurrentRevisionID, a.Exercise, 1001+i%againStudents, 1+i, a.Program)
		}
		text += strings.TrimSuffix(strings.Repeat("(?, ?, ?, 'program', ?, ?, ?, 'waiting', FALSE, NOW(6), 0, NOW(6)), ",
			batch),
			", ")
		if _, err := db.ExecContext(ctx, text, args...); err != nil {
			return err
		}
	}
	return nil
}
