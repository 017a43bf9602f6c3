// Package mariadb runs a private MariaDB on loopback, in a folder of its own: its
// data, socket, password and log lie there, and nothing of the system's server is
// touched. The demo and the tests use it; a service in earnest names its own
// database.
package mariadb

import (
	"context"
	"crypto/rand"
	"database/sql"
	"encoding/hex"
	"errors"
	"fmt"
	"net"
	"os"
	"os/exec"
	"os/user"
	"path/filepath"
	"strconv"
	"strings"
	"syscall"
	"time"

	"github.com/go-sql-driver/mysql"
)

// Server is a running private instance.
type Server struct {
	folder  string
	command *exec.Cmd
	ended   chan error
	lock    *os.File // held while this process uses the folder
	member  *member  // of a cluster; nil for a server alone
	DSN     string   // for the application's own database and user
	Port    int
}

const (
	portFile     = "port" // of the folder's last start
	databaseName = "nimbus"
	userName     = "nimbus"
	startTimeout = 60 * time.Second
	stopTimeout  = 20 * time.Second
)

// Start brings up the instance in a folder, making it on first use.
func Start(ctx context.Context, folder string) (*Server, error) { return start(ctx, folder, nil) }

// start is Start for a node of a cluster, or for a server alone.
func start(ctx context.Context, folder string, m *member) (*Server, error) {
	binary, err := program("mariadbd", "mysqld")
	if err != nil {
		return nil, err
	}
	if folder, err = filepath.Abs(folder); err != nil {
		return nil, err
	}
	if err := os.MkdirAll(folder, 0o700); err != nil {
		return nil, err
	}
	s := &Server{folder: folder, ended: make(chan error, 1), member: m}
	if m != nil {
		if err := m.own(folder); err != nil {
			return nil, err
		}
	}
	if s.lock, err = Lock(folder); err != nil {
		return nil, err
	}
	err = s.stopLeftover()
	if err == nil {
		err = s.install(ctx)
	}
	if err == nil {
		err = s.launch(binary)
	}
	if err != nil {
		s.unlock()
		return nil, err
	}
	if err := s.prepare(ctx); err != nil {
		_ = s.Stop()
		return nil, fmt.Errorf("%w; its log is %s", err, s.path("mariadb.log"))
	}
	return s, nil
}

// InUse says that another process runs its database in a folder.
type InUse struct {
	Folder string
	PID    int
}

func (e *InUse) Error() string {
	return fmt.Sprintf("process %d uses the folder %s", e.PID, e.Folder)
}

// Lock makes a folder this process's own, until the file is closed or the process ends; an
// *InUse where it is another's.
func Lock(folder string) (*os.File, error) {
	file, err := os.OpenFile(filepath.Join(folder, "owner"), os.O_CREATE|os.O_RDWR, 0o600)
	if err != nil {
		return nil, err
	}
	if err := syscall.Flock(int(file.Fd()), syscall.LOCK_EX|syscall.LOCK_NB); err != nil {
		text, _ := os.ReadFile(file.Name())
		pid, _ := strconv.Atoi(strings.TrimSpace(string(text)))
		_ = file.Close()
		return nil, &InUse{folder, pid}
	}
	if err = file.Truncate(0); err == nil {
		_, err = file.WriteAt([]byte(strconv.Itoa(os.Getpid())+"\n"), 0)
	}
	if err != nil {
		_ = file.Close()
		return nil, err
	}
	return file, nil
}

func (s *Server) unlock() { _ = s.lock.Close() }

func (s *Server) path(name string) string { return filepath.Join(s.folder, name) }

// socket is the instance's socket. Socket paths have at most 107 bytes, so a deep
// folder's socket lies in the system's folder for temporary files.
func (s *Server) socket() string {
	if p := s.path("mariadb.sock"); len(p) < 100 {
		return p
	}
	return filepath.Join(os.TempDir(), "nimbus-"+strconv.Itoa(os.Getpid())+"-"+filepath.Base(s.folder)+".sock")
}

func program(names ...string) (string, error) {
	for _, name := range names {
		if path, err := exec.LookPath(name); err == nil {
			return path, nil
		}
		for _, dir := range []string{"/usr/sbin", "/usr/local/sbin", "/usr/bin"} {
			if path := filepath.Join(dir, name); isExecutable(path) {
				return path, nil
			}
		}
	}
	return "", fmt.Errorf("%s is not installed; `make database` installs Debian's mariadb-server", names[0])
}

func isExecutable(path string) bool {
	info, err := os.Stat(path)
	return err == nil && info.Mode().IsRegular() && info.Mode()&0o111 != 0
}

