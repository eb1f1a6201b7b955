package backtest

import (
	"math"
	"slices"

	"tachyphor/core/portable"
	"tachyphor/core/stats"
)

// Percentiles that are told.
var percentiles = []float64{50, 90, 95, 99}

// needs is how many jobs a percentile needs to be judged, as stats.Supports has it: ten beyond it.
func needs(p float64) int { return int(math.Ceil(1000 / (100 - p))) }

// A Percentile is one of a group, predicted and observed.
type Percentile struct {
	P         float64 `json:"p" doc:"Which."`
	Predicted float64 `json:"predictedNs" doc:"What the runs say, in the middle."`
	Observed  float64 `json:"observedNs" doc:"What happened."`
	Ratio     float64 `json:"ratio" doc:"Predicted by observed."`
	Low       float64 `json:"low" doc:"The ratio is above this at 95 %, as far as chance goes: by the spread of the runs."`
	High      float64 `json:"high" doc:"And below this."`
	Judged    bool    `json:"judged" doc:"There are enough jobs to judge it."`
	Needs     int     `json:"needs" doc:"How many it needs."`
	Off       bool    `json:"off" doc:"It is further off than chance explains, and by more than a second."`
	surely    bool    // off with the confidence that all looks together have
}

// A HeldBeside is jobs that are held beside each other.
type HeldBeside struct {
	By    string       `json:"by" enum:"all,class" doc:"What makes it a group."`
	Name  string       `json:"name" doc:"Name of the class; empty: all jobs."`
	Jobs  int          `json:"jobs" doc:"Jobs that are scored."`
	Delay []Percentile `json:"delay" doc:"Start delays."`
	Lead  []Percentile `json:"lead" doc:"Lead times, of jobs whose end is known."`
}

// An HourOfWeek is an hour of the week.
type HourOfWeek struct {
	Hour      int     `json:"hour" doc:"From Monday 00:00."`
	Jobs      int     `json:"jobs" doc:"Jobs that are scored."`
	Predicted float64 `json:"predictedNs" doc:"Mean start delay that the runs say."`
	Observed  float64 `json:"observedNs" doc:"That which was observed."`
	Low       float64 `json:"lowNs" doc:"As far as chance goes, the mean is above this at 95 %."`
	High      float64 `json:"highNs" doc:"And below this."`
}

// A Quantile is one percentile of all start delays.
type Quantile struct {
	P         float64 `json:"p" doc:"Which."`
	Predicted float64 `json:"predictedNs" doc:"What the runs say, in the middle."`
	Observed  float64 `json:"observedNs" doc:"What happened."`
	Low       float64 `json:"lowNs" doc:"As far as chance goes, it is above this at 95 %."`
	High      float64 `json:"highNs" doc:"And below this."`
}

// leastTime is the shortest time that is told from none, s.
const leastTime = 1e-3

// ranged is what values of runs say of one more run: the middle, and bounds within which it is
// at a confidence, all on the scale of logarithms.
func ranged(values []float64, sure float64) (mid, low, high float64) {
	list := make([]float64, len(values))
	for i, v := range values {
		list[i] = portable.Log(max(v, leastTime))
	}
	f := stats.Of(list)
	spread := f.Half / portable.StudentQuantile(f.Runs-1) * math.Sqrt(float64(f.Runs+1)) // of one more
	half := float64(portable.StudentBeyond(f.Runs-1, 1-sure) * spread)
	return portable.Exp(f.Mean), portable.Exp(f.Mean - half), portable.Exp(f.Mean + half)
}

// groups holds percentiles beside each other.
func (b *Backtest) groups(q *Question, of prediction, list []int) {
	b.Groups = append(b.Groups, q.group("all", "", of, list))
	for c, name := range q.classes {
		var own []int
		for _, j := range list {
			if q.jobs[j].class == int32(c) {
				own = append(own, j)
			}
		}
		if len(own) > 0 {
			b.Groups = append(b.Groups, q.group("class", name, of, own))
		}
	}
	slices.SortStableFunc(b.Groups[1:], func(x, y HeldBeside) int { return y.Jobs - x.Jobs })
	observed, runs := q.sorted(list, of.delay, func(j *job) float64 { return j.waited })
	for p := 2.0; p < 100; p += shapeStep(p) {
		mid, low, high := ranged(each(runs, p), 0.95)
		b.Shape = append(b.Shape, Quantile{p, mid * second, stats.Percentile(observed, p) * second, low * second, high * second})
	}
}

