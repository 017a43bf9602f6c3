// Paired lets clients hand in to two revisions of the service in turn: an earlier one, and this one as it stands in
// the folder. Both are built first; each has its own process, its own database and the demo's class. The console's
// files must be there, as `make build` leaves them.
//
//	go run ./scripts/paired -before 897b8ae
package main

import (
	"bufio"
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"flag"
	"fmt"
	"io"
	"math/rand/v2"
	"net"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"github.com/google/uuid"

	"nimbusreach/client"
	"nimbusreach/demo"
)

// people is how many hand in at once.
const people = 32

func main() {
	before := flag.String("before", "897b8ae", "the earlier revision")
	rounds := flag.Int("rounds", 3, "how many turns each has")
	each := flag.Duration("for", 8*time.Second, "how long a turn is")
	flag.Parse()
	if err := run(*before, *rounds, *each); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}

func run(before string, rounds int, each time.Duration) (err error) {
	ctx := context.Background()
	dir, err := os.MkdirTemp("", "nimbus-paired-")
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, os.RemoveAll(dir)) }()
	old, err := builtBefore(dir, before)
	if err != nil {
		return err
	}
	now := filepath.Join(dir, "nimbus-now")
	if err := build(".", now); err != nil {
		return err
	}
	var sides []*side
	defer func() {
		for _, s := range sides {
			err = errors.Join(err, s.end())
		}
	}()
	for _, x := range []struct{ name, program string }{{before, old}, {"this revision", now}} {
		s, startErr := start(ctx, dir, x.name, x.program)
		if startErr != nil {
			return startErr
		}
		sides = append(sides, s)
	}
	fmt.Printf("hand-ins to stored verdicts, other programs each, %d clients in a closed loop, %s each\n", people, each)
	fmt.Println("| round | revision | a second | median | 99th percentile | processor time each: service | database |")
	for round := range rounds {
		var rates []float64
		for _, s := range sides {
			m, err := s.turn(each)
			if err != nil {
				return fmt.Errorf("%s: %w", s.name, err)
			}
			rates = append(rates, m.rate)
			fmt.Printf("| %d | %s | %.0f | %.0f ms | %.0f ms | %.2f ms | %.2f ms |\n", round+1, s.name, m.rate,
				ms(m.times[len(m.times)/2]), ms(m.times[len(m.times)*99/100]), m.service, m.database)
		}
		fmt.Printf("| %d | times as many | %.2f |\n", round+1, rates[1]/rates[0])
	}
	return nil
}

func ms(d time.Duration) float64 { return float64(d.Microseconds()) / 1000 }

// builtBefore builds an earlier revision's program, without its pages, which nothing here asks for.
func builtBefore(dir, revision string) (program string, err error) {
	tree, program := filepath.Join(dir, "tree"), filepath.Join(dir, "nimbus-before")
	if out, err := exec.Command("git", "worktree", "add", "--detach", tree, revision).CombinedOutput(); err != nil {
		return "", fmt.Errorf("%w: %s", err, out)
	}
	defer func() { err = errors.Join(err, exec.Command("git", "worktree", "remove", "--force", tree).Run()) }()
	pages := filepath.Join(tree, "internal", "service", "web", "dist")
	if err := os.MkdirAll(pages, 0o750); err != nil {
		return "", err
	}
	if err := os.WriteFile(filepath.Join(pages, "index.html"), nil, 0o600); err != nil {
		return "", err
	}
	return program, build(tree, program)
}

// build builds the program of a source tree.
func build(tree, program string) error {
	c := exec.Command("go", "build", "-o", program, "./cmd/nimbus")
	c.Dir = tree
	if out, err := c.CombinedOutput(); err != nil {
		return fmt.Errorf("%w: %s", err, out)
	}
	return nil
}

// tick is the unit of /proc's processor times.
const tick = 10 * time.Millisecond

// side is one revision's demo, with the clients that are signed in to it.
type side struct {
	name, base string
	command    *exec.Cmd
	clients    []caller
}

type caller struct {
	http  *http.Client
	url   string
	token string
}

