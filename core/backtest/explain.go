package backtest

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"strings"

	"tachyphor/core/chance"
	"tachyphor/core/document"
	"tachyphor/core/doubt"
	"tachyphor/core/paired"
	"tachyphor/core/portable"
	"tachyphor/core/stats"
	"tachyphor/core/units"
	"tachyphor/core/world"
)

// An Explained is a fact, and what of the error another value of it would explain.
type Explained struct {
	Fact   string  `json:"fact" doc:"Field of the Cluster."`
	Says   string  `json:"says" doc:"What the document says."`
	Would  string  `json:"would" doc:"The value with which the jobs would have come out nearest to what was observed."`
	Factor float64 `json:"factor" doc:"Would by says."`
	Low    string  `json:"low" doc:"The value is above this at 95 %, as far as stretches of the time tell."`
	High   string  `json:"high" doc:"And below this."`
	Share  float64 `json:"share" doc:"How much of the error it would explain, of that and of what it leaves beyond chance; at most 1."`
	Sure   bool    `json:"sure" doc:"That it explains any is more than chance."`
	P95    float64 `json:"p95Ns" doc:"By how much the start delay's 95th percentile would change, as predicted."`
	Cost   float64 `json:"costPerMonth" doc:"By how much a month's bill would."`
	Edit   any     `json:"edit,omitempty" doc:"The value as the document has it."`
	Path   string  `json:"path" doc:"Where it stands in the document."`
	Like   bool    `json:"like" doc:"These jobs do not tell it apart from the first."`
	Count  int     `json:"count" doc:"Jobs that it rests on."`
	gain   float64
}

// factors are those that each fact is tried at first; the best are then closed in on.
var factors = []float64{0.5, 2, 0.7, 1.4}

// closing is how often the best factor is closed in on, and mostClosed for how many facts.
const (
	closing    = 5
	mostClosed = 3
)

// logLoss is the score of a job on the scale of logarithms of waits and a second: facts are told
// apart by all jobs, not by the few that wait longest. It is proper for these.
func logLoss(sample []float64, y float64) float64 {
	for i, x := range sample {
		sample[i] = portable.Log(1 + x)
	}
	return loss(sample, portable.Log(1+y))
}

// trial is what a fact at a factor scores, by stretch of time.
type trial struct {
	factor    float64
	parts     []float64
	groups    [][]float64 // the same of a few runs each; nil where there are too few
	own       float64     // what it would score if one of its runs were what was observed
	p95, cost float64
}

func (t *trial) total() (s float64) {
	for _, x := range t.parts {
		s += x
	}
	return s
}

// search is what is tried to explain what was observed.
type search struct {
	q      *Question
	list   []int
	part   []int // by entry of list: the stretch of time that it came in
	parts  int
	runs   int
	done   int
	all    int
	tell   paired.Progress
	worker int
}

// scoreOf scores runs of all designs.
func (s *search) scoreOf(read [][]reading) (t trial) {
	of := s.q.predicted(read)
	t.parts = make([]float64, s.parts)
	var buf []float64
	for n, j := range s.list {
		buf = of.sample(buf, j)
		t.parts[s.part[n]] += logLoss(buf, s.q.jobs[j].waited/second)
	}
	t.own = s.own(of)
	for from := 0; len(of.delay) == repeats && from < repeats; from += groupOf {
		some, parts := prediction{delay: of.delay[from : from+groupOf]}, make([]float64, s.parts)
		for n, j := range s.list {
			buf = some.sample(buf, j)
			parts[s.part[n]] += logLoss(buf, s.q.jobs[j].waited/second)
		}
		t.groups = append(t.groups, parts)
	}
	last := read[len(read)-1]
	for _, r := range last {
		t.p95 += r.p95 / float64(len(last))
		t.cost += r.cost / float64(len(last))
	}
	return t
}

