package cli

import (
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"

	"tachyphor/core/document"

	"golang.org/x/sys/unix"
)

// errNotRegular says what a file has to be.
var errNotRegular = errors.New("not a regular file")

// open opens a file that the person named, or a pipe: without waiting for one who writes
// into it, and given up when the command is.
func (p *program) open(path string) (io.ReadCloser, error) {
	f, err := os.OpenFile(path, os.O_RDONLY|unix.O_NONBLOCK, 0)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", path, unwrapped(err))
	}
	info, err := f.Stat()
	switch {
	case err != nil:
	case info.IsDir():
		err = errors.New("a folder, where a file was expected")
	case info.Mode()&fs.ModeDevice != 0 && path != os.Stdin.Name():
		err = errors.New("a device, where a file was expected")
	}
	if err != nil {
		_ = f.Close()
		return nil, no(fmt.Errorf("%s: %w", path, unwrapped(err)))
	}
	return p.untilStopped(f), nil
}

// A stoppable is closed when the command is stopped, which ends a read that waits.
type stoppable struct {
	*os.File
	ctx  context.Context
	done func() bool
}

func (p *program) untilStopped(f *os.File) io.ReadCloser {
	if p.stopped == nil {
		return f
	}
	return &stoppable{f, p.stopped, context.AfterFunc(p.stopped, func() { _ = f.Close() })}
}

func (s *stoppable) Read(b []byte) (int, error) {
	n, err := s.File.Read(b)
	if err != nil && s.ctx.Err() != nil {
		err = s.ctx.Err()
	}
	return n, err
}

// Close closes the file.
func (s *stoppable) Close() error {
	s.done()
	return s.File.Close()
}

// openRecorded opens the recorded jobs that a workload names, a regular file at or below
// the folder of its document: a document says nothing of the rest of the machine.
func openRecorded(d *document.Document) (*os.File, error) {
	name := d.Value.(*document.Workload).Spec.Jobs.File
	root, err := os.OpenRoot(filepath.Dir(d.File))
	if err != nil {
		return nil, unwrapped(err)
	}
	defer func() { _ = root.Close() }()
	if !filepath.IsLocal(name) {
		return nil, errors.New("recorded jobs lie in a file at or below the folder of their document; name it by its path from there")
	}
	f, err := root.OpenFile(name, os.O_RDONLY|unix.O_NONBLOCK, 0)
	if err != nil {
		return nil, unwrapped(err)
	}
	if info, err := f.Stat(); err != nil || !info.Mode().IsRegular() {
		_ = f.Close()
		return nil, errors.Join(err, errNotRegular)
	}
	return f, nil
}
