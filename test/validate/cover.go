package main

import (
	"fmt"
	"math"
	"os"
	"runtime"
	"strings"
	"sync"

	"tachyphor/core/outcome"
	"tachyphor/core/sim"
	"tachyphor/core/stats"
	"tachyphor/core/units"
	"tachyphor/core/world"
	"tachyphor/test/worlds"
)

// coverSeeds is how many outcomes are told of each system, and leastCovered the share of
// them that must not mislead. Of an interval that holds 95 times in a hundred, 200 tries
// give less once in ten times, a thousand once in five hundred: where 200 give less, so
// many more are looked at, and all together count.
const (
	coverSeeds   = 200
	coverRepeats = 8
	moreSeeds    = 800
	leastCovered = 0.93
)

// A system is one whose outcomes are told as they are to people.
type system struct {
	name  string
	build func(seed int) (*world.World, error)
	// truth is what theory says of a figure; where it says nothing it is what many other
	// seeds come to.
	truth map[string]float64
	alike bool // the interval is that for weeks like the recorded one
}

// told are the figures that are looked at.
var told = []struct {
	name string
	of   func(*outcome.Outcome) *stats.Figure
}{
	{"mean delay", func(o *outcome.Outcome) *stats.Figure { return &o.Groups[0].Delay.Mean }},
	{"p50", func(o *outcome.Outcome) *stats.Figure { return o.Groups[0].Delay.P50 }},
	{"p95", func(o *outcome.Outcome) *stats.Figure { return o.Groups[0].Delay.P95 }},
	{"p99", func(o *outcome.Outcome) *stats.Figure { return o.Groups[0].Delay.P99 }},
	{"bill a month", func(o *outcome.Outcome) *stats.Figure { return &o.Cost.PerMonth }},
}

func systems() []system {
	queue := func(agents int, load float64, work string, hours int) func(int) (*world.World, error) {
		return func(seed int) (*world.World, error) {
			w, err := worlds.Queue{Agents: agents, Load: load, Work: work, Hours: hours, Repeats: coverRepeats}.Build()
			if err == nil {
				w.Plan.Seed = uint64(seed)
			}
			return w, err
		}
	}
	week := func(k worlds.Week) func(int) (*world.World, error) {
		return func(seed int) (*world.World, error) {
			k.Repeats, k.Seed = coverRepeats, uint64(seed)
			return k.Build()
		}
	}
	people := worlds.Repair{People: 30, Agents: 3, Think: "{mean: 100s}", Hours: 8, Repeats: coverRepeats}
	return []system{
		{name: "M/M/3 at 0.8, 8 × 4 h", build: queue(3, 0.8, worlds.Exponential, 4), truth: waits(3, 0.8)},
		{name: "M/M/3 at 0.8, 8 × 1 h", build: queue(3, 0.8, worlds.Exponential, 1), truth: waits(3, 0.8)},
		{name: "M/M/20 at 0.9, 8 × 4 h", build: queue(20, 0.9, worlds.Exponential, 4), truth: waits(20, 0.9)},
		{
			name: "M/G/1 at 0.8, log-normal, 8 × 8 h", build: queue(1, 0.8, "{median: 6.0653s, p95: 31.4198s}", 8),
			truth: map[string]float64{"mean delay": stats.WaitMG1(0.8, math.E-1) * worlds.WorkMean * 1e9},
		},
		{
			name: "30 people at 3 agents, 8 × 8 h", truth: map[string]float64{"mean delay": people.Wait() * 1e9},
			build: func(seed int) (*world.World, error) {
				w, err := people.Build()
				if err == nil {
					w.Plan.Seed = uint64(seed)
				}
				return w, err
			},
		},
		{name: "a week, agents and nodes", build: week(worlds.Week{Bare: true})},
		{name: "a week, everything on", build: week(worlds.Week{})},
		{name: "a recorded week, for weeks like it", alike: true, build: func(seed int) (*world.World, error) {
			w, err := worlds.Week{Repeats: coverRepeats, Seed: 1}.Recorded(seed)
			if err == nil {
				w.Plan.Seed = uint64(seed)
			}
			return w, err
		}},
	}
}

// waits are the mean and the percentiles of the wait of M/M/c, ns: a job waits with the
// probability C, and then for an exponential time of mean 1/(cμ − λ).
func waits(agents int, load float64) map[string]float64 {
	c, a := float64(agents), load*float64(agents)
	probability, mean := stats.ErlangC(agents, a), worlds.WorkMean*1e9/(c-a)
	at := func(p float64) float64 { return max(0, math.Log(probability/(1-p))*mean) }
	return map[string]float64{"mean delay": probability * mean, "p50": at(0.5), "p95": at(0.95), "p99": at(0.99)}
}

// referenceSeeds is of how many other seeds, or recorded weeks, the truth is the mean where
// theory does not say it; the percentiles are of all their delays together.
const referenceSeeds = 1000

