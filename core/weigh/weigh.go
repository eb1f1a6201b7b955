package weigh

import (
	"cmp"
	"errors"
	"fmt"
	"math"
	"slices"
	"strings"
	"sync/atomic"

	"tachyphor/core/caching"
	"tachyphor/core/demand"
	"tachyphor/core/document"
	"tachyphor/core/paired"
	"tachyphor/core/sim"
	"tachyphor/core/stats"
	"tachyphor/core/units"
	"tachyphor/core/world"
)

// A Question is what to weigh.
type Question struct {
	World *world.World
	// Hour is what an hour of lead time is worth; 0: the scenario's waiting, and where
	// that is none too, lead time alone decides.
	Hour  units.Price
	Class string           // whose break-even is drawn; absent: the one with most to win
	X, Y  caching.Quantity // of the map; absent: builds that change, and upload
}

// A Weighing is cache plans held against none over the whole workload. Times are in
// nanoseconds, figures carry their 95 % interval over the repeats, differences are
// paired repeat by repeat.
type Weighing struct {
	Scenario string    `json:"scenario" doc:"Name of the scenario."`
	Engine   int       `json:"engine" doc:"Number of the engine's behaviour."`
	Currency string    `json:"currency" doc:"Currency of money."`
	Seed     uint64    `json:"seed" doc:"Seed of every draw."`
	Repeats  int       `json:"repeats" doc:"Independent runs of each plan."`
	Alike    int       `json:"alike" doc:"Runs of each plan with jobs drawn like the recorded ones; 0 for made jobs, whose every repeat has a week of its own. Differences are sure, and plans chosen, for weeks like it where it is above 0."`
	SpanNs   int64     `json:"spanNs" doc:"Simulated time in which jobs arrived."`
	WarmupNs int64     `json:"warmupNs" doc:"Its first part, left out of every figure but break-evens."`
	PerHour  float64   `json:"perHour" doc:"What an hour of lead time is worth, in the currency's main unit; 0: lead time alone decides."`
	Plans    []Weighed `json:"plans" doc:"The plans, none first."`
	Today    string    `json:"today" doc:"Key of the plan that the scenario has."`
	Best     string    `json:"best" doc:"Key of the plan to have."`
	AsGood   []string  `json:"asGood" doc:"Keys of others that are within a fiftieth of lead time of the best one, and more to keep up."`
	Views    []View    `json:"classes" doc:"The three runs everyone looks at beside the truth: all jobs first, then by class."`
	Peak     Peak      `json:"peak" doc:"What sharing the store's link costs in the busiest hour."`
	Surface  *Surface  `json:"surface,omitempty" doc:"Where the break-even lies."`
	Words    []string  `json:"words" doc:"The answer, in sentences."`
	Assumed  []string  `json:"assumed" doc:"What was assumed where the documents do not say it, or of what they say, each with how to say otherwise."`
	Case     []string  `json:"case" doc:"The case in five lines."`
}

// Weighed is what one plan came to.
type Weighed struct {
	Plan
	Groups   []Fared      `json:"groups" doc:"How jobs fared: all that have a workspace together first, then by class."`
	Cost     stats.Figure `json:"costPerMonth" doc:"The whole bill a month."`
	CostDiff stats.Figure `json:"costDifference" doc:"The bill a month less that without a cache."`
	Money    []Money      `json:"money" doc:"What that difference is made of, and what the workspace holds of nodes."`
	Worth    float64      `json:"worthPerMonth" doc:"What its lead time is worth a month, less its difference in cost; 0 where an hour has no worth."`
	StoredGB []float64    `json:"storedGB" doc:"GB in the store over time, bins of equal width over the span."`
	KeptGB   stats.Figure `json:"keptGB" doc:"GB in the store on average."`
	Missing  []string     `json:"missing" doc:"Facts that it rests on and that the cluster does not say: they counted as nothing, at once or without end. Such a plan is shown and never recommended."`
	// Edits give the scenario this plan.
	Edits []document.Edit `json:"edits" doc:"The changes that give the scenario this plan."`
}

