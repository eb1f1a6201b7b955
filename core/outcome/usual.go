package outcome

import (
	"slices"
	"time"

	"tachyphor/core/paired"
	"tachyphor/core/sim"
	"tachyphor/core/stats"
	"tachyphor/core/units"
	"tachyphor/core/world"
)

// A Band is what is usual of a quantity: the middle, and that between which it is nine times in
// ten.
type Band struct {
	Low  float64 `json:"low" doc:"Less one time in twenty."`
	Mid  float64 `json:"mid" doc:"Less half of the time."`
	High float64 `json:"high" doc:"More one time in twenty."`
}

// BandOf is the band of values, which it sorts, each as it is told; all zero where there are none.
func BandOf(values []float64, told func(float64) float64) Band {
	if len(values) == 0 {
		return Band{}
	}
	slices.Sort(values)
	at := func(p float64) float64 { return told(stats.Percentile(values, p)) }
	return Band{at(5), at(50), at(95)}
}

// A UsualHour is what is usual for an hour of the week.
type UsualHour struct {
	Waiting Band `json:"waiting" doc:"Jobs submitted and not started."`
	Agents  Band `json:"agents" doc:"Agents that there are."`
	Nodes   Band `json:"nodes" doc:"Nodes, booting ones included."`
}

// A UsualWeek is what is usual for every hour of the week in a design, from Monday 00:00 in a zone.
type UsualWeek struct {
	Scenario string         `json:"scenario" doc:"Name of the scenario."`
	Zone     units.Zone     `json:"zone" doc:"Time zone of the hours."`
	Repeats  int            `json:"repeats" doc:"Runs that it is of."`
	Hours    [168]UsualHour `json:"hours" doc:"By hour of the week; all zero where the simulated span does not have it."`
}

// usualRepeats is how many runs what is usual is of.
const usualRepeats = 20

// Usual runs a world and says what is usual for every hour of its week: of all repeats, the means
// over the short stretches that lines are kept by.
func Usual(w *world.World, workers int, progress paired.Progress) (*UsualWeek, error) {
	type lines struct {
		width                  units.Duration
		waiting, agents, nodes []float64
	}
	study := paired.Study[lines]{
		Worlds: []*world.World{w}, Draws: paired.Draws(usualRepeats, 0), Workers: workers, Progress: progress,
		Read: func(_, _ int, t *sim.Trace) (l lines, _ error) {
			l.width, l.waiting = t.Lines.Width, binMeans(t.Lines.Waiting, t.Lines.Width, w.Plan.Span)
			l.agents, l.nodes = SumMeans(t, t.Lines.Agents[:]), SumMeans(t, t.Lines.Nodes)
			return l, nil
		},
	}
	read, err := study.Run()
	if err != nil {
		return nil, err
	}
	out := &UsualWeek{Scenario: w.Scenario, Zone: w.Zone, Repeats: usualRepeats}
	var values [168][3][]float64
	for _, l := range read[0] {
		for i := range l.waiting {
			at := units.Duration(i) * l.width
			if at < w.Plan.Warmup {
				continue
			}
			h := w.Zone.MinuteOfWeek(w.Start.Add(time.Duration(at))) / 60
			for q, list := range [][]float64{l.waiting, l.agents, l.nodes} {
				values[h][q] = append(values[h][q], list[i])
			}
		}
	}
	for h := range values {
		for q, into := range []*Band{&out.Hours[h].Waiting, &out.Hours[h].Agents, &out.Hours[h].Nodes} {
			list := values[h][q]
			*into = BandOf(list, rounded)
		}
	}
	return out, nil
}

// At is what is usual at a moment.
func (u *UsualWeek) At(t time.Time) UsualHour { return u.Hours[u.Zone.MinuteOfWeek(t)/60] }
