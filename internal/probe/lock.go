package probe

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"os"
	"path"
	"slices"
	"strings"
	"time"

	"github.com/go-git/go-git/v5"
	"github.com/go-git/go-git/v5/plumbing"
	"github.com/go-git/go-git/v5/plumbing/object"
)

// lockNames are files in which package managers pin what a build depends on.
var lockNames = []string{
	"go.sum", "package-lock.json", "npm-shrinkwrap.json", "yarn.lock", "pnpm-lock.yaml", "Cargo.lock", "poetry.lock", "uv.lock",
	"Pipfile.lock", "requirements.txt", "Gemfile.lock", "composer.lock", "gradle.lockfile", "packages.lock.json", "mix.lock",
	"pubspec.lock", "conan.lock", "flake.lock",
}

// Locks are the lock files of a workspace that lie in no folder that is kept.
func (s *Snapshot) Locks(kept []string) []string {
	out := []string{}
	for name := range s.files {
		if !slices.Contains(lockNames, path.Base(name)) {
			continue
		}
		if !slices.ContainsFunc(kept, func(k string) bool { return strings.HasPrefix(name, k) }) {
			out = append(out, name)
		}
	}
	slices.Sort(out)
	return out
}

// mostLock bounds a lock file.
const mostLock = 64 << 20

// Key is the key of a cache: the hash of the names and contents of some files of a
// folder, in order.
func Key(folder string, names []string) (string, error) {
	root, err := os.OpenRoot(folder)
	if err != nil {
		return "", err
	}
	defer func() { _ = root.Close() }()
	h := sha256.New()
	for _, name := range slices.Sorted(slices.Values(names)) {
		f, err := root.Open(name)
		if err != nil {
			return "", fmt.Errorf("lock file: %w", err)
		}
		b, err := io.ReadAll(io.LimitReader(f, mostLock))
		_ = f.Close()
		if err != nil {
			return "", err
		}
		fmt.Fprintf(h, "%s\x00%d\x00", name, len(b))
		_, _ = h.Write(b)
	}
	return hex.EncodeToString(h.Sum(nil))[:20], nil
}

// A Turn is a commit that would have changed the key.
type Turn struct {
	Commit  string    `json:"commit" doc:"The commit, short."`
	At      time.Time `json:"at" doc:"When it was made."`
	Subject string    `json:"subject" doc:"First line of its message."`
	Files   []string  `json:"files" doc:"Lock files that it changed."`
}

// History is what the key would have done.
type History struct {
	Commits int    `json:"commits" doc:"Commits that were looked at, from the newest back along first parents."`
	Turns   []Turn `json:"turns" doc:"Those that would have changed the key."`
}

// mostCommits bounds how far back is looked.
const mostCommits = 1000

// errNoHistory says that a folder is not in a git repository with commits.
var errNoHistory = errors.New("the folder is in no git repository with commits")

// A Repository is the version control of a folder.
type Repository struct {
	repo *git.Repository
}

// OpenRepository opens the repository whose work tree begins at a folder. Nothing above
// the folder is read.
func OpenRepository(folder string) (*Repository, error) {
	r, err := git.PlainOpenWithOptions(folder, &git.PlainOpenOptions{DetectDotGit: false})
	if err != nil {
		return nil, errNoHistory
	}
	return &Repository{repo: r}, nil
}

// Tracked are the files under version control.
func (r *Repository) Tracked() (map[string]bool, error) {
	index, err := r.repo.Storer.Index()
	if err != nil {
		return nil, err
	}
	out := make(map[string]bool, len(index.Entries))
	for _, e := range index.Entries {
		out[e.Name] = true
	}
	return out, nil
}

// Look goes back through the commits and says which would have changed a key made of
// those files.
func (r *Repository) Look(ctx context.Context, names []string) (History, error) {
	h := History{Turns: []Turn{}}
	head, err := r.repo.Head()
	if err != nil {
		return h, errNoHistory
	}
	c, err := r.repo.CommitObject(head.Hash())
	if err != nil {
		return h, err
	}
	now, err := hashes(c, names)
	if err != nil {
		return h, err
	}
	for h.Commits < mostCommits {
		if err := ctx.Err(); err != nil {
			return h, err
		}
		h.Commits++
		parent, err := c.Parent(0)
		if err != nil { // the first, or the end of a shallow copy
			return h, nil
		}
		before, err := hashes(parent, names)
		if err != nil {
			return h, nil
		}
		var changed []string
		for i, name := range names {
			if now[i] != before[i] {
				changed = append(changed, name)
			}
		}
		if len(changed) > 0 {
			subject, _, _ := strings.Cut(c.Message, "\n")
			h.Turns = append(h.Turns, Turn{c.Hash.String()[:10], c.Author.When.UTC(), subject, changed})
		}
		c, now = parent, before
	}
	return h, nil
}

// hashes are those of some files in a commit; zero where a file is not there.
func hashes(c *object.Commit, names []string) ([]plumbing.Hash, error) {
	tree, err := c.Tree()
	if err != nil {
		return nil, err
	}
	out := make([]plumbing.Hash, len(names))
	for i, name := range names {
		if e, err := tree.FindEntry(name); err == nil {
			out[i] = e.Hash
		}
	}
	return out, nil
}
