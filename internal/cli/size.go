package cli

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"strings"
	"time"

	"tachyphor/client"
	"tachyphor/core/demand"
	"tachyphor/core/document"
	"tachyphor/core/sizing"
	"tachyphor/core/template"
	"tachyphor/core/units"
	"tachyphor/wire"

	"github.com/spf13/cobra"
)

// sizeFlags are the flags of size.
type sizeFlags struct {
	class, cluster, pool string
	share, sure, stretch float64
	halfLife             string
	usage, with          []string
	jobs                 string
	apply                bool
	try, plot            string
}

func (p *program) sizeCommand() *cobra.Command {
	f := sizeFlags{share: 99, sure: 95, stretch: sizing.DefaultStretch, halfLife: "30d"}
	c := &cobra.Command{
		Use: "size TEMPLATE|FILE", Short: "Work out requests and limits from what agents really used",
		Long: `Work out the requests of a template from what its agents used (see observe): how much
memory and disk a share of the runs stays below and how sure that is, what each request
of CPU costs and how much it holds work up on a full node, what classes used, and
whether one template is enough.

The name is that of a stored template. A file is sized without a service, from the
samples of --usage and the cluster found in --with.`,
		Example: "  tachyphor size small-steady\n  tachyphor size compile-wide --share 99.5 --try weekday-lean\n  tachyphor size " +
			"compile-wide --class sonar-suite --plot sonar.png\n  tachyphor size agents.yaml --usage usage.csv --jobs jobs.csv --with platform/",
		Args: cobra.ExactArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			return p.size(c.Context(), args[0], f)
		},
	}
	fl := c.Flags()
	fl.StringVar(&f.class, "class", "", "only runs of this class")
	fl.Float64Var(&f.share, "share", f.share, "percent of runs that must stay within memory and disk")
	fl.Float64Var(&f.sure, "sure", f.sure, "confidence in that, percent")
	fl.StringVar(&f.halfLife, "half-life", f.halfLife, "age at which a run counts half as much; 0s: all count alike")
	fl.Float64Var(&f.stretch, "stretch", f.stretch, "how many times as long work may take on a full node")
	fl.StringVar(&f.cluster, "cluster", "", "cluster; default: the only one there is")
	fl.StringVar(&f.pool, "pool", "", "pool to weigh requests on; default: the one that takes its agents and can have most nodes")
	fl.StringArrayVar(&f.usage, "usage", nil, "with FILE: samples (may be repeated)")
	fl.StringVar(&f.jobs, "jobs", "", "with FILE: job log that says in which pod each job ran")
	fl.StringArrayVar(&f.with, "with", nil, "with FILE: file or folder with the cluster (may be repeated)")
	fl.BoolVar(&f.apply, "apply", false, "make the changes: a new revision, or in the file")
	fl.StringVar(&f.try, "try", "", "simulate this scenario with today's requests and with these, and hold them beside each other")
	fl.StringVar(&f.plot, "plot", "", "draw the advice into a file that ends in .png or .svg")
	return c
}

// size sizes a template, and does with the advice what was asked for.
func (p *program) size(ctx context.Context, arg string, f sizeFlags) error {
	if f.plot != "" {
		if err := plotted(f.plot); err != nil {
			return err
		}
	}
	if !(f.share >= 50 && f.share < 100) || !(f.sure >= 50 && f.sure < 100) {
		return errors.New("--share and --sure are percentages, from 50 to below 100")
	}
	if !(f.stretch >= 1 && f.stretch <= 10) {
		return fmt.Errorf("--stretch %g: expected 1 to 10", f.stretch)
	}
	var a *sizing.Advice
	var s *stack
	var err error
	if isFile(arg) {
		if f.try != "" {
			return errors.New("--try simulates at the service; name a stored template")
		}
		a, s, err = p.sizeFile(arg, f)
	} else if len(f.usage) > 0 || f.jobs != "" || len(f.with) > 0 {
		return fmt.Errorf("--usage, --jobs and --with go with a file; for the stored template %s, store samples with "+
			"`tachyphor observe %s FILE`", arg, arg)
	} else {
		a, err = p.client().Size(ctx, arg, client.Sizing{
			Class: f.class, Cluster: f.cluster, Pool: f.pool, Share: f.share / 100, Sure: f.sure / 100, Stretch: f.stretch, HalfLife: f.halfLife,
		})
	}
	if err != nil {
		return err
	}
	if f.plot != "" {
		if err := plotAdvice(a, f.plot); err != nil {
			return no(err)
		}
		fmt.Fprintf(p.err, "Drawn into %s.\n", f.plot)
	}
	if f.try != "" {
		return p.trySizes(ctx, a, f.try)
	}
	if err := p.advice(a, f.apply); err != nil || !f.apply {
		return err
	}
	return p.applySizes(ctx, a, s)
}

