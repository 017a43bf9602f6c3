package commands

import (
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"net/url"
	"os"
	"strings"

	"github.com/spf13/cobra"

	"nimbusreach/internal/service"
	"nimbusreach/internal/service/access"
	"nimbusreach/internal/service/outbox"
	"nimbusreach/internal/service/store"
)

type serveFlags struct {
	dsn, listen, operator  string
	workers                int
	secure, hooks, verbose bool
	proxies                []string
	metrics                string
	address                string
	memory                 int64
}

// logger writes structured logs to standard error.
func logger(w io.Writer, verbose bool) *slog.Logger {
	level := slog.LevelInfo // requests are logged at debug, unless they fail
	if verbose {
		level = slog.LevelDebug
	}
	return slog.New(slog.NewJSONHandler(w, &slog.HandlerOptions{Level: level}))
}

func (a *app) serveCommand() *cobra.Command {
	var f serveFlags
	c := &cobra.Command{
		Use:   "serve",
		Short: "Run the service and its console",
		Long: `Runs the service against a MariaDB, brings its tables up to date and checks
attempts on every core. The database's address comes from
--database or NIMBUS_DATABASE: user:password@tcp(host:port)/name, or those of
a cluster's nodes with commas between.

On an empty database --first-operator makes the first account; its password is
read from NIMBUS_OPERATOR_PASSWORD.

Mail goes out through the server that NIMBUS_SMTP names:
` + outbox.Example + `
(smtps:// for TLS from the first byte). Without it links are shown, and not mailed.`,
		Example: "  NIMBUS_DATABASE='nimbus:secret@tcp(127.0.0.1:3306)/nimbus' nimbus serve --listen 127.0.0.1:8080",
		Args:    cobra.NoArgs,
		RunE:    func(c *cobra.Command, _ []string) error { return a.serve(c.Context(), f) },
	}
	serviceFlags(c, &f)
	c.Flags().StringVar(&f.listen, "listen", "127.0.0.1:8080", "host:port to answer on; port 0 takes a free one")
	c.Flags().BoolVar(&f.secure, "secure", false, "browsers come over HTTPS: cookies are sent on nothing else")
	c.Flags().StringSliceVar(&f.proxies, "proxy", nil, "network of a proxy, 10.0.0.0/8 say, whose X-Forwarded-For and "+
		"Forwarded are believed; may be repeated")
	c.Flags().StringVar(&f.address, "address", "", "the console's address in links and calendars, https://nimbus.example "+
		"say (default: the one that a request came to)")
	c.Flags().BoolVar(&f.hooks, "private-hooks", false, "web hooks may go to private addresses, and without TLS")
	c.Flags().StringVar(&f.metrics, "metrics", "", "host:port to answer /metrics on; or set NIMBUS_METRICS_TOKEN, "+
		"which a reader then sends")
	c.Flags().StringVar(&f.operator, "first-operator", "", "name of the operator to make when there is nobody yet")
	return c
}

func serviceFlags(c *cobra.Command, f *serveFlags) {
	c.Flags().StringVar(&f.dsn, "database", os.Getenv("NIMBUS_DATABASE"), "the database's address (or NIMBUS_DATABASE)")
	c.Flags().IntVar(&f.workers, "workers", 0, "checking goroutines; 0 is four for each core, below 0 none")
	c.Flags().Int64Var(&f.memory, "memory", 0, "MiB that programs may hold together; 0 is 256 for each core")
	c.Flags().BoolVar(&f.verbose, "verbose", false, "log every request")
}

func (f serveFlags) check() error {
	if f.dsn == "" {
		return wrongUse("no database is named; set NIMBUS_DATABASE or --database, or start with `nimbus demo`, which " +
			"brings its own")
	}
	return nil
}

func (a *app) serve(ctx context.Context, f serveFlags) error {
	if err := f.check(); err != nil {
		return err
	}
	address, err := consoleAddress(f.address)
	if err != nil {
		return err
	}
	mail, err := outbox.Parse(os.Getenv("NIMBUS_SMTP"))
	if err != nil {
		return wrongUse("NIMBUS_SMTP: %v", err)
	}
	log := logger(a.err, f.verbose)
	ctx, cancel := context.WithCancelCause(ctx)
	defer cancel(nil)
	err = service.Run(ctx, service.Config{DSN: f.dsn, Mail: mail, Listen: f.listen, Workers: f.workers,
		Memory: f.memory << 20, Secure: f.secure, Address: address, Proxies: f.proxies, Metrics: f.metrics,
		PrivateHooks: f.hooks,
		MetricsToken: os.Getenv("NIMBUS_METRICS_TOKEN"), Log: log,
		Listening: func(address string) { log.Info("listening", "address", "http://"+address) },
		Ready: func(s *store.Store, gate *access.Gate) {
			log.Info("ready")
			if f.operator == "" {
				return
			}
			if err := firstOperator(ctx, s, gate, f.operator, os.Getenv("NIMBUS_OPERATOR_PASSWORD")); err != nil {
				cancel(err)
			}
		}})
	if cause := context.Cause(ctx); err == nil && cause != nil && !errors.Is(cause, context.Canceled) {
		err = cause
	}
	if err != nil {
		return unreachable(err)
	}
	log.Info("stopped")
	return nil
}

// consoleAddress reads the address that links begin with; "" for none.
func consoleAddress(text string) (string, error) {
	u, err := url.Parse(text)
	if text != "" && (err != nil || u.Scheme != "https" && u.Scheme != "http" || u.Host == "" || u.RawQuery != "" ||
		u.Fragment != "") {
		return "", wrongUse("--address is %q; it is the address that browsers come to, like https://nimbus.example", text)
	}
	return strings.TrimSuffix(text, "/"), nil
}

// firstOperator makes an operator when there is nobody yet.
func firstOperator(ctx context.Context, s *store.Store, gate *access.Gate, name, password string) error {
	n, err := s.CountPeople(ctx)
	if err != nil || n > 0 {
		return err
	}
	if err := gate.FirstOperator(ctx, name, password); err != nil {
		return fmt.Errorf("the first operator cannot be made: %w", err)
	}
	return nil
}

func (a *app) workerCommand() *cobra.Command {
	var f serveFlags
	c := &cobra.Command{
		Use:     "worker",
		Short:   "Run one more checking process against the same database",
		Example: "  nimbus worker --database 'nimbus:secret@tcp(127.0.0.1:3306)/nimbus' --workers 4",
		Args:    cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			if err := f.check(); err != nil {
				return err
			}
			if err := service.Work(c.Context(), service.Config{DSN: f.dsn, Workers: f.workers, Memory: f.memory << 20,
				Log: logger(a.err, f.verbose)}); err != nil {
				return unreachable(err)
			}
			return nil
		},
	}
	serviceFlags(c, &f)
	return c
}
