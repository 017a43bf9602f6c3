package commands

import (
	"bufio"
	"context"
	"fmt"
	"io"
	"os"
	"strconv"
	"strings"
	"time"

	"github.com/spf13/cobra"
	"golang.org/x/term"

	"nimbusreach/client"
	"nimbusreach/client/wire"
)

func (a *app) peopleCommand() *cobra.Command {
	c := &cobra.Command{
		Use:   "people",
		Short: "List, add and import people; make links; let people move, leave and come back",
		Long: "An account begins with a link, with which its holder chooses a password that nobody else\nlearns. A link " +
			"works once and for 14 days; a new one makes the one before void. Where the\nservice sends mail and somebody has " +
			"an address, links go there; else they are printed, once.",
		Example: "  nimbus people add ada --display 'Ada Tidewell' --email ada@farm.example\n  nimbus people import " +
			"roster.csv --course kelp-cooperative --dry-run",
	}
	var p wire.NewPerson
	add := &cobra.Command{
		Use: "add NAME", Short: "Make an account, and print or mail its link", Args: cobra.ExactArgs(1),
		Example: "  nimbus people add ada --display 'Ada Tidewell' --email ada@farm.example",
		RunE: func(cmd *cobra.Command, args []string) error {
			p.Name = args[0]
			return a.addPerson(cmd.Context(), p)
		},
	}
	add.Flags().StringVar(&p.Display, "display", "", "the name that others see (default: NAME)")
	add.Flags().StringVar(&p.Email, "email", "", "where mail reaches them")
	add.Flags().StringVar(&p.Number, "number", "", "their campus number")
	add.Flags().BoolVar(&p.Operator, "operator", false, "they run the service")
	var l wire.NewLink
	link := &cobra.Command{
		Use: "link NAME", Short: "Make a new link for somebody", Args: cobra.ExactArgs(1),
		Long: "With --forgotten all sign-ins of the person end when the link is used. With --show it is\nprinted even " +
			"where it could be mailed.",
		Example: "  nimbus people link ada --forgotten",
		RunE: func(cmd *cobra.Command, args []string) error {
			return a.makeLink(cmd.Context(), args[0], l)
		},
	}
	link.Flags().BoolVar(&l.Forgotten, "forgotten", false, "the password was forgotten: all sign-ins end")
	link.Flags().BoolVar(&l.Show, "show", false, "print it even where it could be mailed")
	c.AddCommand(a.peopleListCommand(), add, a.importCommand(), link, a.setPersonCommand(), a.moveCommand(),
		a.stateCommand("leave", "left", "Let somebody leave the service, or a course: what they did remains"),
		a.stateCommand("return", "active", "Let somebody come back who left"))
	return c
}

func (a *app) stateCommand(verb, state, short string) *cobra.Command {
	var course string
	c := &cobra.Command{
		Use: verb + " NAME", Short: short, Args: cobra.ExactArgs(1),
		Example: "  nimbus people " + verb + " ada\n  nimbus people " + verb + " ada --course kelp-cooperative",
		RunE: func(cmd *cobra.Command, args []string) error {
			if course != "" {
				return a.setMember(cmd.Context(), course, args[0], wire.SetMember{State: &state})
			}
			return a.with(func(c *client.Client) (any, error) { return c.SetState(cmd.Context(), args[0], state) },
				func(v any) {
					p := v.(*wire.Person)
					a.printf("%s (%s) is %s.\n", p.Display, p.Name, p.State)
				})
		},
	}
	c.Flags().StringVar(&course, "course", "", "the course alone, and not the service")
	return c
}

// with connects, asks for something, and prints it: as JSON where that is asked, else by text.
func (a *app) with(ask func(*client.Client) (any, error), text func(any)) error {
	c, err := connect()
	if err != nil {
		return err
	}
	v, err := ask(c)
	if err != nil {
		return answered(err)
	}
	if a.output == "json" {
		return a.json(v)
	}
	text(v)
	return nil
}

func (a *app) addPerson(ctx context.Context, p wire.NewPerson) error {
	return a.with(func(c *client.Client) (any, error) { return c.AddPerson(ctx, p) }, func(v any) {
		made := v.(*wire.Person)
		a.printf("%s (%s) has an account.\n", made.Display, made.Name)
		a.linkText(made.Link)
	})
}

func (a *app) makeLink(ctx context.Context, name string, n wire.NewLink) error {
	return a.with(func(c *client.Client) (any, error) { return c.MakeLink(ctx, name, n) },
		func(v any) { a.linkText(v.(*wire.Link)) })
}

