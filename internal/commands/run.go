package commands

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io/fs"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/spf13/cobra"

	"nimbusreach/client"
	"nimbusreach/client/wire"
	"nimbusreach/internal/core/check"
)

// ownRun says what a command of one's own is run for.
type ownRun struct {
	course, format, source string
	timeout                time.Duration
	shown                  bool
	said                   []string
}

func (a *app) runCommand() *cobra.Command {
	var r ownRun
	c := &cobra.Command{
		Use:   "run EXERCISE -- COMMAND [ARGUMENT...]",
		Short: "Run your own program on data of your own, and hand in what it writes",
		Long: "Makes a temporary folder with data of your own in `in`, runs your command there on this machine, and hands\n" +
			"in the arrays that it writes into `out`. The command finds both folders in NIMBUS_IN and NIMBUS_OUT, and\n" +
			"`in/README.txt` says what is what. With --shown it runs on the shown data, which takes no ticket; EXERCISE may\n" +
			"then be an exercise's folder, and the arrays are compared offline. Nothing is ever run anywhere else.\n" +
			"Exit code 0: agrees; 1: it does not; 3: the command failed or wrote something else than was wanted; the ticket\n" +
			"stays open then.",
		Example: `  nimbus run rope-means -- awk -f means.awk
  nimbus run rope-means --format nc --source means.f90 -- ./means
  nimbus run rope-means --shown -- ./means.sh
  nimbus run kelp-cooperative/exercises/rope-means --shown -- ./means.sh`,
		Args: cobra.MinimumNArgs(2),
		RunE: func(c *cobra.Command, args []string) error {
			if c.ArgsLenAtDash() != 1 {
				return wrongUse("put `--` between the exercise and the command: nimbus run EXERCISE -- COMMAND")
			}
			return a.run(c.Context(), args[0], args[1:], r)
		},
	}
	c.Flags().StringVar(&r.format, "format", check.Formats[0], "the data's format: "+strings.Join(check.Formats, ", "))
	c.Flags().DurationVar(&r.timeout, "timeout", time.Minute, "how long the command may run")
	c.Flags().BoolVar(&r.shown, "shown", false, "run on the shown data; nothing is handed in")
	c.Flags().StringVar(&r.source, "source", "", "a file with your program's text, for the team to read")
	c.Flags().StringArrayVar(&r.said, "predict", nil, "answer to a question that is asked before the first attempt")
	c.Flags().StringVar(&r.course, "course", "", "the course (default: your only one)")
	return c
}

func (a *app) run(ctx context.Context, exercise string, command []string, r ownRun) error {
	if err := knownFormat(r.format); err != nil {
		return err
	}
	if r.timeout <= 0 {
		return wrongUse("--timeout is %s; give a length of time like 60s", r.timeout)
	}
	top, err := os.MkdirTemp("", "nimbus-run-")
	if err != nil {
		return unreachable(err)
	}
	defer os.RemoveAll(top)
	in, out := filepath.Join(top, "in"), filepath.Join(top, "out")
	if err := errors.Join(os.Mkdir(in, 0o755), os.Mkdir(out, 0o755)); err != nil {
		return unreachable(err)
	}
	if _, err := os.Stat(filepath.Join(exercise, "exercise.yaml")); err == nil {
		if !r.shown {
			return wrongUse("%s is a folder, and what is handed in goes to the service: name the exercise, or add --shown",
				exercise)
		}
		return a.runOffline(ctx, exercise, command, r, top)
	}
	c, err := connect()
	if err != nil {
		return err
	}
	if r.course, err = courseOf(ctx, c, r.course); err != nil {
		return err
	}
	b := &bringing{folder: out, source: r.source}
	var t *wire.Ticket
	if !r.shown {
		if t, err = a.ticketFor(ctx, c, exercise, r); err != nil {
			return err
		}
		b.ticket = t.ID
	}
	if _, err := a.takeData(ctx, c, r.course, exercise, r.format, in, t); err != nil {
		return err
	}
	if err := a.command(ctx, top, command, r.timeout); err != nil {
		return err
	}
	if err := b.read(); err != nil {
		return err
	}
	if len(b.files) == 0 {
		return a.notAsWanted(in, errors.New("the command wrote nothing into out"))
	}
	if r.shown {
		form, err := c.FormOf(ctx, r.course, exercise, client.Files{Files: b.files})
		if err != nil {
			return a.notAsWanted(in, answered(err))
		}
		a.form(form)
		if !form.OK {
			return a.notAsWanted(in, errors.New("the arrays do not have the form that is wanted"))
		}
		a.printf("\nThe form is as wanted. Values are compared offline, with the exercise's folder, or when you hand in.\n")
		return nil
	}
	got, err := b.send(ctx, c, r.course, exercise)
	if err != nil {
		a.problemForm(err)
		var p *client.Error
		if errors.As(err, &p) && p.Status == http.StatusUnprocessableEntity {
			return a.notAsWanted(in, answered(err))
		}
		return answered(err)
	}
	return a.handedIn(ctx, c, got, "", exercise)
}

