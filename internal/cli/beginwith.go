package cli

import (
	"errors"
	"fmt"

	"tachyphor/core/document"
	"tachyphor/core/learn"
)

// begin writes documents with which a learned workload can be simulated at once: of templates that somebody has, where their
// manifests are named, else of one agent for each job. The text is empty where neither a node nor a manifest is named; begun is
// nil without manifests.
func (p *program) begin(got *learn.LearnedJobs, f learnJobsFlags) (text string, begun *learn.Beginning, err error) {
	var node *learn.Node
	if f.node != "" {
		n, err := learn.ParseNode(f.node, f.currency)
		if err != nil {
			return "", nil, fmt.Errorf("--node: %w", err)
		}
		node = &n
	}
	switch {
	case len(f.manifests) > 0:
		begun, err = p.beginWith(got, f, node)
		if err != nil {
			return "", nil, err
		}
		return begun.Text, begun, nil
	case node != nil:
		if text, err = got.Begin(*node); err != nil {
			return "", nil, no(err)
		}
	}
	return text, nil, nil
}

func (p *program) beginWith(got *learn.LearnedJobs, f learnJobsFlags, node *learn.Node) (*learn.Beginning, error) {
	workload, faults := document.Parse(got.Name+".yaml", []byte(got.Workload))
	if len(faults) > 0 {
		return nil, faults
	}
	s, err := p.stackOf(f.manifests, nil)
	if err != nil {
		return nil, err
	}
	begun, err := learn.BeginWith(got.Name, &workload[0].Value.(*document.Workload).Spec, s.asked, node, f.currency, "")
	if err != nil && !errors.As(err, &faults) {
		err = no(err)
	}
	return begun, err
}

// assumed tells what documents to begin with assume, and whom they serve nothing.
func (p *program) assumed(b *learn.Beginning) {
	fmt.Fprintln(p.err, "Assumed, until you say or measure it:")
	for _, a := range b.Assumed {
		fmt.Fprintln(p.err, "- "+a)
	}
	if len(b.Unmatched) > 0 {
		fmt.Fprintln(p.err, "These classes get no template, and their jobs would wait for ever:")
	}
	for _, u := range b.Unmatched {
		fmt.Fprintln(p.err, "- "+u)
	}
}