// shapeStep is how far the next percentile of a shape is: those above 90 are closer.
func shapeStep(p float64) float64 {
	switch {
	case p < 90:
		return 2
	case p < 99:
		return 1
	}
	return 0.25
}

// each is a percentile of every run.
func each(runs [][]float64, p float64) []float64 {
	out := make([]float64, len(runs))
	for r := range runs {
		out[r] = stats.Percentile(runs[r], p)
	}
	return out
}

// sorted are the observed and predicted values of jobs, s, ascending; jobs of which one is not
// known are left out.
func (q *Question) sorted(list []int, runs [][]float32, of func(*job) float64) (observed []float64, predicted [][]float64) {
	predicted = make([][]float64, len(runs))
	for _, j := range list {
		if x := of(&q.jobs[j]); x >= 0 {
			observed = append(observed, x/second)
			for r := range runs {
				if v := runs[r][j]; v >= 0 {
					predicted[r] = append(predicted[r], float64(v))
				}
			}
		}
	}
	slices.Sort(observed)
	for r := range predicted {
		slices.Sort(predicted[r])
	}
	return observed, predicted
}

func (q *Question) group(by, name string, of prediction, list []int) HeldBeside {
	g := HeldBeside{By: by, Name: name, Jobs: len(list)}
	g.Delay = q.percentiles(list, of.delay, func(j *job) float64 { return j.waited })
	g.Lead = q.percentiles(list, of.lead, func(j *job) float64 { return j.lead })
	return g
}

func (q *Question) percentiles(list []int, runs [][]float32, of func(*job) float64) []Percentile {
	out := []Percentile{}
	observed, predicted := q.sorted(list, runs, of)
	if len(observed) == 0 || slices.ContainsFunc(predicted, func(r []float64) bool { return len(r) == 0 }) {
		return out
	}
	for _, p := range percentiles {
		x := Percentile{P: p, Observed: stats.Percentile(observed, p), Needs: needs(p)}
		mid, low, high := ranged(each(predicted, p), 0.95)
		seen := max(x.Observed, leastTime)
		x.Predicted, x.Ratio, x.Low, x.High = mid, mid/seen, low/seen, high/seen
		x.Judged = stats.Supports(len(observed), p)
		far := x.Judged && math.Abs(mid-x.Observed) > 1
		x.Off = far && (x.Low > 1 || x.High < 1)
		_, low, high = ranged(each(predicted, p), 1-looks/float64(len(percentiles)))
		x.surely = far && (low > seen || high < seen)
		x.Predicted, x.Observed = x.Predicted*second, x.Observed*second
		out = append(out, x)
	}
	return out
}

// hours holds mean start delays beside each other, by hour of the week.
func (b *Backtest) hours(q *Question, of prediction, list []int) {
	type sum struct {
		n        int
		observed float64
		runs     []float64
	}
	sums := make([]sum, weekHours)
	for _, j := range list {
		h := q.zone.MinuteOfWeek(q.when(j)) / 60
		s := &sums[h]
		if s.runs == nil {
			s.runs = make([]float64, len(of.delay))
		}
		s.n++
		s.observed += q.jobs[j].waited / second
		for r := range of.delay {
			s.runs[r] += float64(of.delay[r][j])
		}
	}
	for h := range sums {
		s := &sums[h]
		if s.n == 0 {
			continue
		}
		for r := range s.runs {
			s.runs[r] /= float64(s.n)
		}
		mid, low, high := ranged(s.runs, 0.95)
		b.Hours = append(b.Hours, HourOfWeek{h, s.n, mid * second, s.observed / float64(s.n) * second, low * second, high * second})
	}
}
