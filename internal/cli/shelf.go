package cli

import (
	"errors"
	"fmt"
	"path/filepath"
	"slices"
	"strings"

	"tachyphor/core/demand"
	"tachyphor/core/document"
	"tachyphor/core/sim"
)

// shelf is documents at hand.
type shelf struct {
	docs   []*document.Document
	read   map[string]bool // files, by their whole path
	faults document.Faults // of files that were passed over
}

func (s *shelf) has(kind, name string) *document.Document {
	for _, d := range s.docs {
		if d.Kind == kind && d.Name == name {
			return d
		}
	}
	return nil
}

// add reads the documents of a folder, passing over files with faults.
func (s *shelf) add(p *program, path string) error {
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
			if s.has(d.Kind, d.Name) == nil {
				s.docs = append(s.docs, d)
			}
		}
	}
	return nil
}

// mostFaultsBelow is how many faults of files that were passed over are told, where one of
// them may be what is missing.
const mostFaultsBelow = 10

// gather puts a world together from the file of a scenario and what lies beside
// it: the given folders first, then the scenario's folder, then the one above.
func (p *program) gather(file string, with []string, skipBad bool) (*sim.World, error) {
	data, err := p.read(file)
	if err != nil {
		return nil, err
	}
	docs, faults := document.Parse(file, data)
	if len(faults) > 0 {
		return nil, faults
	}
	shelf := &shelf{docs: docs}
	at := slices.IndexFunc(docs, func(d *document.Document) bool { return d.Kind == document.KindScenario })
	if at < 0 {
		return nil, no(fmt.Errorf("%s: there is no Scenario in it", file))
	}
	in := sim.Input{Scenario: docs[at]}
	spec := &docs[at].Value.(*document.Scenario).Spec
	folder := filepath.Dir(file)
	above := filepath.Join(folder, "..")
	hint := ""
	for _, path := range append(slices.Clone(with), folder, above) {
		if complete(shelf, spec) {
			break
		}
		if err := shelf.add(p, path); err != nil && path != above {
			return nil, err
		} else if err != nil { // nobody named it
			hint = "; not looked at: " + err.Error()
		}
	}
	if len(shelf.faults) > 0 {
		hint += "; files with faults were passed over, see below"
	}
	var missing document.Faults
	need := func(kind, name, path string) *document.Document {
		d := shelf.has(kind, name)
		if d == nil {
			missing = append(missing, docs[at].Fault(path, name, "no "+kind+" of that name in this file, its folder or the one above; name more with --with"+hint))
		}
		return d
	}
	in.Cluster = need(document.KindCluster, spec.Cluster, "spec.cluster")
	in.Workload = need(document.KindWorkload, spec.Workload, "spec.workload")
	for i, t := range spec.Templates {
		in.Templates = append(in.Templates, need(document.KindPodTemplate, t.Template, fmt.Sprintf("spec.templates[%d].template", i)))
	}
	if len(missing) > 0 {
		return nil, append(missing, shelf.faults[:min(mostFaultsBelow, len(shelf.faults))]...)
	}
	if in.Recording, err = recordingOf(in.Workload, skipBad); err != nil {
		return nil, err
	}
	world, faults := sim.Assemble(in)
	return world, faults.Err()
}

// complete reports whether everything a scenario names is on the shelf.
func complete(s *shelf, spec *document.ScenarioSpec) bool {
	ok := s.has(document.KindCluster, spec.Cluster) != nil && s.has(document.KindWorkload, spec.Workload) != nil
	for _, t := range spec.Templates {
		ok = ok && s.has(document.KindPodTemplate, t.Template) != nil
	}
	return ok
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
	lines := []string{fmt.Sprintf("%s: %s of %d cannot be read; mend them, or take the rest with --skip-bad", path, counted(r.Bads, "row"), r.Bads+r.Len())}
	for i, b := range r.Bad {
		if i == 20 {
			lines = append(lines, fmt.Sprintf("  and %d more", r.Bads-i))
			break
		}
		lines = append(lines, "  "+b.String())
	}
	return strings.Join(lines, "\n")
}
