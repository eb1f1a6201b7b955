package sizing

import (
	"strings"

	"tachyphor/core/document"
	"tachyphor/core/template"
)

// Knob is what exploring may take of an advice: the requests and limits of today that it would have
// otherwise, and those advised, which move as one. It is false where there are none.
func (a *Advice) Knob(d *document.Document) (document.Knob, bool) {
	k := document.Knob{Name: d.Name + " requests"}
	p := d.Value.(*document.PodTemplate)
	at, _ := template.AgentContainer(p)
	if at < 0 {
		return k, false
	}
	own := document.Pointer("template", "spec", "containers", at)
	named := document.Pointer("template", "spec", "containers", p.Template.Spec.Containers[at].Name)
	for _, e := range a.Edits {
		rest, ok := strings.CutPrefix(e.Path, own)
		if !ok || e.Op != "add" {
			continue
		}
		_, says, err := d.Field(document.Steps(named[1:] + rest))
		if err != nil || says == nil {
			continue
		}
		k.Together = append(k.Together, document.Knob{
			At:     document.KindPodTemplate + "/" + d.Name + named + rest,
			Values: []document.Value{{Plain: says}, {Plain: e.Value}},
		})
	}
	return k, len(k.Together) > 0
}
