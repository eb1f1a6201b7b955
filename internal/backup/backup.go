// Package backup writes all records to one file while the service runs, and reads them back: a zip archive
// with the tables as SQL, as MariaDB's own tools write and read them, and what it is, with its digests, at the
// end.
package backup

import (
	"archive/zip"
	"bytes"
	"context"
	"crypto/sha256"
	"database/sql"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"hash"
	"io"
	"net"
	"os"
	"os/exec"
	"strings"
	"time"

	"tachyphor/internal/child"

	"github.com/go-sql-driver/mysql"
)

// format is the newest form of a backup that this program writes and reads.
const format = 1

// Names of what is in a backup.
const (
	tablesName   = "tables.sql"
	keyName      = "tell.key"
	manifestName = "manifest.json"
)

// mostManifest bounds what is read of a file before anything of it is known.
const mostManifest = 1 << 20

// A Manifest says what a backup is.
type Manifest struct {
	Format  int               `json:"format"`
	Version string            `json:"version"` // of the program that wrote it
	Engine  int               `json:"engine"`
	At      time.Time         `json:"at"`
	Steps   []string          `json:"steps"` // by which its tables were brought up
	Digests map[string]string `json:"digests"`
	Bytes   int64             `json:"bytes"` // of the tables as SQL
}

// What is told of a file that cannot be restored. Nothing has been touched then.
var (
	ErrDamaged = errors.New("the backup is damaged: it was cut short or altered")
	ErrNewer   = errors.New("the backup was written by a newer version of this program; restore it with that one")
	ErrNone    = errors.New("this is no backup of ours")
	ErrTools   = errors.New("the programs mariadb-dump and mariadb are needed; on Debian: apt-get install mariadb-client")
)

// A Source is what is backed up.
type Source struct {
	DSN     string // of the database
	Folder  string // for a file with its password, while it is written
	Version string
	Engine  int
	Steps   []string
	Key     []byte // that events are signed with
}

// Write writes a backup. It is of one moment, while the service goes on.
func Write(ctx context.Context, to io.Writer, s Source) (m Manifest, err error) {
	m = Manifest{Format: format, Version: s.Version, Engine: s.Engine, At: time.Now().UTC(), Steps: s.Steps, Digests: map[string]string{}}
	z := zip.NewWriter(to)
	add := func(name string, fill func(io.Writer) error) error {
		w, err := z.CreateHeader(&zip.FileHeader{Name: name, Method: zip.Deflate, Modified: m.At})
		if err != nil {
			return err
		}
		sum := sha256.New()
		if err := fill(io.MultiWriter(w, sum)); err != nil {
			return err
		}
		m.Digests[name] = hex.EncodeToString(sum.Sum(nil))
		return nil
	}
	if err := add(tablesName, func(w io.Writer) error {
		counted := &counter{w: w}
		defer func() { m.Bytes = counted.n }()
		return dump(ctx, counted, s)
	}); err != nil {
		return m, err
	}
	if err := add(keyName, func(w io.Writer) error { _, err := w.Write(s.Key); return err }); err != nil {
		return m, err
	}
	b, err := json.MarshalIndent(m, "", "  ")
	if err != nil {
		return m, err
	}
	w, err := z.Create(manifestName)
	if err != nil {
		return m, err
	}
	if _, err := w.Write(append(b, '\n')); err != nil {
		return m, err
	}
	return m, z.Close()
}

// counter counts what goes through it.
type counter struct {
	w io.Writer
	n int64
}

func (c *counter) Write(b []byte) (int, error) {
	n, err := c.w.Write(b)
	c.n += int64(n)
	return n, err
}

// packet is the largest statement: the largest record, with all that may have to be written otherwise.
const packet = "--max-allowed-packet=256M"

// dump has MariaDB write the tables.
func dump(ctx context.Context, to io.Writer, s Source) error {
	return withTool(s.DSN, s.Folder, func(defaults, database string) error {
		return run(ctx, "mariadb-dump", nil, to, defaults, "--single-transaction", "--quick", "--skip-lock-tables", "--no-tablespaces",
			"--skip-comments", "--default-character-set=utf8mb4", packet, database)
	})
}

// withTool lends MariaDB's tools a file with the way into a database, for no one else can see a password there.
func withTool(dsn, folder string, use func(defaults, database string) error) error {
	c, err := mysql.ParseDSN(dsn)
	if err != nil {
		return err
	}
	f, err := os.CreateTemp(folder, "client-*.cnf")
	if err != nil {
		return err
	}
	defer func() { _ = os.Remove(f.Name()) }()
	text := "[client]\nuser=" + quoted(c.User) + "\npassword=" + quoted(c.Passwd) + "\n"
	if c.Net == "unix" {
		text += "socket=" + quoted(c.Addr) + "\n"
	} else {
		host, port, err := net.SplitHostPort(c.Addr) // the driver has put a port there
		if err != nil {
			return err
		}
		text += "protocol=tcp\nhost=" + quoted(host) + "\nport=" + port + "\n"
	}
	_, err = f.WriteString(text)
	if err := errors.Join(err, f.Close()); err != nil {
		return err
	}
	return use("--defaults-file="+f.Name(), c.DBName)
}

