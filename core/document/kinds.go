// Package document holds the kinds of documents a person writes: how they are
// read with every fault placed, what may be left out, and their JSON Schemas,
// all from the same Go types.
package document

import (
	"tachyphor/core/chance"
	"tachyphor/core/units"

	corev1 "k8s.io/api/core/v1"
)

// Version is the apiVersion of the kinds that are ours.
const Version = "tachyphor/v1"

// Meta names a document of ours.
type Meta struct {
	Name        string            `json:"name" doc:"Name, unique within the kind: lower-case letters, digits and dashes."`
	Labels      map[string]string `json:"labels,omitempty" doc:"Labels, kept as they are."`
	Annotations map[string]string `json:"annotations,omitempty" doc:"Annotations, kept as they are."`
}

// A PodTemplate is Kubernetes' own v1 PodTemplate.
type PodTemplate = corev1.PodTemplate

// A Cluster holds the facts of one cluster.
type Cluster struct {
	APIVersion string      `json:"apiVersion" doc:"tachyphor/v1"`
	Kind       string      `json:"kind" doc:"Cluster"`
	Metadata   Meta        `json:"metadata" doc:"Name of the cluster."`
	Spec       ClusterSpec `json:"spec" doc:"The facts."`
}

// ClusterSpec is what the world does.
type ClusterSpec struct {
	Currency  string      `json:"currency,omitempty" doc:"Currency code that prices are in."`
	NodeTypes []NodeType  `json:"nodeTypes" doc:"Sizes and prices of nodes."`
	Pools     []Pool      `json:"pools" doc:"Node pools, in the order in which they are preferred where a scenario says listed."`
	Images    []Image     `json:"images,omitempty" doc:"Images that agents are made of."`
	Links     Links       `json:"links,omitempty" doc:"Network links."`
	Agents    AgentTimes  `json:"agents,omitempty" doc:"How long the steps of an agent's start and end take."`
	Fee       units.Price `json:"fee,omitempty" doc:"Fixed fee of the cluster."`
}

// Defaults fills what a cluster may leave out.
func (c *ClusterSpec) Defaults() { c.Currency = "EUR" }

// A NodeType is the size and price of one node.
type NodeType struct {
	Name     string         `json:"name" doc:"Name of the node type."`
	CPU      units.MilliCPU `json:"cpu" doc:"CPU of the node."`
	Memory   units.Bytes    `json:"memory" doc:"Memory of the node."`
	Pods     int            `json:"pods,omitempty" doc:"Most pods on a node."`
	Price    units.Price    `json:"price" doc:"Price of a node."`
	Disk     units.Bytes    `json:"disk,omitempty" doc:"Ephemeral storage of the node; absent: not looked at."`
	Extended map[string]int `json:"extended,omitempty" doc:"Extended resources by name, as in example.org/card: 2."`
	Reserved Amounts        `json:"reserved,omitempty" doc:"Kept from agents: system and kubelet reservations, eviction threshold, what DaemonSets ask for."`
	Unpack   units.Rate     `json:"unpack,omitempty" doc:"Speed at which a node unpacks what it pulled, in bytes of the compressed image; absent: at once."`
}

// Defaults fills what a node type may leave out.
func (n *NodeType) Defaults() { n.Pods = 110 }

// Amounts are CPU and memory.
type Amounts struct {
	CPU    units.MilliCPU `json:"cpu,omitempty" doc:"CPU."`
	Memory units.Bytes    `json:"memory,omitempty" doc:"Memory."`
	Disk   units.Bytes    `json:"disk,omitempty" doc:"Ephemeral storage."`
	Pods   int            `json:"pods,omitempty" doc:"Pods."`
}

// A Pool is a set of nodes made alike.
type Pool struct {
	Name     string            `json:"name" doc:"Name of the pool."`
	NodeType string            `json:"nodeType" doc:"Node type of its nodes."`
	Min      int               `json:"min,omitempty" doc:"Fewest nodes."`
	Max      int               `json:"max" doc:"Most nodes."`
	Boot     Times             `json:"boot,omitempty" doc:"From asking for a node to its being ready."`
	Labels   map[string]string `json:"labels,omitempty" doc:"Labels of its nodes, beside kubernetes.io/os: linux and kubernetes.io/arch: amd64, which they can replace."`
	Taints   []Taint           `json:"taints,omitempty" doc:"Taints of its nodes."`
}