// at runs a fact at a factor in all designs.
func (s *search) at(f *doubt.Fact, factor float64) (t trial, err error) {
	value, _ := f.By(factor)
	edit := document.Edit{Op: "replace", Path: f.Path(), Value: document.Plain(value)}
	var worlds []*world.World
	for _, d := range s.q.designs {
		w, faults, err := d.In.Changed([]document.Changes{{Kind: document.KindCluster, Name: d.In.Cluster.Name, Edits: []document.Edit{edit}}})
		if err == nil {
			err = faults.Err()
		}
		if err != nil {
			return t, err
		}
		worlds = append(worlds, s.q.asRun(w))
	}
	from, step := float64(s.done)/float64(s.all), 1/float64(s.all)
	read, err := s.q.run(worlds, s.runs, s.worker, func(done float64) bool { return s.tell(min(1, from+float64(done*step))) })
	if err != nil {
		return t, err
	}
	s.done++
	t = s.scoreOf(read)
	t.factor = factor
	return t, nil
}

// groupOf is how many runs are taken together to see how much a value owes to the runs' own chance.
const groupOf = 4

// around are the factors around the best at which it is looked at closer, with as many runs as the backtest itself has.
var around = []float64{0.8, 0.9, 1, 1.12, 1.25}

// closer tries a fact around a factor with more runs.
func (s *search) closer(f *doubt.Fact, factor float64) (out []trial, err error) {
	s.runs = repeats
	for _, by := range around {
		t, err := s.at(f, factor*by)
		if err != nil {
			return nil, err
		}
		out = append(out, t)
	}
	return out, nil
}

// explain looks for the one fact whose change would explain most.
func (q *Question) explain(out *Backtest, base [][]reading, workers int, progress paired.Progress) error {
	s := &search{q: q, list: q.list(), runs: factRepeats, tell: progress, worker: workers}
	s.all = max(1, len(q.facts)*len(factors)+mostClosed*closing+len(around))
	stretches := map[int64]int{}
	for _, j := range s.list {
		at := int64(q.jobs[j].at / stretch)
		if _, known := stretches[at]; !known {
			stretches[at] = len(stretches)
		}
		s.part = append(s.part, stretches[at])
	}
	s.parts = len(stretches)
	fewer := make([][]reading, len(base))
	for d := range base {
		fewer[d] = base[d][:s.runs]
	}
	as := s.scoreOf(fewer)
	as.factor = 1
	tried := make([][]trial, len(q.facts))
	best := func(f int) *trial {
		b := &tried[f][0]
		for i := range tried[f] {
			if tried[f][i].total() < b.total() {
				b = &tried[f][i]
			}
		}
		return b
	}
	for f := range q.facts {
		tried[f] = append(tried[f], as)
		for n, by := range factors {
			if n == 2 && moot(tried[f]) { // at neither end anything changes
				s.done += len(factors) - n
				break
			}
			t, err := s.at(&q.facts[f], by)
			if err != nil {
				return err
			}
			tried[f] = append(tried[f], t)
		}
	}
	order := make([]int, len(q.facts))
	for f := range order {
		order[f] = f
	}
	byGain := func(a, b int) int { return cmp.Compare(best(a).total(), best(b).total()) }
	slices.SortStableFunc(order, byGain)
	for _, f := range order[:min(mostClosed, len(order))] {
		if err := s.closeIn(&q.facts[f], &tried[f]); err != nil {
			return err
		}
	}
	slices.SortStableFunc(order, byGain)
	for n, f := range order {
		if moot(tried[f]) {
			out.Moot = append(out.Moot, q.facts[f].Fact)
			continue
		}
		x := s.says(&q.facts[f], tried[f], as, *best(f))
		x.Like = n > 0 && x.Share >= leastShare/2 && s.alike(best(order[0]), best(f))
		out.Tried = append(out.Tried, x)
	}
	if len(out.Tried) > 0 && !out.Verdict.Agrees {
		f := &q.facts[order[0]]
		near, err := s.closer(f, out.Tried[0].Factor)
		if err != nil {
			return err
		}
		s.bounds(&out.Tried[0], f, near)
	}
	if len(out.Tried) > 0 && (out.Tried[0].Sure || out.Tried[0].Share >= leastShare) && !out.Verdict.Agrees {
		out.Fact = &out.Tried[0]
	}
	return nil
}

// leastShare is how much of the error a fact must explain to be named.
const leastShare = 0.25

// moot reports whether nothing changed whatever a fact was.
func moot(tried []trial) bool {
	for i := range tried {
		if !slices.Equal(tried[i].parts, tried[0].parts) {
			return false
		}
	}
	return true
}

