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
	"nimbusreach/core/check"
	"nimbusreach/core/dataio"
	"nimbusreach/core/exercise"
	"nimbusreach/service/store"
	"nimbusreach/service/wire"
)

func (a *app) publishCommand() *cobra.Command {
	var slug string
	var f publishFlags
	c := &cobra.Command{
		Use:     "publish COURSE",
		Short:   "Publish a course folder, whole or not at all",
		Long:    "Sends a course folder to the service. Its errors are told first, all at once; with any,\nnothing is published. Advice, survivors of probing and the verdicts that would change are\nshown before it is sent; --preview stops there. A folder that has not changed makes no new\nrevision. With --recheck every attempt is checked again by the new one.",
		Example: "  nimbus publish demo/course --course kelp-cooperative --preview\n  nimbus publish demo/course --course kelp-cooperative --recheck",
		Args:    cobra.ExactArgs(1),
		RunE:    func(c *cobra.Command, args []string) error { return a.publish(c.Context(), args[0], slug, f) },
	}
	c.Flags().StringVar(&slug, "course", "", "the course's name in addresses (default: the folder's name)")
	c.Flags().BoolVar(&f.preview, "preview", false, "show what would change, and publish nothing")
	c.Flags().BoolVar(&f.recheck, "recheck", false, "check every attempt again by the new revision")
	return c
}

type publishFlags struct{ preview, recheck bool }

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
	out, err := c.Preview(ctx, slug, archive)
	if err == nil && !f.preview {
		if a.output == "text" {
			a.previewText(out)
		}
		if f.recheck {
			out, err = c.Republish(ctx, slug, archive)
		} else {
			out, err = c.Publish(ctx, slug, archive)
		}
	}
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
	if out.Preview {
		a.previewText(out)
		a.printf("Nothing was published.\n")
		return nil
	}
	if out.Rechecked > 0 {
		a.printf("%s wait to be checked again.\n", plural(int(out.Rechecked), "attempt"))
	}
	if out.Unchanged {
		a.printf("%s (%s) is unchanged: revision %d stays.\n", out.Title, out.Course, out.Revision)
		return nil
	}
	a.printf("Published %s (%s), revision %d: %s.\n", out.Title, out.Course, out.Revision, strings.Join(out.Exercises, ", "))
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
	a.printf("%s checked, %d verdicts change\n", plural(out.Checked, "attempt"), len(out.Changes))
	for _, x := range out.Changes[:min(len(out.Changes), 20)] {
		a.printf("  %-8d %-20s %-24s %s → %s\n", x.Attempt, x.Exercise, x.Display, x.Before, x.After)
	}
}

func (a *app) coursesCommand() *cobra.Command {
	var revision int
	var to string
	c := &cobra.Command{
		Use:   "courses [COURSE]",
		Short: "List your courses, or a course's revisions; get one back as a folder",
		Long:  "Without a course it lists your courses. With one it lists its revisions, newest first;\nwith --revision and --to it writes that revision's folder, which works offline.",
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
		me, err := c.Me(ctx)
		if err != nil {
			return answered(err)
		}
		if a.output == "json" {
			return a.json(me.Courses)
		}
		for _, x := range me.Courses {
			a.printf("%-24s %-12s %s\n", x.Slug, x.Role, x.Title)
		}
		return nil
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

// handIn hands a program in, or the arrays of a folder or archive.
func (a *app) handIn(ctx context.Context, c *client.Client, course, name, file string) (*wire.Attempt, string, error) {
	if info, err := os.Stat(file); err == nil && (info.IsDir() || filepath.Ext(file) == ".zip") {
		results, err := a.handedArrays(ctx, c, course, name, file, info)
		if err != nil {
			return nil, "", err
		}
		got, err := c.HandInArrays(ctx, course, name, results, 20)
		if err != nil {
			return nil, "", answered(err)
		}
		return got, "", nil
	}
	text, err := a.readText(file)
	if err != nil {
		return nil, "", err
	}
	got, err := c.HandIn(ctx, course, name, text, "", 20)
	if err != nil {
		return nil, "", answered(err)
	}
	return got, text, nil
}

// handedArrays reads arrays for the shown cases of a published exercise.
func (a *app) handedArrays(ctx context.Context, c *client.Client, course, name, file string, info os.FileInfo) (map[string]map[string]dataio.JSON, error) {
	e, err := c.Exercise(ctx, course, name)
	if err != nil {
		return nil, answered(err)
	}
	fsys, closer, err := resultFiles(file, info)
	if err != nil {
		return nil, err
	}
	defer closer()
	var cases []string
	for _, x := range e.Cases {
		cases = append(cases, x.Name)
	}
	wanted := map[string][]*string{}
	for _, o := range e.Outputs {
		wanted[o.Name] = o.Axes
	}
	results, wrong := check.ReadArrays(fsys, cases, func(output string) (rank int, labels []string, ok bool) {
		axes, ok := wanted[output]
		if !ok || axes == nil {
			return -1, nil, ok
		}
		labels = make([]string, len(axes))
		for i, l := range axes {
			if l != nil {
				labels[i] = *l
			}
		}
		return len(axes), labels, true
	})
	if len(wrong) > 0 {
		return nil, wrongUse("arrays of %s cannot be read: %s", file, strings.Join(wrong, "; "))
	}
	out := map[string]map[string]dataio.JSON{}
	for x, outputs := range results {
		out[x] = map[string]dataio.JSON{}
		for output, v := range outputs {
			out[x][output] = dataio.JSON{Array: v}
		}
	}
	return out, nil
}

func (a *app) attempt(ctx context.Context, course, exercise, file string) error {
	c, err := connect()
	if err != nil {
		return err
	}
	if course, err = courseOf(ctx, c, course); err != nil {
		return err
	}
	got, text, err := a.handIn(ctx, c, course, exercise, file)
	if err != nil {
		return err
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
