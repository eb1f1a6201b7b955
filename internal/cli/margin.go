package cli

import (
	"context"
	"fmt"
	"strconv"

	"tachyphor/client"
	"tachyphor/core/aim"
	"tachyphor/core/explore"
	"tachyphor/core/paired"
	"tachyphor/wire"

	"github.com/spf13/cobra"
)

// marginFlags are the flags of margin.
type marginFlags struct {
	hereFlags
	aims []string
}

func (p *program) marginCommand() *cobra.Command {
	var f marginFlags
	c := &cobra.Command{
		Use: "margin SCENARIO", Short: "Say how far a scenario bears what nobody chooses: more jobs, slower boots, higher prices",
		Long: `Let jobs, boot times, image sizes, slow links and node prices grow, each by itself and on the
same draws, and say up to which factor each aim is surely kept and from which on it is
surely missed; what breaks first, and what jobs wait for then. An aim that is missed
today is told with the factor at which it would be kept.

SCENARIO is the name of a stored one; with --here it is the file of one, with what it
names beside it. Without --aim, the aims of the scenario are asked for. An aim is written as:

` + aim.Grammar,
		Example: "  tachyphor margin weekday-lean --aim \"95 % of all jobs start within 2m\" --aim \"bill at most 3500 a month\"\n" +
			"  tachyphor margin mine/export-first.yaml --here --aim \"no job fails for memory\"",
		Args: cobra.ExactArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			if err := aimsRead(f.aims); err != nil {
				return err
			}
			if err := f.check(args[0], "try"); err != nil {
				return err
			}
			if f.here {
				return p.marginHere(c.Context(), args[0], f)
			}
			return p.marginThere(c.Context(), args[0], f)
		},
	}
	fl := c.Flags()
	fl.StringArrayVar(&f.aims, "aim", nil, "what must be kept, as in \"95 % of all jobs start within 60s\" (may be repeated; default: the scenario's aims)")
	f.hereFlags.add(c)
	return c
}

func (p *program) marginHere(ctx context.Context, file string, f marginFlags) error {
	in, err := p.gatherInput(file, f.with, f.skipBad)
	if err != nil {
		return err
	}
	q, err := explore.AskMargin(in, f.aims)
	if err != nil {
		return no(err)
	}
	workers, err := room(max(1, f.workers), q.NeedOfMargins)
	if err != nil {
		return err
	}
	var m *explore.Margins
	err = p.compute(ctx, "margins of "+in.Scenario.Name, f.quiet, seedOf(in), func(progress paired.Progress) (err error) {
		m, err = q.Margins(explore.Way{Workers: workers, Progress: progress})
		return err
	})
	if err != nil {
		return err
	}
	return p.margins(m)
}

// marginThere asks the service, watches, and cancels on Ctrl-C.
func (p *program) marginThere(ctx context.Context, scenario string, f marginFlags) error {
	c := p.client()
	asked, err := c.Margin(ctx, scenario, f.aims)
	if err != nil {
		return unknown(err, "scenarios")
	}
	if err := p.watch(ctx, c, fmt.Sprintf("margin %d", asked.ID), f.quiet, asked.ID); err != nil {
		return err
	}
	return p.printMargin(ctx, c, asked.ID)
}

// margins writes how far a scenario bears what may grow.
func (p *program) margins(m *explore.Margins) error {
	l := listing{columns: []column{
		{"what grows", false}, {"aim", false}, {"today", false}, {"kept up to", true}, {"missed from", true}, {"", false},
	}, value: m, main: "margins"}
	times := func(x float64) string {
		if x == 0 {
			return "–"
		}
		return strconv.FormatFloat(x, 'f', 2, 64) + " ×"
	}
	for _, x := range m.Margins {
		what := x.Of
		for i, b := range x.Aims {
			if b.Unmoved {
				continue
			}
			kept, note := times(b.Kept), ""
			if b.AtMost {
				kept, note = times(x.Most), p.faint("and may be beyond: no more was tried")
			}
			if i == x.First {
				if note = p.strong("breaks first"); b.Today != aim.Kept {
					note = p.strong(string(b.Today) + " already")
				}
				if x.Why != "" {
					note += p.faint(": " + x.Why)
				}
			}
			l.rows = append(l.rows, []string{what, b.Aim, p.verdicts([]aim.Reading{m.Today.Aims[i]}), kept, times(b.Missed), note})
			what = ""
		}
	}
	if !p.lines() {
		return p.show(l)
	}
	fmt.Fprintln(p.out, p.wrap(p.strong(m.Sentence)))
	fmt.Fprintln(p.out)
	fmt.Fprintln(p.out, p.table(l))
	fmt.Fprintln(p.out, p.faint(p.wrap(fmt.Sprintf("Each by itself, %d repeats at each factor on the same draws; factors to %.0f %%; %s.", m.Repeats,
		100*(m.Finest-1), counted(m.Runs, "run")))))
	return nil
}

// printMargin prints margins.
func (p *program) printMargin(ctx context.Context, c *client.Client, id uint64) error {
	w, err := c.Margins(ctx, id)
	if err != nil {
		return err
	}
	if w.Result == nil {
		return notDone("margin", w.WorkBrief)
	}
	return p.margins(w.Result)
}

func marginsListing(list []wire.WorkBrief) listing {
	l := listing{columns: []column{{"margin", true}, {"scenario", false}, {"asked", false}, {"state", false}, {"answer", false}}, value: list}
	for _, w := range list {
		l.rows = append(l.rows, []string{strconv.FormatUint(w.ID, 10), w.About, here(w.Asked), string(w.State), clipped(w.Margin.Sentence, 90)})
	}
	return l
}
