package cli

import (
	"errors"
	"fmt"
	"strings"

	"tachyphor/core/document"
	"tachyphor/core/learn"
)

// begin writes documents with which a learned workload can be simulated at once: of templates that somebody has, where their
// manifests are named, else of one agent for each job. It is empty where neither a node nor a manifest is named.
func (p *program) begin(got *learn.LearnedJobs, f learnJobsFlags) (text string, err error) {
	var node *learn.Node
	if f.node != "" {
		n, err := learn.ParseNode(f.node, f.currency)
		if err != nil {
			return "", fmt.Errorf("--node: %w", err)
		}
		node = &n
	}
	if len(f.manifests) == 0 {
		if node == nil {
			return "", nil
		}
		text, err = got.Begin(*node)
		return text, no(err)
	}
	workload, faults := document.Parse(got.Name+".yaml", []byte(got.Workload))
	if len(faults) > 0 {
		return "", faults
	}
	var templates []*document.Document
	for _, path := range f.manifests {
		data, err := p.read(path)
		if err != nil {
			return "", err
		}
		r := document.Read(path, data)
		faults = append(faults, r.Faults...)
		for _, d := range r.Documents {
			if d.Kind == document.KindPodTemplate {
				templates = append(templates, d)
			}
		}
	}
	if len(faults) > 0 {
		return "", faults
	}
	begun, err := learn.BeginWith(got.Name, &workload[0].Value.(*document.Workload).Spec, templates, node, f.currency, "")
	if err != nil {
		if errors.As(err, &faults) {
			return "", faults
		}
		return "", no(fmt.Errorf("%s: %w", strings.Join(f.manifests, ", "), err))
	}
	fmt.Fprintln(p.err, "Assumed, until you say or measure it:")
	for _, a := range begun.Assumed {
		fmt.Fprintln(p.err, "- "+a)
	}
	if len(begun.Unmatched) > 0 {
		fmt.Fprintln(p.err, "These classes get no template, and their jobs would wait for ever:")
	}
	for _, u := range begun.Unmatched {
		fmt.Fprintln(p.err, "- "+u)
	}
	return begun.Text, nil
}
