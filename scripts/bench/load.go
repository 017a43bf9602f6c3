package main

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"math/rand/v2"
	"os"
	"slices"
	"sync"
	"syscall"
	"time"

	"nimbusreach/client"
	"nimbusreach/client/wire"
	"nimbusreach/demo"
	"nimbusreach/internal/core/exercise"
	"nimbusreach/internal/service"
	"nimbusreach/internal/service/mariadb"
)

// loopTime is how long clients hand in.
const loopTime = 6 * time.Second

// signedIn signs 32 students of the demo's class in.
func signedIn(ctx context.Context, base *client.Client) ([]*client.Client, error) {
	people, err := demo.Roster()
	if err != nil {
		return nil, err
	}
	var clients []*client.Client
	for _, p := range people[2:34] {
		token, err := base.SignIn(ctx, p.Name, demo.Password, "bench")
		if err != nil {
			return nil, err
		}
		clients = append(clients, base.As(token.Token))
	}
	return clients, nil
}

// countStatements begins to count what the database is asked; the function tells what it was since.
func countStatements(ctx context.Context, dsn string) (since func() (statements, commits float64, err error),
	err error) {
	read := func() (statements, commits float64, err error) {
		db, err := sql.Open("mysql", dsn)
		if err != nil {
			return 0, 0, err
		}
		defer db.Close()
		rows, err := db.QueryContext(ctx, "SHOW GLOBAL STATUS WHERE Variable_name IN ('Questions', 'Com_commit')")
		if err != nil {
			return 0, 0, err
		}
		defer rows.Close()
		for rows.Next() {
			var name string
			var n float64
			if err := rows.Scan(&name, &n); err != nil {
				return 0, 0, err
			}
			if name == "Questions" {
				statements = n
			} else {
				commits = n
			}
		}
		return statements, commits, rows.Err()
	}
	statements, commits, err := read()
	return func() (float64, float64, error) {
		s, c, err := read()
		return s - statements, c - commits, err
	}, err
}

// loop lets clients hand in one program after the other, each another one: as fast as verdicts come, or so
// many a second of all together. It gives how many verdicts came a second, and how long each took, sorted.
func loop(ctx context.Context, clients []*client.Client, rate float64) (float64, []time.Duration, error) {
	var mu sync.Mutex
	var wg sync.WaitGroup
	var failure error
	var times []time.Duration
	began := time.Now()
	for i, c := range clients {
		wg.Go(func() {
			for n := 0; time.Since(began) < loopTime; n++ {
				if rate > 0 {
					time.Sleep(time.Duration(rand.ExpFloat64() * float64(len(clients)) / rate * float64(time.Second)))
				}
				start := time.Now()
				a, err := c.HandIn(ctx, demo.CourseSlug, "rope-means", fmt.Sprintf("per_rope = mean(growth over [week, rope])\n"+
					"best_week = max(growth over week)\nspread = %d\n", rand.IntN(1<<40)+i), "", 20)
				mu.Lock()
				if err != nil || a.CheckedAt == nil {
					failure = errors.Join(failure, err, errors.New("an attempt has no verdict"))
				} else {
					times = append(times, time.Since(start))
				}
				mu.Unlock()
				if err != nil {
					return
				}
			}
		})
	}
	wg.Wait()
	slices.Sort(times)
	return float64(len(times)) / time.Since(began).Seconds(), times, failure
}

// whileProbing asks for a page while the service probes the demo's course.
func whileProbing(ctx context.Context, base *client.Client) error {
	token, err := base.SignIn(ctx, demo.Instructor, demo.Password, "bench")
	if err != nil {
		return err
	}
	imke := base.As(token.Token)
	archive, err := exercise.Pack(os.DirFS("demo/course"))
	if err != nil {
		return err
	}
	probed := make(chan error, 1)
	go func() {
		for range 3 {
			if _, err := imke.ProbeCourse(ctx, demo.CourseSlug, archive, nil); err != nil {
				probed <- err
				return
			}
		}
		probed <- nil
	}()
	var times []time.Duration
	for {
		select {
		case err := <-probed:
			slices.Sort(times)
			if len(times) > 0 {
				row("a course's page while the service probes, 99th percentile", fmt.Sprintf("%.0f ms",
					ms(times[len(times)*99/100])), "< 100 ms")
			}
			return err
		default:
		}
		start := time.Now()
		if _, err := imke.Course(ctx, demo.CourseSlug); err != nil {
			return err
		}
		times = append(times, time.Since(start))
		time.Sleep(5 * time.Millisecond)
	}
}

const (
	desksOpen  = 200
	desksAfter = 200 // hand-ins
)

// desks measures what an event costs for each desk that is open, in processor time of the service and of
// the clients that read it.
func desks(ctx context.Context, base *client.Client, clients []*client.Client) error {
	token, err := base.SignIn(ctx, demo.Instructor, demo.Password, "bench")
	if err != nil {
		return err
	}
	work := func() (time.Duration, error) {
		before := processor()
		for i := range desksAfter {
			if _, err := clients[i%len(clients)].HandIn(ctx, demo.CourseSlug, "ripe-fronds", fmt.Sprintf("ripe = %d\n",
				rand.IntN(1<<40)), "", 20); err != nil {
				return 0, err
			}
		}
		return processor() - before, nil
	}
	if _, err := work(); err != nil { // once to be warm
		return err
	}
	without, err := work()
	if err != nil {
		return err
	}
	open, leave := context.WithCancel(ctx)
	var wg sync.WaitGroup
	var mu sync.Mutex
	events := 0
	for range desksOpen {
		wg.Go(func() {
			_ = base.As(token.Token).Events(open, demo.CourseSlug, func(wire.Event) bool {
				mu.Lock()
				defer mu.Unlock()
				events++
				return true
			})
		})
	}
	for deadline := time.Now().Add(20 * time.Second); time.Now().Before(deadline); time.Sleep(20 * time.Millisecond) {
		mu.Lock()
		n := events
		mu.Unlock()
		if n >= desksOpen { // each was told to refresh
			break
		}
	}
	with, err := work()
	leave()
	wg.Wait()
	mu.Lock()
	defer mu.Unlock()
	row("an event, for each of 200 desks that are open", fmt.Sprintf("%.3f ms", ms(with-without)/
		float64(max(events-desksOpen, 1))), "< 0.2 ms")
	return err
}

