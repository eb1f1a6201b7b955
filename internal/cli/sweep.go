package cli

import (
	"context"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"

	"tachyphor/client"
	"tachyphor/core/aim"
	"tachyphor/core/document"
	"tachyphor/core/explore"
	"tachyphor/core/paired"
	"tachyphor/core/world"
	"tachyphor/wire"

	"github.com/spf13/cobra"
)

// exploreFlags are the flags of sweep and improve.
type exploreFlags struct {
	hereFlags
	aims   []string
	across []string
	least  string
	budget int
	write  string
	as     string
	on     onFlags
}

func (f *exploreFlags) add(c *cobra.Command) {
	fl := c.Flags()
	fl.StringArrayVar(&f.aims, "aim", nil, "what a variant must keep, as in \"95 % of all jobs start within 60s\" (may be repeated; default: those of the sweep, or the scenario's)")
	fl.StringSliceVar(&f.across, "across", nil, "workloads that every variant must hold on, in place of the scenario's own")
	fl.StringVar(&f.least, "least", "", "what is to be as small as possible: bill, delay, lead or worth")
	fl.IntVar(&f.budget, "budget", 0, "most runs of one repeat of one variant")
	fl.StringVar(&f.write, "write", "", "write what is recommended to this file, as a scenario of its own")
	fl.StringVar(&f.as, "store", "", "store what is recommended under this name, as a scenario of its own")
	f.hereFlags.add(c)
	f.on.add(c)
}

// aimsRead tells what is wrong with aims that were given as flags.
func aimsRead(aims []string) error {
	for _, text := range aims {
		if _, err := aim.Parse(text); err != nil {
			return fmt.Errorf("--aim:\n%w", err)
		}
	}
	return nil
}

// check looks for what is wrong with the flags before anything is asked.
func (f *exploreFlags) check(arg string) error {
	if err := aimsRead(f.aims); err != nil {
		return err
	}
	if values := document.Least("").Values(); f.least != "" && !slices.Contains(values, f.least) {
		return fmt.Errorf("--least %s: expected %s", f.least, strings.Join(values, ", "))
	}
	if f.budget < 0 {
		return fmt.Errorf("--budget %d: expected a number of runs", f.budget)
	}
	if f.here && f.as != "" {
		return errors.New("--store needs the service; with --here use --write")
	}
	if err := f.on.check(f.here); err != nil {
		return err
	}
	return f.hereFlags.check(arg, "explore")
}

func (p *program) sweepCommand() *cobra.Command {
	var f exploreFlags
	c := &cobra.Command{
		Use: "sweep SWEEP", Short: "Try variants of a scenario, and find the one that keeps its aims for the least",
		Long: `Read a Sweep: a scenario, the places in its documents that may be other, and what must be
kept. All variants are run on the same draws, or searched where there are more than the
budget allows; those that are surely worse get no more repeats. What is recommended is
tried again on fresh draws, and told with the single changes that lead to it, what one
more step of each would do, and which knobs matter.

SWEEP is the name of a stored one, which the service explores; it keeps what every run
said, so that nothing is run twice. With --here it is the file of one.

An aim is written as:

` + aim.Grammar,
		Example: "  tachyphor sweep lean-or-leaner\n  tachyphor sweep demo/sweeps/lean-or-leaner.yaml --here\n" +
			"  tachyphor sweep lean-or-leaner --aim \"bill at most 2500 a month\" --least delay -o csv",
		Args: cobra.ExactArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			if err := f.check(args[0]); err != nil {
				return err
			}
			if !f.here {
				return p.exploreThere(c.Context(), wire.Explore{Sweep: args[0]}, f)
			}
			d, in, across, err := p.gatherSweep(args[0], f.across, f.with, f.skipBad)
			if err != nil {
				return err
			}
			q, err := explore.Ask(d.Name, d.Value.(*document.Sweep).Spec.With(f.aims, f.across, document.Least(f.least), f.budget), across...)
			if err != nil {
				return no(err)
			}
			return p.exploreHere(c.Context(), q, in, f)
		},
	}
	f.add(c)
	return c
}

func (p *program) improveCommand() *cobra.Command {
	var f exploreFlags
	c := &cobra.Command{
		Use: "improve SCENARIO", Short: "Suggest what to change in a scenario so that it keeps its aims for less",
		Long: `Take the knobs from the scenario itself: ceilings, floors, spare and lingering agents, their
calendars, reuse and settling, how nodes grow and shrink, pools and their node types, cache
plan, placement; and the requests that size advises, where usage is stored. Values lie around
what stands there; ceilings go up to what the jobs would take at once if none waited. Then
as sweep does.

SCENARIO is the name of a stored one, which the service explores; with --here it is the file
of one, with what it names beside it.`,
		Example: "  tachyphor improve weekday-lean --aim \"95 % of all jobs start within 60s\"\n" +
			"  tachyphor improve weekday-lean --aim \"95 % of all jobs start within 60s\" --store leaner\n" +
			"  tachyphor improve weekday-lean --aim \"95 % of all jobs start within 60s\" --across week-38,busier\n" +
			"  tachyphor improve mine/export-first.yaml --here --aim \"bill at most 2500 a month\" --least delay --write leaner.yaml",
		Args: cobra.ExactArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			if err := f.check(args[0]); err != nil {
				return err
			}
			if !f.here {
				return p.exploreThere(c.Context(), wire.Explore{Scenario: args[0]}, f)
			}
			in, across, err := p.gatherImprove(args[0], f.across, f.with, f.skipBad)
			if err != nil {
				return err
			}
			name, spec := explore.Improving(in.Scenario.Name)
			q, err := explore.AskOwn(name, spec.With(f.aims, f.across, document.Least(f.least), f.budget), across...)
			if err != nil {
				return no(err)
			}
			return p.exploreHere(c.Context(), q, in, f)
		},
	}
	f.add(c)
	return c
}

