package commands

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"github.com/spf13/cobra"
	"golang.org/x/term"

	"nimbusreach/client"
	"nimbusreach/client/wire"
	"nimbusreach/internal/core/check"
	"nimbusreach/internal/service/store"
)

func (a *app) attemptCommand() *cobra.Command {
	var b bringing
	var course string
	var said []string
	c := &cobra.Command{
		Use:   "attempt EXERCISE [FILE]",
		Short: "Hand an attempt in, wait, and print the verdict",
		Long: "Hands a program in, or with --results arrays that were computed elsewhere: a folder, an archive or one " +
			"netCDF\n" +
			"file. The attempt is stored before it is checked, so it is not lost when anything fails after that.\n" +
			"A folder that `nimbus fetch` made remembers its ticket. An exercise that asks what you expect asks it before\n" +
			"the first attempt: on a terminal, or with one --predict for each question.\n" +
			"Exit code 0: agrees; 1: it does not; 3: no verdict yet.",
		Example: `  nimbus attempt rope-means answer.nra
  nimbus attempt rope-means --results rope-means-ticket-17 --source means.f90
  nimbus attempt shapes-first answer.nra --predict '[3, 4]' --predict '[4]' --predict int
  nimbus attempt rope-means answer.nra --course kelp-cooperative --output json`,
		Args: cobra.RangeArgs(1, 2),
		RunE: func(c *cobra.Command, args []string) error {
			file := ""
			if len(args) == 2 {
				file = args[1]
			}
			return a.attempt(c.Context(), course, args[0], file, said, &b)
		},
	}
	c.Flags().StringArrayVar(&said, "predict", nil, "answer to a question that is asked before the first attempt; once "+
		"for each, in order")
	c.Flags().StringVar(&b.folder, "results", "",
		"arrays that were computed elsewhere: a folder, a zip archive or a netCDF "+
			"file")
	c.Flags().Uint64Var(&b.ticket, "ticket", 0, "whose data they were computed from (default: as the folder remembers)")
	c.Flags().StringVar(&b.source, "source", "", "a file with the text that computed them, for the team to read")
	c.Flags().StringVar(&course, "course", "", "the course (default: your only one)")
	return c
}

// handIn reads a program, or arrays, once, and returns what hands it in.
func (a *app) handIn(ctx context.Context, c *client.Client, course, name, file string, b *bringing) (send func() (
	*wire.Attempt, error), text string, err error) {
	if info, err := os.Stat(file); b.folder == "" && err == nil && (info.IsDir() || isArrays(file)) {
		b.folder, file = file, ""
	}
	switch {
	case b.folder != "" && file != "":
		return nil, "", wrongUse("%s and --results are both given; hand in one of them", file)
	case b.folder != "":
		if err := b.read(); err != nil {
			return nil, "", err
		}
		return func() (*wire.Attempt, error) { return b.send(ctx, c, course, name) }, "", nil
	case b.ticket != 0 || b.source != "":
		return nil, "", wrongUse("--ticket and --source go with --results")
	case file == "":
		return nil, "", wrongUse("name a file with a program, or give arrays with --results")
	}
	if text, err = a.readText(file); err != nil {
		return nil, "", err
	}
	return func() (*wire.Attempt, error) { return c.HandIn(ctx, course, name, text, "", 20) }, text, nil
}

// isArrays reports whether a file is an archive or netCDF, by its name.
func isArrays(file string) bool {
	return slices.Contains([]string{".zip", ".nc", ".cdf"}, strings.ToLower(filepath.Ext(file)))
}

// predict answers what an exercise asks before the first attempt, from flags or on a
// terminal, and says what came of it.
func (a *app) predict(ctx context.Context, c *client.Client, course, exercise string, questions []wire.Question,
	said []string) error {
	if len(said) == 0 {
		if !a.interactive() {
			text := fmt.Sprintf("%s asks first what you expect; answer with one --predict for each question:", exercise)
			for i, q := range questions {
				text += fmt.Sprintf("\n  %d. %s  %s  (%s)", i+1, q.Ask, q.Of, q.What)
			}
			return wrongUse("%s", text)
		}
		in := bufio.NewScanner(a.in)
		for i, q := range questions {
			a.printf("%d. %s\n   %s\n   %s: ", i+1, q.Ask, q.Of, q.What)
			if !in.Scan() {
				return wrongUse("the questions were not answered; nothing was handed in")
			}
			said = append(said, in.Text())
		}
	}
	got, err := c.Predict(ctx, course, exercise, said)
	if err != nil {
		return answered(err)
	}
	for i, p := range got.Predictions {
		sign := "◐"
		if p.Right {
			sign = "●"
		}
		fmt.Fprintf(a.err, "%s %s  said %s, is %s\n", sign, questions[i].Of, said[i], p.Expected)
	}
	return nil
}

// interactive reports whether somebody sits before a terminal.
func (a *app) interactive() bool {
	f, ok := a.in.(*os.File)
	return ok && term.IsTerminal(int(f.Fd()))
}

func (a *app) attempt(ctx context.Context, course, exercise, file string, said []string, b *bringing) error {
	c, err := connect()
	if err != nil {
		return err
	}
	if course, err = courseOf(ctx, c, course); err != nil {
		return err
	}
	send, text, err := a.handIn(ctx, c, course, exercise, file, b)
	if err != nil {
		return err
	}
	got, err := send()
	var first *client.Error
	if errors.As(err, &first) && len(first.Questions) > 0 {
		if err := a.predict(ctx, c, course, exercise, first.Questions, said); err != nil {
			return err
		}
		got, err = send()
	}
	if err != nil {
		a.problemForm(err)
		return answered(err)
	}
	return a.handedIn(ctx, c, got, text, file)
}

// handedIn prints the verdict of an attempt, after waiting for it.
func (a *app) handedIn(ctx context.Context, c *client.Client, got *wire.Attempt, text, file string) error {
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
		a.verdict(got.Verdict, text, file, false)
	}
	if got.Verdict == nil {
		return unreachable(fmt.Errorf("attempt %d is stored and has no verdict yet; look later", got.ID))
	}
	if got.Verdict.Verdict != check.Agrees {
		return ended(exitDiffers)
	}
	return nil
}
