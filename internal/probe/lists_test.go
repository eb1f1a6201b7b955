package probe

import (
	"archive/tar"
	"bytes"
	"context"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
)

func TestListsTake(t *testing.T) {
	l := &Lists{Include: []string{"deps/", "build/*/cache"}, LeaveOut: []string{"*.log", "deps/big"}}
	for name, want := range map[string][2]bool{
		"deps": {true, true}, "deps/a/b": {true, true}, "deps/x.log": {false, false}, "deps/big": {false, false}, "deps/big/1": {false, false},
		"build": {false, true}, "build/one": {false, true}, "build/one/cache": {true, true}, "build/one/cache/z": {true, true}, "depsy": {false, true},
	} {
		if packed, below := l.takes(name); packed != want[0] || !packed && want[1] != below {
			t.Errorf("%s: %v, %v", name, packed, below)
		}
	}
	if packed, _ := (*Lists)(nil).takes("x"); !packed {
		t.Error("without lists something is left out")
	}
	only := &Lists{Include: []string{"a/b/c"}}
	for name, below := range map[string]bool{"a": true, "a/b": true, "a/x": false, "z": false} {
		if packed, more := only.takes(name); packed || more != below {
			t.Errorf("%s: %v, %v", name, packed, more)
		}
	}
	for _, bad := range []string{"[", "", "/"} {
		if (&Lists{LeaveOut: []string{bad}}).Check() == nil {
			t.Errorf("%q is taken", bad)
		}
	}
}

// What the lists take is packed, and can be unpacked.
func TestListsPack(t *testing.T) {
	root := t.TempDir()
	for _, name := range []string{"deps/a", "deps/x.log", "deps/deep/b", "src/main", "build/one/cache/z", "build/one/out"} {
		if err := os.MkdirAll(filepath.Join(root, filepath.Dir(name)), 0o755); err != nil {
			t.Fatal(err)
		}
		if err := os.WriteFile(filepath.Join(root, name), []byte("text"), 0o600); err != nil {
			t.Fatal(err)
		}
	}
	var out bytes.Buffer
	lists := &Lists{Include: []string{"deps", "build/*/cache"}, LeaveOut: []string{"*.log"}}
	tree, err := pack(context.Background(), root, nil, lists, &out, func(int64) {})
	if err != nil {
		t.Fatal(err)
	}
	var files []string
	for r := tar.NewReader(bytes.NewReader(out.Bytes())); ; {
		h, err := r.Next()
		if err != nil {
			break
		}
		if h.Typeflag == tar.TypeReg {
			files = append(files, h.Name)
		}
	}
	slices.Sort(files)
	if got := strings.Join(files, " "); got != "build/one/cache/z deps/a deps/deep/b" || tree.Files != 3 || tree.LeftOut == 0 {
		t.Errorf("%s, %+v", got, tree)
	}
	to := t.TempDir()
	if err := unpack(context.Background(), &out, to, func(int64) {}); err != nil {
		t.Fatal(err)
	}
	if b, err := os.ReadFile(filepath.Join(to, "build/one/cache/z")); err != nil || string(b) != "text" {
		t.Error(err)
	}
	if look, err := lookAt(context.Background(), root, lists); err != nil || look.Files != 3 {
		t.Errorf("%v %+v", err, look)
	}
}
