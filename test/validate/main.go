// Command validate holds the engine against queueing theory at length and writes
// what came out as Markdown:
//
//	go run ./test/validate > docs/validation.md
//
// For each queue a hundred seeds are simulated. Each gives a mean wait with its
// 95 % interval over its repeats; of an honest engine about 95 of the hundred
// intervals hold the true value, of a biased one few. It exits with status 1 when
// the intervals hold it too rarely.
package main

import (
	"flag"
	"fmt"
	"math"
	"os"
	"runtime"
	"strings"
	"sync"
	"sync/atomic"

	"tachyphor/core/sim"
	"tachyphor/core/stats"
	"tachyphor/core/units"
	"tachyphor/core/world"
	"tachyphor/test/worlds"
)

// How long the proof is.
const (
	seeds   = 100
	repeats = 12
)

// least is how many of a hundred intervals must hold the true value: fewer than
// 88 come about by chance once in five hundred tries; over all queues together
// 93 % must.
const (
	least    = 88
	leastAll = 0.93
)

// proof is one queue and what theory says of it.
type proof struct {
	name   string
	queue  worlds.Queue
	shared *worlds.Shared // instead of the queue, which then gives its load
	jobs   float64        // a repeat
	value  func(t *sim.Trace) float64
	theory float64
}

func proofs() []proof {
	var list []proof
	for _, c := range []int{1, 2, 5, 20} {
		for _, load := range []float64{0.5, 0.8, 0.95} {
			a := load * float64(c)
			if wait := stats.ErlangC(c, a); wait > 0.15 || c == 1 { // else too few wait within a run
				jobs := 5000 / (1 - load) / min(1, 4*wait)
				list = append(list, proof{
					fmt.Sprintf("M/M/%d, mean wait", c),
					worlds.Queue{Agents: c, Load: load, Work: worlds.Exponential},
					nil,
					jobs, meanWait, stats.WaitMMC(c, a),
				})
			}
		}
	}
	for _, g := range []struct {
		name, work string
		cv2        float64
	}{
		{"D", worlds.Fixed, 0},
		{"gamma 4", "{mean: 10s, shape: 4}", 0.25},
		{"gamma 2", "{mean: 10s, shape: 2}", 0.5},
		{"gamma 0.5", "{mean: 10s, shape: 0.5}", 2},
	} {
		for _, load := range []float64{0.5, 0.8} {
			list = append(list, proof{
				"M/G/1 (" + g.name + "), mean wait",
				worlds.Queue{Agents: 1, Load: load, Work: g.work},
				nil,
				4000 / (1 - load) * (1 + g.cv2), meanWait, stats.WaitMG1(load, g.cv2),
			})
		}
	}
	for _, g := range []string{worlds.Fixed, worlds.Exponential, "{mean: 10s, shape: 3}"} {
		// Two hundred agents at 5 % load never run out: the number at work is Poisson
		// with mean 10, whatever the work time's form; its variance is its mean.
		q := worlds.Queue{Agents: 200, Load: 0.05, Work: g}
		list = append(list, proof{"M/G/∞ " + g + ", mean at work", q, nil, 3000, func(t *sim.Trace) float64 { m, _ := atWork(t); return m }, 10})
		list = append(list, proof{
			"M/G/∞ " + g + ", variance at work", q, nil, 8000,
			func(t *sim.Trace) float64 { _, v := atWork(t); return v }, 10,
		})
	}
	for _, c := range []struct {
		agents int
		load   float64
	}{{1, 0.5}, {5, 0.9}, {20, 1.1}} {
		for _, work := range []string{worlds.Exponential, worlds.Fixed} { // insensitive to the form
			q := worlds.Queue{Agents: c.agents, Load: c.load, Work: work, Loss: true}
			list = append(list, proof{
				fmt.Sprintf("M/G/%d/%d %s, share lost", c.agents, c.agents, work), q, nil, 12_000, shareLost,
				stats.ErlangB(c.agents, c.load*float64(c.agents)),
			})
		}
	}
	for _, load := range []float64{0.5, 0.8} {
		for _, form := range worlds.CPUForms {
			s := worlds.Shared{CPU: true, Load: load, Form: form}
			list = append(list, proof{
				"M/G/1-PS on a node's CPU " + form + ", mean time",
				worlds.Queue{Agents: 1, Load: load},
				&s,
				6000 / (1 - load), meanLead, 1 / (1 - load),
			})
		}
		for _, form := range worlds.LinkForms {
			s := worlds.Shared{Load: load, Form: form}
			list = append(list, proof{
				"M/G/1-PS on a link " + form + ", mean time",
				worlds.Queue{Agents: 1, Load: load},
				&s, 6000 / (1 - load),
				meanSave, 1 / (1 - load),
			})
		}
	}
	const many = 100
	return append(list, proof{
		"M/M/100, mean wait",
		worlds.Queue{Agents: many, Load: 0.95, Work: worlds.Exponential},
		nil, 200_000,
		meanWait, stats.WaitMMC(many, 0.95*many),
	})
}

