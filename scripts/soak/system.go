package main

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"net"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"time"

	"github.com/go-sql-driver/mysql"

	"nimbusreach/internal/service/mariadb"
)

// process is a service or a worker, which reaches each database node by a link of its own.
type process struct {
	name    string
	args    []string
	dsn     string
	listen  string // "" for a worker
	log     *os.File
	links   []*link
	command *exec.Cmd
	ended   chan struct{}
}

// system is all that runs, but for the clients.
type system struct {
	begun     time.Time
	cluster   *mariadb.Cluster
	processes []*process
	binary    string
}

// startSystem starts services and workers, and waits until they answer.
func startSystem(ctx context.Context, binary, folder string, cluster *mariadb.Cluster) (*system, error) {
	s := &system{begun: time.Now(), cluster: cluster, binary: binary}
	for i := range services + workers {
		p := &process{name: fmt.Sprintf("service %d", i+1), args: []string{"serve", "--workers", "2"}}
		if i >= services {
			p = &process{name: fmt.Sprintf("worker %d", i-services+1), args: []string{"worker", "--workers", "4"}}
		} else {
			l, err := net.Listen("tcp", "127.0.0.1:0")
			if err != nil {
				return nil, err
			}
			p.listen = l.Addr().String()
			_ = l.Close()
			p.args = append(p.args, "--listen", p.listen)
		}
		s.processes = append(s.processes, p)
		var dsns []string
		for _, node := range cluster.Nodes {
			l, err := newLink(fmt.Sprintf("127.0.0.1:%d", node.Port))
			if err != nil {
				return nil, err
			}
			p.links = append(p.links, l)
			config, err := mysql.ParseDSN(node.DSN)
			if err != nil {
				return nil, err
			}
			config.Addr = l.address()
			dsns = append(dsns, config.FormatDSN())
		}
		p.dsn = strings.Join(dsns, ",")
		var err error
		if p.log, err = os.Create(filepath.Join(folder, strings.ReplaceAll(p.name, " ", "-")+".log")); err != nil {
			return nil, err
		}
		if err := p.start(binary); err != nil {
			return nil, err
		}
	}
	for _, p := range s.processes {
		if err := p.await(ctx); err != nil {
			s.stop()
			return nil, err
		}
	}
	return s, nil
}

func (p *process) start(binary string) error {
	p.command = exec.Command(binary, p.args...)
	p.command.Env = append(os.Environ(), "NIMBUS_DATABASE="+p.dsn)
	p.command.Stderr = p.log
	if err := p.command.Start(); err != nil {
		return err
	}
	p.ended = make(chan struct{})
	command, ended := p.command, p.ended
	go func() {
		_ = command.Wait()
		close(ended)
	}()
	return nil
}

// await waits until a service lets requests through to the database.
func (p *process) await(ctx context.Context) error {
	ctx, cancel := context.WithTimeout(ctx, time.Minute)
	defer cancel()
	for p.listen != "" {
		req, err := http.NewRequestWithContext(ctx, http.MethodGet, "http://"+p.listen+"/readyz", nil)
		if err != nil {
			return err
		}
		if res, err := http.DefaultClient.Do(req); err == nil {
			_ = res.Body.Close()
			if res.StatusCode == http.StatusOK {
				return nil
			}
		}
		select {
		case <-ctx.Done():
			return fmt.Errorf("%s does not answer: %w", p.name, ctx.Err())
		case <-time.After(100 * time.Millisecond):
		}
	}
	return nil
}

func (s *system) bases() (out []string) {
	for _, p := range s.processes {
		if p.listen != "" {
			out = append(out, "http://"+p.listen)
		}
	}
	return out
}

func (s *system) stop() {
	for _, p := range s.processes {
		if p.command != nil {
			_ = p.command.Process.Signal(syscall.SIGCONT)
			_ = p.command.Process.Signal(syscall.SIGTERM)
		}
	}
	for _, p := range s.processes {
		if p.ended != nil {
			select {
			case <-p.ended:
			case <-time.After(20 * time.Second):
				_ = p.command.Process.Kill()
			}
		}
		for _, l := range p.links {
			l.close()
		}
		_ = p.log.Close()
	}
}

// mend is what ends a disturbance.
type mend func(context.Context) error

// disturbUntil disturbs something every so often until the context ends, each way in turn, and lets each
// be as it was before the next.
func (s *system) disturbUntil(ctx context.Context, every time.Duration) {
	tick := time.NewTicker(every)
	defer tick.Stop()
	ways := s.ways()
	for round := 0; ; round++ {
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
		}
		way := ways[round%len(ways)]
		turn := round / len(ways)
		s.say("%s", way.name(turn))
		again, err := way.do(turn)
		if err == nil {
			select {
			case <-ctx.Done():
			case <-time.After(every / 3):
			}
			// What is mended is mended to its end, even when the time is up.
			err = again(context.WithoutCancel(ctx))
		}
		if err != nil {
			s.say("%s: %v", way.name(turn), err)
		}
	}
}