// sizeFile sizes the template of a file.
func (p *program) sizeFile(file string, f sizeFlags) (*sizing.Advice, *stack, error) {
	if len(f.usage) == 0 {
		return nil, nil, errors.New("name the samples with --usage FILE")
	}
	s, err := p.stackOf([]string{file}, f.with)
	if err != nil {
		return nil, nil, err
	}
	if len(s.asked) != 1 {
		return nil, nil, no(fmt.Errorf("%s holds %d templates; name a file with one", file, len(s.asked)))
	}
	agent, faults := template.Read(s.asked[0])
	if len(faults) > 0 {
		return nil, nil, faults
	}
	facts, err := s.shelf.Facts(f.cluster)
	if err != nil {
		return nil, nil, no(err)
	}
	half, err := units.ParseDuration(f.halfLife)
	if err != nil {
		return nil, nil, fmt.Errorf("--half-life %w", err)
	}
	var ran []demand.Ran
	if f.jobs != "" {
		data, err := p.wholeFile(f.jobs, maxSamples)
		if err != nil {
			return nil, nil, err
		}
		r, err := demand.Parse(data, nil)
		if err != nil {
			return nil, nil, no(fmt.Errorf("%s: %w", f.jobs, err))
		}
		if r.Bads > 0 {
			return nil, nil, no(fmt.Errorf("%s: %s refused; the first: %s", f.jobs, counted(r.Bads, "row"), r.Bad[0]))
		}
		ran = r.Ran()
	}
	var sources [][]sizing.Run
	for _, name := range f.usage {
		data, err := p.wholeFile(name, maxSamples)
		if err != nil {
			return nil, nil, err
		}
		log, err := sizing.Read(bytes.NewReader(data))
		if err != nil {
			return nil, nil, no(fmt.Errorf("%s: %w", name, err))
		}
		if log.Bads > 0 {
			fmt.Fprintf(p.err, "%s: %s refused; the first: %s\n", name, counted(log.Bads, "row"), log.Bad[0])
		}
		log.Only(agent.Container)
		if f.jobs != "" {
			log.Match(ran)
		}
		more, _, _ := log.Runs()
		sources = append(sources, more)
	}
	runs := sizing.Together(sources...)
	a, err := sizing.Advise(sizing.Question{
		Template: s.asked[0], Cluster: facts, Pool: f.pool, Class: f.class, Stretch: f.stretch,
		Wish: sizing.Wish{Share: f.share / 100, Sure: f.sure / 100, HalfLife: half},
	}, runs)
	return a, s, no(err)
}

// applySizes makes the changes of an advice, in the file of s or in the stored
// template.
func (p *program) applySizes(ctx context.Context, a *sizing.Advice, s *stack) error {
	if len(a.Edits) == 0 {
		fmt.Fprintln(p.err, "Nothing to change.")
		return nil
	}
	if s == nil {
		stored, err := p.client().Edit(ctx, document.KindPodTemplate, a.Template, a.Revision, a.Edits)
		if err != nil {
			return err
		}
		fmt.Fprintf(p.err, "%s is revision %d now; what it rests on is noted in %s.\n", a.Template, stored.Revision, sizing.SizedAnnotation)
		return nil
	}
	d := s.asked[0]
	if d.File == "-" {
		return errors.New("--apply writes the file; name it instead of reading standard input")
	}
	if err := mendFile(d.File, s.files[d.File], map[*document.Document][]document.Edit{d: a.Edits}); err != nil {
		return no(err)
	}
	fmt.Fprintf(p.err, "%s is rewritten.\n", d.File)
	return nil
}