// outcomes simulates seeds on all cores and takes what is wanted of each.
func (s *system) outcomes(first, n, repeats int, take func(i int, o *outcome.Outcome, t *sim.Trace)) error {
	var mu sync.Mutex
	return sim.Each(runtime.NumCPU(), n, func(i int) error {
		w, err := s.build(first + i)
		if err != nil {
			return err
		}
		w.Plan.Repeats = repeats
		o, t, err := outcome.Simulate(w, 1, nil)
		if err != nil {
			return err
		}
		mu.Lock()
		defer mu.Unlock()
		take(i, o, t)
		return nil
	})
}

// look fills in the truth that theory does not give.
func (s *system) look() error {
	missing := false
	for _, f := range told {
		if _, ok := s.truth[f.name]; !ok {
			missing = true
		}
	}
	if !missing {
		return nil
	}
	bills, mean := 0.0, 0.0
	spreads := make([]stats.Spread, referenceSeeds)
	err := s.outcomes(1_000_000, referenceSeeds, 1, func(i int, o *outcome.Outcome, t *sim.Trace) {
		bills += o.Cost.PerMonth.Mean / referenceSeeds
		mean += o.Groups[0].Delay.Mean.Mean / referenceSeeds
		var delays []int64
		for j, r := range t.Records {
			if at := t.Jobs.List[j].Submitted; inWindow(t, at) && r.Started >= 0 {
				delays = append(delays, int64(r.Started-at))
			}
		}
		spreads[i] = stats.SpreadOf(delays, 1<<20)
	})
	if err != nil {
		return err
	}
	pool := stats.PoolOf(spreads)
	found := map[string]float64{"mean delay": mean, "bill a month": bills}
	for name, p := range map[string]float64{"p50": 50, "p95": 95, "p99": 99} {
		found[name] = float64(pool.Percentile(p))
	}
	for name, x := range s.truth {
		found[name] = x
	}
	s.truth = found
	return nil
}

// cover tells 200 outcomes of each system and counts which intervals hold the truth. It
// reports whether enough of them do.
func cover(only string) (fine bool, err error) {
	fine = true
	fmt.Printf(`
## What is told of a system

For each system %d outcomes were told (a thousand where so few leave it open), each of eight repeats with draws of its own, as they are told to people: through the same calculation, "too few" included. "Held" are the intervals that hold the truth, "misled" the share of outcomes whose interval does not; the rest said "too few". Whether an outcome says so is decided by its own jobs, and those that happen to hold few long waits are the ones that do not: where most say "too few", of the rest more than one in twenty misleads. What is bounded is how often one is misled: fewer than %.0f %% of outcomes may.

| system | figure | truth | outcomes | told | held | misled |
|---|---|---|---|---|---|---|
`, coverSeeds, 100*(1-leastCovered))
	for _, s := range systems() {
		if !strings.Contains(s.name, only) {
			continue
		}
		if err := s.look(); err != nil {
			return false, err
		}
		c := newCounts()
		if err := s.count(c, 1, coverSeeds); err != nil {
			return false, err
		}
		if c.worst() > 1-leastCovered {
			if err := s.count(c, 1+coverSeeds, moreSeeds); err != nil {
				return false, err
			}
		}
		for k, f := range told {
			mark := ""
			if c.misled(k) > 1-leastCovered {
				mark, fine = " **too many**", false
			}
			truth := fmt.Sprintf("%.4g s", s.truth[f.name]/float64(units.Second))
			if f.name == "bill a month" {
				truth = fmt.Sprintf("EUR %.2f", s.truth[f.name])
			}
			line := fmt.Sprintf("| %s | %s | %s | %d | %d | %d | %.1f %%%s |", s.name, f.name, truth, c.outcomes, c.told[k], c.held[k],
				100*c.misled(k), mark)
			fmt.Println(line)
			fmt.Fprintln(os.Stderr, line)
		}
	}
	return fine, nil
}

// counts are how often what was told of each figure held the truth.
type counts struct {
	outcomes   int
	told, held []int
}

func newCounts() *counts { return &counts{told: make([]int, len(told)), held: make([]int, len(told))} }

// count tells outcomes of so many seeds.
func (s *system) count(c *counts, first, n int) error {
	c.outcomes += n
	return s.outcomes(first, n, coverRepeats, func(_ int, o *outcome.Outcome, _ *sim.Trace) {
		for k, f := range told {
			x := f.of(o)
			if x == nil {
				continue
			}
			c.told[k]++
			half := x.Half
			if s.alike {
				half = x.Alike
			}
			if math.Abs(x.Mean-s.truth[f.name]) <= half+1e-6*x.Mean {
				c.held[k]++
			}
		}
	})
}

// misled is the share of outcomes whose interval of a figure does not hold the truth.
func (c *counts) misled(k int) float64 { return float64(c.told[k]-c.held[k]) / float64(c.outcomes) }

func (c *counts) worst() (share float64) {
	for k := range c.told {
		share = max(share, c.misled(k))
	}
	return share
}
