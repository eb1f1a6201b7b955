// Package mariadb runs a private MariaDB server as a child process on loopback,
// with a data folder of its own, and keeps it running.
package mariadb

import (
	"bytes"
	"context"
	"crypto/rand"
	"database/sql"
	"encoding/hex"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"sync"
	"syscall"
	"time"

	"github.com/go-sql-driver/mysql"

	"tachyphor/internal/child"
)

// ErrMissing says that Debian's MariaDB packages are not installed.
var ErrMissing = errors.New("mariadbd is not installed: install Debian's packages mariadb-server-core and " +
	"mariadb-client-core (make setup does), or give a database with --database")

// Options say where and how to run the server.
type Options struct {
	Dir string // folder of its own; made if absent
	Log *slog.Logger
	// Unsafe gives up durability for speed. Only for tests that lose nothing.
	Unsafe bool
}

// A Server is a running MariaDB. It is restarted when it dies, until Close.
type Server struct {
	o        Options
	port     int
	password string

	mu      sync.Mutex
	cmd     *exec.Cmd // the running child, or nil between two
	ends    int       // of the child, since the start
	closing bool
	done    chan struct{} // closed when the supervisor has ended
}

const user = "tachyphor"

// wait bounds how long a start may take: installing, recovering, accepting.
const wait = 60 * time.Second

// patience is how long a server is given to stop in order before it is killed, after
// which it recovers at its next start.
const patience = 10 * time.Second

// endsAtStart is how often the server may end before it has ever answered; what ends it
// then does not pass by itself.
const endsAtStart = 3

// Start installs the data folder if there is none, starts the server and waits
// until it answers.
func Start(ctx context.Context, o Options) (*Server, error) {
	daemon, err := find("mariadbd")
	if err != nil {
		return nil, ErrMissing
	}
	dir, err := filepath.Abs(o.Dir)
	if err != nil {
		return nil, err
	}
	o.Dir = dir
	for _, d := range []string{dir, filepath.Join(dir, "tmp"), filepath.Join(dir, "run")} {
		if err := os.MkdirAll(d, 0o700); err != nil {
			return nil, err
		}
	}
	s := &Server{o: o, done: make(chan struct{})}
	s.endLeftover()
	if err := s.install(ctx); err != nil {
		return nil, err
	}
	if err := s.secret(); err != nil {
		return nil, err
	}
	if s.port, err = freePort(); err != nil {
		return nil, err
	}
	go s.supervise(daemon)
	if err := s.answer(ctx); err != nil {
		_ = s.Close()
		return nil, err
	}
	return s, nil
}

// find looks for a program on the path and where Debian puts servers.
func find(name string) (string, error) {
	if p, err := exec.LookPath(name); err == nil {
		return p, nil
	}
	return exec.LookPath("/usr/sbin/" + name)
}

// install makes the data folder, under another name until it is whole: a fresh one each
// time, for an installer that was cut short may still be busy in its own.
func (s *Server) install(ctx context.Context) error {
	data := filepath.Join(s.o.Dir, "data")
	old, _ := filepath.Glob(filepath.Join(s.o.Dir, "data.new*")) // fails only for a bad pattern
	for _, path := range old {
		_ = os.RemoveAll(path) // what cannot go yet goes at the next start
	}
	if _, err := os.Stat(data); err == nil {
		return nil
	}
	tool, err := find("mariadb-install-db")
	if err != nil {
		return ErrMissing
	}
	if err := s.roomToInstall(); err != nil {
		return err
	}
	fresh, err := os.MkdirTemp(s.o.Dir, "data.new")
	if err != nil {
		return err
	}
	args := []string{
		"--no-defaults", "--datadir=" + fresh, "--tmpdir=" + filepath.Join(s.o.Dir, "tmp"),
		"--auth-root-authentication-method=normal", "--skip-test-db", "--skip-name-resolve", "--innodb-log-file-size=8M",
	}
	cmd := exec.CommandContext(ctx, tool, append(args, s.asRoot()...)...)
	// A script and what it starts: they end together, with this process at the latest.
	cmd.SysProcAttr = &syscall.SysProcAttr{Setpgid: true}
	cmd.Cancel = func() error { return syscall.Kill(-cmd.Process.Pid, syscall.SIGKILL) }
	var said bytes.Buffer
	cmd.Stdout, cmd.Stderr = &said, &said
	if err := child.Run(cmd); err != nil {
		return fmt.Errorf("cannot make the database's data folder: %w\n%s", err, &said)
	}
	return os.Rename(fresh, data)
}

