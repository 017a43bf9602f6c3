package commands

import (
	"context"
	"os"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"nimbusreach/client"
	"nimbusreach/client/wire"
)

type gradesFlags struct {
	format, group, at, to string
}

func (a *app) gradebookCommand() *cobra.Command {
	var f gradesFlags
	c := &cobra.Command{
		Use: "gradebook COURSE", Short: "See what a course's students have earned, or write it to a file",
		Long: "Each checked attempt that was handed in while it counted gives its share of the points, less for late\n" +
			"ones; the best counts, or the last where the course says so. --at shows it as it was at a time.",
		Example: "  nimbus gradebook kelp-cooperative --group 'Lab 2'\n  nimbus gradebook kelp-cooperative --format xlsx " +
			"--to grades.xlsx\n  nimbus gradebook kelp-cooperative --at '2031-09-14 22:00'",
		Args: cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error { return a.gradebook(cmd.Context(), args[0], f) },
	}
	c.Flags().StringVar(&f.format, "format", "", "csv, json, xlsx or oneroster; without it a table for the terminal")
	c.Flags().StringVar(&f.group, "group", "", "one group")
	c.Flags().StringVar(&f.at, "at", "", "as it was at this time")
	c.Flags().StringVar(&f.to, "to", "", "the file to write (default: standard output)")
	return c
}

func (a *app) gradebook(ctx context.Context, course string, f gradesFlags) error {
	q := client.GradebookQuery{Group: f.group}
	if f.at != "" {
		at, err := parseTime(f.at)
		if err != nil {
			return err
		}
		q.At = at
	}
	if a.output == "json" && f.format == "" {
		f.format = "json"
	}
	switch f.format {
	case "csv", "xlsx", "oneroster":
		return a.exportGrades(ctx, course, f, q)
	case "", "json":
	default:
		return wrongUse("--format is %q; it takes csv, json, xlsx or oneroster", f.format)
	}
	c, err := connect()
	if err != nil {
		return err
	}
	book, err := c.Gradebook(ctx, course, q)
	switch {
	case err != nil:
		return answered(err)
	case f.format == "json":
		return a.json(book)
	}
	a.gradebookText(book)
	return nil
}

func (a *app) exportGrades(ctx context.Context, course string, f gradesFlags, q client.GradebookQuery) error {
	c, err := connect()
	if err != nil {
		return err
	}
	text, err := c.ExportGrades(ctx, course, f.format, q)
	if err != nil {
		return answered(err)
	}
	return a.write(text, f.to)
}

// write writes what was asked for to a file, or to standard output without one.
func (a *app) write(text []byte, to string) error {
	if to == "" {
		_, err := a.out.Write(text)
		return err
	}
	if err := os.WriteFile(to, text, 0o600); err != nil {
		return wrongUse("%s cannot be written: %v", to, underlying(err))
	}
	a.printf("%d bytes written to %s.\n", len(text), to)
	return nil
}

// gradebookText shows a gradebook: a line for each student, and what is marked in it below.
func (a *app) gradebookText(b *wire.Gradebook) {
	a.printf("%-28s %-10s", "", "")
	for i := range b.Exercises {
		a.printf(" %6d", i+1)
	}
	a.printf("  %8s %7s\n", "points", "%")
	for _, r := range b.Rows {
		a.printf("%-28.28s %-10.10s", r.Display, r.Group)
		for _, g := range r.Grades {
			a.printf(" %6s", gradeCell(&g))
		}
		percent := "—"
		if r.Percent != nil {
			percent = decimal(*r.Percent)
		}
		a.printf("  %8s %7s\n", decimal(r.Points), percent)
	}
	a.printf("%-28s %-10s", "median of those who tried", "")
	for _, e := range b.Exercises {
		text := "—"
		if e.Median != nil {
			text = decimal(*e.Median)
		}
		a.printf(" %6s", text)
	}
	a.printf("\n\n")
	for i, e := range b.Exercises {
		opened := ""
		if !e.Opened {
			opened = ", not open yet: not in the total"
		}
		a.printf("%3d  %s, %s points%s\n", i+1, e.Title, decimal(e.Possible), opened)
	}
	a.printf("* changed by hand   ! to be reviewed: the verdict under it has changed   ~ late   — excused   . not tried\n")
	if b.Review > 0 {
		a.printf("%d to be reviewed.\n", b.Review)
	}
}

