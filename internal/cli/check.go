package cli

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"tachyphor/core/document"
	"tachyphor/core/review"
	"tachyphor/wire"

	"github.com/jedib0t/go-pretty/v6/text"
	"github.com/spf13/cobra"
)

func (p *program) checkCommand() *cobra.Command {
	var with, records []string
	var fix bool
	failAt := string(review.Risky)
	c := &cobra.Command{
		Use: "check [FILE|TEMPLATE...]", Short: "Say what will go wrong with templates, and why",
		Long: `Read templates and say what will go wrong with them, why, and what to do. Files and
folders are read without a service; what else they hold (clusters, workloads,
scenarios, roles, network policies) is looked at too, and more with --with. Names
are those of stored templates, no name means all of them.

Of files that hold clusters and no templates it says, fact by fact, what was measured, what
is old, and what nobody measured; with --records also what newer records of the cluster
contradict.

With --fix what can be mended for certain is mended: in the files, where comments
and order stay, or in the stored templates, as a new revision.

The exit status is 1 when a finding of --fail-at or graver remains.`,
		Example: "  tachyphor check build/agents.yaml --with platform/\n  tachyphor check compile-wide --fix\n  tachyphor check " +
			"-o json --fail-at will-not-work",
		RunE: func(c *cobra.Command, args []string) error {
			least := review.Severity(strings.ReplaceAll(failAt, " ", "-"))
			if !slices.Contains(review.Severities(), least) {
				return fmt.Errorf("--fail-at %q: expected will-not-work, risky, wasteful or advice", failAt)
			}
			list, err := p.check(c.Context(), args, with, fix)
			if none := (noTemplates{}); errors.As(err, &none) && len(none.clusters) > 0 {
				return p.checkClusters(none.clusters, none.beside, records)
			}
			if err == nil && len(records) > 0 {
				err = errors.New("--records is held against a Cluster; name its file, as in check north.yaml --records records.json")
			}
			if err != nil {
				return err
			}
			if err := p.findings(list); err != nil {
				return err
			}
			for _, r := range list {
				if slices.ContainsFunc(r.Findings, func(f review.Finding) bool { return f.Severity.AtLeast(least) }) {
					return refusal{exitNo, errSilent}
				}
			}
			return nil
		},
	}
	c.Flags().StringArrayVar(&with, "with", nil, "file or folder with what stands around the templates (may be repeated)")
	c.Flags().StringArrayVar(&records, "records", nil, "with a Cluster: hold it against records of it, as learn cluster reads them (may be repeated)")
	c.Flags().BoolVar(&fix, "fix", false, "mend what can be mended for certain")
	c.Flags().StringVar(&failAt, "fail-at", failAt, "gravest severity that still fails: will-not-work, risky, wasteful or advice")
	return c
}

// check reviews the templates that are named, mending them first where asked to.
func (p *program) check(ctx context.Context, args, with []string, fix bool) ([]wire.Reviewed, error) {
	if len(args) == 0 || !isFile(args[0]) {
		return p.checkStored(ctx, args, fix)
	}
	s, err := p.stackOf(args, with)
	if err != nil {
		return nil, err
	}
	list := s.review()
	for round := 0; fix && round < rounds; round++ {
		n, err := p.mend(s, list)
		if err != nil || n == 0 {
			return list, err
		}
		if s, err = p.stackOf(args, with); err != nil {
			return nil, err
		}
		list = s.review()
	}
	return list, nil
}

// rounds is how often fixes are looked for again after some were made: once it is
// clear which container is the agent, say, there is more to be said of it.
const rounds = 4

// review reviews the templates that were asked for.
func (s *stack) review() []wire.Reviewed {
	list := []wire.Reviewed{}
	for _, d := range s.asked {
		list = append(list, wire.Reviewed{
			Name: d.Name, File: d.File, From: d.Lift.From, Left: d.Lift.Left, Portrait: s.shelf.Portray(d),
			Findings: s.shelf.Check(d),
		})
	}
	return list
}

// mend makes the fixes of all findings in their files, and returns how many it
// made.
func (p *program) mend(s *stack, list []wire.Reviewed) (int, error) {
	edits := map[string]map[*document.Document][]document.Edit{}
	n := 0
	for i, r := range list {
		d := s.asked[i]
		for _, f := range r.Findings {
			if len(f.Fix) == 0 {
				continue
			}
			if d.File == "-" {
				return 0, errors.New("--fix writes files; name the file instead of reading standard input")
			}
			if edits[d.File] == nil {
				edits[d.File] = map[*document.Document][]document.Edit{}
			}
			edits[d.File][d] = append(edits[d.File][d], f.Fix...)
			n++
		}
	}
	for file, of := range edits {
		if err := mendFile(file, s.files[file], of); err != nil {
			return 0, err
		}
	}
	if n == 0 {
		return 0, nil
	}
	fmt.Fprintf(p.err, "%s mended in %s.\n", counted(n, "finding"), counted(len(edits), "file"))
	return n, nil
}

