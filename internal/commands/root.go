package commands

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"os/signal"
	"runtime"
	"syscall"

	"github.com/spf13/cobra"
	"golang.org/x/term"

	"nimbusreach/internal/core/evaluate"
	"nimbusreach/internal/core/guard"
	"nimbusreach/internal/service/budget"
)

// Exit codes of every command.
const (
	exitDone        = 0 // agrees, or done
	exitDiffers     = 1 // differs, or advice was given
	exitUse         = 2 // wrong use
	exitUnreachable = 3 // could not reach or run
)

// exit carries an exit code past cobra. A quiet one has printed its reason.
type exit struct {
	code  int
	err   error
	quiet bool
}

func (e *exit) Error() string { return e.err.Error() }

func (e *exit) Unwrap() error { return e.err }

// unreachable marks an error as one of reaching or running.
func unreachable(err error) error { return &exit{code: exitUnreachable, err: err} }

// wrongUse marks an error as the caller's.
func wrongUse(format string, args ...any) error {
	return &exit{code: exitUse, err: fmt.Errorf(format, args...)}
}

// ended ends with a code and no further word.
func ended(code int) error {
	if code == exitDone {
		return nil
	}
	return &exit{code: code, err: errors.New(""), quiet: true}
}

// app is what commands share.
type app struct {
	in     io.Reader
	out    io.Writer
	err    io.Writer
	output string // text or json
}

// Main runs the command line and returns the exit code.
func Main(args []string, in io.Reader, out, errOut io.Writer) int {
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	context.AfterFunc(ctx, stop) // a second signal ends what ignores the first
	budget.CollectSeldom(int64(runtime.GOMAXPROCS(0)) * evaluate.CheckLimits.Bytes)
	a := &app{in: in, out: out, err: errOut}
	root := a.root()
	root.SetArgs(args)
	root.SetIn(in)
	root.SetOut(out)
	root.SetErr(errOut)
	err := guard.Call("running the command", func() error { return root.ExecuteContext(ctx) })
	if err == nil {
		return exitDone
	}
	if f := guard.As(err); f != nil {
		fmt.Fprintf(errOut, "nimbus: %v\n  This should not happen whatever was typed. Please report it, with the text "+
			"that was read and this:\n%s", f, f.Stack)
		return exitUnreachable
	}
	var e *exit
	if errors.As(err, &e) {
		if !e.quiet {
			fmt.Fprintln(errOut, "nimbus: "+e.Error())
		}
		return e.code
	}
	fmt.Fprintln(errOut, "nimbus: "+err.Error())
	fmt.Fprintln(errOut, "  `nimbus help` lists the commands; `nimbus help COMMAND` shows one with an example.")
	return exitUse
}

func (a *app) root() *cobra.Command {
	root := &cobra.Command{
		Use:   "nimbus",
		Short: "Array exercises that say what differs, where and why",
		Long: "Nimbus Reach checks whole-array answers to exercises in numerical computing.\nStart with `nimbus " +
			"demo`.",
		SilenceErrors: true, SilenceUsage: true,
		PersistentPreRunE: func(*cobra.Command, []string) error {
			if a.output != "text" && a.output != "json" {
				return wrongUse("--output is %q; it takes text or json", a.output)
			}
			return nil
		},
	}
	root.PersistentFlags().StringVarP(&a.output, "output", "o", "text", "text or json")
	_ = root.RegisterFlagCompletionFunc("output", cobra.FixedCompletions([]string{"text", "json"},
		cobra.ShellCompDirectiveNoFileComp))
	root.AddCommand(a.demoCommand(), a.serveCommand(), a.workerCommand(), a.evaluateCommand(), a.traceCommand(),
		a.checkCommand(),
		a.inspectCommand(), a.probeCommand(), a.explainCommand(),
		a.publishCommand(), a.recheckCommand(), a.peopleCommand(), a.groupCommand(), a.extensionCommand(),
		a.serviceCommand(), a.auditCommand(), a.outboxCommand(), a.gradebookCommand(), a.adjustCommand(),
		a.quietCommand(), a.knotsCommand(), a.noteCommand(), a.digestCommand(), a.hookCommand(),
		a.calendarCommand(), a.passwordCommand(),
		a.tokensCommand(), a.jobsCommand(),
		a.jobCommand(), a.coursesCommand(), a.attemptCommand(), a.fetchCommand(), a.runCommand(),
		a.deskCommand(), a.signInCommand(), a.signOutCommand(),
		a.whoamiCommand())
	return root
}

// json prints a value as indented JSON.
func (a *app) json(v any) error {
	text, err := json.MarshalIndent(v, "", "  ")
	if err != nil {
		return err
	}
	_, err = fmt.Fprintln(a.out, string(text))
	return err
}

// printf prints, and returns how many bytes that were.
func (a *app) printf(format string, args ...any) int {
	n, _ := fmt.Fprintf(a.out, format, args...)
	return n
}

// colour reports whether output may carry colour: only on a terminal.
func (a *app) colour() bool {
	f, ok := a.out.(*os.File)
	return ok && term.IsTerminal(int(f.Fd())) && os.Getenv("NO_COLOR") == ""
}

// paint wraps text in a terminal colour when there is a terminal.
func (a *app) paint(code, text string) string {
	if !a.colour() {
		return text
	}
	return "\x1b[" + code + "m" + text + "\x1b[0m"
}
