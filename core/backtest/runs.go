package backtest

import (
	"math"

	"tachyphor/core/outcome"
	"tachyphor/core/paired"
	"tachyphor/core/sim"
	"tachyphor/core/units"
	"tachyphor/core/world"
)

// A reading is what is read of a run: for each job how long it waited and its lead time, s, below
// 0 where it is not known, and the month's bill.
type reading struct {
	delay, lead []float32
	cost        float64
	// Agents and nodes by the bins of lines; nil unless they are asked for.
	agents, nodes []float64
	phases        phaseSums // of the jobs that came under the design and are scored
}

// second is how readings count time: in seconds, as a float32 has seven digits.
const second = float64(units.Second)

// run runs worlds and reads what happens to the jobs.
func (q *Question) run(worlds []*world.World, runs, workers int, progress paired.Progress) ([][]reading, error) {
	return study(worlds, runs, workers, progress, func(_ int, t *sim.Trace) reading { return q.read(t) })
}

// runDesigns runs the designs, and reads too what is held beside what was told of phases, agents and nodes.
func (q *Question) runDesigns(workers int, progress paired.Progress) ([][]reading, error) {
	return study(worldsOf(q.designs), repeats, workers, progress, func(design int, t *sim.Trace) reading {
		r := q.read(t)
		if len(q.seen) > 0 {
			r.agents, r.nodes = outcome.SumMeans(t, t.Lines.Agents[:]), outcome.SumMeans(t, t.Lines.Nodes)
		}
		for i := range q.jobs {
			if x := &q.jobs[i]; x.phases != nil && x.scored && x.design == design && t.Records[x.index].Template >= 0 {
				r.phases.addPhases(t, x.index, x.phases)
			}
		}
		return r
	})
}

func study(worlds []*world.World, runs, workers int, progress paired.Progress, read func(v int, t *sim.Trace) reading) ([][]reading, error) {
	s := paired.Study[reading]{
		Worlds: worlds, Draws: paired.Draws(runs, 0), Workers: workers, Progress: progress,
		Read: func(v, _ int, t *sim.Trace) (reading, error) { return read(v, t), nil },
	}
	return s.Run()
}

func (q *Question) read(t *sim.Trace) reading {
	plan := &t.World.Plan
	r := reading{
		delay: make([]float32, len(q.jobs)), lead: make([]float32, len(q.jobs)),
		cost: float64(units.AmountOf(outcome.Paid(t))) * float64(units.Month) / float64(plan.Span-plan.Warmup),
	}
	for i := range q.jobs {
		index := q.jobs[i].index
		rec, from := &t.Records[index], t.From(index)
		r.delay[i], r.lead[i] = -1, -1
		switch {
		case rec.Started >= 0:
			r.delay[i] = float32(float64(rec.Started-from) / second)
		case rec.Template >= 0: // it had not started when the run ended, or was given up: it waited this long at least
			r.delay[i] = float32(max(0, float64(max(rec.Ended, plan.Span)-from)) / second)
		}
		if over := t.Over(index); over >= 0 && rec.Started >= 0 {
			r.lead[i] = float32(float64(over-from) / second)
		}
		if q.whole && r.delay[i] >= 0 { // as such a log would tell it
			r.delay[i] = float32(math.Floor(from.Seconds()+float64(r.delay[i])) - math.Floor(from.Seconds()))
		}
	}
	return r
}

// A prediction is what the runs say of each job, by repeat, s.
type prediction struct{ delay, lead [][]float32 }

// predicted takes of each job what the design in force says.
func (q *Question) predicted(read [][]reading) (p prediction) {
	for r := range read[0] {
		delay, lead := make([]float32, len(q.jobs)), make([]float32, len(q.jobs))
		for i := range q.jobs {
			x := &read[q.jobs[i].design][r]
			delay[i], lead[i] = x.delay[i], x.lead[i]
		}
		p.delay, p.lead = append(p.delay, delay), append(p.lead, lead)
	}
	return p
}

// sample are a job's start delays in all runs, s, in a list that is used again.
func (p *prediction) sample(into []float64, j int) []float64 {
	into = into[:0]
	for r := range p.delay {
		into = append(into, float64(p.delay[r][j]))
	}
	return into
}
