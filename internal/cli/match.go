package cli

import (
	"errors"
	"fmt"
	"slices"
	"strings"

	"tachyphor/core/document"
	"tachyphor/core/review"
	"tachyphor/core/units"

	"github.com/spf13/cobra"
)

func (p *program) matchCommand() *cobra.Command {
	var with []string
	c := &cobra.Command{
		Use: "match WORKLOAD SCENARIO", Short: "Show which template each job class gets, and why one gets none",
		Long: `Hold a workload against the templates of a scenario: which template each class
gets, in which order of preference, what is missing where none does, and which work
a template takes that it should not. Names are those of stored documents; with
--with they are looked for in files, without a service.

The exit status is 1 when a class gets no template.`,
		Example: "  tachyphor match week-38 weekday-lean\n  tachyphor match week-38 weekday-lean --with demo/",
		Args:    cobra.ExactArgs(2),
		RunE: func(c *cobra.Command, args []string) error {
			m, err := p.match(c, args[0], args[1], with)
			if err != nil {
				return err
			}
			if err := p.matches(m); err != nil {
				return err
			}
			if slices.ContainsFunc(m.Classes, func(k review.ClassMatch) bool { return len(k.Templates) == 0 }) {
				return refusal{exitNo, errSilent}
			}
			return nil
		},
	}
	c.Flags().StringArrayVar(&with, "with", nil, "file or folder in which the documents are, instead of the service (may be repeated)")
	return c
}

func (p *program) match(c *cobra.Command, workload, scenario string, with []string) (review.Matches, error) {
	if len(with) == 0 {
		return p.client().Match(c.Context(), workload, scenario)
	}
	s, err := p.stackOf(with, nil)
	if err != nil {
		return review.Matches{}, err
	}
	w, x := s.shelf.Find(document.KindWorkload, workload), s.shelf.Find(document.KindScenario, scenario)
	if w == nil || x == nil {
		return review.Matches{}, no(errors.New("no " +
			map[bool]string{true: "Workload " + workload, false: "Scenario " + scenario}[w == nil] + " in " + strings.Join(with, ", ")))
	}
	return s.shelf.Match(w, x), nil
}

// matches writes which template each class gets.
func (p *program) matches(m review.Matches) error {
	l := listing{columns: []column{{"class", false}, {"wants", false}, {"jobs a week", true}, {"goes to", false}}, value: m, main: "classes"}
	unserved := 0
	for _, k := range m.Classes {
		goes := strings.Join(k.Templates, ", else ")
		if len(k.Templates) == 0 {
			unserved++
			goes = "nobody; all take only jobs that name something they offer"
			if len(k.Missing) > 0 {
				goes = fmt.Sprintf("nobody; %s lacks %s", k.Nearest, strings.Join(k.Missing, " and "))
			}
			for _, s := range k.Slips {
				goes += fmt.Sprintf(" (is %s a slip? it offers %s, %s away)", s.Word, s.Meant, counted(s.Letters, "letter"))
			}
		}
		jobs := ""
		if k.PerWeek > 0 {
			jobs = units.Count(int64(k.PerWeek + 0.5))
		}
		l.rows = append(l.rows, []string{k.Class, strings.Join(k.Wants, ", "), jobs, goes})
	}
	if p.format != "table" {
		return p.show(l)
	}
	head := fmt.Sprintf("Every class of %s gets a template of %s.", m.Workload, m.Scenario)
	if unserved > 0 {
		head = fmt.Sprintf("%s of %s no template of %s serves: their jobs wait for ever.", counted(unserved, "class"), m.Workload, m.Scenario)
		if unserved > 1 {
			head = fmt.Sprintf("%d classes of %s no template of %s serves: their jobs wait for ever.", unserved, m.Workload, m.Scenario)
		}
		head = p.warn(head)
	}
	fmt.Fprintln(p.out, head)
	fmt.Fprintln(p.out)
	if err := p.show(l); err != nil {
		return err
	}
	for _, x := range m.Misfits {
		fmt.Fprintln(p.out, p.warn("! ")+p.wrap(fmt.Sprintf("%s takes %s and should not: %s.", x.Template, x.Class, x.Why)))
	}
	for _, name := range m.Idle {
		fmt.Fprintln(p.out, p.warn("! ")+name+" gets no class at all.")
	}
	return nil
}
