package cli

import (
	"errors"
	"fmt"
	"path/filepath"
	"slices"
	"strings"

	"tachyphor/core/demand"
	"tachyphor/core/document"
	"tachyphor/core/explore"
	"tachyphor/core/shelf"
	"tachyphor/core/world"
)

// found is documents in files, read one after the other until all that is named is there.
type found struct {
	shelf.Shelf
	read   map[string]bool // files, by their whole path
	faults document.Faults // of files that were passed over
}

// add reads the documents of a folder, passing over files with faults.
func (s *found) add(p *program, path string) error {
	files, err := find(path)
	if err != nil {
		return err
	}
	for _, f := range files {
		whole, err := filepath.Abs(f)
		if err != nil || s.read[whole] {
			continue
		}
		if s.read == nil {
			s.read = map[string]bool{}
		}
		s.read[whole] = true
		data, err := p.read(f)
		if err != nil {
			return err
		}
		docs, faults := document.Parse(f, data)
		s.faults = append(s.faults, faults...)
		for _, d := range docs {
			s.Put(d)
		}
	}
	return nil
}

// mostFaultsBelow is how many faults of files that were passed over are told, where one of
// them may be what is missing.
const mostFaultsBelow = 10

// gather puts a world together from the file of a scenario and what lies beside
// it: the given folders first, then the scenario's folder, then the one above.
func (p *program) gather(file string, with []string, skipBad bool) (*world.World, error) {
	in, err := p.gatherInput(file, with, skipBad)
	if err != nil {
		return nil, err
	}
	world, faults := world.Assemble(in)
	return world, faults.Err()
}

// gatherInput finds what a world is put together from.
func (p *program) gatherInput(file string, with []string, skipBad bool) (in world.Input, err error) {
	files, err := p.foundIn(file)
	if err != nil {
		return in, err
	}
	scenarios := files.OfKind(document.KindScenario)
	if len(scenarios) == 0 {
		return in, no(fmt.Errorf("%s: there is no Scenario in it", file))
	}
	return p.gatherNamed(files, scenarios[0], file, with, skipBad)
}

// gatherSweep reads the first Sweep of a file, with the scenario that it names and what that
// names, found as gatherInput finds it.
func (p *program) gatherSweep(file string, across, with []string, skipBad bool) (d *document.Document, in world.Input, ins []world.Input, err error) {
	files, err := p.foundIn(file)
	if err != nil {
		return nil, in, nil, err
	}
	sweeps := files.OfKind(document.KindSweep)
	if len(sweeps) == 0 {
		return nil, in, nil, no(fmt.Errorf("%s: there is no Sweep in it; `tachyphor improve SCENARIO.yaml` needs none", file))
	}
	d = sweeps[0]
	name := d.Value.(*document.Sweep).Spec.Scenario
	hint, err := p.lookAround(files, file, with, func() bool { return files.Find(document.KindScenario, name) != nil })
	if err != nil {
		return nil, in, nil, err
	}
	scenario := files.Find(document.KindScenario, name)
	if scenario == nil {
		return nil, in, nil, document.Faults{d.Fault("spec.scenario", name, "no Scenario of that name in this file, its folder or the one above; "+
			"name more with --with"+hint)}
	}
	if in, err = p.gatherNamed(files, scenario, file, with, skipBad); err != nil {
		return nil, in, nil, err
	}
	missing := func(i int, hint string) error { return noAcross(across[i], hint) }
	if len(across) == 0 {
		across = d.Value.(*document.Sweep).Spec.Across
		missing = func(i int, hint string) error {
			return document.Faults{d.Fault(fmt.Sprintf("spec.across[%d]", i), across[i], noWorkload+hint)}
		}
	}
	ins, err = p.gatherAcross(files, across, missing, in, file, with, skipBad)
	return d, in, ins, err
}

// gatherImprove is gatherInput, with workloads that are to be held on.
func (p *program) gatherImprove(file string, across, with []string, skipBad bool) (in world.Input, ins []world.Input, err error) {
	if in, err = p.gatherInput(file, with, skipBad); err != nil || len(across) == 0 {
		return in, []world.Input{in}, err
	}
	files, err := p.foundIn(file)
	if err != nil {
		return in, nil, err
	}
	ins, err = p.gatherAcross(files, across, func(i int, hint string) error { return noAcross(across[i], hint) }, in, file, with, skipBad)
	return in, ins, err
}

const noWorkload = "no Workload of that name in this file, its folder or the one above; name more with --with"

func noAcross(name, hint string) error {
	return no(fmt.Errorf("--across %s: %s%s", name, noWorkload, hint))
}

