package commands

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"nimbusreach/internal/core/check"
	"nimbusreach/internal/core/exercise"
)

// checkTime bounds one case of a check.
const checkTime = 2 * time.Second

// boundCase gives one case its seconds.
func boundCase(ctx context.Context) (context.Context, context.CancelFunc) {
	return context.WithTimeout(ctx, checkTime)
}

func (a *app) checkCommand() *cobra.Command {
	var f checkFlags
	c := &cobra.Command{
		Use:   "check EXERCISE [FILE]",
		Short: "Check an attempt against an exercise folder, offline",
		Long: `Checks a program against an exercise folder and prints verdict, findings, causes and
cases, as the teaching team sees them. With --results it checks arrays that were computed from the
shown cases: a folder or a zip archive of CASE/OUTPUT.json, .csv or .mtx, or netCDF files.
Exit code 0: agrees; 1: it does not; 2: wrong use, or an exercise with errors.`,
		Example: "  nimbus check demo/course/exercises/rope-means answer.nra\n" +
			"  nimbus check demo/course/exercises/rope-means --results means",
		Args: cobra.RangeArgs(1, 2),
		RunE: func(c *cobra.Command, args []string) error {
			file := ""
			if len(args) == 2 {
				file = args[1]
			}
			if (file == "") == (f.results == "") {
				return wrongUse("name one file with a program, or give arrays with --results")
			}
			return a.check(c.Context(), args[0], file, f)
		},
	}
	c.Flags().StringVar(&f.results, "results", "",
		"arrays that were computed elsewhere: a folder, a zip archive or a netCDF "+
			"file")
	c.Flags().BoolVar(&f.whole, "why", false, "print all that causes rest on: the changed line, the cases, what else fits")
	c.Flags().BoolVar(&f.student, "as-student", false, "print what a student would see")
	c.Flags().StringArrayVar(&f.said, "predict", nil, "what was said to a question asked before the first attempt; "+
		"once for each, in order")
	c.Flags().IntVar(&f.number, "attempt", 1, "with --as-student: which of the student's attempts it is")
	return c
}

// prepared opens an exercise and runs its reference; errors of the exercise are reported.
func (a *app) prepared(ctx context.Context, folder string) (*check.Prepared, error) {
	e, problems, err := openExercise(folder)
	if err != nil {
		return nil, err
	}
	var p *check.Prepared
	if len(problems) == 0 {
		p, problems = check.Prepare(ctx, e)
	}
	if len(problems) > 0 {
		a.problems(problems)
		return nil, ended(exitUse)
	}
	return p, nil
}

type checkFlags struct {
	student bool
	whole   bool // all that causes rest on
	number  int
	said    []string
	results string // arrays, in the place of a program
}

// predicted adds the points of what was said before the first attempt.
func predicted(ctx context.Context, p *check.Prepared, v *check.Verdict, said []string) error {
	if len(said) == 0 {
		return nil
	}
	if len(said) != len(p.Exercise.Predictions) {
		return wrongUse("there are %d --predict and %d questions; answer each, in order", len(said),
			len(p.Exercise.Predictions))
	}
	right := make([]bool, len(said))
	for i, answer := range said {
		got, err := check.Predict(ctx, p, i, answer)
		var u *check.Unreadable
		if errors.As(err, &u) {
			return wrongUse("question %d: %v; %s", i+1, u, u.Hint)
		}
		if err != nil {
			return unreachable(err)
		}
		right[i] = got.Right
	}
	v.Predict(p.Exercise, right)
	return nil
}

func (a *app) check(ctx context.Context, folder, file string, f checkFlags) error {
	p, err := a.prepared(ctx, folder)
	if err != nil {
		return err
	}
	start := time.Now()
	v, text, err := a.checked(ctx, p, file, f.results)
	if err != nil {
		return err
	}
	seconds := time.Since(start).Seconds()
	if err := predicted(ctx, p, v, f.said); err != nil {
		return err
	}
	if v.Fault != nil {
		fmt.Fprintf(a.err, "%v; the verdict stands, and some of what explains it may be missing. Please report it with the "+
			"program and this:\n%s\n", v.Fault, v.Fault.Stack)
	}
	if f.student {
		v = v.ForStudent(p.Exercise, f.number)
	}
	if a.output == "json" {
		if err := a.json(timedVerdict{v, seconds}); err != nil {
			return err
		}
	} else {
		a.verdict(v, text, file, f.whole)
	}
	if v.Verdict != check.Agrees {
		return ended(exitDiffers)
	}
	return nil
}

// checked checks a program, or arrays from a folder, an archive or a netCDF file.
func (a *app) checked(ctx context.Context, p *check.Prepared, file, folder string) (*check.Verdict, string, error) {
	if info, err := os.Stat(file); folder == "" && err == nil && (info.IsDir() || isArrays(file)) {
		folder = file
	}
	if folder != "" {
		b := &bringing{folder: folder}
		if err := b.read(); err != nil {
			return nil, "", err
		}
		if !p.Exercise.Takes("results") {
			return nil, "", wrongUse("the exercise `%s` takes programs, and %s holds arrays; `accepts: [program, results]` "+
				"would take both", p.Exercise.Name, folder)
		}
		v, form, err := judged(ctx, p, b.files)
		if err != nil {
			return nil, "", wrongUse("%s: %v", folder, err)
		}
		for _, line := range form.Words() {
			fmt.Fprintln(a.err, "form: "+line)
		}
		return v, "", nil
	}
	text, err := a.readText(file)
	if err != nil {
		return nil, "", err
	}
	v, err := check.Attempt(ctx, p, text, boundCase)
	if err != nil {
		return nil, "", unreachable(err)
	}
	return v, text, nil
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
		return nil, nil, wrongUse("%s is not a folder: %v", folder, err)
	}
	if _, err := os.Stat(filepath.Join(absolute, "exercise.yaml")); err != nil {
		return nil, nil, wrongUse("%s holds no exercise.yaml; name an exercise's folder", folder)
	}
	name := filepath.Base(absolute)
	top := filepath.Dir(filepath.Dir(absolute))
	if _, err := os.Stat(filepath.Join(top, "course.yaml")); err == nil &&
		filepath.Base(filepath.Dir(absolute)) == "exercises" {
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
	fmt.Fprintf(a.err, "%d to fix\n", len(problems))
}
