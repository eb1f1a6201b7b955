// Package sim is the engine: outcome = simulate(design, facts, demand, seed).
//
// It is a state machine with one loop over a queue of events. Each mechanism is
// a file: the controller (controller.go), placing pods (placement.go, score.go, verdict.go),
// node pools (pools.go) and how they grow (growing.go), images (images.go), links
// (link.go), agents (agents.go).
// Observation (observe.go, ledger.go) listens and never steers. A run depends on
// nothing but its World, seed and repeat; it reads no clock and starts nothing.
package sim

import (
	"time"

	"tachyphor/core/chance"
	"tachyphor/core/demand"
	"tachyphor/core/document"
	"tachyphor/core/fleet"
	"tachyphor/core/shelf"
	"tachyphor/core/template"
	"tachyphor/core/units"
)

// Input is what a scenario needs to be simulated. Recording is nil for a
// workload that is made.
type Input struct {
	shelf.Named
	Recording *demand.Recording
	Jobless   bool // recorded jobs are left out: the world tells of agents and nodes, and is not to be run
}

// A World is a scenario with everything looked up and counted out, ready to
// run. It is not changed by running and may be shared by runs in parallel.
type World struct {
	Scenario     string
	Currency     string
	Start        time.Time // of simulated time, the warm-up's
	Zone         units.Zone
	Templates    []Template
	Classes      []Class
	Pools        []Pool
	Images       []document.Image
	Extended     []string // names of the extended resources that templates ask for
	Links        document.Links
	Store        document.Store
	Volumes      document.Volumes
	Claims       []document.Claim
	Rules        []document.CacheRule
	Scopes       []Scope     // what has a cache entry of its own
	StartTime    chance.Dist // containers' start, ns
	JoinTime     chance.Dist // ns
	WipeTime     chance.Dist // ns
	AgentCeiling int         // < 0: none
	Quota        document.Quota
	Growth       document.Growth
	Placement    document.Placement
	Fee, Waiting units.Price
	AgentFee     units.Price      // of an agent for the time it is there
	Plan         document.RunPlan // with the span that it comes to, the warm-up included
	Notes        []string         // what was settled where the documents leave it open or do not go together

	origin   *origin // nil for very many jobs
	Workload *document.WorkloadSpec
	Log      *demand.Jobs // nil when made
	// heldCold is the share of the recorded jobs, of those that do not say so
	// themselves, whose times hold all their cold work; the others' hold none.
	HeldCold   float64
	missing    map[document.CachePlan][]string // facts that the cluster does not say
	Tools      []Tool
	UpdateTime chance.Dist // an agent's own, ns
	AttachTime chance.Dist // of a volume, ns
	DetachTime chance.Dist // likewise
	Layers     []units.Bytes
	LayersOf   [][]int32     // by image
	MakeTimes  []chance.Dist // by image, ns
	ImageKeys  []uint64      // by image
	SpareRoom  []int         // by template; nil when none is kept
	Backoff    document.Backoff
	Preempts   bool // pods push those of lower priority off nodes
	Sharing    bool // some class says how many cores its jobs keep busy
}

// A Template is a pod template with its agents' numbers.
type Template struct {
	template.Agent
	Key          uint64 // that draws know it by, as are those of tools, classes and pools
	Numbers      document.AgentNumbers
	Calendar     demand.Calendar
	Needs        fleet.Need
	ImageAt      []int32 // indices into World.Images
	ToolAt       []int32 // installed at boot
	ClaimAt      []int32 // of volumes that hold its pods to one node
	Rank         int32   // of its pods
	AsksAlways   bool    // some image is asked for even when the node has it
	MakesImage   bool    // some image is made when an agent starts
	UpdatesAgent bool    // its agent is older than the controller's

	Editions []int32        // images that hold the baked workspace, one after the other; nil without
	Rebuilt  units.Duration // time from one edition to the next
}

// A tool is installed when an agent boots.
type Tool struct {
	Key     uint64
	Install chance.Dist // ns
	Fails   float64
}

// A Class is a job class as the engine needs it.
type Class struct {
	Name         string
	Project      string
	Wants        []string
	Limit        units.Duration // longest work; 0: none
	Retries      int
	GiveUp       units.Duration // longest wait for a start; 0: none
	Priority     int
	Work         chance.Dist // ns
	Cores        float64     // 0: not known
	Parallel     float64     // share of the work
	Speeds       []float64   // by pool; nil where work takes what it was measured at
	Memory       chance.Dist // peak, bytes; 0: not known
	Disk         chance.Dist // peak, bytes; 0: not known
	Cold         chance.Dist // ns
	RecordedCold chance.Dist // ns; the cold work that recorded times hold
	Archive      chance.Dist // bytes
	Change       float64     // share of builds that change their dependencies
	Partial      float64     // share of the cold work that an out-of-date cache spares
	Rule         int32       // index into World.Rules; -1: no cache
	Scope        int32       // index into World.Scopes; -1: no cache
	Comes        bool        // the workload may have jobs of it
}