// exploreHere answers in this process.
func (p *program) exploreHere(ctx context.Context, q *explore.Question, in world.Input, f exploreFlags) error {
	a, err := p.answer(ctx, q, in, f.hereFlags)
	if err != nil {
		return err
	}
	if err := p.explored(a); err != nil || f.write == "" {
		return err
	}
	return p.writeBest(a, f.write, func() (string, error) {
		return explore.Own(in.Named, a.Patch, explore.BetterName(in.Scenario.Name))
	})
}

// answer answers in this process.
func (p *program) answer(ctx context.Context, q *explore.Question, in world.Input, f hereFlags) (a *explore.Answer, err error) {
	workers, err := room(max(1, f.workers), q.Need)
	if err != nil {
		return nil, err
	}
	err = p.compute(ctx, "exploring "+in.Scenario.Name, f.quiet, seedOf(in), func(progress paired.Progress) (err error) {
		a, err = q.Answer(explore.Way{Workers: workers, Progress: progress})
		return err
	})
	return a, err
}

// exploreThere asks the service, watches, and cancels on Ctrl-C.
func (p *program) exploreThere(ctx context.Context, ask wire.Explore, f exploreFlags) error {
	ask.Aims, ask.Across, ask.Least, ask.Runs, ask.On = f.aims, f.across, f.least, f.budget, f.on.where()
	c := p.client()
	asked, err := c.Explore(ctx, ask)
	if err != nil {
		if ask.Sweep != "" {
			return unknown(err, "sweeps")
		}
		return unknown(err, "scenarios")
	}
	if err := p.watch(ctx, c, fmt.Sprintf("exploration %d", asked.ID), f.quiet, asked.ID); err != nil {
		return err
	}
	w, err := c.Exploration(ctx, asked.ID)
	if err != nil {
		return err
	}
	a := w.Result
	if err := p.explored(a); err != nil {
		return err
	}
	if w.Exploration.Pods != "" {
		fmt.Fprintln(p.err, w.Exploration.Pods)
	}
	if f.write != "" {
		if err := p.writeBest(a, f.write, func() (string, error) {
			v, err := c.Variant(ctx, asked.ID, a.Best)
			return v.Own, err
		}); err != nil {
			return err
		}
	}
	if f.as != "" {
		return p.storeBest(ctx, c, asked.ID, a, f.as)
	}
	if p.format == "table" {
		next := fmt.Sprintf("Exploration %d. ", asked.ID)
		if a.Best > 0 {
			next += fmt.Sprintf("Next: `--store NAME` makes what is recommended a scenario, `tachyphor get exploration %d` shows this again.", asked.ID)
		}
		fmt.Fprintln(p.out, p.faint(next))
	}
	return nil
}

// recommended reports whether there is something to be written of an answer.
func (p *program) recommended(a *explore.Answer) (bool, error) {
	switch {
	case a.Best < 0:
		return false, no(errors.New("nothing was written: no variant surely keeps all aims"))
	case len(a.Patch) == 0:
		fmt.Fprintln(p.err, "Nothing was written: the scenario is already what is recommended.")
		return false, nil
	}
	return true, nil
}

// writeBest writes what is recommended as a scenario of its own.
func (p *program) writeBest(a *explore.Answer, file string, own func() (string, error)) error {
	if ok, err := p.recommended(a); !ok {
		return err
	}
	text, err := own()
	if err != nil {
		return err
	}
	err = whole(file, func(w io.Writer) error { _, err := io.WriteString(w, text); return err })
	if err == nil {
		fmt.Fprintf(p.err, "Written: %s. Next: `tachyphor simulate %s --here`.\n", file, file)
	}
	return err
}

// storeBest stores what is recommended as a scenario of its own.
func (p *program) storeBest(ctx context.Context, c *client.Client, id uint64, a *explore.Answer, name string) error {
	if ok, err := p.recommended(a); !ok {
		return err
	}
	list, err := c.MakeScenario(ctx, id, a.Best, name)
	if err != nil {
		return err
	}
	for _, d := range list {
		fmt.Fprintf(p.err, "%s %s is stored.\n", d.Kind, d.Name)
	}
	fmt.Fprintf(p.err, "Next: `tachyphor simulate %s`.\n", name)
	return nil
}