func decimal(x float64) string { return strconv.FormatFloat(x, 'f', -1, 64) }

func gradeCell(g *wire.Grade) string {
	switch {
	case g.Excused:
		return "—"
	case g.Attempt == nil && g.Adjusted == nil:
		return "."
	}
	marks := map[bool]string{true: "~"}[g.Late]
	if g.Review {
		marks += "!"
	} else if g.Adjusted != nil {
		marks += "*"
	}
	return decimal(g.Points) + marks
}

func (a *app) adjustCommand() *cobra.Command {
	var x wire.NewAdjustment
	var set, add string
	var excused, withdraw bool
	c := &cobra.Command{
		Use: "adjust COURSE NAME EXERCISE", Short: "Change a student's grade by hand, or take that back",
		Long: "An adjustment sets points, adds some, or excuses from the exercise. It has a reason, which the student " +
			"sees,\n" +
			"survives checking again, and is marked for review when the verdict under it changes.",
		Example: "  nimbus adjust kelp-cooperative ada rope-means --add 0.5 --reason 'a good idea'\n  nimbus adjust " +
			"kelp-cooperative ada rope-means --excused --reason ill",
		Args: cobra.ExactArgs(3),
		RunE: func(cmd *cobra.Command, args []string) error {
			given := []string{}
			for flag, fill := range map[string]func(){"set": func() { x.Kind, x.Points = "set", set },
				"add": func() { x.Kind, x.Points = "add", add }, "excused": func() { x.Kind = "excused" }, "withdraw": func() {}} {
				if cmd.Flags().Changed(flag) {
					given = append(given, flag)
					fill()
				}
			}
			if len(given) != 1 {
				return wrongUse("give one of --set, --add, --excused and --withdraw")
			}
			return a.with(func(c *client.Client) (any, error) {
				if withdraw {
					return c.WithdrawAdjustment(cmd.Context(), args[0], args[1], args[2])
				}
				return c.Adjust(cmd.Context(), args[0], args[1], args[2], x)
			}, func(v any) {
				g := v.(*wire.Grade)
				if g.Excused {
					a.printf("%s is excused from %s.\n", args[1], args[2])
					return
				}
				a.printf("%s has %s points in %s.\n", args[1], strings.TrimRight(gradeCell(g), "*~"), args[2])
			})
		},
	}
	c.Flags().StringVar(&set, "set", "", "the points that they have")
	c.Flags().StringVar(&add, "add", "", "the points that they get in addition; below 0 that are taken off")
	c.Flags().BoolVar(&excused, "excused", false, "the exercise is taken out of their total")
	c.Flags().BoolVar(&withdraw, "withdraw", false, "take back what was changed")
	c.Flags().BoolVar(&x.Beyond, "beyond", false, "below 0, or above what is possible")
	c.Flags().StringVar(&x.Reason, "reason", "", "why; the student sees it")
	return c
}

func (a *app) quietCommand() *cobra.Command {
	var days int
	c := &cobra.Command{
		Use: "quiet COURSE", Short: "See who has handed in nothing for some days", Args: cobra.ExactArgs(1),
		Long:    "Students without an attempt for some days at an exercise that is open, those who never tried first.",
		Example: "  nimbus quiet kelp-cooperative --days 7",
		RunE: func(cmd *cobra.Command, args []string) error {
			return a.with(func(c *client.Client) (any, error) { return c.Quiet(cmd.Context(), args[0], days) }, func(v any) {
				q := v.(*wire.Quiet)
				for _, x := range q.Students {
					last := "never tried"
					if x.Last != nil {
						last = "last " + x.Last.Local().Format(clock)
					}
					a.printf("%-28s %-12s %-24s agrees in %d of %d\n", x.Display, x.Group, last, x.Agreed, q.Open)
				}
				switch {
				case q.Open == 0:
					a.printf("No exercise is open.\n")
				case q.More:
					a.printf("… and more\n")
				case len(q.Students) == 0:
					a.printf("Everybody has handed something in within %s.\n", plural(days, "day"))
				}
			})
		},
	}
	c.Flags().IntVar(&days, "days", 7, "how many days, 1 to 366")
	return c
}