// draws are stretches drawn again, as how often each is there.
func (s *search) draws() [][]float64 {
	root := chance.Root(1, 0)
	out := make([][]float64, resamples)
	for n := range out {
		out[n] = make([]float64, s.parts)
		for d := range s.parts {
			u := root.For(chance.Alike, uint64(n), uint64(d)).Uniform()
			out[n][min(s.parts-1, int(u*float64(s.parts)))]++
		}
	}
	return out
}

// alike reports whether a trial is not told apart from the best one: over stretches drawn again it is
// at least as good in one of forty.
func (s *search) alike(best, other *trial) bool {
	as := 0
	for _, weights := range s.draws() {
		less := 0.0
		for d, w := range weights {
			less += float64(w * (other.parts[d] - best.parts[d]))
		}
		if less <= 0 {
			as++
		}
	}
	return as*40 >= resamples
}

// closeIn tries factors between the best and those beside it.
func (s *search) closeIn(f *doubt.Fact, tried *[]trial) error {
	for range closing {
		slices.SortFunc(*tried, func(a, b trial) int { return cmp.Compare(a.factor, b.factor) })
		at := 0
		for i := range *tried {
			if (*tried)[i].total() < (*tried)[at].total() {
				at = i
			}
		}
		by := 0.0
		switch {
		case at == 0:
			by = (*tried)[0].factor / math.Sqrt2
		case at == len(*tried)-1:
			by = (*tried)[at].factor * math.Sqrt2
		default: // the middle of the wider side
			low, mid, high := (*tried)[at-1].factor, (*tried)[at].factor, (*tried)[at+1].factor
			if mid/low > high/mid {
				by = math.Sqrt(low * mid)
			} else {
				by = math.Sqrt(mid * high)
			}
		}
		t, err := s.at(f, by)
		if err != nil {
			return err
		}
		*tried = append(*tried, t)
	}
	return nil
}

// own is the score that runs have on average if one of them was what was observed.
func (s *search) own(of prediction) (sum float64) {
	others := make([]float64, 0, s.runs)
	for _, j := range s.list {
		for r := range of.delay {
			others = others[:0]
			for o := range of.delay {
				if o != r {
					others = append(others, float64(of.delay[o][j]))
				}
			}
			sum += logLoss(others, float64(of.delay[r][j])) / float64(len(of.delay))
		}
	}
	return sum
}

// stretch is how much of the time is drawn again together: delays of jobs in it hang together, and
// hardly with those of others.
const stretch = 3 * units.Hour

// resamples is how often stretches are drawn again to say how sure a value is.
const resamples = 400

// says tells what a fact's best value would explain, and how sure that is: stretches are drawn again,
// and the value is the least of a parabola through the three factors around the best of each draw.
func (s *search) says(f *doubt.Fact, tried []trial, as, best trial) Explained {
	out := Explained{Fact: f.Fact, Says: f.Says, Path: f.Path(), Count: len(s.list)}
	slices.SortFunc(tried, func(a, b trial) int { return cmp.Compare(a.factor, b.factor) })
	whole := make([]float64, s.parts)
	for d := range whole {
		whole[d] = 1
	}
	factor := leastOf(tried, whole)
	out.Factor = factor
	out.Edit, out.Would = f.By(factor)
	out.Edit = document.Plain(out.Edit)
	var values, gains []float64
	for _, weights := range s.draws() {
		values = append(values, leastOf(tried, weights))
		gain := 0.0
		for d, w := range weights {
			gain += float64(w * (as.parts[d] - best.parts[d]))
		}
		gains = append(gains, gain)
	}
	slices.Sort(values)
	slices.Sort(gains)
	_, out.Low = f.By(at(values, 2.5))
	_, out.High = f.By(at(values, 97.5))
	out.gain = as.total() - best.total()
	out.Sure = at(gains, 2.5) > 0
	if left := max(0, best.total()-best.own); out.gain > 0 {
		out.Share = out.gain / (out.gain + left)
	}
	out.P95, out.Cost = best.p95-as.p95, best.cost-as.cost
	return out
}

