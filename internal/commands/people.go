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

	"nimbusreach/client/wire"
)

func (a *app) peopleCommand() *cobra.Command {
	c := &cobra.Command{
		Use:   "people",
		Short: "Make accounts and links; let people leave and come back",
		Long: "An account begins with a link, with which its holder chooses a password that nobody else\nlearns. A link " +
			"works once and for 14 days; a new one makes the one before void.",
		Example: "  nimbus people add ada --display 'Ada Tidewell'\n  nimbus people link ada --forgotten",
	}
	var display string
	var operator, forgotten bool
	add := &cobra.Command{
		Use: "add NAME", Short: "Make an account, and print its link", Args: cobra.ExactArgs(1),
		Example: "  nimbus people add ada --display 'Ada Tidewell'",
		RunE: func(cmd *cobra.Command, args []string) error {
			return a.addPerson(cmd.Context(), wire.NewPerson{Name: args[0], Display: display, Operator: operator})
		},
	}
	add.Flags().StringVar(&display, "display", "", "the name that others see (default: NAME)")
	add.Flags().BoolVar(&operator, "operator", false, "they run the service")
	link := &cobra.Command{
		Use: "link NAME", Short: "Print a new link for somebody", Args: cobra.ExactArgs(1),
		Long:    "With --forgotten all sign-ins of the person end when the link is used.",
		Example: "  nimbus people link ada --forgotten",
		RunE: func(cmd *cobra.Command, args []string) error {
			return a.makeLink(cmd.Context(), args[0], forgotten)
		},
	}
	link.Flags().BoolVar(&forgotten, "forgotten", false, "the password was forgotten: all sign-ins end")
	c.AddCommand(add, link, a.stateCommand("leave", "left", "Let somebody leave: what they did remains, and they cannot "+
		"sign in"), a.stateCommand("return", "active", "Let somebody come back who left"))
	return c
}

func (a *app) stateCommand(verb, state, short string) *cobra.Command {
	return &cobra.Command{
		Use: verb + " NAME", Short: short, Args: cobra.ExactArgs(1), Example: "  nimbus people " + verb + " ada",
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := connect()
			if err != nil {
				return err
			}
			p, err := c.SetState(cmd.Context(), args[0], state)
			if err != nil {
				return answered(err)
			}
			if a.output == "json" {
				return a.json(p)
			}
			a.printf("%s (%s) is %s.\n", p.Display, p.Name, p.State)
			return nil
		},
	}
}

func (a *app) addPerson(ctx context.Context, p wire.NewPerson) error {
	c, err := connect()
	if err != nil {
		return err
	}
	made, err := c.AddPerson(ctx, p)
	if err != nil {
		return answered(err)
	}
	if a.output == "json" {
		return a.json(made)
	}
	a.printf("%s (%s) has an account.\n", made.Display, made.Name)
	a.linkText(made.Link)
	return nil
}

func (a *app) makeLink(ctx context.Context, name string, forgotten bool) error {
	c, err := connect()
	if err != nil {
		return err
	}
	link, err := c.MakeLink(ctx, name, forgotten)
	if err != nil {
		return answered(err)
	}
	if a.output == "json" {
		return a.json(link)
	}
	a.linkText(link)
	return nil
}

func (a *app) linkText(l *wire.Link) {
	a.printf("Give them this link, which is shown once, works once and until %s:\n  %s\n",
		l.Expires.Local().Format("2006-01-02 15:04"), l.Address)
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
