package cli

import (
	"context"
	"errors"
	"fmt"
	"os"
	"slices"
	"strings"

	"tachyphor/core/caching"
	"tachyphor/core/document"
	"tachyphor/core/units"
	"tachyphor/internal/probe"

	"github.com/spf13/cobra"
)

// keepFlags are the flags of keep.
type keepFlags struct {
	before, write, cluster string
	lists                  string
	with                   []string
	locks                  []string
	change                 float64
	quiet                  bool
}

// A keeping is what keep found.
type keeping struct {
	Folder   string            `json:"folder"`
	Tree     probe.Tree        `json:"tree"`
	Parts    []caching.Verdict `json:"parts"`
	Includes []string          `json:"includes"`
	Locks    []string          `json:"locks"`
	Key      string            `json:"key,omitempty"`
	History  *probe.History    `json:"history,omitempty"`
	Change   float64           `json:"change"`
}

func (p *program) keepCommand() *cobra.Command {
	f := keepFlags{change: -1}
	c := &cobra.Command{
		Use: "keep FOLDER", Short: "Find which folders of a workspace are worth keeping between builds, and by what key",
		Long: `Read a workspace after a build and say, folder by folder, whether it is worth its bytes:
the time to get it again (over which its files were written) against the time to carry it
with the speeds of a cluster. With --before, the workspace after another build or a
snapshot of it, what changes from build to build is shown too.

From lock files it makes a key: the hash of the files that pin what a build depends on.
Where the folder is the top of a git repository, it looks which of the past commits would
have changed that key. Nothing is written but what --write names.`,
		Example: "  tachyphor keep ~/work/tide-charts --write monday.snapshot\n  tachyphor keep ~/work/tide-charts --before " +
			"monday.snapshot --with platform/cluster.yaml\n  tachyphor keep . --lock go.sum --lock web/package-lock.json",
		Args: cobra.ExactArgs(1),
		RunE: func(c *cobra.Command, args []string) error { return p.keep(c.Context(), args[0], f) },
	}
	fl := c.Flags()
	fl.StringVar(&f.before, "before", "", "the workspace after an earlier build: a folder, or a snapshot")
	fl.StringVar(&f.write, "write", "", "write a snapshot of the folder into this file, for a later --before")
	fl.StringVar(&f.lists, "lists", "", "write what is worth keeping into this file, for tachyphor probe --lists")
	fl.StringVar(&f.cluster, "cluster", "", "stored cluster whose speeds count; default: the only one there is")
	fl.StringArrayVar(&f.with, "with", nil, "file or folder with the cluster, instead of a service (may be repeated)")
	fl.StringArrayVar(&f.locks, "lock", nil, "file that the key is made of, from the top of the folder (may be repeated); "+
		"default: lock files that are known")
	fl.Float64Var(&f.change, "change", f.change, "percent of builds that save; default: the share of commits that change the key, else 5")
	fl.BoolVarP(&f.quiet, "quiet", "q", false, "no progress")
	return c
}

