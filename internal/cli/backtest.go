package cli

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"os"
	"runtime"
	"strconv"
	"strings"
	"time"

	"tachyphor/client"
	"tachyphor/core/backtest"
	"tachyphor/core/document"
	"tachyphor/core/learn"
	"tachyphor/core/paired"
	"tachyphor/core/units"
	"tachyphor/core/world"
	"tachyphor/wire"

	"github.com/spf13/cobra"
)

// backtestFlags are the flags of backtest.
type backtestFlags struct {
	log       logFlags
	with      []string
	workers   int
	live      bool
	project   string
	scoreFrom string
	asStored  bool
	quick     bool
	seen      string
	paid      float64
	apply     bool
	quiet     bool
}

func (p *program) backtestCommand() *cobra.Command {
	var f backtestFlags
	c := &cobra.Command{
		Use: "backtest SCENARIO|FILE", Short: "Hold what a simulation predicts beside what happened, and name the fact that would explain the difference",
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
	f.log.add(c)
	fl := c.Flags()
	fl.BoolVar(&f.live, "live", false, "the live records instead of a log")
	fl.StringVar(&f.project, "project", "", "with --live: only jobs of this project")
	fl.StringVar(&f.scoreFrom, "score-from", "", "score only jobs from here on; absent: from when the facts were measured")
	fl.BoolVar(&f.asStored, "as-stored", false, "each job under the revision of the scenario that was stored when it came")
	fl.BoolVar(&f.quick, "quick", false, "do not look for the fact that would explain most")
	fl.StringVar(&f.seen, "seen", "", "file with agents and nodes over time, as recorded: CSV, JSON Lines or Parquet with at, agents, nodes")
	fl.Float64Var(&f.paid, "paid", 0, "what was paid for the log's whole time, in the scenario's currency")
	fl.BoolVar(&f.apply, "apply", false, "store the value that would explain most as a revision of the cluster")
	fl.StringArrayVar(&f.with, "with", nil, "with FILE: file or folder with more documents (may be repeated)")
	fl.IntVar(&f.workers, "workers", runtime.NumCPU(), "with FILE: runs at once; what is told does not depend on it")
	fl.BoolVarP(&f.quiet, "quiet", "q", false, "no progress")
	return c
}

// check refuses flags that do not go together.
func (f *backtestFlags) check(arg string) error {
	switch {
	case f.live && len(f.log.files) > 0:
		return errors.New("--log and --live: choose one")
	case f.live && isFile(arg):
		return errors.New("--live is of the service's records: put the scenario and name it")
	case f.asStored && isFile(arg):
		return errors.New("--as-stored is of stored revisions: put the scenario and name it")
	case f.project != "" && !f.live:
		return errors.New("--project goes with --live")
	case !(f.paid >= 0) || f.paid > 1e12:
		return errors.New("--paid: expected an amount of money")
	case f.paid > 0 && f.asStored:
		return errors.New("--paid is held beside one design, not beside revisions one after the other: leave --as-stored out")
	case len(f.with) > 0 && !isFile(arg):
		return errors.New("--with is for files")
	}
	return nil
}

// came reads the log and understands it as it goes with a workload; own are the workload's own jobs, for
// want of another log.
func (p *program) came(f *logFlags, workload *document.Document, own []byte) (*learn.LearnedJobs, error) {
	o, err := f.Asked.Options()
	if err != nil {
		return nil, fmt.Errorf("--%w", err)
	}
	files, err := p.logs(f.files)
	if err != nil {
		return nil, err
	}
	if len(files) == 0 {
		files = []learn.File{{Name: "the workload's jobs", Data: own}}
	}
	got, err := learn.Jobs(files, learn.OptionsOf(workload, o, len(f.files) == 0), nil)
	if err != nil {
		return nil, p.notLearned(err, f.files)
	}
	return got, nil
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
	in, err := p.gatherInput(file, f.with, true)
	if err != nil {
		return err
	}
	var own []byte
	if len(f.log.files) == 0 {
		if own, err = ownJobs(in); err != nil {
			return err
		}
	}
	from, err := f.scoredFrom(in.Workload.Value.(*document.Workload).Spec.Zone)
	if err != nil {
		return err
	}
	got, err := p.came(&f.log, in.Workload, own)
	if err != nil {
		return err
	}
	if in, err = got.In(in); err != nil {
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

// ownJobs is the file of recorded jobs that a workload names.
func ownJobs(in world.Input) ([]byte, error) {
	if in.Workload.Value.(*document.Workload).Spec.Jobs == nil {
		return nil, no(fmt.Errorf("the workload %s has no recorded jobs; name a job log with --log", in.Workload.Name))
	}
	f, err := openRecorded(in.Workload)
	if err != nil {
		return nil, err
	}
	defer func() { _ = f.Close() }()
	var b bytes.Buffer
	_, err = b.ReadFrom(f)
	return b.Bytes(), err
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
	if f.log.Zone != "" {
		if err := zone.UnmarshalText([]byte(f.log.Zone)); err != nil {
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
		if ask.From, ask.Until, err = asked(f.log.From, f.log.Until, f.log.Zone); err != nil {
			return err
		}
	}
	if len(f.log.files) > 0 {
		workload, err := p.workloadOf(ctx, c, scenario)
		if err != nil {
			return err
		}
		got, err := p.came(&f.log, workload, nil)
		if err != nil {
			return err
		}
		r, err := c.PutRecording(ctx, bytes.NewReader(got.Log), nil, false)
		if err != nil {
			return err
		}
		ask.Log = r.Digest
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

// workloadOf is the stored workload of a scenario.
func (p *program) workloadOf(ctx context.Context, c *client.Client, scenario string) (*document.Document, error) {
	read := func(kind, name string) (*document.Document, error) {
		d, err := c.Get(ctx, kind, name, 0)
		if err != nil {
			return nil, unknown(err, strings.ToLower(kind)+"s")
		}
		docs, faults := document.Parse(name, []byte(d.Text))
		if err := faults.Err(); err != nil {
			return nil, err
		}
		return docs[0], nil
	}
	s, err := read(document.KindScenario, scenario)
	if err != nil {
		return nil, err
	}
	return read(document.KindWorkload, s.Value.(*document.Scenario).Spec.Workload)
}

// printBacktest prints a stored backtest.
func (p *program) printBacktest(ctx context.Context, c *client.Client, id uint64) error {
	w, err := c.Backtested(ctx, id)
	if err != nil {
		return err
	}
	if w.Result == nil {
		return notDone("backtest", w.WorkBrief)
	}
	return p.backtest(w.Result)
}

func backtestsListing(list []wire.WorkBrief) listing {
	l := listing{columns: []column{{"backtest", true}, {"scenario", false}, {"asked", false}, {"state", false}, {"jobs", true}, {"answer", false}}, value: list}
	for _, w := range list {
		l.rows = append(l.rows, []string{
			strconv.FormatUint(w.ID, 10), w.About, here(w.Asked), string(w.State), units.Count(int64(w.Backtest.Jobs)), clipped(w.Backtest.Says, 90),
		})
	}
	return l
}

// backtest writes whether it came true.
func (p *program) backtest(b *backtest.Backtest) error {
	groups := listing{columns: []column{
		{"jobs", false}, {"", true}, {"", false}, {"predicted", true}, {"observed", true}, {"ratio", true}, {"by chance", true}, {"", false},
	}, value: b, main: "groups"}
	for _, g := range b.Groups {
		name, count := g.Name, units.Count(int64(g.Jobs))
		if g.By == "all" {
			name = "all"
		}
		for _, x := range []struct {
			what string
			list []backtest.Percentile
		}{{"start delay", g.Delay}, {"lead time", g.Lead}} {
			for _, q := range x.list {
				if !q.Judged || g.By != "all" && (q.P == 50 || q.P == 99 || x.what == "lead time") {
					continue
				}
				note := ""
				if q.Off {
					note = p.bad("off")
				}
				groups.rows = append(groups.rows, []string{
					name, count, fmt.Sprintf("%s, %g %%", x.what, q.P), shortly(q.Predicted), shortly(q.Observed), fmt.Sprintf("%.2f", q.Ratio),
					fmt.Sprintf("%.2f to %.2f", q.Low, q.High), note,
				})
				name, count = "", ""
			}
		}
	}
	if !p.lines() {
		return p.show(groups)
	}
	fmt.Fprintln(p.out, p.strong(b.Scenario)+p.faint(fmt.Sprintf("  %s, %s to %s (%s), %d repeats", counted(b.Jobs, "job"), b.From.Format("2006-01-02 15:04"),
		b.Until.Format("2006-01-02 15:04"), b.Zone, b.Repeats)))
	fmt.Fprintln(p.out)
	fmt.Fprintln(p.out, p.wrap(p.strong(b.Verdict.Says)))
	fmt.Fprintln(p.out)
	fmt.Fprintln(p.out, p.table(groups))
	fmt.Fprintln(p.out)
	if len(b.Phases) > 0 {
		phases := listing{columns: []column{{"waiting for", false}, {"jobs", true}, {"predicted", true}, {"observed", true}, {"by chance", true}, {"", false}}}
		for _, x := range b.Phases {
			note := ""
			if x.Off {
				note = p.bad("off")
			}
			phases.rows = append(phases.rows, []string{
				x.Phase, units.Count(int64(x.Jobs)), shortly(x.Predicted), shortly(x.Observed), shortly(x.Low) + " to " + shortly(x.High), note,
			})
		}
		fmt.Fprintln(p.out, p.table(phases))
		fmt.Fprintln(p.out)
	}
	for _, c := range b.Counted {
		p.besideLine(c.Says, c.Off)
	}
	if b.Paid != nil {
		p.besideLine(b.Paid.Says, b.Paid.Off)
	}
	if len(b.Counted) > 0 || b.Paid != nil {
		fmt.Fprintln(p.out)
	}
	if len(b.Tried) > 0 {
		money := inCurrency(b.Currency)
		tried := listing{columns: []column{
			{"fact", false}, {"says", true}, {"nearest as", true}, {"between", true}, {"explains", true}, {"95 % of delays", true}, {"a month", true}, {"", false},
		}}
		for _, x := range b.Tried[:min(6, len(b.Tried))] {
			if !x.Sure {
				continue
			}
			note := ""
			if x.Like {
				note = "not told apart from the first"
			}
			tried.rows = append(tried.rows, []string{
				x.Fact, x.Says, x.Would, x.Low + " to " + x.High, fmt.Sprintf("%.0f %%", 100*x.Share), signed(x.P95, shortly), signed(x.Cost, money), note,
			})
		}
		if len(tried.rows) > 0 && b.Fact != nil {
			fmt.Fprintln(p.out, p.table(tried.filled()))
			fmt.Fprintln(p.out)
		}
	}
	if b.Split.Overlaps {
		fmt.Fprintln(p.out, p.wrap(p.warn(b.Split.Says)))
	} else {
		fmt.Fprintln(p.out, p.faint(p.wrap(b.Split.Says)))
	}
	if left := leftOut(b.Left); left != "" {
		fmt.Fprintln(p.out, p.faint(p.wrap(left)))
	}
	fmt.Fprintln(p.out, p.wrap(b.Next))
	return nil
}

// besideLine writes what was held beside each other in a line.
func (p *program) besideLine(says string, off bool) {
	if off {
		says = p.bad(says)
	}
	fmt.Fprintln(p.out, p.wrap(says))
}

// signed writes a change with its sign.
func signed(x float64, say func(float64) string) string {
	if x < 0 {
		return "-" + say(-x)
	}
	return "+" + say(x)
}

// leftOut says which jobs are not scored.
func leftOut(l backtest.Left) string {
	var parts []string
	for _, x := range []struct {
		n    int
		says string
	}{
		{l.Unknown, "of which the log does not say how long they waited"},
		{l.Before, "that came before the score begins"},
		{l.Unfit, "that fit no template"},
		{l.Beyond, "that came after the span"},
	} {
		if x.n > 0 {
			parts = append(parts, counted(x.n, "job")+" "+x.says)
		}
	}
	if len(parts) == 0 {
		return ""
	}
	return "Not scored: " + strings.Join(parts, "; ") + "."
}
