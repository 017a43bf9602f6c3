// Command soak runs a cluster of three database nodes with three services, three workers and sixty
// clients for a while, and kills, stops or cuts something off every so often. At the end the witness
// compares what was acknowledged with what is stored.
//
//	go run ./scripts/soak -for 20m
package main

import (
	"context"
	"errors"
	"flag"
	"fmt"
	"io"
	"log/slog"
	"os"
	"os/exec"
	"os/signal"
	"path/filepath"
	"strings"
	"sync"
	"syscall"
	"time"

	"nimbusreach/internal/core/exercise"
	"nimbusreach/internal/service/access"
	"nimbusreach/internal/service/mariadb"
	"nimbusreach/internal/service/store"
)

const (
	nodes     = 3
	services  = 3
	workers   = 3
	clients   = 60
	course    = "kelp-cooperative"
	drainTime = 45 * time.Second // for what was acknowledged last
)

type options struct {
	time, every time.Duration
	longest     time.Duration
	binary      string
	keep        bool
}

func main() {
	var o options
	flag.DurationVar(&o.time, "for", 20*time.Minute, "how long clients hand in")
	flag.DurationVar(&o.every, "every", 20*time.Second, "how often something is disturbed")
	flag.DurationVar(&o.longest, "longest", 30*time.Second, "the longest that an attempt may wait for its verdict; 0 "+
		"for any")
	flag.StringVar(&o.binary, "binary", "bin/nimbus", "the service's program")
	flag.BoolVar(&o.keep, "keep", false, "keep the folder with databases and logs")
	flag.Parse()
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	if err := soak(ctx, o); err != nil {
		fmt.Fprintln(os.Stderr, "soak:", err)
		os.Exit(1)
	}
}

// soak runs all of it; whatever it starts it ends.
func soak(ctx context.Context, o options) (err error) {
	folder, err := os.MkdirTemp("", "nimbus-soak-")
	if err != nil {
		return err
	}
	if err := os.Chmod(folder, 0o755); err != nil { // the nodes' own user must reach it
		return err
	}
	defer func() {
		if err != nil || o.keep {
			fmt.Println("databases and logs are kept in", folder)
			return
		}
		_ = os.RemoveAll(folder)
	}()
	fmt.Printf("three nodes, %d services, %d workers, %d clients, for %s\n", services, workers, clients, o.time)
	cluster, err := mariadb.StartCluster(ctx, folder, nodes)
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, cluster.Stop()) }()
	tokens, err := enrol(ctx, cluster.DSN)
	if err != nil {
		return err
	}
	s, err := startSystem(ctx, o.binary, folder, cluster)
	if err != nil {
		return err
	}
	defer s.stop()

	load, end := context.WithTimeout(ctx, o.time)
	defer end()
	file, err := os.Create(filepath.Join(folder, "acknowledged.jsonl"))
	if err != nil {
		return err
	}
	journal := newJournal(file)
	var wg sync.WaitGroup
	for i := range clients {
		c := &student{id: tokens[i].person, token: tokens[i].token, bases: s.bases(), first: i, journal: journal}
		wg.Go(func() { c.handInUntil(load) })
	}
	s.disturbUntil(load, o.every)
	wg.Wait()
	if err := journal.close(); err != nil {
		return err
	}
	if ctx.Err() != nil {
		return ctx.Err()
	}
	if err := s.restore(ctx); err != nil {
		return err
	}
	witness := exec.CommandContext(ctx, "go", "run", "./scripts/witness", "-file", file.Name(), "-database",
		cluster.Nodes[0].DSN, "-drain", drainTime.String(), "-longest", o.longest.String())
	witness.Stdout, witness.Stderr = os.Stdout, os.Stderr
	return witness.Run()
}

type token struct {
	person uint64
	token  string
}

// enrol makes the course and its students.
func enrol(ctx context.Context, dsn string) ([]token, error) {
	s, err := store.Open(ctx, dsn, slog.New(slog.NewTextHandler(io.Discard, nil)))
	if err != nil {
		return nil, err
	}
	defer s.Close()
	gate, err := access.New(s)
	if err != nil {
		return nil, err
	}
	imke := &store.Person{Name: "imke", Display: "Imke Shoal", PasswordHash: "x"}
	if err := s.AddPerson(ctx, nil, imke); err != nil {
		return nil, err
	}
	archive, err := exercise.Pack(os.DirFS("demo/course"))
	if err != nil {
		return nil, err
	}
	c, _, err := s.Publish(ctx, imke.ID, course, "Kelp", archive, 0)
	if err != nil {
		return nil, err
	}
	var out []token
	for i := range clients {
		p := &store.Person{Name: fmt.Sprintf("student%d", i), Display: fmt.Sprintf("Student %d", i), PasswordHash: "x"}
		if err := s.AddPerson(ctx, nil, p); err != nil {
			return nil, err
		}
		if err := s.SetRole(ctx, nil, c, p, store.Student); err != nil {
			return nil, err
		}
		text, err := gate.BeginToken(ctx, p, "soak", store.TokenLife)
		if err != nil {
			return nil, err
		}
		out = append(out, token{p.ID, text})
	}
	return out, nil
}

// say prints a line with the time since the start.
func (s *system) say(format string, args ...any) {
	fmt.Printf("%7s  %s\n", time.Since(s.begun).Round(time.Second), strings.TrimSpace(fmt.Sprintf(format, args...)))
}
