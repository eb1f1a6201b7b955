package backtest

import (
	"cmp"
	"math"
	"slices"

	"tachyphor/core/document"
	"tachyphor/core/doubt"
	"tachyphor/core/paired"
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
	P95    float64 `json:"p95Ns" doc:"By how much the 95th percentile of these jobs' start delays would change, as predicted."`
	Cost   float64 `json:"costPerMonth" doc:"By how much a month's bill would."`
	Edit   any     `json:"edit,omitempty" doc:"The value as the document has it."`
	Path   string  `json:"path" doc:"Where it stands in the document."`
	Like   bool    `json:"like" doc:"These jobs do not tell it apart from the first."`
	Count  int     `json:"count" doc:"Jobs that it rests on."`
}

// factors are those that each fact is tried at first, the ends before what is between; the best
// are then closed in on.
var factors = []float64{0.5, 2, 0.7, 1.4}

// around are the factors around the best at which the first fact is looked at closer, with as many
// runs as the backtest itself has.
var around = []float64{0.8, 0.9, 1, 1.12, 1.25}

const (
	closing    = 5    // how often the best factor is closed in on,
	mostClosed = 3    // for how many facts
	leastShare = 0.25 // of the error that a fact must explain to be named
	groupOf    = 4    // runs that are taken together to see how much a value owes to the runs' own chance
)

// stretch is how much of the time is drawn again together: delays of jobs in it hang together, and
// hardly with those of others.
const stretch = 3 * units.Hour

// A trial is what a fact at a factor scores, by stretch of time.
type trial struct {
	factor    float64
	parts     []float64
	groups    [][]float64 // the same of a few runs each; nil where there are too few
	own       float64     // what it would score if one of its runs were what was observed
	p95, cost float64     // ns; a month
}

func (t *trial) total() (s float64) {
	for _, x := range t.parts {
		s += x
	}
	return s
}

// A fact that is tried, with its trials by factor.
type tried struct {
	*doubt.Fact
	trials []trial
}

func (x *tried) add(t trial) {
	i, _ := slices.BinarySearchFunc(x.trials, t.factor, func(t trial, f float64) int { return cmp.Compare(t.factor, f) })
	x.trials = slices.Insert(x.trials, i, t)
}

// best is the trial that scores least, as its place.
func (x *tried) best() (at int) {
	for i := range x.trials {
		if x.trials[i].total() < x.trials[at].total() {
			at = i
		}
	}
	return at
}

func (x *tried) least() *trial { return &x.trials[x.best()] }

// moot reports whether nothing changed whatever the fact was.
func (x *tried) moot() bool {
	return !slices.ContainsFunc(x.trials, func(t trial) bool { return !slices.Equal(t.parts, x.trials[0].parts) })
}

// search is what is tried to explain what was observed.
type search struct {
	q       *Question
	list    []int // jobs that are scored
	part    []int // by entry of list: the stretch of time that it came in
	parts   int
	again   [][]float64 // stretches drawn again, as how often each is there
	workers int

	runs      int // of each trial
	done, all int // trials
	tell      paired.Progress
}

func (q *Question) searching(list []int, workers int, tell paired.Progress) *search {
	s := &search{
		q: q, list: list, workers: workers, runs: factRepeats, tell: tell,
		all: len(q.facts)*len(factors) + mostClosed*closing + len(around),
	}
	known := map[units.Duration]int{}
	for _, j := range list {
		at := q.jobs[j].at / stretch
		if _, ok := known[at]; !ok {
			known[at] = len(known)
		}
		s.part = append(s.part, known[at])
	}
	s.parts = len(known)
	s.again = drawnAgain(s.parts)
	return s
}

// byStretch adds up the scores of a prediction by stretch of time.
func (s *search) byStretch(of prediction) []float64 {
	out := make([]float64, s.parts)
	var buf []float64
	for n, j := range s.list {
		buf = logs(of.sample(buf, j))
		out[s.part[n]] += stats.Pinball(buf, logOf(s.q.jobs[j].waited/second))
	}
	return out
}

