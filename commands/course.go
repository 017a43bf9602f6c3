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

	"nimbusreach/client"
	"nimbusreach/core/check"
	"nimbusreach/core/exercise"
	"nimbusreach/service/store"
	"nimbusreach/service/wire"
)

func (a *app) publishCommand() *cobra.Command {
	var slug string
	c := &cobra.Command{
		Use:     "publish COURSE",
		Short:   "Publish a course folder, whole or not at all",
		Long:    "Sends a course folder to the service. Its errors are told first, all at once; with any,\nnothing is published. A folder that has not changed makes no new revision.",
		Example: "  nimbus publish demo/course --course kelp-cooperative",
		Args:    cobra.ExactArgs(1),
		RunE:    func(c *cobra.Command, args []string) error { return a.publish(c.Context(), args[0], slug) },
	}
	c.Flags().StringVar(&slug, "course", "", "the course's name in addresses (default: the folder's name)")
	return c
}

func (a *app) publish(ctx context.Context, folder, slug string) error {
	course, problems, err := openCourse(folder)
	if err != nil {
		return err
	}
	if len(problems) == 0 {
		for _, e := range course.Exercises {
			_, found := check.Prepare(ctx, e)
			problems = append(problems, found...)
		}
	}
	if len(problems) > 0 {
		a.problems(problems)
		return ended(exitUse)
	}
	c, err := connect()
	if err != nil {
		return err
	}
	if slug == "" {
		absolute, err := filepath.Abs(folder)
		if err != nil {
			return wrongUse("%s: %v", folder, err)
		}
		slug = filepath.Base(absolute)
	}
	root, err := os.OpenRoot(folder)
	if err != nil {
		return wrongUse("%s cannot be opened: %v", folder, underlying(err))
	}
	defer root.Close()
	archive, err := exercise.Pack(root.FS())
	if err != nil {
		return wrongUse("%v", err)
	}
	out, err := c.Publish(ctx, slug, archive)
	var problem *client.Error
	if errors.As(err, &problem) && len(problem.Errors) > 0 {
		a.problems(problem.Errors)
		return ended(exitUse)
	}
	if err != nil {
		return answered(err)
	}
	if a.output == "json" {
		return a.json(out)
	}
	if out.Unchanged {
		a.printf("%s (%s) is unchanged: revision %d stays.\n", out.Title, out.Course, out.Revision)
		return nil
	}
	a.printf("Published %s (%s), revision %d: %s.\n", out.Title, out.Course, out.Revision, strings.Join(out.Exercises, ", "))
	return nil
}

func (a *app) attemptCommand() *cobra.Command {
	var course string
	c := &cobra.Command{
		Use:   "attempt EXERCISE FILE",
		Short: "Hand an attempt in, wait, and print the verdict",
		Long:  "Hands a program in. The attempt is stored before it is checked, so it is not lost when\nanything fails after that. Exit code 0: agrees; 1: it does not; 3: no verdict yet.",
		Example: `  nimbus attempt rope-means answer.nra
  nimbus attempt rope-means answer.nra --course kelp-cooperative --output json`,
		Args: cobra.ExactArgs(2),
		RunE: func(c *cobra.Command, args []string) error { return a.attempt(c.Context(), course, args[0], args[1]) },
	}
	c.Flags().StringVar(&course, "course", "", "the course (default: your only one)")
	return c
}

func (a *app) attempt(ctx context.Context, course, exercise, file string) error {
	text, err := a.readText(file)
	if err != nil {
		return err
	}
	c, err := connect()
	if err != nil {
		return err
	}
	if course, err = courseOf(ctx, c, course); err != nil {
		return err
	}
	got, err := c.HandIn(ctx, course, exercise, text, "", 20)
	if err != nil {
		return answered(err)
	}
	if got.Verdict == nil && got.State != string(store.Stuck) {
		if later, err := c.Attempt(ctx, got.ID, 20); err == nil {
			got = later
		}
	}
	if a.output == "json" {
		if err := a.json(got); err != nil {
			return err
		}
	} else if got.Verdict != nil {
		a.verdict(got.Verdict, text, file)
	}
	if got.Verdict == nil {
		return unreachable(fmt.Errorf("attempt %d is stored and has no verdict yet; look later", got.ID))
	}
	if got.Verdict.Verdict != check.Agrees {
		return ended(exitDiffers)
	}
	return nil
}

func (a *app) deskCommand() *cobra.Command {
	var follow bool
	c := &cobra.Command{
		Use:     "desk [COURSE]",
		Short:   "The team's view: where a class is stuck",
		Example: "  nimbus desk kelp-cooperative --follow",
		Args:    cobra.MaximumNArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			course := ""
			if len(args) > 0 {
				course = args[0]
			}
			return a.desk(c.Context(), course, follow)
		},
	}
	c.Flags().BoolVar(&follow, "follow", false, "go on and print attempts as they come")
	return c
}

func (a *app) desk(ctx context.Context, course string, follow bool) error {
	c, err := connect()
	if err != nil {
		return err
	}
	if course, err = courseOf(ctx, c, course); err != nil {
		return err
	}
	d, err := c.Desk(ctx, course)
	if err != nil {
		return answered(err)
	}
	if a.output == "json" {
		return a.json(d)
	}
	a.deskText(d)
	if !follow {
		return nil
	}
	a.printf("\nas they come:\n")
	err = c.Events(ctx, course, func(e wire.Event) bool {
		if e.Kind == "verdict" && e.Attempt != nil {
			if got, err := c.Attempt(ctx, *e.Attempt, 0); err == nil && got.Verdict != nil {
				m := marks[got.Verdict.Verdict]
				a.printf("  %s  %s %-8s %-18s %s\n", got.HandedIn.Local().Format("15:04:05"), a.paint(m.colour, m.sign), got.Verdict.Verdict, got.Exercise, got.Display)
			}
		}
		return true
	})
	if ctx.Err() != nil {
		return nil // asked to stop
	}
	return answered(err)
}

// deskText draws the desk: a row an exercise, then the knots.
func (a *app) deskText(d *wire.Desk) {
	a.printf("%s  %d students, %d attempts, %d waiting\n\n", a.paint("1", d.Title), d.Students, d.Attempts, d.Waiting)
	a.printf("  %-24s %10s %10s %10s %10s %10s %6s\n", "exercise", "● agrees", "◐ differs", "▲ failed", "■ refused", "○ waiting", "none")
	for _, e := range d.Exercises {
		a.printf("  %-24s %10d %10d %10d %10d %10d %6d\n", e.Name, e.Agrees, e.Differs, e.Failed, e.Refused, e.Waiting, e.None)
	}
	if len(d.Knots) == 0 {
		a.printf("\n  no open knots\n")
		return
	}
	a.printf("\n  knots: open attempts with one leading finding\n")
	for _, k := range d.Knots[:min(len(d.Knots), 15)] {
		what := k.Code
		if k.Output != "" {
			what += " in " + k.Output
		}
		a.printf("  %3d  %-18s %-34s since %s\n", k.People, k.Exercise, what, k.Since.Local().Format(time.DateTime))
	}
}