// ticketFor takes a ticket, after the questions that are asked before the first attempt.
func (a *app) ticketFor(ctx context.Context, c *client.Client, exercise string, r ownRun) (*wire.Ticket, error) {
	t, err := c.MakeTicket(ctx, r.course, exercise)
	var first *client.Error
	if errors.As(err, &first) && len(first.Questions) > 0 {
		if err := a.predict(ctx, c, r.course, exercise, first.Questions, r.said); err != nil {
			return nil, err
		}
		t, err = c.MakeTicket(ctx, r.course, exercise)
	}
	if err != nil {
		return nil, answered(err)
	}
	return t, nil
}

// runOffline runs the command on the shown data of an exercise's folder, and compares what it writes.
func (a *app) runOffline(ctx context.Context, folder string, command []string, r ownRun, top string) error {
	p, err := a.prepared(ctx, folder)
	if err != nil {
		return err
	}
	in, out := filepath.Join(top, "in"), filepath.Join(top, "out")
	if err := shownFiles(p, r.format, in); err != nil {
		return err
	}
	if err := a.command(ctx, top, command, r.timeout); err != nil {
		return err
	}
	files, err := readFolder(out)
	if err != nil {
		return err
	}
	v, form, err := judged(ctx, p, files)
	if err != nil {
		return a.notAsWanted(in, err)
	}
	if !form.OK {
		a.form(form)
		return a.notAsWanted(in, errors.New("the arrays do not have the form that is wanted"))
	}
	if a.output == "json" {
		if err := a.json(v); err != nil {
			return err
		}
	} else {
		a.verdict(v, "", folder, false)
	}
	if v.Verdict != check.Agrees {
		return ended(exitDiffers)
	}
	return nil
}

// judged checks arrays of files on the open cases, and says of each whether it has the form that is wanted.
func judged(ctx context.Context, p *check.Prepared, files []check.File) (*check.Verdict, *check.Form, error) {
	results, wrong := check.ReadArrays(files, p.Wants())
	if len(wrong) > 0 {
		return nil, nil, fmt.Errorf("the arrays cannot be read: %s", strings.Join(wrong, "; "))
	}
	form, fitted := check.FormOf(p, results)
	v, err := check.Arrays(ctx, p, fitted)
	return v, form, err
}

// notAsWanted ends with what was wanted, as the README has it.
func (a *app) notAsWanted(in string, err error) error {
	if raw, absent := os.ReadFile(filepath.Join(in, check.ReadmeFile)); absent == nil {
		if _, wanted, ok := strings.Cut(string(raw), "\nWanted\n"); ok {
			wanted, _, _ = strings.Cut(wanted, "\n\n")
			fmt.Fprintf(a.err, "wanted in out:\n%s\n", wanted)
		}
	}
	var known *exit
	if errors.As(err, &known) {
		err = known.err
	}
	if strings.Contains(err.Error(), "nothing was handed in") {
		return unreachable(err)
	}
	return unreachable(fmt.Errorf("%w; nothing was handed in", err))
}