func (p *program) keep(ctx context.Context, folder string, f keepFlags) error {
	speeds, err := p.speeds(ctx, f)
	if err != nil {
		return err
	}
	take := func(folder, what string) (*probe.Snapshot, error) {
		bar := p.progress(what, f.quiet)
		s, err := probe.Take(ctx, folder, bar.set)
		bar.end(err == nil)
		if ctx.Err() != nil {
			return nil, no(errors.New("stopped; nothing was written"))
		}
		return s, no(err)
	}
	var before *probe.Snapshot
	if f.before != "" {
		if info, serr := os.Stat(f.before); serr == nil && info.IsDir() {
			before, err = take(f.before, "reading the build before")
		} else {
			before, err = p.readSnapshot(f.before)
		}
		if err != nil {
			return err
		}
	}
	s, err := take(folder, "reading")
	if err != nil {
		return err
	}
	k := &keeping{Folder: folder, Tree: s.Tree, Locks: f.locks, Change: 0.05}
	var source func(string) bool
	repo, err := probe.OpenRepository(folder)
	if err == nil {
		if tracked, terr := repo.Tracked(); terr == nil {
			source = func(name string) bool { return tracked[name] || strings.HasPrefix(name, ".git/") }
		}
	}
	parts := s.Parts(before, source)
	k.Parts = caching.Weigh(parts, speeds, before != nil)
	if len(k.Locks) == 0 {
		k.Locks = s.Locks(caching.Includes(k.Parts))
	}
	if len(k.Locks) > 0 {
		if k.Key, err = probe.Key(folder, k.Locks); err != nil {
			return no(err)
		}
		if repo != nil {
			if h, err := repo.Look(ctx, k.Locks); err == nil {
				k.History = &h
				k.Change = float64(len(h.Turns)) / float64(max(h.Commits, 1))
			}
		}
	}
	if f.change >= 0 {
		k.Change = f.change / 100
	}
	speeds.Change = k.Change
	k.Parts = caching.Weigh(parts, speeds, before != nil)
	k.Includes = caching.Includes(k.Parts)
	if f.write != "" {
		if err := whole(f.write, s.Write); err != nil {
			return err
		}
		fmt.Fprintf(p.err, "Snapshot of %s files written into %s.\n", units.Count(int64(s.Tree.Files)), f.write)
	}
	if f.lists != "" {
		if len(k.Includes) == 0 {
			fmt.Fprintf(p.err, "Nothing is worth keeping; %s is not written.\n", f.lists)
		} else if err := writeLists(f.lists, probe.Lists{Include: k.Includes, LeaveOut: []string{}}); err != nil {
			return no(err)
		}
	}
	return p.kept(k, before != nil)
}

func (p *program) readSnapshot(file string) (*probe.Snapshot, error) {
	in, err := p.open(file)
	if err != nil {
		return nil, err
	}
	defer func() { _ = in.Close() }()
	s, err := probe.ReadSnapshot(in)
	if err != nil {
		return nil, no(fmt.Errorf("%s: %w", file, err))
	}
	return s, nil
}

// speeds are those of a cluster's store.
func (p *program) speeds(ctx context.Context, f keepFlags) (caching.Terms, error) {
	var t caching.Terms
	var d *document.Document
	if len(f.with) > 0 {
		files := &found{}
		for _, path := range f.with {
			if err := files.add(p, path); err != nil {
				return t, err
			}
		}
		clusters := files.OfKind(document.KindCluster)
		at := slices.IndexFunc(clusters, func(d *document.Document) bool { return f.cluster == "" || d.Name == f.cluster })
		if at < 0 {
			return t, no(fmt.Errorf("there is no Cluster %s in %s", f.cluster, strings.Join(f.with, ", ")))
		}
		d = clusters[at]
	} else {
		c := p.client()
		name := f.cluster
		if name == "" {
			list, err := c.List(ctx, document.KindCluster)
			if err != nil {
				return t, fmt.Errorf("%w (or name a file of the cluster with --with)", err)
			}
			if len(list) != 1 {
				return t, no(fmt.Errorf("%d clusters are stored; name one with --cluster", len(list)))
			}
			name = list[0].Name
		}
		stored, err := c.Get(ctx, document.KindCluster, name, 0)
		if err != nil {
			return t, err
		}
		docs, faults := document.Parse(name, []byte(stored.Text))
		if len(faults) > 0 {
			return t, faults
		}
		d = docs[0]
	}
	spec := &d.Value.(*document.Cluster).Spec
	l := &spec.Links.Store
	down, up := l.Alone()
	return caching.Terms{
		Change: 0.05, Down: float64(down), Up: float64(up), Pack: float64(spec.Store.Pack), Unpack: float64(spec.Store.Unpack),
		Latency: l.Latency.Seconds(),
	}, nil
}

// smallest is the least size of a folder that is shown where it is not kept.
const smallest = 1 << 20

