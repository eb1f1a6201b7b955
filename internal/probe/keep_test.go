package probe

import (
	"bytes"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"tachyphor/core/caching"

	"github.com/go-git/go-git/v5"
	"github.com/go-git/go-git/v5/plumbing/object"
)

// A workspace in two builds: sources under version control, dependencies that stay,
// products that are new each time, and a little something.
func TestWhatToKeep(t *testing.T) {
	root := t.TempDir()
	repo, err := git.PlainInit(root, false)
	if err != nil {
		t.Fatal(err)
	}
	tree, err := repo.Worktree()
	if err != nil {
		t.Fatal(err)
	}
	commit := func(subject string, files map[string]string) {
		t.Helper()
		for name, text := range files {
			put(t, filepath.Join(root, name), []byte(text))
			if _, err := tree.Add(name); err != nil {
				t.Fatal(err)
			}
		}
		if _, err := tree.Commit(subject, &git.CommitOptions{Author: &object.Signature{
			Name: "Ada Marsh", Email: "ada@brinewell.example",
			When: time.Date(2026, 9, 1, 0, 0, 0, 0, time.UTC),
		}}); err != nil {
			t.Fatal(err)
		}
	}
	commit("Begin", map[string]string{"go.sum": "one", "src/big.txt": strings.Repeat("chart ", 300_000)})
	commit("Work", map[string]string{"src/a.txt": "a"})
	commit("Raise a dependency", map[string]string{"go.sum": "two"})
	commit("Work on", map[string]string{"src/a.txt": "b"})
	build := func(n int) {
		for i := range 40 {
			put(t, filepath.Join(root, "deps", "mod", fmt.Sprint("m", i), "lib.go"), bytes.Repeat(fmt.Appendf(nil, "func m%d() {}\n", i), 4000))
			put(t, filepath.Join(root, "out", fmt.Sprint("o", i)), bytes.Repeat(fmt.Appendf(nil, "build %d of %d ", n, i), 5000))
		}
		put(t, filepath.Join(root, "tmp", "note"), []byte("x"))
	}
	build(1)
	before, err := Take(t.Context(), root, func(float64) {})
	if err != nil {
		t.Fatal(err)
	}
	var file bytes.Buffer
	if err := before.Write(&file); err != nil {
		t.Fatal(err)
	}
	if before, err = ReadSnapshot(&file); err != nil {
		t.Fatal(err)
	}
	build(2)
	after, err := Take(t.Context(), root, func(float64) {})
	if err != nil {
		t.Fatal(err)
	}
	r, err := OpenRepository(root)
	if err != nil {
		t.Fatal(err)
	}
	tracked, err := r.Tracked()
	if err != nil {
		t.Fatal(err)
	}
	parts := after.Parts(before, func(name string) bool { return tracked[name] || strings.HasPrefix(name, ".git/") })
	at := map[string]*caching.Part{}
	for i := range parts {
		at[parts[i].Path] = &parts[i]
	}
	deps := at["deps/mod"]
	if deps == nil || deps.Files != 40 || deps.Same != deps.Bytes || deps.Source != 0 || deps.Ratio > 0.2 {
		t.Fatalf("%+v of %+v", deps, parts)
	}
	if out := at["out"]; out.Same != 0 || out.Files != 40 {
		t.Errorf("%+v", out)
	}
	if src := at["src"]; src.Source != src.Bytes {
		t.Errorf("%+v", src)
	}
	deps.Seconds, at["out"].Seconds = 20, 20 // a test is quicker than a download
	list := caching.Weigh(parts, caching.Terms{Down: 90e6, Up: 12e6, Pack: 60e6, Unpack: 180e6, Change: 0.1}, true)
	says := map[string]string{}
	for _, v := range list {
		says[v.Path] = v.Do + ": " + v.Why
	}
	for path, want := range map[string]string{
		"deps/mod": "keep: spares ", "out": "leave out: 100 % of it is new in every build",
		"tmp": "leave out: too little", "src": "comes with the source",
	} {
		if !strings.HasPrefix(says[path], want) {
			t.Errorf("%s: %s", path, says[path])
		}
	}
	if kept := caching.Includes(list); !slices.Equal(kept, []string{"deps/mod/"}) {
		t.Errorf("%v", kept)
	}
	// Over a slow link it is sooner got again.
	if kept := caching.Includes(caching.Weigh(parts, caching.Terms{Down: 10, Change: 0.1}, true)); len(kept) != 0 {
		t.Errorf("%v", kept)
	}

	locks := after.Locks([]string{"deps/mod/"})
	if !slices.Equal(locks, []string{"go.sum"}) {
		t.Fatalf("%v", locks)
	}
	one, err := Key(root, locks)
	if err != nil {
		t.Fatal(err)
	}
	h, err := r.Look(t.Context(), locks)
	if err != nil || h.Commits != 4 || len(h.Turns) != 1 || h.Turns[0].Subject != "Raise a dependency" {
		t.Errorf("%v %+v", err, h)
	}
	put(t, filepath.Join(root, "go.sum"), []byte("three"))
	if two, err := Key(root, locks); err != nil || two == one {
		t.Error("the key did not change with its file", err)
	}
	if again, _ := Key(root, []string{"src/a.txt", "go.sum"}); again == "" {
		t.Error("no key of two files")
	}
	if err := os.Symlink("/etc/passwd", filepath.Join(root, "yarn.lock")); err != nil {
		t.Fatal(err)
	}
	if _, err := Key(root, []string{"yarn.lock"}); err == nil {
		t.Error("a lock file that leads out of the folder was read")
	}
	if _, err := OpenRepository(filepath.Join(root, "src")); err == nil {
		t.Error("a repository above the folder was read")
	}
}