// A Scope is a project or class with a cache entry of its own.
type Scope struct {
	Name string
	Rule int32
}

// A Pool is a node pool under the scenario's limits.
type Pool struct {
	fleet.Site
	Key          uint64         // that draws know it by
	Least        units.Duration // that is paid for
	Min, Max     int
	Spot         *document.Spot // nil: its nodes stay
	BootTime     chance.Dist    // ns
	BootFails    float64
	NoCapacity   float64
	RetryAfter   units.Duration
	Pulls        int
	ImageStore   units.Bytes // 0: without limit
	CacheDisk    units.Bytes // 0: without limit
	Unpack       units.Rate  // 0: at once
	Drains       []demand.Stretch
	MinSteps     []MinStep
	BilledBy     units.Duration // 0: by the second
	GoingTime    chance.Dist    // ns, from going to being gone
	NotReadyTime chance.Dist    // ns, the end of its boot
	SideBySide   int            // nodes that boot at full speed together; 0: any number
	Outage       chance.Dist    // ns, its length
	Short        float64        // share of the time without capacity
	Daemons      []int32        // images that a new node pulls first; indices into World.Images
}

// A minStep gives a pool's min from a moment on.
type MinStep struct {
	From units.Duration
	Min  int
}

// Jobs returns the jobs of one repeat: the recorded ones, which are the same in
// every repeat, or ones drawn for it.
func (w *World) Jobs(seed uint64, repeat int) (*demand.Jobs, error) {
	if w.Log != nil {
		return w.Log, nil
	}
	return demand.Make(w.Workload, w.Plan.Warmup, w.Plan.Span, chance.Root(seed, repeat))
}

const (
	// mostAlike is how often jobs like the recorded ones are drawn where the scenario does
	// not say, and mostJobsAlike how many jobs a log may have for that.
	mostAlike     = 8
	mostJobsAlike = 200_000
)

// AlikeRuns is how often jobs like the recorded ones are run beside them.
func (w *World) AlikeRuns() int {
	switch {
	case w.Log == nil || w.Plan.Repeats < 2:
		return 0
	case w.Plan.Alike != nil:
		return min(*w.Plan.Alike, w.Plan.Repeats)
	case len(w.Log.List) > mostJobsAlike:
		return 0
	}
	return min(w.Plan.Repeats, mostAlike)
}

// JobsAlike draws jobs like the recorded ones, for the run beside a repeat: it has that
// repeat's draws, and others where jobs are there again.
func (w *World) JobsAlike(seed uint64, repeat int) *demand.Jobs {
	start := w.Start.Add(time.Duration(w.Plan.Warmup)).In(w.Zone.Location())
	return w.Log.Alike(w.Plan.Warmup, w.Plan.Span-w.Plan.Warmup, w.covered(), start, chance.Root(seed, repeat))
}

// AlikeWeeks is how many weeks days are drawn from for jobs like the recorded ones; 0 where they
// are drawn one by one, or not at all.
func (w *World) AlikeWeeks() int {
	if w.AlikeRuns() == 0 {
		return 0
	}
	return demand.WeeksIn(w.covered())
}

// covered is how much time the log covers, without its warm-up.
func (w *World) covered() units.Duration {
	list := w.Log.List
	if len(list) == 0 {
		return 0
	}
	return logLength(list[len(list)-1].Submitted - w.Plan.Warmup)
}

// People is how many people submit jobs as they get their results: what comes then depends
// on the design.
func (w *World) People() int {
	if w.Log != nil {
		return 0
	}
	n := 0
	for _, k := range w.Workload.Classes {
		for _, p := range k.Arrivals.People {
			n += p.Count
		}
	}
	return n
}

// Recorded reports whether the jobs are recorded: the same in every repeat.
func (w *World) Recorded() bool { return w.Log != nil }

// Match says which template each of the given sets of wants gets.
func (w *World) Match(wants [][]string) []demand.Match {
	offers := make([][]string, len(w.Templates))
	for i, t := range w.Templates {
		offers[i] = t.Offers
	}
	out := make([]demand.Match, len(wants))
	for i := range wants {
		out[i] = demand.Matching(wants[i], offers)
	}
	return out
}