// trySizes simulates a scenario with today's requests and with those of an advice.
func (p *program) trySizes(ctx context.Context, a *sizing.Advice, scenario string) error {
	if len(a.Edits) == 0 {
		return no(fmt.Errorf("today's requests of %s are what it comes to; there is nothing to try", a.Template))
	}
	cl := p.client()
	ids := make([]uint64, 2)
	for i, run := range []wire.Run{{}, {Changes: []document.Changes{{Kind: document.KindPodTemplate, Name: a.Template, Edits: a.Edits}}}} {
		o, err := cl.Simulate(ctx, scenario, run)
		if err != nil {
			return err
		}
		if err := p.watchOutcome(ctx, cl, o.ID, false); err != nil {
			return err
		}
		ids[i] = o.ID
	}
	c, err := cl.Compare(ctx, ids)
	if err != nil {
		return err
	}
	if p.format == "table" {
		fmt.Fprintln(p.out, p.wrap(p.strong(a.Words[0])))
		fmt.Fprintln(p.out)
	}
	return p.comparison(c)
}

// advice writes an advice. applied says that its changes are made next.
func (p *program) advice(a *sizing.Advice, applied bool) error {
	curve := p.curve(a)
	if p.format != "table" {
		return p.show(curve)
	}
	e := a.Evidence
	head := counted(e.Runs, "run")
	if a.Class != "" {
		head += " of " + a.Class
	}
	if e.From > firstDate {
		head += ", " + day(e.From) + " to " + day(e.To)
	}
	fmt.Fprintln(p.out, p.strong(a.Template)+p.faint("  "+head+"; weighed on full nodes of "+a.Pool+" ("+a.NodeType+")"))
	fmt.Fprintln(p.out)
	for _, w := range a.Words {
		fmt.Fprintln(p.out, p.wrap(p.strong(w)))
	}
	fmt.Fprintln(p.out)
	if err := p.show(beside(a)); err != nil {
		return err
	}
	for _, part := range []struct {
		title string
		words []string
	}{{"Memory", a.Memory.Words}, {"CPU", a.CPU}, {"Disk", a.Disk.Words}} {
		fmt.Fprintln(p.out)
		fmt.Fprintln(p.out, p.wrap(p.strong(part.title)+"  "+strings.Join(part.words, " ")))
	}
	fmt.Fprintln(p.out)
	if err := p.show(curve); err != nil {
		return err
	}
	if len(a.Below) > 0 {
		fmt.Fprintln(p.out)
		for _, b := range a.Below {
			fmt.Fprintln(p.out, p.wrap(fmt.Sprintf("Requesting %s and keeping the limit: %d on a node; all at their peak at once, "+
				"%.1f %% of full nodes would have too little.", b.Request.Short(), b.Agents, 100*b.Over)))
		}
	}
	if len(a.Classes) > 0 {
		fmt.Fprintln(p.out)
		if err := p.show(classes(a)); err != nil {
			return err
		}
	}
	if a.Verdict != "" {
		fmt.Fprintln(p.out)
		fmt.Fprintln(p.out, p.wrap(a.Verdict))
	}
	if s := oddities(e.Oddities); s != "" {
		fmt.Fprintln(p.out)
		fmt.Fprintln(p.out, p.faint(p.wrap("Samples worked around: "+s+".")))
	}
	switch {
	case len(a.Edits) == 0:
		fmt.Fprintln(p.out, p.faint("There is nothing to change."))
	case a.Revision > 0 && !applied:
		fmt.Fprintln(p.out, p.faint(fmt.Sprintf("Next: `tachyphor size %s --try SCENARIO` simulates it, `--apply` makes it revision %d.",
			a.Template, a.Revision+1)))
	}
	return nil
}

// firstDate is from when on seconds are a date and not counted from some beginning.
const firstDate = 1e8

func day(seconds float64) string {
	return time.Unix(int64(seconds), 0).UTC().Format("2 Jan 2006")
}

