package cli

import (
	"fmt"
	"time"

	"tachyphor/core/document"
	"tachyphor/core/doubt"
	"tachyphor/core/units"
)

// checkClusters says of every fact of clusters what is known of it: never measured, old, or
// measured, those first that nobody measured.
func (p *program) checkClusters(list []*document.Document) error {
	type known struct {
		Cluster string       `json:"cluster"`
		Facts   []doubt.Fact `json:"facts"`
	}
	var all []known
	l := listing{columns: []column{{"cluster", false}, {"fact", false}, {"says", true}, {"", false}, {"of", true}, {"may be", false}}, keys: 2, main: "facts"}
	guessed := 0
	for _, d := range list {
		facts := doubt.Facts(&d.Value.(*document.Cluster).Spec, nil, time.Now())
		all = append(all, known{d.Name, facts})
		for _, f := range facts {
			state, of := string(f.Known), ""
			if f.Known == doubt.Measured {
				state = p.faint(state + " " + f.At.Format(time.DateOnly))
			} else {
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
	if guessed > 0 {
		fmt.Fprintln(p.out, p.wrap(fmt.Sprintf("\n%s nobody measured, or long ago. `tachyphor doubt SCENARIO.yaml` says which of them matter for a design; "+
			"`tachyphor learn cluster --live` measures most.", counted(guessed, "fact"))))
	}
	return nil
}
