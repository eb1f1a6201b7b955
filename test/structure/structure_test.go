// Package structure holds the code against the rules it was built by.
package structure

import (
	"go/parser"
	"go/token"
	"io/fs"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"
)

const top = "../.."

// layers of the core, from the bottom: a package imports only those before it.
var layers = []string{
	"units", "table", "portable", "chance", "stats", "document", "template", "demand", "fleet", "review", "kit", "sizing", "caching", "sim", "outcome", "weigh", "explore", "learn",
}

// imports lists the imports of every Go file below a folder, tests left out.
func imports(t *testing.T, dir string) map[string][]string {
	t.Helper()
	out := map[string][]string{}
	err := filepath.WalkDir(filepath.Join(top, dir), func(path string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() || !strings.HasSuffix(path, ".go") || strings.HasSuffix(path, "_test.go") {
			return err
		}
		f, err := parser.ParseFile(token.NewFileSet(), path, nil, parser.ImportsOnly)
		if err != nil {
			return err
		}
		for _, i := range f.Imports {
			out[path] = append(out[path], strings.Trim(i.Path.Value, `"`))
		}
		return nil
	})
	if err != nil || len(out) == 0 {
		t.Fatal(err, len(out))
	}
	return out
}

// The core is pure: no I/O, no clock of its own, no framework, no interface; and
// its arrows point down.
func TestCoreImports(t *testing.T) {
	forbidden := []string{"os", "net", "net/http", "database/sql", "log", "log/slog", "math/rand", "math/rand/v2", "crypto/rand", "os/exec", "syscall"}
	// Mathematics, formats and how they are packed, work at once.
	plain := []string{
		"gonum.org/", "go.yaml.in/yaml/v3", "sigs.k8s.io/yaml", "golang.org/x/sync/",
		"github.com/parquet-go/", "github.com/klauspost/compress/", "github.com/andybalholm/brotli", "github.com/pierrec/lz4/",
	}
	for path, list := range imports(t, "core") {
		self := strings.Split(filepath.ToSlash(path), "/")[3]
		if !slices.Contains(layers, self) {
			t.Errorf("%s: the layer %s is not listed", path, self)
		}
		for _, i := range list {
			switch {
			case strings.HasPrefix(i, "tachyphor/core/"):
				if slices.Index(layers, strings.Split(i, "/")[2]) >= slices.Index(layers, self) {
					t.Errorf("%s imports %s, which is not below it", path, i)
				}
			case strings.HasPrefix(i, "tachyphor/"), slices.Contains(forbidden, i):
				t.Errorf("%s imports %s", path, i)
			case strings.HasPrefix(i, "k8s.io/"):
				if !strings.HasPrefix(i, "k8s.io/api/") && !strings.HasPrefix(i, "k8s.io/apimachinery/") {
					t.Errorf("%s imports %s", path, i)
				}
			case strings.Contains(i, "."):
				if !slices.ContainsFunc(plain, func(p string) bool { return strings.HasPrefix(i, p) }) {
					t.Errorf("%s imports %s", path, i)
				}
			}
		}
	}
}

// Nothing in the core asks what time it is.
func TestCoreReadsNoClock(t *testing.T) {
	for path := range imports(t, "core") {
		b, err := os.ReadFile(path)
		if err != nil {
			t.Fatal(err)
		}
		for _, call := range []string{"time.Now", "time.Since", "time.Sleep", "time.After"} {
			if strings.Contains(string(b), call) {
				t.Errorf("%s calls %s", path, call)
			}
		}
	}
}

// The same input gives the same bytes on every machine: no product of the core is fused
// with a sum where a machine can (arm64 stands for all that do), and nothing takes a
// function from package math that machines compute in ways of their own.
func TestCoreIsPortable(t *testing.T) {
	cmd := exec.Command("go", "build", "-gcflags=tachyphor/core/...=-S", "./core/...")
	cmd.Dir = top
	cmd.Env = append(os.Environ(), "GOARCH=arm64", "GOOS=linux", "CGO_ENABLED=0")
	out, err := cmd.CombinedOutput()
	if err != nil {
		t.Fatalf("%v: %.2000s", err, out)
	}
	fused := regexp.MustCompile(`\(([^()]*core/[^()]*)\)\s+(FN?M(?:ADD|SUB)[DS])\s`)
	products := 0
	for line := range strings.Lines(string(out)) {
		if strings.Contains(line, "FMULD") {
			products++
		}
		if m := fused.FindStringSubmatch(line); m != nil {
			_, place, _ := strings.Cut(m[1], "core/")
			t.Errorf("core/%s: %s; convert the product to float64", place, m[2])
		}
	}
	if products < 100 {
		t.Errorf("the listing shows %d products; is it one?", products)
	}
	ours := regexp.MustCompile(`\bmath\.(Exp|Exp2|Expm1|Log|Log1p|Log2|Pow|Erf|Erfc|Erfinv|Gamma|Lgamma|Sin|Cos|Tan|Cbrt|Hypot|FMA)\(`)
	for path := range imports(t, "core") {
		b, err := os.ReadFile(path)
		if err != nil {
			t.Fatal(err)
		}
		if m := ours.Find(b); m != nil && !slices.Contains(notOutcomes, filepath.ToSlash(strings.TrimPrefix(path, top+"/"))) {
			t.Errorf("%s takes %s from package math; take it from core/portable", path, m)
		}
	}
}

// notOutcomes are files whose figures are advice to three digits, not part of an outcome.
var notOutcomes = []string{"core/sizing/peaks.go", "core/stats/tolerance.go"}

// The command line and the console go through the HTTP interface: verbs do not
// reach into the records.
func TestCommandLineUsesTheInterface(t *testing.T) {
	for path, list := range imports(t, "internal/cli") {
		for _, i := range list {
			if i == "tachyphor/internal/store" || i == "tachyphor/internal/runs" || strings.HasPrefix(i, "gorm.io") {
				t.Errorf("%s imports %s", path, i)
			}
		}
	}
}