// curve lists what each request of CPU comes to.
func (p *program) curve(a *sizing.Advice) listing {
	l := listing{columns: []column{
		{"", false},
		{"CPU", true},
		{"agents", true},
		{"full node", true},
		{"slowest class", true},
		{"request alone", true},
		{"slowest in 20", true},
		{a.Currency + "/1,000 runs", true},
	}, value: a, main: "curve"}
	row := func(mark string, x sizing.Point) {
		r := []string{mark, x.CPU.String(), "none fit", "", "", alone(x.Guaranteed), alone(x.Worst), ""}
		if x.Agents > 0 {
			r[2], r[3], r[7] = fmt.Sprint(x.Agents), fmt.Sprintf("%.3f ×", x.Expected), fmt.Sprintf("%.2f", 1000*x.PerRun)
			if x.SlowClass != "" {
				r[4] = fmt.Sprintf("%s %.2f ×", x.SlowClass, x.Slow)
			}
		}
		l.rows = append(l.rows, r)
	}
	shown := false
	for _, x := range a.Curve {
		if !shown && a.Now.CPU >= x.CPU {
			shown = true
			if a.Now.CPU > x.CPU {
				row("today", a.Now)
			}
		}
		switch {
		case x.CPU == a.Best.CPU:
			row("best", x)
		case x.CPU == a.Now.CPU:
			row("today", x)
		default:
			row("", x)
		}
	}
	if !shown {
		row("today", a.Now)
	}
	return l
}

// alone writes a guaranteed stretch.
func alone(x float64) string {
	if x == 0 {
		return "–"
	}
	return fmt.Sprintf("%.2f ×", x)
}

// beside holds today's requests beside the best.
func beside(a *sizing.Advice) listing {
	n, b := a.Now, a.Best
	l := listing{columns: []column{{"", false}, {"today", true}, {"better", true}}}
	add := func(what, now, best string) { l.rows = append(l.rows, []string{what, now, best}) }
	none := func(s string, zero bool) string {
		if zero {
			return "–"
		}
		return s
	}
	add("CPU requested", none(n.CPU.String(), n.CPU == 0), b.CPU.String())
	add("CPU limit", none(a.NowLimit.CPU.String(), a.NowLimit.CPU == 0), "–")
	add("memory requested", none(n.Memory.Short(), n.Memory == 0), b.Memory.Short())
	limit := b.Memory.Short()
	if !a.SetsMemory() {
		limit = none(a.NowLimit.Memory.Short(), a.NowLimit.Memory == 0)
	}
	add("memory limit", none(a.NowLimit.Memory.Short(), a.NowLimit.Memory == 0), limit)
	if n.Disk > 0 || b.Disk > 0 {
		add("disk requested", none(n.Disk.Short(), n.Disk == 0), none(b.Disk.Short(), b.Disk == 0))
	}
	add("agents on a node", fmt.Sprint(n.Agents), fmt.Sprint(b.Agents))
	add("work on a full node", fmt.Sprintf("%.2f ×", n.Expected), fmt.Sprintf("%.2f ×", b.Expected))
	add("with the request alone", alone(n.Guaranteed), alone(b.Guaranteed))
	add(a.Currency+" an agent-hour", fmt.Sprintf("%.3f", n.PerHour), fmt.Sprintf("%.3f", b.PerHour))
	add(a.Currency+" for 1,000 runs", fmt.Sprintf("%.2f", 1000*n.PerRun), fmt.Sprintf("%.2f", 1000*b.PerRun))
	return l
}

// classes lists what each class used.
func classes(a *sizing.Advice) listing {
	l := listing{columns: []column{
		{"class", false},
		{"runs", true},
		{"killed", true},
		{"median time", true},
		{"mean cores", true},
		{"peak cores", true},
		{"parallel", true},
		{"half need", true},
		{"alone it needs", true},
	}}
	for _, c := range a.Classes {
		name, parallel, needs := c.Class, "–", c.Memory.Short()
		if name == "" {
			name = "(not known)"
		}
		if c.Parallel > 0 {
			parallel = fmt.Sprintf("%.0f %%", 100*c.Parallel)
		}
		if !c.Bounded {
			needs = "about " + needs
		}
		l.rows = append(l.rows, []string{
			name, units.Count(int64(c.Runs)), units.Count(int64(c.Killed)), units.Duration(c.Wall * 1e9).Short(),
			fmt.Sprintf("%.1f", c.Cores), fmt.Sprintf("%.1f", c.Peak), parallel, c.Half.Short(), needs,
		})
	}
	return l
}
