package document

import (
	"fmt"
	"slices"
	"strings"

	"tachyphor/core/units"
)

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
	Limits       []Shared      `json:"limits,omitempty" doc:"Most agents of several templates together, as under one licence."`
	Changes      []Raise       `json:"changes,omitempty" doc:"What is changed by hand at a moment, as when somebody raises a ceiling or rolls a changed template out."`
	Events       []Mishap      `json:"events,omitempty" doc:"Trouble that comes over many at once, as on a bad day."`
	Nodes        NodeDesign    `json:"nodes,omitempty" doc:"Limits and growth of the node pools."`
	Quota        Quota         `json:"quota,omitempty" doc:"Quota of the agents' namespace."`
	Caching      []CacheRule   `json:"caching,omitempty" doc:"Cache plans; the first that names a class counts, and a class that none names has no cache."`
	Waiting      units.Price   `json:"waiting,omitempty" doc:"What an hour of someone waiting for a job to start is worth; shown apart from money paid."`
	Aims         []string      `json:"aims,omitempty" doc:"What the design must keep, as in 95 % of all jobs start within 60s: each outcome says whether it does; the words are in docs/exploring.md."`
	Run          RunPlan       `json:"run,omitempty" doc:"How long and how often to simulate."`
}

// A Quota bounds what all agents together may request. Absent amounts are not
// bounded.
type Quota struct {
	Pods   *int            `json:"pods,omitempty" doc:"Most pods."`
	CPU    *units.MilliCPU `json:"cpu,omitempty" doc:"Most CPU requested."`
	Memory *units.Bytes    `json:"memory,omitempty" doc:"Most memory requested."`
}

// String writes the quota as a document does in a line; empty: it bounds nothing.
func (q Quota) String() string {
	var parts []string
	if q.Pods != nil {
		parts = append(parts, fmt.Sprintf("pods: %d", *q.Pods))
	}
	if q.CPU != nil {
		parts = append(parts, fmt.Sprintf("cpu: %s", *q.CPU))
	}
	if q.Memory != nil {
		parts = append(parts, fmt.Sprintf("memory: %s", *q.Memory))
	}
	if len(parts) == 0 {
		return ""
	}
	return "{" + strings.Join(parts, ", ") + "}"
}

// A CacheRule gives some classes a cache plan.
type CacheRule struct {
	Classes []string       `json:"classes,omitempty" doc:"Classes it is for; absent: all."`
	Plan    CachePlan      `json:"plan" doc:"none; archive: packed into the store; volume: a disk of its own; node-disk: left on the node; baked: part of the image, which is made anew."`
	Save    SaveRule       `json:"save,omitempty" doc:"Which builds save an archive, of those that end well."`
	Every   units.Duration `json:"every,omitempty" doc:"With save: every, the least age of the entry that a build replaces. With plan baked, the time from one image to the next; absent: a day."`
	SavedBy SavedBy        `json:"savedBy,omitempty" doc:"trunk: change requests only read; all: they save too."`
	Scope   CacheScope     `json:"scope,omitempty" doc:"What has an entry of its own. project: each project; class: each class; branch: each change request of a project too, which saves into its own whatever savedBy says, and reads the trunk's where it has none."`
	// AfterFailure is for builds whose workspace is good though they failed.
	AfterFailure bool           `json:"afterFailure,omitempty" doc:"Builds that failed keep their workspace too, for the next to go on from."`
	Expires      units.Duration `json:"expires,omitempty" doc:"Age at which an entry is no longer used; absent: never."`
	Copies       int            `json:"copies,omitempty" doc:"With plan volume: volumes for each project or class."`
	Size         units.Bytes    `json:"size,omitempty" doc:"With plan volume: size of each, which is paid for."`
}

// Defaults fills what a rule may leave out.
func (c *CacheRule) Defaults() {
	c.Save, c.SavedBy, c.Scope, c.Copies = WhenChanged, ByTrunk, ByProject, 1
}

// RuleOf is the rule that a class has, the first that names it or all; -1: none.
func RuleOf(rules []CacheRule, class string) int {
	return slices.IndexFunc(rules, func(r CacheRule) bool { return len(r.Classes) == 0 || slices.Contains(r.Classes, class) })
}

// ScopeOf names those who share a workspace with a class: its project, or it alone.
func (c *CacheRule) ScopeOf(class, project string) string {
	if c.Scope != ByClass && project != "" {
		return project
	}
	return class
}

// Rebuilt is the time from one image with workspaces to the next.
func (c *CacheRule) Rebuilt() units.Duration {
	if c.Every > 0 {
		return c.Every
	}
	return units.Day
}

// CachePlan says how workspaces are kept between agents.
type CachePlan string

// The cache plans.
const (
	NoCache  CachePlan = "none"
	Archive  CachePlan = "archive"
	Volume   CachePlan = "volume"
	NodeDisk CachePlan = "node-disk"
	Baked    CachePlan = "baked"
)

