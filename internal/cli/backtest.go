package cli

import (
	"context"
	"errors"
	"fmt"
	"os"
	"time"

	"tachyphor/core/backtest"
	"tachyphor/core/document"
	"tachyphor/core/paired"
	"tachyphor/core/units"
	"tachyphor/wire"

	"github.com/spf13/cobra"
)

// backtestFlags are the flags of backtest.
type backtestFlags struct {
	recordsFlags
	scoreFrom string
	asStored  bool
	quick     bool
	seen      string
	paid      float64
	apply     bool
}

func (p *program) backtestCommand() *cobra.Command {
	var f backtestFlags
	c := &cobra.Command{
		Use: "backtest SCENARIO|FILE", Short: "Compare what a simulation predicts with what happened, and name the fact that would explain the difference",
		Long: `Simulate recorded jobs as they came, with their own work times, and hold the start delays and lead
times that are predicted beside those that were observed: percentiles with what chance explains, by
class and hour of the week, a score beside two forecasts that know nothing of the design, and the one
fact of the cluster whose change would explain most, with the value that would.

Jobs are those of --log (any job log that learn jobs takes, with when jobs were submitted and when they
started), the live records (--live), or the workload's own recorded ones. SCENARIO is a stored one and
the service computes it; FILE is the scenario's, with what it names beside it, as for simulate --here.

Only jobs that came after the facts were measured are scored, where the cluster says when that was.`,
		Example: "  tachyphor backtest weekday-lean --log october.csv.gz --zone Europe/Oslo\n" +
			"  tachyphor backtest weekday-lean --live --from 2026-11-16 --as-stored\n  tachyphor backtest demo/scenarios/weekday-lean.yaml --log demo/week-39.csv",
		Args: cobra.ExactArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			if err := f.check(args[0]); err != nil {
				return err
			}
			if isFile(args[0]) {
				return p.backtestHere(c.Context(), args[0], f)
			}
			return p.backtestThere(c.Context(), args[0], f)
		},
	}
	f.add(c)
	fl := c.Flags()
	fl.StringVar(&f.scoreFrom, "score-from", "", "score only jobs from here on; default: from when the facts were measured")
	fl.BoolVar(&f.asStored, "as-stored", false, "each job under the revision of the scenario that was stored when it came")
	fl.BoolVar(&f.quick, "quick", false, "do not look for the fact that would explain most")
	fl.StringVar(&f.seen, "seen", "", "file with agents and nodes over time, as recorded: CSV, JSON Lines or Parquet with at, agents, nodes")
	fl.Float64Var(&f.paid, "paid", 0, "what was paid for the log's whole time, in the scenario's currency")
	fl.BoolVar(&f.apply, "apply", false, "store the value that would explain most as a revision of the cluster")
	return c
}

// check refuses flags that do not go together.
func (f *backtestFlags) check(arg string) error {
	switch {
	case f.asStored && isFile(arg):
		return errors.New("--as-stored is of stored revisions: put the scenario and name it")
	case !(f.paid >= 0) || f.paid > 1e12:
		return errors.New("--paid: expected an amount of money")
	case f.paid > 0 && f.asStored:
		return errors.New("--paid is held beside one design, not beside revisions one after the other: leave --as-stored out")
	}
	return f.recordsFlags.check(arg)
}

// scoredFrom reads --score-from.
func (f *backtestFlags) scoredFrom(zone units.Zone) (time.Time, error) {
	if f.scoreFrom == "" {
		return time.Time{}, nil
	}
	t, err := askedAt(f.scoreFrom, zone.String())
	if err != nil {
		return t, fmt.Errorf("--score-from: %w", err)
	}
	return t, nil
}

func (p *program) backtestHere(ctx context.Context, file string, f backtestFlags) error {
	in, err := p.cameHere(file, &f.recordsFlags)
	if err != nil {
		return err
	}
	from, err := f.scoredFrom(in.Workload.Value.(*document.Workload).Spec.Zone)
	if err != nil {
		return err
	}
	o := backtest.Options{From: from, Now: time.Now(), Facts: !f.quick, Paid: f.paid}
	if o.Seen, err = readSeen(f.seen); err != nil {
		return err
	}
	question, err := backtest.Ask([]backtest.Design{{In: in}}, in.Recording.Observed(), o)
	if err != nil {
		return no(err)
	}
	workers, err := room(max(1, f.workers), question.Need)
	if err != nil {
		return err
	}
	var b *backtest.Backtest
	var few error // it cannot be judged, which is no defect
	err = p.compute(ctx, "backtest of "+in.Scenario.Name, f.quiet, seedOf(in), func(progress paired.Progress) (err error) {
		if b, err = question.Try(workers, progress); errors.Is(err, backtest.ErrTooFew) {
			few, err = err, nil
		}
		return err
	})
	if err != nil || few != nil {
		return errors.Join(err, no(few))
	}
	if err := p.backtest(b); err != nil || !f.apply {
		return err
	}
	return p.takeOverHere(b, in.Cluster)
}

// readSeen reads a record of agents and nodes over time; none where no file is named.
func readSeen(file string) ([]backtest.CountSeen, error) {
	if file == "" {
		return nil, nil
	}
	f, err := os.Open(file)
	if err != nil {
		return nil, no(fmt.Errorf("--seen: %w", err))
	}
	defer func() { _ = f.Close() }()
	seen, err := backtest.ReadCounts(f)
	if err != nil {
		return nil, no(fmt.Errorf("%s: %w", file, err))
	}
	return seen, nil
}

// takeOverHere writes the value that would explain most into the cluster's file.
func (p *program) takeOverHere(b *backtest.Backtest, cluster *document.Document) error {
	edits, err := b.TakeOver(cluster, time.Now())
	if err != nil {
		return no(err)
	}
	return p.intoCluster(context.Background(), cluster.File, func(*document.ClusterSpec) []document.Edit { return edits })
}

// backtestThere lets the service compute it.
func (p *program) backtestThere(ctx context.Context, scenario string, f backtestFlags) error {
	c := p.client()
	ask := wire.AskBacktest{Scenario: scenario, Live: f.live, Project: f.project, AsStored: f.asStored, Quick: f.quick, Paid: f.paid}
	zone := units.Zone{}
	if f.Zone != "" {
		if err := zone.UnmarshalText([]byte(f.Zone)); err != nil {
			return fmt.Errorf("--zone: %w", err)
		}
	}
	var err error
	if ask.Seen, err = readSeen(f.seen); err != nil {
		return err
	}
	if ask.ScoreFrom, err = f.scoredFrom(zone); err != nil {
		return err
	}
	if f.live {
		if ask.From, ask.Until, err = asked(f.From, f.Until, f.Zone); err != nil {
			return err
		}
	}
	if ask.Log, err = p.cameThere(ctx, c, scenario, &f.recordsFlags); err != nil {
		return err
	}
	asked, err := c.Backtest(ctx, ask)
	if err != nil {
		return unknown(err, "scenarios")
	}
	if err := p.watch(ctx, c, "backtest of "+asked.About, f.quiet, asked.ID); err != nil {
		return err
	}
	if err := p.printBacktest(ctx, c, asked.ID); err != nil || !f.apply {
		return err
	}
	stored, err := c.TakeFactOver(ctx, asked.ID)
	if err != nil {
		return no(err)
	}
	fmt.Fprintf(p.err, "Cluster %s is revision %d now.\n", stored.Name, stored.Revision)
	return nil
}
