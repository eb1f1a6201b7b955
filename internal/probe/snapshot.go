package probe

import (
	"bufio"
	"compress/gzip"
	"context"
	"errors"
	"fmt"
	"io"
	"path"
	"slices"
	"strconv"
	"strings"

	"tachyphor/core/caching"

	"github.com/cespare/xxhash/v2"
	"golang.org/x/sys/unix"
)

// A Snapshot is the files of a workspace at one moment.
type Snapshot struct {
	Tree  Tree
	files map[string]stamp
	parts map[string]*part // folders down to partDepth
}

// stamp tells one state of a file from another.
type stamp struct {
	size int64
	hash uint64
	at   int64 // last change of the file itself, ns since 1970
}

// part gathers what is known of a folder.
type part struct {
	bytes  int64
	sample *ratio
}

// Limits on what is told apart.
const (
	partDepth   = 3       // folders below the top
	sampleBytes = 4 << 20 // of a folder that are packed to see how it packs
	mostFiles   = 5_000_000
	mostBelow   = 12 // folders below one that are told apart for their sizes
)

// ratio packs the beginning of files to see how they pack.
type ratio struct {
	in  int64
	out counter
	z   io.WriteCloser // nil when it is closed
}

// close ends the sample; what comes later is not looked at.
func (r *ratio) close() {
	if r.z != nil {
		_ = r.z.Close()
		r.z = nil
	}
}

func newRatio() *ratio {
	r := &ratio{out: counter{w: io.Discard}}
	r.z, _ = packZstd(&r.out, 3, 1) // cannot fail with a level that there is
	return r
}

// Take reads every file of a folder.
func Take(ctx context.Context, folder string, tell func(done float64)) (*Snapshot, error) {
	look, err := Look(ctx, folder)
	if err != nil {
		return nil, err
	}
	if look.Files > mostFiles {
		return nil, fmt.Errorf("%d files are more than the %d that are told apart; name a folder below", look.Files, mostFiles)
	}
	s := &Snapshot{files: make(map[string]stamp, look.Files), parts: map[string]*part{}}
	read := int64(0)
	buf := make([]byte, copyBuffer)
	var open []*part // whose samples are, from the top down: folders are walked one within the other
	err = walk(ctx, folder, &s.Tree, func(e *entry, file func() (int, error)) error {
		if !e.regular() {
			return nil
		}
		fd, err := file()
		if err != nil {
			s.Tree.Unreadable++
			return nil
		}
		defer func() { _ = unix.Close(fd) }()
		f := descriptor(fd)
		st := stamp{size: e.stat.Size, at: e.stat.Ctim.Nano()}
		parts := s.partsOf(e.name)
		for i := len(open) - 1; i >= 0; i-- {
			if i >= len(parts) || parts[i] != open[i] { // left, not to be come back to
				open[i].sample.close()
			}
		}
		open = parts
		h := xxhash.New()
		for first := true; ; first = false {
			if err := ctx.Err(); err != nil {
				return err
			}
			n, err := f.Read(buf)
			_, _ = h.Write(buf[:n])
			if first && n > 0 {
				sampled(parts, buf[:n])
			}
			read += int64(n)
			if err != nil {
				if !errors.Is(err, io.EOF) {
					s.Tree.Changed++
				}
				break
			}
		}
		st.hash = h.Sum64()
		s.files[e.name] = st
		for _, p := range parts {
			p.bytes += st.size
		}
		tell(min(float64(read)/float64(max(look.Bytes, 1)), 1))
		return nil
	})
	for _, p := range open {
		p.sample.close()
	}
	return s, err
}

// sampled adds the beginning of a file to the samples of its folders.
func sampled(parts []*part, b []byte) {
	for _, p := range parts {
		if p.sample.z != nil && p.sample.in < sampleBytes {
			b := b[:min(int64(len(b)), sampleBytes-p.sample.in)]
			_, _ = p.sample.z.Write(b)
			if p.sample.in += int64(len(b)); p.sample.in == sampleBytes {
				p.sample.close()
			}
		}
	}
}

// partsOf are the folders that a file counts with; a file at the top counts with ".".
func (s *Snapshot) partsOf(name string) []*part {
	var out []*part
	dir := path.Dir(name)
	steps := strings.Split(dir, "/")
	for i := 1; i <= min(len(steps), partDepth); i++ {
		key := strings.Join(steps[:i], "/")
		p := s.parts[key]
		if p == nil {
			p = &part{sample: newRatio()}
			s.parts[key] = p
		}
		out = append(out, p)
	}
	return out
}

// pause is the longest time between two files that still belongs to the same work.
const pause = int64(30e9)

