package commands

import (
	"context"

	"github.com/spf13/cobra"

	"nimbusreach/client/wire"
)

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
				a.printf("  %s  %s %-8s %-18s %s\n", got.HandedIn.Local().Format("15:04:05"), a.paint(m.colour, m.sign),
					got.Verdict.Verdict, got.Exercise, got.Display)
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
	a.printf("%s  %d students, %d attempts, %d waiting\n", a.paint("1", d.Title), d.Students, d.Attempts, d.Waiting)
	if d.Stuck > 0 {
		a.printf("▲ %s without a verdict after three tries: a fault of ours, and in the log\n", plural(int(d.Stuck),
			"attempt"))
	}
	a.printf("\n")
	a.printf("  %-24s %10s %10s %10s %10s %10s %6s\n", "exercise", "● agrees", "◐ differs", "▲ failed", "■ refused",
		"○ waiting", "none")
	for _, e := range d.Exercises {
		a.printf("  %-24s %10d %10d %10d %10d %10d %6d\n", e.Name, e.Agrees, e.Differs, e.Failed, e.Refused, e.Waiting,
			e.None)
	}
	if len(d.Knots) == 0 {
		a.printf("\n  no open knots\n")
		return
	}
	a.printf("\n  knots: people who are stuck in one way\n")
	for _, k := range d.Knots[:min(len(d.Knots), 15)] {
		a.knotLine(&k)
		if k.Evidence != nil && k.Evidence.Change != "" {
			change := []rune(k.Evidence.Change)
			if len(change) > 90 {
				change = append(change[:89], '…')
			}
			a.printf("       %s\n", a.paint("2", string(change)))
		}
	}
	if more := len(d.Knots) - 15; more > 0 {
		a.printf("       and %d more\n", more)
	}
}