// scored scores runs of all designs.
func (s *search) scored(read [][]reading, factor float64) trial {
	of := s.q.predicted(read)
	t := trial{factor: factor, parts: s.byStretch(of)}
	var buf []float64
	for _, j := range s.list {
		buf = logs(of.sample(buf, j))
		eachOut(buf, func(_ int, x float64) { t.own += x / float64(len(of.delay)) })
	}
	for from := 0; len(of.delay) == repeats && from < repeats; from += groupOf {
		t.groups = append(t.groups, s.byStretch(prediction{delay: of.delay[from : from+groupOf]}))
	}
	delays := make([]float64, len(s.list))
	for _, run := range of.delay {
		for n, j := range s.list {
			delays[n] = float64(run[j])
		}
		slices.Sort(delays)
		t.p95 += stats.Percentile(delays, 95) * second / float64(len(of.delay))
	}
	for _, r := range read[len(read)-1] { // the design that is in force now
		t.cost += r.cost / float64(len(of.delay))
	}
	return t
}

// at tries a fact at a factor in all designs.
func (s *search) at(f *doubt.Fact, factor float64) (trial, error) {
	value, _ := f.By(factor)
	edit := document.Edit{Op: "replace", Path: f.Path(), Value: document.Plain(value)}
	var worlds []*world.World
	for _, d := range s.q.designs {
		w, faults, err := d.In.Changed([]document.Changes{{Kind: document.KindCluster, Name: d.In.Cluster.Name, Edits: []document.Edit{edit}}})
		if err == nil {
			err = faults.Err()
		}
		if err != nil {
			return trial{}, err
		}
		worlds = append(worlds, s.q.asRun(w))
	}
	from, step := float64(s.done)/float64(s.all), 1/float64(s.all)
	read, err := s.q.run(worlds, s.runs, s.workers, func(done float64) bool { return s.tell(min(1, from+float64(done*step))) })
	if err != nil {
		return trial{}, err
	}
	s.done++
	return s.scored(read, factor), nil
}

// explain looks for the one fact whose change would explain most.
func (q *Question) explain(out *Backtest, base [][]reading, list []int, workers int, progress paired.Progress) error {
	s := q.searching(list, workers, progress)
	fewer := make([][]reading, len(base))
	for d := range base {
		fewer[d] = base[d][:s.runs]
	}
	as := s.scored(fewer, 1)
	var all []*tried
	for i := range q.facts {
		x := &tried{&q.facts[i], []trial{as}}
		if err := s.try(x); err != nil {
			return err
		}
		if x.moot() {
			out.Moot = append(out.Moot, x.Fact.Fact)
		} else {
			all = append(all, x)
		}
	}
	if len(all) == 0 {
		return nil
	}
	byScore := func(a, b *tried) int { return cmp.Compare(a.least().total(), b.least().total()) }
	slices.SortStableFunc(all, byScore)
	for _, x := range all[:min(mostClosed, len(all))] {
		if err := s.closeIn(x); err != nil {
			return err
		}
	}
	slices.SortStableFunc(all, byScore)
	for n, x := range all {
		e := s.says(x, as)
		e.Like = n > 0 && e.Share >= leastShare/2 && s.alike(all[0].least(), x.least())
		out.Tried = append(out.Tried, e)
	}
	if out.Verdict.Agrees {
		return nil
	}
	first := &out.Tried[0]
	near := &tried{Fact: all[0].Fact}
	s.runs = repeats
	for _, by := range around {
		t, err := s.at(near.Fact, first.Factor*by)
		if err != nil {
			return err
		}
		near.add(t)
	}
	s.bounds(first, near)
	if first.Sure || first.Share >= leastShare {
		out.Fact = first
	}
	return nil
}

// try tries a fact at its factors; where at neither end anything changes, not between them.
func (s *search) try(x *tried) error {
	for n, by := range factors {
		if n == 2 && x.moot() {
			s.done += len(factors) - n
			break
		}
		t, err := s.at(x.Fact, by)
		if err != nil {
			return err
		}
		x.add(t)
	}
	return nil
}

// closeIn tries factors between the best and those beside it.
func (s *search) closeIn(x *tried) error {
	for range closing {
		at := x.best()
		by := x.trials[at].factor
		switch {
		case at == 0:
			by /= math.Sqrt2
		case at == len(x.trials)-1:
			by *= math.Sqrt2
		default: // the middle of the wider side
			low, high := x.trials[at-1].factor, x.trials[at+1].factor
			if by/low > high/by {
				by = math.Sqrt(low * by)
			} else {
				by = math.Sqrt(by * high)
			}
		}
		t, err := s.at(x.Fact, by)
		if err != nil {
			return err
		}
		x.add(t)
	}
	return nil
}
