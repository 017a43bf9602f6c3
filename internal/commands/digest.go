package commands

import (
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"nimbusreach/client"
	"nimbusreach/client/wire"
)

func (a *app) digestCommand() *cobra.Command {
	var q client.DigestQuery
	var since, until, format, to, every string
	c := &cobra.Command{
		Use: "digest COURSE", Short: "See what happened in a course within a week, and what to teach again",
		Long: "Three sentences first; then attempts, knots that formed, grew and dissolved, notes and what they came\n" +
			"to, and how each exercise stands. --every sends it by mail to the team each week.",
		Example: "  nimbus digest kelp-cooperative --since '2031-09-07'\n  nimbus digest kelp-cooperative --format html " +
			"--to week.html\n  nimbus digest kelp-cooperative --every 'monday 7 Europe/Oslo'",
		Args: cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) (err error) {
			if every != "" {
				return a.digestEvery(cmd, args[0], every)
			}
			if since != "" {
				if q.From, err = parseTime(since); err != nil {
					return err
				}
			}
			if until != "" {
				if q.To, err = parseTime(until); err != nil {
					return err
				}
			}
			if a.output == "json" {
				return a.with(func(c *client.Client) (any, error) { return c.Digest(cmd.Context(), args[0], q) }, nil)
			}
			if format != "text" && format != "markdown" && format != "html" {
				return wrongUse("--format is %q; it takes text, markdown or html", format)
			}
			c, err := connect()
			if err != nil {
				return err
			}
			text, err := c.DigestAs(cmd.Context(), args[0], format, q)
			if err != nil {
				return answered(err)
			}
			return a.write(text, to)
		},
	}
	c.Flags().StringVar(&since, "since", "", "the beginning of the span (default: a week before its end)")
	c.Flags().StringVar(&until, "until", "", "its end (default: now)")
	c.Flags().StringVar(&q.Group, "group", "", "one group")
	c.Flags().StringVar(&q.Zone, "zone", "", "the time zone that times are shown in, as Europe/Oslo (default: UTC)")
	c.Flags().StringVar(&format, "format", "text", "text, markdown or html")
	c.Flags().StringVar(&to, "to", "", "the file to write (default: standard output)")
	c.Flags().StringVar(&every, "every", "", "send it by mail: a day, an hour and a time zone, or never")
	return c
}

// digestEvery changes when a course's digest is sent by mail.
func (a *app) digestEvery(cmd *cobra.Command, course, every string) error {
	var to wire.CourseSettings
	if every != "never" {
		words := strings.Fields(every)
		if len(words) < 2 || len(words) > 3 {
			return wrongUse("--every is %q; give a day, an hour and a time zone, as 'monday 7 Europe/Oslo', or never", every)
		}
		hour, err := strconv.Atoi(words[1])
		if err != nil {
			return wrongUse("%q is no hour; give 0 to 23", words[1])
		}
		to.Digest = &wire.DigestTime{Day: words[0], Hour: hour, Zone: "UTC"}
		if len(words) == 3 {
			to.Digest.Zone = words[2]
		}
	}
	return a.with(func(c *client.Client) (any, error) { return c.SetSettings(cmd.Context(), course, to) }, func(v any) {
		d := v.(*wire.CourseSettings).Digest
		if d == nil {
			a.printf("The digest is not sent by itself.\n")
			return
		}
		a.printf("The digest is sent each %s at %d:00, %s.\n", d.Day, d.Hour, d.Zone)
	})
}

func (a *app) hookCommand() *cobra.Command {
	c := &cobra.Command{Use: "hook", Short: "Have another program told of what happens in a course",
		Long: "A web hook is an https address that gets events as CloudEvents in JSON, signed as Standard Webhooks has\n" +
			"it: knot.growing, note.answered and digest.sent.",
		Example: "  nimbus hook add kelp-cooperative https://bay.example/desk --event knot.growing"}
	var n wire.NewHook
	add := &cobra.Command{
		Use: "add COURSE ADDRESS", Short: "Have an address told of events; prints the secret, once", Args: cobra.ExactArgs(2),
		Example: "  nimbus hook add kelp-cooperative https://bay.example/desk",
		RunE: func(cmd *cobra.Command, args []string) error {
			n.Address = args[1]
			return a.with(func(c *client.Client) (any, error) { return c.AddHook(cmd.Context(), args[0], n) }, func(v any) {
				h := v.(*wire.Hook)
				a.printf("hook %d is told of %s\nsecret %s\n", h.ID, strings.Join(h.Events, ", "), h.Secret)
			})
		},
	}
	add.Flags().StringSliceVar(&n.Events, "event", nil, "an event that it is told of; may be repeated (default: all)")
	list := &cobra.Command{
		Use: "list COURSE", Short: "List a course's web hooks", Args: cobra.ExactArgs(1),
		Example: "  nimbus hook list kelp-cooperative",
		RunE: func(cmd *cobra.Command, args []string) error {
			return a.with(func(c *client.Client) (any, error) { return c.Hooks(cmd.Context(), args[0]) }, func(v any) {
				for _, h := range v.([]wire.Hook) {
					a.printf("%5d  %s  %s\n", h.ID, h.Address, strings.Join(h.Events, ", "))
				}
			})
		},
	}
	log := &cobra.Command{
		Use: "log COURSE HOOK", Short: "Show what was sent to a web hook lately", Args: cobra.ExactArgs(2),
		Example: "  nimbus hook log kelp-cooperative 1",
		RunE: func(cmd *cobra.Command, args []string) error {
			id, err := idOf(args[1], "hook")
			if err != nil {
				return err
			}
			return a.with(func(c *client.Client) (any, error) { return c.HookCalls(cmd.Context(), args[0], id) }, func(v any) {
				for _, x := range v.(*wire.HookCalls).Calls {
					a.printf("%s  %-14s %-8s %3d  %s\n", x.Created.Local().Format(clock), x.Kind, x.State, x.Status, x.Error)
				}
			})
		},
	}
	withdraw := &cobra.Command{
		Use: "withdraw COURSE HOOK", Short: "Tell an address nothing any more", Args: cobra.ExactArgs(2),
		Example: "  nimbus hook withdraw kelp-cooperative 1",
		RunE: func(cmd *cobra.Command, args []string) error {
			id, err := idOf(args[1], "hook")
			if err != nil {
				return err
			}
			return a.with(func(c *client.Client) (any, error) {
				return map[string]uint64{"withdrawn": id}, c.EndHook(cmd.Context(), args[0], id)
			}, func(any) { a.printf("hook %d is told nothing any more\n", id) })
		},
	}
	c.AddCommand(add, list, log, withdraw)
	return c
}
