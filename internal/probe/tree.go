// Package probe measures what a workspace cache rests on: packing and unpacking a real
// folder, and bringing archives to a store and back.
package probe

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"path"
	"strings"

	"golang.org/x/sys/unix"
)

// A Tree is what was found in a folder.
type Tree struct {
	Folders    int   `json:"folders" doc:"Folders, the first among them."`
	Files      int   `json:"files" doc:"Regular files."`
	Bytes      int64 `json:"bytes" doc:"Bytes in them."`
	Largest    int64 `json:"largest" doc:"Bytes of the largest."`
	Links      int   `json:"links" doc:"Symbolic links; they are packed as links and never followed."`
	Outside    int   `json:"outside" doc:"Those of them that lead out of the folder."`
	Sparse     int   `json:"sparse" doc:"Files with holes; the holes are packed as zeros."`
	Holes      int64 `json:"holes" doc:"Bytes in holes."`
	Linked     int   `json:"linked" doc:"Files with several names; each is packed by itself."`
	Unreadable int   `json:"unreadable" doc:"Files and folders that may not be read; they are left out."`
	Special    int   `json:"special" doc:"Sockets, pipes and devices; they are left out."`
	Changed    int   `json:"changed" doc:"Files that changed or went while they were read."`
	LeftOut    int   `json:"leftOut,omitempty" doc:"Entries that the lists leave out; what is below a folder counts as one."`

	lists *Lists
}

// An entry is something of a tree that is packed. It is good until the next.
type entry struct {
	name string // within the tree, with slashes
	base string // last part of it
	stat unix.Stat_t
	link string // where a symbolic link leads
}

// regular reports whether it is a regular file.
func (e *entry) regular() bool { return e.stat.Mode&unix.S_IFMT == unix.S_IFREG }

// blockSize is what stat counts the room of a file in.
const blockSize = 512

// batch is how many entries of a folder are read at a time, so that a folder of a
// million files needs no more memory than one of a hundred.
const batch = 1024

// walk calls do with every entry of a folder, each folder before what is in it, in the
// order in which the file system gives them. open opens the entry's file. Every step
// goes from an open folder to a name in it and follows no link, so that nothing outside
// the folder can be reached, whatever changes meanwhile. What may not be read is counted
// in t and passed over.
func walk(ctx context.Context, root string, t *Tree, do func(e *entry, open func() (int, error)) error) error {
	fd, err := unix.Open(root, unix.O_RDONLY|unix.O_DIRECTORY|unix.O_CLOEXEC, 0)
	if err != nil {
		return fmt.Errorf("cannot read the folder %s: %w", root, err)
	}
	t.Folders++
	return walkFolder(ctx, fd, "", t, do)
}

// walkFolder goes through one open folder and closes it, then through those in it.
func walkFolder(ctx context.Context, fd int, at string, t *Tree, do func(e *entry, open func() (int, error)) error) error {
	folder := os.NewFile(uintptr(fd), at)
	defer func() { _ = folder.Close() }()
	below, err := entriesOf(ctx, folder, fd, at, t, do)
	if err != nil {
		return err
	}
	for _, name := range below {
		sub, err := unix.Openat(fd, name, unix.O_RDONLY|unix.O_DIRECTORY|unix.O_NOFOLLOW|unix.O_CLOEXEC, 0)
		if err != nil {
			t.Unreadable++
			continue
		}
		if err := walkFolder(ctx, sub, path.Join(at, name), t, do); err != nil {
			return err
		}
	}
	return nil
}

// entriesOf calls do with what is in one folder and returns the names of the folders.
func entriesOf(ctx context.Context, folder *os.File, fd int, at string, t *Tree, do func(e *entry, open func() (int,
	error)) error,
) (below []string, err error) {
	e := &entry{}
	open := func() (int, error) {
		return unix.Openat(fd, e.base, unix.O_RDONLY|unix.O_NOFOLLOW|unix.O_NONBLOCK|unix.O_CLOEXEC, 0)
	}
	for {
		names, err := folder.Readdirnames(batch)
		for _, name := range names {
			if err := ctx.Err(); err != nil {
				return nil, err
			}
			e.base, e.name, e.link = name, name, ""
			if at != "" {
				e.name = at + "/" + name
			}
			if err := unix.Fstatat(fd, name, &e.stat, unix.AT_SYMLINK_NOFOLLOW); err != nil {
				t.Changed++ // it went between listing and looking
				continue
			}
			folder := e.stat.Mode&unix.S_IFMT == unix.S_IFDIR
			packed, more := t.lists.takes(e.name)
			if !packed && !(folder && more) { // a folder is there for what is below it
				t.LeftOut++
				continue
			}
			switch e.stat.Mode & unix.S_IFMT {
			case unix.S_IFDIR:
				t.Folders++
				below = append(below, name)
			case unix.S_IFLNK:
				if e.link, err = linkOf(fd, name); err != nil {
					t.Unreadable++
					continue
				}
				t.Links++
				if leadsOut(at, e.link) {
					t.Outside++
				}
			case unix.S_IFREG:
				t.count(&e.stat)
			default:
				t.Special++
				continue
			}
			if err := do(e, open); err != nil {
				return nil, err
			}
		}
		if errors.Is(err, io.EOF) {
			return below, nil
		}
		if err != nil {
			t.Unreadable++
			return below, nil
		}
	}
}

// linkOf reads where a symbolic link leads.
func linkOf(fd int, name string) (string, error) {
	buf := make([]byte, unix.PathMax)
	n, err := unix.Readlinkat(fd, name, buf)
	return string(buf[:max(n, 0)]), err
}

// count counts a regular file.
func (t *Tree) count(s *unix.Stat_t) {
	t.Files++
	t.Bytes += s.Size
	t.Largest = max(t.Largest, s.Size)
	if held := s.Blocks * blockSize; held < s.Size && s.Size-held >= blockSize {
		t.Sparse++
		t.Holes += s.Size - held
	}
	if s.Nlink > 1 {
		t.Linked++
	}
}

// leadsOut reports whether a link in a folder of the tree leads out of the tree.
func leadsOut(at, link string) bool {
	if path.IsAbs(link) {
		return true
	}
	to := path.Join(at, link)
	return to == ".." || strings.HasPrefix(to, "../")
}

// Look counts a tree without reading its files.
func Look(ctx context.Context, root string) (Tree, error) { return lookAt(ctx, root, nil) }

// lookAt is Look at what some lists take.
func lookAt(ctx context.Context, root string, lists *Lists) (Tree, error) {
	t := Tree{lists: lists}
	err := walk(ctx, root, &t, func(*entry, func() (int, error)) error { return nil })
	return t, err
}
