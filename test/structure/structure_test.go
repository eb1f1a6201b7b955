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
	"units", "table", "portable", "chance", "stats", "aim", "live", "drift", "document", "shelf", "template", "demand", "fleet", "review", "kit", "sizing",
	"caching", "world", "sim", "paired", "outcome", "weigh", "doubt", "pulls", "backtest", "forecast", "explore", "learn",
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
	forbidden := []string{
		"os", "net", "net/http", "database/sql", "log", "log/slog", "math/rand", "math/rand/v2", "crypto/rand",
		"os/exec", "syscall",
	}
	// Mathematics, formats and how they are packed, work at once.
	plain := []string{
		"gonum.org/", "go.yaml.in/yaml/v3", "sigs.k8s.io/yaml", "golang.org/x/sync/",
		"github.com/parquet-go/", "github.com/klauspost/compress/", "github.com/andybalholm/brotli", "github.com/pierrec/lz4/",
		"golang.org/x/text/", "github.com/sosodev/duration",
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
				if !slices.Contains([]string{"api", "apimachinery", "component-helpers"}, strings.Split(i, "/")[1]) {
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

// reached lists every package that some packages are built with, those of the standard
// library apart.
func reached(t *testing.T, packages ...string) (ours, standard []string) {
	t.Helper()
	args := append([]string{"list", "-tags", "nomsgpack", "-deps", "-f", "{{.Standard}} {{.ImportPath}}"}, packages...)
	cmd := exec.Command("go", args...)
	cmd.Dir = top
	out, err := cmd.Output()
	if err != nil {
		t.Fatal(err)
	}
	for line := range strings.Lines(string(out)) {
		if path, ok := strings.CutPrefix(strings.TrimSpace(line), "true "); ok {
			standard = append(standard, path)
		} else {
			ours = append(ours, strings.TrimPrefix(strings.TrimSpace(line), "false "))
		}
	}
	if len(ours) < 2 || len(standard) < 20 {
		t.Fatalf("%v is built with %d packages and %d of the standard library; is it?", packages, len(ours), len(standard))
	}
	return ours, standard
}

// service are packages that serve or keep: what only the service itself is built with.
var service = []string{
	"gorm.io/", "github.com/go-sql-driver/", "github.com/gin-gonic/", "github.com/danielgtaylor/huma",
	"tachyphor/internal/api", "tachyphor/internal/mariadb", "tachyphor/internal/service",
	"tachyphor/internal/store",
	"tachyphor/internal/host", "tachyphor/internal/work",
}

func beginsWithAny(path string, with []string) bool {
	return slices.ContainsFunc(with, func(p string) bool { return strings.HasPrefix(path, p) })
}

// Nothing that the core is built with, however far down, speaks to a database or to other
// programs. (The types of Kubernetes bring net/http with them.)
func TestCoreReaches(t *testing.T) {
	ours, standard := reached(t, "./core/...")
	for _, p := range standard {
		if slices.Contains([]string{"database/sql", "os/exec"}, p) {
			t.Errorf("the core is built with %s", p)
		}
	}
	far := append([]string{"tachyphor/client", "tachyphor/wire", "tachyphor/internal/", "k8s.io/client-go", "github.com/spf13/cobra"},
		service...)
	for _, p := range ours {
		if beginsWithAny(p, far) {
			t.Errorf("the core is built with %s", p)
		}
	}
}

// A program that uses the client is built with the standard library, the messages, and
// values of the core; nothing else comes with it.
func TestClientReaches(t *testing.T) {
	core, _ := reached(t, "./core/...")
	ours, _ := reached(t, "./client")
	for _, p := range ours {
		if !slices.Contains(core, p) && p != "tachyphor/client" && p != "tachyphor/wire" {
			t.Errorf("the client is built with %s", p)
		}
	}
}

// The command line goes through the HTTP interface: its verbs do not reach into the
// records, directly or by what they import.
func TestCommandLineReaches(t *testing.T) {
	ours, standard := reached(t, "./internal/cli")
	for _, p := range append(ours, standard...) {
		if p == "database/sql" || beginsWithAny(p, service) {
			t.Errorf("the command line is built with %s", p)
		}
	}
}

// The messages are a leaf: they know values of the core, and nobody else's.
func TestWireIsALeaf(t *testing.T) {
	for path, list := range imports(t, "wire") {
		for _, i := range list {
			if strings.Contains(i, ".") || strings.HasPrefix(i, "tachyphor/") && !strings.HasPrefix(i, "tachyphor/core/") {
				t.Errorf("%s imports %s", path, i)
			}
		}
	}
}
