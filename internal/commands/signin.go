package commands

import (
	"bufio"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"

	"github.com/spf13/cobra"
	"golang.org/x/term"

	"nimbusreach/client"
	"nimbusreach/client/wire"
)

// saved is what signing in leaves in the person's own configuration folder.
type saved struct {
	Service string `json:"service"`
	Name    string `json:"name"`
	Token   string `json:"token"`
}

const defaultService = "http://127.0.0.1:8080"

func savedFile() (string, error) {
	if file := os.Getenv("NIMBUS_SIGN_IN_FILE"); file != "" {
		return file, nil
	}
	dir, err := os.UserConfigDir()
	if err != nil {
		return "", err
	}
	return filepath.Join(dir, "nimbus", "sign-in.json"), nil
}

func loadSaved() (saved, error) {
	var s saved
	file, err := savedFile()
	if err != nil {
		return s, err
	}
	text, err := os.ReadFile(file)
	if errors.Is(err, os.ErrNotExist) {
		return s, nil
	}
	if err != nil {
		return s, err
	}
	return s, json.Unmarshal(text, &s)
}

func (s saved) store() error {
	file, err := savedFile()
	if err != nil {
		return err
	}
	if err := os.MkdirAll(filepath.Dir(file), 0o700); err != nil {
		return err
	}
	text, err := json.MarshalIndent(s, "", "  ")
	if err != nil {
		return err
	}
	return os.WriteFile(file, append(text, '\n'), 0o600)
}

// connect makes a client from NIMBUS_SERVICE and NIMBUS_TOKEN, or from the saved
// sign-in.
func connect() (*client.Client, error) {
	s, err := loadSaved()
	if err != nil {
		return nil, wrongUse("the saved sign-in cannot be read: %v; sign in again with `nimbus sign-in`", err)
	}
	if v := os.Getenv("NIMBUS_SERVICE"); v != "" {
		s.Service = v
	}
	if v := os.Getenv("NIMBUS_TOKEN"); v != "" {
		s.Token = v
	}
	if s.Token == "" {
		return nil, wrongUse("nobody is signed in; run `nimbus sign-in --service URL --name NAME`")
	}
	if s.Service == "" {
		s.Service = defaultService
	}
	return client.New(s.Service, s.Token), nil
}

// answered gives an error of the client its exit code; one that has a code keeps it.
func answered(err error) error {
	var known *exit
	if errors.As(err, &known) {
		return err
	}
	var problem *client.Error
	if errors.As(err, &problem) && problem.Status < 500 {
		return &exit{code: exitUse, err: err}
	}
	var stopped *client.Stopped
	switch {
	case errors.As(err, &stopped):
		return &exit{code: exitUse, err: fmt.Errorf("%w; `nimbus job %d --resume` lets it go on", err, stopped.Job.ID)}
	case errors.Is(err, context.Canceled):
		return &exit{code: exitUse, err: errors.New("nobody waits any more; what was begun goes on: `nimbus jobs` shows " +
			"how far it is")}
	}
	return unreachable(err)
}

func (a *app) signInCommand() *cobra.Command {
	var service, name string
	c := &cobra.Command{
		Use:   "sign-in",
		Short: "Sign in to a service",
		Long: "Signs in and keeps a token in your configuration folder. The password is asked for,\n" +
			"or read from NIMBUS_PASSWORD, or from standard input when that is no terminal.",
		Example: `  nimbus sign-in --service http://127.0.0.1:8080 --name ada
  NIMBUS_PASSWORD=kelp-and-ropes nimbus sign-in --name imke`,
		Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error { return a.signIn(c.Context(), service, name) },
	}
	c.Flags().StringVar(&service, "service", "", "the service's address (default: the last one, or "+defaultService+")")
	c.Flags().StringVar(&name, "name", "", "the name to sign in with")
	return c
}

func (a *app) signIn(ctx context.Context, service, name string) error {
	if name == "" {
		return wrongUse("--name is missing; write `nimbus sign-in --name ada`")
	}
	before, _ := loadSaved() // one that cannot be read is replaced
	if service == "" {
		service = os.Getenv("NIMBUS_SERVICE")
	}
	if service == "" {
		service = before.Service
	}
	if service == "" {
		service = defaultService
	}
	password, err := a.password()
	if err != nil {
		return err
	}
	c := client.New(service, "")
	host, _ := os.Hostname()
	token, err := c.SignIn(ctx, name, password, "command line on "+host)
	if err != nil {
		return answered(err)
	}
	if err := (saved{Service: service, Name: name, Token: token.Token}).store(); err != nil {
		return unreachable(fmt.Errorf("the sign-in cannot be kept: %w", err))
	}
	if a.output == "json" {
		return a.json(token.Me)
	}
	a.printf("Signed in to %s as %s (%s).\n", service, token.Me.Display, token.Me.Name)
	return nil
}

func (a *app) password() (string, error) {
	if p := os.Getenv("NIMBUS_PASSWORD"); p != "" {
		return p, nil
	}
	if f, ok := a.in.(*os.File); ok && term.IsTerminal(int(f.Fd())) {
		fmt.Fprint(a.err, "Password: ")
		text, err := term.ReadPassword(int(f.Fd()))
		fmt.Fprintln(a.err)
		return string(text), err
	}
	line, err := bufio.NewReader(a.in).ReadString('\n')
	if err != nil && err != io.EOF {
		return "", err
	}
	return strings.TrimRight(line, "\r\n"), nil
}

func (a *app) signOutCommand() *cobra.Command {
	return &cobra.Command{
		Use: "sign-out", Short: "Sign out, and make the kept token worthless", Example: "  nimbus sign-out",
		Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			c, err := connect()
			if err != nil {
				return err
			}
			var problem *client.Error
			if err := c.SignOut(cmd.Context()); err != nil && (!errors.As(err, &problem) || problem.Status != 401) {
				return answered(err)
			}
			s, err := loadSaved()
			if err != nil {
				return unreachable(err)
			}
			if err := (saved{Service: s.Service}).store(); err != nil {
				return unreachable(err)
			}
			if a.output == "json" {
				return a.json(map[string]bool{"signed_out": true})
			}
			a.printf("Signed out.\n")
			return nil
		},
	}
}

func (a *app) whoamiCommand() *cobra.Command {
	return &cobra.Command{
		Use: "whoami", Short: "Say who is signed in", Example: "  nimbus whoami --output json", Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			c, err := connect()
			if err != nil {
				return err
			}
			me, err := c.Me(cmd.Context())
			if err != nil {
				return answered(err)
			}
			if a.output == "json" {
				return a.json(me)
			}
			a.printf("%s (%s) at %s\n", me.Display, me.Name, c.Base())
			if me.Operator {
				a.printf("  operator of the service\n")
			}
			for _, course := range me.Courses {
				a.printf("  %-12s %s (%s)\n", course.Role, course.Title, course.Slug)
			}
			return nil
		},
	}
}

// courseOf finds the course that is meant: the one named, or the only one there is.
func courseOf(ctx context.Context, c *client.Client, named string) (string, error) {
	if named != "" {
		return named, nil
	}
	me, err := c.Me(ctx)
	if err != nil {
		return "", answered(err)
	}
	if len(me.Courses) == 1 {
		return me.Courses[0].Slug, nil
	}
	return "", wrongUse("which course is meant? %s", listCourses(me))
}

func listCourses(me *wire.Me) string {
	if len(me.Courses) == 0 {
		return "you are in none; ask an instructor"
	}
	var names []string
	for _, c := range me.Courses {
		names = append(names, c.Slug)
	}
	return "name one of " + strings.Join(names, ", ")
}
