package probe

import (
	"archive/tar"
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"syscall"
	"testing"
	"time"

	"tachyphor/core/document"
	"tachyphor/core/units"
	"tachyphor/internal/standin/objects"
)

// put writes a file and the folders it is in.
func put(t testing.TB, path string, data []byte) {
	t.Helper()
	if err := os.MkdirAll(filepath.Dir(path), 0o755); err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(path, data, 0o644); err != nil {
		t.Fatal(err)
	}
}

// odd makes a folder with everything that is not a plain file in it, and a secret
// outside of it.
func odd(t *testing.T) string {
	t.Helper()
	dir := t.TempDir()
	put(t, filepath.Join(dir, "outside", "secret"), []byte("not to be read"))
	root := filepath.Join(dir, "workspace")
	put(t, filepath.Join(root, "src", "a.txt"), bytes.Repeat([]byte("shoal "), 5000))
	put(t, filepath.Join(root, "deep", "er", "b.bin"), []byte{1, 2, 3})
	put(t, filepath.Join(root, "empty"), nil)
	for name, to := range map[string]string{
		"inside": "src/a.txt", "up": "../outside/secret", "abs": filepath.Join(dir, "outside"),
		"deep/back": "../src", "deep/loop": ".",
	} {
		if err := os.Symlink(to, filepath.Join(root, name)); err != nil {
			t.Fatal(err)
		}
	}
	if err := os.Link(filepath.Join(root, "src", "a.txt"), filepath.Join(root, "twin.txt")); err != nil {
		t.Fatal(err)
	}
	f, err := os.Create(filepath.Join(root, "sparse"))
	if err != nil {
		t.Fatal(err)
	}
	if err := f.Truncate(8 << 20); err != nil {
		t.Fatal(err)
	}
	_ = f.Close()
	if err := syscall.Mkfifo(filepath.Join(root, "pipe"), 0o600); err != nil {
		t.Fatal(err)
	}
	return root
}

func TestOddTrees(t *testing.T) {
	root := odd(t)
	got, err := Look(t.Context(), root)
	if err != nil {
		t.Fatal(err)
	}
	want := Tree{
		Folders: 4, Files: 5, Bytes: 2*30000 + 3 + 8<<20, Largest: 8 << 20, Links: 5, Outside: 2, Sparse: 1, Holes: 8 << 20,
		Linked: 2, Special: 1,
	}
	if got != want {
		t.Errorf("got  %+v\nwant %+v", got, want)
	}
	var archive bytes.Buffer
	if _, err := pack(t.Context(), root, nil, nil, &archive, func(int64) {}); err != nil {
		t.Fatal(err)
	}
	if bytes.Contains(archive.Bytes(), []byte("not to be read")) {
		t.Error("a link out of the folder was followed")
	}
	names := map[string]byte{}
	r := tar.NewReader(bytes.NewReader(archive.Bytes()))
	for h, err := r.Next(); err == nil; h, err = r.Next() {
		names[h.Name] = h.Typeflag
	}
	for name, kind := range map[string]byte{
		"src/a.txt": tar.TypeReg, "deep/er/": tar.TypeDir, "up": tar.TypeSymlink,
		"deep/back": tar.TypeSymlink, "sparse": tar.TypeReg,
	} {
		if names[name] != kind {
			t.Errorf("%s is %q in the archive", name, names[name])
		}
	}
	if _, there := names["pipe"]; there {
		t.Error("a pipe was packed")
	}
	// It comes out as it went in.
	to := t.TempDir()
	if err := unpack(t.Context(), &archive, to, func(int64) {}); err != nil {
		t.Fatal(err)
	}
	for _, name := range []string{"src/a.txt", "deep/er/b.bin", "sparse", "empty", "twin.txt"} {
		a, err1 := os.ReadFile(filepath.Join(root, name))
		b, err2 := os.ReadFile(filepath.Join(to, name))
		if err := errors.Join(err1, err2); err != nil || !bytes.Equal(a, b) {
			t.Errorf("%s: %v", name, err)
		}
	}
	// An archive that leads out is not unpacked.
	var evil bytes.Buffer
	w := tar.NewWriter(&evil)
	_ = w.WriteHeader(&tar.Header{Name: "../out", Size: 1, Mode: 0o644, Typeflag: tar.TypeReg})
	_, _ = w.Write([]byte("x"))
	_ = w.Close()
	if err := unpack(t.Context(), &evil, filepath.Join(to, "in"), func(int64) {}); !errors.Is(err, errOutside) {
		t.Error(err)
	}
}

