package probe

import (
	"archive/tar"
	"bufio"
	"context"
	"errors"
	"fmt"
	"hash/maphash"
	"io"
	"os"
	"path/filepath"
	"strings"
	"time"

	"golang.org/x/sys/unix"
)

// copyBuffer is how much of a file is read at a time.
const copyBuffer = 256 << 10

// A Sample takes a share of a tree's files, by a hash of their names, so that small and
// large, text and binaries are in it as they are in the tree.
type Sample struct {
	Share float64 // of the files, 0 to 1
	seed  maphash.Seed
}

// takes reports whether a file is in the sample.
func (s *Sample) takes(name string) bool {
	if s == nil || s.Share >= 1 {
		return true
	}
	return float64(maphash.String(s.seed, name)>>11)/(1<<53) < s.Share
}

// sampleOf is the sample of about so many bytes of a tree; nil is all of it. A tree that
// is mostly one large file is taken whole.
func sampleOf(t Tree, most int64) *Sample {
	if most <= 0 || t.Bytes <= most || t.Largest > most/2 {
		return nil
	}
	return &Sample{Share: float64(most) / float64(t.Bytes), seed: maphash.MakeSeed()}
}

// pack writes a folder's tree as a tar archive. tell is told of bytes that were read.
func pack(ctx context.Context, root string, sample *Sample, lists *Lists, out io.Writer, tell func(n int64)) (Tree, error) {
	t := Tree{lists: lists}
	buffered := bufio.NewWriterSize(out, 1<<20)
	w := tar.NewWriter(buffered)
	buf := make([]byte, copyBuffer)
	h := &tar.Header{}
	err := walk(ctx, root, &t, func(e *entry, open func() (int, error)) error {
		if !e.regular() {
			return header(w, h, e)
		}
		if !sample.takes(e.name) {
			return nil
		}
		fd, err := open()
		if err != nil {
			t.Files--
			t.Bytes -= e.stat.Size
			t.Unreadable++
			return nil
		}
		defer func() { _ = unix.Close(fd) }()
		if err := header(w, h, e); err != nil {
			return err
		}
		return content(ctx, w, descriptor(fd), e.stat.Size, buf, &t, tell)
	})
	if err == nil {
		err = w.Close()
	}
	if err == nil {
		err = buffered.Flush()
	}
	return t, err
}

// A descriptor is an open file, without what is only needed to wait for files.
type descriptor int

// Read reads some.
func (d descriptor) Read(b []byte) (int, error) {
	for {
		n, err := unix.Read(int(d), b)
		switch {
		case errors.Is(err, unix.EINTR):
			continue
		case err != nil:
			return 0, err
		case n == 0:
			return 0, io.EOF
		}
		return n, nil
	}
}

// header writes an entry's header, into h to begin with.
func header(w *tar.Writer, h *tar.Header, e *entry) error {
	*h = tar.Header{
		Name: e.name, Mode: int64(e.stat.Mode & 0o7777), Uid: int(e.stat.Uid), Gid: int(e.stat.Gid),
		ModTime: time.Unix(e.stat.Mtim.Sec, 0), Typeflag: tar.TypeReg, Size: e.stat.Size,
	}
	switch e.stat.Mode & unix.S_IFMT {
	case unix.S_IFDIR:
		h.Typeflag, h.Size = tar.TypeDir, 0
		h.Name += "/"
	case unix.S_IFLNK:
		h.Typeflag, h.Size, h.Linkname = tar.TypeSymlink, 0, e.link
	}
	return w.WriteHeader(h)
}

// content copies a file of the size that its header says. One that shrank meanwhile is
// filled up with zeros, one that grew is cut: the archive stays whole.
func content(ctx context.Context, w io.Writer, f io.Reader, size int64, buf []byte, t *Tree, tell func(int64)) error {
	for left := size; left > 0; {
		if err := ctx.Err(); err != nil {
			return err
		}
		n, err := f.Read(buf[:min(left, int64(len(buf)))])
		if n > 0 {
			if _, err := w.Write(buf[:n]); err != nil {
				return err
			}
			left -= int64(n)
			tell(int64(n))
		}
		if err != nil && left > 0 {
			t.Changed++
			clear(buf)
			for left > 0 {
				k := min(left, int64(len(buf)))
				if _, err := w.Write(buf[:k]); err != nil {
					return err
				}
				left -= k
				tell(k)
			}
		}
	}
	return nil
}

// errOutside says that an archive would write outside of its folder; ours never do.
var errOutside = errors.New("an entry of the archive leads out of the folder")

// unpack writes an archive's files into a folder.
func unpack(ctx context.Context, in io.Reader, folder string, tell func(n int64)) error {
	r := tar.NewReader(bufio.NewReaderSize(in, 1<<20))
	buf := make([]byte, copyBuffer)
	for {
		h, err := r.Next()
		if errors.Is(err, io.EOF) {
			return nil
		}
		if err != nil {
			return err
		}
		if err := ctx.Err(); err != nil {
			return err
		}
		name := filepath.Clean(strings.TrimSuffix(h.Name, "/"))
		if !filepath.IsLocal(name) {
			return errOutside
		}
		to := filepath.Join(folder, name)
		switch h.Typeflag {
		case tar.TypeDir:
			err = os.MkdirAll(to, 0o700)
		case tar.TypeReg:
			err = unpackFile(r, to, buf, tell)
		} // links are of no weight, and are left out
		if err != nil {
			return err
		}
	}
}

func unpackFile(r io.Reader, to string, buf []byte, tell func(int64)) error {
	f, err := os.OpenFile(to, os.O_CREATE|os.O_WRONLY|os.O_TRUNC, 0o600)
	if errors.Is(err, os.ErrNotExist) { // its folder was not in the sample's order
		if err := os.MkdirAll(filepath.Dir(to), 0o700); err != nil {
			return err
		}
		f, err = os.OpenFile(to, os.O_CREATE|os.O_WRONLY|os.O_TRUNC, 0o600)
	}
	if err != nil {
		return err
	}
	n, err := io.CopyBuffer(struct{ io.Writer }{f}, r, buf)
	tell(n)
	if cerr := f.Close(); err == nil {
		err = cerr
	}
	if err != nil {
		return fmt.Errorf("cannot unpack: %w", err)
	}
	return nil
}
