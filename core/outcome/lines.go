package outcome

import (
	"slices"

	"tachyphor/core/document"
	"tachyphor/core/sim"
	"tachyphor/core/units"
)

// Lines are quantities over time: mean values in bins of equal width from the
// start of simulated time.
type Lines struct {
	BinNs   int64       `json:"binNs" doc:"Width of a bin."`
	Waiting []float64   `json:"waiting" doc:"Jobs submitted and not started."`
	Agents  []NamedLine `json:"agents" doc:"Agents by what they do."`
	Nodes   []NamedLine `json:"nodes" doc:"Nodes by pool, booting ones included."`
	Money   []float64   `json:"moneyPerHour" doc:"Money spent on nodes, an hour."`
	CPU     []NamedLine `json:"cpu" doc:"Cores of ready nodes: room for agents, requested by them, used by jobs at work where that is known."`
	Memory  []NamedLine `json:"memory" doc:"GiB of ready nodes, likewise."`
	Before  []float64   `json:"before,omitempty" doc:"Agents that were made before their template was changed; absent where none is."`
	Stored  []float64   `json:"storedGB,omitempty" doc:"GB in the cache store; absent without archives."`
}

// A NamedLine is one of several lines.
type NamedLine struct {
	Name   string    `json:"name" doc:"What it is of."`
	Values []float64 `json:"values" doc:"One value a bin."`
}

// binMeans are the means of a line over its bins, of which the last may be cut by the end of the span.
func binMeans(line sim.Line, width, span units.Duration) []float64 {
	out := make([]float64, len(line.Area))
	for b, a := range line.Area {
		out[b] = a.Float() / float64(min(units.Duration(b+1)*width, span)-units.Duration(b)*width)
	}
	return out
}

// SumMeans are the means of lines of a run, added up, over the bins that they are kept by.
func SumMeans(t *sim.Trace, lines []sim.Line) (out []float64) {
	for _, line := range lines {
		means := binMeans(line, t.Lines.Width, t.World.Plan.Span)
		if out == nil {
			out = make([]float64, len(means))
		}
		for b, v := range means {
			out[b] += v
		}
	}
	return out
}

// timeLines brings the lines of all repeats to means in units that people read.
func (s *Sum) timeLines() Lines {
	width := s.first.Lines.Width
	mean := func(line sim.Line) []float64 {
		out := binMeans(line, width, s.world.Plan.Span)
		for b := range out {
			out[b] = rounded(out[b] / float64(len(s.samples)))
		}
		return out
	}
	l := Lines{BinNs: int64(width), Waiting: mean(s.lines.Waiting), Money: make([]float64, len(s.lines.Waiting.Area))}
	for g, name := range sim.GroupNames {
		l.Agents = append(l.Agents, NamedLine{name, mean(s.lines.Agents[g])})
	}
	for p, pool := range s.world.Pools {
		line := NamedLine{pool.Name, mean(s.lines.Nodes[p])}
		l.Nodes = append(l.Nodes, line)
		for b, v := range line.Values {
			l.Money[b] = rounded(l.Money[b] + float64(v*units.Money(pool.Price).Float()))
		}
	}
	scaled := func(line sim.Line, by float64) []float64 {
		out := mean(line)
		for b := range out {
			out[b] = rounded(out[b] / by)
		}
		return out
	}
	for k, name := range lineKinds {
		l.CPU = append(l.CPU, NamedLine{name, scaled(s.lines.CPU[k], 1000)})
		l.Memory = append(l.Memory, NamedLine{name, scaled(s.lines.Memory[k], 1024)})
	}
	if slices.ContainsFunc(s.world.Rules, func(r document.CacheRule) bool { return r.Plan == document.Archive }) {
		l.Stored = scaled(s.lines.Stored, float64(units.GB)/(1<<20))
	}
	if len(s.world.Later) > 0 {
		l.Before = mean(s.lines.Before)
	}
	return l
}

// lineKinds name the lines of CPU and memory.
var lineKinds = [sim.LineKinds]string{"room", "requested", "used"}
