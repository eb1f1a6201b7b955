package cli

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"

	"tachyphor/core/units"
	"tachyphor/internal/probe"

	"sigs.k8s.io/yaml"
)

// packed reads what of a folder is packed; nil: all of it.
func (f probeFlags) packed() (*probe.Lists, error) {
	l := &probe.Lists{}
	if f.lists != "" {
		b, err := os.ReadFile(f.lists)
		if err != nil {
			return nil, fmt.Errorf("%s: %w", f.lists, unwrapped(err))
		}
		if err := yaml.UnmarshalStrict(b, l); err != nil {
			return nil, no(fmt.Errorf("%s: %w; expected include and leaveOut, as tachyphor keep --lists writes them", f.lists, err))
		}
	}
	l.Include, l.LeaveOut = append(l.Include, f.include...), append(l.LeaveOut, f.leaveOut...)
	if len(l.Include)+len(l.LeaveOut) == 0 {
		return nil, nil
	}
	if err := l.Check(); err != nil {
		return nil, no(err)
	}
	return l, nil
}

// writeLists writes what is to be packed, for a later --lists.
func writeLists(path string, l probe.Lists) error {
	b, err := yaml.Marshal(l)
	if err != nil {
		return err
	}
	return os.WriteFile(path, append([]byte("# What of a workspace is kept: tachyphor probe FOLDER --lists "+filepath.Base(path)+"\n"), b...), 0o644)
}

func (f probeFlags) opened() (*probe.Store, error) {
	return probe.OpenStore(f.store, os.Getenv("TACHYPHOR_STORE_ACCESS"), os.Getenv("TACHYPHOR_STORE_SECRET"))
}

// storeList tells what is in a store.
func (p *program) storeList(ctx context.Context, prefix string, f probeFlags) error {
	s, err := f.opened()
	if err != nil {
		return err
	}
	all, more, err := s.List(ctx, prefix)
	if err != nil {
		return no(err)
	}
	l := listing{columns: []column{
		{"workspace", false},
		{"size", true},
		{"written", false},
		{"by build", false},
		{"on", false},
		{"of folder", false},
		{"key", false},
		{"packed", false},
	}, value: all}
	untold := 0
	for _, x := range all {
		if !x.Told {
			untold++
		}
		l.rows = append(l.rows, []string{
			x.Name, units.Decimal(float64(x.Size)), x.At.Local().Format("2006-01-02 15:04:05"), x.Build, x.By, x.Folder,
			x.Key[:min(len(x.Key), 12)], x.Codec,
		})
	}
	if err := p.show(l); err != nil || !p.lines() {
		return err
	}
	switch {
	case len(all) == 0:
		fmt.Fprintln(p.out, "Nothing is there.")
	case untold > 0:
		fmt.Fprintln(p.out, p.faint(p.wrap(fmt.Sprintf("\n%s of these do not say who wrote them: others than `tachyphor probe --save` did.",
			counted(untold, "workspace")))))
	}
	if more {
		fmt.Fprintln(p.out, p.warn(fmt.Sprintf("There is more than these %d: name a prefix.", len(all))))
	}
	return nil
}

// storeSave packs a folder into a store.
func (p *program) storeSave(ctx context.Context, folder string, f probeFlags) error {
	o, err := f.options()
	if err != nil {
		return err
	}
	if folder, err = filepath.Abs(folder); err != nil {
		return err
	}
	name := f.use
	if name == "" {
		name = "zstd-3"
	}
	for _, c := range probe.Codecs() {
		if c.Name != name {
			continue
		}
		got, err := o.Store.Save(ctx, folder, f.save, f.build, f.key, o.Lists, c, probe.AllCores(), f.scratch)
		if err != nil {
			return no(err)
		}
		if !p.lines() {
			return p.value(got)
		}
		fmt.Fprintln(p.out, p.wrap(fmt.Sprintf("%s: %s of files in %s, %s, written by %s on %s.", got.Name, units.Decimal(float64(got.Unpacked)),
			units.Decimal(float64(got.Size)), got.Codec, orNobody(got.Build), got.By)))
		return nil
	}
	return fmt.Errorf("--use %s: there is no such codec", name)
}

func orNobody(build string) string {
	if build == "" {
		return "no build that was named"
	}
	return "build " + build
}

// errNotEnough ends a try of rights that are not enough.
var errNotEnough = errors.New("the rights are not enough")

// storeRights tries what keys may do in a store.
func (p *program) storeRights(ctx context.Context, f probeFlags) error {
	s, err := f.opened()
	if err != nil {
		return err
	}
	r := s.Try(ctx)
	if !p.lines() {
		if err := p.value(r); err != nil {
			return err
		}
	} else {
		for _, x := range r.Rights {
			mark, says := "allowed", ""
			switch {
			case !x.Has && x.Needed != "":
				mark, says = p.bad("refused"), ": "+x.Says+" ("+x.Needed+" need it)"
			case !x.Has:
				mark, says = p.faint("refused"), ": "+x.Says+" (not needed)"
			}
			fmt.Fprintf(p.out, "%s  %s%s\n", mark, x.What, says)
		}
		fmt.Fprintln(p.out, "\n"+p.wrap(r.Where+": "+r.Says+"."))
	}
	if !r.Enough {
		return no(errNotEnough)
	}
	return nil
}
