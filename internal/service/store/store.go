package store

import (
	"context"
	"database/sql"
	"embed"
	"errors"
	"fmt"
	"io/fs"
	"log/slog"
	"regexp"
	"strings"
	"sync"
	"time"

	driver "github.com/go-sql-driver/mysql"
	"github.com/pressly/goose/v3"
	"gorm.io/driver/mysql"
	"gorm.io/gorm"
	"gorm.io/gorm/logger"
)

//go:embed migrations/*.sql
var migrations embed.FS

// ErrNotFound says that there is no such row.
var ErrNotFound = errors.New("not found")

// ErrTaken says that a name or key is in use already.
var ErrTaken = errors.New("taken already")

// ErrNumberTaken says that a campus number is somebody else's.
var ErrNumberTaken = fmt.Errorf("the campus number is %w", ErrTaken)

// Store reads and writes records.
type Store struct {
	db     *gorm.DB
	sql    *sql.DB
	now    func() time.Time
	pool   *pool
	nodes  *nodes
	outage *outage

	statements sync.Map // by block
}

// Open connects to a database by its data source name, or by those of a cluster's nodes with commas between, and
// brings its tables up to date. It waits for a database that is starting, up to the context's end. What the driver
// has to say, and when the database is away and back, goes to the log; nil for nowhere.
func Open(ctx context.Context, dsn string, log *slog.Logger) (*Store, error) {
	return OpenAs(ctx, dsn, processName(), log)
}

// OpenAs is Open for a process of another name, which decides the node that it prefers.
func OpenAs(ctx context.Context, dsn, who string, log *slog.Logger) (*Store, error) {
	if log == nil {
		log = slog.New(slog.DiscardHandler)
	}
	dsns := addresses(dsn)
	connector, err := reach(dsns, who, func(config *driver.Config) error {
		config.ParseTime, config.Loc = true, time.UTC
		config.Timeout, config.ReadTimeout, config.WriteTimeout = 5*time.Second, 30*time.Second, 30*time.Second
		config.Params = map[string]string{"time_zone": "'+00:00'"}
		if len(dsns) > 1 {
			config.Params["wsrep_sync_wait"] = "1" // a read sees what was written, whichever node took it
		}
		// One round trip a statement; times in the precision of the columns, so that a
		// comparison with one is read from its index.
		config.InterpolateParams = true
		config.Logger = driverLog{log}
		return config.Apply(driver.TimeTruncate(time.Microsecond))
	}, log)
	if err != nil {
		return nil, err
	}
	db := sql.OpenDB(connector)
	db.SetMaxOpenConns(32)
	db.SetMaxIdleConns(32)
	db.SetConnMaxLifetime(30 * time.Minute)
	out := &Store{sql: db, pool: &pool{db, usualPatience}, nodes: connector, now: func() time.Time {
		return time.Now().
			UTC().Truncate(time.Microsecond)
	},
		outage: &outage{log: log}}
	for _, step := range []func(context.Context, *pool) error{out.await, migrate, checkCharacters} {
		if err := step(ctx, out.pool); err != nil {
			_ = out.Close()
			return nil, err
		}
	}
	g, err := gorm.Open(mysql.New(mysql.Config{Conn: out.pool}), &gorm.Config{Logger: logger.Discard,
		SkipDefaultTransaction: true, NowFunc: func() time.Time { return time.Now().UTC() }})
	if err != nil {
		_ = out.Close()
		return nil, err
	}
	out.db = g
	return out, nil
}

// await pings until the database answers.
func (s *Store) await(ctx context.Context, db *pool) error {
	for pause := 100 * time.Millisecond; ; pause = min(2*pause, 5*time.Second) {
		err := db.PingContext(ctx)
		if s.Away(err); err == nil {
			return nil
		}
		var refused *driver.MySQLError
		if errors.As(err, &refused) && (refused.Number == 1045 || refused.Number == 1044 || refused.Number == 1049) {
			return fmt.Errorf("the database refuses the sign-in or has no such database: %w", err)
		}
		select {
		case <-ctx.Done():
			return fmt.Errorf("the database does not answer: %w; is it running, and is its address right?", err)
		case <-time.After(pause):
		}
	}
}

