package commands

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"nimbusreach/client"
	"nimbusreach/client/wire"
	"nimbusreach/internal/core/check"
	"nimbusreach/internal/core/exercise"
)

func (a *app) publishCommand() *cobra.Command {
	var slug string
	var f publishFlags
	c := &cobra.Command{
		Use:   "publish COURSE",
		Short: "Publish a course folder, whole or not at all",
		Long: "Sends a course folder to the service. Its errors are reported first, all at once; with any,\n" +
			"nothing is published. Advice, survivors of probing and the verdicts that would change are\nshown before it is " +
			"sent; --preview stops there. A folder that has not changed makes no new\nrevision. With --recheck every attempt " +
			"is checked again by the new one.",
		Example: "  nimbus publish demo/course --course kelp-cooperative --preview\n  nimbus publish demo/course --course " +
			"kelp-cooperative --recheck",
		Args: cobra.ExactArgs(1),
		RunE: func(c *cobra.Command, args []string) error { return a.publish(c.Context(), args[0], slug, f) },
	}
	c.Flags().StringVar(&slug, "course", "", "the course's name in addresses (default: the folder's name)")
	c.Flags().BoolVar(&f.preview, "preview", false, "show what would change, and publish nothing")
	c.Flags().BoolVar(&f.recheck, "recheck", false, "check every attempt again by the new revision")
	c.Flags().BoolVar(&f.keep, "keep-better", false, "with --recheck: the better of both verdicts counts for the grade")
	c.Flags().IntVar(&f.from, "from", 0, "the revision that the folder was edited from (default: what the folder "+
		"remembers)")
	c.Flags().BoolVar(&f.replace, "replace", false, "replace the current revision whoever published it")
	return c
}

type publishFlags struct {
	preview, recheck, replace, keep bool
	from                            int
}

// began is the revision that a folder's edit began from.
func (f publishFlags) began(folder, service, slug string) int {
	switch {
	case f.replace:
		return client.AnyRevision
	case f.from > 0:
		return f.from
	}
	return originOf(folder, service, slug)
}

func (a *app) publish(ctx context.Context, folder, slug string, f publishFlags) error {
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
	out, err := c.Preview(ctx, slug, archive, a.following())
	if err == nil && !f.preview {
		if a.output == "text" {
			a.previewText(out)
		}
		out, err = c.PublishFrom(ctx, slug, archive, client.Publishing{From: f.began(folder, c.Base(), slug),
			Recheck: f.recheck, Keep: f.keep, Tell: a.following()})
	}
	var problem *client.Error
	if errors.As(err, &problem) {
		switch {
		case len(problem.Errors) > 0:
			a.problems(problem.Errors)
			return ended(exitUse)
		case problem.Current != nil:
			return &exit{code: exitUse, err: fmt.Errorf("%s\n  `nimbus courses %s --revision %d --to FOLDER` gets it; put "+
				"your change into it, or publish with --from %d or --replace when yours is to take its place", problem.Detail,
				slug, problem.Current.Number, problem.Current.Number)}
		}
	}
	if err != nil {
		return answered(err)
	}
	if !out.Preview {
		remember(folder, origin{c.Base(), slug, out.Revision})
	}
	if a.output == "json" {
		return a.json(out)
	}
	if out.Preview {
		a.previewText(out)
		a.printf("Nothing was published.\n")
		return nil
	}
	if out.Rechecked > 0 {
		a.printf("%s %s checked again; `nimbus job %d` shows how far it is.\n", plural(int(out.Rechecked), "attempt"),
			map[bool]string{true: "is", false: "are"}[out.Rechecked == 1], *out.Recheck)
	}
	if out.Unchanged {
		a.printf("%s (%s) is unchanged: revision %d stays.\n", out.Title, out.Course, out.Revision)
		return nil
	}
	a.printf("Published %s (%s), revision %d: %s.\n", out.Title, out.Course, out.Revision, strings.Join(out.Exercises,
		", "))
	return nil
}

