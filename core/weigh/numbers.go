package weigh

import (
	"math"

	"tachyphor/core/outcome"
	"tachyphor/core/paired"
	"tachyphor/core/sim"
)

// What is read off readings: numbers of the jobs of some classes, together.

// classes are some classes, as indices into World.Classes.
type classes []int

// number is one number of a reading.
type number = paired.Number[reading]

// ofGroup is a number of one class's jobs, added up over them.
type ofGroup func(*outcome.GroupSample) float64

func lead(g *outcome.GroupSample) float64 { return g.LeadNs.Float() }

func cold(g *outcome.GroupSample) float64 { return g.CausesNs[sim.ColdWork].Float() }

// phases is the time in some phases.
func phases(list ...sim.Phase) ofGroup {
	return func(g *outcome.GroupSample) float64 {
		s := 0.0
		for _, p := range list {
			s += g.RibbonNs[p].Float()
		}
		return s
	}
}

// sum adds a number of the classes up.
func (k classes) sum(r *reading, of ofGroup) float64 {
	s := 0.0
	for _, c := range k {
		s += of(&r.sample.Groups[1+c])
	}
	return s
}

// ended counts the classes' jobs that ended.
func (k classes) ended(r *reading) float64 {
	return k.sum(r, func(g *outcome.GroupSample) float64 { return float64(g.Ended) })
}

// mean is a number of the classes' mean job.
func (k classes) mean(of ofGroup) number {
	return func(r *reading) float64 { return k.sum(r, of) / math.Max(1, k.ended(r)) }
}

// count adds up what the cache did for the classes.
func (k classes) count(of func(*sim.ClassCache) float64) number {
	return func(r *reading) float64 {
		s := 0.0
		for _, c := range k {
			s += of(&r.classes[c])
		}
		return s
	}
}

// share is a part of all that was looked for in the cache.
func (k classes) share(of func(*sim.ClassCache) float64) number {
	tried := k.count(func(c *sim.ClassCache) float64 { return float64(c.Hits + c.Stale + c.Misses) })
	return func(r *reading) float64 { return k.count(of)(r) / math.Max(1, tried(r)) }
}