// bounds says a fact's value and its bounds by trials with more runs: as far as stretches of the time
// tell, and what the runs owe to their own chance, told by groups of them.
func (s *search) bounds(out *Explained, f *doubt.Fact, near []trial) {
	whole := make([]float64, s.parts)
	for d := range whole {
		whole[d] = 1
	}
	out.Factor = leastOf(near, whole)
	value, says := f.By(out.Factor)
	out.Edit, out.Would = document.Plain(value), says
	var byGroup, byStretch []float64
	for g := range near[0].groups {
		some := make([]trial, len(near))
		for i := range near {
			some[i] = trial{factor: near[i].factor, parts: near[i].groups[g]}
		}
		byGroup = append(byGroup, portable.Log(leastOf(some, whole)))
	}
	for _, weights := range s.draws() {
		byStretch = append(byStretch, portable.Log(leastOf(near, weights)))
	}
	slices.Sort(byStretch)
	mid := portable.Log(out.Factor)
	chance := stats.Of(byGroup).Half // at 95 %, of their mean
	low, high := mid-at(byStretch, 2.5), at(byStretch, 97.5)-mid
	_, out.Low = f.By(portable.Exp(mid - math.Sqrt(float64(low*low)+float64(chance*chance))))
	_, out.High = f.By(portable.Exp(mid + math.Sqrt(float64(high*high)+float64(chance*chance))))
}

// fitted is how many factors around the best a parabola is laid through.
const fitted = 5

// leastOf is the factor with the least score, stretches weighed: the vertex of the parabola through
// the scores around the best, on the scale of logarithms. Through more than three, so that what
// single runs owe to chance counts less.
func leastOf(tried []trial, weights []float64) float64 {
	scores := make([]float64, len(tried))
	best := 0
	for i := range tried {
		for d, w := range weights {
			scores[i] += float64(w * tried[i].parts[d])
		}
		if scores[i] < scores[best] {
			best = i
		}
	}
	order := make([]int, len(tried))
	for i := range order {
		order[i] = i
	}
	away := func(i int) float64 { return math.Abs(portable.Log(tried[i].factor / tried[best].factor)) }
	slices.SortStableFunc(order, func(a, b int) int { return cmp.Compare(away(a), away(b)) })
	order = order[:min(fitted, len(order))]
	low, high := tried[best].factor, tried[best].factor
	var m [3][4]float64 // normal equations of c + b·x + a·x²
	for _, i := range order {
		low, high = min(low, tried[i].factor), max(high, tried[i].factor)
		x, y := portable.Log(tried[i].factor/tried[best].factor), scores[i]-scores[best]
		powers := [3]float64{1, x, x * x}
		for r := range 3 {
			for c := range 3 {
				m[r][c] += float64(powers[r] * powers[c])
			}
			m[r][3] += float64(powers[r] * y)
		}
	}
	for r := range 3 { // Gauss
		if math.Abs(m[r][r]) < 1e-12 {
			return tried[best].factor
		}
		for s := r + 1; s < 3; s++ {
			by := m[s][r] / m[r][r]
			for c := range 4 {
				m[s][c] -= float64(by * m[r][c])
			}
		}
	}
	a := m[2][3] / m[2][2]
	b := (m[1][3] - float64(m[1][2]*a)) / m[1][1]
	if !(a > 0) {
		return tried[best].factor
	}
	return min(max(tried[best].factor*portable.Exp(-b/(2*a)), low), high)
}

// next says what to do.
func (b *Backtest) next() {
	switch f := b.Fact; {
	case f != nil:
		b.Next = fmt.Sprintf("%s would have come out nearest as %s (%s to %s) where the cluster says %s: it explains %.0f %% of the error%s.",
			f.Fact, f.Would, f.Low, f.High, f.Says, 100*f.Share, map[bool]string{false: ", likely but not surely"}[f.Sure])
		var like []string
		for _, x := range b.Tried {
			if x.Like {
				like = append(like, x.Fact+" as "+x.Would)
			}
		}
		if len(like) > 0 {
			b.Next += " These jobs do not tell it apart from " + strings.Join(like, " or ") + ": measure them."
		} else {
			b.Next += " Take it over, or measure it."
		}
	case !b.Verdict.Agrees && len(b.Tried) > 0:
		b.Next = "No single fact of the cluster explains it: look at the classes and hours that are furthest off, and at whether this design was in force."
	case !b.Verdict.Agrees:
		b.Next = "Ask which fact would explain it."
	default:
		b.Next = "Nothing: go on trusting it, and hold newer jobs against it."
	}
}