// Money is one cause of cost.
type Money struct {
	What       string       `json:"what" doc:"What is paid for."`
	PerMonth   stats.Figure `json:"perMonth" doc:"Money a month."`
	Difference stats.Figure `json:"difference" doc:"Less that without a cache."`
	Part       bool         `json:"part" doc:"It is a part of the nodes' cost, not beside it."`
}

// Fared is how a group of jobs fared under a plan.
type Fared struct {
	Class    string        `json:"class" doc:"Class; empty: all that have a workspace."`
	Jobs     stats.Figure  `json:"jobs" doc:"Jobs of a repeat that ended."`
	Lead     stats.Figure  `json:"leadNs" doc:"Mean lead time."`
	P50      *stats.Figure `json:"p50Ns,omitempty" doc:"Half have less; absent where too few jobs support it."`
	P90      *stats.Figure `json:"p90Ns,omitempty" doc:"90 % have less."`
	P95      *stats.Figure `json:"p95Ns,omitempty" doc:"95 % have less."`
	LeadDiff stats.Figure  `json:"leadDifferenceNs" doc:"Mean lead time less that without a cache."`
	P95Diff  stats.Figure  `json:"p95DifferenceNs" doc:"95th percentile less that without a cache."`
	Sure     bool          `json:"sure" doc:"The interval of the difference of the means leaves 0 out; of recorded jobs, that for weeks like the recorded one."`
	Start    stats.Figure  `json:"startNs" doc:"Start delay, mean."`
	Pull     stats.Figure  `json:"pullNs" doc:"Of a plan that bakes workspaces into images: waiting for images, mean, less that without a cache; it is in the start delay."`
	Restore  stats.Figure  `json:"restoreNs" doc:"Restoring, mean."`
	Work     stats.Figure  `json:"workNs" doc:"Work without what is cold, mean."`
	Cold     stats.Figure  `json:"coldNs" doc:"Cold work, mean."`
	Save     stats.Figure  `json:"saveNs" doc:"Saving, mean."`
	Wipe     stats.Figure  `json:"wipeNs" doc:"Cleaning up, mean."`
	Fresh    stats.Figure  `json:"fresh" doc:"Share of builds that found their workspace up to date, 0 to 1."`
	Stale    stats.Figure  `json:"stale" doc:"Share that found it out of date."`
	Missed   stats.Figure  `json:"missed" doc:"Share that found none."`
	Saves    stats.Figure  `json:"saves" doc:"Saves in a repeat."`
	DownGB   stats.Figure  `json:"downGB" doc:"GB brought from the store, a month."`
	UpGB     stats.Figure  `json:"upGB" doc:"GB sent to the store, a month."`
	Pays     PaysOff       `json:"pays" doc:"After how many builds it has paid."`
}

// Carried is what the workspace takes of a job on average: pulling it where it is baked,
// restoring, cold work and saving, ns.
func (f *Fared) Carried() float64 {
	return math.Max(f.Pull.Mean, 0) + f.Restore.Mean + f.Cold.Mean + f.Save.Mean
}

// PaysOff is when a plan has paid: the build from which on all that restoring, cold work
// and saving took, from the first build on, stays below what cold work alone would.
type PaysOff struct {
	Builds  float64   `json:"builds" doc:"Builds until then, median of the repeats in which it pays; 0: in none."`
	Paid    int       `json:"paid" doc:"Repeats in which it pays within the span."`
	Repeats int       `json:"repeats" doc:"Repeats in all."`
	At      []int     `json:"at" doc:"Builds at which the course is told, first repeat."`
	Course  []float64 `json:"courseNs" doc:"What the builds up to there took more than without a cache, ns; below 0: less."`
}

