package mariadb

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"math/rand/v2"
	"net"
	"os"
	"os/user"
	"path/filepath"
	"strconv"
	"strings"
	"syscall"
)

// Cluster is a private Galera cluster on loopback. Its nodes run as the system's `mysql` user where
// this process is root: the transfer of a whole database between nodes refuses root.
type Cluster struct {
	Nodes []*Server
	DSN   string // of every node, with commas between
}

const (
	clusterUser = "mysql"
	provider    = "/usr/lib/galera/libgalera_smm.so" // where Debian has it
)

// member is what makes an instance a node of a cluster.
type member struct {
	name     string
	sql      int // ports: of the database, of group communication, of the transfer of some changes or of all
	group    int
	changes  int
	transfer int
	peers    []string            // group communication of the other nodes; none begins a new cluster
	as       *syscall.Credential // nil: as this process
}

// StartCluster brings up a new cluster of some nodes in a folder that the cluster's user can reach.
func StartCluster(ctx context.Context, folder string, nodes int) (*Cluster, error) {
	if _, err := os.Stat(provider); err != nil {
		return nil, fmt.Errorf("%s is not there; `make database` installs Debian's mariadb-server, which brings it", provider)
	}
	folder, err := filepath.Abs(folder)
	if err != nil {
		return nil, err
	}
	c := &Cluster{}
	var dsns []string
	for i := range nodes {
		m, err := newMember("node" + strconv.Itoa(i+1))
		if err == nil {
			m.peers = c.peers(-1)
			err = c.add(ctx, filepath.Join(folder, m.name), m)
		}
		if err != nil {
			return nil, errors.Join(err, c.Stop())
		}
		dsns = append(dsns, c.Nodes[i].DSN)
	}
	c.DSN = strings.Join(dsns, ",")
	return c, nil
}

// add starts a node; the first makes the application's database, which the others receive.
func (c *Cluster) add(ctx context.Context, folder string, m *member) error {
	if err := os.MkdirAll(folder, 0o700); err != nil {
		return err
	}
	if err := os.WriteFile(filepath.Join(folder, portFile), []byte(strconv.Itoa(m.sql)), 0o600); err != nil {
		return err
	}
	s, err := start(ctx, folder, m)
	if err != nil {
		return err
	}
	c.Nodes = append(c.Nodes, s)
	if len(c.Nodes) == 1 {
		s.DSN, err = s.Database(ctx, databaseName)
		return err
	}
	password, err := c.Nodes[0].password()
	s.DSN = dataSource(password, s.Port, databaseName)
	return err
}

// peers are the addresses of group communication, but for one node's.
func (c *Cluster) peers(except int) []string {
	var out []string
	for i, s := range c.Nodes {
		if i != except {
			out = append(out, loopback(s.member.group))
		}
	}
	return out
}

// Rejoin starts a node that was stopped or killed, and waits until it has caught up with the others.
func (c *Cluster) Rejoin(ctx context.Context, i int) error {
	m := *c.Nodes[i].member
	m.peers = c.peers(i)
	s, err := start(ctx, c.Nodes[i].folder, &m)
	if err != nil {
		return err
	}
	s.DSN = c.Nodes[i].DSN
	c.Nodes[i] = s
	return nil
}

// Stop ends every node, the one that began the cluster last.
func (c *Cluster) Stop() error {
	var err error
	for i := len(c.Nodes) - 1; i >= 0; i-- {
		err = errors.Join(err, c.Nodes[i].Stop())
	}
	return err
}

func loopback(port int) string { return net.JoinHostPort("127.0.0.1", strconv.Itoa(port)) }

// newMember chooses a node's ports, and whom it runs as.
func newMember(name string) (*member, error) {
	m := &member{name: name}
	for _, port := range []*int{&m.sql, &m.group, &m.changes, &m.transfer} {
		l, err := freePort()
		if err != nil {
			return nil, err
		}
		defer l.Close() // all are held until all are chosen
		*port = l.Addr().(*net.TCPAddr).Port
	}
	if os.Geteuid() != 0 {
		return m, nil
	}
	u, err := user.Lookup(clusterUser)
	if err != nil {
		return nil, fmt.Errorf("the nodes of a cluster cannot run as root, and there is no user %s: %w", clusterUser, err)
	}
	uid, errUID := strconv.ParseUint(u.Uid, 10, 32)
	gid, errGID := strconv.ParseUint(u.Gid, 10, 32)
	m.as = &syscall.Credential{Uid: uint32(uid), Gid: uint32(gid)}
	return m, errors.Join(errUID, errGID)
}

// Ports that no connection is given by itself: a node that is away finds its own free again.
const (
	lowestPort = 20_000
	portRange  = 12_000
)

// freePort listens on a port that nobody uses.
func freePort() (net.Listener, error) {
	var failed error
	for range 100 {
		l, err := net.Listen("tcp", loopback(lowestPort+rand.IntN(portRange)))
		if err == nil {
			return l, nil
		}
		failed = err
	}
	return nil, failed
}

// own gives a folder to whom the node runs as.
func (m *member) own(folder string) error {
	if m.as == nil {
		return nil
	}
	return os.Chown(folder, int(m.as.Uid), int(m.as.Gid))
}

// args are what the server is told of its cluster.
func (m *member) args() []string {
	args := []string{
		"--binlog-format=ROW", "--innodb-autoinc-lock-mode=2", "--innodb-flush-log-at-trx-commit=2", "--wsrep-on=ON",
		"--wsrep-provider=" + provider, "--wsrep-cluster-name=nimbus", "--wsrep-node-name=" + m.name,
		"--wsrep-node-address=127.0.0.1", "--wsrep-sst-method=rsync", "--wsrep-slave-threads=2",
		"--wsrep-cluster-address=gcomm://" + strings.Join(m.peers, ","),
		"--wsrep-sst-receive-address=" + loopback(m.transfer),
		fmt.Sprintf("--wsrep-provider-options=gmcast.listen_addr=tcp://%s;base_port=%d;ist.recv_addr=%s;gcache.size=32M",
			loopback(m.group), m.group, loopback(m.changes)),
	}
	if len(m.peers) == 0 {
		args = append(args, "--wsrep-new-cluster")
	}
	return args
}

// synced asks a node whether it has caught up with its cluster.
func synced(ctx context.Context, db *sql.DB) error {
	var name, state string
	err := db.QueryRowContext(ctx, "SHOW STATUS LIKE 'wsrep_local_state_comment'").Scan(&name, &state)
	if err == nil && state != "Synced" {
		err = fmt.Errorf("the node is %q and not synced with its cluster", state)
	}
	return err
}
