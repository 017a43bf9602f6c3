package commands

import (
	"cmp"
	"context"
	"fmt"
	"os"
	"path"
	"path/filepath"
	"time"

	"github.com/spf13/cobra"

	"nimbusreach/internal/core/advice"
	"nimbusreach/internal/core/check"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/exercise"
	"nimbusreach/internal/core/probe"
)

func (a *app) inspectCommand() *cobra.Command {
	var fix bool
	c := &cobra.Command{
		Use:   "inspect COURSE_OR_EXERCISE",
		Short: "Look at exercises for weak data, loose tolerances and silent prompts",
		Long: `Gives advice on a course folder, or one exercise: a code, a place, why it matters
and one change to try. Exit code 0: no advice; 1: advice given; 2: the folder has
errors. With --fix held cases that fix an advice are written into exercise.yaml;
its comments stay.`,
		Example: "  nimbus inspect demo/course\n  nimbus inspect demo/course/exercises/rope-means --output json",
		Args:    cobra.ExactArgs(1),
		RunE:    func(c *cobra.Command, args []string) error { return a.inspect(c.Context(), args[0], fix) },
	}
	c.Flags().BoolVar(&fix, "fix", false, "write the changes that are safe into exercise.yaml")
	return c
}

// exercisesOf opens a course folder, or one exercise's.
func exercisesOf(folder string) (o opened, err error) {
	o.top = folder
	if _, statErr := os.Stat(filepath.Join(folder, "course.yaml")); statErr == nil {
		if o.course, o.problems, err = openCourse(folder); err == nil && o.course != nil {
			o.exercises = o.course.Exercises
		}
		return o, err
	}
	e, problems, err := openExercise(folder)
	o.problems = problems
	if err != nil || e == nil {
		return o, err
	}
	if e.Dir != "." {
		o.top = filepath.Join(folder, "..", "..")
	}
	o.exercises = []*exercise.Exercise{e}
	return o, nil
}

// opened is a course folder or one exercise's, with what is wrong with it.
type opened struct {
	course    *exercise.Course // nil for one exercise
	exercises []*exercise.Exercise
	problems  []exercise.Problem
	top       string // the course folder
}

func (a *app) inspect(ctx context.Context, folder string, fix bool) error {
	in, err := exercisesOf(folder)
	if err != nil {
		return err
	}
	out := struct {
		Advice []advice.Advice    `json:"advice"`
		Errors []exercise.Problem `json:"errors"`
	}{[]advice.Advice{}, append([]exercise.Problem{}, in.problems...)}
	if in.course != nil {
		out.Advice = append(out.Advice, advice.OfCourse(in.course)...)
	}
	for _, e := range in.exercises {
		p, problems := prepared(ctx, e, out.Errors)
		out.Errors = append(out.Errors, problems...)
		if p == nil {
			continue
		}
		found, _ := advice.Inspect(ctx, p, probe.Options{})
		if fix {
			written, err := a.fixAdvice(filepath.Join(in.top, e.Dir), found)
			if err != nil {
				return err
			}
			if written > 0 {
				a.notef("%s: %d cases written into exercise.yaml; inspect again\n", e.Name, written)
			}
		}
		out.Advice = append(out.Advice, found...)
	}
	if a.output == "json" {
		if err := a.json(out); err != nil {
			return err
		}
	} else {
		if len(out.Advice) > 0 || len(out.Errors) == 0 {
			a.adviceText(out.Advice, len(in.exercises))
		}
		if len(out.Errors) > 0 {
			a.problems(out.Errors)
		}
	}
	switch {
	case len(out.Errors) > 0:
		return ended(exitUse)
	case len(out.Advice) > 0:
		return ended(exitDiffers)
	}
	return nil
}

// prepared prepares an exercise that has no errors of its own yet.
func prepared(ctx context.Context, e *exercise.Exercise, known []exercise.Problem) (*check.Prepared,
	[]exercise.Problem) {
	for _, p := range known {
		if path.Dir(p.File) == path.Clean(e.Dir) || p.File == e.File() {
			return nil, nil
		}
	}
	return check.Prepare(ctx, e)
}

// notef writes a word beside the output, where JSON is asked for too.
func (a *app) notef(format string, args ...any) { fmt.Fprintf(a.err, format, args...) }

func (a *app) adviceText(list []advice.Advice, exercises int) {
	if len(list) == 0 {
		a.printf("%s: no advice\n", plural(exercises, "exercise"))
		return
	}
	name := "of nothing yet"
	for _, x := range list {
		if x.Exercise != name {
			name = x.Exercise
			a.printf("%s\n", a.paint("1", cmp.Or(name, "the course")))
		}
		a.printf("  %-16s %s\n    %s\n    try: %s\n", x.Code, x.Place, x.Message, x.Try)
		if x.YAML != "" {
			a.printf("    %s\n", x.YAML)
		}
	}
	a.printf("%s of advice\n", plural(len(list), "piece"))
}

func plural(n int, word string) string {
	if n == 1 {
		return "1 " + word
	}
	return fmt.Sprintf("%d %ss", n, word)
}

// fixAdvice writes the held cases of some advice into an exercise.yaml.
func (a *app) fixAdvice(dir string, list []advice.Advice) (int, error) {
	var cases []string
	for _, x := range list {
		if x.YAML != "" {
			cases = append(cases, x.YAML)
		}
	}
	return addCases(dir, cases)
}

