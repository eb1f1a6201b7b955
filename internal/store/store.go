// Package store keeps records in MariaDB: documents with their revisions,
// recordings, usage, work with its results, and tokens.
package store

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"log/slog"
	"strings"
	"time"

	"k8s.io/apimachinery/pkg/util/wait"

	driver "github.com/go-sql-driver/mysql"
	"gorm.io/driver/mysql"
	"gorm.io/gorm"
	"gorm.io/gorm/logger"
)

// What callers tell apart.
var (
	ErrNotFound = errors.New("not found")
	ErrConflict = errors.New("changed by someone else in the meantime")
	ErrBusy     = errors.New("too much is waiting")
	ErrOwnBusy  = errors.New("too much of one's own is waiting")
	ErrOwnFull  = errors.New("too many results of one's own are kept")
	ErrFull     = errors.New("the disk of the database is full")
)

// A Store is a connection to the records. It is safe for use by many goroutines.
type Store struct {
	db  *gorm.DB
	now func() time.Time
}

// maxPacket is the largest record that is sent; the private server takes it.
const maxPacket = 64 << 20

// Open connects to the database at dsn, makes it if it is not there and the
// server allows, and brings its tables up to date.
func Open(ctx context.Context, dsn string, log *slog.Logger) (*Store, error) {
	dsn, err := Named(dsn)
	if err != nil {
		return nil, err
	}
	c, err := driver.ParseDSN(dsn)
	if err != nil {
		return nil, err
	}
	c.ParseTime, c.Loc, c.MaxAllowedPacket, c.Collation = true, time.UTC, maxPacket, "utf8mb4_bin"
	c.Params = map[string]string{"tx_isolation": "'READ-COMMITTED'", "time_zone": "'+00:00'"}
	c.Timeout, c.ReadTimeout, c.WriteTimeout = 10*time.Second, answersLarge, answersLarge
	if err := create(ctx, *c); err != nil {
		return nil, err
	}
	pool, err := sql.Open("mysql", c.FormatDSN())
	if err != nil {
		return nil, err
	}
	pool.SetMaxOpenConns(24)
	pool.SetMaxIdleConns(8)
	pool.SetConnMaxIdleTime(5 * time.Minute)
	db, err := gorm.Open(mysql.New(mysql.Config{Conn: pool, DefaultStringSize: 255}), &gorm.Config{
		TranslateError: true,
		NowFunc:        func() time.Time { return time.Now().UTC().Truncate(time.Microsecond) },
		Logger: logger.NewSlogLogger(log, logger.Config{
			LogLevel: logger.Warn, SlowThreshold: 5 * time.Second,
			IgnoreRecordNotFoundError: true, ParameterizedQueries: true,
		}),
	})
	if err != nil {
		return nil, fmt.Errorf("the database does not answer: %w", err)
	}
	s := &Store{db: db, now: db.NowFunc}
	if err := s.migrate(ctx); err != nil {
		return nil, fmt.Errorf("cannot bring the tables up to date: %w", err)
	}
	return s, bounded(db)
}

// Named is the address of a database with the name that it has where none is given.
func Named(dsn string) (string, error) {
	c, err := driver.ParseDSN(dsn)
	if err != nil {
		return "", fmt.Errorf("the address of the database is not readable: %w; write it like user:password@tcp(127.0.0.1:3306)/tachyphor", err)
	}
	if c.DBName == "" {
		c.DBName = "tachyphor"
	}
	return c.FormatDSN(), nil
}

// create makes the database itself; a server that forbids it may have it already.
func create(ctx context.Context, c driver.Config) error {
	name := c.DBName
	c.DBName = ""
	db, err := sql.Open("mysql", c.FormatDSN())
	if err != nil {
		return err
	}
	defer func() { _ = db.Close() }()
	_, err = db.ExecContext(ctx, "CREATE DATABASE IF NOT EXISTS `"+name+"` CHARACTER SET utf8mb4 COLLATE utf8mb4_bin")
	var denied *driver.MySQLError
	if errors.As(err, &denied) && denied.Number == 1044 {
		return nil
	}
	if err != nil {
		return fmt.Errorf("the database does not answer: %w", err)
	}
	return nil
}

// Ping reports whether the database answers.
func (s *Store) Ping(ctx context.Context) error {
	pool, err := s.db.DB()
	if err != nil {
		return err
	}
	return pool.PingContext(ctx)
}

// Close ends all connections.
func (s *Store) Close() error {
	pool, err := s.db.DB()
	if err != nil {
		return err
	}
	return pool.Close()
}

// lost is how a transaction that lost to another is tried again.
var lost = wait.Backoff{Duration: 20 * time.Millisecond, Factor: 1.7, Jitter: 0.3, Steps: 5}

// write runs f in a transaction, again when the database asks for that. The first under a context that a
// deed goes with stores that as well.
func (s *Store) write(ctx context.Context, f func(tx *gorm.DB) error) error {
	var err error
	deed := deedOf(ctx)
	ended := wait.ExponentialBackoffWithContext(ctx, lost, func(ctx context.Context) (done bool, _ error) {
		err = s.transaction(ctx, func(tx *gorm.DB) error {
			if err := f(tx); err != nil || deed == nil || deed.noted {
				return err
			}
			return tx.Create(deed.row(s.now())).Error
		})
		if err == nil && deed != nil {
			deed.noted = true
		}
		var e *driver.MySQLError
		return !errors.As(err, &e) || e.Number != 1213 && e.Number != 1205, nil
	})
	if ended != nil && ctx.Err() != nil {
		return ctx.Err()
	}
	return known(err)
}

// known turns GORM's errors into ours.
func known(err error) error {
	if errors.Is(err, gorm.ErrRecordNotFound) {
		return ErrNotFound
	}
	var e *driver.MySQLError
	if errors.As(err, &e) && (e.Number == 1021 || e.Number == 1114 || strings.Contains(e.Message, "No space left")) {
		return fmt.Errorf("%w: %w", ErrFull, err)
	}
	return err
}
