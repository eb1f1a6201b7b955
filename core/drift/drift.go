// Package drift tells when what is observed, day after day, leaves what was predicted for longer
// than chance explains. It is a sequential test: it may be looked at after every day for ever, and
// of a simulation that is right it gives, on average, no more than one false alarm in Nights days.
package drift

import (
	"cmp"
	"slices"
	"time"
)

// Nights is how many days there are on average before a simulation that is right is called wrong,
// at least.
const Nights = 1000

// back is how many days in a row must lie within what is usual for what has drifted to count as
// back.
const back = 3

// A Looked is a percentile of one day's start delays as it was observed, beside that of each of a
// number of runs of the same jobs.
type Looked struct {
	Of       string  `json:"of" doc:"Class of the jobs; empty: all of them."`
	P        float64 `json:"p" doc:"Which percentile of their start delays."`
	Jobs     int     `json:"jobs" doc:"Jobs that came on the day."`
	Observed float64 `json:"observedNs" doc:"What was observed."`
	Low      float64 `json:"lowNs" doc:"Less in one run of twenty."`
	Mid      float64 `json:"midNs" doc:"Less in half of the runs."`
	High     float64 `json:"highNs" doc:"More in one run of twenty."`
	Runs     int     `json:"runs" doc:"Runs that predict it."`
	Above    int     `json:"above" doc:"Of these, those that are as long as what was observed, less what is let pass, or longer."`
	Below    int     `json:"below" doc:"Those that are as short, or shorter."`
}

// A HeldDay is what was held beside each other of one day.
type HeldDay struct {
	Day    time.Time `json:"day" doc:"When the day began."`
	Design string    `json:"design,omitempty" doc:"Digest of what was simulated: where it changes, the test begins anew."`
	Looked []Looked  `json:"looked" doc:"What was looked at; empty where too few jobs came."`
}

// What is let pass, whatever chance says: a simulation is a model, and nobody is to be called for so
// little.
const (
	passShare = 0.05
	passTime  = 1e9 // ns
)

// Look holds a percentile of a day beside that of runs, all in ns; runs are sorted by it.
func Look(of string, p float64, jobs int, observed float64, runs []float64) Looked {
	slices.Sort(runs)
	n := len(runs)
	at := func(share float64) float64 { return runs[min(n-1, int(share*float64(n)))] }
	x := Looked{Of: of, P: p, Jobs: jobs, Observed: observed, Low: at(0.05), Mid: at(0.5), High: at(0.95), Runs: n}
	// What is let pass is taken off on the way to the middle, never beyond it, and adds to neither side.
	pass := max(passTime, float64(passShare*x.Mid))
	high, low := observed, observed
	if observed > x.Mid {
		high = max(x.Mid, observed-pass)
	} else {
		low = min(x.Mid, observed+pass)
	}
	for _, r := range runs {
		if r >= high {
			x.Above++
		}
		if r <= low {
			x.Below++
		}
	}
	return x
}

// usual reports whether what was observed is as nine runs in ten have it, but for what is let pass.
func (x *Looked) usual() bool {
	least := x.Runs / 20
	return x.Above > least && x.Below > least
}

// bet is what a day multiplies the evidence against a right simulation by, where so many of the runs
// go as far as what was observed, or further. If the simulation is right, how many do is as likely any
// number from none to all, and the mean of this is not above one, whatever the delays are distributed
// like: half is kept, and half is put on few.
func bet(beyond, runs int) float64 {
	out := float64(runs+1) / 2
	for range beyond + 1 {
		out /= 2
	}
	return 0.5 + out
}

// A side is the evidence that one percentile is longer, or shorter, than is predicted.
type side struct {
	evidence float64 // after Shiryaev and Roberts: over every day on which it may have begun
	best     float64 // the most that the days since one of them come to
	since    time.Time
}

func (s *side) take(day time.Time, e float64) {
	s.evidence = float64((1 + s.evidence) * e)
	if s.best <= 1 {
		s.best, s.since = 1, day
	}
	s.best *= e
}

// A trail is one percentile of one class, day after day.
type trail struct {
	of              string
	p               float64
	longer, briefer side
	last            Looked
	sums            sums // since the side that tells more began
	within          int  // days in a row that are usual
}

type sums struct{ days, observed, predicted float64 }

// A Drifted is a percentile that has left what was predicted.
type Drifted struct {
	Of        string    `json:"of" doc:"Class of the jobs; empty: all of them."`
	P         float64   `json:"p" doc:"Which percentile of their start delays."`
	Longer    bool      `json:"longer" doc:"They are longer than predicted; else shorter."`
	Since     time.Time `json:"since" doc:"From which day on, most likely."`
	Found     time.Time `json:"found" doc:"The day with which it was told."`
	Days      int       `json:"days" doc:"Days with such jobs since it began."`
	Observed  float64   `json:"observedNs" doc:"The mean of these days' percentiles as observed."`
	Predicted float64   `json:"predictedNs" doc:"As predicted."`
}