// addCases writes cases into an exercise.yaml, each under a name of its own.
func addCases(dir string, cases []string) (int, error) {
	if len(cases) == 0 {
		return 0, nil
	}
	file := filepath.Join(dir, "exercise.yaml")
	text, err := os.ReadFile(file)
	if err != nil {
		return 0, wrongUse("%s cannot be read: %v", file, underlying(err))
	}
	cases = exercise.Renumbered(string(text), cases)
	changed, err := exercise.AddCases(string(text), cases)
	if err != nil {
		return 0, wrongUse("%s: %v", file, err)
	}
	if err := os.WriteFile(file, []byte(changed), 0o644); err != nil {
		return 0, wrongUse("%s cannot be written: %v", file, underlying(err))
	}
	return len(cases), nil
}

func (a *app) probeCommand() *cobra.Command {
	var fix bool
	var seconds float64
	var mark, reason string
	c := &cobra.Command{
		Use:   "probe EXERCISE",
		Short: "Try plausible mistakes on an exercise, and list those that would be marked right",
		Long: `Makes wrong programs from the reference, runs each on every case, and lists those
that would be marked right, with data that would catch them. Exit code 0: all are
caught; 1: some survive; 2: the exercise has errors. With --fix the held cases that
catch them are written into exercise.yaml; its comments stay. --mark says that a
survivor changes nothing, with --reason why; the mark stays while the reference stays.`,
		Example: `  nimbus probe demo/course/exercises/rope-means
  nimbus probe demo/course/exercises/rope-means --fix
  nimbus probe demo/course/exercises/rope-means --mark 'a + b → b + a' --reason 'sums commute'`,
		Args: cobra.ExactArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			return a.probe(c.Context(), args[0], fix, time.Duration(seconds*float64(time.Second)), mark, reason)
		},
	}
	c.Flags().BoolVar(&fix, "fix", false, "write held cases that catch survivors into exercise.yaml")
	c.Flags().Float64Var(&seconds, "seconds", 30, "stop after this many seconds")
	c.Flags().StringVar(&mark, "mark", "", "mark the survivor with this change as equivalent")
	c.Flags().StringVar(&reason, "reason", "", "why a marked survivor changes nothing")
	return c
}

func (a *app) probe(ctx context.Context, folder string, fix bool, bound time.Duration, mark, reason string) error {
	p, err := a.prepared(ctx, folder)
	if err != nil {
		return err
	}
	if mark != "" {
		return a.markEquivalent(folder, p, mark, reason)
	}
	r := probe.Run(ctx, p, probe.Options{Time: bound, Progress: a.progress("slips")})
	if a.output == "json" {
		if err := a.json(r); err != nil {
			return err
		}
	} else {
		a.probeText(r)
	}
	if fix {
		var cases []string
		for _, s := range r.Survivors {
			if s.YAML != "" {
				cases = append(cases, s.YAML)
			}
		}
		written, err := addCases(folder, cases)
		if err != nil {
			return err
		}
		a.notef("%s written into exercise.yaml; probe again\n", plural(written, "case"))
	}
	if len(r.Survivors) > 0 {
		return ended(exitDiffers)
	}
	return nil
}

// progress shows how far long work is, on a terminal alone.
func (a *app) progress(what string) func(done, of int) {
	if !a.colour() {
		return nil
	}
	return func(done, of int) { fmt.Fprintf(a.err, "\r%d of %d %s", done, of, what) }
}

func (a *app) probeText(r *probe.Report) {
	if a.colour() {
		fmt.Fprint(a.err, "\r\x1b[K")
	}
	a.printf("%s, %d caught, %d equivalent: %.0f %% caught\n", plural(r.Slips, "slip"), r.Caught, r.Equivalent,
		100*r.Share())
	if r.Stopped {
		a.printf("stopped at its limit on time or on the length of a reference; what was not tried counts as not caught\n")
	}
	cause := codes.Code("")
	for _, s := range r.Survivors {
		if s.Cause != cause {
			cause = s.Cause
			a.printf("\n%s\n", a.paint("1", string(cause)))
		}
		a.printf("  line %d: %s\n    would read: %s\n    try: %s\n", s.Line, s.Change, s.Changed, s.Try)
		if s.YAML != "" {
			a.printf("    %s\n", s.YAML)
		}
	}
	if len(r.Survivors) == 0 {
		a.printf("no survivors\n")
	}
}

// markEquivalent keeps in exercise.yaml that a survivor changes nothing, and why.
func (a *app) markEquivalent(folder string, p *check.Prepared, change, reason string) error {
	if reason == "" {
		return wrongUse("--mark needs a --reason, which is kept in exercise.yaml")
	}
	file := filepath.Join(folder, "exercise.yaml")
	text, err := os.ReadFile(file)
	if err != nil {
		return wrongUse("%s cannot be read: %v", file, underlying(err))
	}
	changed, err := exercise.AddEquivalent(string(text), change, reason, probe.Reference(p))
	if err != nil {
		return wrongUse("%s: %v", file, err)
	}
	if err := os.WriteFile(file, []byte(changed), 0o644); err != nil {
		return wrongUse("%s cannot be written: %v", file, underlying(err))
	}
	a.printf("marked: %s\n", change)
	return nil
}