// A Taint keeps pods off that do not tolerate it.
type Taint struct {
	Key    string `json:"key" doc:"Key of the taint."`
	Value  string `json:"value,omitempty" doc:"Value of the taint."`
	Effect Effect `json:"effect" doc:"NoSchedule and NoExecute keep pods off, PreferNoSchedule only if there is room elsewhere."`
}

// Effect is what a taint does.
type Effect string

// Values lists what a document may say.
func (Effect) Values() []string {
	return []string{string(corev1.TaintEffectNoSchedule), string(corev1.TaintEffectPreferNoSchedule), string(corev1.TaintEffectNoExecute)}
}

// An Image is what agents' containers are made of.
type Image struct {
	Name string      `json:"name" doc:"Image reference as templates name it."`
	Size units.Bytes `json:"size" doc:"Bytes to pull, compressed."`
}

// Links are the network links of a cluster.
type Links struct {
	Registry Link `json:"registry,omitempty" doc:"From the image registry to the nodes."`
}

// A Link carries data to the cluster.
type Link struct {
	Down    units.Rate     `json:"down,omitempty" doc:"Total rate towards the cluster, shared fairly by what flows; absent: without limit."`
	PerFlow units.Rate     `json:"perFlow,omitempty" doc:"Most that one flow gets; absent: the whole link."`
	Latency units.Duration `json:"latency,omitempty" doc:"Time before the first byte."`
}

// AgentTimes are the steps of an agent's life that do not depend on its job.
type AgentTimes struct {
	Start Times `json:"start,omitempty" doc:"From images present to containers started."`
	Join  Times `json:"join,omitempty" doc:"From containers started to the agent known to the controller."`
	Wipe  Times `json:"wipe,omitempty" doc:"Cleaning the workspace after a job, and the pod's going where it goes."`
}

// Times is a distribution of durations as engineers measure them. The zero
// Times takes no time at all.
type Times struct {
	Fixed   *units.Duration  `json:"fixed,omitempty" doc:"Always this long."`
	Median  *units.Duration  `json:"median,omitempty" doc:"Log-normal, with p95: half take longer."`
	P95     *units.Duration  `json:"p95,omitempty" doc:"Log-normal, with median: one in twenty takes longer."`
	Mean    *units.Duration  `json:"mean,omitempty" doc:"Exponential, or gamma with shape."`
	Shape   *float64         `json:"shape,omitempty" doc:"Gamma's shape, with mean: 1 is exponential, larger is steadier."`
	Min     *units.Duration  `json:"min,omitempty" doc:"Uniform, with max."`
	Max     *units.Duration  `json:"max,omitempty" doc:"Uniform, with min."`
	Samples []units.Duration `json:"samples,omitempty" doc:"Measured values; drawn from between neighbours."`
}

// IsZero reports whether nothing was said.
func (t Times) IsZero() bool {
	return t.Fixed == nil && t.Median == nil && t.P95 == nil && t.Mean == nil && t.Shape == nil &&
		t.Min == nil && t.Max == nil && len(t.Samples) == 0
}

// Dist returns the distribution in nanoseconds. The times must have been
// checked.
func (t Times) Dist() chance.Dist {
	switch {
	case t.Median != nil:
		return chance.NewLogNormal(float64(*t.Median), float64(*t.P95))
	case t.Shape != nil:
		return chance.NewGamma(float64(*t.Mean), *t.Shape)
	case t.Mean != nil:
		return chance.NewExponential(float64(*t.Mean))
	case t.Min != nil:
		return chance.NewUniform(float64(*t.Min), float64(*t.Max))
	case len(t.Samples) > 0:
		s := make([]float64, len(t.Samples))
		for i, d := range t.Samples {
			s[i] = float64(d)
		}
		return chance.NewEmpirical(s)
	case t.Fixed != nil:
		return chance.NewFixed(float64(*t.Fixed))
	default:
		return chance.NewFixed(0)
	}
}

// A Workload is demand: jobs recorded or made.
type Workload struct {
	APIVersion string       `json:"apiVersion" doc:"tachyphor/v1"`
	Kind       string       `json:"kind" doc:"Workload"`
	Metadata   Meta         `json:"metadata" doc:"Name of the workload."`
	Spec       WorkloadSpec `json:"spec" doc:"The demand."`
}