// migrate applies the numbered migrations that are missing. A lease keeps two processes from
// doing it at once, on whichever nodes they are.
func migrate(ctx context.Context, db *pool) error {
	if err := makeLeases(ctx, db); err != nil {
		return fmt.Errorf("the database could not be brought up to date: %w", err)
	}
	return hold(ctx, db, "migrate", func(ctx context.Context) error { return goUp(ctx, db.DB) })
}

func goUp(ctx context.Context, db *sql.DB) error {
	files, err := fs.Sub(migrations, "migrations")
	if err != nil {
		return err
	}
	provider, err := goose.NewProvider(goose.DialectMySQL, db, files)
	if err != nil {
		return err
	}
	if _, err := provider.Up(ctx); err != nil {
		return fmt.Errorf("the database could not be brought up to date: %w", err)
	}
	return nil
}

// checkCharacters compares every table with the character set that names and programs
// need: another one would refuse them one by one, later.
func checkCharacters(ctx context.Context, db *pool) error {
	var table, set string
	err := db.QueryRowContext(ctx, `SELECT table_name, SUBSTRING_INDEX(table_collation, '_', 1)
		FROM information_schema.tables
		WHERE table_schema = DATABASE() AND table_type = 'BASE TABLE' AND table_name <> 'goose_db_version'
			AND table_collation NOT LIKE 'utf8mb4\\_%' LIMIT 1`).Scan(&table, &set)
	switch {
	case err == nil:
		return fmt.Errorf("the table `%s` has the character set %s, which cannot hold every name; run ALTER TABLE %s "+
			"CONVERT TO CHARACTER SET utf8mb4 COLLATE utf8mb4_bin", table, set, table)
	case errors.Is(err, sql.ErrNoRows):
		return nil
	}
	return err
}

// Now is the time that records are written with.
func (s *Store) Now() time.Time { return s.now() }

// Ping reports whether the database answers.
func (s *Store) Ping(ctx context.Context) error { return s.sql.PingContext(ctx) }

// Node is the address that new connections go to.
func (s *Store) Node() string { return s.nodes.list[s.nodes.current.Load()].addr }

// Close ends the connections.
func (s *Store) Close() error { return errors.Join(s.sql.Close(), s.nodes.Close()) }

// tx runs f in a transaction, again when the database refuses it. f may run several times.
func (s *Store) tx(ctx context.Context, f func(*gorm.DB) error) error {
	return s.pool.again(ctx, func() error { return s.db.WithContext(ctx).Transaction(f) })
}

// together runs a block of statements that is a transaction of its own, in one round trip, again when the
// database refuses it or does not answer; what it does must be the same however often that is. Where it
// ends early its connection is still in the transaction, which is taken back.
func (s *Store) together(ctx context.Context, out any, text string, args ...any) error {
	return s.pool.again(ctx, func() error {
		return s.db.WithContext(ctx).Connection(func(tx *gorm.DB) error {
			tx = tx.Session(&gorm.Session{NewDB: true})
			err := tx.Raw(text, args...).Scan(out).Error
			if err != nil {
				ctx, cancel := context.WithTimeout(context.WithoutCancel(ctx), rollbackTime)
				defer cancel()
				_ = tx.WithContext(ctx).Exec("ROLLBACK").Error // else the connection is lost, and the transaction with it
			}
			return err
		})
	})
}

// rollbackTime is how long a connection may take to leave a transaction.
const rollbackTime = 5 * time.Second

// block is a statement that is prepared once a connection: one that reads, or a block of statements that is a
// transaction of its own and answers with one row. The database takes longer to parse such a text than to carry it out.
type block struct {
	text  string   // with a mark for each parameter
	names []string // of the parameters, by their marks
}

