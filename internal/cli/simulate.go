package cli

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"strconv"
	"strings"
	"time"

	"tachyphor/client"
	"tachyphor/core/document"
	"tachyphor/core/outcome"
	"tachyphor/core/paired"
	"tachyphor/core/sim"
	"tachyphor/core/units"
	"tachyphor/core/world"
	"tachyphor/wire"

	"github.com/spf13/cobra"
	"github.com/vbauerster/mpb/v8"
	"github.com/vbauerster/mpb/v8/decor"
	"golang.org/x/term"
)

// simulateFlags are the flags of simulate.
type simulateFlags struct {
	hereFlags
	seed    uint64
	repeats int
}

func (p *program) simulateCommand() *cobra.Command {
	var f simulateFlags
	c := &cobra.Command{
		Use:   "simulate SCENARIO",
		Short: "Run a scenario and print delays, their causes and the bill",
		Long: `Run a scenario: its name at the service, or with --here the file of one. With
--here, the documents that the scenario names are looked for in that file, its
folder and the folder above, and nothing is stored.`,
		Example: "  tachyphor simulate weekday-lean\n  tachyphor simulate demo/scenarios/on-demand.yaml --here -o json",
		Args:    cobra.ExactArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			if f.repeats < 0 || f.repeats > 1000 {
				return fmt.Errorf("--repeats %d: expected 1 to 1000", f.repeats)
			}
			var seed *uint64
			if c.Flags().Changed("seed") {
				seed = &f.seed
			}
			if f.here {
				return p.simulateHere(c.Context(), args[0], f, seed)
			}
			if err := f.check(args[0], "simulate"); err != nil {
				return err
			}
			return p.simulateThere(c.Context(), args[0], f, seed)
		},
	}
	f.hereFlags.add(c)
	fl := c.Flags()
	fl.Uint64Var(&f.seed, "seed", 0, "another seed than the scenario's")
	fl.IntVar(&f.repeats, "repeats", 0, "another number of repeats than the scenario's")
	return c
}

func extension(path string) string {
	if i := strings.LastIndexByte(path, '.'); i >= 0 {
		return path[i:]
	}
	return ""
}

// simulateHere computes in this process.
func (p *program) simulateHere(ctx context.Context, file string, f simulateFlags, seed *uint64) error {
	w, err := p.gather(file, f.with, f.skipBad)
	if err != nil {
		return err
	}
	if seed != nil {
		w.Plan.Seed = *seed
	}
	if f.repeats > 0 {
		w.Plan.Repeats = f.repeats
	}
	o, err := p.simulated(ctx, w, f.hereFlags)
	if err != nil {
		return err
	}
	return p.outcome(o)
}

// simulated runs a world in this process.
func (p *program) simulated(ctx context.Context, w *world.World, f hereFlags) (o *outcome.Outcome, err error) {
	workers, err := room(max(1, f.workers), func(n int) units.Bytes { return outcome.Need(w, n) })
	if err != nil {
		return nil, err
	}
	err = p.compute(ctx, "simulating "+w.Scenario, f.quiet, w.Plan.Seed, func(progress paired.Progress) (err error) {
		o, _, err = outcome.Simulate(w, workers, progress)
		return err
	})
	return o, err
}

// simulateThere asks the service, watches, and cancels on Ctrl-C.
func (p *program) simulateThere(ctx context.Context, name string, f simulateFlags, seed *uint64) error {
	c := p.client()
	var repeats *int
	if f.repeats > 0 {
		repeats = &f.repeats
	}
	asked, err := c.Simulate(ctx, name, wire.Run{Seed: seed, Repeats: repeats})
	if err != nil {
		return unknown(err, "scenarios")
	}
	if err := p.watchOutcome(ctx, c, asked.ID, f.quiet); err != nil {
		return err
	}
	o, err := c.Outcome(ctx, asked.ID, true)
	if err != nil {
		return err
	}
	if err := p.outcome(o.Result); err != nil || p.format != "table" {
		return err
	}
	fmt.Fprintln(p.out, p.faint(fmt.Sprintf("Outcome %d. Next: `tachyphor explain %d JOB`, `tachyphor compare %d OTHER`.", asked.ID,
		asked.ID, asked.ID)))
	return nil
}

// defect is what to do about an error that only the engine can make.
func defect(seed uint64, err error) error {
	return no(fmt.Errorf("a defect of the engine, please report it with the scenario and seed %d: %w", seed, err))
}

// compute does work of the engine in this process, showing how far it has come; it ends with the
// context. seed is the scenario's, for a report.
func (p *program) compute(ctx context.Context, what string, quiet bool, seed uint64, do func(paired.Progress) error) error {
	bar := p.progress(what, quiet)
	err := do(func(done float64) bool {
		bar.set(done)
		return ctx.Err() == nil
	})
	bar.end(err == nil)
	switch {
	case errors.Is(err, sim.ErrStopped):
		return no(errors.New("stopped; nothing was kept"))
	case err != nil:
		return defect(seed, err)
	}
	return nil
}

// watchOutcome follows a simulation to its end.
func (p *program) watchOutcome(ctx context.Context, c *client.Client, id uint64, quiet bool) error {
	return p.watch(ctx, c, fmt.Sprintf("outcome %d", id), quiet, id)
}

