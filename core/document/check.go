package document

import (
	"fmt"
	"strconv"

	"tachyphor/core/units"
)

// Limits on what may be simulated.
const (
	maxAgents = 100_000
	// maxJobsOfAgent is the highest number of jobs after which an agent may go.
	maxJobsOfAgent = 1_000_000
	maxNodesOf     = 10_000 // in one pool
	maxSpan        = 400 * units.Day
	maxWarmup      = 35 * units.Day
	maxRepeats     = 1000
)

// kind checks the values of one document.
func (c checker) kind(value any) {
	switch v := value.(type) {
	case *PodTemplate:
		c.podTemplate(v)
	case *Cluster:
		c.cluster(&v.Spec)
	case *Workload:
		c.workload(&v.Spec)
	case *Scenario:
		c.scenario(&v.Spec)
	case *Sweep:
		c.sweep(&v.Spec)
	}
}

// unique faults the second use of a name in a list.
func (c checker) unique(path string, n int, name func(int) string) {
	seen := map[string]int{}
	for i := range n {
		if first, twice := seen[name(i)]; twice {
			c.at(fmt.Sprintf("%s[%d].name", path, i), strconv.Quote(name(i)),
				fmt.Sprintf("the name is already used at %s[%d]; names must differ", path, first))
			continue
		}
		seen[name(i)] = i
	}
}

// within faults a whole number out of range.
func (c checker) within(path string, n, lo, hi int) {
	if n < lo || n > hi {
		c.at(path, strconv.Itoa(n), fmt.Sprintf("expected a whole number from %d to %d", lo, hi))
	}
}

// drawn checks a distribution, and reports whether it is one; write says how its values are
// written.
func drawn[Q ~int64](c checker, path string, t Drawn[Q], write string) bool {
	forms := 0
	for _, given := range []bool{
		t.Fixed != nil, t.Median != nil || t.P95 != nil, t.Mean != nil || t.Shape != nil,
		t.Min != nil || t.Max != nil, len(t.Samples) > 0,
	} {
		if given {
			forms++
		}
	}
	switch {
	case forms > 1:
		c.at(path, "more than one form", write)
	case (t.Median == nil) != (t.P95 == nil), (t.Min == nil) != (t.Max == nil), t.Shape != nil && t.Mean == nil:
		c.at(path, "half of a form", write)
	case t.Median != nil && !(0 < *t.Median && *t.Median <= *t.P95):
		c.at(path, fmt.Sprintf("median %v, p95 %v", *t.Median, *t.P95), "expected 0 < median ≤ p95")
	case t.Min != nil && *t.Min > *t.Max:
		c.at(path, fmt.Sprintf("min %v, max %v", *t.Min, *t.Max), "expected min ≤ max")
	case t.Shape != nil && !(*t.Shape >= 0.05 && *t.Shape <= 1000):
		c.at(path+".shape", fmt.Sprint(*t.Shape), "expected a number from 0.05 to 1000")
	case len(t.Samples) > 10_000:
		c.at(path+".samples", fmt.Sprint(len(t.Samples), " values"), "expected at most 10000")
	default:
		return true
	}
	return false
}

func (c checker) times(path string, t Times) bool {
	return drawn(c, path, t, "write one of 40s, {fixed: 40s}, {median: 42s, p95: 110s}, {mean: 5m}, {mean: 5m, shape: 3}, "+
		"{min: 1s, max: 4s}, {samples: [..]}")
}

func (c checker) sizes(path string, t Sizes) {
	drawn(c, path, t, "write one of 3Gi, {fixed: 3Gi}, {median: 3Gi, p95: 5Gi}, {mean: 3Gi}, {mean: 3Gi, shape: 3}, {min: 1Gi, "+
		"max: 4Gi}, {samples: [..]}")
}

// speed checks how fast nodes are beside others.
func (c checker) speed(path string, x float64) {
	if !(x >= 0.01 && x <= 100) {
		c.at(path, fmt.Sprint(x), "expected a number from 0.01 to 100")
	}
}

// chance faults a number that is not a probability.
func (c checker) chance(path string, p float64) {
	if !(p >= 0 && p <= 1) {
		c.at(path, fmt.Sprint(p), "expected a number from 0 to 1")
	}
}
