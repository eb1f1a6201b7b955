package cli

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"time"

	"tachyphor/core/doubt"
	"tachyphor/core/paired"

	"github.com/spf13/cobra"
)

// doubtFlags are the flags of doubt.
type doubtFlags struct {
	outcome uint64
	with    []string
	workers int
	skipBad bool
	quiet   bool
}

func (p *program) doubtCommand() *cobra.Command {
	var f doubtFlags
	c := &cobra.Command{
		Use: "doubt SCENARIO|FILE", Short: "Find which facts of the cluster to measure next: how much of an outcome depends on each",
		Long: `Simulate a scenario with each fact of its cluster at the ends of what it may be, on the same
draws, and say how much start delays and the bill would change. A fact that was measured
is tried at its bounds (measured: in the Cluster), one that nobody measured at half and
twice what is said, an old one in between. Those on which most hangs come first.

SCENARIO is a stored one, or the number of an outcome with --outcome; the service tries it. FILE
is the scenario's, with what it names beside it, as for simulate --here.`,
		Example: "  tachyphor doubt weekday-lean\n  tachyphor doubt --outcome 7\n  tachyphor doubt mine/export-first.yaml\n  tachyphor doubt scenarios/lean.yaml --with platform/ -o csv",
		Args:    cobra.MaximumNArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			switch {
			case (len(args) == 0) == (f.outcome == 0):
				return errors.New("name a scenario, its file, or an outcome with --outcome; one of them")
			case len(args) == 1 && isFile(args[0]):
				return p.doubt(c.Context(), args[0], f)
			case len(f.with) > 0 || f.skipBad:
				return errors.New("--with and --skip-bad are for files")
			}
			return p.doubtThere(c.Context(), strings.Join(args, ""), f)
		},
	}
	f.add(c)
	return c
}

func (p *program) doubt(ctx context.Context, file string, f doubtFlags) error {
	in, err := p.gatherInput(file, f.with, f.skipBad)
	if err != nil {
		return err
	}
	question, err := doubt.Ask(in, time.Now(), nil)
	if err != nil {
		return err
	}
	workers, err := room(max(1, f.workers), question.Need)
	if err != nil {
		return err
	}
	var d *doubt.Doubts
	err = p.compute(ctx, "doubting "+in.Scenario.Name, f.quiet, seedOf(in), func(progress paired.Progress) (err error) {
		d, err = question.Try(workers, progress)
		return err
	})
	if err != nil {
		return err
	}
	return p.doubts(d)
}

// doubtThere lets the service try a stored scenario or an outcome.
func (p *program) doubtThere(ctx context.Context, scenario string, f doubtFlags) error {
	c := p.client()
	asked, err := c.Doubt(ctx, scenario, f.outcome)
	if err != nil {
		return err
	}
	if err := p.watch(ctx, c, "doubting "+asked.About, f.quiet, asked.ID); err != nil {
		return err
	}
	d, err := c.Doubted(ctx, asked.ID)
	if err != nil {
		return err
	}
	return p.doubts(d.Result)
}

// doubts writes what an outcome hangs on.
func (p *program) doubts(d *doubt.Doubts) error {
	l := listing{columns: []column{
		{"fact", false}, {"says", true}, {"", false}, {"if it were", true}, {"95 % of delays", true}, {"a month", true},
	}, value: d, main: "facts"}
	money := inCurrency(d.Currency)
	var idle []string // nothing hangs on them
	for _, x := range d.Facts {
		if x.Moot {
			idle = append(idle, x.Fact.Fact)
			continue
		}
		known := string(x.Known)
		switch x.Known {
		case doubt.Measured:
			known = p.faint(known + " " + x.At.Format(time.DateOnly))
		case doubt.Old:
			known = p.warn("old, " + x.At.Format(time.DateOnly))
		default:
			known = p.warn(known)
		}
		l.rows = append(l.rows,
			[]string{x.Fact.Fact, x.Says, known, x.Low, p.change(x.AtLow.P95, shortly), p.change(x.AtLow.Cost, money)},
			[]string{"", "", "", x.High, p.change(x.AtHigh.P95, shortly), p.change(x.AtHigh.Cost, money)})
	}
	if !p.lines() {
		return p.show(l)
	}
	fmt.Fprintln(p.out, p.strong(d.Scenario)+p.faint(fmt.Sprintf("  95 %% of jobs start within %s, %s a month; %d repeats on the same draws", shortly(d.P95),
		money(d.Cost), d.Repeats)))
	fmt.Fprintln(p.out)
	if len(d.Facts) == 0 {
		fmt.Fprintln(p.out, "The cluster says nothing that takes time: there is nothing to doubt, and nothing to trust.")
		return nil
	}
	fmt.Fprintln(p.out, p.table(l))
	if len(idle) > 0 {
		fmt.Fprintln(p.out, p.faint(p.wrap("\nNothing hangs on "+strings.Join(idle, ", ")+".")))
	}
	if d.Next != "" {
		fmt.Fprintln(p.out, p.wrap(fmt.Sprintf("\nMeasure %s next: `tachyphor learn cluster`, a rehearsal or `tachyphor probe` tell it.", d.Next)))
	}
	return nil
}