// way is a way to disturb the system; turn says which process or node is next.
type way struct {
	name func(turn int) string
	do   func(turn int) (mend, error)
}

func (s *system) ways() []way {
	ofProcess := func(what string, from int, do func(*process) (mend, error)) way {
		at := func(turn int) *process { return s.processes[from+turn%services] }
		return way{func(turn int) string { return at(turn).name + " " + what }, func(turn int) (mend, error) {
			return do(at(turn))
		}}
	}
	ofNode := func(what string, do func(i int) (mend, error)) way {
		return way{func(turn int) string { return fmt.Sprintf("node %d %s", turn%nodes+1, what) },
			func(turn int) (mend, error) { return do(turn % nodes) }}
	}
	return []way{
		ofProcess("is killed", 0, s.killed), ofNode("is killed", s.nodeKilled), ofProcess("is killed", services, s.killed),
		ofProcess("is stopped", 0, s.stopped), ofNode("is cut off from the others", s.nodeCutOff),
		ofProcess("is stopped", services, s.stopped), ofProcess("is cut off from the databases", 0, s.cutOff),
		ofNode("is stopped", s.nodeStopped), ofProcess("is cut off from the databases", services, s.cutOff),
	}
}

func (s *system) killed(p *process) (mend, error) {
	if err := p.command.Process.Kill(); err != nil {
		return nil, err
	}
	<-p.ended
	return func(ctx context.Context) error {
		if err := p.start(s.binary); err != nil {
			return err
		}
		return p.await(ctx)
	}, nil
}

func (s *system) stopped(p *process) (mend, error) {
	return func(context.Context) error { return p.command.Process.Signal(syscall.SIGCONT) },
		p.command.Process.Signal(syscall.SIGSTOP)
}

// cutOff lets nothing through between a process and the databases, and refuses nothing either.
func (s *system) cutOff(p *process) (mend, error) {
	for _, l := range p.links {
		l.hold()
	}
	return func(context.Context) error {
		for _, l := range p.links {
			l.release()
		}
		return nil
	}, nil
}

func (s *system) nodeKilled(i int) (mend, error) {
	return func(ctx context.Context) error {
		ctx, cancel := context.WithTimeout(ctx, 2*time.Minute)
		defer cancel()
		return s.cluster.Rejoin(ctx, i)
	}, s.cluster.Nodes[i].Kill()
}

func (s *system) nodeStopped(i int) (mend, error) {
	return func(context.Context) error { return s.cluster.Nodes[i].Signal(syscall.SIGCONT) },
		s.cluster.Nodes[i].Signal(syscall.SIGSTOP)
}

// nodeCutOff has a node hear nothing of the others, nor they of it.
func (s *system) nodeCutOff(i int) (mend, error) {
	set := func(ctx context.Context, isolate string) error {
		ctx, cancel := context.WithTimeout(ctx, 20*time.Second)
		defer cancel()
		db, err := s.cluster.Nodes[i].Root()
		if err != nil {
			return err
		}
		defer db.Close()
		_, err = db.ExecContext(ctx, "SET GLOBAL wsrep_provider_options = 'gmcast.isolate="+isolate+"'")
		return err
	}
	return func(ctx context.Context) error { return set(ctx, "0") }, set(context.Background(), "1")
}

// restore waits until every node is back with the others, and every process answers.
func (s *system) restore(ctx context.Context) error {
	ctx, cancel := context.WithTimeout(ctx, 2*time.Minute)
	defer cancel()
	for i, node := range s.cluster.Nodes {
		db, err := node.Root()
		if err != nil {
			return err
		}
		err = awaitSynced(ctx, db)
		if err = errors.Join(err, db.Close()); err != nil {
			return fmt.Errorf("node %d does not come back: %w", i+1, err)
		}
	}
	for _, p := range s.processes {
		if err := p.await(ctx); err != nil {
			return err
		}
	}
	return nil
}

func awaitSynced(ctx context.Context, db *sql.DB) error {
	for {
		var name, state string
		err := db.QueryRowContext(ctx, "SHOW STATUS LIKE 'wsrep_local_state_comment'").Scan(&name, &state)
		if err == nil && state == "Synced" {
			return nil
		}
		select {
		case <-ctx.Done():
			return fmt.Errorf("it is %s: %w", state, errors.Join(err, ctx.Err()))
		case <-time.After(200 * time.Millisecond):
		}
	}
}
