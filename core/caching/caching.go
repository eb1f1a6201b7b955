// Package caching knows what a workspace cache does on average where that has a
// closed form: builds of one class, one after the other, with an agent always ready
// and nobody else on the links.
package caching

import (
	"tachyphor/core/document"
	"tachyphor/core/portable"
)

// Terms are what a class's workspace is and what carries it, in means. Speeds of 0
// are without limit.
type Terms struct {
	Work    float64 `json:"work" doc:"The job's own work, seconds."`
	Cold    float64 `json:"cold" doc:"Work on top of it without a cache, seconds."`
	Partial float64 `json:"partial" doc:"Share of that which an out-of-date cache still spares, 0 to 1."`
	Change  float64 `json:"change" doc:"Share of builds that change their dependencies, 0 to 1."`
	Trunk   float64 `json:"trunk" doc:"Share of builds that build the trunk, 0 to 1."`
	PerDay  float64 `json:"perDay" doc:"Builds a day."`
	Size    float64 `json:"size" doc:"Packed workspace, bytes."`
	Down    float64 `json:"down" doc:"Speed of one restore, bytes a second; 0: at once."`
	Up      float64 `json:"up" doc:"Speed of one save, bytes a second; 0: at once."`
	Pack    float64 `json:"pack" doc:"Speed of packing, bytes of the archive a second; 0: at once."`
	Unpack  float64 `json:"unpack" doc:"Speed of unpacking, bytes of the archive a second; 0: at once."`
	Latency float64 `json:"latency" doc:"Time before the store answers, seconds."`
}

// over is the time that the workspace takes at a speed.
func (t Terms) over(speed float64) float64 {
	if speed <= 0 {
		return 0
	}
	return t.Size / speed
}

// Restore is how long a restore that finds an entry takes, seconds.
func (t Terms) Restore() float64 { return t.Latency + t.over(t.Down) + t.over(t.Unpack) }

// Save is how long a save takes, seconds.
func (t Terms) Save() float64 { return t.Latency + t.over(t.Pack) + t.over(t.Up) }

// An Expectation is what a build of a long series comes to on average.
type Expectation struct {
	Fresh   float64 `json:"fresh" doc:"Share of builds that find their workspace up to date."`
	Stale   float64 `json:"stale" doc:"Share that find it out of date."`
	Saves   float64 `json:"saves" doc:"Saves for each build."`
	Restore float64 `json:"restore" doc:"Time in restoring, seconds a build."`
	Cold    float64 `json:"cold" doc:"Time in cold work, seconds a build."`
	Save    float64 `json:"save" doc:"Time in saving, seconds a build."`
}

// Carried is the time that the workspace costs a build: restoring, cold work, saving.
func (e Expectation) Carried() float64 { return e.Restore + e.Cold + e.Save }

// Expect returns what a build comes to under a plan, the first builds left out. ok is
// false where the plan has no closed form.
//
// Let p be the share of builds that change their dependencies and q the share that
// build the trunk; a change of the trunk holds for all later builds, one of a change
// request for itself alone. A build is up to date when the entry has its version.
//
//   - every success or when changed, saved by all: the entry is the build before, so
//     that P = (1 − p(1−q))(1 − p); when changed, only the others save;
//   - saved by the trunk: the entry is the trunk's last, P = 1 − p, with q saves, or
//     qp when changed;
//   - every D: from one save to the next there are N = λD + 1/q builds on average (by
//     all: λD + 1), where λ is the rate of builds and D counts from the end of a save.
//     The trunk has not changed for n builds with chance (1 − qp)ⁿ; over the Poisson
//     number of builds in D, with a = λDqp, that leaves
//     P = (1 − p)[(1 − e⁻ᵃ)/(qp) + e⁻ᵃ/q] / N, by all with 1 for 1/q in the last term
//     and times 1 − p(1−q);
//   - baked into an image made anew every E, one job for each agent:
//     P = (1 − p)(1 − e⁻ᵇ)/b, b = λqpE.
//
// It holds for builds that come at random, one after the other.
func Expect(t Terms, rule document.CacheRule) (e Expectation, ok bool) {
	p, q := t.Change, t.Trunk
	private := float64(p * (1 - q)) // a version that no later build has
	rate := t.PerDay / 86400
	byAll := rule.SavedBy == document.ByAll
	switch rule.Plan {
	case document.NoCache:
		return Expectation{Cold: t.Cold}, true
	case document.Baked:
		e.Fresh = float64((1 - p) * meanOfDecay(rate*q*p*rule.Rebuilt().Seconds()))
		e.Stale = 1 - e.Fresh
		e.Cold = t.Cold * e.Stale * (1 - t.Partial)
		return e, true
	case document.Archive:
	default:
		return e, false
	}
	if rule.Expires > 0 || q <= 0 && !byAll {
		return e, false
	}
	switch {
	case rule.Save == document.NeverSave:
		return Expectation{Restore: t.Latency, Cold: t.Cold}, true
	case rule.Save == document.SaveEvery:
		e.Fresh, e.Saves = t.everyOnce(rule.Every.Seconds(), rate, byAll)
	case byAll:
		e.Fresh = float64((1 - private) * (1 - p))
		e.Saves = 1
		if rule.Save == document.WhenChanged {
			e.Saves = 1 - e.Fresh
		}
	default:
		e.Fresh = 1 - p
		e.Saves = q
		if rule.Save == document.WhenChanged {
			e.Saves = q * p
		}
	}
	e.Stale = 1 - e.Fresh
	e.Restore = t.Restore()
	e.Cold = t.Cold * e.Stale * (1 - t.Partial)
	e.Save = e.Saves * t.Save()
	return e, true
}

// everyOnce is P and the saves a build where an entry is replaced at an age.
func (t Terms) everyOnce(age, rate float64, byAll bool) (fresh, saves float64) {
	p, q := t.Change, t.Trunk
	within := float64(rate * (age + t.Save())) // builds before the entry is old enough
	a := within * q * p
	last := 1.0 // builds from then to the save
	if !byAll {
		last = 1 / q
	}
	up := float64(within * meanOfDecay(a)) // of those within, that find the trunk unchanged
	n := within + last
	fresh = (1 - p) * (up + float64(portable.Exp(-a)*last)) / n
	if byAll {
		fresh *= 1 - float64(p*(1-q))
	}
	return fresh, 1 / n
}

// meanOfDecay is (1 − e⁻ᵃ)/a, the mean of e⁻ˣ over x from 0 to a; 1 at 0.
func meanOfDecay(a float64) float64 {
	if a < 1e-9 {
		return 1
	}
	return -portable.Expm1(-a) / a
}