func inWindow(t *sim.Trace, at units.Duration) bool {
	return at >= t.World.Plan.Warmup && at < t.World.Plan.Span
}

// meanWait is the mean wait in work times.
func meanWait(t *sim.Trace) float64 {
	n, sum := 0, 0.0
	for j, r := range t.Records {
		if s := t.Jobs.List[j].Submitted; inWindow(t, s) {
			n++
			sum += (r.Started - s).Seconds()
		}
	}
	return sum / float64(n) / worlds.WorkMean
}

// atWork samples the number of jobs at work every five work times.
func atWork(t *sim.Trace) (mean, variance float64) {
	const every = 5 * worlds.WorkMean * units.Second
	counts := make([]float64, t.World.Plan.Span/every+1)
	for _, r := range t.Records {
		if r.Started < 0 {
			continue
		}
		for k := (r.Started + every - 1) / every; k*every < r.Ended && int(k) < len(counts); k++ {
			counts[k]++
		}
	}
	counts = counts[t.World.Plan.Warmup/every+1 : len(counts)-1]
	for _, c := range counts {
		mean += c
	}
	mean /= float64(len(counts))
	for _, c := range counts {
		variance += (c - mean) * (c - mean)
	}
	return mean, variance / float64(len(counts)-1)
}

func (p proof) build() (*world.World, error) {
	if p.shared == nil {
		return p.queue.Build()
	}
	s := *p.shared
	s.Hours, s.Repeats = p.queue.Hours, p.queue.Repeats
	return s.Build()
}

// shareLost is the share of jobs that found no agent.
func shareLost(t *sim.Trace) float64 {
	n, lost := 0, 0
	for j, r := range t.Records {
		if inWindow(t, t.Jobs.List[j].Submitted) {
			n++
			if r.Result == sim.GaveUp {
				lost++
			}
		}
	}
	return float64(lost) / float64(n)
}

// meanLead is the mean time from submission to the end in work times.
func meanLead(t *sim.Trace) float64 { return meanOf(t, sim.Phases) }

// meanSave is the mean time of saves in work times.
func meanSave(t *sim.Trace) float64 { return meanOf(t, sim.Save) }

// meanOf is the mean time in one phase, or in all, in work times.
func meanOf(t *sim.Trace, only sim.Phase) float64 {
	n, sum := 0, 0.0
	for j := range t.Records {
		if !inWindow(t, t.Jobs.List[j].Submitted) {
			continue
		}
		n++
		t.EachStay(j, func(s sim.Stay) {
			if only == sim.Phases || s.Cause.Phase() == only {
				sum += (s.To - s.From).Seconds()
			}
		})
	}
	return sum / float64(n) / worlds.WorkMean
}

