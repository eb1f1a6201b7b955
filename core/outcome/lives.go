package outcome

import (
	"tachyphor/core/sim"
	"tachyphor/core/stats"
	"tachyphor/core/units"
)

// A Life sums up the agents of a template that had joined and went, in a repeat.
type Life struct {
	Template string       `json:"template" doc:"Template."`
	Agents   stats.Figure `json:"agents" doc:"Agents that went."`
	Jobs     stats.Figure `json:"jobsEach" doc:"Jobs that ended on each of them, on average."`
	Age      stats.Figure `json:"ageNs" doc:"Time from joining to going, on average."`
	ByJobs   stats.Figure `json:"byJobs" doc:"Agents that went because they had had their most jobs."`
	ByAge    stats.Figure `json:"byAge" doc:"Agents that went because they were past their most age."`
}

// A LifeSample is a Life in one repeat.
type LifeSample struct {
	Agents int64                     `json:"agents" doc:"Agents that went."`
	Jobs   int64                     `json:"jobs" doc:"Jobs that ended on them."`
	AgeNs  units.Sum[units.Duration] `json:"ageNs" doc:"Time from joining to going, added up."`
	ByJobs int64                     `json:"byJobs" doc:"Those that had had their most jobs."`
	ByAge  int64                     `json:"byAge" doc:"Those past their most age."`
}

func livesOf(t *sim.Trace) []LifeSample {
	out := make([]LifeSample, len(t.Lives))
	for i, l := range t.Lives {
		out[i] = LifeSample{l.Agents, l.Jobs, l.Age, l.ByJobs, l.ByAge}
	}
	return out
}

// lives sums up the agents of the templates that had any which went.
func (s *Sum) lives() []Life {
	var out []Life
	for i := range s.world.Templates {
		fig := func(value func(*LifeSample) float64) stats.Figure {
			return s.figure(func(x *Sample) float64 { return value(&x.Lives[i]) })
		}
		l := Life{
			Template: s.world.Templates[i].Name,
			Agents:   fig(func(l *LifeSample) float64 { return float64(l.Agents) }),
			Jobs:     fig(func(l *LifeSample) float64 { return float64(l.Jobs) / float64(max(1, l.Agents)) }),
			Age:      fig(func(l *LifeSample) float64 { return l.AgeNs.Over(int(l.Agents)) }),
			ByJobs:   fig(func(l *LifeSample) float64 { return float64(l.ByJobs) }),
			ByAge:    fig(func(l *LifeSample) float64 { return float64(l.ByAge) }),
		}
		if l.Agents.Mean > 0 {
			out = append(out, l)
		}
	}
	return out
}