// A Course is how a scenario stands after some days.
type Course struct {
	Days     int       `json:"days" doc:"Days of which something could be said."`
	Empty    int       `json:"empty" doc:"Days with too few jobs."`
	Last     time.Time `json:"last,omitzero" doc:"The last day that was looked at."`
	Anew     time.Time `json:"anew,omitzero" doc:"The day from which on what is simulated has been the same: the test began anew there."`
	Evidence float64   `json:"evidence" doc:"Evidence that it is not right any more: it is called so when this comes to 1,000, to which a right simulation comes once in 1,000 days or more seldom."`
	Drifted  *Drifted  `json:"drifted,omitempty" doc:"What has left what was predicted; absent: nothing has."`
	Over     *Drifted  `json:"over,omitempty" doc:"What had, and is back since the last day."`
}

// Follow says how a scenario stands after days, in the order in which they came. Days after which
// something was found, or was back, are told to tell, which may be nil.
func Follow(days []HeldDay, tell func(day time.Time, s Course)) Course {
	var out Course
	trails, design := map[string]*trail{}, ""
	begin := func(at time.Time) { trails, out.Evidence, out.Anew = map[string]*trail{}, 0, at }
	for i := range days {
		d := &days[i]
		out.Last, out.Over = d.Day, nil
		if i == 0 || d.Design != design {
			begin(d.Day)
			out.Drifted, design = nil, d.Design
		}
		if len(d.Looked) == 0 {
			out.Empty++
			continue
		}
		out.Days++
		for _, x := range d.Looked {
			key := x.key()
			if trails[key] == nil {
				trails[key] = &trail{of: x.Of, p: x.P}
			}
			trails[key].take(d.Day, x)
		}
		was := out.Drifted
		out.judge(d, trails)
		if out.Over != nil {
			begin(d.Day)
		}
		if tell != nil && (was == nil) != (out.Drifted == nil) {
			tell(d.Day, out)
		}
	}
	return out
}

func (x *Looked) key() string { return string(rune(x.P)) + x.Of }

func (t *trail) take(day time.Time, x Looked) {
	t.longer.take(day, bet(x.Above, x.Runs))
	t.briefer.take(day, bet(x.Below, x.Runs))
	t.last = x
	if x.usual() {
		t.within++
	} else {
		t.within = 0
	}
	if _, s := t.most(); s.since.Equal(day) {
		t.sums = sums{}
	}
	t.sums = sums{t.sums.days + 1, t.sums.observed + x.Observed, t.sums.predicted + x.Mid}
}

// most is the side that tells more.
func (t *trail) most() (longer bool, s *side) {
	if t.longer.evidence >= t.briefer.evidence {
		return true, &t.longer
	}
	return false, &t.briefer
}

func (t *trail) drifted(found time.Time) *Drifted {
	longer, s := t.most()
	n := max(1, t.sums.days)
	return &Drifted{
		Of: t.of, P: t.p, Longer: longer, Since: s.since, Found: found, Days: int(t.sums.days),
		Observed: t.sums.observed / n, Predicted: t.sums.predicted / n,
	}
}

// judge says how it stands after a day. The evidence is the mean of that of all sides: of a right
// simulation it grows by one a day at most, on average, and so comes to Nights no sooner than after
// so many.
func (s *Course) judge(d *HeldDay, trails map[string]*trail) {
	var list []*trail
	sum := 0.0
	for _, t := range trails {
		list = append(list, t)
	}
	slices.SortFunc(list, func(a, b *trail) int {
		_, x := a.most()
		_, y := b.most()
		return cmp.Or(cmp.Compare(y.evidence, x.evidence), cmp.Compare(a.of, b.of), cmp.Compare(a.p, b.p))
	})
	for _, t := range list {
		sum += t.longer.evidence + t.briefer.evidence
	}
	s.Evidence = sum / float64(2*len(list))
	if s.Drifted == nil {
		if s.Evidence >= Nights {
			s.Drifted = list[0].drifted(d.Day)
		}
		return
	}
	for _, t := range list {
		if t.of != s.Drifted.Of || t.p != s.Drifted.P {
			continue
		}
		if t.within >= back {
			s.Over, s.Drifted = s.Drifted, nil
			return
		}
		found := s.Drifted.Found
		s.Drifted = t.drifted(found)
	}
}