// WorkloadSpec holds the job classes and where their jobs come from.
type WorkloadSpec struct {
	Start   units.Instant `json:"start" doc:"The moment at which simulated time begins, RFC 3339."`
	Zone    units.Zone    `json:"zone,omitzero" doc:"Time zone of arrival profiles that name none, and of pictures."`
	Classes []JobClass    `json:"classes" doc:"Job classes."`
	Jobs    *Recorded     `json:"jobs,omitempty" doc:"Recorded jobs. Without it, jobs are made from the classes' arrivals."`
}

// A Recorded workload names the file of its jobs.
type Recorded struct {
	File   string `json:"file" doc:"File of recorded jobs beside this document: CSV or JSON Lines."`
	Digest string `json:"digest,omitempty" doc:"sha256 of the file, set when it is stored."`
}

// A JobClass is jobs alike in what they want and how they behave.
type JobClass struct {
	Name     string      `json:"name" doc:"Name of the class."`
	Project  string      `json:"project,omitempty" doc:"Project the jobs belong to."`
	Wants    []string    `json:"wants" doc:"Words that a template must offer."`
	Work     Times       `json:"work" doc:"Time a job works when nothing hinders it; a recorded job's own figure goes first."`
	Arrivals Arrivals    `json:"arrivals,omitempty" doc:"When jobs come, in a made workload."`
	Cores    float64     `json:"cores,omitempty" doc:"Cores that a working job keeps busy."`
	Memory   units.Bytes `json:"memory,omitempty" doc:"Peak memory of a job."`
}

// Arrivals say when jobs of a class come.
type Arrivals struct {
	Zone   units.Zone `json:"zone,omitzero" doc:"Time zone of the hours; absent: the workload's."`
	Hours  []HourRate `json:"hours,omitempty" doc:"Rates by hour of week; the first period that covers a moment counts, and outside all of them none come."`
	Bursts []Burst    `json:"bursts,omitempty" doc:"Many at a time."`
}

// HourRate is a rate of arrivals in a part of the week.
type HourRate struct {
	When    units.Period `json:"when" doc:"Part of the week, as in Mon-Fri 07:00-19:00."`
	PerHour float64      `json:"perHour" doc:"Jobs an hour, on average (Poisson)."`
}

// A Burst is many jobs at a moment of the week.
type Burst struct {
	When  units.Moment   `json:"when" doc:"Moment of the week, as in Mon-Sun 02:00."`
	Count int            `json:"count" doc:"Jobs in the burst."`
	Over  units.Duration `json:"over,omitempty" doc:"Time over which they come, evenly at random; absent: all at once."`
}

// A Scenario is one design on one cluster with one workload.
type Scenario struct {
	APIVersion string       `json:"apiVersion" doc:"tachyphor/v1"`
	Kind       string       `json:"kind" doc:"Scenario"`
	Metadata   Meta         `json:"metadata" doc:"Name of the scenario."`
	Spec       ScenarioSpec `json:"spec" doc:"The design, and what it is tried on."`
}

// ScenarioSpec is the design and what it is tried on.
type ScenarioSpec struct {
	Cluster      string        `json:"cluster" doc:"Name of the cluster."`
	Workload     string        `json:"workload" doc:"Name of the workload."`
	Templates    []TemplateUse `json:"templates" doc:"Templates, in order of preference."`
	AgentCeiling *int          `json:"agentCeiling,omitempty" doc:"Most agents of all templates together; absent: none."`
	Nodes        NodeDesign    `json:"nodes,omitempty" doc:"Limits and growth of the node pools."`
	Waiting      units.Price   `json:"waiting,omitempty" doc:"What an hour of someone waiting for a job to start is worth; shown apart from money paid."`
	Run          RunPlan       `json:"run,omitempty" doc:"How long and how often to simulate."`
}

// A TemplateUse is a template with its agents' numbers.
type TemplateUse struct {
	Template string       `json:"template" doc:"Name of the PodTemplate."`
	Agents   AgentNumbers `json:"agents,omitempty" doc:"How many agents, when they start, when they go."`
}

// AgentNumbers are the numbers by which the controller scales one template.
type AgentNumbers struct {
	Reuse    Reuse          `json:"reuse,omitempty" doc:"never: one job for each agent; while-idle: an agent takes the next job that fits."`
	Floor    int            `json:"floor,omitempty" doc:"Fewest agents."`
	Ceiling  *int           `json:"ceiling,omitempty" doc:"Most agents; absent: none."`
	Spare    int            `json:"spare,omitempty" doc:"Idle agents kept ready ahead of demand."`
	Linger   units.Duration `json:"linger,omitempty" doc:"How long an idle agent beyond floor and spare is kept."`
	Every    units.Duration `json:"every,omitempty" doc:"Time between two rounds of the controller; 0s: at once, whenever something happens."`
	Step     int            `json:"step,omitempty" doc:"Most agents started in one round; 0: no limit."`
	Settle   units.Duration `json:"settle,omitempty" doc:"How long every job must have found an idle agent before agents are taken away."`
	Calendar []AgentPeriod  `json:"calendar,omitempty" doc:"Other numbers in parts of the week; the first that covers a moment counts."`
}