// Values lists what a document may say.
func (CachePlan) Values() []string {
	return []string{string(NoCache), string(Archive), string(Volume), string(NodeDisk), string(Baked)}
}

// SaveRule says which builds save.
type SaveRule string

// The save rules.
const (
	EverySuccess SaveRule = "every-success"
	WhenChanged  SaveRule = "when-changed"
	SaveEvery    SaveRule = "every"
	NeverSave    SaveRule = "never"
)

// Values lists what a document may say.
func (SaveRule) Values() []string {
	return []string{string(EverySuccess), string(WhenChanged), string(SaveEvery), string(NeverSave)}
}

// SavedBy says which branches save.
type SavedBy string

// Who saves.
const (
	ByTrunk SavedBy = "trunk"
	ByAll   SavedBy = "all"
)

// Values lists what a document may say.
func (SavedBy) Values() []string { return []string{string(ByTrunk), string(ByAll)} }

// CacheScope says what has an entry of its own.
type CacheScope string

// The scopes.
const (
	ByProject CacheScope = "project"
	ByClass   CacheScope = "class"
	ByBranch  CacheScope = "branch"
)

// Values lists what a document may say.
func (CacheScope) Values() []string {
	return []string{string(ByProject), string(ByClass), string(ByBranch)}
}

// A TemplateUse is a template with its agents' numbers.
type TemplateUse struct {
	Template string       `json:"template" doc:"Name of the PodTemplate."`
	Agents   AgentNumbers `json:"agents,omitempty" doc:"How many agents, when they start, when they go."`
	// OutOfService is when no job is given to its agents and none is started.
	OutOfService []Away `json:"outOfService,omitempty" doc:"When it is out of service: no agent is started and none is given a job; jobs at work go on, and agents on their way take the job that they were started for."`
}

// AgentNumbers are the numbers by which the controller scales one template.
type AgentNumbers struct {
	Reuse          Reuse          `json:"reuse,omitempty" doc:"never: one job for each agent; while-idle: an agent takes the next job that fits."`
	Floor          int            `json:"floor,omitempty" doc:"Fewest agents."`
	Ceiling        *int           `json:"ceiling,omitempty" doc:"Most agents; absent: none."`
	Spare          int            `json:"spare,omitempty" doc:"Idle agents kept ready ahead of demand."`
	Prefer         Prefer         `json:"prefer,omitempty" doc:"Which idle agent a job gets: newest, the one idle last, so that those beyond need stay idle and go; oldest, the one idle longest, so that all stay in use."`
	Linger         units.Duration `json:"linger,omitempty" doc:"How long an idle agent beyond floor and spare is kept."`
	MostJobs       int            `json:"mostJobs,omitempty" doc:"Jobs after which an agent goes and a fresh one takes its place where one is needed; 0: no limit."`
	MostAge        units.Duration `json:"mostAge,omitempty" doc:"Time since it joined after which an agent takes no more jobs and goes, those of the floor too; the job it has is finished before. Absent: no limit."`
	Every          units.Duration `json:"every,omitempty" doc:"Time between two rounds of the controller; 0s: at once, whenever something happens."`
	Step           int            `json:"step,omitempty" doc:"Most agents started in one round; 0: no limit."`
	Settle         units.Duration `json:"settle,omitempty" doc:"How long every job must have found an idle agent before agents are taken away."`
	NeedsOneAgent  bool           `json:"needsOneAgent,omitempty" doc:"The controller takes no job for the template unless an agent of it is there, or was lately."`
	OneAgentWithin units.Duration `json:"oneAgentWithin,omitempty" doc:"With needsOneAgent: how long after its end an agent counts."`
	Calendar       []AgentPeriod  `json:"calendar,omitempty" doc:"Other numbers in parts of the week; the first that covers a moment counts."`
}

// Defaults fills what the numbers may leave out.
func (a *AgentNumbers) Defaults() {
	a.Prefer = Newest
	a.Reuse, a.Every, a.Linger = WhileIdle, 5*units.Second, 5*units.Minute
}

// Prefer says which idle agent a job gets.
type Prefer string

// The orders in which idle agents are given out.
const (
	Newest Prefer = "newest"
	Oldest Prefer = "oldest"
)

// Values lists what a document may say.
func (Prefer) Values() []string { return []string{string(Newest), string(Oldest)} }

// An AgentPeriod gives floor, ceiling and spare for a part of the week.
type AgentPeriod struct {
	When    units.Period `json:"when" doc:"Part of the week."`
	Zone    units.Zone   `json:"zone,omitzero" doc:"Time zone; absent: the workload's."`
	Floor   *int         `json:"floor,omitempty" doc:"Fewest agents then; absent: as otherwise."`
	Ceiling *int         `json:"ceiling,omitempty" doc:"Most agents then; absent: as otherwise."`
	Spare   *int         `json:"spare,omitempty" doc:"Idle agents kept ready then; absent: as otherwise."`
}

