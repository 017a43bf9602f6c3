package commands

import (
	"context"
	"encoding/csv"
	"errors"
	"fmt"
	"os"
	"strings"

	"github.com/spf13/cobra"

	"nimbusreach/client"
	"nimbusreach/client/wire"
	"nimbusreach/internal/service/teaching"
)

func (a *app) peopleListCommand() *cobra.Command {
	var q client.MemberQuery
	c := &cobra.Command{
		Use: "list [COURSE]", Short: "List a course's people, or everybody (for operators)", Args: cobra.MaximumNArgs(1),
		Example: "  nimbus people list kelp-cooperative --group 'Lab 2'\n  nimbus people list --search tide",
		RunE: func(cmd *cobra.Command, args []string) error {
			if len(args) == 0 {
				return a.everybody(cmd.Context(), q.Search)
			}
			return a.with(func(c *client.Client) (any, error) { return c.Members(cmd.Context(), args[0], q) }, func(v any) {
				for _, m := range v.(*wire.Members).People {
					a.memberText(&m)
				}
			})
		},
	}
	c.Flags().StringVar(&q.Search, "search", "", "part of a name, address or number")
	c.Flags().StringVar(&q.Role, "role", "", "student, assistant or instructor")
	c.Flags().StringVar(&q.Group, "group", "", "one group")
	c.Flags().StringVar(&q.State, "state", "", "active or left")
	return c
}

func (a *app) memberText(m *wire.Member) {
	notes := []string{}
	if m.State == "left" {
		notes = append(notes, "left")
	}
	if m.Pending {
		notes = append(notes, "no password yet")
	}
	if len(m.Groups) > 0 {
		notes = append(notes, "limited to "+strings.Join(m.Groups, ", "))
	}
	a.printf("%-24s %-28s %-11s %-14s %-12s %s\n", m.Name, m.Display, m.Role, m.Group, m.Number, strings.Join(notes, "; "))
}

func (a *app) everybody(ctx context.Context, search string) error {
	return a.with(func(c *client.Client) (any, error) {
		out := []wire.Person{}
		for after := ""; ; {
			page, err := c.People(ctx, search, after, 2000)
			if err != nil {
				return nil, err
			}
			out = append(out, page.People...)
			if page.Next == nil {
				return out, nil
			}
			after = *page.Next
		}
	}, func(v any) {
		for _, p := range v.([]wire.Person) {
			a.printf("%-24s %-28s %-7s %-12s %s\n", p.Name, p.Display, p.State, p.Number, p.Email)
		}
	})
}

func (a *app) setPersonCommand() *cobra.Command {
	var display, email, number string
	c := &cobra.Command{
		Use: "set NAME", Short: "Change what an account says of its person", Args: cobra.ExactArgs(1),
		Example: "  nimbus people set ada --email ada@farm.example --number 4711",
		RunE: func(cmd *cobra.Command, args []string) error {
			var to wire.SetPerson
			for flag, field := range map[string]struct {
				to   **string
				from *string
			}{"display": {&to.Display, &display}, "email": {&to.Email, &email}, "number": {&to.Number, &number}} {
				if cmd.Flags().Changed(flag) {
					*field.to = field.from
				}
			}
			return a.with(func(c *client.Client) (any, error) { return c.SetPerson(cmd.Context(), args[0], to) }, func(v any) {
				p := v.(*wire.Person)
				a.printf("%-24s %-28s %-7s %-12s %s\n", p.Name, p.Display, p.State, p.Number, p.Email)
			})
		},
	}
	c.Flags().StringVar(&display, "display", "", "the name that others see")
	c.Flags().StringVar(&email, "email", "", "where mail reaches them; '' for nowhere")
	c.Flags().StringVar(&number, "number", "", "their campus number; '' for none")
	return c
}

func (a *app) moveCommand() *cobra.Command {
	return &cobra.Command{
		Use: "move COURSE NAME GROUP", Short: "Put somebody into a group of a course; '' for none", Args: cobra.ExactArgs(3),
		Example: "  nimbus people move kelp-cooperative ada 'Lab 2'",
		RunE: func(cmd *cobra.Command, args []string) error {
			return a.setMember(cmd.Context(), args[0], args[1], wire.SetMember{Group: &args[2]})
		},
	}
}

func (a *app) setMember(ctx context.Context, course, name string, to wire.SetMember) error {
	return a.with(func(c *client.Client) (any, error) { return c.SetMember(ctx, course, name, to) },
		func(v any) { a.memberText(v.(*wire.Member)) })
}

type importFlags struct {
	course, missing, links string
	client.Import
}