// asRoot is what MariaDB wants to be told when it runs as root.
func (s *Server) asRoot() []string {
	if os.Geteuid() == 0 {
		return []string{"--user=root"}
	}
	return nil
}

// secret reads or makes the password of the only user that may connect. It is
// set at every start, before the server accepts connections.
func (s *Server) secret() error {
	file := filepath.Join(s.o.Dir, "password")
	if b, err := os.ReadFile(file); err == nil && len(b) == 48 {
		s.password = string(b)
	} else {
		b := make([]byte, 24)
		_, _ = rand.Read(b)
		s.password = hex.EncodeToString(b)
		if err := os.WriteFile(file, []byte(s.password), 0o600); err != nil {
			return err
		}
	}
	init := fmt.Sprintf(`CREATE USER IF NOT EXISTS '%[1]s'@'127.0.0.1' IDENTIFIED BY '%[2]s';
ALTER USER '%[1]s'@'127.0.0.1' IDENTIFIED BY '%[2]s';
GRANT ALL ON *.* TO '%[1]s'@'127.0.0.1';
DROP USER IF EXISTS 'root'@'127.0.0.1', 'root'@'::1', ''@'localhost';
ALTER USER IF EXISTS 'root'@'localhost' IDENTIFIED BY '%[2]s';
`, user, s.password)
	return os.WriteFile(filepath.Join(s.o.Dir, "init.sql"), []byte(init), 0o600)
}

func freePort() (int, error) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return 0, err
	}
	defer func() { _ = l.Close() }()
	return l.Addr().(*net.TCPAddr).Port, nil
}

func (s *Server) path(parts ...string) string {
	return filepath.Join(append([]string{s.o.Dir}, parts...)...)
}

// arguments are chosen on purpose: only loopback, no host names, packets as
// large as the largest record, text compared byte by byte, times in UTC, and
// READ COMMITTED, under which queue claims do not lock each other out.
func (s *Server) arguments() []string {
	args := []string{
		"--no-defaults", "--datadir=" + s.path("data"), "--tmpdir=" + s.path("tmp"),
		"--pid-file=" + s.path("run", "db.pid"), "--socket=" + s.socket(), "--init-file=" + s.path("init.sql"),
		"--bind-address=127.0.0.1", "--port=" + strconv.Itoa(s.port), "--skip-name-resolve", "--skip-log-bin",
		"--max-allowed-packet=256M", "--character-set-server=utf8mb4", "--collation-server=utf8mb4_bin",
		"--default-time-zone=+00:00", "--transaction-isolation=READ-COMMITTED", "--max-connections=64",
		"--innodb-buffer-pool-size=64M", "--innodb-log-file-size=64M", "--performance-schema=off",
		"--sql-mode=STRICT_ALL_TABLES,NO_ENGINE_SUBSTITUTION,ERROR_FOR_DIVISION_BY_ZERO",
	}
	if s.o.Unsafe {
		args = append(args, "--innodb-flush-method=nosync", "--innodb-doublewrite=0", "--innodb-flush-log-at-trx-commit=0")
	}
	return append(args, s.asRoot()...)
}

// socket is the path of the server's socket, which must be short.
func (s *Server) socket() string {
	if p := s.path("run", "db.sock"); len(p) < 100 {
		return p
	}
	return filepath.Join(os.TempDir(), fmt.Sprintf("tachyphor-%d.sock", s.port))
}

