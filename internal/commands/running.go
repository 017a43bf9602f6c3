package commands

import (
	"context"
	"strconv"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"nimbusreach/client"
	"nimbusreach/client/wire"
)

const clock = "2006-01-02 15:04"

// parseTime reads a time with its zone, or without one in this machine's.
func parseTime(text string) (time.Time, error) {
	for _, layout := range []string{time.RFC3339, clock, "2006-01-02T15:04"} {
		if t, err := time.ParseInLocation(layout, text, time.Local); err == nil {
			return t, nil
		}
	}
	return time.Time{}, wrongUse("%q is not a time; write it as 2031-09-14T22:00:00Z, or as \"2031-09-14 22:00\" in this "+
		"machine's zone", text)
}

func (a *app) extensionCommand() *cobra.Command {
	c := &cobra.Command{Use: "extension", Short: "Give a person or a group more time or attempts",
		Long: "An extension gives a person, or everybody of a group, another closing time, another number of\nattempts, or " +
			"both, for one exercise or all. Of several the latest holds. The student sees it\nwith its reason.",
		Example: "  nimbus extension add kelp-cooperative --person ada --exercise rope-means --closes '2031-09-16 22:00' " +
			"--reason 'ill'"}
	var x wire.NewExtension
	var closes string
	var attempts int
	add := &cobra.Command{
		Use: "add COURSE", Short: "Give an extension", Args: cobra.ExactArgs(1),
		Example: "  nimbus extension add kelp-cooperative --group 'Lab 2' --closes '2031-09-16 22:00' --reason 'the lab " +
			"was " +
			"closed'",
		RunE: func(cmd *cobra.Command, args []string) error {
			if closes != "" {
				t, err := parseTime(closes)
				if err != nil {
					return err
				}
				x.Closes = &t
			}
			if cmd.Flags().Changed("attempts") {
				x.Attempts = &attempts
			}
			return a.with(func(c *client.Client) (any, error) { return c.GiveExtension(cmd.Context(), args[0], x) },
				func(v any) { a.extensionText(v.(*wire.Extension)) })
		},
	}
	add.Flags().StringVar(&x.Person, "person", "", "who gets it, or")
	add.Flags().StringVar(&x.Group, "group", "", "which group gets it")
	add.Flags().StringVar(&x.Exercise, "exercise", "", "the exercise (default: all)")
	add.Flags().StringVar(&closes, "closes", "", "the closing time")
	add.Flags().IntVar(&attempts, "attempts", 0, "the number of attempts")
	add.Flags().StringVar(&x.Reason, "reason", "", "why; the student sees it")
	list := &cobra.Command{
		Use: "list COURSE", Short: "List a course's extensions, newest first", Args: cobra.ExactArgs(1),
		Example: "  nimbus extension list kelp-cooperative",
		RunE: func(cmd *cobra.Command, args []string) error {
			return a.with(func(c *client.Client) (any, error) { return c.Extensions(cmd.Context(), args[0]) }, func(v any) {
				for _, x := range v.(*wire.Extensions).Extensions {
					a.extensionText(&x)
				}
			})
		},
	}
	withdraw := &cobra.Command{
		Use: "withdraw COURSE NUMBER", Short: "Withdraw an extension", Args: cobra.ExactArgs(2),
		Example: "  nimbus extension withdraw kelp-cooperative 12",
		RunE: func(cmd *cobra.Command, args []string) error {
			id, err := strconv.ParseUint(args[1], 10, 64)
			if err != nil {
				return wrongUse("an extension has a number, and %q is none; `nimbus extension list` lists them", args[1])
			}
			c, err := connect()
			if err != nil {
				return err
			}
			if err := c.WithdrawExtension(cmd.Context(), args[0], id); err != nil {
				return answered(err)
			}
			a.printf("Extension %d is withdrawn.\n", id)
			return nil
		},
	}
	c.AddCommand(add, list, withdraw)
	return c
}

func (a *app) extensionText(x *wire.Extension) {
	who, what, gives := x.Person, x.Exercise, []string{}
	if x.Group != "" {
		who = "group " + x.Group
	}
	if what == "" {
		what = "all exercises"
	}
	if x.Closes != nil {
		gives = append(gives, "until "+x.Closes.Local().Format(clock))
	}
	if x.Attempts != nil {
		gives = append(gives, plural(*x.Attempts, "attempt"))
	}
	state := ""
	if x.Withdrawn != nil {
		state = "  (withdrawn)"
	}
	a.printf("%5d  %-20s %-20s %-34s %s%s\n", x.ID, who, what, strings.Join(gives, ", "), x.Reason, state)
}

func (a *app) courseListCommand() *cobra.Command {
	var all bool
	c := &cobra.Command{
		Use: "list", Short: "List your courses, or all (for operators)", Args: cobra.NoArgs,
		Example: "  nimbus courses list --all",
		RunE: func(cmd *cobra.Command, _ []string) error {
			if all {
				return a.allCourses(cmd.Context())
			}
			return a.ownCourses(cmd.Context())
		},
	}
	c.Flags().BoolVar(&all, "all", false, "all courses of the service")
	return c
}