// parameter is one of a block as it is written.
var parameter = regexp.MustCompile(`@[a-z]+`)

// takenBack ends a block where a statement of it fails or warns, and leaves its connection in no transaction. Values
// that do not fit a column are warnings to a handler, even where the server refuses them. A variable for which there
// is no row keeps what it had.
const takenBack = `
  DECLARE said TEXT;
  DECLARE CONTINUE HANDLER FOR NOT FOUND BEGIN END; -- the first handler that fits is taken
  DECLARE EXIT HANDLER FOR SQLEXCEPTION BEGIN ROLLBACK; RESIGNAL; END;
  DECLARE EXIT HANDLER FOR SQLWARNING BEGIN
    GET DIAGNOSTICS CONDITION 1 said = MESSAGE_TEXT;
    ROLLBACK;
    SIGNAL SQLSTATE '45000' SET MESSAGE_TEXT = said;
  END;
  START TRANSACTION;`

// blockOf makes a block of its variables and its statements, which must not warn.
func blockOf(declared, statements string) *block {
	text := "BEGIN NOT ATOMIC" + declared + takenBack + statements + "\nEND"
	b := &block{text: parameter.ReplaceAllString(text, "?")}
	for _, name := range parameter.FindAllString(text, -1) {
		b.names = append(b.names, name[1:])
	}
	return b
}

// run runs a block and reads its row, again when the database refuses it or does not answer; what it does must be the
// same however often that is.
func (s *Store) run(ctx context.Context, b *block, values map[string]any, out ...any) error {
	args := make([]any, len(b.names))
	for i, name := range b.names {
		args[i] = values[name]
	}
	return s.runWith(ctx, b, args, out...)
}

// runWith is run with the parameters in their order.
func (s *Store) runWith(ctx context.Context, b *block, args []any, out ...any) error {
	return s.pool.again(ctx, func() error {
		prepared, err := s.prepared(ctx, b)
		if err != nil {
			return err
		}
		began := time.Now()
		err = prepared.QueryRowContext(ctx, args...).Scan(out...)
		s.db.Logger.Trace(ctx, began, func() (string, int64) { return s.db.Dialector.Explain(b.text, args...), 1 }, err)
		return err
	})
}

// readWith runs a statement that reads; read takes its rows, and begins anew where it is called again.
func (s *Store) readWith(ctx context.Context, b *block, args []any, read func(rows *sql.Rows) error) error {
	return s.pool.again(ctx, func() error {
		prepared, err := s.prepared(ctx, b)
		if err != nil {
			return err
		}
		began := time.Now()
		rows, err := prepared.QueryContext(ctx, args...)
		if err == nil {
			err = read(rows)
			err = errors.Join(err, rows.Err(), rows.Close())
		}
		s.db.Logger.Trace(ctx, began, func() (string, int64) { return s.db.Dialector.Explain(b.text, args...), 1 }, err)
		return err
	})
}

// prepared is a block's statement, which database/sql prepares on each connection that it uses.
func (s *Store) prepared(ctx context.Context, b *block) (*sql.Stmt, error) {
	if known, ok := s.statements.Load(b); ok {
		return known.(*sql.Stmt), nil
	}
	made, err := s.sql.PrepareContext(ctx, b.text)
	if err != nil {
		return nil, err
	}
	known, there := s.statements.LoadOrStore(b, made)
	if there { // another was faster
		return known.(*sql.Stmt), made.Close()
	}
	return made, nil
}

// known turns GORM's errors into this package's.
func known(err error) error {
	switch {
	case errors.Is(err, gorm.ErrRecordNotFound):
		return ErrNotFound
	case isDuplicate(err) && strings.Contains(err.Error(), "people_number"):
		return ErrNumberTaken
	case isDuplicate(err):
		return ErrTaken
	}
	return err
}