const (
	// mostOutput bounds what is kept of a command's own output, and mostInFolder what it may write into its folder.
	mostOutput   = 64 << 10
	mostInFolder = 256 << 20
	watchEvery   = 100 * time.Millisecond
)

// command runs a command of one's own in a folder, for a time, and ends all that it started.
func (a *app) command(ctx context.Context, folder string, command []string, timeout time.Duration) error {
	path, err := exec.LookPath(command[0])
	if err != nil {
		return unreachable(fmt.Errorf("the command %s cannot be found; nothing was handed in", command[0]))
	}
	if path, err = filepath.Abs(path); err != nil {
		return unreachable(err)
	}
	ctx, stop := context.WithTimeoutCause(ctx, timeout, fmt.Errorf("the command ran longer than %s", timeout))
	defer stop()
	ctx, end := context.WithCancelCause(ctx)
	defer end(nil)
	said := &tail{}
	cmd := exec.CommandContext(ctx, path, absolute(command[1:], folder)...)
	cmd.Dir, cmd.Stdout, cmd.Stderr, cmd.WaitDelay = folder, said, said, time.Second
	cmd.Env = append(os.Environ(), "NIMBUS_IN="+filepath.Join(folder, "in"), "NIMBUS_OUT="+filepath.Join(folder, "out"))
	endTogether(cmd)
	done := make(chan struct{})
	var watching sync.WaitGroup
	watching.Go(func() { watch(folder, done, end) })
	err = cmd.Run()
	close(done)
	watching.Wait()
	if text := said.String(); text != "" {
		fmt.Fprintln(a.err, strings.TrimRight(text, "\n"))
	}
	switch {
	case ctx.Err() != nil:
		return unreachable(fmt.Errorf("%w, and was ended; nothing was handed in", context.Cause(ctx)))
	case err != nil:
		return unreachable(fmt.Errorf("the command ended with %w; nothing was handed in", err))
	}
	return nil
}

// absolute gives arguments that name files here their full paths: the command runs in another folder, which has none of
// that name.
func absolute(args []string, folder string) []string {
	out := slices.Clone(args)
	for i, arg := range args {
		info, err := os.Stat(arg)
		if err != nil || !info.Mode().IsRegular() {
			continue
		}
		if _, err := os.Stat(filepath.Join(folder, arg)); err == nil {
			continue
		}
		if full, err := filepath.Abs(arg); err == nil {
			out[i] = full
		}
	}
	return out
}

// watch ends a command that writes more than it may.
func watch(folder string, done <-chan struct{}, end context.CancelCauseFunc) {
	tick := time.NewTicker(watchEvery)
	defer tick.Stop()
	for {
		select {
		case <-done:
			return
		case <-tick.C:
		}
		size := int64(0)
		_ = filepath.WalkDir(folder, func(_ string, d fs.DirEntry, err error) error {
			if err == nil && !d.IsDir() {
				if info, err := d.Info(); err == nil {
					size += info.Size()
				}
			}
			return nil
		})
		if size > mostInFolder {
			end(fmt.Errorf("the command wrote more than %d bytes", mostInFolder))
			return
		}
	}
}

// tail keeps the end of what is written to it.
type tail struct {
	mu  sync.Mutex
	buf bytes.Buffer
	cut bool
}

func (t *tail) Write(b []byte) (int, error) {
	t.mu.Lock()
	defer t.mu.Unlock()
	t.buf.Write(b)
	if over := t.buf.Len() - mostOutput; over > 0 {
		t.buf.Next(over)
		t.cut = true
	}
	return len(b), nil
}

func (t *tail) String() string {
	t.mu.Lock()
	defer t.mu.Unlock()
	if t.cut {
		return "[...]\n" + t.buf.String()
	}
	return t.buf.String()
}
