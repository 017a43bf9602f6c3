package store

import (
	"context"
	"database/sql"
	"embed"
	"errors"
	"fmt"
	"io/fs"
	"log/slog"
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

// Store reads and writes records.
type Store struct {
	db     *gorm.DB
	sql    *sql.DB
	now    func() time.Time
	outage *outage
}

// Open connects to a database by its data source name and brings its tables up
// to date. It waits for a database that is starting, up to the context's end. What the
// driver has to say, and when the database is away and back, goes to the log; nil for
// nowhere.
func Open(ctx context.Context, dsn string, log *slog.Logger) (*Store, error) {
	if log == nil {
		log = slog.New(slog.DiscardHandler)
	}
	config, err := driver.ParseDSN(dsn)
	if err != nil {
		return nil, fmt.Errorf("the database address cannot be read: %w; it looks like "+
			"user:password@tcp(127.0.0.1:3306)/nimbus", err)
	}
	config.ParseTime, config.Loc = true, time.UTC
	config.Timeout, config.ReadTimeout, config.WriteTimeout = 5*time.Second, 30*time.Second, 30*time.Second
	config.Params = map[string]string{"time_zone": "'+00:00'"}
	// One round trip a statement; times in the precision of the columns, so that a
	// comparison with one is read from its index.
	config.InterpolateParams = true
	config.Logger = driverLog{log}
	if err := config.Apply(driver.TimeTruncate(time.Microsecond)); err != nil {
		return nil, err
	}
	connector, err := driver.NewConnector(config)
	if err != nil {
		return nil, err
	}
	db := sql.OpenDB(connector)
	db.SetMaxOpenConns(32)
	db.SetMaxIdleConns(32)
	db.SetConnMaxLifetime(30 * time.Minute)
	out := &Store{sql: db, now: func() time.Time { return time.Now().UTC().Truncate(time.Microsecond) },
		outage: &outage{log: log}}
	for _, step := range []func(context.Context, *sql.DB) error{out.await, migrate, checkCharacters} {
		if err := step(ctx, db); err != nil {
			_ = db.Close()
			return nil, err
		}
	}
	g, err := gorm.Open(mysql.New(mysql.Config{Conn: db}), &gorm.Config{Logger: logger.Discard,
		SkipDefaultTransaction: true, TranslateError: true, NowFunc: func() time.Time { return time.Now().UTC() }})
	if err != nil {
		_ = db.Close()
		return nil, err
	}
	out.db = g
	return out, nil
}

// await pings until the database answers.
func (s *Store) await(ctx context.Context, db *sql.DB) error {
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

// migrate applies the numbered migrations that are missing. A lock in the
// database keeps two processes from doing it at once.
func migrate(ctx context.Context, db *sql.DB) error {
	conn, err := db.Conn(ctx)
	if err != nil {
		return err
	}
	defer conn.Close()
	var got sql.NullInt64
	if err := conn.QueryRowContext(ctx, "SELECT GET_LOCK('nimbus.migrate', 60)").Scan(&got); err != nil || got.Int64 != 1 {
		return fmt.Errorf("another process holds the migration lock: %w", err)
	}
	defer func() { _, _ = conn.ExecContext(context.WithoutCancel(ctx), "DO RELEASE_LOCK('nimbus.migrate')") }()
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
func checkCharacters(ctx context.Context, db *sql.DB) error {
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

// Ping reports whether the database answers.
func (s *Store) Ping(ctx context.Context) error { return s.sql.PingContext(ctx) }

// Close ends the connections.
func (s *Store) Close() error { return s.sql.Close() }

// tx runs f in a transaction, again when the database broke a deadlock.
func (s *Store) tx(ctx context.Context, f func(*gorm.DB) error) error {
	for try := 0; ; try++ {
		err := s.db.WithContext(ctx).Transaction(f)
		var e *driver.MySQLError
		if errors.As(err, &e) && (e.Number == 1213 || e.Number == 1205) && try < 5 {
			continue
		}
		return err
	}
}

// known turns GORM's errors into this package's.
func known(err error) error {
	switch {
	case errors.Is(err, gorm.ErrRecordNotFound):
		return ErrNotFound
	case errors.Is(err, gorm.ErrDuplicatedKey):
		return ErrTaken
	}
	return err
}

// audit adds a line to the trail.
func (s *Store) audit(tx *gorm.DB, person *uint64, action, subject, detail string) error {
	return tx.Create(&AuditLine{PersonID: person, Action: action, Subject: subject, Detail: detail, CreatedAt: s.now()}).
		Error
}