// kept writes what to keep.
func (p *program) kept(k *keeping, before bool) error {
	l := listing{columns: []column{
		{"folder", false},
		{"files", true},
		{"size", true},
		{"packed", true},
		{"new", true},
		{"got again in", true},
		{"carried in", true},
		{"", false},
	}, value: k, main: "parts"}
	source, sourceBytes, small := 0, int64(0), 0
	for _, v := range k.Parts {
		if p.format == "table" && v.Do == caching.FromStart {
			source, sourceBytes = source+1, sourceBytes+v.Bytes
			continue
		}
		if p.format == "table" && v.Do != caching.Keep && v.Bytes < smallest {
			small++
			continue
		}
		changed := "–"
		if before {
			changed = fmt.Sprintf("%.0f %%", 100*v.Changed)
		}
		path := v.Path
		if path == "." {
			path = "(files at the top)"
		}
		l.rows = append(l.rows, []string{
			path, units.Count(int64(v.Files)), units.Decimal(float64(v.Bytes)),
			units.Decimal(float64(v.Bytes) * v.Ratio), changed, shortly(v.Seconds * 1e9), shortly(v.Carry * 1e9), v.Do + ": " + v.Why,
		})
	}
	if p.format != "table" {
		return p.show(l)
	}
	fmt.Fprintln(p.out, p.strong(k.Folder)+p.faint(fmt.Sprintf("  %s files in %s folders, %s", units.Count(int64(k.Tree.Files)),
		units.Count(int64(k.Tree.Folders)), units.Decimal(float64(k.Tree.Bytes)))))
	if odd := oddTree(k.Tree); odd != "" {
		fmt.Fprintln(p.out, p.wrap(odd))
	}
	fmt.Fprintln(p.out)
	if len(l.rows) > 0 {
		fmt.Fprintln(p.out, p.table(l))
	}
	if source+small > 0 {
		fmt.Fprintln(p.out, p.faint(p.wrap(fmt.Sprintf("Not shown: %s with %s that come with the source, %s of less than 1 MiB.",
			counted(source, "folder"), units.Decimal(float64(sourceBytes)), counted(small, "folder")))))
	}
	fmt.Fprintln(p.out)
	if len(k.Includes) == 0 {
		fmt.Fprintln(p.out, p.wrap("Nothing here is worth keeping with these speeds."))
	} else {
		fmt.Fprintln(p.out, p.strong("Keep"))
		for _, x := range k.Includes {
			fmt.Fprintln(p.out, "  "+x)
		}
	}
	if len(k.Locks) == 0 {
		fmt.Fprintln(p.out, p.wrap("No lock file is known here; name files that pin what a build depends on with --lock."))
		return nil
	}
	fmt.Fprintln(p.out, p.wrap(p.strong("Key ")+k.Key+", the hash of "+strings.Join(k.Locks, ", ")))
	if h := k.History; h != nil {
		fmt.Fprintln(p.out, p.wrap(fmt.Sprintf("Of the last %s commits %s would have changed it (%.1f %%): as changeRate of a "+
			"class, write %.3g.", units.Count(int64(h.Commits)), units.Count(int64(len(h.Turns))), 100*k.Change, k.Change)))
		for _, t := range h.Turns[:min(len(h.Turns), 5)] {
			fmt.Fprintln(p.out, p.faint(fmt.Sprintf("  %s  %s  %s (%s)", t.Commit, t.At.Format("2006-01-02"), clipped(t.Subject, 50),
				strings.Join(slices.Compact(t.Files), ", "))))
		}
	}
	if !before {
		fmt.Fprintln(p.out, p.faint(p.wrap("With --before, another build's workspace or a snapshot of it, what changes from build "+
			"to build is shown too.")))
	}
	return nil
}

// clipped cuts words that are too long.
func clipped(s string, most int) string {
	if r := []rune(s); len(r) > most {
		return string(r[:most-1]) + "…"
	}
	return s
}