func (a *app) importCommand() *cobra.Command {
	var f importFlags
	c := &cobra.Command{
		Use: "import ROSTER", Short: "Import a roster into a course, or say what that would change", Args: cobra.ExactArgs(1),
		Long: `Reads a roster: CSV with a header line (comma, semicolon or tab; UTF-8 or Windows-1252), or
a OneRoster 1.2 archive of CSV files. Columns are recognised by what they are called: name,
display, family name, given name, email, number, group, role; --column says which one holds
a field where that fails. An empty cell changes nothing.

One refused row refuses the import, unless --skip-refused. Who is in the course and not in
the file stays, unless --missing leave. Importing the same file again changes nothing.
Links of new accounts go out by mail, or are written to --links for printing.`,
		Example: "  nimbus people import roster.csv --course kelp-cooperative --dry-run\n  nimbus people import campus.csv " +
			"--course kelp-cooperative --column number='Matr. no' --links links.csv",
		RunE: func(cmd *cobra.Command, args []string) error { return a.importRoster(cmd.Context(), args[0], f) },
	}
	c.Flags().StringVar(&f.course, "course", "", "the course")
	c.Flags().StringVar(&f.Role, "role", "student", "the role of those who are new, where the file names none")
	c.Flags().BoolVar(&f.DryRun, "dry-run", false, "say what would change, and change nothing")
	c.Flags().BoolVar(&f.SkipRefused, "skip-refused", false, "import the other rows where some are refused")
	c.Flags().StringVar(&f.missing, "missing", "keep", "who is not in the file: keep, or leave the course")
	c.Flags().StringArrayVar(&f.Columns, "column", nil, "field=header: which column holds a field; may be repeated")
	c.Flags().StringVar(&f.links, "links", "", "the file to write the links of new accounts to, as CSV")
	_ = c.MarkFlagRequired("course")
	return c
}

func (a *app) importRoster(ctx context.Context, file string, f importFlags) error {
	if f.missing != "keep" && f.missing != "leave" {
		return wrongUse("--missing is %q; it takes keep or leave", f.missing)
	}
	f.Leave = f.missing == "leave"
	data, err := os.ReadFile(file)
	if err != nil {
		return wrongUse("%s cannot be read: %v", file, underlying(err))
	}
	c, err := connect()
	if err != nil {
		return err
	}
	plan, err := c.Import(ctx, f.course, data, f.Import)
	var problem *client.Error
	if errors.As(err, &problem) && len(problem.Refused) > 0 {
		if a.output == "json" {
			_ = a.json(problem.Problem)
			return ended(exitUse)
		}
		a.refusedText(problem.Refused)
		return &exit{code: exitUse, err: fmt.Errorf("%s Correct the rows, or give --skip-refused to import the others",
			problem.Detail)}
	}
	if err != nil {
		return answered(err)
	}
	if f.links != "" && plan.Done {
		if err := writeLinks(f.links, plan.Links); err != nil {
			return wrongUse("%s cannot be written: %v; make new links with `nimbus people link`", f.links, err)
		}
	}
	if a.output == "json" {
		return a.json(plan)
	}
	a.planText(plan, f.links)
	if plan.Done || len(plan.Refused) == 0 {
		return nil
	}
	return ended(exitDiffers)
}

// writeLinks writes links to print as slips.
func writeLinks(file string, links []wire.RosterLink) error {
	out, err := os.OpenFile(file, os.O_CREATE|os.O_WRONLY|os.O_TRUNC, 0o600) // they let whoever has them in
	if err != nil {
		return err
	}
	w := csv.NewWriter(out)
	_ = w.Write([]string{"name", "display", "group", "link", "until"})
	for _, l := range links {
		_ = w.Write([]string{teaching.Harmless(l.Name), teaching.Harmless(l.Display), teaching.Harmless(l.Group), l.Address,
			l.Expires.Format("2006-01-02")})
	}
	w.Flush()
	return errors.Join(w.Error(), out.Close())
}

func (a *app) refusedText(list []wire.RosterRefusal) {
	for _, x := range list {
		where := fmt.Sprintf("line %d", x.Row)
		if x.Column != "" {
			where += fmt.Sprintf(", %s %q", x.Column, x.Value)
		}
		a.printf("  refused  %s: %s (%s)\n", where, x.Message, x.Hint)
	}
}

// mostMissing is how many people who stay are listed.
const mostMissing = 10