// shrinking gives less than its file said, and then fails.
type shrinking struct{ left int }

func (s *shrinking) Read(b []byte) (int, error) {
	if s.left == 0 {
		return 0, io.ErrUnexpectedEOF
	}
	n := min(s.left, len(b))
	s.left -= n
	return n, nil
}

// A file that shrinks while it is read leaves the archive whole, and is counted.
func TestFilesThatChange(t *testing.T) {
	var out bytes.Buffer
	var tree Tree
	w := tar.NewWriter(&out)
	if err := w.WriteHeader(&tar.Header{Name: "a", Size: 1000, Mode: 0o644, Typeflag: tar.TypeReg}); err != nil {
		t.Fatal(err)
	}
	if err := content(t.Context(), w, &shrinking{400}, 1000, make([]byte, 64), &tree, func(int64) {}); err != nil || w.Close() != nil ||
		tree.Changed != 1 {
		t.Errorf("%v %+v", err, tree)
	}
}

// Every codec gives back what it was given, on one core and on two.
func TestCodecs(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 1))
	data := make([]byte, 5<<20)
	for i := range data {
		data[i] = "aabbcdefgh tide\n"[r.IntN(1+i%16)]
	}
	for _, c := range Codecs() {
		for _, cores := range []int{1, 2} {
			var packed bytes.Buffer
			z, err := c.pack(&packed, c.Level, cores)
			if err != nil {
				t.Fatal(err)
			}
			if _, err := z.Write(data); err != nil || z.Close() != nil {
				t.Fatal(c.Name, err)
			}
			u, err := c.unpack(bytes.NewReader(packed.Bytes()))
			if err != nil {
				t.Fatal(err)
			}
			if got, err := io.ReadAll(u); err != nil || !bytes.Equal(got, data) {
				t.Errorf("%s on %d: %v, %d bytes", c.Name, cores, err, len(got))
			}
			if c.Level > 0 && packed.Len() > len(data)*95/100 {
				t.Errorf("%s packed %d bytes into %d", c.Name, len(data), packed.Len())
			}
		}
	}
}

// many makes so many small files.
func many(t testing.TB, root string, n int) {
	t.Helper()
	r := rand.New(rand.NewPCG(2, 3))
	for i := range n {
		b := make([]byte, 500+r.IntN(2000))
		for k := range b {
			b[k] = "abcdefgh \n"[r.IntN(10)]
		}
		put(t, filepath.Join(root, fmt.Sprint(i%7), fmt.Sprint(i%131), fmt.Sprint("f", i)), b)
	}
}

