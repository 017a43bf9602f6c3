package main

import (
	"context"
	"database/sql"
	"encoding/json"
	"fmt"
	"os"
	"slices"
	"time"

	"nimbusreach/internal/core/exercise"
	"nimbusreach/internal/service/api"
	"nimbusreach/internal/service/desk"
	"nimbusreach/internal/service/mariadb"
	"nimbusreach/internal/service/store"
	"nimbusreach/internal/service/teaching"
	"nimbusreach/scripts/fill"
)

// facultyTurns is how often each view is asked for.
const facultyTurns = 21

// faculty measures what is read of a course of 2,000 students with 500,000 attempts.
func faculty() error {
	ctx := context.Background()
	folder, err := os.MkdirTemp("", "nimbus-bench-")
	if err != nil {
		return err
	}
	defer os.RemoveAll(folder)
	server, err := mariadb.Start(ctx, folder)
	if err != nil {
		return err
	}
	defer func() { _ = server.Stop() }()
	s, err := store.Open(ctx, server.DSN, nil)
	if err != nil {
		return err
	}
	defer s.Close()
	db, err := sql.Open("mysql", server.DSN)
	if err != nil {
		return err
	}
	defer db.Close()
	size := fill.Faculty
	size.Body, size.Exercises = 600, 20
	if err := fill.Tables(ctx, db, size); err != nil {
		return err
	}
	c, err := s.CourseBySlug(ctx, "c1")
	if err != nil {
		return err
	}
	content := &exercise.Course{}
	for i := range size.Exercises {
		content.Exercises = append(content.Exercises, &exercise.Exercise{Name: fmt.Sprint("e", i), Title: "E",
			Outputs: []exercise.Output{{Name: "x", Points: 4}}})
	}
	newest, err := s.NewestChange(ctx)
	if err != nil {
		return err
	}
	for _, view := range []struct {
		what, wanted string
		read         func() error
	}{
		{"the desk of 2,000 students, 500,000 attempts", "< 300 ms", func() error {
			_, err := desk.View(ctx, s, c, content)
			return err
		}},
		{"  a knot of it, with ways of writing and who has left", "< 300 ms", func() error {
			_, err := desk.Knot(ctx, s, c, content, store.Knot{Exercise: "e3", LeadCode: "code4"})
			return err
		}},
		{"  its class map, the first 200 students", "< 300 ms", func() error {
			_, err := teaching.Map(ctx, s, c, content, teaching.MapPage{Limit: 200})
			return err
		}},
		{"  its causes by exercises", "", func() error {
			_, err := teaching.Causes(ctx, s, c, content, desk.Says)
			return err
		}},
		{"  its digest of a day", "", func() error {
			now := s.Now()
			_, err := teaching.Digest(ctx, s, teaching.DigestAsked{Course: c, Content: content, From: now.Add(-24 * time.Hour),
				To: now, Says: desk.Says, Note: api.TeamNote})
			return err
		}},
		{"  its notes with what they came to", "", func() error {
			_, err := s.Notes(ctx, store.NoteFilter{Course: c.ID, Limit: 50})
			return err
		}},
		{"  its gradebook of 20 exercises, first page as JSON", "< 500 ms", func() error {
			a := teaching.Asked{Course: c, Content: content, At: time.Now().UTC()}
			b, err := teaching.Grades(ctx, s, a)
			if err != nil {
				return err
			}
			_, err = json.Marshal(b.Wire(a, teaching.Page{Limit: 500}))
			return err
		}},
		{"  its gradebook as a workbook", "< 2 s", func() error {
			b, err := teaching.Grades(ctx, s, teaching.Asked{Course: c, Content: content, At: time.Now().UTC()})
			if err == nil {
				_, err = b.Export("xlsx", c, "best")
			}
			return err
		}},
		{"  one's own state in its 20 exercises", "", func() error { _, err := s.MineIn(ctx, c.ID, 7, ""); return err }},
		{"  its newest 50 attempts with one lead", "", func() error {
			_, err := s.Attempts(ctx, store.Filter{Course: c.ID, LeadCode: "code4", Limit: 50})
			return err
		}},
		{"  what changed, of 500,000 changes", "< 1 ms", func() error {
			_, _, err := s.ChangesAfter(ctx, newest-64)
			return err
		}},
	} {
		var times []time.Duration
		for range facultyTurns {
			start := time.Now()
			if err := view.read(); err != nil {
				return err
			}
			times = append(times, time.Since(start))
		}
		slices.Sort(times)
		row(view.what, fmt.Sprintf("%.1f ms", ms(median(times))), view.wanted)
	}
	return nil
}