// planText says what an import changes, line by line.
func (a *app) planText(p *wire.RosterPlan, links string) {
	a.printf("%s in %s", p.Source.Format, p.Source.Encoding)
	if p.Source.Format == "CSV" {
		a.printf(", separated by %s", map[string]string{",": "commas", ";": "semicolons", "\t": "tabs"}[p.Source.Separator])
	}
	columns := make([]string, len(p.Source.Columns))
	for i, c := range p.Source.Columns {
		columns[i] = fmt.Sprintf("%s from %q", c.Field, c.Header)
	}
	a.printf(": %s\n", strings.Join(columns, ", "))
	if len(p.Source.Ignored) > 0 {
		a.printf("not read: %s\n", strings.Join(p.Source.Ignored, ", "))
	}
	for _, x := range p.Added {
		a.printf("  added    %-24s %-28s %s %s%s\n", x.Name, x.Display, x.Role, x.Group,
			map[bool]string{false: " (has an account)"}[x.Account])
	}
	for _, x := range p.Changed {
		a.printf("  changed  %-24s %-28s %s\n", x.Name, x.Display, changes(x.Fields))
	}
	a.refusedText(p.Refused)
	leaves := 0
	for i, x := range p.Missing {
		word := "missing"
		if x.Leaves {
			leaves++
			word = "leaves "
		} else if i >= mostMissing {
			a.printf("  missing  … and %d more\n", len(p.Missing)-i)
			break
		}
		a.printf("  %s  %-24s %-28s %s %s\n", word, x.Name, x.Display, x.Role, x.Group)
	}
	a.printf("%d rows: %d added, %d changed, %d unchanged, %d refused; %d in the course and not in the file", p.Rows,
		len(p.Added), len(p.Changed), p.Unchanged, len(p.Refused), len(p.Missing))
	if leaves > 0 {
		a.printf(", who leave")
	}
	a.printf(".\n")
	switch {
	case !p.Done:
		a.printf("Nothing was changed.\n")
	case links != "":
		a.printf("Imported. %s written to %s, %d sent by mail.\n", plural(len(p.Links), "link"), links, p.Mailed)
	default:
		a.printf("Imported. %s sent by mail.\n", plural(p.Mailed, "link"))
		for _, l := range p.Links {
			a.printf("  %-24s %s\n", l.Name, l.Address)
		}
	}
}

func changes(fields []wire.FieldChange) string {
	parts := make([]string, len(fields))
	for i, f := range fields {
		if parts[i] = fmt.Sprintf("%s: %s → %s", f.Field, f.Before, f.After); f.Before == "" {
			parts[i] = fmt.Sprintf("%s: %s", f.Field, f.After)
		}
	}
	return strings.Join(parts, "; ")
}

func (a *app) groupCommand() *cobra.Command {
	c := &cobra.Command{Use: "group", Short: "See a course's groups, put people into them, limit assistants to them",
		Long: "A group is a lab section say. People are in one of them at most. An assistant who is limited\n" +
			"to groups sees those alone: at the desk, in lists, and by every address.",
		Example: "  nimbus group add kelp-cooperative 'Lab 2' ada bela\n  nimbus group limit kelp-cooperative aron 'Lab 2'"}
	list := &cobra.Command{
		Use: "list COURSE", Short: "List a course's groups", Args: cobra.ExactArgs(1),
		Example: "  nimbus group list kelp-cooperative",
		RunE: func(cmd *cobra.Command, args []string) error {
			return a.with(func(c *client.Client) (any, error) { return c.Groups(cmd.Context(), args[0]) }, func(v any) {
				for _, g := range v.([]wire.Group) {
					a.printf("%-28s %d\n", g.Name, g.People)
				}
			})
		},
	}
	add := &cobra.Command{
		Use: "add COURSE GROUP NAME...", Short: "Put people into a group", Args: cobra.MinimumNArgs(3),
		Example: "  nimbus group add kelp-cooperative 'Lab 2' ada bela",
		RunE: func(cmd *cobra.Command, args []string) error {
			return a.regroup(cmd.Context(), args[0], args[1], args[2:])
		},
	}
	withdraw := &cobra.Command{
		Use: "withdraw COURSE NAME...", Short: "Take people out of their group", Args: cobra.MinimumNArgs(2),
		Example: "  nimbus group withdraw kelp-cooperative ada",
		RunE: func(cmd *cobra.Command, args []string) error {
			return a.regroup(cmd.Context(), args[0], "", args[1:])
		},
	}
	limit := &cobra.Command{
		Use: "limit COURSE NAME [GROUP...]", Short: "Limit an assistant to groups; with none, to no group",
		Args: cobra.MinimumNArgs(2), Example: "  nimbus group limit kelp-cooperative aron 'Lab 1' 'Lab 2'",
		RunE: func(cmd *cobra.Command, args []string) error {
			groups := append([]string{}, args[2:]...)
			return a.setMember(cmd.Context(), args[0], args[1], wire.SetMember{Groups: &groups})
		},
	}
	c.AddCommand(list, add, withdraw, limit)
	return c
}

// regroup puts people into a group, or with "" out of theirs.
func (a *app) regroup(ctx context.Context, course, group string, names []string) error {
	return a.with(func(c *client.Client) (any, error) {
		out := []wire.Member{}
		for _, name := range names {
			m, err := c.SetMember(ctx, course, name, wire.SetMember{Group: &group})
			if err != nil {
				return nil, err
			}
			out = append(out, *m)
		}
		return out, nil
	}, func(v any) {
		for _, m := range v.([]wire.Member) {
			a.memberText(&m)
		}
	})
}
