// Package running starts the service for tests: in this process, or as a process
// of its own that can be killed.
package running

import (
	"bytes"
	"cmp"
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"tachyphor/client"
	"tachyphor/internal/child"
	"tachyphor/internal/kube"
	"tachyphor/internal/service"
	"tachyphor/internal/standin/cluster"
	"tachyphor/internal/work"
	"tachyphor/web"
	"tachyphor/wire"
)

// Start runs the service in this process on a fresh state folder, or on a copy of one, until the test
// ends.
func Start(t testing.TB, in ...*Folder) (*service.Service, *client.Client) {
	t.Helper()
	return StartAs(t, service.Config{Cluster: kube.Options{Kubeconfig: os.DevNull}}, in...)
}

// StartWithCluster is Start beside the demo's pretended cluster, to which no runs are given however slow
// this machine is: its pods would be this test. The cluster goes 40 times
// as fast as in life.
func StartWithCluster(t testing.TB, in ...*Folder) (*service.Service, *client.Client) {
	t.Helper()
	path := filepath.Join(t.TempDir(), "cluster.yaml")
	Cluster(t, path, 40)
	return StartAs(t, service.Config{
		Cluster: kube.Options{Kubeconfig: path}, Near: true, PodsIn: []string{work.AnyNamespace},
		Far: work.Far{Image: cluster.OwnImage, Least: time.Hour},
	}, in...)
}

// Cluster starts the demo's pretended cluster until the test ends, so much faster
// than in life, and writes a kubeconfig for it.
func Cluster(t testing.TB, kubeconfig string, speed float64) {
	t.Helper()
	c, err := cluster.StartDemo(kubeconfig, speed)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		if err := c.Close(); err != nil {
			t.Error(err)
		}
	})
}

// config fills in what every test has alike.
func config(c service.Config) service.Config {
	c.Address, c.Version, c.Console, c.Unsafe = cmp.Or(c.Address, "127.0.0.1:0"), "test", web.Console(), true
	c.Log = slog.New(slog.NewTextHandler(io.Discard, nil))
	return c
}

// StartAs is Start as a configuration says; what every test has alike is filled in.
func StartAs(t testing.TB, c service.Config, in ...*Folder) (*service.Service, *client.Client) {
	t.Helper()
	c = config(c)
	c.State = t.TempDir()
	for _, f := range in {
		if err := copyTo(c.State, f.path(t)); err != nil {
			t.Fatal(err)
		}
	}
	if c.Database == "" {
		if err := layDatabase(c.State); err != nil {
			t.Fatal(err)
		}
	}
	s, err := service.Start(context.Background(), c)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		if err := s.Close(); err != nil {
			t.Error(err)
		}
	})
	return s, &client.Client{Address: s.Access.Address, Token: s.Access.Token}
}

// built names the program as it is built already, by make test.
const built = "TACHYPHOR_PROGRAM"

// builtIn is where build put the program; empty: nowhere.
var builtIn string

// build puts the program where any user may run it.
var build = sync.OnceValues(func() (string, error) {
	dir, err := os.MkdirTemp("", "tachyphor-test-")
	if err != nil {
		return "", err
	}
	builtIn = dir
	path := filepath.Join(dir, "tachyphor")
	if from := os.Getenv(built); from != "" {
		err = copied(path, from)
	} else if out, fault := exec.Command("go", "build", "-tags", "nomsgpack", "-o", path, "tachyphor/cmd/tachyphor").CombinedOutput(); fault != nil {
		err = fmt.Errorf("%w\n%s", fault, out)
	}
	return path, errors.Join(err, os.Chmod(dir, 0o755), os.Chmod(path, 0o755))
})

func copied(to, from string) error {
	b, err := os.ReadFile(from)
	if err != nil {
		return err
	}
	return os.WriteFile(to, b, 0o600)
}

// Program returns the path of the program, which it builds once unless it is built already.
func Program(t testing.TB) string {
	t.Helper()
	path, err := build()
	if err != nil {
		t.Fatal(err)
	}
	return path
}

// Clean removes what was made once for all tests; call it at the end of TestMain.
func Clean() {
	for _, dir := range made.list {
		_ = os.RemoveAll(dir)
	}
	if builtIn != "" {
		_ = os.RemoveAll(builtIn)
	}
}