// run simulates every seed of a proof on all cores.
func run(p proof, number int) (holds int, grand stats.Figure, err error) {
	p.queue.Hours = max(1, int(math.Ceil(p.jobs*worlds.WorkMean/3600/p.queue.Load/float64(p.queue.Agents))))
	p.queue.Repeats = repeats
	w, err := p.build()
	if err != nil {
		return 0, grand, err
	}
	figures := make([]stats.Figure, seeds)
	var next atomic.Int64
	var all sync.WaitGroup
	var mu sync.Mutex
	for range runtime.NumCPU() {
		all.Go(func() {
			for {
				s := int(next.Add(1)) - 1
				if s >= seeds {
					return
				}
				values := make([]float64, repeats)
				for r := range values {
					t, e := sim.Run(w, uint64(number*seeds+s)+1, r, nil) // no two proofs share a draw
					if e != nil {
						mu.Lock()
						err = e
						mu.Unlock()
						return
					}
					values[r] = p.value(t)
				}
				figures[s] = stats.OfAmounts(values)
			}
		})
	}
	all.Wait()
	means := make([]float64, seeds)
	for s, f := range figures {
		means[s] = f.Mean
		if math.Abs(f.Mean-p.theory) <= f.Half {
			holds++
		}
	}
	return holds, stats.Of(means), err
}

func main() {
	skip := flag.Int("skip", 0, "go on after this many queues, for a table that was broken off")
	only := flag.String("only", "", "only queues with this in their name")
	covered := flag.String("cover", "", "only what is told of systems with this in their name")
	flag.Parse()
	if *covered != "" {
		if fine, err := cover(*covered); err != nil || !fine {
			fmt.Fprintln(os.Stderr, "misled too often:", err)
			os.Exit(1)
		}
		return
	}
	fmt.Print(`# Validation

Written by ` + "`make validate`" + `. For each queue a hundred seeds were simulated, each with twelve repeats; each seed gives a mean with its 95 % interval. "Held" counts the intervals that hold what theory says: about 95 of an honest engine's hundred, few of a biased one's. "Simulated" is the mean over all seeds with its 95 % interval. Waits are in units of the mean work time.

| queue | load | theory | simulated | held of 100 |
|---|---|---|---|---|
`)
	all, proven := 0, 0
	failed := false
	for i, p := range proofs() {
		if i < *skip || !strings.Contains(p.name, *only) {
			continue
		}
		holds, grand, err := run(p, i)
		if err != nil {
			fmt.Fprintln(os.Stderr, err)
			os.Exit(1)
		}
		mark := ""
		if holds < least {
			mark, failed = " **too few**", true
		}
		all, proven = all+seeds, proven+holds
		fmt.Printf("| %s | %g | %.4g | %.4g ± %.2g | %d%s |\n", p.name, p.queue.Load, p.theory, grand.Mean, grand.Half, holds, mark)
		fmt.Fprintf(os.Stderr, "%s at %g: %d\n", p.name, p.queue.Load, holds)
	}
	share := float64(proven) / float64(all)
	fmt.Printf("\nTogether %d of %d intervals hold the true value: %.1f %%.\n", proven, all, 100*share)
	fmt.Print(`
Sources: Erlang's C formula for the mean wait of M/M/c and his B formula for the share lost of M/G/c/c; Pollaczek and Khinchine's for M/G/1; the finite source of M/M/c//N (Gross and Harris); the Poisson occupancy of M/G/∞ (Kleinrock, Queueing Systems, vol. 1, 1975); the insensitive mean 1/(1 − ρ) of M/G/1 with processor sharing (vol. 2, 1976).

Placement is held against the Kubernetes scheduler's own plugins in ` + "`make test`" +
		`: 20,800 pods on 520 generated clusters, all of them agree (decision 7).
`)
	fine, err := cover("")
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
	if failed || !fine || share < leastAll {
		fmt.Fprintln(os.Stderr, "the intervals hold the true value too rarely")
		os.Exit(1)
	}
}
