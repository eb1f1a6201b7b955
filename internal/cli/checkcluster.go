package cli

import (
	"fmt"
	"strings"
	"time"

	"tachyphor/core/document"
	"tachyphor/core/doubt"
	"tachyphor/core/learn"
	"tachyphor/core/template"
	"tachyphor/core/units"
)

// checkClusters says of every fact of clusters what is known of it: never measured, old, or
// measured, those first that nobody measured. Records of the cluster are held against it.
// Facts of images that none of the templates beside has, where there are any, are named.
func (p *program) checkClusters(list, templates []*document.Document, records []string) error {
	images := imageFacts(list, templates)
	told, err := p.toldBy(list, records)
	if err != nil {
		return err
	}
	var idle []string
	type known struct {
		Cluster string       `json:"cluster"`
		Facts   []doubt.Fact `json:"facts"`
	}
	var all []known
	l := listing{columns: []column{{"cluster", false}, {"fact", false}, {"says", true}, {"", false}, {"of", true}, {"may be", false}}, keys: 2, main: "facts"}
	guessed, otherwise := 0, 0
	for _, d := range list {
		facts := doubt.Facts(&d.Value.(*document.Cluster).Spec, nil, time.Now())
		doubt.Against(facts, told)
		all = append(all, known{d.Name, facts})
		for _, f := range facts {
			state, of := string(f.Known), ""
			switch {
			case f.Known == doubt.Contradicted:
				otherwise++
				state = p.bad(state) + ": " + f.Told.Value + p.faint(" "+f.Told.At.Format(time.DateOnly))
			case f.Known == doubt.Measured:
				state = p.faint(state + " " + f.At.Format(time.DateOnly))
			case len(images) > 0 && strings.HasPrefix(f.Fact, "images.") && !images[f.Fact]:
				idle = append(idle, f.Fact)
				state = p.faint(state)
			default:
				guessed++
				if state = p.warn(state); f.Known == doubt.Old {
					state += p.faint(" " + f.At.Format(time.DateOnly))
				}
			}
			if f.Count > 0 {
				of = units.Count(int64(f.Count))
			}
			l.rows = append(l.rows, []string{d.Name, f.Fact, f.Says, state, of, f.Low + " to " + f.High})
		}
	}
	l.value = all
	if err := p.show(l); err != nil || !p.lines() {
		return err
	}
	if len(idle) > 0 {
		fmt.Fprintln(p.out, "\n"+p.faint(p.wrap(fmt.Sprintf("No template of these has %s, which nobody measured: leave them out, or as they are.",
			strings.Join(idle, ", ")))))
	}
	if otherwise > 0 {
		fmt.Fprintln(p.out, "\n"+p.wrap(fmt.Sprintf("Newer records say otherwise of %s. `tachyphor learn cluster %s --onto FILE` takes what they say over.",
			counted(otherwise, "fact"), strings.Join(records, " "))))
	}
	if guessed > 0 {
		fmt.Fprintln(p.out, "\n"+p.wrap(fmt.Sprintf("%s nobody measured, or long ago. `tachyphor doubt SCENARIO.yaml` says which of them matter for a design; "+
			"`tachyphor learn cluster --live` measures most.", counted(guessed, "fact"))))
	}
	return nil
}

// imageFacts are the facts of images that templates, or DaemonSets of the clusters, have; none
// where there are no templates.
func imageFacts(clusters, templates []*document.Document) map[string]bool {
	images := map[string]bool{}
	for _, d := range templates {
		for _, x := range template.FromSpec(d.Name, &d.Value.(*document.PodTemplate).Template.Spec).Images {
			images["images."+x] = true
		}
	}
	if len(images) == 0 {
		return images
	}
	for _, d := range clusters {
		for _, x := range d.Value.(*document.Cluster).Spec.DaemonSets {
			images["images."+x.Image] = true
		}
	}
	return images
}

// toldBy are the facts that records tell of the only cluster; none where there are no records.
func (p *program) toldBy(clusters []*document.Document, records []string) ([]document.Measured, error) {
	if len(records) == 0 {
		return nil, nil
	}
	if len(clusters) > 1 {
		return nil, fmt.Errorf("there are %d clusters; records are of one of them: name its file alone", len(clusters))
	}
	files, err := p.recordsIn(records)
	if err != nil {
		return nil, err
	}
	got, err := learnedFrom(files, learn.ClusterOptions{})
	if err != nil {
		return nil, err
	}
	return got.Measured(), nil
}
