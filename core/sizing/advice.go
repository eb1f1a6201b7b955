package sizing

import (
	"cmp"
	"errors"
	"fmt"
	"math"
	"slices"
	"strings"

	"tachyphor/core/chance"
	"tachyphor/core/document"
	"tachyphor/core/fleet"
	"tachyphor/core/template"
	"tachyphor/core/units"

	corev1 "k8s.io/api/core/v1"
)

// DefaultStretch is how many times as long work may take on a full node when nobody
// says otherwise.
const DefaultStretch = 1.1

// A Question is what to size and on what nodes.
type Question struct {
	Template *document.Document
	Cluster  *document.Document
	Pool     string // absent: of the pools that take its agents the one that can have most nodes
	Class    string // only runs of this class count
	Wish     Wish
	Stretch  float64 // allowed on a full node, ≥ 1; 0: DefaultStretch
	Now      float64 // seconds since 1970; ages count from it
}

// Evidence is what an advice rests on.
type Evidence struct {
	Runs     int      `json:"runs" doc:"Runs."`
	Killed   int      `json:"killed" doc:"Runs that were ended for memory."`
	Evicted  int      `json:"evicted" doc:"Runs that were ended for disk."`
	Slowed   int      `json:"slowed" doc:"Runs that were throttled for more than a hundredth of their time."`
	From     float64  `json:"from" doc:"Beginning of the first, seconds since 1970."`
	To       float64  `json:"to" doc:"End of the last, seconds since 1970."`
	Samples  int      `json:"samples" doc:"Samples behind them."`
	Interval float64  `json:"interval" doc:"Usual time between samples, seconds."`
	Oddities Oddities `json:"oddities" doc:"What was wrong with samples and worked around."`
}

// An Advice is requests for a template with all that they rest on.
type Advice struct {
	Template string          `json:"template" doc:"Name of the template."`
	Revision int             `json:"revision" doc:"Its revision that was sized; 0: it is not stored."`
	Class    string          `json:"class,omitempty" doc:"Class whose runs count; absent: all."`
	Cluster  string          `json:"cluster" doc:"Name of the cluster."`
	Pool     string          `json:"pool" doc:"Pool on whose nodes it was weighed."`
	NodeType string          `json:"nodeType" doc:"Type of its nodes."`
	Node     fleet.Amounts   `json:"node" doc:"What a node has; disk 0: its type does not say."`
	Room     fleet.Amounts   `json:"room" doc:"What of that agents can have."`
	Currency string          `json:"currency" doc:"Currency of prices."`
	HalfLife float64         `json:"halfLife" doc:"Seconds after which a run counts half as much; 0: all count alike."`
	Allowed  float64         `json:"allowed" doc:"How many times as long work may take on a full node."`
	Evidence Evidence        `json:"evidence" doc:"What it rests on."`
	Now      Point           `json:"now" doc:"Today's requests."`
	Best     Point           `json:"best" doc:"The requests to have."`
	Met      bool            `json:"met" doc:"The allowed stretch is met; otherwise they are those that stretch least."`
	NowLimit Limits          `json:"nowLimit" doc:"Today's limits."`
	Memory   PeakAdvice      `json:"memory" doc:"What memory rests on."`
	Disk     PeakAdvice      `json:"disk" doc:"What disk rests on."`
	CPU      []string        `json:"cpu" doc:"What CPU rests on, in sentences."`
	Curve    []Point         `json:"curve" doc:"Other requests of CPU with the same memory and disk, from the largest."`
	Choices  []Choice        `json:"choices" doc:"What other shares of runs would ask of memory."`
	Below    []Overcommit    `json:"below" doc:"What requesting less memory than the limit would risk."`
	Classes  []ClassUse      `json:"classes" doc:"What each class used, where it is known."`
	Splits   []Division      `json:"splits" doc:"One template or several, by class."`
	Verdict  string          `json:"verdict" doc:"Whether to split, in a sentence; empty where classes are not known."`
	Bound    float64         `json:"splitBound" doc:"Share of cost that no cut by memory alone into two sizes could save more than, were each run's need known beforehand."`
	Peaks    []Bin           `json:"peaks" doc:"How peaks of memory are spread."`
	Hours    Ribs            `json:"overTime" doc:"CPU in use over the time of a run."`
	Words    []string        `json:"words" doc:"The advice, in sentences."`
	Note     string          `json:"note" doc:"The evidence in one line, as it is noted in the template."`
	Edits    []document.Edit `json:"edits" doc:"The changes of the template; none when nothing is better."`
}

// Limits are what a container may have; 0: no limit.
type Limits struct {
	CPU    units.MilliCPU `json:"cpu" doc:"Limit of CPU; 0: none."`
	Memory units.Bytes    `json:"memory" doc:"Limit of memory; 0: none."`
	Disk   units.Bytes    `json:"disk" doc:"Limit of ephemeral storage; 0: none."`
}

// ErrNoRuns says that there is nothing to size from.
var ErrNoRuns = errors.New("no runs to size from")