// stopLeftover ends an instance that an earlier, killed process left running in
// the folder.
func (s *Server) stopLeftover() error {
	text, err := os.ReadFile(s.path("mariadb.pid"))
	if err != nil {
		return nil
	}
	pid, err := strconv.Atoi(strings.TrimSpace(string(text)))
	if err != nil {
		return nil
	}
	line, err := os.ReadFile(fmt.Sprintf("/proc/%d/cmdline", pid))
	if err != nil || !strings.Contains(string(line), s.path("data")) {
		return nil
	}
	process, err := os.FindProcess(pid)
	if err != nil {
		return nil
	}
	_ = process.Signal(syscall.SIGTERM)
	for deadline := time.Now().Add(stopTimeout); time.Now().Before(deadline); time.Sleep(50 * time.Millisecond) {
		if process.Signal(syscall.Signal(0)) != nil {
			return nil
		}
	}
	return fmt.Errorf("another database (process %d) runs in %s and does not stop", pid, s.folder)
}

// install makes the data folder. The work is done beside it and moved into place,
// so that an interrupted install is begun again.
func (s *Server) install(ctx context.Context) error {
	if _, err := os.Stat(s.path("data")); err == nil {
		return nil
	}
	binary, err := program("mariadb-install-db", "mysql_install_db")
	if err != nil {
		return err
	}
	fresh := s.path("data.new")
	if err := os.RemoveAll(fresh); err != nil {
		return err
	}
	if s.member != nil && len(s.member.peers) > 0 { // all of it comes from the other nodes
		if err := os.Mkdir(s.path("data"), 0o700); err != nil {
			return err
		}
		return s.member.own(s.path("data"))
	}
	args := []string{"--no-defaults", "--datadir=" + fresh, "--skip-test-db", "--auth-root-authentication-method=socket",
		"--auth-root-socket-user=" + currentUser(), "--skip-name-resolve"}
	install := exec.CommandContext(ctx, binary, append(args, s.user()...)...)
	install.SysProcAttr = &syscall.SysProcAttr{Credential: s.credential()}
	if install.Env, err = s.environment(); err != nil {
		return err
	}
	if out, err := install.CombinedOutput(); err != nil {
		return fmt.Errorf("the database could not be set up in %s: %w\n%s", s.folder, err, out)
	}
	return os.Rename(fresh, s.path("data"))
}

// environment gives a server a folder of its own for temporary tables: in one that several share, each
// that starts removes those of all.
func (s *Server) environment() ([]string, error) {
	folder := s.path("tmp")
	if err := os.MkdirAll(folder, 0o700); err != nil {
		return nil, err
	}
	if s.member != nil {
		if err := s.member.own(folder); err != nil {
			return nil, err
		}
	}
	return append(os.Environ(), "TMPDIR="+folder), nil
}

// user is what a server that runs as root is told; MariaDB refuses to without.
func (s *Server) user() []string {
	if os.Geteuid() == 0 && s.credential() == nil {
		return []string{"--user=root"}
	}
	return nil
}

// credential is whom the server runs as; nil for the user of this process.
func (s *Server) credential() *syscall.Credential {
	if s.member == nil {
		return nil
	}
	return s.member.as
}

func currentUser() string {
	if u, err := user.Current(); err == nil {
		return u.Username
	}
	return "root"
}

// port is the folder's port of the last start where that is free, else any: what knew
// the database before finds it again.
func (s *Server) port() (int, error) {
	before, err := os.ReadFile(s.path(portFile))
	wanted := "0"
	if err == nil {
		wanted = strings.TrimSpace(string(before))
	}
	l, err := net.Listen("tcp", net.JoinHostPort("127.0.0.1", wanted))
	if err != nil {
		if l, err = net.Listen("tcp", "127.0.0.1:0"); err != nil {
			return 0, err
		}
	}
	defer l.Close()
	port := l.Addr().(*net.TCPAddr).Port
	return port, os.WriteFile(s.path(portFile), []byte(strconv.Itoa(port)), 0o600)
}