// A probe with a store, whose speeds it finds; its figures become facts of a cluster;
// nothing of it is left anywhere.
func TestProbe(t *testing.T) {
	root, scratch := t.TempDir(), t.TempDir()
	many(t, root, 4000)
	s, err := objects.Start(objects.Config{
		Access: "buoy", PerUp: 4_000_000, PerFlow: 16_000_000, Up: 6_000_000,
		Latency: 30 * units.Millisecond,
	})
	if err != nil {
		t.Fatal(err)
	}
	defer func() { _ = s.Close() }()
	store, err := OpenStore(s.Address, "buoy", "x")
	if err != nil {
		t.Fatal(err)
	}
	codecs := Codecs()
	last := 0.0
	o := Options{
		Codecs: []Codec{codecs[0], codecs[3]}, Cores: []int{1, 2}, Unpack: true, Scratch: scratch, Store: store, Flows: 4,
		Ship: 2 << 20, Most: 2 << 20,
	}
	r, err := Run(t.Context(), root, o, func(done float64, what string) {
		if what != "carrying" && what != "done" {
			if done < last-1e-9 || done > 1 {
				t.Errorf("progress goes from %v to %v at %s", last, done, what)
			}
			last = done
		}
	})
	if err != nil {
		t.Fatal(err)
	}
	if r.Tree.Files != 4000 || len(r.Packings) != 4 || r.Share < 0.3 || r.Share > 0.6 {
		t.Errorf("%+v, %v", r.Tree, r.Share)
	}
	for _, p := range r.Packings {
		if p.Read <= 0 || p.Packed <= 0 || p.Unpack <= 0 || p.Whole < p.Packed {
			t.Errorf("%+v", p)
		}
	}
	if r.Again <= 0 || r.Slowed() != r.Again/r.Packings[0].Unpack {
		t.Errorf("unpacked again in %v s, %v times as long", r.Again, r.Slowed())
	}
	if x := (&Report{Packings: []Packing{{Unpack: 2}}, Again: 5}); x.Slowed() != 2.5 || (&Report{Packings: []Packing{{}}}).Slowed() != 1 ||
		(&Report{Again: 1}).Slowed() != 1 {
		t.Error(x.Slowed())
	}
	none, z := r.Packings[0], r.Packings[2]
	// tar's own weight: a block of 512 and what fills the last.
	if none.Packed < none.Read || z.Packed > none.Packed/2 || none.Read != z.Read {
		t.Errorf("%+v %+v", none, z)
	}
	x := r.Carried
	// A busy machine carries more slowly, never faster than the store lets it.
	near := func(got, want float64) bool { return got > 0.2*want && got < 1.35*want }
	if !near(x.Up, 4e6) || !near(x.Down, 16e6) || !near(x.UpAll, 6e6) || x.DownAll <= x.Down || x.Latency < 0.03 || x.Latency > 2 {
		t.Errorf("%+v", x)
	}
	if n, err := s.Objects(); err != nil || n != 0 {
		t.Errorf("%d objects are left, %v", n, err)
	}
	if left, _ := os.ReadDir(scratch); len(left) != 0 {
		t.Errorf("%v is left", left)
	}

	chosen, err := r.Chosen("zstd-3", 1)
	if err != nil || chosen.Codec != "zstd-3" {
		t.Fatal(err)
	}
	if _, err := r.Chosen("gzip-6", 1); err == nil {
		t.Error("gzip was not measured")
	}
	text := "apiVersion: tachyphor/v1\nkind: Cluster\nmetadata: {name: c}\nspec: # facts\n  nodeTypes: [{name: n, cpu: 4, " +
		"memory: 16Gi, price: 1/h}]\n  pools: [{name: p, nodeType: n, max: 1}]\n  measured: [{fact: store.pack, value: 1MB/s, at: " +
		"2020-01-01T00:00:00Z}, {fact: other, value: x, at: 2020-01-01T00:00:00Z}]\n"
	spec := func(text string) *document.ClusterSpec {
		docs, faults := document.Parse("", []byte(text))
		if len(faults) > 0 {
			t.Fatalf("%v\n%s", faults, text)
		}
		return &docs[0].Value.(*document.Cluster).Spec
	}
	for range 2 { // the second time they take the place of the first
		out, err := document.Apply(text, r.Edits(spec(text), chosen))
		if err != nil {
			t.Fatal(err)
		}
		text = out
	}
	c := spec(text)
	if !near(float64(c.Store.Pack), chosen.Rate()) || c.Store.Unpack <= 0 || !near(float64(c.Links.Store.PerFlowUp), 4e6) ||
		!near(float64(c.Links.Store.Up), 6e6) || c.Links.Store.Down != 0 || c.Links.Store.Latency < 30*units.Millisecond {
		t.Errorf("%+v %+v", c.Store, c.Links.Store)
	}
	facts := []string{}
	for _, m := range c.Measured {
		facts = append(facts, m.Fact)
		if m.Fact == "store.pack" && (m.Where != r.Host || time.Since(m.At.Time) > time.Hour || !strings.Contains(m.How, "zstd-3 on one core")) {
			t.Errorf("%+v", m)
		}
	}
	slices.Sort(facts)
	if want := []string{
		"links.store.latency", "links.store.perFlow", "links.store.perFlowUp", "links.store.up", "other", "store.pack",
		"store.unpack",
	}; !slices.Equal(facts, want) {
		t.Errorf("%v", facts)
	}
}