// Advise sizes a template from what its runs used.
func Advise(q Question, runs []Run) (*Advice, error) {
	q.Wish = q.Wish.Defaults()
	if q.Stretch == 0 {
		q.Stretch = DefaultStretch
	}
	agent, faults := template.Read(q.Template)
	if len(faults) > 0 {
		return nil, faults.Err()
	}
	if q.Class != "" {
		runs = ofClass(runs, q.Class)
	}
	if len(runs) == 0 {
		return nil, ErrNoRuns
	}
	runs = slices.SortedStableFunc(slices.Values(runs), func(a, b Run) int { // wherever they came from
		return cmp.Or(cmp.Compare(a.Began, b.Began), strings.Compare(a.Pod, b.Pod), strings.Compare(a.Container, b.Container))
	})
	if q.Now == 0 {
		for i := range runs {
			q.Now = max(q.Now, runs[i].Ended())
		}
	}
	a := &Advice{
		Template: q.Template.Name, Class: q.Class, Cluster: q.Cluster.Name, HalfLife: q.Wish.HalfLife.Seconds(), Allowed: q.Stretch,
		Evidence: evidence(runs), Memory: Memory(runs, q.Now, q.Wish), Disk: Disk(runs, q.Now, q.Wish),
		Classes: []ClassUse{}, Splits: []Division{}, Edits: []document.Edit{},
	}
	spec := &q.Cluster.Value.(*document.Cluster).Spec
	names := fleet.ExtendedNames(agent)
	site, found := openSite(spec, agent, names, q.Pool)
	if !found {
		if q.Pool != "" {
			return nil, fmt.Errorf("the cluster %s has no pool %s that may have nodes", q.Cluster.Name, q.Pool)
		}
		return nil, fmt.Errorf("no pool of the cluster %s takes its agents: labels or taints keep them off; name one with the "+
			"pool option to weigh them there", q.Cluster.Name)
	}
	a.Pool, a.NodeType, a.Currency = site.Name, site.Type, spec.Currency
	a.Node, a.Room = nodeOf(spec, site)
	p := q.Template.Value.(*document.PodTemplate)
	at, _ := template.AgentContainer(p)
	own := p.Template.Spec.Containers[at]
	arena := arena{spec: &p.Template.Spec, at: at, site: site, room: a.Room, names: names, agent: agent, seed: chance.Root(1, 0)}
	here := arena.with(runs, q.Wish, q.Now)

	today := requested(own)
	a.NowLimit = Limits{agent.Limit.CPU, agent.Limit.Memory, agent.Limit.Disk}
	a.Now = here.weigh(today.CPU, today.Memory, today.Disk)
	here.trial(&a.Memory)
	memory, disk := chosen(a.Memory, today.Memory), chosen(a.Disk, today.Disk)
	a.Curve = here.curve(memory, disk, max(enough, q.Stretch))
	a.Best, a.Met = cheapest(a.Curve, q.Stretch)
	if a.Best.Agents == 0 {
		return nil, fmt.Errorf("not one agent with %s of memory goes on a node of %s (%s); weigh it on another pool", memory.Short(),
			site.Name, site.Type)
	}
	here.grow(a)
	a.Choices = here.choices(runs, q, a.Best)
	a.Below = here.below(runs, a)
	a.divide(here, runs, q)
	a.Peaks = histogram(runs, max(a.NowLimit.Memory, today.Memory, memory))
	a.Hours = overTime(runs)
	a.tell(own, here, q.Now)
	a.Edits = a.edits(at, own)
	return a, nil
}

// nodeOf is what a site's node has, and what of it agents can have.
func nodeOf(spec *document.ClusterSpec, site fleet.Site) (node, room fleet.Amounts) {
	for _, t := range spec.NodeTypes {
		if t.Name == site.Type {
			node = fleet.Amounts{CPU: t.CPU, Memory: t.Memory, Disk: t.Disk}
		}
	}
	room = fleet.Amounts{CPU: site.Room.CPU, Memory: site.Room.Memory, Disk: min(site.Room.Disk, node.Disk)}
	return node, room
}

// ofClass returns the runs of a class.
func ofClass(runs []Run, class string) []Run {
	var out []Run
	for _, r := range runs {
		if r.Class == class {
			out = append(out, r)
		}
	}
	return out
}

func evidence(runs []Run) Evidence {
	e := Evidence{Runs: len(runs), From: math.Inf(1), To: math.Inf(-1)}
	var intervals []float64
	for i := range runs {
		r := &runs[i]
		e.From, e.To = min(e.From, r.Began), max(e.To, r.Ended())
		e.Samples += r.Samples
		e.Oddities.Add(r.Oddities)
		intervals = append(intervals, r.Interval)
		if r.Killed {
			e.Killed++
		}
		if r.Evicted {
			e.Evicted++
		}
		if r.Throttled > r.Wall/100 {
			e.Slowed++
		}
	}
	slices.Sort(intervals)
	e.Interval = intervals[len(intervals)/2]
	return e
}

// requested is what a container requests; a limit without a request is one.
func requested(c corev1.Container) template.Request {
	amount := func(name corev1.ResourceName) (q int64, milli int64) {
		x, ok := c.Resources.Requests[name]
		if !ok {
			x = c.Resources.Limits[name]
		}
		return min(x.Value(), 1<<56), min(x.MilliValue(), 1<<56)
	}
	_, cpu := amount(corev1.ResourceCPU)
	memory, _ := amount(corev1.ResourceMemory)
	disk, _ := amount(corev1.ResourceEphemeralStorage)
	return template.Request{CPU: units.MilliCPU(cpu), Memory: units.Bytes(memory), Disk: units.Bytes(disk)}
}
