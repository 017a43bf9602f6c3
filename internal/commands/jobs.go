package commands

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"nimbusreach/client"
	"nimbusreach/client/wire"
)

// barWidth is how many cells a whole bar has.
const barWidth = 24

// following shows how far a job is, on a terminal alone.
func (a *app) following() client.Tell {
	if !a.colour() {
		return nil
	}
	return func(j *wire.Job) {
		if j.Ended != nil {
			fmt.Fprint(a.err, "\r\x1b[K")
			return
		}
		fmt.Fprintf(a.err, "\r\x1b[K%s", barOf(j))
	}
}

// barOf is a job's progress in one line.
func barOf(j *wire.Job) string {
	what := j.Stage
	if what == "" {
		what = j.State
	}
	if j.Total <= 0 {
		if j.Done > 0 {
			return fmt.Sprintf("%s: %d", what, j.Done)
		}
		return what + " …"
	}
	full := min(barWidth, int(j.Done*barWidth/j.Total))
	return fmt.Sprintf("%s%s %d of %d  %s", strings.Repeat("█", full), strings.Repeat("░", barWidth-full), j.Done, j.Total,
		what)
}

func (a *app) jobsCommand() *cobra.Command {
	return &cobra.Command{
		Use:   "jobs [COURSE]",
		Short: "List a course's long work: publishing, previews, probes, re-checks",
		Long: "Lists the newest jobs of a course, with how far each is. Any process of the service\ntakes them up; one " +
			"whose process dies goes on elsewhere.",
		Example: "  nimbus jobs kelp-cooperative",
		Args:    cobra.MaximumNArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			course := ""
			if len(args) > 0 {
				course = args[0]
			}
			return a.jobs(c.Context(), course)
		},
	}
}

func (a *app) jobs(ctx context.Context, course string) error {
	c, err := connect()
	if err != nil {
		return err
	}
	if course, err = courseOf(ctx, c, course); err != nil {
		return err
	}
	list, err := c.Jobs(ctx, course)
	if err != nil {
		return answered(err)
	}
	if a.output == "json" {
		return a.json(list)
	}
	if len(list.Jobs) == 0 {
		a.printf("No jobs in %s.\n", course)
	}
	for i := range list.Jobs {
		j := &list.Jobs[i]
		far := ""
		if j.Total > 0 {
			far = fmt.Sprintf("%d of %d", j.Done, j.Total)
		}
		a.printf("%6d  %-8s  %-8s %-16s %s\n", j.ID, j.Kind, j.State, far, j.Created.Local().Format("2006-01-02 15:04:05"))
	}
	return nil
}

func (a *app) jobCommand() *cobra.Command {
	var stop, resume, follow bool
	c := &cobra.Command{
		Use:   "job NUMBER",
		Short: "Show how far a job is; stop it, or let it go on",
		Long: "Shows a job. With --follow it waits for its end. --stop ends it where it is: what it has\ndone stays, and " +
			"--resume lets it go on from there.",
		Example: "  nimbus job 12 --follow\n  nimbus job 12 --stop\n  nimbus job 12 --resume",
		Args:    cobra.ExactArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			id, err := strconv.ParseUint(args[0], 10, 64)
			if err != nil {
				return wrongUse("a job has a number, and %q is none; `nimbus jobs COURSE` lists them", args[0])
			}
			if stop && resume {
				return wrongUse("--stop and --resume are each other's opposite; give one")
			}
			return a.job(c.Context(), id, stop, resume, follow)
		},
	}
	c.Flags().BoolVar(&stop, "stop", false, "stop it")
	c.Flags().BoolVar(&resume, "resume", false, "let it go on that was stopped")
	c.Flags().BoolVar(&follow, "follow", false, "wait for its end")
	return c
}

func (a *app) job(ctx context.Context, id uint64, stop, resume, follow bool) error {
	c, err := connect()
	if err != nil {
		return err
	}
	ask := c.Job
	switch {
	case stop:
		ask = c.StopJob
	case resume:
		ask = c.ResumeJob
	}
	j, err := ask(ctx, id)
	if err == nil && follow {
		j, err = c.Follow(ctx, j, a.following())
	}
	var problem *client.Error
	var stopped *client.Stopped
	if err != nil && !errors.As(err, &stopped) && (!errors.As(err, &problem) || j.Problem == nil) {
		return answered(err)
	}
	if a.output == "json" {
		return a.json(j)
	}
	a.jobText(j)
	return nil
}