func (a *app) ownCourses(ctx context.Context) error {
	return a.with(func(c *client.Client) (any, error) { return c.Courses(ctx) }, func(v any) {
		for _, x := range v.([]wire.CourseRef) {
			notes := map[bool]string{true: "  (empty)"}[x.Empty] + map[bool]string{true: "  (archived)"}[x.Archived]
			a.printf("%-24s %-12s %s%s\n", x.Slug, x.Role, x.Title, notes)
		}
	})
}

func (a *app) allCourses(ctx context.Context) error {
	return a.with(func(c *client.Client) (any, error) {
		out := []wire.CourseLine{}
		for after := ""; ; {
			page, err := c.AllCourses(ctx, after)
			if err != nil {
				return nil, err
			}
			out = append(out, page.Courses...)
			if page.Next == nil {
				return out, nil
			}
			after = *page.Next
		}
	}, func(v any) {
		for _, x := range v.([]wire.CourseLine) {
			a.printf("%-24s revision %-4d %5d students %4d team  %s%s\n", x.Slug, x.Revision, x.Students, x.Team, x.Title,
				map[bool]string{true: "  (archived)"}[x.Archived != nil])
		}
	})
}

func (a *app) courseCreateCommand() *cobra.Command {
	var n wire.NewCourse
	c := &cobra.Command{
		Use: "create SLUG", Short: "Make an empty course; its instructor then publishes", Args: cobra.ExactArgs(1),
		Example: "  nimbus courses create kelp-2032 --title 'Arrays on the kelp farm' --instructor imke",
		RunE: func(cmd *cobra.Command, args []string) error {
			n.Slug = args[0]
			return a.with(func(c *client.Client) (any, error) { return c.CreateCourse(cmd.Context(), n) }, func(v any) {
				x := v.(*wire.CourseRef)
				a.printf("%s (%s) is made, and empty: `nimbus publish FOLDER --course %s` fills it.\n", x.Title, x.Slug, x.Slug)
			})
		},
	}
	c.Flags().StringVar(&n.Title, "title", "", "the course's title")
	c.Flags().StringVar(&n.Instructor, "instructor", "", "who teaches it (default: you)")
	_ = c.MarkFlagRequired("title")
	return c
}

func (a *app) courseCopyCommand() *cobra.Command {
	var to wire.CopyCourse
	c := &cobra.Command{
		Use: "copy OLD NEW", Short: "Copy a course's newest revision, its opening and closing times shifted",
		Long:    "People, attempts and notes are not copied. A shift is weeks, days, hours: 52w, 3d, -36h.",
		Example: "  nimbus courses copy kelp-2031 kelp-2032 --shift 52w", Args: cobra.ExactArgs(2),
		RunE: func(cmd *cobra.Command, args []string) error {
			to.Slug = args[1]
			return a.with(func(c *client.Client) (any, error) { return c.CopyCourse(cmd.Context(), args[0], to) }, func(v any) {
				x := v.(*wire.Copied)
				a.printf("%s (%s) is made, revision %d, with %s shifted.\n", x.Course.Title, x.Course.Slug, x.Revision,
					plural(x.Shifted, "time"))
			})
		},
	}
	c.Flags().StringVar(&to.Shift, "shift", "", "how much later exercises open and close")
	c.Flags().StringVar(&to.Title, "title", "", "the new course's title (default: the same)")
	return c
}

func (a *app) courseArchiveCommand() *cobra.Command {
	var back bool
	c := &cobra.Command{
		Use: "archive COURSE", Short: "Archive a course: students read, nobody hands in; or take it back",
		Example: "  nimbus courses archive kelp-2031\n  nimbus courses archive kelp-2031 --back", Args: cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			return a.with(func(c *client.Client) (any, error) { return c.Archive(cmd.Context(), args[0], !back) }, func(v any) {
				x := v.(*wire.CourseRef)
				a.printf("%s (%s) is %s.\n", x.Title, x.Slug, map[bool]string{true: "archived", false: "open again"}[x.Archived])
			})
		},
	}
	c.Flags().BoolVar(&back, "back", false, "take it back")
	return c
}

func (a *app) courseGetCommand() *cobra.Command {
	var revision int
	var to string
	c := &cobra.Command{
		Use: "get COURSE", Short: "Write a course's folder, as its newest revision has it or another",
		Args:    cobra.ExactArgs(1),
		Example: "  nimbus courses get kelp-cooperative --to kelp",
		RunE: func(cmd *cobra.Command, args []string) error {
			number := revision
			if number == 0 {
				c, err := connect()
				if err != nil {
					return err
				}
				course, err := c.Course(cmd.Context(), args[0])
				if err != nil {
					return answered(err)
				}
				if number = course.Revision; number == 0 {
					return wrongUse("nothing is published in %s yet", args[0])
				}
			}
			if to == "" {
				to = args[0]
			}
			return a.courses(cmd.Context(), args[0], number, to)
		},
	}
	c.Flags().IntVar(&revision, "revision", 0, "which revision (default: the newest)")
	c.Flags().StringVar(&to, "to", "", "the folder to write; it must not be there yet (default: the course's name)")
	return c
}

