package commands

import (
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"log/slog"
	"net"
	"os"
	"path/filepath"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"nimbusreach/client"
	"nimbusreach/demo"
	"nimbusreach/demo/standin"
	"nimbusreach/internal/core/check"
	"nimbusreach/internal/service"
	"nimbusreach/internal/service/access"
	"nimbusreach/internal/service/mariadb"
	"nimbusreach/internal/service/outbox"
	"nimbusreach/internal/service/store"
)

type demoFlags struct {
	once, fresh    bool
	folder, listen string
}

func (a *app) demoCommand() *cobra.Command {
	var f demoFlags
	c := &cobra.Command{
		Use:   "demo",
		Short: "Start database, service and console with the demo course and class",
		Long: `Starts a private MariaDB on loopback in a folder of its own, the service and the
console; on the first start makes the kelp farm's course, a made-up class of forty
and their attempts. Ctrl-C stops all of it; the next start comes up with the same
data. With --once it plays the story through, prints it and ends.`,
		Example: "  nimbus demo\n  nimbus demo --once",
		Args:    cobra.NoArgs,
		RunE:    func(c *cobra.Command, _ []string) error { return a.demo(c.Context(), f) },
	}
	c.Flags().BoolVar(&f.once, "once", false, "play the story through, print it and stop")
	c.Flags().BoolVar(&f.fresh, "fresh", false, "start over: forget what an earlier demo stored")
	c.Flags().StringVar(&f.folder, "folder", ".nimbus", "where the demo keeps its database")
	c.Flags().StringVar(&f.listen, "listen", "", "host:port (default 127.0.0.1:8080, or a free port when that is taken)")
	return c
}

func (a *app) demo(ctx context.Context, f demoFlags) error {
	folder := filepath.Join(f.folder, "demo")
	if f.once {
		if err := os.MkdirAll(f.folder, 0o700); err != nil {
			return unreachable(err)
		}
		once, err := os.MkdirTemp(f.folder, "once-")
		if err != nil {
			return unreachable(err)
		}
		defer os.RemoveAll(once)
		folder = once
	}
	if f.fresh {
		if err := a.forget(ctx, folder); err != nil {
			return unreachable(running(folder, err))
		}
	}
	a.printf("starting a private database in %s\n", folder)
	db, err := mariadb.Start(ctx, folder)
	if err != nil {
		return unreachable(running(folder, err))
	}
	err = a.demoService(ctx, f, folder, db.DSN)
	if stopErr := db.Stop(); err == nil {
		err = stopErr
	}
	if err != nil {
		return unreachable(err)
	}
	if !f.once {
		a.printf("stopped; the data stays in %s\n", folder)
	}
	return nil
}

// addressFile is where a demo writes the address it answers on.
const addressFile = "address"

// running says where the demo answers that uses the folder already.
func running(folder string, err error) error {
	var used *mariadb.InUse
	if !errors.As(err, &used) {
		return err
	}
	at := "it is still starting"
	if text, err := os.ReadFile(filepath.Join(folder, addressFile)); err == nil {
		at = "it answers at " + strings.TrimSpace(string(text))
	}
	return fmt.Errorf("a demo runs in %s already (process %d): %s; stop that one with Ctrl-C, or give this one a "+
		"folder of its own with --folder", folder, used.PID, at)
}

// forget removes the demo's folder, ending a database that still runs in it; not one that
// another demo uses.
func (a *app) forget(ctx context.Context, folder string) error {
	if _, err := os.Stat(folder); errors.Is(err, fs.ErrNotExist) {
		return nil
	}
	lock, err := mariadb.Lock(folder)
	if err != nil {
		return err
	}
	_ = lock.Close()
	if _, err := os.Stat(filepath.Join(folder, "mariadb.pid")); err == nil {
		db, err := mariadb.Start(ctx, folder)
		if err == nil {
			err = db.Stop()
		}
		if err != nil {
			return err
		}
	}
	return os.RemoveAll(folder)
}

// demoService runs the service until asked to stop, or until the story is reported.
func (a *app) demoService(ctx context.Context, f demoFlags, folder, dsn string) error {
	ctx, stop := context.WithCancel(ctx)
	defer stop()
	log, logFile, err := demoLog(folder)
	if err != nil {
		return err
	}
	defer logFile.Close()
	post, err := standin.Start("127.0.0.1:0", "127.0.0.1:0")
	if err != nil {
		return err
	}
	defer post.Close()
	mail, err := outbox.Parse(post.Config())
	if err != nil {
		return err
	}
	clock := &demo.Clock{}
	address := make(chan string, 1)
	ready := make(chan error, 1)
	ended := make(chan error, 1)
	listen := demoAddress(f)
	go func() {
		ended <- service.Run(ctx, service.Config{DSN: dsn, Listen: listen, Address: "http://" + listen, Log: log, Mail: mail,
			Clock:     clock.Now,
			Listening: func(at string) { address <- at },
			Ready: func(s *store.Store, gate *access.Gate) {
				ready <- firstOperator(ctx, s, gate, demo.Operator, demo.Password)
			}})
	}()
	var base string
	select {
	case base = <-address:
	case err := <-ended:
		return err
	}
	base = "http://" + base
	select {
	case err := <-ready:
		if err != nil {
			return err
		}
	case err := <-ended:
		return err
	}
	c := client.New(base, "")
	if err := c.Ready(ctx); err != nil {
		return err
	}
	if err := a.tell(ctx, f, c, clock); err != nil {
		stop()
		end := <-ended
		if ctx.Err() != nil && !f.once {
			return nil
		}
		return errors.Join(err, end)
	}
	if f.once {
		stop()
		return <-ended
	}
	if err := os.WriteFile(filepath.Join(folder, addressFile), []byte(base+"\n"), 0o600); err != nil {
		return err
	}
	defer os.Remove(filepath.Join(folder, addressFile))
	a.demoWelcome(base, folder, post.Page())
	return <-ended
}

