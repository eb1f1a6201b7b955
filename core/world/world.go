// Package world puts together what a scenario names: documents become a World, with
// everything looked up, checked against each other and counted out, which the engine runs.
// Worlds that differ from one in a number or two are made from it here too.
package world

import (
	"slices"
	"time"

	"tachyphor/core/aim"
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
	Bound     *Bound // shared by worlds of one recording; nil: nothing is shared
	Jobless   bool   // recorded jobs are left out: the world tells of agents and nodes, and is not to be run
}

// A World is a scenario with everything looked up and counted out, ready to
// run. It is not changed by running and may be shared by runs in parallel.
type World struct {
	Scenario string
	Currency string
	Start    time.Time // of simulated time, the warm-up's
	Zone     units.Zone
	Plan     document.RunPlan // with the span that it comes to, the warm-up included
	Notes    []string         // what was settled where the documents leave it open or do not go together

	// Agents.
	Templates    []Template
	Later        []Template // what agents of a template are made of after it was changed
	AgentCeiling int        // < 0: none
	Limits       []Limit
	Changes      []Change // made by hand, in order of time
	Events       []Event  // trouble that comes over many at once, in order of time
	Quota        document.Quota
	StartTime    chance.Dist // containers' start, ns
	JoinTime     chance.Dist // ns
	WipeTime     chance.Dist // ns
	UpdateTime   chance.Dist // an agent's own, ns
	Tools        []Tool
	AgentFee     units.Price // of an agent for the time it is there

	// Nodes.
	Pools     []Pool
	Extended  []string // names of the extended resources that templates ask for
	Growth    document.Growth
	SpareRoom []int // by template; nil when none is kept
	Placement document.Placement
	Backoff   document.Backoff
	Host      *Host // of the controller; nil: it takes no room of agents
	Preempts  bool  // pods push those of lower priority off nodes
	Sharing   bool  // some class says how many cores its jobs keep busy
	Fee       units.Price

	// Images and links.
	Images    []document.Image
	Layers    []units.Bytes
	LayersOf  [][]int32     // by image: indices into Layers
	MakeTimes []chance.Dist // by image, ns
	ImageKeys []uint64      // by image: that draws know it by
	Links     document.Links

	// Volumes and caches.
	Volumes    document.Volumes
	AttachTime chance.Dist // of a volume, ns
	DetachTime chance.Dist // likewise
	Claims     []document.Claim
	Store      document.Store
	Rules      []document.CacheRule
	Scopes     []Scope // what has a cache entry of its own

	// Jobs.
	Classes  []Class
	Aims     []aim.Aim // what the design must keep
	Workload *document.WorkloadSpec
	Log      *demand.Jobs // recorded jobs; nil when they are made
	Waiting  units.Price
	// HeldCold is the share of the recorded jobs, of those that do not say so
	// themselves, whose times hold all their cold work; the others' hold none.
	HeldCold float64

	origin  *origin                         // nil for very many jobs
	missing map[document.CachePlan][]string // facts that the cluster does not say
}

// ClassNamed is the index of a class; below 0: there is none of that name.
func (w *World) ClassNamed(name string) int {
	return slices.IndexFunc(w.Classes, func(c Class) bool { return c.Name == name })
}

// A Limit is a ceiling over several templates together.
type Limit struct {
	Name      string
	Templates []int32 // indices into World.Templates
	Agents    int
	Seat      units.Price
}

// LimitsOf are the limits over several templates that one of them is under.
func (w *World) LimitsOf(template int) (out []int) {
	for i := range w.Limits {
		if slices.Contains(w.Limits[i].Templates, int32(template)) {
			out = append(out, i)
		}
	}
	return out
}

// Away is time during which a template is out of service.
type Away struct {
	demand.Stretch
	Reason string // empty: none is given
}

// A Template is a pod template with its agents' numbers.
type Template struct {
	template.Agent
	Key          uint64 // that draws know it by, as are those of tools, classes and pools
	Numbers      document.AgentNumbers
	Calendar     demand.Calendar
	Away         []Away     // when it is out of service, in order of time, apart from each other
	Needs        fleet.Need // of a node, of one pod
	ImageAt      []int32    // indices into World.Images
	Own          int        // which of them its agent's container is made of
	ToolAt       []int32    // installed at boot; indices into World.Tools
	Lacking      []int32    // of those, the ones that no image of it has
	ClaimAt      []int32    // of volumes that hold its pods to one node; indices into World.Claims
	Rank         int32      // priority of its pods
	AsksAlways   bool       // some image is asked for even when the node has it
	MakesImage   bool       // some image is made when an agent starts
	UpdatesAgent bool       // its agent is older than the controller's

	Of       int            // of one of World.Later, the template that became it, as an index into World.Templates
	Editions []int32        // images that hold the baked workspace, one after the other; nil without
	Rebuilt  units.Duration // time from one edition to the next
}

// A Tool is installed when an agent boots.
type Tool struct {
	Key     uint64
	Install chance.Dist // ns
	Fails   float64     // chance, 0 to 1
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
	Leftovers    document.Leftovers
	Red          float64   // share of its jobs that end red by themselves
	Builds       float64   // how often one change request is built on average, ≥ 1
	Network      []Traffic // what its jobs fetch and send while they work
	Tools        []int32   // that its jobs need and that are installed at boot somewhere; indices into World.Tools
	Rule         int32     // index into World.Rules; -1: no cache
	Scope        int32     // index into World.Scopes; -1: no cache
	Comes        bool      // the workload may have jobs of it
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
	Spot         *document.Spot   // nil: its nodes stay
	BootTime     chance.Dist      // ns
	BootFails    float64          // chance that a boot fails, 0 to 1
	NoCapacity   float64          // chance that the cloud has no node to give, 0 to 1
	RetryAfter   units.Duration   // until it is asked again
	Pulls        int              // images that a node pulls at once
	ImageStore   units.Bytes      // 0: without limit
	CacheDisk    units.Bytes      // 0: without limit
	Unpack       units.Rate       // 0: at once
	Drains       []demand.Stretch // when it takes no pods
	MinSteps     []MinStep        // of its min over time; nil where it stays
	BilledBy     units.Duration   // 0: by the second
	GoingTime    chance.Dist      // ns, from going to being gone
	NotReadyTime chance.Dist      // ns, the end of its boot
	SideBySide   int              // nodes that boot at full speed together; 0: any number
	Outage       chance.Dist      // ns, its length
	Short        float64          // share of the time without capacity
	Baked        []int32          // images that a new node has; indices into World.Images
	Daemons      []int32          // images that a new node pulls first; indices into World.Images
}

// A MinStep gives a pool's min from a moment on.
type MinStep struct {
	From units.Duration
	Min  int
}

// Match says which template each of the given sets of wants gets.
func (w *World) Match(wants [][]string) []demand.Match {
	offers := make([]demand.Offer, len(w.Templates))
	for i, t := range w.Templates {
		offers[i] = demand.Offer{Words: t.Offers, Named: t.Named}
	}
	out := make([]demand.Match, len(wants))
	for i := range wants {
		out[i] = demand.Matching(wants[i], offers)
	}
	return out
}
