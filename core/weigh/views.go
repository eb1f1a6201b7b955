package weigh

import (
	"math"

	"tachyphor/core/caching"
	"tachyphor/core/document"
)

// A View holds the three runs that everyone looks at beside what a plan does in the
// long run: the time from taking a job to its end, its own work among it.
type View struct {
	Class   string        `json:"class" doc:"Class; empty: the mean job of all that have a workspace."`
	Terms   caching.Terms `json:"terms" doc:"Its workspace and what carries it, in means; seconds and bytes."`
	Without float64       `json:"withoutNs" doc:"A build without a cache."`
	Filling float64       `json:"fillingNs" doc:"The build that finds nothing and saves."`
	Using   float64       `json:"usingNs" doc:"A build that finds its workspace up to date and saves nothing."`
	Usual   float64       `json:"usual" doc:"What the usual comparison says it saves: the using run less than the filling one, as a share."`
	Truths  []Truth       `json:"truths" doc:"What each plan really saves of a build's time, over the whole workload."`
	Words   string        `json:"words" doc:"The usual comparison beside the truth, in a sentence; empty where it does not mislead."`
	// Speak is the plan that the sentence is about.
	Speak string `json:"plan" doc:"Plan that the sentence is about: today's, or saving after every success."`
}

// Truth is what a plan saves of a build's time, as a share.
type Truth struct {
	Key   string  `json:"key" doc:"Plan."`
	Saves float64 `json:"saves" doc:"Less time from taking the job to its end than without a cache, as a share; below 0: more."`
	Half  float64 `json:"half" doc:"Half of its 95 % interval."`
}

// views are the three runs of all jobs together and of each class.
func (x *weighing) views(o *Weighing) []View {
	var out []View
	var whole View
	n := 0.0
	for i, c := range x.classes {
		t, ok := x.w.Terms(c, x.first)
		if !ok {
			continue
		}
		v := viewOf(t)
		v.Class = x.w.Classes[c].Name
		v.Truths = truths(o, i+1)
		out = append(out, v)
		whole.Without += float64(v.Without * t.PerDay)
		whole.Filling += float64(v.Filling * t.PerDay)
		whole.Using += float64(v.Using * t.PerDay)
		n += t.PerDay
	}
	if n > 0 {
		whole.Without, whole.Filling, whole.Using = whole.Without/n, whole.Filling/n, whole.Using/n
		whole.Usual = 1 - whole.Using/whole.Filling
	}
	whole.Truths = truths(o, 0)
	out = append([]View{whole}, out...)
	for i := range out {
		out[i].Speak, out[i].Words = misleads(o, &out[i])
	}
	return out
}

func viewOf(t caching.Terms) View {
	v := View{Terms: t}
	const second = 1e9
	v.Without = (t.Work + t.Cold) * second
	v.Filling = (t.Latency + t.Work + t.Cold + t.Save()) * second
	v.Using = (t.Restore() + t.Work) * second
	v.Usual = 1 - v.Using/v.Filling
	return v
}

// truths say what each plan saves of the time on an agent of one group's jobs.
func truths(o *Weighing, group int) []Truth {
	out := []Truth{}
	onAgent := func(f *Fared) float64 { return f.Restore.Mean + f.Work.Mean + f.Cold.Mean + f.Save.Mean }
	none := &o.Plans[0].Groups[group]
	for i := range o.Plans {
		f := &o.Plans[i].Groups[group]
		t := Truth{Key: o.Plans[i].Key}
		if base := onAgent(none); base > 0 {
			t.Saves = 1 - onAgent(f)/base
			t.Half = math.Sqrt(sq(f.Restore.Half)+sq(f.Cold.Half)+sq(f.Save.Half)) / base
		}
		out = append(out, t)
	}
	return out
}

func sq(x float64) float64 { return float64(x * x) }

// misleading is by how much of a build's time the usual comparison must be off to be
// spoken of.
const misleading = 0.05

// misleads puts the usual comparison beside the truth.
func misleads(o *Weighing, v *View) (plan, words string) {
	plan = o.Today
	if p := o.plan(plan); plan == None || !p.archives() {
		plan = "every-all"
	}
	truth, better := v.truth(plan), v.truth(byProject)
	if math.Abs(v.Usual-truth) < misleading {
		return plan, ""
	}
	says := "Compared with the run that fills it, the cache saves " + percent(v.Usual) + " of a build; compared with no cache, " +
		o.plan(plan).said()
	switch {
	case math.Abs(truth) < 0.005:
		says += " saves nothing"
	case truth > 0:
		says += " saves " + percent(truth)
	default:
		says += " costs " + percent(-truth) + " more"
	}
	if plan != byProject && better > truth+0.01 {
		if better >= 0 {
			says += "; saved by the trunk and only when it changed, it saves " + percent(better)
		} else {
			says += "; saved by the trunk and only when it changed, it costs " + percent(-better) + " more"
		}
	}
	return plan, says + "."
}

func (v *View) truth(key string) float64 {
	for _, t := range v.Truths {
		if t.Key == key {
			return t.Saves
		}
	}
	return 0
}

// plan finds a plan by its key.
func (o *Weighing) plan(key string) *Weighed {
	for i := range o.Plans {
		if o.Plans[i].Key == key {
			return &o.Plans[i]
		}
	}
	return &o.Plans[0]
}

// said names a plan within a sentence.
func (p *Weighed) said() string {
	if len(p.Rules) == 1 && p.Rules[0].Plan == document.Archive && p.Key != Today {
		return "an " + p.Label
	}
	return p.Label
}