// checkStored reviews stored templates.
func (p *program) checkStored(ctx context.Context, names []string, fix bool) ([]wire.Reviewed, error) {
	c := p.client()
	read := func() ([]wire.Reviewed, error) {
		if len(names) == 0 {
			return c.Templates(ctx)
		}
		var list []wire.Reviewed
		for _, n := range names {
			r, err := c.Template(ctx, n)
			if err != nil {
				return nil, err
			}
			list = append(list, r)
		}
		return list, nil
	}
	list, err := read()
	for round := 0; fix && err == nil && round < rounds; round++ {
		var mended int
		if mended, err = p.mendStored(ctx, list); err != nil || mended == 0 {
			break
		}
		list, err = read()
	}
	return list, err
}

// mendStored makes the fixes of all findings in the stored templates, each as a new
// revision, and returns how many templates it mended.
func (p *program) mendStored(ctx context.Context, list []wire.Reviewed) (mended int, err error) {
	c := p.client()
	for _, r := range list {
		var edits []document.Edit
		for _, f := range r.Findings {
			edits = append(edits, f.Fix...)
		}
		if len(edits) == 0 {
			continue
		}
		stored, err := c.Edit(ctx, document.KindPodTemplate, r.Name, r.Revision, edits)
		if err != nil {
			return mended, err
		}
		mended++
		fmt.Fprintf(p.err, "%s mended; it is revision %d now (`tachyphor diff template %s %d %d`).\n", r.Name, stored.Revision, r.Name,
			r.Revision, stored.Revision)
	}
	return mended, nil
}

// errSilent ends a command whose output has said everything.
var errSilent = errors.New("")

// findings writes what check has to say.
func (p *program) findings(list []wire.Reviewed) error {
	l := listing{columns: []column{
		{"template", false},
		{"severity", false},
		{"id", false},
		{"file", false},
		{"line", true},
		{"column", true},
		{"path", false},
		{"says", false},
		{"do", false},
	}, value: list, main: "findings"}
	total, fixes, sound := 0, 0, 0
	counts := map[review.Severity]int{}
	for _, r := range list {
		for _, f := range r.Findings {
			total++
			counts[f.Severity]++
			if len(f.Fix) > 0 {
				fixes++
			}
			l.rows = append(l.rows, []string{
				r.Name, f.Severity.Words(), f.ID, f.File, fmt.Sprint(f.Line), fmt.Sprint(f.Column), f.Path, f.Says,
				f.Do,
			})
		}
		if len(r.Findings) == 0 {
			sound++
		}
	}
	if p.format != "table" {
		return p.show(l)
	}
	told := map[string]string{} // what was said of other objects, and under which template
	for _, r := range list {
		if len(r.Findings) > 0 {
			p.reviewed(r, told)
		}
	}
	if total == 0 {
		_, err := fmt.Fprintf(p.out, "%s: nothing to say.\n", counted(len(list), "template"))
		return err
	}
	var parts []string
	for _, s := range review.Severities() {
		if counts[s] > 0 {
			parts = append(parts, fmt.Sprintf("%d %s", counts[s], s.Words()))
		}
	}
	fmt.Fprintf(p.out, "%s: %s.", counted(len(list), "template"), strings.Join(parts, ", "))
	if sound > 0 {
		fmt.Fprintf(p.out, " %d without a finding.", sound)
	}
	if fixes > 0 {
		fmt.Fprintf(p.out, " --fix mends %d.", fixes)
	}
	_, err := fmt.Fprintln(p.out)
	return err
}

// reviewed writes the findings of one template.
func (p *program) reviewed(r wire.Reviewed, told map[string]string) {
	head := p.strong(r.Name)
	if f := r.File; f != "" && !strings.HasPrefix(f, document.KindPodTemplate+"/") {
		head += p.faint("  " + f)
	}
	if r.From != "" && r.From != document.KindPodTemplate {
		head += p.faint("  out of a " + r.From)
	}
	fmt.Fprintln(p.out, head)
	width := min(p.term.width, 104) - 6
	for _, f := range r.Findings {
		severity := fmt.Sprintf("%-13s", f.Severity.Words())
		switch f.Severity {
		case review.WillNotWork:
			severity = p.bad(severity)
		case review.Risky:
			severity = p.warn(severity)
		}
		where := fmt.Sprintf("%d:%d", f.Line, f.Column)
		if f.File != r.File { // it is about another object
			where = f.File + ":" + where
			key := strings.Join([]string{f.ID, where, f.Path, f.Says}, "\x00")
			if first, ok := told[key]; ok {
				fmt.Fprintf(p.out, "  %s  %-7s %s  %s\n", severity, where, p.strong(f.ID), p.faint(f.Path+"; as under "+first))
				continue
			}
			told[key] = r.Name
		}
		fmt.Fprintf(p.out, "  %s  %-7s %s  %s\n", severity, where, p.strong(f.ID), p.faint(f.Path))
		says := f.Says
		if f.Scenario != "" {
			says = "In " + f.Scenario + ": " + says
		}
		do := "→ " + f.Do
		if len(f.Fix) > 0 {
			do += " (--fix does it)"
		}
		for _, s := range []string{says, do} {
			for _, line := range strings.Split(text.WrapSoft(s, width), "\n") {
				fmt.Fprintln(p.out, "      "+strings.TrimRight(line, " "))
			}
		}
	}
	fmt.Fprintln(p.out)
}
