package sim_test

import (
	"fmt"
	"math"
	"os"
	"sync"
	"testing"

	"tachyphor/core/sim"
	"tachyphor/core/stats"
	"tachyphor/core/units"
	"tachyphor/test/worlds"

	"gonum.org/v1/gonum/stat/distuv"
)

// long reports whether the long proofs were asked for.
var long = os.Getenv("TACHYPHOR_VALIDATE") != ""

// waits runs a queue's repeats and returns the mean wait in work times and the
// share of jobs that waited, one value a repeat.
func waits(t *testing.T, q worlds.Queue) (mean, waited []float64) {
	t.Helper()
	w, err := q.Build()
	if err != nil {
		t.Fatal(err)
	}
	mean, waited = make([]float64, q.Repeats), make([]float64, q.Repeats)
	var all sync.WaitGroup
	for r := range q.Repeats {
		all.Go(func() {
			trace, err := sim.Run(w, w.Plan.Seed, r, nil)
			if err != nil {
				t.Error(err)
				return
			}
			n, sum, late := 0, 0.0, 0
			for j, rec := range trace.Records {
				if s := trace.Jobs.List[j].Submitted; s >= w.Plan.Warmup && s < w.Plan.Span {
					d := rec.Started - s
					n++
					sum += d.Seconds()
					if d > 0 {
						late++
					}
				}
			}
			mean[r], waited[r] = sum/float64(n)/worlds.WorkMean, float64(late)/float64(n)
		})
	}
	all.Wait()
	return mean, waited
}

// agrees checks that theory lies within the 99.9 % interval of the repeats, and
// that the interval is narrow enough to mean something.
func agrees(t *testing.T, what string, values []float64, theory, narrow float64) {
	t.Helper()
	f := stats.Of(values)
	nu := float64(f.Runs - 1)
	wide := f.Half * distuv.StudentsT{Sigma: 1, Nu: nu}.Quantile(0.9995) / distuv.StudentsT{Sigma: 1, Nu: nu}.Quantile(0.975)
	t.Logf("%s: %.4f ± %.4f (95 %%), theory %.4f", what, f.Mean, f.Half, theory)
	if !(math.Abs(f.Mean-theory) <= wide) {
		t.Errorf("%s: %.5f ± %.5f (99.9 %%), theory says %.5f", what, f.Mean, wide, theory)
	}
	if !(f.Half <= narrow*theory) {
		t.Errorf("%s: the interval of ± %.5f is too wide to prove %.5f", what, f.Half, theory)
	}
}

// repeats and scale of the runs; more in the long proofs.
func size() (repeats int, scale float64) {
	if long {
		return 40, 4
	}
	return 12, 1
}

func TestTheoryErlangC(t *testing.T) {
	repeats, scale := size()
	for _, c := range []int{1, 2, 5, 20} {
		for load, jobs := range map[float64]float64{0.5: 40_000, 0.8: 60_000, 0.95: 200_000} {
			t.Run(fmt.Sprintf("%d agents loaded %g", c, load), func(t *testing.T) {
				t.Parallel()
				if c == 20 && load == 0.5 { // hardly anyone waits
					jobs *= 10
				}
				hours := max(1, int(jobs*scale*worlds.WorkMean/3600/load/float64(c)))
				mean, waited := waits(t, worlds.Queue{Agents: c, Load: load, Work: worlds.Exponential, Hours: hours, Repeats: repeats})
				a := load * float64(c)
				agrees(t, "mean wait", mean, stats.WaitMMC(c, a), 0.4)
				agrees(t, "share that waits", waited, stats.ErlangC(c, a), 0.25)
			})
		}
	}
}

func TestTheoryFixedWork(t *testing.T) {
	repeats, scale := size()
	for load, jobs := range map[float64]float64{0.5: 40_000, 0.8: 80_000, 0.95: 200_000} {
		t.Run(fmt.Sprintf("loaded %g", load), func(t *testing.T) {
			t.Parallel()
			mean, _ := waits(t, worlds.Queue{Agents: 1, Load: load, Work: worlds.Fixed, Hours: int(jobs * scale * worlds.WorkMean / 3600 / load), Repeats: repeats})
			agrees(t, "mean wait", mean, stats.WaitMG1(load, 0), 0.25)
		})
	}
}

// Little's law on the run's own records, to the nanosecond: the time that jobs
// waited is the area under the line of waiting jobs, and node time is the area
// under the lines of nodes.
func TestPropertiesLittlesLaw(t *testing.T) {
	for seed := range uint64(12) {
		w, err := worlds.Random(seed)
		if err != nil {
			t.Fatal(err)
		}
		trace, err := sim.Run(w, seed, 0, nil)
		if err != nil {
			t.Fatal(err)
		}
		var waited, area, agents, busy units.Duration
		for j, r := range trace.Records {
			from := trace.Jobs.List[j].Submitted
			if r.Template >= 0 && from < w.Plan.Span {
				to := r.Started
				if r.Started < 0 {
					to = w.Plan.Span
				}
				waited += min(to, w.Plan.Span) - from
			}
			for _, s := range trace.Stays(j) {
				if s.Cause == sim.Working {
					busy += min(s.To, w.Plan.Span) - min(s.From, w.Plan.Span)
				}
			}
		}
		for _, a := range trace.Lines.Waiting.Area {
			area += units.Duration(a)
		}
		for _, a := range trace.Lines.Agents[sim.GroupWorking].Area {
			agents += units.Duration(a)
		}
		if waited != area {
			t.Errorf("seed %d: jobs waited %d ns, the line says %d ns", seed, waited, area)
		}
		if busy != agents {
			t.Errorf("seed %d: jobs worked %d ns, agents %d ns", seed, busy, agents)
		}
		pools := make([]units.Duration, len(w.Pools))
		for _, n := range trace.Nodes {
			pools[n.Pool] += min(n.Gone, w.Plan.Span) - min(n.Asked, w.Plan.Span)
		}
		for p, want := range pools {
			var got units.Duration
			for _, a := range trace.Lines.Nodes[p].Area {
				got += units.Duration(a)
			}
			if got != want {
				t.Errorf("seed %d, pool %d: nodes lived %d ns, the line says %d ns", seed, p, want, got)
			}
		}
	}
}