// A Process is the service as a process of its own.
type Process struct {
	State string
	cmd   *exec.Cmd
	ended chan struct{}
	log   *lines
}

// lines is a log that can be read while it is written.
type lines struct {
	mu  sync.Mutex
	buf bytes.Buffer
}

func (l *lines) Write(b []byte) (int, error) {
	l.mu.Lock()
	defer l.mu.Unlock()
	return l.buf.Write(b)
}

func (l *lines) String() string {
	l.mu.Lock()
	defer l.mu.Unlock()
	return l.buf.String()
}

// Serve starts `tachyphor serve` on a state folder and waits until it is ready. In a folder without a database it
// begins with one that was made before, where it runs as this process does.
// As may be nil, or say as whom to run.
func Serve(t testing.TB, state string, as *syscall.Credential, args ...string) (*Process, *client.Client) {
	t.Helper()
	if other := slices.ContainsFunc(args, func(a string) bool { return strings.HasPrefix(a, "--database") }); as == nil && !other {
		if err := layDatabase(state); err != nil {
			t.Fatal(err)
		}
	}
	p := Begin(t, state, as, args...)
	p.until(t, "ready", func() bool { return strings.Contains(p.log.String(), "\nSign in:") })
	access, err := wire.ReadAccess(state)
	if err != nil {
		t.Fatal(err)
	}
	return p, &client.Client{Address: access.Address, Token: access.Token}
}

// Begin is Serve that does not wait.
func Begin(t testing.TB, state string, as *syscall.Credential, args ...string) *Process {
	t.Helper()
	p := &Process{State: state, ended: make(chan struct{}), log: &lines{}}
	p.cmd = exec.Command(Program(t), append([]string{"serve", "--state", state, "--listen", "127.0.0.1:0"}, args...)...)
	p.cmd.Stderr = p.log
	p.cmd.SysProcAttr = &syscall.SysProcAttr{Credential: as}
	p.cmd.Dir = filepath.Dir(Program(t))
	wait, err := child.Start(p.cmd)
	if err != nil {
		t.Fatal(err)
	}
	go func() {
		_ = wait()
		close(p.ended)
	}()
	t.Cleanup(func() { p.Kill() })
	return p
}

// until waits for something, or fails with the log.
func (p *Process) until(t testing.TB, what string, is func() bool) {
	t.Helper()
	for deadline := time.Now().Add(4 * time.Minute); time.Now().Before(deadline); {
		if is() {
			return
		}
		select {
		case <-p.ended:
			t.Fatalf("the service ended before it was %s:\n%s", what, p.log)
		case <-time.After(20 * time.Millisecond):
		}
	}
	t.Fatalf("the service is not %s:\n%s", what, p.log)
}

// Pid is its process id.
func (p *Process) Pid() int { return p.cmd.Process.Pid }

// Log returns what the service has written.
func (p *Process) Log() string { return p.log.String() }

// Kill ends the process at once.
func (p *Process) Kill() {
	_ = p.cmd.Process.Kill()
	<-p.ended
}

// Stop ends the process in order and returns its exit status.
func (p *Process) Stop() int {
	_ = p.cmd.Process.Signal(os.Interrupt)
	<-p.ended
	return p.cmd.ProcessState.ExitCode()
}

// Database returns the process id of the database under a state folder, 0 if
// none runs.
func Database(state string) int {
	list, _ := filepath.Glob("/proc/[0-9]*/cmdline")
	for _, path := range list {
		b, err := os.ReadFile(path)
		if err == nil && bytes.Contains(b, []byte("mariadbd\x00")) &&
			bytes.Contains(b, []byte("--datadir="+filepath.Join(state, "mariadb")+"/")) {
			var pid int
			_, _ = fmt.Sscanf(path, "/proc/%d/", &pid)
			return pid
		}
	}
	return 0
}

// Link makes a link that signs into the console of a service once.
func Link(t testing.TB, s *service.Service) string {
	t.Helper()
	link, err := s.Link(context.Background())
	if err != nil {
		t.Fatal(err)
	}
	return link
}

// FreeAddress is an address of this machine that nobody listens on.
func FreeAddress(t testing.TB) string {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	defer func() { _ = l.Close() }()
	return l.Addr().String()
}