func (a *app) jobText(j *wire.Job) {
	a.printf("job %d, %s of %s: %s\n", j.ID, j.Kind, j.Course, j.State)
	if j.Total > 0 || j.Ended == nil {
		a.printf("%s\n", barOf(j))
	}
	switch {
	case j.Problem != nil:
		a.printf("%s Try: %s.\n", j.Problem.Detail, j.Problem.Hint)
	case j.State == "stopped":
		a.printf("`nimbus job %d --resume` lets it go on.\n", j.ID)
	case j.Published != nil && j.Published.Preview:
		a.previewText(j.Published)
	case j.Published != nil:
		a.printf("revision %d\n", j.Published.Revision)
	case j.Draft != nil:
		for _, e := range j.Draft.Exercises {
			a.printf("%-24s %s, %d caught, %d equivalent, %d survive\n", e.Name, plural(e.Slips, "slip"), e.Caught,
				e.Equivalent, len(e.Survivors))
		}
	case j.Rechecked != nil:
		a.printf("%s checked again by revision %d\n", plural(int(j.Rechecked.Attempts), "attempt"), j.Rechecked.Revision)
	}
}

func (a *app) recheckCommand() *cobra.Command {
	var exercises []string
	var follow, preview, keep bool
	c := &cobra.Command{
		Use:   "recheck COURSE",
		Short: "Check attempts again by the current revision",
		Long: "Puts every attempt that has a verdict back into the line, behind those handed in. Each keeps\nits verdict " +
			"until it has a new one. The work may be stopped and resumed: see `nimbus job`.",
		Example: "  nimbus recheck kelp-cooperative --exercise rope-means --preview\n  nimbus recheck kelp-cooperative " +
			"--exercise rope-means --keep-better --follow",
		Args: cobra.ExactArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			if preview {
				return a.recheckPreview(c.Context(), args[0], exercises)
			}
			return a.recheck(c.Context(), args[0], exercises, follow, keep)
		},
	}
	c.Flags().StringSliceVar(&exercises, "exercise", nil, "an exercise whose attempts are checked again; may be repeated "+
		"(default: all)")
	c.Flags().BoolVar(&follow, "follow", false, "wait for its end")
	c.Flags().BoolVar(&preview, "preview", false, "show which verdicts and grades would change, and check nothing again")
	c.Flags().BoolVar(&keep, "keep-better", false, "the better of both verdicts counts for the grade")
	return c
}

// recheckPreview shows what checking again by the current revision would change.
func (a *app) recheckPreview(ctx context.Context, course string, exercises []string) error {
	c, err := connect()
	if err != nil {
		return err
	}
	about, err := c.Course(ctx, course)
	if err != nil {
		return answered(err)
	}
	archive, err := c.Revision(ctx, course, about.Revision)
	if err != nil {
		return answered(err)
	}
	out, err := c.Preview(ctx, course, archive, a.following())
	if err != nil {
		return answered(err)
	}
	other := func(name string) bool { return len(exercises) > 0 && !slices.Contains(exercises, name) }
	out.Changes = slices.DeleteFunc(out.Changes, func(x wire.VerdictChange) bool { return other(x.Exercise) })
	out.Grades = slices.DeleteFunc(out.Grades, func(x wire.GradeChange) bool { return other(x.Exercise) })
	if a.output == "json" {
		return a.json(out)
	}
	out.Advice = nil // of the folder, which is as it was
	a.previewText(out)
	a.printf("Nothing was checked again.\n")
	return nil
}

func (a *app) recheck(ctx context.Context, course string, exercises []string, follow, keep bool) error {
	c, err := connect()
	if err != nil {
		return err
	}
	j, err := c.Recheck(ctx, course, exercises, keep)
	if err == nil && follow {
		j, err = c.Follow(ctx, j, a.following())
	}
	if err != nil {
		return answered(err)
	}
	if a.output == "json" {
		return a.json(j)
	}
	a.jobText(j)
	return nil
}