// processor is the processor time that this process has used.
func processor() time.Duration {
	var u syscall.Rusage
	if err := syscall.Getrusage(syscall.RUSAGE_SELF, &u); err != nil {
		return 0
	}
	return time.Duration(u.Utime.Nano() + u.Stime.Nano())
}

// split measures a service that checks nothing itself, with one worker beside it.
func split(ctx context.Context, rate float64) error {
	dsn, end, err := database(ctx)
	if err != nil {
		return err
	}
	defer end()
	r, err := serve(dsn, -1, nil)
	if err != nil {
		return err
	}
	working, stop := context.WithCancel(ctx)
	ended := make(chan error, 1)
	go func() {
		ended <- service.Work(working, service.Config{DSN: dsn, Log: slog.New(slog.NewTextHandler(io.Discard, nil))})
	}()
	clients, err := signedIn(ctx, r.base)
	if err == nil {
		var times []time.Duration
		if _, times, err = loop(ctx, clients, rate); err == nil {
			row("a service without workers and one worker, half the rate, 99th percentile", fmt.Sprintf("%.0f ms",
				ms(times[len(times)*99/100])), "< 100 ms")
		}
	}
	stop()
	return errors.Join(err, <-ended, r.stop())
}

// nodes measures a cluster of three nodes on this machine against one.
func nodes(ctx context.Context, one float64) error {
	folder, err := os.MkdirTemp("", "nimbus-bench-")
	if err != nil {
		return err
	}
	defer os.RemoveAll(folder)
	if err := os.Chmod(folder, 0o755); err != nil { // the nodes' own user must reach it
		return err
	}
	cluster, err := mariadb.StartCluster(ctx, folder, 3)
	if err != nil {
		return err
	}
	defer func() { _ = cluster.Stop() }()
	r, err := serve(cluster.DSN, 0, nil)
	if err != nil {
		return err
	}
	clients, err := signedIn(ctx, r.base)
	if err == nil {
		var rate float64
		if rate, _, err = loop(ctx, clients, 0); err == nil {
			row("three database nodes against one, same machine, closed loop", fmt.Sprintf("%.2f ×", rate/one), "≥ 0.5 ×")
		}
	}
	if err = errors.Join(err, r.stop()); err != nil {
		return err
	}
	return claims(ctx, cluster, clients)
}

// claims measures how many transactions a cluster refuses while three workers of its three nodes claim all
// that is handed in.
func claims(ctx context.Context, cluster *mariadb.Cluster, students []*client.Client) error {
	working, stop := context.WithCancel(ctx)
	ended := make(chan error, len(cluster.Nodes)+1)
	quiet := slog.New(slog.NewTextHandler(io.Discard, nil))
	address := make(chan string, 1)
	go func() {
		ended <- service.Run(working, service.Config{DSN: cluster.DSN, Listen: "127.0.0.1:0", Workers: -1, Log: quiet,
			Listening: func(at string) { address <- at }})
	}()
	for _, node := range cluster.Nodes {
		go func() { ended <- service.Work(working, service.Config{DSN: node.DSN, Workers: 4, Log: quiet}) }()
	}
	base := client.New("http://"+<-address, "")
	err := base.Ready(ctx)
	time.Sleep(5 * time.Second) // each has heard of the others
	before, committed, errBefore := refusedBy(ctx, cluster)
	if err = errors.Join(err, errBefore); err == nil {
		var again []*client.Client
		for _, c := range students {
			again = append(again, base.As(c.Token()))
		}
		_, _, err = loop(ctx, again, 0)
	}
	after, commits, errAfter := refusedBy(ctx, cluster)
	stop()
	err = errors.Join(err, errAfter)
	for range len(cluster.Nodes) + 1 {
		err = errors.Join(err, <-ended)
	}
	if err == nil {
		row("transactions refused, three nodes with a worker of 4 each", fmt.Sprintf("%.1f %%",
			100*(after-before)/max(commits-committed, 1)), "< 2 %")
	}
	return err
}

// refusedBy counts what the nodes of a cluster have refused of what they were to commit, and what they have
// committed.
func refusedBy(ctx context.Context, cluster *mariadb.Cluster) (refused, commits float64, err error) {
	for _, node := range cluster.Nodes {
		db, err := node.Root()
		if err != nil {
			return 0, 0, err
		}
		for of, sum := range map[string]*float64{"wsrep_local_cert_failures": &refused, "wsrep_local_bf_aborts": &refused,
			"wsrep_local_commits": &commits} {
			var name string
			var n float64
			if err := db.QueryRowContext(ctx, "SHOW STATUS LIKE '"+of+"'").Scan(&name, &n); err != nil {
				return 0, 0, errors.Join(err, db.Close())
			}
			*sum += n
		}
		if err := db.Close(); err != nil {
			return 0, 0, err
		}
	}
	return refused, commits, nil
}
