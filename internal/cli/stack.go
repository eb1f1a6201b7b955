package cli

import (
	"fmt"
	"os"
	"slices"
	"strings"

	"tachyphor/core/demand"
	"tachyphor/core/document"
	"tachyphor/core/review"
)

// A stack is the documents of some files, with the bytes that they were read
// from.
type stack struct {
	shelf review.Shelf
	asked []*document.Document // the templates of the files that were named
	files map[string][]byte    // by path
}

// noTemplates says that files hold none.
type noTemplates struct {
	in       []string
	clusters []*document.Document // that they hold instead
	beside   []*document.Document // templates that stand beside them
}

func (n noTemplates) Error() string {
	return fmt.Sprintf("no templates in %s; expected a PodTemplate, or one within %s", strings.Join(n.in, ", "),
		strings.Join(document.Carriers()[1:], ", "))
}

// isFile reports whether an argument names a file or folder rather than a stored
// document.
func isFile(arg string) bool {
	if arg == "-" || strings.ContainsAny(arg, "/\\") || slices.Contains(endings, extension(arg)) {
		return true
	}
	_, err := os.Stat(arg)
	return err == nil
}

// stackOf reads the templates of some files, with what stands around them there
// and in the folders of with.
func (p *program) stackOf(paths, with []string) (*stack, error) {
	s := &stack{files: map[string][]byte{}}
	s.shelf.PerWeek = map[string]map[string]float64{}
	var faults document.Faults
	var clusters []*document.Document
	for i, path := range append(slices.Clone(paths), with...) {
		files := []string{path}
		if path != "-" {
			var err error
			if files, err = find(path); err != nil {
				return nil, err
			}
		}
		for _, f := range files {
			if _, again := s.files[f]; again {
				continue
			}
			data, err := p.read(f)
			if err != nil {
				return nil, err
			}
			s.files[f] = data
			r := document.Read(f, data)
			faults = append(faults, r.Faults...)
			s.shelf.Others = append(s.shelf.Others, r.Others...)
			for _, d := range r.Documents {
				twice, asked := s.shelf.Put(d), i < len(paths)
				switch {
				case twice != nil && asked:
					faults = append(faults, d.Fault("metadata.name", d.Name, "is also in "+twice.File+"; one of them needs another name"))
				case twice == nil && asked && d.Kind == document.KindPodTemplate:
					s.asked = append(s.asked, d)
				case twice == nil && asked && d.Kind == document.KindCluster:
					clusters = append(clusters, d)
				}
			}
		}
	}
	if len(faults) > 0 {
		return nil, faults
	}
	var passed []string
	for _, o := range s.shelf.Others {
		if !review.Regarded(o.Kind) {
			passed = append(passed, o.String())
		}
	}
	if len(passed) > 0 {
		fmt.Fprintf(p.err, "Left out, because they neither hold a pod template nor say anything about one: %s.\n", strings.Join(passed, ", "))
	}
	if len(s.asked) == 0 {
		return nil, no(noTemplates{paths, clusters, s.shelf.OfKind(document.KindPodTemplate)})
	}
	for _, d := range s.shelf.OfKind(document.KindWorkload) {
		if r, err := recordingOf(d, true); err == nil { // a log that is not there only means that nothing is counted
			s.shelf.PerWeek[d.Name] = demand.PerWeek(&d.Value.(*document.Workload).Spec, r)
		}
	}
	return s, nil
}