// supervise starts the server again whenever it ends, until Close. The child is
// killed when this process dies, for one that is told to stop while it starts may hang for
// ever.
func (s *Server) supervise(daemon string) {
	defer close(s.done)
	for pause := 200 * time.Millisecond; ; pause = min(2*pause, 10*time.Second) {
		began := time.Now()
		wait, err := s.launch(daemon)
		if err == nil && wait == nil {
			return
		}
		if err == nil {
			err = wait()
		}
		s.mu.Lock()
		s.cmd = nil
		s.ends++
		closing := s.closing
		s.mu.Unlock()
		if closing {
			return
		}
		s.o.Log.Warn("the database ended; starting it again", "error", err, "log", s.path("server.log"))
		if time.Since(began) > time.Minute {
			pause = 200 * time.Millisecond
		}
		time.Sleep(pause)
	}
}

// launch starts the child; it returns nil when Close came first.
func (s *Server) launch(daemon string) (wait func() error, err error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.closing {
		return nil, nil
	}
	out, err := os.OpenFile(s.path("server.log"), os.O_CREATE|os.O_APPEND|os.O_WRONLY, 0o600)
	if err != nil {
		return nil, err
	}
	defer func() { _ = out.Close() }()
	cmd := exec.Command(daemon, s.arguments()...)
	cmd.Stdout, cmd.Stderr = out, out
	// A group of its own keeps a terminal's Ctrl-C from it: it is stopped last.
	cmd.SysProcAttr = &syscall.SysProcAttr{Setpgid: true}
	if wait, err = child.Start(cmd); err != nil {
		return nil, err
	}
	s.cmd = cmd
	return wait, nil
}

// endLeftover stops a server that an earlier process left on this folder.
func (s *Server) endLeftover() {
	for began := time.Now(); time.Since(began) < wait; {
		b, err := os.ReadFile(s.path("run", "db.pid"))
		pid, err2 := strconv.Atoi(strings.TrimSpace(string(b)))
		if err != nil || err2 != nil {
			return
		}
		line, err := os.ReadFile(fmt.Sprintf("/proc/%d/cmdline", pid))
		if err != nil || !strings.Contains(string(line), s.path("data")) {
			_ = os.Remove(s.path("run", "db.pid"))
			return
		}
		signal := syscall.SIGTERM
		if time.Since(began) > patience {
			signal = syscall.SIGKILL
		}
		_ = syscall.Kill(pid, signal)
		time.Sleep(50 * time.Millisecond)
	}
}

// answer waits until the server takes a connection.
func (s *Server) answer(ctx context.Context) error {
	ctx, cancel := context.WithTimeout(ctx, wait)
	defer cancel()
	db, err := sql.Open("mysql", s.DSN(""))
	if err != nil {
		return err
	}
	defer func() { _ = db.Close() }()
	for {
		if err = db.PingContext(ctx); err == nil {
			return nil
		}
		s.mu.Lock()
		ends := s.ends
		s.mu.Unlock()
		if ends >= endsAtStart {
			return s.wrong(errors.New("the database ends as soon as it is started"))
		}
		select {
		case <-ctx.Done():
			return s.wrong(fmt.Errorf("the database does not answer: %w", err))
		case <-time.After(30 * time.Millisecond):
		}
	}
}

// DSN returns the address of a database on the server.
func (s *Server) DSN(database string) string {
	c := mysql.NewConfig()
	c.User, c.Passwd, c.Net, c.Addr, c.DBName = user, s.password, "tcp", "127.0.0.1:"+strconv.Itoa(s.port), database
	return c.FormatDSN()
}

// Close stops the server in order and waits for it.
func (s *Server) Close() error {
	s.mu.Lock()
	s.closing = true
	if s.cmd != nil {
		_ = s.cmd.Process.Signal(syscall.SIGTERM)
	}
	s.mu.Unlock()
	select {
	case <-s.done:
		return nil
	case <-time.After(patience):
	}
	s.mu.Lock()
	if s.cmd != nil {
		_ = s.cmd.Process.Kill()
	}
	s.mu.Unlock()
	<-s.done
	s.o.Log.Warn("the database did not stop in time and was killed; it recovers at its next start")
	return nil
}