// Peak is what sharing the link to the store, and volumes, costs in the busiest hour.
type Peak struct {
	From    int64       `json:"fromNs" doc:"Beginning of the busiest hour, since the start."`
	Jobs    int         `json:"jobs" doc:"Jobs with a workspace in it, first repeat."`
	Plans   []PeakTimes `json:"plans" doc:"The plans whose facts are known, in order."`
	Changed bool        `json:"changed" doc:"The plan that takes a build the least time alone is not the one that does in truth."`
}

// PeakTimes is what the workspace takes of a build of the busiest hour: restoring, cold
// work and saving.
type PeakTimes struct {
	Key   string       `json:"key" doc:"Plan."`
	Alone stats.Figure `json:"aloneNs" doc:"Mean, were nobody else on the store's link or had the volume."`
	Truth stats.Figure `json:"truthNs" doc:"Mean as it is."`
	More  stats.Figure `json:"moreNs" doc:"The difference."`
}

// ErrNoWorkspace says that no class has anything that a cache could keep.
var ErrNoWorkspace = errors.New("no class of the workload has a workspace: give its classes workspace.cold and workspace.size")

// Check says what is wrong with a question.
func (q Question) Check() error {
	var names []string
	for c := range q.World.Classes {
		if q.World.HasWorkspace(c) {
			names = append(names, q.World.Classes[c].Name)
		}
	}
	if len(names) == 0 {
		return ErrNoWorkspace
	}
	if q.Class != "" && !slices.Contains(names, q.Class) {
		return fmt.Errorf("no class %q has a workspace; those with one are %s", q.Class, strings.Join(names, ", "))
	}
	for _, x := range []caching.Quantity{q.X, q.Y} {
		if x != "" && !slices.Contains(caching.Quantities(), x) {
			return fmt.Errorf("no quantity %q; expected one of %v", x, caching.Quantities())
		}
	}
	if x, y := cmp.Or(q.X, caching.OfUp), cmp.Or(q.Y, caching.OfChange); x == y {
		return fmt.Errorf("the map needs two different quantities; %s is named twice", x)
	}
	return nil
}

// weighing is the work on a question.
type weighing struct {
	q       Question
	w       *world.World
	plans   []Plan
	today   string
	classes []int          // with a workspace and jobs
	from    units.Duration // of the busiest hour
	peakN   int            // jobs in it
	// jobClasses are the classes of the jobs of every repeat that is followed.
	jobClasses [][]int32
	first      *demand.Jobs         // of the first repeat, as they came
	all        map[string][]reading // by plan and repeat
	alike      map[string][]reading // likewise, of weeks like the recorded one
	free       map[string][]reading // likewise, of those that share the store's link, with the link to itself
	done       atomic.Int64
	total      int64
	tell       paired.Progress
}