func TestSnapshotsThatAreNone(t *testing.T) {
	for _, text := range []string{"", "plain", "\x1f\x8b"} {
		if _, err := ReadSnapshot(strings.NewReader(text)); err == nil {
			t.Errorf("%q was read", text)
		}
	}
}

// A workspace of many folders takes no more memory than one of few: only the folders that
// are being walked have a packer.
func TestManyFoldersTakeNoMemory(t *testing.T) {
	root := t.TempDir()
	for i := range 1200 {
		dir := filepath.Join(root, fmt.Sprint("d", i%40), fmt.Sprint("e", i))
		if err := os.MkdirAll(dir, 0o700); err != nil {
			t.Fatal(err)
		}
		if err := os.WriteFile(filepath.Join(dir, "f"), bytes.Repeat([]byte("ab"), 500), 0o600); err != nil {
			t.Fatal(err)
		}
	}
	before := resident(t)
	s, err := Take(t.Context(), root, func(float64) {})
	if err != nil {
		t.Fatal(err)
	}
	if s.Tree.Files != 1200 || len(s.parts) != 1240 {
		t.Errorf("%d files in %d folders", s.Tree.Files, len(s.parts))
	}
	for name, p := range s.parts {
		if p.sample.z != nil || p.sample.in == 0 {
			t.Fatalf("%s: %d bytes sampled, still open: %t", name, p.sample.in, p.sample.z != nil)
		}
	}
	if grown := resident(t) - before; grown > 200<<20 {
		t.Errorf("grew by %d MiB", grown>>20)
	}
}

// resident is the most memory that this process has had.
func resident(t *testing.T) int64 {
	t.Helper()
	b, err := os.ReadFile("/proc/self/status")
	if err != nil {
		t.Fatal(err)
	}
	var kib int64
	for line := range strings.Lines(string(b)) {
		if rest, ok := strings.CutPrefix(line, "VmHWM:"); ok {
			if _, err := fmt.Sscan(rest, &kib); err != nil {
				t.Fatal(err)
			}
		}
	}
	return kib << 10
}
