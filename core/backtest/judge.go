package backtest

import (
	"fmt"
	"math"
	"slices"

	"tachyphor/core/portable"
	"tachyphor/core/stats"
	"tachyphor/core/units"

	"gonum.org/v1/gonum/stat/distuv"
)

// Percentiles that are told.
var percentiles = []float64{50, 90, 95, 99}

// needs is how many jobs a percentile needs to be judged: ten beyond it.
func needs(p float64) int { return int(math.Ceil(1000 / (100 - p))) }

// looks is how sure each of three looks is to call a simulation wrong that is right: together one
// in twenty.
const looks = 0.05 / 3

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
	logs := make([]float64, len(values))
	for i, v := range values {
		logs[i] = portable.Log(max(v, leastTime))
	}
	n := float64(len(logs))
	f := stats.Of(logs)
	var ss float64
	for _, l := range logs {
		ss += float64((l - f.Mean) * (l - f.Mean))
	}
	t := distuv.StudentsT{Mu: 0, Sigma: 1, Nu: n - 1}.Quantile(0.5 + float64(sure/2))
	half := float64(t * math.Sqrt(ss/(n-1)*(1+1/n)))
	return portable.Exp(f.Mean), portable.Exp(f.Mean - half), portable.Exp(f.Mean + half)
}

// at is a percentile of values, s.
func at(values []float64, p float64) float64 {
	n := len(values)
	return values[min(n-1, max(0, int(math.Ceil(p/100*float64(n)))-1))]
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
		b.Shape = append(b.Shape, Quantile{p, mid * second, at(observed, p) * second, low * second, high * second})
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
		out[r] = at(runs[r], p)
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
		x := Percentile{P: p, Observed: at(observed, p), Needs: needs(p)}
		mid, low, high := ranged(each(predicted, p), 0.95)
		seen := max(x.Observed, leastTime)
		x.Predicted, x.Ratio, x.Low, x.High = mid, mid/seen, low/seen, high/seen
		x.Judged = len(observed) >= x.Needs
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
		h, _ := hourOf(q.when(j))
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

// Scores are how near forecasts came, by a score that is proper for quantiles.
type Scores struct {
	Model   float64 `json:"modelNs" doc:"Of the simulation: pinball loss over all shares, the mean over jobs; less is better."`
	Own     float64 `json:"ownNs" doc:"What it would be on average if the simulation were right: less cannot be had."`
	Compare int     `json:"compare" doc:"Jobs for which the other two have a forecast."`
	OfThese float64 `json:"ofTheseNs" doc:"The simulation's score of these alone."`
	Again   float64 `json:"againNs" doc:"Of the forecast that the same hour will be as it was last: a week before, or on the last day of its kind."`
	ByHour  float64 `json:"byHourNs" doc:"Of the forecast that the hour of the week will be as it was so far."`
}

// score scores the forecasts.
func (b *Backtest) score(q *Question, of prediction, list []int) {
	var buf []float64
	own, ownLog := make([]float64, len(of.delay)), make([]float64, len(of.delay))
	ofModel := make(map[int]float64, len(list))
	for _, j := range list {
		buf = of.sample(buf, j)
		x := loss(buf, q.jobs[j].waited/second)
		b.Scores.Model += x
		ofModel[j] = x
		b.logScore += logLoss(of.sample(buf, j), q.jobs[j].waited/second)
		others := make([]float64, 0, len(of.delay))
		for r := range of.delay {
			others = others[:0]
			for s := range of.delay {
				if s != r {
					others = append(others, float64(of.delay[s][j]))
				}
			}
			own[r] += loss(others, float64(of.delay[r][j]))
			ownLog[r] += logLoss(others, float64(of.delay[r][j]))
		}
	}
	n := float64(len(list))
	b.Scores.Model *= second / n
	for r := range own {
		own[r] /= n
		b.Scores.Own += own[r] * second / float64(len(own))
	}
	b.spread, b.logSpread = own, ownLog
	naive(q.jobs, q.start.In(q.zone.Location()), func(j int, again, byHour []float64) {
		x, scored := ofModel[j]
		if !scored {
			return
		}
		b.Scores.Compare++
		b.Scores.OfThese += float64(x * second)
		b.Scores.Again += loss(slices.Clone(again), q.jobs[j].waited)
		b.Scores.ByHour += loss(slices.Clone(byHour), q.jobs[j].waited)
	})
	if c := float64(b.Scores.Compare); c > 0 {
		b.Scores.OfThese, b.Scores.Again, b.Scores.ByHour = b.Scores.OfThese/c, b.Scores.Again/c, b.Scores.ByHour/c
	}
}

// A CameTrue says whether it came true.
type CameTrue struct {
	Agrees bool    `json:"agrees" doc:"The score is no worse than chance explains: one run in twenty of a right simulation is called wrong."`
	Bound  float64 `json:"boundNs" doc:"The worst score that chance explains."`
	Off    int     `json:"off" doc:"Percentiles of all jobs that are further off than chance explains."`
	Says   string  `json:"says" doc:"The same in words."`
}

// judge says whether the forecast came true. What the runs would score if one of them had been
// observed says what chance explains.
func (b *Backtest) judge() {
	// Three looks: the score on the scale of seconds, on which those jobs count that wait longest,
	// on that of their logarithms, on which all do, and the percentiles. Of scores one side counts.
	_, _, high := ranged(b.spread, 1-2*looks)
	_, _, highLog := ranged(b.logSpread, 1-2*looks)
	v := &b.Verdict
	v.Bound = high * second
	v.Agrees = b.Scores.Model <= v.Bound && b.logScore <= highLog
	all := &b.Groups[0]
	v.Agrees = v.Agrees && !slices.ContainsFunc(all.Delay, func(x Percentile) bool { return x.surely })
	worst := -1
	for i := range all.Delay {
		if x := &all.Delay[i]; x.Off {
			v.Off++
			if worst < 0 || math.Abs(portable.Log(x.Ratio)) > math.Abs(portable.Log(all.Delay[worst].Ratio)) {
				worst = i
			}
		}
	}
	short := func(ns float64) string { return units.Duration(math.Round(ns)).Short() }
	of := func(i int) string {
		x := &all.Delay[i]
		return fmt.Sprintf("%g %% of jobs started within %s where %s was predicted", x.P, short(x.Observed), short(x.Predicted))
	}
	main := 0
	for i := range all.Delay {
		if all.Delay[i].Judged {
			main = i
		}
	}
	switch {
	case v.Agrees && worst < 0:
		v.Says = "It came true, as far as these jobs tell: " + of(main) + "."
	case v.Agrees:
		v.Says = "As a whole no further off than chance explains, but " + of(worst) + "."
	case worst >= 0:
		v.Says = "It did not come true: " + of(worst) + ", more than chance explains."
	default:
		v.Says = "Percentiles agree, but it errs about which jobs wait, more than chance explains: " + of(main) + "."
	}
	if s := b.Scores; s.Compare > 0 {
		better := "the simulation is nearer than both"
		if s.OfThese > s.Again || s.OfThese > s.ByHour {
			better = "the simulation is not nearer than both"
		}
		v.Says += fmt.Sprintf(" Beside forecasts that know nothing of the design, %s (%s; %s for the same hour as it was last, %s for the hour of the week).",
			better, short(s.OfThese), short(s.Again), short(s.ByHour))
	}
}