// previewText shows advice, survivors and changed verdicts before publishing.
func (a *app) previewText(out *wire.Published) {
	if len(out.Advice) > 0 {
		a.adviceText(out.Advice, len(out.Exercises))
	}
	a.printf("%s, %d survive\n", plural(out.Slips, "slip"), out.Survivors)
	if out.Checked == 0 {
		return
	}
	older := ""
	if out.Unchecked {
		older = "; older ones were not looked at for want of time"
	}
	a.printf("%s checked, %d verdicts change%s\n", plural(out.Checked, "attempt"), len(out.Changes), older)
	for _, x := range out.Changes[:min(len(out.Changes), 20)] {
		a.printf("  %-8d %-20s %-24s %s → %s, %s → %s points\n", x.Attempt, x.Exercise, x.Display, x.Before, x.After,
			decimal(x.Earned), decimal(x.Now))
	}
	if len(out.Grades) == 0 {
		return
	}
	a.printf("%s would change once attempts are checked again\n", plural(len(out.Grades), "grade"))
	for _, x := range out.Grades[:min(len(out.Grades), 20)] {
		kept := ""
		if x.Kept != x.After {
			kept = fmt.Sprintf(", or %s with --keep-better", decimal(x.Kept))
		}
		a.printf("  %-24s %-20s %s → %s%s\n", x.Display, x.Exercise, decimal(x.Before), decimal(x.After), kept)
	}
}

func (a *app) coursesCommand() *cobra.Command {
	var revision int
	var to string
	c := &cobra.Command{
		Use:   "courses [COURSE]",
		Short: "List, make, copy and archive courses; list a course's revisions, and get one back as a folder",
		Long: "Without a course it lists your courses. With one it lists its revisions, newest first;\n" +
			"with --revision and --to it writes that revision's folder, which works offline.",
		Example: `  nimbus courses
  nimbus courses kelp-cooperative
  nimbus courses kelp-cooperative --revision 1 --to kelp-as-it-was`,
		Args: cobra.MaximumNArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			course := ""
			if len(args) > 0 {
				course = args[0]
			}
			return a.courses(c.Context(), course, revision, to)
		},
	}
	c.Flags().IntVar(&revision, "revision", 0, "which revision to get back")
	c.Flags().StringVar(&to, "to", "", "the folder to write it to; it must not be there yet")
	c.AddCommand(a.courseListCommand(), a.courseCreateCommand(), a.courseCopyCommand(), a.courseArchiveCommand(),
		a.courseGetCommand())
	return c
}

func (a *app) courses(ctx context.Context, course string, revision int, to string) error {
	if (revision > 0) != (to != "") {
		return wrongUse("--revision and --to go together: which revision, and the folder to write it to")
	}
	c, err := connect()
	if err != nil {
		return err
	}
	if course == "" {
		return a.ownCourses(ctx)
	}
	if revision > 0 {
		archive, err := c.Revision(ctx, course, revision)
		if err != nil {
			return answered(err)
		}
		n, err := unpackTo(archive, to)
		if err != nil {
			return err
		}
		remember(to, origin{c.Base(), course, revision})
		a.printf("%s written to %s.\n", plural(n, "file"), to)
		return nil
	}
	list, err := c.Revisions(ctx, course)
	if err != nil {
		return answered(err)
	}
	if a.output == "json" {
		return a.json(list)
	}
	for _, x := range list.Revisions {
		current := ""
		if x.Current {
			current = "current"
		}
		a.printf("%4d  %s  %-20s %s\n", x.Number, x.At.Local().Format(time.DateTime), x.By, current)
	}
	return nil
}

// unpackTo writes a packed course into a folder that is not there yet.
func unpackTo(archive []byte, to string) (int, error) {
	folder, err := exercise.Unpack(archive)
	if err != nil {
		return 0, unreachable(err)
	}
	if _, err := os.Stat(to); err == nil {
		return 0, wrongUse("%s is there already; name a folder that is not", to)
	}
	n := 0
	err = fs.WalkDir(folder, ".", func(name string, d fs.DirEntry, err error) error {
		if err == nil && !d.IsDir() {
			n++
		}
		return err
	})
	if err == nil {
		err = os.CopyFS(to, folder)
	}
	if err != nil {
		return 0, wrongUse("%s cannot be written: %v", to, err)
	}
	return n, nil
}