// watch follows long work to its end, and cancels it when it is interrupted. Work that is
// not done is an error.
func (p *program) watch(ctx context.Context, c *client.Client, what string, quiet bool, id uint64) error {
	bar := p.progress(what, quiet)
	end, err := c.Watch(ctx, id, func(w wire.WorkBrief) {
		bar.set(w.Progress)
		if e := w.Exploration; e != nil && e.Standing != nil {
			bar.note(e.Standing.Elsewhere)
		}
	})
	bar.end(err == nil && end.State == wire.Done)
	if ctx.Err() != nil {
		stop, done := context.WithTimeout(context.WithoutCancel(ctx), 5*time.Second)
		defer done()
		_, _ = c.Cancel(stop, id)
		return no(fmt.Errorf("%s was cancelled", what))
	}
	if err != nil {
		return err
	}
	if end.State != wire.Done {
		return no(fmt.Errorf("%s %s: %s", what, end.State, end.Error))
	}
	return nil
}

// outcome writes an outcome in the format that was asked for.
func (p *program) outcome(o *outcome.Outcome) error {
	switch p.format {
	case "table":
		p.report(o)
		return nil
	case "csv":
		return p.sheets(o, "groups")
	default:
		return p.value(o)
	}
}

// bar shows progress on standard error: a bar on a terminal, else a line now and
// then.
type bar struct {
	box  *mpb.Progress
	bar  *mpb.Bar
	out  io.Writer
	name string
	last time.Time
	said string // what was noted last
}

// barSteps is the grain of a bar.
const barSteps = 1000

func (p *program) progress(name string, quiet bool) *bar {
	f, ok := p.err.(*os.File)
	switch {
	case quiet:
		return &bar{}
	case !ok || !term.IsTerminal(int(f.Fd())):
		return &bar{out: p.err, name: name, last: time.Now()}
	}
	box := mpb.New(mpb.WithOutput(p.err), mpb.WithWidth(40))
	return &bar{box: box, bar: box.New(barSteps, mpb.BarStyle().Lbound("").Rbound("").Filler("━").Tip("━").Padding("─"),
		mpb.PrependDecorators(decor.Name(name+" ")),
		mpb.AppendDecorators(decor.Percentage(decor.WCSyncSpace), decor.OnComplete(decor.EwmaETA(decor.ET_STYLE_GO, 30, decor.WCSyncSpace), "")),
		mpb.BarRemoveOnComplete())}
}

// lineEvery is how often progress is told where there is no terminal.
const lineEvery = 5 * time.Second

func (b *bar) set(done float64) {
	switch {
	case b.bar != nil:
		b.bar.EwmaSetCurrent(min(int64(done*barSteps), barSteps-1), time.Since(b.last))
	case b.out != nil && time.Since(b.last) > lineEvery:
		fmt.Fprintf(b.out, "%s: %.0f %%\n", b.name, done*100)
		b.last = time.Now()
	}
}

// note tells how work stands that is done elsewhere, when that changes.
func (b *bar) note(text string) {
	if text == b.said {
		return
	}
	b.said = text
	switch {
	case text == "":
	case b.box != nil:
		_, _ = b.box.Write([]byte(text + "\n")) // above the bar
	case b.out != nil:
		fmt.Fprintf(b.out, "%s: %s\n", b.name, text)
	}
}

func (b *bar) end(ok bool) {
	if b.box == nil {
		return
	}
	if ok {
		b.bar.SetCurrent(barSteps)
	} else {
		b.bar.Abort(true)
	}
	b.box.Wait()
}

func (p *program) explainCommand() *cobra.Command {
	return &cobra.Command{
		Use: "explain OUTCOME JOB", Short: "Explain one job's delay, cause by cause", Args: cobra.ExactArgs(2),
		RunE: func(c *cobra.Command, args []string) error {
			cl := p.client()
			id, err := p.resolve(c.Context(), cl, args[0])
			if err != nil {
				return err
			}
			e, err := cl.Explain(c.Context(), id, args[1])
			if err != nil {
				return err
			}
			return p.explanation(e)
		},
	}
}

func (p *program) compareCommand() *cobra.Command {
	return &cobra.Command{
		Use: "compare OUTCOME...", Short: "Compare outcomes, their differences paired repeat by repeat",
		Long: "Compare two to six outcomes. An outcome is named by its number, or by its scenario for the newest finished one.",
		Args: cobra.RangeArgs(2, 6),
		RunE: func(c *cobra.Command, args []string) error {
			cl := p.client()
			ids := make([]uint64, len(args))
			for i, a := range args {
				id, err := p.resolve(c.Context(), cl, a)
				if err != nil {
					return err
				}
				ids[i] = id
			}
			cmp, err := cl.Compare(c.Context(), ids)
			if err != nil {
				return err
			}
			return p.comparison(cmp)
		},
	}
}

// resolve finds an outcome by number or by scenario.
func (p *program) resolve(ctx context.Context, c *client.Client, word string) (uint64, error) {
	if id, err := strconv.ParseUint(word, 10, 64); err == nil {
		return id, nil
	}
	var id uint64
	err := c.EachWork(ctx, client.Which{Kinds: client.Simulations, About: word}, func(o wire.WorkBrief) bool {
		if o.State == wire.Done && len(o.Simulation.Inputs.Changes) == 0 {
			id = o.ID
		}
		return id == 0
	})
	if err != nil || id > 0 {
		return id, err
	}
	if _, err := c.Get(ctx, document.KindScenario, word, 0); err != nil {
		return 0, err
	}
	return 0, no(fmt.Errorf("scenario %s has no finished outcome; run `tachyphor simulate %s` first", word, word))
}

// seedOf is the seed that a scenario says.
func seedOf(in world.Input) uint64 { return in.Scenario.Value.(*document.Scenario).Spec.Run.Seed }