// gatherAcross is what variants are run with: the scenario, with each of the workloads that they
// must hold on; of none, with its own. missing says that one is not found.
func (p *program) gatherAcross(files *found, names []string, missing func(i int, hint string) error, in world.Input, file string, with []string,
	skipBad bool,
) ([]world.Input, error) {
	if len(names) == 0 {
		return []world.Input{in}, nil
	}
	first := func() int {
		return slices.IndexFunc(names, func(name string) bool { return files.Find(document.KindWorkload, name) == nil })
	}
	hint, err := p.lookAround(files, file, with, func() bool { return first() < 0 })
	if err != nil {
		return nil, err
	}
	if i := first(); i >= 0 {
		return nil, missing(i, hint)
	}
	var out []world.Input
	for _, name := range names {
		d := files.Find(document.KindWorkload, name)
		jobs := in.Recording
		if d != in.Workload {
			if jobs, err = recordingOf(d, skipBad); err != nil {
				return nil, err
			}
		}
		one, err := explore.With(in, d, jobs)
		if err != nil {
			return nil, err
		}
		out = append(out, one)
	}
	return out, nil
}

// foundIn reads the documents of a file.
func (p *program) foundIn(file string) (*found, error) {
	data, err := p.read(file)
	if err != nil {
		return nil, err
	}
	docs, faults := document.Parse(file, data)
	if len(faults) > 0 {
		return nil, faults
	}
	return &found{Shelf: shelf.Of(docs...)}, nil
}

// lookAround adds the documents of folders until there are enough: the given ones, that of the
// file, and the one above. hint says why that one, which nobody named, was not looked at.
func (p *program) lookAround(files *found, file string, with []string, enough func() bool) (hint string, err error) {
	folder := filepath.Dir(file)
	above := filepath.Join(folder, "..")
	for _, path := range append(slices.Clone(with), folder, above) {
		if enough() {
			break
		}
		switch err := files.add(p, path); {
		case err == nil:
		case path != above:
			return "", err
		default:
			hint = "; not looked at: " + err.Error()
		}
	}
	return hint, nil
}

// gatherNamed finds what a scenario names.
func (p *program) gatherNamed(files *found, scenario *document.Document, file string, with []string, skipBad bool) (in world.Input, err error) {
	hint, err := p.lookAround(files, file, with, func() bool { _, missing := files.Named(scenario); return len(missing) == 0 })
	if err != nil {
		return in, err
	}
	var faults document.Faults
	named, missing := files.Named(scenario)
	if len(files.faults) > 0 {
		hint += "; files with faults were passed over, see below"
	}
	if len(missing) > 0 {
		for _, m := range missing {
			faults = append(faults, scenario.Fault(m.Path, m.Name.Name,
				"no "+m.Kind+" of that name in this file, its folder or the one above; name more with --with"+hint))
		}
		return in, append(faults, files.faults[:min(mostFaultsBelow, len(files.faults))]...)
	}
	in.Named = named
	in.Recording, err = recordingOf(in.Workload, skipBad)
	return in, err
}

// recordedFile returns the path of a workload's recorded jobs, empty if it has
// none.
func recordedFile(d *document.Document) string {
	w, ok := d.Value.(*document.Workload)
	if !ok || w.Spec.Jobs == nil {
		return ""
	}
	if filepath.IsAbs(w.Spec.Jobs.File) { // not to be opened
		return w.Spec.Jobs.File
	}
	return filepath.Join(filepath.Dir(d.File), w.Spec.Jobs.File)
}

// recordingOf reads a workload's recorded jobs; nil if it has none.
func recordingOf(d *document.Document, skipBad bool) (*demand.Recording, error) {
	path := recordedFile(d)
	if path == "" {
		return nil, nil
	}
	f, err := openRecorded(d)
	if err != nil {
		return nil, document.Faults{d.Fault("spec.jobs.file", path, err.Error())}
	}
	defer func() { _ = f.Close() }()
	r, err := demand.Read(f, d.Value.(*document.Workload).Spec.Jobs.Columns)
	if err != nil {
		return nil, no(fmt.Errorf("%s: %w", path, err))
	}
	if r.Bads > 0 && !skipBad {
		return nil, no(errors.New(badRows(path, r)))
	}
	return r, nil
}

func badRows(path string, r *demand.Recording) string {
	lines := []string{fmt.Sprintf("%s: %s of %d cannot be read; mend them, or take the rest with --skip-bad", path, counted(r.Bads, "row"),
		r.Bads+r.Len())}
	for i, b := range r.Bad {
		if i == 20 {
			lines = append(lines, fmt.Sprintf("  and %d more", r.Bads-i))
			break
		}
		lines = append(lines, "  "+b.String())
	}
	return strings.Join(lines, "\n")
}