// Defaults fills what the numbers may leave out.
func (a *AgentNumbers) Defaults() {
	a.Reuse, a.Every, a.Linger = WhileIdle, 5*units.Second, 5*units.Minute
}

// An AgentPeriod gives floor, ceiling and spare for a part of the week.
type AgentPeriod struct {
	When    units.Period `json:"when" doc:"Part of the week."`
	Zone    units.Zone   `json:"zone,omitzero" doc:"Time zone; absent: the workload's."`
	Floor   *int         `json:"floor,omitempty" doc:"Fewest agents then; absent: as otherwise."`
	Ceiling *int         `json:"ceiling,omitempty" doc:"Most agents then; absent: as otherwise."`
	Spare   *int         `json:"spare,omitempty" doc:"Idle agents kept ready then; absent: as otherwise."`
}

// Reuse says whether an agent takes more than one job.
type Reuse string

// The ways to reuse agents.
const (
	Never     Reuse = "never"
	WhileIdle Reuse = "while-idle"
)

// Values lists what a document may say.
func (Reuse) Values() []string { return []string{string(Never), string(WhileIdle)} }

// NodeDesign is what a scenario decides about nodes.
type NodeDesign struct {
	Pools     map[string]PoolLimits `json:"pools,omitempty" doc:"Limits by pool; absent: the cluster's own."`
	Growth    Growth                `json:"growth,omitempty" doc:"How pools grow and shrink."`
	Placement Placement             `json:"placement,omitempty" doc:"spread: pods go to the node with most room; pack: with least."`
}

// Defaults fills what the design may leave out.
func (n *NodeDesign) Defaults() { n.Placement = Spread }

// PoolLimits bound a pool.
type PoolLimits struct {
	Min *int `json:"min,omitempty" doc:"Fewest nodes; absent: the cluster's."`
	Max *int `json:"max,omitempty" doc:"Most nodes; absent: the cluster's."`
}

// Growth says how pools grow for pods that do not fit, and shrink when empty.
type Growth struct {
	Scan        units.Duration `json:"scan,omitempty" doc:"Time between two looks at pods that do not fit."`
	Patience    units.Duration `json:"patience,omitempty" doc:"How long a pod stays unplaceable before a pool grows."`
	Choose      Choice         `json:"choose,omitempty" doc:"Which pool grows: cheapest (price of the nodes for each pod helped), tightest (least room left over), listed (first that can)."`
	ShrinkAfter units.Duration `json:"shrinkAfter,omitempty" doc:"How long a node without agents is kept."`
}

// Defaults fills what growth may leave out.
func (g *Growth) Defaults() {
	g.Scan, g.Choose, g.ShrinkAfter = 10*units.Second, Cheapest, 10*units.Minute
}

// Choice says which pool grows.
type Choice string

// The ways to choose a pool.
const (
	Cheapest Choice = "cheapest"
	Tightest Choice = "tightest"
	Listed   Choice = "listed"
)

// Values lists what a document may say.
func (Choice) Values() []string { return []string{string(Cheapest), string(Tightest), string(Listed)} }

// Placement says which of the nodes with room a pod goes to.
type Placement string

// The ways to place pods.
const (
	Spread Placement = "spread"
	Pack   Placement = "pack"
)

// Values lists what a document may say.
func (Placement) Values() []string { return []string{string(Spread), string(Pack)} }

// RunPlan says how long and how often to simulate.
type RunPlan struct {
	Span    units.Duration `json:"span,omitempty" doc:"Simulated time in which jobs arrive."`
	Warmup  units.Duration `json:"warmup,omitempty" doc:"First part of the span, left out of every figure."`
	Repeats int            `json:"repeats,omitempty" doc:"Runs with independent draws; intervals come from their spread."`
	Seed    uint64         `json:"seed,omitempty" doc:"Seed of every draw."`
}

// Defaults fills what a plan may leave out.
func (r *RunPlan) Defaults() { r.Span, r.Repeats, r.Seed = units.Week, 8, 1 }
