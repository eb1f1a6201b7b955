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
	"tachyphor/core/world"
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
// that the interval is narrow enough to mean something: narrow is what the long proofs hold.
func agrees(t *testing.T, what string, values []float64, theory, narrow float64) {
	t.Helper()
	if !long {
		narrow *= 2.3
	}
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
	return 12, 0.2
}

func TestTheoryErlangC(t *testing.T) {
	repeats, scale := size()
	agents := []int{1, 5, 20}
	if long {
		agents = []int{1, 2, 5, 20}
	}
	for _, c := range agents {
		for load, jobs := range map[float64]float64{0.5: 40_000, 0.8: 60_000, 0.95: 200_000} {
			t.Run(fmt.Sprintf("%d agents loaded %g", c, load), func(t *testing.T) {
				t.Parallel()
				if c == 20 && load == 0.5 { // hardly anyone waits
					if !long {
						t.Skip("it takes many jobs; make validate has them")
					}
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
			mean, _ := waits(t, worlds.Queue{
				Agents: 1, Load: load, Work: worlds.Fixed, Hours: int(jobs * scale * worlds.WorkMean / 3600 / load),
				Repeats: repeats,
			})
			agrees(t, "mean wait", mean, stats.WaitMG1(load, 0), 0.25)
		})
	}
}

// each runs a world's repeats and reads a value off each.
func each(t *testing.T, w *world.World, value func(*sim.Trace) float64) []float64 {
	t.Helper()
	out := make([]float64, w.Plan.Repeats)
	var all sync.WaitGroup
	for r := range out {
		all.Go(func() {
			trace, err := sim.Run(w, w.Plan.Seed, r, nil)
			if err != nil {
				t.Error(err)
				return
			}
			out[r] = value(trace)
		})
	}
	all.Wait()
	return out
}

// share is the part of the window's jobs for which something holds.
func share(trace *sim.Trace, holds func(r *sim.Record, from units.Duration) bool) float64 {
	n, k := 0, 0
	for j := range trace.Records {
		if s := trace.Jobs.List[j].Submitted; s >= trace.World.Plan.Warmup && s < trace.World.Plan.Span {
			n++
			if holds(&trace.Records[j], s) {
				k++
			}
		}
	}
	return float64(k) / float64(n)
}

// Finite ceilings without waiting lose what Erlang's B formula says, whatever the
// form of the work.
func TestTheoryErlangB(t *testing.T) {
	repeats, scale := size()
	for _, c := range []struct {
		agents int
		load   float64
		work   string
	}{{1, 0.5, worlds.Exponential}, {5, 0.9, worlds.Fixed}, {20, 1.1, worlds.Exponential}} {
		w, err := worlds.Queue{Agents: c.agents, Load: c.load, Work: c.work, Loss: true, Hours: int(100 * scale), Repeats: repeats}.Build()
		if err != nil {
			t.Fatal(err)
		}
		lost := each(t, w, func(x *sim.Trace) float64 {
			return share(x, func(r *sim.Record, _ units.Duration) bool { return r.Result == sim.GaveUp })
		})
		agrees(t, fmt.Sprintf("%d agents at %g, %s: share lost", c.agents, c.load, c.work), lost,
			stats.ErlangB(c.agents, c.load*float64(c.agents)), 0.05)
	}
}

// The tail of the wait is exponential: P(W > t) = C(c, a)·exp(−(c−a)·t/s).
func TestTheoryTail(t *testing.T) {
	repeats, scale := size()
	for _, c := range []int{1, 5} {
		const load = 0.8
		w, err := worlds.Queue{Agents: c, Load: load, Work: worlds.Exponential, Hours: int(200 * scale), Repeats: repeats}.Build()
		if err != nil {
			t.Fatal(err)
		}
		a := load * float64(c)
		for _, after := range []float64{0.5, 2} {
			late := each(t, w, func(x *sim.Trace) float64 {
				return share(x, func(r *sim.Record, from units.Duration) bool {
					return (r.Started - from).Seconds() > after*worlds.WorkMean
				})
			})
			agrees(t, fmt.Sprintf("%d agents: share that waits longer than %g work times", c, after), late,
				stats.ErlangC(c, a)*math.Exp(-(float64(c)-a)*after), 0.25)
		}
	}
}

// A link and a node's CPU are shared as processor sharing: the mean time there is
// 1/(1 − ρ) works, whatever the form of the work.
func TestTheoryProcessorSharing(t *testing.T) {
	repeats, scale := size()
	for _, cpu := range []bool{true, false} {
		forms := worlds.LinkForms
		if cpu {
			forms = worlds.CPUForms
		}
		for _, form := range forms {
			w, err := worlds.Shared{CPU: cpu, Load: 0.7, Form: form, Hours: int(120 * scale), Repeats: repeats}.Build()
			if err != nil {
				t.Fatal(err)
			}
			spent := each(t, w, func(x *sim.Trace) float64 {
				n, sum := 0, units.Duration(0)
				for j := range x.Records {
					if s := x.Jobs.List[j].Submitted; s < w.Plan.Warmup || s >= w.Plan.Span {
						continue
					}
					n++
					x.EachStay(j, func(s sim.Stay) {
						if p := s.Cause.Phase(); cpu && p == sim.Work || !cpu && p == sim.Save {
							sum += s.To - s.From
						}
					})
				}
				return sum.Seconds() / float64(n) / worlds.WorkMean
			})
			agrees(t, "shared, "+form, spent, 1/(1-0.7), 0.1)
		}
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
		var waited, busy units.Duration
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
		area, agents := units.TotalOf(trace.Lines.Waiting.Area...), units.TotalOf(trace.Lines.Agents[sim.GroupWorking].Area...)
		if units.SumOf(waited) != area {
			t.Errorf("seed %d: jobs waited %d ns, the line says %v ns", seed, waited, area)
		}
		if units.SumOf(busy) != agents {
			t.Errorf("seed %d: jobs worked %d ns, agents %v ns", seed, busy, agents)
		}
		pools := make([]units.Duration, len(w.Pools))
		for _, n := range trace.Nodes {
			pools[n.Pool] += min(n.Gone, w.Plan.Span) - min(n.Asked, w.Plan.Span)
		}
		for p, want := range pools {
			if got := units.TotalOf(trace.Lines.Nodes[p].Area...); got != units.SumOf(want) {
				t.Errorf("seed %d, pool %d: nodes lived %d ns, the line says %v ns", seed, p, want, got)
			}
		}
	}
}