// Cancelled at any moment, a probe leaves nothing in the store and nothing on the disk.
func TestProbeCancelled(t *testing.T) {
	root := t.TempDir()
	many(t, root, 300)
	s, err := objects.Start(objects.Config{PerUp: 1_000_000, Latency: 5 * units.Millisecond})
	if err != nil {
		t.Fatal(err)
	}
	defer func() { _ = s.Close() }()
	store, err := OpenStore(s.Address, "", "")
	if err != nil {
		t.Fatal(err)
	}
	for _, at := range []string{"packing with zstd-3 on 1", "unpacking zstd-3", "carrying"} {
		scratch := t.TempDir()
		ctx, cancel := context.WithCancel(t.Context())
		seen := 0
		o := Options{Codecs: Codecs()[3:4], Cores: []int{1}, Unpack: true, Scratch: scratch, Store: store, Flows: 3, Ship: 1 << 20}
		_, err := Run(ctx, root, o, func(_ float64, what string) {
			if what == at {
				if seen++; what != "carrying" || seen > 20 {
					cancel()
				}
			}
		})
		cancel()
		if at != "unpacking zstd-3" && !errors.Is(err, context.Canceled) { // it may be over before it is told
			t.Errorf("%s: %v", at, err)
		}
		if n, err := s.Objects(); err != nil || n != 0 {
			t.Errorf("%s: %d objects are left, %v", at, n, err)
		}
		if left, _ := os.ReadDir(scratch); len(left) != 0 {
			t.Errorf("%s: %v is left", at, left)
		}
	}
}

func TestProbeThatCannot(t *testing.T) {
	s, err := objects.Start(objects.Config{Access: "buoy"})
	if err != nil {
		t.Fatal(err)
	}
	defer func() { _ = s.Close() }()
	for address, says := range map[string]string{
		"ftp://x/y": "not the address", "http://127.0.0.1:1": "names no bucket",
		"http://127.0.0.1:1/a/b": "names no bucket",
	} {
		if _, err := OpenStore(address, "", ""); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%s: %v", address, err)
		}
	}
	root := t.TempDir()
	put(t, filepath.Join(root, "a"), []byte("x"))
	run := func(address, access string) error {
		store, err := OpenStore(address, access, "s")
		if err != nil {
			return err
		}
		_, err = Run(t.Context(), root, Options{Codecs: Codecs()[:1], Cores: []int{1}, Store: store, Ship: 1000}, func(float64, string) {})
		return err
	}
	if err := run(s.Address, "shark"); err == nil || !strings.Contains(err.Error(), "TACHYPHOR_STORE_ACCESS") {
		t.Error(err)
	}
	if err := run(strings.Replace(s.Address, "workspaces", "elsewhere", 1), "buoy"); err == nil ||
		!strings.Contains(err.Error(), "no such bucket") {
		t.Error(err)
	}
	if _, err := Run(t.Context(), t.TempDir(), Options{}, func(float64, string) {}); err == nil || !strings.Contains(err.Error(), "no file") {
		t.Error(err)
	}
	if _, err := Run(t.Context(), filepath.Join(root, "gone"), Options{}, func(float64, string) {}); err == nil {
		t.Error("a folder that is not there was probed")
	}
}
