// Package store keeps sites, crawls and their results in PostgreSQL. All SQL stands here.
package store

import (
	"context"
	"database/sql"
	"embed"
	"errors"
	"fmt"
	"io/fs"
	"strings"
	"unicode/utf8"

	"github.com/jackc/pgx/v5/pgconn"
	"github.com/jackc/pgx/v5/pgxpool"
	"github.com/jackc/pgx/v5/stdlib"
	"github.com/jmoiron/sqlx"
	"github.com/pressly/goose/v3"
)

//go:embed migrations/*.sql
var migrations embed.FS

// Errors that callers ask for.
var (
	ErrNotFound = errors.New("not found")
	ErrExists   = errors.New("exists already")
)

// A Store is safe for use from several goroutines.
type Store struct {
	pool *pgxpool.Pool
	db   *sqlx.DB
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
	pool, err := pgxpool.NewWithConfig(ctx, config)
	if err != nil {
		return nil, fmt.Errorf("opening the database: %w", err)
	}
	db := stdlib.OpenDBFromPool(pool)
	s := &Store{pool, sqlx.NewDb(db, "pgx")}
	if err := s.migrate(ctx, db); err != nil {
		s.Close()
		return nil, fmt.Errorf("bringing the database up to date: %w", err)
	}
	return s, nil
}

func (s *Store) migrate(ctx context.Context, db *sql.DB) error {
	files, err := fs.Sub(migrations, "migrations")
	if err != nil {
		return err
	}
	provider, err := goose.NewProvider(goose.DialectPostgres, db, files)
	if err != nil {
		return err
	}
	_, err = provider.Up(ctx)
	return err
}

// Close ends all connections.
func (s *Store) Close() {
	s.db.Close()
	s.pool.Close()
}

// Tidy lets lists of pages be read from their index alone, once a crawl is stored.
func (s *Store) Tidy(ctx context.Context) error {
	_, err := s.db.ExecContext(ctx, "vacuum page")
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
		return ErrNotFound
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
