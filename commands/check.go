package commands

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"nimbusreach/core/check"
	"nimbusreach/core/exercise"
)

// checkTime bounds one case of a check.
const checkTime = 2 * time.Second

// boundCase gives one case its seconds.
func boundCase(ctx context.Context) (context.Context, context.CancelFunc) {
	return context.WithTimeout(ctx, checkTime)
}

func (a *app) checkCommand() *cobra.Command {
	var student bool
	c := &cobra.Command{
		Use:   "check EXERCISE FILE",
		Short: "Check an attempt against an exercise folder, offline",
		Long: `Checks a program against an exercise folder and prints verdict, findings and
cases, as the teaching team sees them. Exit code 0: agrees; 1: it does not;
2: wrong use, or an exercise with errors.`,
		Example: "  nimbus check demo/course/exercises/rope-means answer.nra",
		Args:    cobra.ExactArgs(2),
		RunE:    func(c *cobra.Command, args []string) error { return a.check(c.Context(), args[0], args[1], student) },
	}
	c.Flags().BoolVar(&student, "as-student", false, "print what a student would see")
	return c
}

func (a *app) check(ctx context.Context, folder, file string, student bool) error {
	e, problems, err := openExercise(folder)
	if err != nil {
		return err
	}
	var p *check.Prepared
	if len(problems) == 0 {
		p, problems = check.Prepare(ctx, e)
	}
	if len(problems) > 0 {
		a.problems(problems)
		return ended(exitUse)
	}
	text, err := a.readText(file)
	if err != nil {
		return err
	}
	start := time.Now()
	v, err := check.Attempt(ctx, p, text, boundCase)
	if err != nil {
		return unreachable(err)
	}
	seconds := time.Since(start).Seconds()
	if student {
		v = v.ForStudent(e)
	}
	if a.output == "json" {
		if err := a.json(timedVerdict{v, seconds}); err != nil {
			return err
		}
	} else {
		a.verdict(v, text, file)
	}
	if v.Verdict != check.Agrees {
		return ended(exitDiffers)
	}
	return nil
}

// timedVerdict sets the seconds beside a verdict.
type timedVerdict struct {
	*check.Verdict
	Seconds float64 `json:"seconds"`
}

// openExercise reads an exercise folder: as part of its course when the course's
// folder is two levels up and lists it, else alone.
func openExercise(folder string) (*exercise.Exercise, []exercise.Problem, error) {
	absolute, err := filepath.Abs(folder)
	if err != nil {
		return nil, nil, wrongUse("%s is no folder: %v", folder, err)
	}
	if _, err := os.Stat(filepath.Join(absolute, "exercise.yaml")); err != nil {
		return nil, nil, wrongUse("%s holds no exercise.yaml; name an exercise's folder", folder)
	}
	name := filepath.Base(absolute)
	top := filepath.Dir(filepath.Dir(absolute))
	if _, err := os.Stat(filepath.Join(top, "course.yaml")); err == nil && filepath.Base(filepath.Dir(absolute)) == "exercises" {
		c, problems, err := openCourse(top)
		if err != nil {
			return nil, nil, err
		}
		var own []exercise.Problem
		for _, p := range problems {
			if strings.HasPrefix(p.File, "exercises/"+name+"/") || p.File == "course.yaml" {
				own = append(own, p)
			}
		}
		if c != nil && (c.Find(name) != nil || len(own) > 0) {
			return c.Find(name), own, nil
		}
	}
	root, err := os.OpenRoot(absolute)
	if err != nil {
		return nil, nil, wrongUse("%s cannot be opened: %v", folder, underlying(err))
	}
	defer root.Close()
	e, problems := exercise.LoadExercise(root.FS(), name)
	return e, problems, nil
}

// openCourse reads a course folder. Links that leave the folder are refused by
// the root itself.
func openCourse(folder string) (*exercise.Course, []exercise.Problem, error) {
	root, err := os.OpenRoot(folder)
	if err != nil {
		return nil, nil, wrongUse("%s cannot be opened: %v", folder, underlying(err))
	}
	defer root.Close()
	c, problems := exercise.LoadCourse(root.FS())
	return c, problems, nil
}

// problems prints everything wrong with a course.
func (a *app) problems(problems []exercise.Problem) {
	if a.output == "json" {
		_ = a.json(struct {
			Errors []exercise.Problem `json:"errors"`
		}{problems})
		return
	}
	for _, p := range problems {
		fmt.Fprintf(a.err, "%s:%d:%d: %s\n  try: %s\n", p.File, p.Line, p.Column, p.Message, p.Hint)
	}
	fmt.Fprintf(a.err, "%d to mend\n", len(problems))
}
