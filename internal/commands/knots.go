package commands

import (
	"cmp"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"nimbusreach/client"
	"nimbusreach/client/wire"
)

func (a *app) knotsCommand() *cobra.Command {
	var q client.KnotQuery
	var output string
	c := &cobra.Command{
		Use: "knots COURSE", Short: "See where a class is stuck, and one knot with everything about it",
		Long: "A knot is everybody whose newest attempt at an exercise differs in the same way for the same\nreason. With " +
			"--exercise, --code and --output it shows that one: how it is written, who is in it,\nwho has left it and which " +
			"notes were written.",
		Example: "  nimbus knots kelp-cooperative --exercise rope-means --sort growth\n  nimbus knots kelp-cooperative " +
			"--exercise rope-means --code axis.other --output per_rope",
		Args: cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			if cmd.Flags().Changed("output") || q.Exercise != "" && strings.Contains(q.Code, ".") {
				return a.with(func(c *client.Client) (any, error) {
					return c.Knot(cmd.Context(), args[0], q.Exercise, q.Code, output, q.Group)
				}, func(v any) { a.knotText(v.(*wire.KnotPage)) })
			}
			return a.with(func(c *client.Client) (any, error) { return c.Knots(cmd.Context(), args[0], q) }, func(v any) {
				list := v.(*wire.Knots).Knots
				for i := range list {
					a.knotLine(&list[i])
				}
				if len(list) == 0 {
					a.printf("No knots: every newest attempt agrees, or nobody has begun.\n")
				}
			})
		},
	}
	c.Flags().StringVar(&q.Exercise, "exercise", "", "of this exercise")
	c.Flags().StringVar(&q.Code, "code", "", "led by this code, or by codes that begin with it, as axis")
	c.Flags().StringVar(&output, "output", "", "of this output: shows that knot")
	c.Flags().StringVar(&q.Topic, "topic", "", "of exercises of this topic")
	c.Flags().StringVar(&q.Group, "group", "", "one group")
	c.Flags().StringVar(&q.Sort, "sort", "people", "people, growth or age")
	return c
}

// spark draws counts as a line of bars.
func spark(list []int) string {
	const bars = "▁▂▃▄▅▆▇█"
	most := 1
	for _, n := range list {
		most = max(most, n)
	}
	var b strings.Builder
	for _, n := range list {
		if n == 0 {
			b.WriteRune('·')
			continue
		}
		b.WriteRune([]rune(bars)[(n*8-1)/most])
	}
	return b.String()
}

func (a *app) knotLine(k *wire.Knot) {
	what := cmp.Or(k.Says, k.Code)
	if k.Output != "" {
		what = k.Output + ": " + what
	}
	if runes := []rune(what); len(runes) > 56 {
		what = string(runes[:55]) + "…"
	}
	grows := ""
	switch d := k.People - k.HourAgo; {
	case k.Growing:
		grows = a.paint("33", plusMinus(d)+" this hour, growing")
	case d != 0:
		grows = plusMinus(d) + " this hour"
	}
	notes := ""
	if k.Notes > 0 {
		notes = plural(k.Notes, "note")
	}
	a.printf("  %3d of %-3d %-18s %-56s %s  since %s  %s\n", k.People, k.Tried, k.Exercise, what, spark(k.Arrivals),
		k.Since.Local().Format("Jan 2 15:04"), k.Code)
	if grows != "" || notes != "" {
		a.printf("             %s  %s\n", grows, notes)
	}
}

func plusMinus(n int) string {
	if n > 0 {
		return "+" + strconv.Itoa(n)
	}
	return "−" + strconv.Itoa(-n)
}

func (a *app) knotText(p *wire.KnotPage) {
	what := cmp.Or(p.Says, p.Code)
	if p.Output != "" {
		what = p.Output + ": " + what
	}
	a.printf("%s  %s\n", a.paint("1", p.Called), what)
	a.printf("%d of the %d who tried it; %s in the last hour   %s\n", p.People, p.Tried, changeText(p.People-p.HourAgo),
		spark(p.Arrivals))
	a.printf("\nways of writing it\n")
	for i := range p.Ways[:min(len(p.Ways), 10)] {
		w := &p.Ways[i]
		a.printf("  %d, as in attempt %d\n", w.Count, w.Attempt)
		for line := range strings.Lines(strings.TrimSpace(w.Program)) {
			a.printf("      %s\n", strings.TrimRight(line, "\r\n"))
		}
		if w.Evidence != nil && w.Evidence.Change != "" {
			a.printf("    %s\n", a.paint("2", w.Evidence.Change))
		}
	}
	if more := len(p.Ways) - 10; more > 0 {
		a.printf("  and %d more\n", more)
	}
	a.printf("\nwho is in it\n")
	for _, m := range p.In {
		a.printf("  %-28s %-12s since %s, %s\n", m.Display, m.Group, m.Since.Local().Format(clock), plural(m.Tries,
			"try"))
	}
	if len(p.Left) > 0 {
		a.printf("\nwho has left it: %d agree by now\n", p.Agreed)
		for _, l := range p.Left {
			where := "● agrees"
			if l.Now != nil {
				where = "◐ " + cmp.Or(l.Now.Says, l.Now.Code)
			}
			a.printf("  %-28s %-12s %s  %s\n", l.Display, l.Group, l.At.Local().Format(clock), where)
		}
	}
	if len(p.Notes) > 0 {
		a.printf("\nnotes\n")
		for i := range p.Notes {
			a.noteLine(&p.Notes[i])
		}
	}
}

func changeText(n int) string {
	if n == 0 {
		return "as many as an hour ago: 0"
	}
	return plusMinus(n)
}