// busy is the time over which files were written, pauses left out, seconds.
func busy(at []int64) float64 {
	slices.Sort(at)
	sum := int64(0)
	for i := 1; i < len(at); i++ {
		if d := at[i] - at[i-1]; d <= pause {
			sum += d
		}
	}
	return float64(sum) / 1e9
}

// Parts are the folders of a workspace that are spoken of: those at the top, and where
// one below holds half of it, or several of a few a tenth each, those below too; each without
// what the others hold. before may be nil; source
// tells files that come from version control.
func (s *Snapshot) Parts(before *Snapshot, source func(name string) bool) []caching.Part {
	at := map[string]*caching.Part{}
	times := map[*caching.Part][]int64{}
	var out []*caching.Part
	for _, key := range s.chosen() {
		x := &caching.Part{Path: key, Ratio: 1}
		if p := s.parts[key]; p.sample.in > 0 {
			x.Ratio = min(float64(p.sample.out.n)/float64(p.sample.in), 1)
		}
		at[key] = x
		out = append(out, x)
	}
	for name, st := range s.files {
		x := holder(at, path.Dir(name))
		if x == nil {
			continue
		}
		x.Files, x.Bytes, times[x] = x.Files+1, x.Bytes+st.size, append(times[x], st.at)
		if before != nil {
			if old, there := before.files[name]; there && old.size == st.size && old.hash == st.hash {
				x.Same += st.size
			}
		}
		if source != nil && source(name) {
			x.Source += st.size
		}
	}
	list := []caching.Part{}
	for _, x := range out {
		if x.Seconds = busy(times[x]); x.Files > 0 {
			list = append(list, *x)
		}
	}
	return list
}

// holder is the part that a folder belongs to.
func holder(at map[string]*caching.Part, dir string) *caching.Part {
	for {
		if x := at[dir]; x != nil {
			return x
		}
		if dir == "." || dir == "/" {
			return nil
		}
		dir = path.Dir(dir)
	}
}

// chosen are the keys of the folders that are spoken of.
func (s *Snapshot) chosen() []string {
	below := map[string][]string{}
	var top []string
	for key := range s.parts {
		if i := strings.LastIndexByte(key, '/'); i >= 0 {
			below[key[:i]] = append(below[key[:i]], key)
		} else {
			top = append(top, key)
		}
	}
	var out []string
	var add func(key string)
	add = func(key string) {
		large, half := 0, false
		for _, k := range below[key] {
			large += min(int(s.parts[k].bytes*10/max(s.parts[key].bytes, 1)), 1)
			half = half || s.parts[k].bytes*2 >= s.parts[key].bytes
		}
		if half || large >= 2 && len(below[key]) <= mostBelow {
			for _, k := range below[key] {
				add(k)
			}
		}
		out = append(out, key)
	}
	for _, key := range top {
		add(key)
	}
	slices.Sort(out)
	return out
}

// snapshotHead is the first line of a snapshot's file.
const snapshotHead = "tachyphor snapshot 1"

// Write writes a snapshot, compressed.
func (s *Snapshot) Write(out io.Writer) error {
	z := gzip.NewWriter(out)
	w := bufio.NewWriter(z)
	fmt.Fprintln(w, snapshotHead)
	for name, st := range s.files {
		fmt.Fprintf(w, "%d\t%016x\t%d\t%s\n", st.size, st.hash, st.at, strconv.Quote(name))
	}
	if err := w.Flush(); err != nil {
		return err
	}
	return z.Close()
}

// ReadSnapshot reads what Write wrote. It knows the files, and no folders.
func ReadSnapshot(in io.Reader) (*Snapshot, error) {
	z, err := gzip.NewReader(in)
	if err != nil {
		return nil, errors.New("not a snapshot; `tachyphor keep FOLDER --write FILE` makes one")
	}
	lines := bufio.NewScanner(z)
	lines.Buffer(nil, 1<<20)
	if !lines.Scan() || lines.Text() != snapshotHead {
		return nil, errors.New("not a snapshot; `tachyphor keep FOLDER --write FILE` makes one")
	}
	s := &Snapshot{files: map[string]stamp{}}
	for n := 2; lines.Scan(); n++ {
		f := strings.SplitN(lines.Text(), "\t", 4)
		if len(f) != 4 || len(s.files) >= mostFiles {
			return nil, fmt.Errorf("line %d of the snapshot is damaged", n)
		}
		size, err1 := strconv.ParseInt(f[0], 10, 64)
		hash, err2 := strconv.ParseUint(f[1], 16, 64)
		at, err3 := strconv.ParseInt(f[2], 10, 64)
		name, err4 := strconv.Unquote(f[3])
		if err := errors.Join(err1, err2, err3, err4); err != nil {
			return nil, fmt.Errorf("line %d of the snapshot is damaged", n)
		}
		s.files[name] = stamp{size, hash, at}
	}
	return s, lines.Err()
}
