package commands

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"

	"github.com/spf13/cobra"
	"golang.org/x/term"

	"nimbusreach/client"
	"nimbusreach/client/wire"
	"nimbusreach/internal/core/check"
	"nimbusreach/internal/core/dataio"
	"nimbusreach/internal/service/store"
)

func (a *app) attemptCommand() *cobra.Command {
	var course string
	var said []string
	c := &cobra.Command{
		Use:   "attempt EXERCISE FILE",
		Short: "Hand an attempt in, wait, and print the verdict",
		Long: "Hands a program in. The attempt is stored before it is checked, so it is not lost when\n" +
			"anything fails after that. An exercise that asks what you expect asks it before the first\n" +
			"attempt: on a terminal, or with one --predict for each question.\nExit code 0: agrees; 1: it does not; 3: no " +
			"verdict yet.",
		Example: `  nimbus attempt rope-means answer.nra
  nimbus attempt shapes-first answer.nra --predict '[3, 4]' --predict '[4]' --predict int
  nimbus attempt rope-means answer.nra --course kelp-cooperative --output json`,
		Args: cobra.ExactArgs(2),
		RunE: func(c *cobra.Command, args []string) error {
			return a.attempt(c.Context(), course, args[0], args[1], said)
		},
	}
	c.Flags().StringArrayVar(&said, "predict", nil, "answer to a question that is asked before the first attempt; once "+
		"for each, in order")
	c.Flags().StringVar(&course, "course", "", "the course (default: your only one)")
	return c
}

// handIn reads a program, or the arrays of a folder or archive, once, and returns what
// hands it in.
func (a *app) handIn(ctx context.Context, c *client.Client, course, name, file string) (send func() (*wire.Attempt,
	error), text string, err error) {
	if info, err := os.Stat(file); err == nil && (info.IsDir() || filepath.Ext(file) == ".zip") {
		results, err := a.handedArrays(ctx, c, course, name, file, info)
		if err != nil {
			return nil, "", err
		}
		return func() (*wire.Attempt, error) { return c.HandInArrays(ctx, course, name, results, 20) }, "", nil
	}
	if text, err = a.readText(file); err != nil {
		return nil, "", err
	}
	return func() (*wire.Attempt, error) { return c.HandIn(ctx, course, name, text, "", 20) }, text, nil
}

// handedArrays reads arrays for the shown cases of a published exercise.
func (a *app) handedArrays(ctx context.Context, c *client.Client, course, name, file string,
	info os.FileInfo) (map[string]map[string]dataio.JSON, error) {
	e, err := c.Exercise(ctx, course, name)
	if err != nil {
		return nil, answered(err)
	}
	fsys, closer, err := resultFiles(file, info)
	if err != nil {
		return nil, err
	}
	defer closer()
	var cases []string
	for _, x := range e.Cases {
		cases = append(cases, x.Name)
	}
	wanted := map[string][]*string{}
	for _, o := range e.Outputs {
		wanted[o.Name] = o.Axes
	}
	results, wrong := check.ReadArrays(fsys, cases, func(output string) (rank int, labels []string, ok bool) {
		axes, ok := wanted[output]
		if !ok || axes == nil {
			return -1, nil, ok
		}
		labels = make([]string, len(axes))
		for i, l := range axes {
			if l != nil {
				labels[i] = *l
			}
		}
		return len(axes), labels, true
	})
	if len(wrong) > 0 {
		return nil, wrongUse("arrays of %s cannot be read: %s", file, strings.Join(wrong, "; "))
	}
	out := map[string]map[string]dataio.JSON{}
	for x, outputs := range results {
		out[x] = map[string]dataio.JSON{}
		for output, v := range outputs {
			out[x][output] = dataio.JSON{Array: v}
		}
	}
	return out, nil
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

func (a *app) attempt(ctx context.Context, course, exercise, file string, said []string) error {
	c, err := connect()
	if err != nil {
		return err
	}
	if course, err = courseOf(ctx, c, course); err != nil {
		return err
	}
	send, text, err := a.handIn(ctx, c, course, exercise, file)
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
		return answered(err)
	}
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
