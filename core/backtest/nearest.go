package backtest

import (
	"cmp"
	"math"
	"slices"

	"tachyphor/core/chance"
	"tachyphor/core/document"
	"tachyphor/core/portable"
	"tachyphor/core/stats"

	"gonum.org/v1/gonum/mat"
)

// resamples is how often stretches of time are drawn again to say how sure a value is.
const resamples = 400

// drawnAgain draws stretches again: how often each is there, time after time.
func drawnAgain(parts int) [][]float64 {
	root := chance.Root(1, 0)
	out := make([][]float64, resamples)
	for n := range out {
		out[n] = make([]float64, parts)
		for d := range parts {
			u := root.For(chance.Alike, uint64(n), uint64(d)).Uniform()
			out[n][min(parts-1, int(u*float64(parts)))]++
		}
	}
	return out
}

// once weighs each stretch as it was.
func once(parts int) []float64 { return slices.Repeat([]float64{1}, parts) }

// more is by how much one trial scores more than another, each time that stretches are drawn again,
// ascending.
func (s *search) more(one, other *trial) []float64 {
	var out []float64
	for _, weights := range s.again {
		sum := 0.0
		for d, w := range weights {
			sum += float64(w * (one.parts[d] - other.parts[d]))
		}
		out = append(out, sum)
	}
	slices.Sort(out)
	return out
}

// alike reports whether a trial is not told apart from the best one: it is at least as good in one
// of forty.
func (s *search) alike(best, other *trial) bool {
	return stats.Percentile(s.more(other, best), 2.5) <= 0
}

// says tells what a fact's nearest value would explain, and how sure that is.
func (s *search) says(x *tried, as trial) Explained {
	best := x.least()
	out := Explained{
		Fact: x.Fact.Fact, Says: x.Says, Path: x.Path(), Count: len(s.list), Factor: leastOf(x.trials, once(s.parts)),
		Sure: stats.Percentile(s.more(&as, best), 2.5) > 0, P95: best.p95 - as.p95, Cost: best.cost - as.cost,
	}
	value, says := x.By(out.Factor)
	out.Edit, out.Would = document.Plain(value), says
	var values []float64
	for _, weights := range s.again {
		values = append(values, leastOf(x.trials, weights))
	}
	slices.Sort(values)
	_, out.Low = x.By(stats.Percentile(values, 2.5))
	_, out.High = x.By(stats.Percentile(values, 97.5))
	if gain := as.total() - best.total(); gain > 0 {
		out.Share = gain / (gain + max(0, best.total()-best.own))
	}
	return out
}

// bounds says a fact's value and its bounds by trials with more runs: as far as stretches of the time
// tell, and what the runs owe to their own chance, told by groups of them.
func (s *search) bounds(out *Explained, near *tried) {
	out.Factor = leastOf(near.trials, once(s.parts))
	value, says := near.By(out.Factor)
	out.Edit, out.Would = document.Plain(value), says
	var byGroup, byStretch []float64
	for g := range near.trials[0].groups {
		some := make([]trial, len(near.trials))
		for i, t := range near.trials {
			some[i] = trial{factor: t.factor, parts: t.groups[g]}
		}
		byGroup = append(byGroup, portable.Log(leastOf(some, once(s.parts))))
	}
	for _, weights := range s.again {
		byStretch = append(byStretch, portable.Log(leastOf(near.trials, weights)))
	}
	slices.Sort(byStretch)
	mid := portable.Log(out.Factor)
	own := stats.Of(byGroup).Half // at 95 %, of their mean
	low, high := mid-stats.Percentile(byStretch, 2.5), stats.Percentile(byStretch, 97.5)-mid
	_, out.Low = near.By(portable.Exp(mid - math.Sqrt(float64(low*low)+float64(own*own))))
	_, out.High = near.By(portable.Exp(mid + math.Sqrt(float64(high*high)+float64(own*own))))
}

// fitted is how many factors around the best a parabola is laid through.
const fitted = 5

// leastOf is the factor with the least score, stretches weighed: the vertex of the parabola through
// the scores around the best, on the scale of logarithms. Through more than three, so that what
// single runs owe to chance counts less.
func leastOf(trials []trial, weights []float64) float64 {
	scores := make([]float64, len(trials))
	best := 0
	for i := range trials {
		for d, w := range weights {
			scores[i] += float64(w * trials[i].parts[d])
		}
		if scores[i] < scores[best] {
			best = i
		}
	}
	near := make([]int, len(trials))
	for i := range near {
		near[i] = i
	}
	x := func(i int) float64 { return portable.Log(trials[i].factor / trials[best].factor) }
	slices.SortStableFunc(near, func(a, b int) int { return cmp.Compare(math.Abs(x(a)), math.Abs(x(b))) })
	near = near[:min(fitted, len(near))]
	low, high := 0.0, 0.0
	powers, over := mat.NewDense(len(near), 3, nil), mat.NewVecDense(len(near), nil)
	for n, i := range near {
		low, high = min(low, x(i)), max(high, x(i))
		powers.SetRow(n, []float64{1, x(i), x(i) * x(i)})
		over.SetVec(n, scores[i]-scores[best])
	}
	var fit mat.VecDense // over = c + b·x + a·x²
	if len(near) < 3 || fit.SolveVec(powers, over) != nil || !(fit.AtVec(2) > 0) {
		return trials[best].factor
	}
	return trials[best].factor * portable.Exp(min(max(-fit.AtVec(1)/(2*fit.AtVec(2)), low), high))
}
