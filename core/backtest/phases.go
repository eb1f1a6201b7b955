package backtest

import (
	"fmt"

	"tachyphor/core/demand"
	"tachyphor/core/sim"
)

// A PhaseHeld is what jobs waited for, as it was told beside what is predicted: means over the jobs of
// which it is known.
type PhaseHeld struct {
	Phase     string  `json:"phase" enum:"held,placing,node,image,setup,join" doc:"The phase of a start delay."`
	Jobs      int     `json:"jobs" doc:"Jobs of which it is known."`
	Predicted float64 `json:"predictedNs" doc:"What the runs say, in the middle."`
	Observed  float64 `json:"observedNs" doc:"What was told."`
	Low       float64 `json:"lowNs" doc:"As far as chance goes, it is above this at 95 %."`
	High      float64 `json:"highNs" doc:"And below this."`
	Off       bool    `json:"off" doc:"It is further off than chance explains, by more than a twentieth and a tenth of a second."`
}

// phaseSums are what a run says of the jobs of which a phase is known: their waiting in it, s.
type phaseSums [len(demand.DelayPhases)]float64

// addPhases adds what a job of a run waited for, of the phases that are known of it.
func (s *phaseSums) addPhases(t *sim.Trace, index int, known *demand.PhaseTimes) {
	phases := t.PhaseTimes(index)
	for p := range s {
		if known[p] >= 0 {
			s[p] += float64(phases[p]) / second
		}
	}
}

// phased holds what jobs waited for beside what the runs say.
func (q *Question) phased(read [][]reading, list []int) []PhaseHeld {
	out := []PhaseHeld{}
	var observed phaseSums
	var jobs [len(demand.DelayPhases)]int
	for _, j := range list {
		if known := q.jobs[j].phases; known != nil {
			for p, x := range known {
				if x >= 0 {
					observed[p] += float64(x)
					jobs[p]++
				}
			}
		}
	}
	for p, name := range demand.DelayPhases {
		if jobs[p] < Least {
			continue
		}
		n := float64(jobs[p])
		runs := make([]float64, len(read[0]))
		for r := range runs {
			for d := range read { // each job under the design in force when it came
				runs[r] += read[d][r].phases[p] / n
			}
		}
		x := PhaseHeld{Phase: name, Jobs: jobs[p], Observed: float64(observed[p] / n * second)}
		mid, low, high := ranged(runs, 0.95)
		x.Predicted, x.Low, x.High = float64(mid*second), float64(low*second), float64(high*second)
		x.Off = beyond(x.Observed, x.Predicted, x.Low, x.High) && (x.Observed > x.Predicted+second/10 || x.Observed < x.Predicted-second/10)
		out = append(out, x)
	}
	return out
}

// phasesSay tells the phase that is furthest off, "" where none is.
func phasesSay(list []PhaseHeld) string {
	worst := -1
	for i := range list {
		off := func(x *PhaseHeld) float64 { return max(x.Observed-x.Predicted, x.Predicted-x.Observed) }
		if list[i].Off && (worst < 0 || off(&list[i]) > off(&list[worst])) {
			worst = i
		}
	}
	if worst < 0 {
		return ""
	}
	x := &list[worst]
	return fmt.Sprintf("Most of it is in the phase %s: jobs waited %s for it on average, where %s is predicted.", x.Phase,
		short(x.Observed), short(x.Predicted))
}
