package library

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"math"

	"tachyphor/core/demand"
	"tachyphor/core/document"
	"tachyphor/core/sizing"
	"tachyphor/core/table"
	"tachyphor/core/units"
	"tachyphor/internal/store"
	"tachyphor/wire"
)

// BadUsage is the error of samples, or of a job log, that cannot be used.
type BadUsage struct{ error }

// ErrStored says that stored usage could not be read.
var ErrStored = errors.New("stored usage cannot be read")

// sizers bounds how many templates are sized at once: each takes a core.
var sizers = make(chan struct{}, 2)

// Size sizes a template from its stored usage.
func (l *Library) Size(ctx context.Context, q sizing.Question) (*sizing.Advice, error) {
	select {
	case sizers <- struct{}{}:
		defer func() { <-sizers }()
	case <-ctx.Done():
		return nil, ctx.Err()
	}
	used, err := l.Usage(ctx, q.Template.Name)
	if err != nil {
		return nil, fmt.Errorf("%w: %w", ErrStored, err)
	}
	return sizing.Advise(q, used)
}

// TakeUsage stores what the agents of a template used. container is the agent's;
// samples that name another are left out. jobs is the digest of a stored job log that
// names pods; empty: none.
func (l *Library) TakeUsage(ctx context.Context, in store.Intake, container string, samples []byte, jobs string) (sizing.Taken, error) {
	log, err := sizing.Read(bytes.NewReader(samples))
	if err != nil {
		return sizing.Taken{}, BadUsage{err}
	}
	var ran []demand.Ran
	if jobs != "" {
		r, err := l.Recording(ctx, &document.Recorded{Digest: jobs})
		if err != nil {
			return sizing.Taken{}, err
		}
		if ran = r.Ran(); len(ran) == 0 {
			return sizing.Taken{}, BadUsage{errors.New("the job log names no pods; its column pod must say in which pod each job ran")}
		}
	}
	t := sizing.Taken{Bad: log.Bads, BadRows: log.Bad, Samples: log.Samples()}
	if t.BadRows == nil {
		t.BadRows = []table.BadRow{}
	}
	t.Others = log.Only(container)
	if jobs != "" {
		m := log.Match(ran)
		t.Matched = &m
	}
	runs, odd, short := log.Runs()
	runs = sizing.Together(runs)
	t.Runs, t.Oddities, t.Short = len(runs), odd, short
	rows := make([]store.Run, len(runs))
	for i := range runs {
		rows[i] = stored(&runs[i])
	}
	kept, err := l.store.PutRuns(ctx, in, rows)
	if err != nil {
		return t, err
	}
	t.New, t.Replaced, t.Known, t.Dropped = kept.New, kept.Replaced, kept.Known, kept.Dropped
	report, err := json.Marshal(t)
	if err != nil {
		return t, err
	}
	in.Report = string(report)
	return t, l.store.PutIntake(ctx, in)
}

// MeanRun returns how long runs of a template take on average, as in sizing.MeanWall: of
// one class or, when that is empty, of all.
func (l *Library) MeanRun(ctx context.Context, template, class string, halfLife units.Duration) (units.Duration, error) {
	rows, err := l.store.Walls(ctx, template, class)
	if err != nil {
		return 0, err
	}
	runs := make([]sizing.Run, len(rows))
	for i := range rows {
		runs[i] = sizing.Run{Began: rows[i].Began, Wall: units.Duration(rows[i].WallNs)}
	}
	return sizing.MeanWall(runs, halfLife), nil
}

// Usage returns what is known of a template's runs.
func (l *Library) Usage(ctx context.Context, template string) ([]sizing.Run, error) {
	rows, err := l.store.Runs(ctx, template)
	if err != nil {
		return nil, err
	}
	out := make([]sizing.Run, len(rows))
	for i := range rows {
		if out[i], err = readRun(&rows[i]); err != nil {
			return nil, fmt.Errorf("run %d of %s: %w", rows[i].ID, template, err)
		}
	}
	return out, nil
}

func stored(r *sizing.Run) store.Run {
	o := r.Oddities
	s := store.Run{
		Pod: r.Pod, Container: r.Container, Job: r.Job, Class: r.Class, Began: r.Began,
		WallNs: int64(r.Wall), CPUNs: int64(r.CPU), ThrottledNs: int64(r.Throttled), Memory: int64(r.Memory), Disk: int64(r.Disk),
		MeanCores: r.MeanCores, PeakCores: r.PeakCores, Killed: r.Killed, Evicted: r.Evicted, Samples: r.Samples, Spacing: r.Interval,
		Duplicates: o.Duplicates, Steps: o.Steps, Gaps: o.Gaps, Resets: o.Resets, Missing: o.Missing, Restarts: o.Restarts,
		Curve: r.Curve.Bytes(),
	}
	if !math.IsNaN(r.Parallel) {
		s.Parallel = &r.Parallel
	}
	return s
}

func readRun(s *store.Run) (sizing.Run, error) {
	r := sizing.Run{
		Pod: s.Pod, Container: s.Container, Job: s.Job, Class: s.Class, Began: s.Began,
		Wall: units.Duration(s.WallNs), CPU: units.Duration(s.CPUNs), Throttled: units.Duration(s.ThrottledNs), Memory: units.Bytes(s.Memory),
		Disk:      units.Bytes(s.Disk),
		MeanCores: s.MeanCores, PeakCores: s.PeakCores, Parallel: math.NaN(), Killed: s.Killed, Evicted: s.Evicted, Samples: s.Samples,
		Interval: s.Spacing,
		Oddities: sizing.Oddities{
			Duplicates: s.Duplicates, Steps: s.Steps, Gaps: s.Gaps, Resets: s.Resets, Missing: s.Missing,
			Restarts: s.Restarts,
		},
	}
	if s.Parallel != nil {
		r.Parallel = *s.Parallel
	}
	var err error
	r.Curve, err = sizing.CurveOf(s.Curve)
	return r, err
}

// Sized are knobs for the requests of a pinned scenario's templates, of those whose stored usage
// advises others than today's.
func (l *Library) Sized(ctx context.Context, in wire.Inputs) (out []document.Knob, err error) {
	all, faults, err := l.pinned(ctx, in)
	if err != nil || len(faults) > 0 {
		return nil, err // faults are told by who runs it
	}
	named, faults := all.Whole()
	if len(faults) > 0 {
		return nil, nil
	}
	for _, d := range named.Templates {
		known, err := l.store.UsageOf(ctx, d.Name)
		if err != nil {
			return nil, err
		}
		if len(known) == 0 {
			continue
		}
		advice, err := l.Size(ctx, sizing.Question{Template: d, Cluster: named.Cluster})
		if err != nil {
			if ctx.Err() != nil {
				return nil, ctx.Err()
			}
			continue // `size` tells why there is no advice
		}
		if k, ok := advice.Knob(d); ok {
			out = append(out, k)
		}
	}
	return out, nil
}