func (a *app) linkText(l *wire.Link) {
	until := l.Expires.Local().Format("2006-01-02 15:04")
	if l.Mailed != "" {
		a.printf("Their link goes to %s; it works once and until %s.\n", l.Mailed, until)
		return
	}
	a.printf("Give them this link, which is shown once, works once and until %s:\n  %s\n", until, l.Address)
}

func (a *app) passwordCommand() *cobra.Command {
	return &cobra.Command{
		Use: "password", Short: "Change your password", Args: cobra.NoArgs, Example: "  nimbus password",
		Long: "Asks for the password that you have and for a new one, or reads both from standard input,\na line each. " +
			"Your other sessions end; tokens stay.",
		RunE: func(cmd *cobra.Command, _ []string) error {
			c, err := connect()
			if err != nil {
				return err
			}
			before, password, err := a.twoPasswords()
			if err != nil {
				return err
			}
			if err := c.ChangePassword(cmd.Context(), before, password); err != nil {
				return answered(err)
			}
			a.printf("Your password is changed; your other sessions have ended.\n")
			return nil
		},
	}
}

// twoPasswords asks for a password and a new one, or reads both.
func (a *app) twoPasswords() (before, password string, err error) {
	var said [2]string
	f, ok := a.in.(*os.File)
	if !ok || !term.IsTerminal(int(f.Fd())) {
		lines := bufio.NewReader(a.in)
		for i := range said {
			line, err := lines.ReadString('\n')
			if err != nil && err != io.EOF {
				return "", "", err
			}
			said[i] = strings.TrimRight(line, "\r\n")
		}
		return said[0], said[1], nil
	}
	for i, what := range []string{"Password that you have: ", "New password: "} {
		fmt.Fprint(a.err, what)
		text, err := term.ReadPassword(int(f.Fd()))
		fmt.Fprintln(a.err)
		if err != nil {
			return "", "", err
		}
		said[i] = string(text)
	}
	return said[0], said[1], nil
}

func (a *app) tokensCommand() *cobra.Command {
	c := &cobra.Command{Use: "tokens", Short: "See where you are signed in; make tokens, and end them",
		Example: "  nimbus tokens list\n  nimbus tokens add --label 'marks to the office'"}
	var label string
	var days int
	add := &cobra.Command{
		Use: "add", Short: "Make a token for a program of yours", Args: cobra.NoArgs,
		Example: "  nimbus tokens add --label 'marks to the office' --days 90",
		RunE: func(cmd *cobra.Command, _ []string) error {
			c, err := connect()
			if err != nil {
				return err
			}
			text, err := c.AddToken(cmd.Context(), label, days)
			if err != nil {
				return answered(err)
			}
			if a.output == "json" {
				return a.json(map[string]string{"token": text})
			}
			a.printf("%s\n", text)
			return nil
		},
	}
	add.Flags().StringVar(&label, "label", "", "what it is for")
	add.Flags().IntVar(&days, "days", 90, "how many days it lives")
	list := &cobra.Command{
		Use: "list", Short: "List your sessions and tokens", Args: cobra.NoArgs, Example: "  nimbus tokens list",
		RunE: func(cmd *cobra.Command, _ []string) error { return a.signIns(cmd.Context()) },
	}
	end := &cobra.Command{
		Use: "end NUMBER", Short: "Make a token worthless", Args: cobra.ExactArgs(1), Example: "  nimbus tokens end 12",
		RunE: func(cmd *cobra.Command, args []string) error {
			id, err := strconv.ParseUint(args[0], 10, 64)
			if err != nil {
				return wrongUse("a token has a number, and %q is none; `nimbus tokens list` lists yours", args[0])
			}
			c, err := connect()
			if err != nil {
				return err
			}
			if err := c.EndOwnToken(cmd.Context(), id); err != nil {
				return answered(err)
			}
			a.printf("Token %d is worthless now.\n", id)
			return nil
		},
	}
	c.AddCommand(list, add, end)
	return c
}

func (a *app) signIns(ctx context.Context) error {
	c, err := connect()
	if err != nil {
		return err
	}
	out, err := c.SignIns(ctx)
	if err != nil {
		return answered(err)
	}
	if a.output == "json" {
		return a.json(out)
	}
	for _, kind := range []struct {
		name string
		list []wire.SignInLine
	}{{"session", out.Sessions}, {"token", out.Tokens}} {
		for _, x := range kind.list {
			used := "not used yet"
			if x.Used != nil {
				used = "used " + x.Used.Local().Format("2006-01-02 15:04") + " from " + x.Address
			}
			a.printf("%-8s %6d  until %s  %-44s %s\n", kind.name, x.ID, x.Expires.Local().Format(time.DateOnly), used, x.Label)
		}
	}
	return nil
}