// Weigh runs every plan over the workload, on the given number of workers. The result
// does not depend on their number. progress may be nil.
func Weigh(q Question, workers int, progress paired.Progress) (*Weighing, error) {
	if err := q.Check(); err != nil {
		return nil, err
	}
	x := &weighing{
		q: q, w: q.World, all: map[string][]reading{}, alike: map[string][]reading{}, free: map[string][]reading{},
		tell: progress.Forward(),
	}
	x.plans, x.today = plansOf(x.w)
	jobs, err := x.came(0)
	if err != nil {
		return nil, err
	}
	var at []units.Duration
	for i := range jobs.List {
		j := &jobs.List[i]
		if j.Submitted >= x.w.Plan.Span || !x.w.HasWorkspace(int(j.Class)) {
			continue
		}
		at = append(at, j.Submitted)
		if !slices.Contains(x.classes, int(j.Class)) {
			x.classes = append(x.classes, int(j.Class))
		}
	}
	if len(x.classes) == 0 {
		return nil, ErrNoWorkspace
	}
	x.first = jobs
	slices.Sort(x.classes)
	x.from, x.peakN = busiest(x.w, at)

	plans := x.plans
	if !x.shared() {
		plans = slices.DeleteFunc(slices.Clone(plans), func(p Plan) bool { return p.Key == byClass })
	}
	sharing := slices.DeleteFunc(slices.Clone(plans), func(p Plan) bool { return !p.archives() }) // the store's link
	follow := followed(x.w.Plan.Repeats, len(jobs.List), len(x.plans)+1)
	if x.w.People() > 0 {
		follow = 0 // what they submit differs from plan to plan
	}
	for r := range follow {
		if r > 0 {
			if jobs, err = x.came(r); err != nil {
				return nil, err
			}
		}
		list := make([]int32, len(jobs.List))
		for i := range list {
			list[i] = jobs.List[i].Class
		}
		x.jobClasses = append(x.jobClasses, list)
	}
	repeats := x.w.Plan.Repeats
	few := (repeats + 1) / 2 // enough to see whether the link is crowded
	weeks := x.w.AlikeRuns()
	runs := int64((repeats+weeks)*(len(plans)+1) + few*len(sharing))
	surface := int64(surfaceShare * float64(runs))
	x.total = runs + surface
	if err := x.run(plans, repeats, workers, asIs); err != nil {
		return nil, err
	}
	if err := x.run(plans, weeks, workers, weeksAlike); err != nil {
		return nil, err
	}
	if err := x.run(sharing, few, workers, linkFree); err != nil {
		return nil, err
	}
	if !x.shared() { // each project has one class: its own entry is the project's
		for _, into := range []map[string][]reading{x.all, x.alike, x.free} {
			into[byClass] = into[byProject]
		}
	}
	mix := x.mix()
	if err := x.run([]Plan{mix}, repeats, workers, asIs); err != nil {
		return nil, err
	}
	if err := x.run([]Plan{mix}, weeks, workers, weeksAlike); err != nil {
		return nil, err
	}
	x.plans = append(x.plans, mix)
	out := x.assemble()
	if out.Surface, err = x.surface(workers, surface); err != nil {
		return nil, err
	}
	x.say(out)
	return out, nil
}

// came are the jobs of a repeat; of what people submit, that which comes under today's
// plan.
func (x *weighing) came(repeat int) (*demand.Jobs, error) {
	if x.w.People() == 0 {
		return x.w.Jobs(x.w.Plan.Seed, repeat)
	}
	t, err := sim.Run(x.w, x.w.Plan.Seed, repeat, func(units.Duration) bool { return x.step(0) })
	if err != nil {
		return nil, err
	}
	return t.Jobs, nil
}

// shared reports whether some project has several classes with a workspace.
func (x *weighing) shared() bool {
	seen := map[string]bool{}
	for _, c := range x.classes {
		p := x.w.Classes[c].Project
		if p != "" && seen[p] {
			return true
		}
		seen[p] = true
	}
	return false
}

// surfaceShare is what drawing the break-even counts for in the progress.
const surfaceShare = 0.25

// step counts n parts of the work as done, and reports whether to go on.
func (x *weighing) step(n int64) bool {
	return x.share(float64(x.done.Add(n)))
}

// share tells how many parts of the work are done, and reports whether to go on.
func (x *weighing) share(parts float64) bool {
	return x.tell == nil || x.tell(min(parts/float64(max(1, x.total)), 1))
}

// A manner is what a plan's repeats are run with.
type manner int

const (
	asIs       manner = iota // the workload's jobs
	weeksAlike               // jobs of weeks like the recorded one
	linkFree                 // the workload's jobs, and a link to the store that is never shared
)

