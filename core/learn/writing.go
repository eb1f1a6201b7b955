package learn

import (
	"bytes"
	"encoding/json"
	"fmt"
	"strings"

	"tachyphor/core/demand"
	"tachyphor/core/document"

	"go.yaml.in/yaml/v3"
)

// document writes the workload, with what each figure rests on beside it.
func (out *LearnedJobs) document(spec *document.WorkloadSpec) (string, error) {
	return written(document.Workload{
		APIVersion: "tachyphor/v1", Kind: document.KindWorkload, Metadata: document.Meta{Name: out.Name}, Spec: *spec,
	}, func(root *yaml.Node) {
		root.HeadComment = fmt.Sprintf("Learned from a job log: %s, %s to %s. Without jobs: below, jobs are\n"+
			"made by the classes' arrivals instead.",
			counted(out.Jobs, "job", "jobs"), out.From.Format("2006-01-02"), out.To.Format("2006-01-02"))
		for i, c := range child(child(root, "spec"), "classes").Content {
			seen := out.Classes[i]
			note := counted(seen.Jobs, "job", "jobs")
			if seen.Folded > 0 {
				note += fmt.Sprintf(" of %s that are too few for a class each", counted(seen.Folded, "kind", "kinds"))
			}
			c.HeadComment = note
			for _, x := range []struct {
				name string
				fit  *Sampled
			}{{"work", seen.Work}, {"memory", seen.Memory}, {"disk", seen.Disk}} {
				if n := child(c, x.name); n != nil && x.fit != nil {
					n.LineComment = fmt.Sprintf("of %s; %s", counted(x.fit.Values, "value", "values"), x.fit.Why)
				}
			}
		}
	})
}

// written writes a document as YAML, once its notes are set.
func written(doc any, note func(root *yaml.Node)) (string, error) {
	raw, err := json.Marshal(doc)
	if err != nil {
		return "", err
	}
	var tree yaml.Node
	if err := yaml.Unmarshal(raw, &tree); err != nil { // JSON is YAML, in the order of the fields
		return "", err
	}
	root := tree.Content[0]
	restyle(root)
	note(root)
	var b strings.Builder
	e := yaml.NewEncoder(&b)
	e.SetIndent(2)
	if err := e.Encode(&tree); err != nil {
		return "", err
	}
	return b.String(), e.Close()
}

// child is a field of a mapping, or nil.
func child(n *yaml.Node, name string) *yaml.Node {
	for i := 0; n != nil && i+1 < len(n.Content); i += 2 {
		if n.Content[i].Value == name {
			return n.Content[i+1]
		}
	}
	return nil
}

// inLine are fields that are written in a line.
var inLine = map[string]bool{
	"metadata": true, "jobs": true, "wants": true, "work": true, "memory": true, "disk": true, "workspace": true, "follows": true,
}

// restyle writes a mapping as people do: in blocks, small ones in a line; what is empty is
// left out.
func restyle(n *yaml.Node) {
	n.Style = 0
	if n.Kind == yaml.MappingNode {
		kept := n.Content[:0]
		for i := 0; i+1 < len(n.Content); i += 2 {
			key, value := n.Content[i], n.Content[i+1]
			key.Style = 0
			restyle(value)
			if value.Kind != yaml.ScalarNode && len(value.Content) == 0 && key.Value != "wants" {
				continue
			}
			if inLine[key.Value] && value.Kind != yaml.ScalarNode {
				value.Style = yaml.FlowStyle
			}
			kept = append(kept, key, value)
		}
		n.Content = kept
		return
	}
	for _, c := range n.Content {
		restyle(c)
		if c.Kind == yaml.MappingNode && child(c, "when") != nil {
			c.Style = yaml.FlowStyle
		}
	}
}

// mostChecked is how many bytes of a long log are read again.
const mostChecked = 4 << 20

// check reads what was written as anybody would: what is learned can be simulated.
func (out *LearnedJobs) check(chained bool) error {
	docs, faults := document.Parse(out.File, []byte(out.Workload))
	if len(faults) > 0 {
		return fmt.Errorf("what was learned does not make a workload: %w", faults)
	}
	log := out.Log
	if end := mostChecked; len(log) > end && !chained { // a part tells for all
		log = log[:end+bytes.IndexByte(log[end:], '\n')+1]
	}
	r, err := demand.Parse(log, nil)
	if err != nil {
		return fmt.Errorf("what was learned does not make a job log: %w", err)
	}
	if r.Bads > 0 {
		return fmt.Errorf("a job that was learned cannot be read: %s", r.Bad[0])
	}
	if _, bad := r.Bind(&docs[0].Value.(*document.Workload).Spec); len(bad) > 0 {
		return fmt.Errorf("a job that was learned cannot be simulated: %s", bad[0])
	}
	return nil
}

// Named is the document with its jobs named by their digest, as they are where they are
// stored.
func (out *LearnedJobs) Named(digest string) string {
	return strings.Replace(out.Workload, "{file: "+out.File+"}", "{file: "+out.File+", digest: "+digest+"}", 1)
}
