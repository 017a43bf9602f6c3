// Package demo holds a made-up kelp farm's array course, a made-up class of forty
// and what they hand in, and plays that story through the API.
package demo

import (
	"context"
	"embed"
	"encoding/csv"
	"errors"
	"fmt"
	"io/fs"
	"math/rand/v2"
	"path"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"nimbusreach/client"
	"nimbusreach/client/wire"
	"nimbusreach/internal/core/causes"
	"nimbusreach/internal/core/exercise"
)

//go:embed course course-from-one attempts own-tools
var files embed.FS

// Names and password of the demo. They guard made-up data on loopback.
const (
	CourseSlug  = "kelp-cooperative"
	FromOneSlug = "counting-from-one"
	Operator    = "harbour"
	Instructor  = "imke"
	Assistant   = "aron"
	Student     = "ada"
	Password    = "kelp-and-ropes"
)

// Course returns the demo course's folder.
func Course() fs.FS { return folder("course") }

// CourseFromOne returns the folder of a small course that counts from 1.
func CourseFromOne() fs.FS { return folder("course-from-one") }

func folder(name string) fs.FS {
	sub, err := fs.Sub(files, name)
	if err != nil {
		panic(err) // the folder is embedded
	}
	return sub
}

// Person is one line of the roster.
type Person struct{ Name, Display, Role string }

// Roster returns the class: the team first, then forty students.
func Roster() ([]Person, error) {
	text, err := files.ReadFile("course/roster.csv")
	if err != nil {
		return nil, err
	}
	rows, err := csv.NewReader(strings.NewReader(string(text))).ReadAll()
	if err != nil {
		return nil, err
	}
	var out []Person
	for _, row := range rows[1:] {
		out = append(out, Person{row[0], row[1], row[2]})
	}
	return out, nil
}

// Attempt is one answer the story hands in.
type Attempt struct {
	Student, Exercise, Name, Program string

	At time.Duration // from the demo's start: before it, below 0
}

// answers reads the attempts of an exercise: right ones, and wrong ones.
func answers(name string) (right, wrong []Attempt, err error) {
	samples, err := causes.Corpus()
	if err != nil {
		return nil, nil, err
	}
	for _, s := range samples {
		switch a := (Attempt{Exercise: name, Name: fmt.Sprint("sample-", s.Line), Program: s.Program}); {
		case s.Exercise != name:
		case s.Right():
			right = append(right, a)
		default:
			wrong = append(wrong, a)
		}
	}
	dir := path.Join("attempts", name)
	entries, err := files.ReadDir(dir)
	if errors.Is(err, fs.ErrNotExist) {
		return right, wrong, nil
	}
	if err != nil {
		return nil, nil, err
	}
	right, wrong = nil, nil
	for _, entry := range entries {
		text, err := files.ReadFile(path.Join(dir, entry.Name()))
		if err != nil {
			return nil, nil, err
		}
		a := Attempt{Exercise: name, Name: strings.TrimSuffix(entry.Name(), ".nra"), Program: string(text)}
		if strings.HasPrefix(a.Name, "right") {
			right = append(right, a)
		} else {
			wrong = append(wrong, a)
		}
	}
	return right, wrong, nil
}

// Enrol makes the accounts, publishes the course and gives everybody their role.
// base is a client of the service that is not signed in.
func Enrol(ctx context.Context, base *client.Client, progress func(string)) error {
	people, err := Roster()
	if err != nil {
		return err
	}
	operator := base.As("")
	if _, err := operator.SignIn(ctx, Operator, Password, "demo"); err != nil {
		return err
	}
	progress(fmt.Sprintf("making %d accounts", len(people)))
	err = inParallel(people, func(p Person) error {
		made, err := operator.AddPerson(ctx, wire.NewPerson{Name: p.Name, Display: p.Display})
		if err == nil {
			_, err = base.As("").OpenLink(ctx, made.Link.Address, Password)
		}
		return err
	})
	if err != nil {
		return err
	}
	archive, err := exercise.Pack(Course())
	if err != nil {
		return err
	}
	published, err := operator.Publish(ctx, CourseSlug, archive)
	if err != nil {
		return err
	}
	progress(fmt.Sprintf("published %s, revision %d: %s", published.Title, published.Revision,
		strings.Join(published.Exercises, ", ")))
	roster, err := files.ReadFile("course/roster.csv")
	if err != nil {
		return err
	}
	if _, err := operator.Import(ctx, CourseSlug, roster, client.Import{}); err != nil {
		return err
	}
	return enrolFromOne(ctx, operator, people)
}

// enrolFromOne publishes the small course that counts from 1; every fourth student is
// in it, the demo's own student is not.
func enrolFromOne(ctx context.Context, operator *client.Client, people []Person) error {
	archive, err := exercise.Pack(CourseFromOne())
	if err != nil {
		return err
	}
	if _, err := operator.Publish(ctx, FromOneSlug, archive); err != nil {
		return err
	}
	for i, p := range people {
		if i%4 != 0 || p.Role != "student" || p.Name == Student {
			continue
		}
		if err := operator.SetRole(ctx, FromOneSlug, p.Name, p.Role); err != nil {
			return err
		}
	}
	return nil
}

// inParallel runs f for every item on a few goroutines and returns the first error.
func inParallel[T any](items []T, f func(T) error) error {
	var wg sync.WaitGroup
	var next atomic.Int64
	errs := make([]error, len(items))
	for range min(4, len(items)) {
		wg.Go(func() {
			for i := int(next.Add(1)) - 1; i < len(items); i = int(next.Add(1)) - 1 {
				errs[i] = f(items[i])
			}
		})
	}
	wg.Wait()
	for _, err := range errs {
		if err != nil {
			return err
		}
	}
	return nil
}

// predict answers what an exercise asks before the first attempt, some of it wrongly.
func predict(ctx context.Context, c *client.Client, name, exercise string) error {
	e, err := c.Exercise(ctx, CourseSlug, exercise)
	if err != nil || len(e.Asks) == 0 {
		return err
	}
	answers := []string{"[3, 4]", "[4]", "int"}
	switch random := rand.New(rand.NewPCG(2031, uint64(len(name))*251+uint64(name[0]))); random.IntN(4) {
	case 0:
		answers[1] = "[3]"
	case 1:
		answers[2] = "bool"
	}
	_, err = c.Predict(ctx, CourseSlug, exercise, answers)
	return err
}
