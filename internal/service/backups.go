package service

import (
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"time"

	"tachyphor/core/outcome"
	"tachyphor/internal/backup"
	"tachyphor/internal/mariadb"
	"tachyphor/internal/store"
	"tachyphor/wire"
)

// Backups says how often the service backs itself up, and how many are kept.
type Backups struct {
	Every time.Duration // 0: it does not
	Keep  int
	Dir   string // empty: backups in the state folder
}

// Names of backups that the service makes: they sort by their moment.
const (
	backupName = "tachyphor-"
	backupAt   = "20060102T150405Z"
	backupEnd  = ".backup"
)

// backups makes them, and knows how the last ones went.
type backups struct {
	Backups
	write func(context.Context, io.Writer) error
	log   *slog.Logger
	now   func() time.Time

	mu    sync.Mutex
	state wire.Backups
}

// source is what a backup is made of.
func (s *Service) source() (backup.Source, error) {
	key, err := s.tellKey()
	return backup.Source{
		DSN: s.dsn, Folder: filepath.Join(s.config.State, "passing"), Version: s.config.Version, Engine: outcome.Engine,
		Steps: store.StepNames(), Key: []byte(key),
	}, err
}

// writeBackup writes a backup of all records.
func (s *Service) writeBackup(ctx context.Context, to io.Writer) error {
	from, err := s.source()
	if err != nil {
		return err
	}
	_, err = backup.Write(ctx, to, from)
	return err
}

// last is when the newest backup in the folder was made; zero: there is none.
func (b *backups) last() time.Time {
	names := b.names()
	if len(names) == 0 {
		return time.Time{}
	}
	return momentOf(names[len(names)-1])
}

func momentOf(name string) time.Time {
	t, _ := time.Parse(backupAt, strings.TrimSuffix(strings.TrimPrefix(filepath.Base(name), backupName), backupEnd))
	return t
}

// names are those in the folder, the oldest first.
func (b *backups) names() (out []string) {
	list, _ := filepath.Glob(filepath.Join(b.Dir, backupName+"*"+backupEnd)) // fails only for a bad pattern
	for _, name := range list {
		if !momentOf(name).IsZero() {
			out = append(out, name)
		}
	}
	slices.Sort(out)
	return out
}

// tryAgain is how long after a backup that failed the next is tried.
const tryAgain = 10 * time.Minute

// run makes backups until ctx ends.
func (b *backups) run(ctx context.Context) {
	if b.Every <= 0 {
		return
	}
	for {
		due := b.last().Add(b.Every)
		if b.failedLast() {
			due = b.now().Add(min(tryAgain, b.Every))
		}
		wait := time.NewTimer(max(due.Sub(b.now()), 0))
		select {
		case <-ctx.Done():
			wait.Stop()
			return
		case <-wait.C:
			if err := b.make(ctx); err != nil && ctx.Err() == nil {
				b.log.Error("cannot back up", "error", err, "folder", b.Dir)
			}
		}
	}
}

func (b *backups) failedLast() bool {
	b.mu.Lock()
	defer b.mu.Unlock()
	return b.state.Failure != ""
}

// make makes a backup, and takes away the oldest beyond those that are kept. One that did not become whole
// leaves nothing.
func (b *backups) make(ctx context.Context) (err error) {
	began := b.now().UTC()
	name := filepath.Join(b.Dir, backupName+began.Format(backupAt)+backupEnd)
	defer func() {
		b.mu.Lock()
		defer b.mu.Unlock()
		if b.state.Failure = ""; err != nil {
			b.state.Failure = err.Error()
		}
	}()
	if err := os.MkdirAll(b.Dir, 0o700); err != nil {
		return err
	}
	part, err := os.OpenFile(name+".part", os.O_CREATE|os.O_TRUNC|os.O_WRONLY, 0o600)
	if err != nil {
		return err
	}
	err = b.write(ctx, part)
	if err == nil {
		err = part.Sync()
	}
	if err := errors.Join(err, part.Close()); err != nil {
		_ = os.Remove(part.Name())
		return err
	}
	f, err := backup.Open(part.Name(), store.StepNames()) // what cannot be read is no backup
	if err != nil {
		_ = os.Remove(part.Name())
		return err
	}
	_ = f.Close()
	if err := os.Rename(part.Name(), name); err != nil {
		return err
	}
	names := b.names()
	for _, old := range names[:max(len(names)-b.Keep, 0)] {
		if err := os.Remove(old); err != nil {
			b.log.Warn("cannot take an old backup away", "file", old, "error", err)
		}
	}
	b.log.Info("backed up", "file", name, "took", b.now().Sub(began).Round(time.Millisecond).String())
	return nil
}

// State says how backups stand.
func (b *backups) State() wire.Backups {
	b.mu.Lock()
	out := b.state
	b.mu.Unlock()
	if out.Every = int64(b.Every); b.Every <= 0 {
		return out
	}
	out.Keep = b.Keep
	for _, name := range b.names() {
		out.Kept++
		if info, err := os.Stat(name); err == nil {
			out.Bytes = info.Size()
		}
	}
	if at := b.last(); !at.IsZero() {
		out.Last = &at
	}
	return out
}

// Restore reads a backup into a state folder, or into the database that is given, which must be empty. A file
// that is damaged, or newer, is refused before anything is touched.
func Restore(ctx context.Context, c Config, path string) (m backup.Manifest, err error) {
	f, err := backup.Open(path, store.StepNames())
	if err != nil {
		return m, fmt.Errorf("%s: %w", path, err)
	}
	defer func() { _ = f.Close() }()
	if err := os.MkdirAll(c.State, 0o700); err != nil {
		return m, fmt.Errorf("cannot use the state folder: %w", err)
	}
	s := &Service{config: c}
	if err := s.takeState(); err != nil {
		return m, err
	}
	defer func() { _ = s.lock.Close() }()
	folder, err := s.passage()
	if err != nil {
		return m, err
	}
	dsn := c.Database
	if dsn == "" {
		private := filepath.Join(c.State, "mariadb")
		if _, err := os.Stat(private); !errors.Is(err, os.ErrNotExist) {
			return m, fmt.Errorf("%s: %w", c.State, backup.ErrFilled)
		}
		server, err := mariadb.Start(ctx, mariadb.Options{Dir: private, Log: c.Log, Unsafe: c.Unsafe})
		if err != nil {
			return m, err
		}
		whole := false
		defer func() {
			_ = server.Close()
			if !whole { // half of it would look like records
				_ = os.RemoveAll(private)
			}
		}()
		dsn = server.DSN("tachyphor")
		if err := s.load(ctx, f, dsn, folder); err != nil {
			return m, err
		}
		whole = true
		return f.Manifest, nil
	}
	if dsn, err = store.Named(dsn); err != nil {
		return m, err
	}
	return f.Manifest, s.load(ctx, f, dsn, folder)
}

// load reads a backup into an empty database and brings its tables up to date.
func (s *Service) load(ctx context.Context, f *backup.File, dsn, folder string) error {
	if err := f.Load(ctx, dsn, folder); err != nil {
		return err
	}
	records, err := store.Open(ctx, dsn, s.config.Log)
	if err != nil {
		return err
	}
	if err := records.Close(); err != nil {
		return err
	}
	key, err := f.Key()
	if err != nil || len(key) == 0 {
		return err
	}
	return os.WriteFile(filepath.Join(s.config.State, "tell.key"), append(key, '\n'), 0o600)
}
