package cli

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"tachyphor/core/document"
)

// endings of files that may hold documents.
var endings = []string{".yaml", ".yml", ".json"}

// mostFiles bounds how many files of a folder are looked at.
const mostFiles = 5000

// find lists the document files that a path names: itself, or all below a
// folder, by name.
func find(path string) ([]string, error) {
	info, err := os.Stat(path)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", path, unwrapped(err))
	}
	if !info.IsDir() {
		return []string{path}, nil
	}
	var files []string
	err = filepath.WalkDir(path, func(name string, d fs.DirEntry, err error) error {
		switch {
		case err != nil:
			return err
		case d.IsDir() && strings.HasPrefix(d.Name(), ".") && name != path:
			return fs.SkipDir
		case d.Type().IsRegular() && slices.Contains(endings, filepath.Ext(name)):
			if files = append(files, name); len(files) > mostFiles {
				return fmt.Errorf("%s: more than %d files; name a smaller folder", path, mostFiles)
			}
		}
		return nil
	})
	return files, err
}

// unwrapped leaves the path out of an error that names it.
func unwrapped(err error) error {
	var p *fs.PathError
	if errors.As(err, &p) {
		return p.Err
	}
	return err
}

// read returns a file's content, bounded; "-" is standard input.
func (p *program) read(path string) ([]byte, error) {
	src := p.in
	if path != "-" {
		f, err := p.open(path)
		if err != nil {
			return nil, err
		}
		defer func() { _ = f.Close() }()
		src = f
	}
	return io.ReadAll(io.LimitReader(src, document.MaxBytes+1))
}

// wholeFile reads a large file of records, of most bytes; "-" is standard input.
func (p *program) wholeFile(path string, most int64) ([]byte, error) {
	src := p.in
	var b bytes.Buffer
	if path != "-" {
		file, err := p.open(path)
		if err != nil {
			return nil, err
		}
		defer func() { _ = file.Close() }()
		src = file
		if info, err := os.Stat(path); err == nil && info.Size() <= most {
			b.Grow(int(info.Size()) + bytes.MinRead)
		}
	}
	_, err := b.ReadFrom(io.LimitReader(src, most+1))
	switch {
	case err != nil:
		return nil, err
	case b.Len() == 0:
		return nil, no(fmt.Errorf("%s is empty", path))
	case int64(b.Len()) > most:
		return nil, no(fmt.Errorf("%s is larger than %d MiB; cut it into several files", path, most>>20))
	}
	return b.Bytes(), nil
}