// quoted writes a value as MariaDB's files of options take it.
func quoted(text string) string {
	return `"` + strings.NewReplacer(`\`, `\\`, `"`, `\"`, "\n", `\n`).Replace(text) + `"`
}

// run runs one of MariaDB's tools.
func run(ctx context.Context, name string, in io.Reader, out io.Writer, args ...string) error {
	if _, err := exec.LookPath(name); err != nil {
		return ErrTools
	}
	var said bytes.Buffer
	cmd := exec.CommandContext(ctx, name, args...)
	cmd.Stdin, cmd.Stdout, cmd.Stderr = in, out, &said
	if err := child.Run(cmd); err != nil {
		if ctx.Err() != nil {
			return ctx.Err()
		}
		return fmt.Errorf("%s: %w: %s", name, err, strings.TrimSpace(said.String()))
	}
	return nil
}

// A File is a backup that was found whole.
type File struct {
	Manifest
	zip *zip.ReadCloser
}

// Open reads a backup from end to end and holds it against its digests; steps are those that this program
// knows.
func Open(path string, steps []string) (_ *File, err error) {
	z, err := zip.OpenReader(path)
	if errors.Is(err, os.ErrNotExist) || errors.Is(err, os.ErrPermission) {
		return nil, err
	}
	if err != nil {
		if beginsAsOne(path) {
			return nil, fmt.Errorf("%w (%w)", ErrDamaged, err)
		}
		return nil, ErrNone
	}
	f := &File{zip: z}
	defer func() {
		if err != nil {
			_ = z.Close()
		}
	}()
	b, err := f.read(manifestName)
	if err != nil {
		return nil, err
	}
	if json.Unmarshal(b, &f.Manifest) != nil || f.Format < 1 {
		return nil, ErrNone
	}
	known := map[string]bool{}
	for _, s := range steps {
		known[s] = true
	}
	for _, s := range f.Steps {
		if !known[s] {
			return nil, fmt.Errorf("%w (it is of %s)", ErrNewer, f.Version)
		}
	}
	if f.Format > format {
		return nil, fmt.Errorf("%w (it is of %s)", ErrNewer, f.Version)
	}
	if len(z.File) != 3 {
		return nil, fmt.Errorf("%w: it holds %d files, not 3", ErrDamaged, len(z.File))
	}
	for _, name := range []string{tablesName, keyName} {
		sum := sha256.New()
		if err := f.copy(name, sum); err != nil {
			return nil, err
		}
		if got := hexOf(sum); got != f.Digests[name] {
			return nil, fmt.Errorf("%w: %s is not what was written", ErrDamaged, name)
		}
	}
	return f, nil
}

func hexOf(h hash.Hash) string { return hex.EncodeToString(h.Sum(nil)) }

// beginsAsOne tells whether a file begins as an archive does.
func beginsAsOne(path string) bool {
	f, err := os.Open(path)
	if err != nil {
		return false
	}
	defer func() { _ = f.Close() }()
	head := make([]byte, 4)
	_, err = io.ReadFull(f, head)
	return err == nil && string(head) == "PK\x03\x04"
}

// copy writes what is in it under a name.
func (f *File) copy(name string, to io.Writer) error {
	r, err := f.zip.Open(name)
	if err != nil {
		return fmt.Errorf("%w: it has no %s", ErrDamaged, name)
	}
	defer func() { _ = r.Close() }()
	if _, err := io.Copy(to, r); err != nil {
		return fmt.Errorf("%w: %s: %w", ErrDamaged, name, err)
	}
	return nil
}

// read returns a small one.
func (f *File) read(name string) ([]byte, error) {
	r, err := f.zip.Open(name)
	if err != nil {
		return nil, ErrNone
	}
	defer func() { _ = r.Close() }()
	b, err := io.ReadAll(io.LimitReader(r, mostManifest))
	if err != nil {
		return nil, fmt.Errorf("%w: %s: %w", ErrDamaged, name, err)
	}
	return b, nil
}

// Key is the key that events are signed with.
func (f *File) Key() ([]byte, error) {
	var b bytes.Buffer
	err := f.copy(keyName, &b)
	return b.Bytes(), err
}

// Close ends reading it.
func (f *File) Close() error { return f.zip.Close() }

// ErrFilled says that there are records already where some were to be restored to.
var ErrFilled = errors.New("there are records there already; restore into an empty folder, or an empty database")

// Load has MariaDB read the tables into an empty database; folder is as in Source.
func (f *File) Load(ctx context.Context, dsn, folder string) error {
	if err := empty(ctx, dsn); err != nil {
		return err
	}
	r, err := f.zip.Open(tablesName)
	if err != nil {
		return err
	}
	defer func() { _ = r.Close() }()
	return withTool(dsn, folder, func(defaults, database string) error {
		return run(ctx, "mariadb", r, io.Discard, defaults, "--binary-mode", "--default-character-set=utf8mb4", packet, database)
	})
}

// empty makes a database where there is none, and is ErrFilled where it has tables.
func empty(ctx context.Context, dsn string) error {
	c, err := mysql.ParseDSN(dsn)
	if err != nil {
		return err
	}
	name := c.DBName
	c.DBName = ""
	db, err := sql.Open("mysql", c.FormatDSN())
	if err != nil {
		return err
	}
	defer func() { _ = db.Close() }()
	var tables int
	if err := db.QueryRowContext(ctx, "SELECT COUNT(*) FROM information_schema.tables WHERE table_schema = ?", name).Scan(&tables); err != nil {
		return err
	}
	if tables > 0 {
		return ErrFilled
	}
	_, err = db.ExecContext(ctx, "CREATE DATABASE IF NOT EXISTS `"+strings.ReplaceAll(name, "`", "``")+"` CHARACTER SET utf8mb4 COLLATE utf8mb4_bin")
	return err
}
