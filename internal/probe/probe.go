package probe

import (
	"bufio"
	"context"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"time"
)

// Options say how a folder is measured.
type Options struct {
	Codecs  []Codec
	Cores   []int  // 1, all
	Most    int64  // bytes of the tree that are packed, a sample of its files; 0: all
	Scratch string // folder for archives and unpacked trees; absent: the system's
	Unpack  bool
	Store   *Store // nil: no transfers
	Lists   *Lists // nil: all of the folder
	Flows   int    // at the same time, to find what they share
	Ship    int64  // bytes of an archive that are sent and brought, at most
}

// Packing is how one codec did.
type Packing struct {
	Codec   string  `json:"codec" doc:"Compression and level."`
	Cores   int     `json:"cores" doc:"Cores that it packed on."`
	Seconds float64 `json:"seconds" doc:"Time to read the files and pack them."`
	Read    int64   `json:"read" doc:"Bytes of files that were packed."`
	Packed  int64   `json:"packed" doc:"Bytes of the archive."`
	Unpack  float64 `json:"unpackSeconds" doc:"Time to unpack them again onto a disk; 0: not measured."`
	// Whole is the size of the archive of the whole tree.
	Whole int64 `json:"whole" doc:"Bytes of the archive of the whole tree, by what the sample came to."`
}

// Rate is bytes of the archive a second of packing, as a cluster's facts have it.
func (p Packing) Rate() float64 { return float64(p.Packed) / p.Seconds }

// UnpackRate is likewise of unpacking; 0: not measured.
func (p Packing) UnpackRate() float64 {
	if p.Unpack == 0 {
		return 0
	}
	return float64(p.Packed) / p.Unpack
}

// Slowed says how many times as long the first archive took to unpack when all others had
// been unpacked; 1 where that was not measured.
func (r *Report) Slowed() float64 {
	if len(r.Packings) == 0 || r.Packings[0].Unpack == 0 || r.Again == 0 {
		return 1
	}
	return r.Again / r.Packings[0].Unpack
}

// A Report is what was measured.
type Report struct {
	Folder   string    `json:"folder" doc:"Folder that was packed."`
	Host     string    `json:"host" doc:"Machine that it was measured on."`
	At       time.Time `json:"at" doc:"When."`
	Zstd     string    `json:"zstd" doc:"What zstd was: the reference library, or one in Go, which packs somewhat slower."`
	Tree     Tree      `json:"tree" doc:"What is in it."`
	Share    float64   `json:"share" doc:"Share of its bytes that were packed, 0 to 1."`
	Reading  float64   `json:"readingSeconds" doc:"Time to read what is packed once, before anything was in memory for sure."`
	Packings []Packing `json:"packings" doc:"How each codec did."`
	// Again holds times of unpacking against the disk: it may slow down as it is written to.
	Again   float64    `json:"unpackAgainSeconds" doc:"Time to unpack the first codec's archive once more, when all others had been; 0: not measured."`
	Carried *Transfers `json:"transfers,omitempty" doc:"What the store did; absent without one."`
}

// Progress is told the share that is done, 0 to 1, and what is being done.
type Progress func(done float64, what string)

