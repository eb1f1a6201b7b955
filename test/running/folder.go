package running

import (
	"cmp"
	"context"
	"io"
	"log/slog"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"testing"

	"tachyphor/client"
	"tachyphor/internal/kube"
	"tachyphor/internal/mariadb"
	"tachyphor/internal/service"
)

// A Folder is a state folder in which a service has taken something in, made once; each test begins in a copy of its own.
type Folder struct {
	once sync.Once
	fill func(*client.Client) error
	dir  string
	err  error
}

// Filled prepares a folder in which a service takes in what fill gives it, once a test asks for a copy.
func Filled(fill func(*client.Client) error) *Folder { return &Folder{fill: fill} }

// made are the folders that are there for copies.
var made struct {
	sync.Mutex
	list []string
}

func makeFolder() (string, error) {
	dir, err := os.MkdirTemp("", "tachyphor-state-")
	made.Lock()
	defer made.Unlock()
	made.list = append(made.list, dir)
	return dir, err
}

// make has a service take in what the folder is to have.
func (f *Folder) make(t testing.TB) {
	t.Helper()
	f.once.Do(func() {
		if f.dir, f.err = makeFolder(); f.err != nil {
			return
		}
		c := config(service.Config{Cluster: kube.Options{Kubeconfig: os.DevNull}})
		if c.State = f.dir; f.err == nil {
			f.err = copyOf(empty, filepath.Join(f.dir, "mariadb"))
		}
		var s *service.Service
		if f.err == nil {
			s, f.err = service.Start(context.Background(), c)
		}
		if f.err == nil {
			f.err = cmp.Or(f.fill(&client.Client{Address: s.Access.Address, Token: s.Access.Token}), s.Close())
		}
	})
	if f.err != nil {
		t.Fatal(f.err)
	}
}

// empty is the folder of a database as its first start leaves it: most of what the first start of a service costs.
// The passwords in it are set anew at each start.
var empty = sync.OnceValues(func() (string, error) {
	dir, err := makeFolder()
	if err != nil {
		return "", err
	}
	s, err := mariadb.Start(context.Background(), mariadb.Options{Dir: dir, Unsafe: true, Log: slog.New(slog.NewTextHandler(io.Discard, nil))})
	if err != nil {
		return "", err
	}
	return dir, s.Close()
})

// copyOf lays a copy of a folder where none is yet. Most of what a database keeps is zeros.
func copyOf(from func() (string, error), to string) error {
	dir, err := from()
	if err == nil {
		err = os.MkdirAll(to, 0o700)
	}
	if err != nil {
		return err
	}
	return exec.Command("cp", "-r", "--sparse=always", dir+"/.", to).Run()
}

// prepare lays a database into a state folder that has none yet, in which a service with a database of its own is
// about to start.
func prepare(t testing.TB, state string, args ...string) {
	t.Helper()
	in := filepath.Join(state, "mariadb")
	if _, err := os.Stat(in); err == nil || slices.ContainsFunc(args, func(a string) bool { return strings.HasPrefix(a, "--database") }) {
		return
	}
	if err := copyOf(empty, in); err != nil {
		t.Fatal(err)
	}
}
