package cli

import (
	"context"
	"errors"
	"fmt"
	"time"

	"tachyphor/core/sim"
	"tachyphor/core/units"
	"tachyphor/internal/standin/jobs"

	"github.com/spf13/cobra"
)

// pretendJobsFlags are the flags of pretend jobs.
type pretendJobsFlags struct {
	as, begin   string
	speed, rate float64
	twice, late float64
	seed        uint64
	fast        bool
	with        []string
	skipBad     bool
	quiet       bool
}

func (p *program) pretendJobsCommand() *cobra.Command {
	f := pretendJobsFlags{as: "events", speed: 60}
	c := &cobra.Command{
		Use: "jobs FILE", Short: "A made-up build system that reports its jobs to the service",
		Long: `Simulate one repeat of the scenario in FILE, as simulate --here does, and tell the service what happens
to its jobs as a build system would: as CDEvents in batches of CloudEvents, or with --as spans as
OpenTelemetry's traces, this many times as fast as in real life. What cannot be stored is sent again.

The token is --token or TACHYPHOR_TOKEN; one for events alone is enough (tachyphor token new).`,
		Example: "  tachyphor pretend jobs demo/scenarios/weekday-lean.yaml --speed 600\n" +
			"  tachyphor pretend jobs demo/scenarios/weekday-lean.yaml --as spans --at-once --twice 0.05 --late 0.1",
		Args: cobra.ExactArgs(1),
		RunE: func(c *cobra.Command, args []string) error { return p.pretendJobs(c.Context(), args[0], f) },
	}
	fl := c.Flags()
	fl.StringVar(&f.as, "as", f.as, "events or spans")
	fl.Float64Var(&f.speed, "speed", f.speed, "this many times as fast as in real life")
	fl.BoolVar(&f.fast, "at-once", false, "as fast as it is accepted, instead of --speed")
	fl.Float64Var(&f.rate, "rate", 0, "at most this many steps a second; 0: no limit")
	fl.Float64Var(&f.twice, "twice", 0, "share of what is sent twice, 0 to 1")
	fl.Float64Var(&f.late, "late", 0, "share of what comes later than it should, 0 to 1")
	fl.StringVar(&f.begin, "begin", "", "when the workload begins, as in 2026-09-14T06:00:00Z, or now; default: as it says")
	fl.Uint64Var(&f.seed, "seed", 0, "seed of the run; 0: the scenario's")
	fl.StringArrayVar(&f.with, "with", nil, "file or folder with more documents (may be repeated)")
	fl.BoolVar(&f.skipBad, "skip-bad", false, "leave out bad rows of recorded jobs")
	fl.BoolVarP(&f.quiet, "quiet", "q", false, "no progress")
	return c
}

func (p *program) pretendJobs(ctx context.Context, file string, f pretendJobsFlags) error {
	as := jobs.Protocol(f.as)
	switch {
	case as != jobs.AsEvents && as != jobs.AsSpans:
		return fmt.Errorf("--as %q: expected events or spans", f.as)
	case !(f.speed > 0):
		return errors.New("--speed: expected a number above 0; --at-once sends as fast as it is accepted")
	case !(f.rate >= 0):
		return errors.New("--rate: expected a number from 0")
	case !(f.twice >= 0 && f.twice <= 1) || !(f.late >= 0 && f.late <= 1):
		return errors.New("--twice and --late: expected a share, 0 to 1")
	}
	w, err := p.gather(file, f.with, f.skipBad)
	if err != nil {
		return err
	}
	if f.seed != 0 {
		w.Plan.Seed = f.seed
	}
	start := w.Start
	switch f.begin {
	case "":
	case "now":
		start = time.Now().Add(-time.Duration(w.Plan.Warmup))
	default:
		if start, err = askedAt(f.begin, ""); err != nil {
			return fmt.Errorf("--begin: %w", err)
		}
		start = start.Add(-time.Duration(w.Plan.Warmup)) // of which nothing is told
	}
	bar := p.progress("simulating "+w.Scenario, f.quiet)
	trace, err := sim.Run(w, w.Plan.Seed, 0, func(now units.Duration) bool {
		bar.set(min(1, float64(now)/float64(w.Plan.Span)))
		return ctx.Err() == nil
	})
	bar.end(err == nil)
	if err != nil {
		return err
	}
	list := jobs.Happen(w, trace, start)
	speed := f.speed
	if f.fast {
		speed = 0
	}
	c := p.client()
	bar = p.progress("telling "+c.Address, f.quiet)
	sent, err := jobs.Send(ctx, list, jobs.Sending{
		Address: c.Address, Token: c.Token, As: as, Speed: speed, Rate: f.rate, Twice: f.twice, Late: f.late,
		Tell: func(s jobs.Sent) { bar.set(float64(s.Steps) / float64(s.All)) },
	})
	bar.end(err == nil)
	fmt.Fprintf(p.err, "%s of %s told in %s %s; %s had to be sent again.\n", units.Count(int64(sent.Steps)), counted(sent.All, "step"),
		units.Count(int64(sent.Messages)), f.as, counted(sent.Again, "request"))
	return no(err)
}