// Run measures a folder. What it writes is gone when it ends, however it ends.
func Run(ctx context.Context, folder string, o Options, tell Progress) (*Report, error) {
	host, _ := os.Hostname()
	r := &Report{Folder: folder, Host: host, At: time.Now().UTC(), Zstd: zstdIs}
	tell(0, "counting")
	var err error
	if r.Tree, err = lookAt(ctx, folder, o.Lists); err != nil {
		return nil, err
	}
	if r.Tree.Files == 0 {
		return nil, fmt.Errorf("no file in %s can be read", folder)
	}
	scratch, err := os.MkdirTemp(o.Scratch, "tachyphor-probe-")
	if err != nil {
		return nil, fmt.Errorf("cannot make a scratch folder: %w", err)
	}
	defer func() { _ = os.RemoveAll(scratch) }()
	m := &measurement{ctx: ctx, folder: folder, scratch: scratch, sample: sampleOf(r.Tree, o.Most), lists: o.Lists, tell: tell}
	passes := 1.0 + float64(len(o.Codecs)*len(o.Cores))
	if o.Unpack {
		passes += float64(len(o.Codecs)) + 2 // the first once more
	}
	each := r.Tree.Bytes
	if m.sample != nil {
		each = o.Most
	}
	m.total = passes * float64(each)
	m.begin("reading")
	began := time.Now()
	read, err := pack(ctx, folder, m.sample, o.Lists, io.Discard, m.add)
	if err != nil {
		return nil, err
	}
	r.Reading = time.Since(began).Seconds()
	r.Tree.Unreadable, r.Tree.Changed = read.Unreadable, read.Changed
	got := m.bytes
	r.Share = float64(got) / float64(max(r.Tree.Bytes, 1))
	if r.Share == 0 {
		return nil, fmt.Errorf("nothing of %s could be read", folder)
	}
	m.total = passes * float64(got)
	for _, c := range o.Codecs {
		for i, cores := range o.Cores {
			p, err := m.packing(c, cores, o.Unpack && i == 0)
			if err != nil {
				return nil, err
			}
			if i > 0 {
				p.Unpack = r.Packings[len(r.Packings)-1].Unpack // unpacking is on one core either way
			}
			p.Whole = int64(float64(p.Packed) / r.Share)
			r.Packings = append(r.Packings, p)
		}
	}
	if o.Unpack {
		p, err := m.packing(o.Codecs[0], o.Cores[0], true)
		if err != nil {
			return nil, err
		}
		r.Again = p.Unpack
	}
	if o.Store != nil {
		if r.Carried, err = o.Store.measure(ctx, o, func(x float64) { tell(x, "carrying") }); err != nil {
			return nil, err
		}
	}
	tell(1, "done")
	return r, nil
}

// measurement is the work on one folder.
type measurement struct {
	ctx     context.Context
	folder  string
	scratch string
	sample  *Sample
	lists   *Lists
	tell    Progress
	what    string
	bytes   int64
	total   float64
	told    time.Time
}

// begin tells what comes next.
func (m *measurement) begin(what string) {
	m.what, m.told = what, time.Time{}
	m.add(0)
}

// add counts bytes that were read or written, and tells now and then.
func (m *measurement) add(n int64) {
	m.bytes += n
	if now := time.Now(); now.Sub(m.told) > 100*time.Millisecond {
		m.told = now
		m.tell(min(float64(m.bytes)/max(m.total, 1), 1), m.what)
	}
}

// packing packs with one codec into the scratch folder, and unpacks that there.
func (m *measurement) packing(c Codec, cores int, again bool) (Packing, error) {
	p := Packing{Codec: c.Name, Cores: cores}
	file := filepath.Join(m.scratch, "archive")
	f, err := os.Create(file)
	if err != nil {
		return p, err
	}
	defer func() { _, _ = f.Close(), os.Remove(file) }()
	m.begin(fmt.Sprintf("packing with %s on %d", c.Name, cores))
	out := &counter{w: f}
	before := m.bytes
	began := time.Now()
	z, err := c.pack(out, c.Level, cores)
	if err != nil {
		return p, err
	}
	_, err = pack(m.ctx, m.folder, m.sample, m.lists, z, m.add)
	if cerr := z.Close(); err == nil {
		err = cerr
	}
	p.Seconds = max(time.Since(began).Seconds(), 1e-6)
	if err != nil {
		return p, err
	}
	p.Read, p.Packed = m.bytes-before, out.n
	if !again {
		return p, nil
	}
	m.begin("unpacking " + c.Name)
	if _, err := f.Seek(0, io.SeekStart); err != nil {
		return p, err
	}
	to := filepath.Join(m.scratch, "unpacked")
	if err := os.Mkdir(to, 0o700); err != nil {
		return p, err
	}
	defer func() { _ = os.RemoveAll(to) }()
	began = time.Now()
	u, err := c.unpack(bufio.NewReaderSize(f, 1<<20))
	if err != nil {
		return p, err
	}
	err = unpack(m.ctx, u, to, m.add)
	_ = u.Close()
	p.Unpack = max(time.Since(began).Seconds(), 1e-6)
	return p, err
}

// counter counts what goes through.
type counter struct {
	w io.Writer
	n int64
}

// Write writes on.
func (c *counter) Write(b []byte) (int, error) {
	n, err := c.w.Write(b)
	c.n += int64(n)
	return n, err
}