func demoLog(folder string) (*slog.Logger, io.Closer, error) {
	file, err := os.OpenFile(filepath.Join(folder, "service.log"), os.O_CREATE|os.O_APPEND|os.O_WRONLY, 0o600)
	if err != nil {
		return nil, nil, err
	}
	return logger(file, false), file, nil
}

// demoAddress prefers port 8080, and takes a free one when that is taken: links in the demo's mail lead there.
func demoAddress(f demoFlags) string {
	if f.listen != "" {
		return f.listen
	}
	choices := []string{"127.0.0.1:8080", "127.0.0.1:0"}
	if f.once {
		choices = choices[1:]
	}
	for _, at := range choices {
		if l, err := net.Listen("tcp", at); err == nil {
			_ = l.Close()
			return l.Addr().String()
		}
	}
	return "127.0.0.1:0"
}

// tell makes the demo's course and class when they are not there, and plays the
// story.
func (a *app) tell(ctx context.Context, f demoFlags, base *client.Client, clock *demo.Clock) error {
	c := base.As("")
	if _, err := c.SignIn(ctx, demo.Instructor, demo.Password, "demo"); err == nil {
		if course, err := c.Course(ctx, demo.CourseSlug); err == nil && course.Revision > 0 {
			return nil // told before
		}
	}
	clock.At(demo.Enrolled)
	defer clock.Real()
	if err := demo.Enrol(ctx, base, func(what string) { a.printf("%s\n", what) }); err != nil {
		return err
	}
	counts := map[check.Word]int{}
	n := 0
	start := time.Now()
	err := demo.Play(ctx, base, clock, func(h demo.HandedIn) {
		n++
		if h.Result.Verdict == nil {
			return
		}
		v := h.Result.Verdict
		counts[v.Verdict]++
		if f.once {
			m := marks[v.Verdict]
			a.printf("  %s %-8s %-15s %-14s %s\n", a.paint(m.colour, m.sign), v.Verdict, h.Exercise, h.Student, lead(v))
		} else if n%25 == 0 {
			a.printf("  %d attempts handed in\n", n)
		}
	})
	if err != nil {
		return err
	}
	a.printf("%d attempts checked in %.1f s: %d agree, %d differ, %d failed, %d refused\n\n", n, time.Since(start).
		Seconds(), counts[check.Agrees], counts[check.Differs], counts[check.Failed], counts[check.Refused])
	if !f.once {
		return nil
	}
	team := base.As("")
	if _, err := team.SignIn(ctx, demo.Assistant, demo.Password, "demo"); err != nil {
		return err
	}
	d, err := team.Desk(ctx, demo.CourseSlug)
	if err != nil {
		return err
	}
	a.deskText(d)
	return nil
}

// lead is the first thing a verdict has to say.
func lead(v *check.Verdict) string {
	switch {
	case len(v.Findings) > 0:
		return string(v.Findings[0].Code) + ": " + v.Findings[0].Message
	case len(v.Rules) > 0:
		return string(v.Rules[0].Code) + ": " + v.Rules[0].Message
	}
	return ""
}

func (a *app) demoWelcome(base, folder, post string) {
	line := strings.Repeat("─", 72)
	a.printf("%s\nNimbus Reach is at  %s\n\n", line, base)
	a.printf("  sign in as   %-8s an instructor   (all passwords: %s)\n", demo.Instructor, demo.Password)
	a.printf("               %-8s an assistant\n", demo.Assistant)
	a.printf("               %-8s a student, and 39 more\n", demo.Student)
	a.printf("               %-8s the operator\n\n", demo.Operator)
	a.printf("  look at      as %s: the desk, and an attempt that differs\n", demo.Assistant)
	a.printf("               as %s: an exercise; hand something in while the desk is open\n", demo.Student)
	a.printf("  mail         a stand-in takes it and shows it at %s\n", post)
	a.printf("  from a shell NIMBUS_PASSWORD=%s nimbus sign-in --service %s --name %s\n", demo.Password, base,
		demo.Student)
	a.printf("               nimbus attempt rope-means demo/attempts/rope-means/per-depth.nra\n\n")
	a.printf("  The service's log is %s. Ctrl-C stops everything.\n%s\n", filepath.Join(folder, "service.log"), line)
	fmt.Fprintln(a.err)
}