// In returns the numbers that hold in a period of the calendar.
func (a AgentNumbers) In(p AgentPeriod) (floor, spare int, ceiling *int) {
	floor, spare, ceiling = a.Floor, a.Spare, a.Ceiling
	if p.Floor != nil {
		floor = *p.Floor
	}
	if p.Spare != nil {
		spare = *p.Spare
	}
	if p.Ceiling != nil {
		ceiling = p.Ceiling
	}
	return floor, spare, ceiling
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
	Prepull   []Prepull             `json:"prepull,omitempty" doc:"Images that nodes have before agents need them."`
	Placement Placement             `json:"placement,omitempty" doc:"spread: pods go to the node with most room; pack: with least."`
}

// Defaults fills what the design may leave out.
func (n *NodeDesign) Defaults() { n.Placement = Spread }

// Prepull has nodes have images before agents need them.
type Prepull struct {
	By     PrepullBy `json:"by,omitempty" doc:"daemon-set: a pod on every node that is made of them, so that a new node pulls them as soon as it is ready; node-image: they are part of what nodes boot from, which is made anew with them."`
	Images []string  `json:"images,omitempty" doc:"Images as the cluster names them; absent: all that the scenario's templates are made of."`
	Pools  []string  `json:"pools,omitempty" doc:"Pools whose nodes have them; absent: all."`
}

// Defaults fills what it may leave out.
func (p *Prepull) Defaults() { p.By = ByDaemonSet }

// What a pod that holds images on a node requests: it does nothing.
const (
	PrepullCPU    units.MilliCPU = 10
	PrepullMemory units.Bytes    = 32 << 20
)

// PrepullBy says how images come to nodes ahead of agents.
type PrepullBy string

// The ways for images to come to nodes ahead of agents.
const (
	ByDaemonSet PrepullBy = "daemon-set"
	ByNodeImage PrepullBy = "node-image"
)

// Values lists what a document may say.
func (PrepullBy) Values() []string { return []string{string(ByDaemonSet), string(ByNodeImage)} }

// PoolLimits bound a pool.
type PoolLimits struct {
	Min      *int         `json:"min,omitempty" doc:"Fewest nodes; absent: the cluster's."`
	Max      *int         `json:"max,omitempty" doc:"Most nodes; absent: the cluster's."`
	Calendar []PoolPeriod `json:"calendar,omitempty" doc:"Another min in parts of the week; the first that covers a moment counts."`
}

// A PoolPeriod gives a pool's min for a part of the week.
type PoolPeriod struct {
	When units.Period `json:"when" doc:"Part of the week."`
	Zone units.Zone   `json:"zone,omitzero" doc:"Time zone; absent: the workload's."`
	Min  int          `json:"min" doc:"Fewest nodes then."`
}

// Growth says how pools grow for pods that do not fit, and shrink when empty.
type Growth struct {
	Scan        units.Duration `json:"scan,omitempty" doc:"Time between two looks at pods that do not fit."`
	Patience    units.Duration `json:"patience,omitempty" doc:"How long a pod stays unplaceable before a pool grows."`
	Choose      Choice         `json:"choose,omitempty" doc:"Which pool grows: cheapest (price of the nodes for each pod helped), tightest (least room left over), listed (first that can)."`
	ShrinkAfter units.Duration `json:"shrinkAfter,omitempty" doc:"How long a node without agents is kept."`
	Repack      bool           `json:"repack,omitempty" doc:"A node whose agents have all been idle for shrinkAfter goes with them, where other nodes have room for as many; what floor and spare ask for starts anew there."`
	DrainBelow  float64        `json:"drainBelow,omitempty" doc:"Share of a node's room, by what its agents request, below which it is emptied once it has been so for shrinkAfter, the least used first, where the others have room for its agents: it takes no more, its idle ones go, and it goes when those at work have ended. It is opened again for a pod that fits nowhere. Absent: nodes are left until they are empty."`
	SpareRoom   map[string]int `json:"spareRoom,omitempty" doc:"Room kept free for so many more agents of a template, by placeholder pods that give way at once."`
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
	Span    units.Duration `json:"span,omitempty" doc:"Simulated time in which jobs arrive. Absent: as long as the log of a recorded workload is, at most 35d; a week of a made one."`
	Warmup  units.Duration `json:"warmup,omitempty" doc:"Simulated before the span and left out of every figure: with jobs of the same hours of the week. Of a log of less than a day it is the first part of the span."`
	Repeats int            `json:"repeats,omitempty" doc:"Runs with independent draws; intervals come from their spread."`
	Seed    uint64         `json:"seed,omitempty" doc:"Seed of every draw."`
	Alike   *int           `json:"alike,omitempty" doc:"Of recorded jobs: times that jobs like them are drawn and run beside, so that intervals are for weeks like the recorded one and not for that one alone. Absent: as many as repeats, at most 8, and none of a log of more than 200,000 jobs."`
}

// Defaults fills what a plan may leave out.
func (r *RunPlan) Defaults() { r.Repeats, r.Seed = 8, 1 }
