package running

import (
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"os"
	"os/exec"
	"path/filepath"
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

// path is where the folder is, made by the first who asks.
func (f *Folder) path(t testing.TB) string {
	t.Helper()
	f.once.Do(func() { f.dir, f.err = f.make() })
	if f.err != nil {
		t.Fatal(f.err)
	}
	return f.dir
}

// make has a service take in what the folder is to have.
func (f *Folder) make() (string, error) {
	dir, err := makeFolder()
	if err != nil {
		return "", err
	}
	if err := layDatabase(dir); err != nil {
		return "", err
	}
	c := config(service.Config{Cluster: kube.Options{Kubeconfig: os.DevNull}})
	c.State = dir
	s, err := service.Start(context.Background(), c)
	if err != nil {
		return "", err
	}
	err = f.fill(&client.Client{Address: s.Access.Address, Token: s.Access.Token})
	return dir, errors.Join(err, s.Close())
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

// copyTo lays a copy of a folder where none is yet. Most of what a database keeps is zeros.
func copyTo(to, from string) error {
	if err := os.MkdirAll(to, 0o700); err != nil {
		return err
	}
	if said, err := exec.Command("cp", "-r", "--sparse=always", from+"/.", to).CombinedOutput(); err != nil {
		return fmt.Errorf("cannot copy %s: %w\n%s", from, err, said)
	}
	return nil
}

// layDatabase lays a database into a state folder that has none yet, in which a service with a database of its own is
// about to start.
func layDatabase(state string) error {
	in := filepath.Join(state, "mariadb")
	if _, err := os.Stat(in); err == nil {
		return nil
	}
	from, err := empty()
	if err != nil {
		return err
	}
	return copyTo(in, from)
}