func (s *Server) launch(binary string) error {
	port, err := s.port()
	if err != nil {
		return err
	}
	s.Port = port
	args := []string{"--no-defaults", "--datadir=" + s.path("data"), "--socket=" + s.socket(), "--pid-file=" +
		s.path("mariadb.pid"),
		"--port=" + strconv.Itoa(port), "--bind-address=127.0.0.1", "--log-error=" + s.path("mariadb.log"),
		"--character-set-server=utf8mb4", "--collation-server=utf8mb4_bin", "--transaction-isolation=READ-COMMITTED",
		"--innodb-buffer-pool-size=128M", "--max-connections=200", "--max-allowed-packet=64M", "--skip-name-resolve"}
	args = append(args, s.user()...)
	if s.member != nil {
		args = append(args, s.member.args()...)
	}
	s.command = exec.Command(binary, args...)
	if s.command.Env, err = s.environment(); err != nil {
		return err
	}
	// A group of its own: Ctrl-C reaches the service, which ends the database last.
	s.command.SysProcAttr = &syscall.SysProcAttr{Setpgid: true, Credential: s.credential()}
	if err := s.command.Start(); err != nil {
		return fmt.Errorf("the database could not be started: %w", err)
	}
	go func() { s.ended <- s.command.Wait() }()
	return nil
}

// prepare waits until the instance answers, and makes the application's database.
func (s *Server) prepare(ctx context.Context) error {
	db, err := s.Root()
	if err != nil {
		return err
	}
	defer db.Close()
	if s.member != nil {
		return s.await(ctx, func() error { return synced(ctx, db) })
	}
	if err := s.await(ctx, func() error { return db.PingContext(ctx) }); err != nil {
		return err
	}
	s.DSN, err = s.Database(ctx, databaseName)
	return err
}

// Root connects over the socket as the one who runs the process.
func (s *Server) Root() (*sql.DB, error) {
	config := mysql.NewConfig()
	config.User, config.Net, config.Addr = currentUser(), "unix", s.socket()
	connector, err := mysql.NewConnector(config)
	if err != nil {
		return nil, err
	}
	return sql.OpenDB(connector), nil
}

// Database makes a database of a plain name, if it is not there, which the
// application's user may do anything in. It returns its data source name.
func (s *Server) Database(ctx context.Context, name string) (string, error) {
	db, err := s.Root()
	if err != nil {
		return "", err
	}
	defer db.Close()
	password, err := s.password()
	if err != nil {
		return "", err
	}
	for _, statement := range []string{
		"CREATE DATABASE IF NOT EXISTS " + name + " CHARACTER SET utf8mb4 COLLATE utf8mb4_bin",
		"CREATE USER IF NOT EXISTS '" + userName + "'@'127.0.0.1' IDENTIFIED BY '" + password + "'",
		"GRANT ALL ON " + name + ".* TO '" + userName + "'@'127.0.0.1'",
	} {
		if _, err := db.ExecContext(ctx, statement); err != nil {
			return "", fmt.Errorf("the database could not be prepared: %w", err)
		}
	}
	return dataSource(password, s.Port, name), nil
}

func dataSource(password string, port int, name string) string {
	return fmt.Sprintf("%s:%s@tcp(127.0.0.1:%d)/%s", userName, password, port, name)
}

// await waits until a server that starts is ready, as far as a question tells.
func (s *Server) await(ctx context.Context, ready func() error) error {
	deadline := time.Now().Add(startTimeout)
	for {
		err := ready()
		if err == nil {
			return nil
		}
		select {
		case ended := <-s.ended:
			s.ended <- ended
			return fmt.Errorf("the database ended while starting: %w", ended)
		case <-ctx.Done():
			return ctx.Err()
		case <-time.After(30 * time.Millisecond):
		}
		if time.Now().After(deadline) {
			return fmt.Errorf("the database did not answer within %v: %w", startTimeout, err)
		}
	}
}

// password reads the folder's password, or makes one.
func (s *Server) password() (string, error) {
	file := s.path("password")
	if text, err := os.ReadFile(file); err == nil && len(text) > 0 {
		return string(text), nil
	}
	raw := make([]byte, 18)
	if _, err := rand.Read(raw); err != nil {
		return "", err
	}
	text := hex.EncodeToString(raw)
	return text, os.WriteFile(file, []byte(text), 0o600)
}

// Stop ends the instance cleanly.
func (s *Server) Stop() error {
	if s.command == nil || s.command.Process == nil {
		return nil
	}
	defer s.unlock()
	if err := s.command.Process.Signal(syscall.SIGTERM); err != nil && !errors.Is(err, os.ErrProcessDone) {
		return err
	}
	select {
	case err := <-s.ended:
		s.ended <- err
		return nil
	case <-time.After(stopTimeout):
		return s.Kill()
	}
}

// Kill ends the instance as a power cut would.
func (s *Server) Kill() error {
	defer s.unlock()
	if err := s.command.Process.Kill(); err != nil && !errors.Is(err, os.ErrProcessDone) {
		return err
	}
	s.ended <- <-s.ended
	return nil
}

// Signal sends the instance's process a signal.
func (s *Server) Signal(signal syscall.Signal) error { return s.command.Process.Signal(signal) }