// run reads the first repeats of plans, in a manner.
func (x *weighing) run(plans []Plan, repeats, workers int, how manner) error {
	worlds := make([]*world.World, len(plans))
	for i, p := range plans {
		worlds[i] = x.w.WithCaching(p.Rules)
		if how == linkFree {
			worlds[i] = worlds[i].WithFreeStore()
		}
	}
	draws := paired.Draws(repeats, 0)
	if how == weeksAlike {
		draws = paired.Draws(0, repeats)
	}
	busiest := hour{from: x.from, to: x.from + units.Hour}
	runs := int64(len(plans) * repeats)
	study := paired.Study[reading]{
		Worlds: worlds, Draws: draws, Workers: workers, Progress: x.part(runs),
		Read: func(_, r int, t *sim.Trace) (reading, error) {
			if how == linkFree {
				return *readAlone(t, busiest), nil
			}
			return *read(t, r, busiest, how == asIs && r < len(x.jobClasses)), nil
		},
	}
	results, err := study.Run()
	if err != nil {
		return err
	}
	x.step(runs)
	into := [...]map[string][]reading{x.all, x.alike, x.free}[how]
	for i, p := range plans {
		into[p.Key] = results[i]
	}
	return nil
}

// part tells of n parts of the work while they are done.
func (x *weighing) part(n int64) paired.Progress {
	if x.tell == nil {
		return nil
	}
	before := x.done.Load()
	return func(done float64) bool { return x.share(float64(before) + float64(done*float64(n))) }
}

// readings are those of a plan.
func (x *weighing) readings(key string) paired.Readings[reading] {
	return paired.Readings[reading]{Own: x.all[key], Alike: x.alike[key]}
}

// figure and differs are a number of a plan, and less that without a cache.
func (x *weighing) figure(key string, of paired.Number[reading]) stats.Figure {
	return x.readings(key).Figure(of, x.w.AlikeWeeks())
}

func (x *weighing) differs(key string, of paired.Number[reading]) stats.Figure {
	return x.readings(key).Less(x.readings(None), of, x.w.AlikeWeeks())
}

// leads are the lead times of a plan's repeats together: of all jobs with a workspace, or
// of one class, as in reading.leads.
func (x *weighing) leads(key string, of int) *stats.Pool {
	var list []stats.Spread
	for i := range x.all[key] {
		list = append(list, x.all[key][i].leads[of])
	}
	return stats.PoolOf(list)
}

// mix gives each class the plan under which its workspace takes its builds the least
// time, waiting for it and pulling it among that; none where no plan surely takes less.
func (x *weighing) mix() Plan {
	byRule := map[string][]string{}
	var order []string
	for _, c := range x.classes {
		best, least := None, 0.0
		for _, p := range x.plans[1:] {
			if len(p.Rules) != 1 || len(x.w.Missing(p.Rules)) > 0 {
				continue
			}
			d := x.differs(p.Key, takenOf(c))
			if d.SureAlike() && d.Mean < least || d.Runs == 1 && d.Mean < least {
				best, least = p.Key, d.Mean
			}
		}
		if best == None {
			continue
		}
		if byRule[best] == nil {
			order = append(order, best)
		}
		byRule[best] = append(byRule[best], x.w.Classes[c].Name)
	}
	mix := Plan{Key: Best, Label: "each class its own best", Rules: []document.CacheRule{}}
	for _, key := range order {
		p := x.plans[slices.IndexFunc(x.plans, func(p Plan) bool { return p.Key == key })]
		r := p.Rules[0]
		r.Classes = byRule[key]
		mix.Rules = append(mix.Rules, r)
	}
	return mix
}

// takenOf is what the workspace takes of a class's jobs on average, ns: restoring, cold
// work, saving, and pulling images, in which a baked one comes.
func takenOf(class int) func(*reading) float64 {
	return func(r *reading) float64 {
		g := &r.sample.Groups[1+class]
		ns := g.RibbonNs[sim.Restore].Plus(g.CausesNs[sim.ColdWork]).Plus(g.RibbonNs[sim.Save]).Plus(g.RibbonNs[sim.Image])
		return ns.Over(g.Ended)
	}
}
