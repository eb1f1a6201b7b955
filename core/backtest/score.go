package backtest

import (
	"slices"

	"tachyphor/core/portable"
	"tachyphor/core/stats"
)

// logs puts a sample on the scale of logarithms of waits and a second, in place: facts are told apart
// by all jobs there, not by the few that wait longest. The score stays proper.
func logs(sample []float64) []float64 {
	for i, x := range sample {
		sample[i] = logOf(x)
	}
	return sample
}

func logOf(wait float64) float64 { return portable.Log(1 + wait) }

// eachOut scores each entry of a sample as though it had been observed, by the others.
func eachOut(sample []float64, take func(r int, x float64)) {
	others := make([]float64, 0, len(sample))
	for r, y := range sample {
		others = append(append(others[:0], sample[:r]...), sample[r+1:]...)
		take(r, stats.Pinball(others, y))
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
		y := q.jobs[j].waited / second
		buf = of.sample(buf, j)
		eachOut(buf, func(r int, x float64) { own[r] += x })
		ofModel[j] = stats.Pinball(buf, y)
		b.Scores.Model += ofModel[j]
		buf = logs(of.sample(buf, j))
		eachOut(buf, func(r int, x float64) { ownLog[r] += x })
		b.logScore += stats.Pinball(buf, logOf(y))
	}
	n := float64(len(list))
	b.Scores.Model *= second / n
	for r := range own {
		own[r] /= n
		b.Scores.Own += own[r] * second / float64(len(own))
	}
	b.spread, b.logSpread = own, ownLog
	naive(q.jobs, q.start, q.zone, func(j int, again, byHour []float64) {
		x, scored := ofModel[j]
		if !scored {
			return
		}
		b.Scores.Compare++
		b.Scores.OfThese += float64(x * second)
		b.Scores.Again += stats.Pinball(slices.Clone(again), q.jobs[j].waited)
		b.Scores.ByHour += stats.Pinball(slices.Clone(byHour), q.jobs[j].waited)
	})
	if c := float64(b.Scores.Compare); c > 0 {
		b.Scores.OfThese, b.Scores.Again, b.Scores.ByHour = b.Scores.OfThese/c, b.Scores.Again/c, b.Scores.ByHour/c
	}
}