func start(ctx context.Context, dir, name, program string) (*side, error) {
	free, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return nil, err
	}
	address := free.Addr().String()
	if err := free.Close(); err != nil {
		return nil, err
	}
	s := &side{name: name, base: "http://" + address}
	folder := filepath.Join(dir, strings.ReplaceAll(name, " ", "-"))
	s.command = exec.CommandContext(ctx, program, "demo", "--folder", folder, "--listen", address)
	out, err := s.command.StdoutPipe()
	if err != nil {
		return nil, err
	}
	s.command.Stderr = os.Stderr
	if err := s.command.Start(); err != nil {
		return nil, err
	}
	if err := told(out, "Ctrl-C stops"); err != nil {
		return nil, errors.Join(err, s.end())
	}
	roster, err := demo.Roster()
	if err != nil {
		return nil, errors.Join(err, s.end())
	}
	base := client.New(s.base, "")
	for _, p := range roster[2 : 2+people] {
		token, err := base.SignIn(ctx, p.Name, demo.Password, "paired")
		if err != nil {
			return nil, errors.Join(err, s.end())
		}
		s.clients = append(s.clients, caller{
			http:  &http.Client{Transport: &http.Transport{MaxIdleConnsPerHost: 1}, Timeout: time.Minute},
			url:   s.base + "/api/v1/courses/" + demo.CourseSlug + "/exercises/rope-means/attempts?wait=20",
			token: token.Token,
		})
	}
	return s, nil
}

// told reads what a program prints until it has said something, and lets it print on.
func told(out io.Reader, something string) error {
	lines := bufio.NewScanner(out)
	for lines.Scan() {
		if strings.Contains(lines.Text(), something) {
			go func() { _, _ = io.Copy(io.Discard, out) }()
			return nil
		}
	}
	return errors.Join(lines.Err(), fmt.Errorf("the demo ended before it said %q", something))
}

func (s *side) end() error {
	if err := s.command.Process.Signal(os.Interrupt); err != nil {
		return err
	}
	return s.command.Wait()
}

// measured is what one turn came to: verdicts a second, how long each took, sorted, and the processor time of
// one in the service and in the database, in milliseconds.
type measured struct {
	rate              float64
	times             []time.Duration
	service, database float64
}

func (s *side) turn(each time.Duration) (*measured, error) {
	var mu sync.Mutex
	var wg sync.WaitGroup
	var failure error
	m := &measured{}
	service, database, err := s.used()
	if err != nil {
		return nil, err
	}
	began := time.Now()
	for _, c := range s.clients {
		wg.Go(func() {
			for time.Since(began) < each {
				start := time.Now()
				err := c.handIn()
				mu.Lock()
				m.times, failure = append(m.times, time.Since(start)), errors.Join(failure, err)
				mu.Unlock()
				if err != nil {
					return
				}
			}
		})
	}
	wg.Wait()
	took := time.Since(began)
	serviceAfter, databaseAfter, err := s.used()
	if err := errors.Join(failure, err); err != nil {
		return nil, err
	}
	n := float64(len(m.times))
	slices.Sort(m.times)
	m.rate = n / took.Seconds()
	m.service, m.database = ms(serviceAfter-service)/n, ms(databaseAfter-database)/n
	return m, nil
}

// handIn hands a program in that nobody has handed in before, and takes its verdict.
func (c caller) handIn() error {
	body, err := json.Marshal(map[string]string{"program": fmt.Sprintf("per_rope = mean(growth over [week, rope])\n"+
		"best_week = max(growth over week)\nspread = %d\n", rand.Int64N(1<<50))})
	if err != nil {
		return err
	}
	r, err := http.NewRequest(http.MethodPost, c.url, bytes.NewReader(body))
	if err != nil {
		return err
	}
	r.Header = http.Header{"Authorization": {"Bearer " + c.token}, "Content-Type": {"application/json"},
		"Idempotency-Key": {uuid.NewString()}}
	answer, err := c.http.Do(r)
	if err != nil {
		return err
	}
	text, err := io.ReadAll(answer.Body)
	if err := errors.Join(err, answer.Body.Close()); err != nil {
		return err
	}
	var a struct {
		CheckedAt *time.Time `json:"checked_at"`
	}
	if err := json.Unmarshal(text, &a); err != nil {
		return fmt.Errorf("%w: %s: %.200s", err, answer.Status, text)
	}
	if a.CheckedAt == nil {
		return fmt.Errorf("no verdict: %s: %.200s", answer.Status, text)
	}
	return nil
}

// used is how much processor time the demo's process has used, and the processes that it has started.
func (s *side) used() (service, database time.Duration, err error) {
	all, err := filepath.Glob("/proc/[0-9]*/stat")
	if err != nil {
		return 0, 0, err
	}
	for _, file := range all {
		text, err := os.ReadFile(file)
		if err != nil {
			continue // it ended meanwhile
		}
		_, rest, _ := strings.Cut(string(text), ") ")
		fields := strings.Fields(rest)
		user, errUser := strconv.Atoi(fields[11])
		system, errSystem := strconv.Atoi(fields[12])
		if err := errors.Join(errUser, errSystem); err != nil {
			return 0, 0, err
		}
		spent := time.Duration(user+system) * tick
		switch own := strconv.Itoa(s.command.Process.Pid); {
		case filepath.Base(filepath.Dir(file)) == own:
			service = spent
		case fields[1] == own:
			database += spent
		}
	}
	return service, database, nil
}