func (a *app) serviceCommand() *cobra.Command {
	return &cobra.Command{
		Use: "service", Short: "See how the service is: nodes, queue, mail, versions (for operators)", Args: cobra.NoArgs,
		Example: "  nimbus service",
		RunE: func(cmd *cobra.Command, _ []string) error {
			return a.with(func(c *client.Client) (any, error) { return c.Service(cmd.Context()) }, func(v any) {
				x := v.(*wire.Service)
				a.printf("version   %s (%s), running since %s\n", x.Version, x.Go, x.StartedAt.Local().Format(clock))
				a.printf("database  %s, migration %d\n", x.Database, x.Schema)
				for _, n := range x.Nodes {
					a.printf("  node    %-28s %s%s\n", n.Address, map[bool]string{true: "serves", false: "does not serve"}[n.Serves],
						map[bool]string{true: ", in use"}[n.Current])
				}
				a.printf("queue     %d wait, %d stuck, %s\n", x.Queue, x.Stuck, plural(x.Workers, "checking process"))
				if x.Mail.Configured {
					a.printf("mail      by %s: %d wait, %d sent, %d given up\n", x.Mail.Server, x.Mail.Waiting, x.Mail.Sent,
						x.Mail.Failed)
				} else {
					a.printf("mail      none is sent; set NIMBUS_SMTP\n")
				}
				a.printf("holds     %d people, %d courses\n", x.People, x.Courses)
			})
		},
	}
}

func (a *app) auditCommand() *cobra.Command {
	var q client.TrailQuery
	c := &cobra.Command{
		Use: "audit", Short: "Read the audit trail, newest first (for operators)", Args: cobra.NoArgs,
		Example: "  nimbus audit --subject kelp-cooperative/ --limit 20\n  nimbus audit --by imke --action member.",
		RunE: func(cmd *cobra.Command, _ []string) error {
			return a.with(func(c *client.Client) (any, error) { return c.Trail(cmd.Context(), q) }, func(v any) {
				for _, x := range v.(*wire.AuditTrail).Lines {
					a.printf("%s  %-16s %-18s %-36s %s\n", x.At.Local().Format(time.DateTime), x.By, x.Action, x.Subject, x.Detail)
				}
			})
		},
	}
	c.Flags().StringVar(&q.Subject, "subject", "", "the beginning of what was changed: COURSE, COURSE/NAME, NAME")
	c.Flags().StringVar(&q.Action, "action", "", "the beginning of what was done: member., course.publish")
	c.Flags().StringVar(&q.By, "by", "", "who did it")
	c.Flags().Uint64Var(&q.Before, "before", 0, "lines before this number")
	c.Flags().IntVar(&q.Limit, "limit", 100, "how many, at most 500")
	return c
}

func (a *app) outboxCommand() *cobra.Command {
	var before uint64
	c := &cobra.Command{
		Use: "outbox", Short: "See the mail that waits, was sent or was given up (for operators)", Args: cobra.NoArgs,
		Example: "  nimbus outbox",
		RunE: func(cmd *cobra.Command, _ []string) error {
			return a.with(func(c *client.Client) (any, error) { return c.Outbox(cmd.Context(), before) }, func(v any) {
				for _, x := range v.(*wire.Outbox).Letters {
					a.printf("%6d  %-8s %-32s %-40s %s\n", x.ID, x.State, x.Recipient, x.Subject, x.Error)
				}
			})
		},
	}
	c.Flags().Uint64Var(&before, "before", 0, "mails before this number")
	return c
}

func (a *app) calendarCommand() *cobra.Command {
	var end bool
	c := &cobra.Command{
		Use: "calendar", Short: "Make the address of your calendar, or another one", Args: cobra.NoArgs,
		Long: "The calendar holds when exercises of your courses open and close, your extensions with them.\nWhoever knows " +
			"the address can read it. A new address makes the one before void.",
		Example: "  nimbus calendar\n  nimbus calendar --end",
		RunE: func(cmd *cobra.Command, _ []string) error {
			c, err := connect()
			if err != nil {
				return err
			}
			if end {
				if err := c.EndCalendar(cmd.Context()); err != nil {
					return answered(err)
				}
				a.printf("The address of your calendar is void.\n")
				return nil
			}
			address, err := c.RenewCalendar(cmd.Context())
			if err != nil {
				return answered(err)
			}
			if a.output == "json" {
				return a.json(wire.Calendar{Address: address})
			}
			a.printf("%s\n", address)
			return nil
		},
	}
	c.Flags().BoolVar(&end, "end", false, "make the address void")
	return c
}
