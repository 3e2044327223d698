// Package store keeps sites, crawls and their results in PostgreSQL. All SQL stands here.
package store

import (
	"context"
	"database/sql"
	"embed"
	"errors"
	"fmt"
	"io/fs"
	"net"
	"strings"
	"syscall"
	"time"
	"unicode/utf8"

	"harvik/internal/record"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
	"github.com/jackc/pgx/v5/pgxpool"
	"github.com/jackc/pgx/v5/stdlib"
	"github.com/jmoiron/sqlx"
	"github.com/pressly/goose/v3"
	"github.com/pressly/goose/v3/lock"
	"github.com/riverqueue/river"
	"golang.org/x/sys/unix"
)

//go:embed migrations/*.sql
var migrations embed.FS

// A Store is safe for use from several goroutines.
type Store struct {
	pool         *pgxpool.Pool
	db           *sqlx.DB
	queue        *river.Client[pgx.Tx] // that only leaves word
	openers      openers
	checkNumbers checkNumbers
	recent       recent
}

// Connections is how many a store has at most, unless it is told otherwise.
const Connections = 24

// Open connects to a database, named as a URL or in libpq's keywords, and brings its tables
// up to date.
func Open(ctx context.Context, database string) (*Store, error) {
	return OpenWith(ctx, database, Connections)
}

// OpenWith is Open with another number of connections at most.
func OpenWith(ctx context.Context, database string, connections int) (*Store, error) {
	config, err := pgxpool.ParseConfig(database)
	if err != nil {
		return nil, fmt.Errorf("opening the database: %w", err)
	}
	config.MaxConns = int32(connections)
	// A plan for any crawl would look at the parts of all.
	config.ConnConfig.RuntimeParams["plan_cache_mode"] = "force_custom_plan"
	// A process whose machine is gone is not to hold locks.
	config.ConnConfig.RuntimeParams["tcp_keepalives_idle"] = "15"
	config.ConnConfig.RuntimeParams["tcp_keepalives_interval"] = "5"
	config.ConnConfig.RuntimeParams["tcp_keepalives_count"] = "3"
	config.ConnConfig.DialFunc = dial
	// Compiling a query takes longer than any of them.
	config.ConnConfig.RuntimeParams["jit"] = "off"
	pool, err := pgxpool.NewWithConfig(ctx, config)
	if err != nil {
		return nil, fmt.Errorf("opening the database: %w", err)
	}
	s := &Store{pool: pool, db: sqlx.NewDb(stdlib.OpenDBFromPool(pool), "pgx")}
	s.db.MapperFunc(snake)
	if _, _, err := migrate(ctx, s.db.DB); err != nil {
		s.Close()
		return nil, fmt.Errorf("bringing the database up to date: %w", err)
	}
	if err = migrateQueue(ctx, pool); err == nil {
		s.queue, err = newQueue(pool)
	}
	if err != nil {
		s.Close()
		return nil, err
	}
	return s, nil
}

// unanswered is for how long what is sent to the database may go without word of its arrival.
const unanswered = 20 * time.Second

// dial connects to the database so that a connection on which nothing arrives any more is given up (TCP_USER_TIMEOUT,
// RFC 5482): the kernel by itself hopes for a quarter of an hour.
func dial(ctx context.Context, network, address string) (net.Conn, error) {
	alive := net.KeepAliveConfig{Enable: true, Idle: unanswered / 2, Interval: 5 * time.Second, Count: 2}
	const most = int(unanswered / time.Millisecond)
	d := net.Dialer{KeepAliveConfig: alive,
		Control: func(network, _ string, c syscall.RawConn) error {
			if network == "unix" {
				return nil
			}
			var failed error
			err := c.Control(func(fd uintptr) {
				failed = unix.SetsockoptInt(int(fd), unix.IPPROTO_TCP, unix.TCP_USER_TIMEOUT, most)
			})
			return errors.Join(err, failed)
		}}
	return d.DialContext(ctx, network, address)
}

// Migrate brings the tables of a database up to date, and tells the number of its last step before and now.
func Migrate(ctx context.Context, database string) (before, now int64, err error) {
	config, err := pgx.ParseConfig(database)
	if err != nil {
		return 0, 0, fmt.Errorf("opening the database: %w", err)
	}
	db := stdlib.OpenDB(*config)
	defer db.Close()
	return migrate(ctx, db)
}

// migrate takes the steps that a database lacks, one process at a time.
func migrate(ctx context.Context, db *sql.DB) (before, now int64, err error) {
	files, err := fs.Sub(migrations, "migrations")
	if err != nil {
		return 0, 0, err
	}
	locker, err := lock.NewPostgresSessionLocker()
	if err != nil {
		return 0, 0, err
	}
	provider, err := goose.NewProvider(goose.DialectPostgres, db, files, goose.WithSessionLocker(locker))
	if err != nil {
		return 0, 0, err
	}
	if before, err = provider.GetDBVersion(ctx); err != nil {
		return 0, 0, err
	}
	sources := provider.ListSources()
	if newest := sources[len(sources)-1].Version; before > newest {
		return before, before, fmt.Errorf("it was made by a newer Harvik (step %d; this one knows %d): run that one",
			before, newest)
	}
	if _, err = provider.Up(ctx); err != nil {
		return before, before, err
	}
	now, err = provider.GetDBVersion(ctx)
	return before, now, err
}

// Close ends all connections.
func (s *Store) Close() {
	s.db.Close()
	s.pool.Close()
}

// Tidy lets a crawl's lists of pages be read from their index alone, once it is stored.
func (s *Store) Tidy(ctx context.Context, crawlID int64) error {
	part, err := s.partOf(ctx, crawlID)
	if err == nil {
		_, err = s.db.ExecContext(ctx, "vacuum "+part("page"))
	}
	return err
}

// execer is the database, or a transaction.
type execer interface {
	ExecContext(ctx context.Context, query string, args ...any) (sql.Result, error)
}

// within runs f in a transaction, which holds if f succeeds.
func (s *Store) within(ctx context.Context, f func(tx *sqlx.Tx) error) error {
	tx, err := s.db.BeginTxx(ctx, nil)
	if err != nil {
		return err
	}
	defer tx.Rollback()
	if err := f(tx); err != nil {
		return err
	}
	return tx.Commit()
}

// Ping tells whether the database answers.
func (s *Store) Ping(ctx context.Context) error { return s.pool.Ping(ctx) }

// found turns the driver's error for an empty answer into ErrNotFound.
func found(err error) error {
	if errors.Is(err, sql.ErrNoRows) {
		return record.ErrNotFound
	}
	return err
}

func isUnique(err error) bool {
	var e *pgconn.PgError
	return errors.As(err, &e) && e.Code == "23505"
}

// clean makes a text fit for PostgreSQL: valid UTF-8 without NUL.
func clean(s string) string {
	if utf8.ValidString(s) && strings.IndexByte(s, 0) < 0 {
		return s
	}
	return strings.ReplaceAll(strings.ToValidUTF8(s, "\uFFFD"), "\x00", "")
}
