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

// chosen is the request that an advice comes to: its bound, a trial where kills leave
// none, or today's where runs are too few; never less than was seen without a kill.
func chosen(a PeakAdvice, today units.Bytes) units.Bytes {
	switch {
	case a.Request > 0:
		return a.Request
	case a.Trial > 0:
		return a.Trial
	}
	return max(today, a.AtLeast)
}

// Where kills leave no bound, a size to try is a quarter more than what killed runs
// reached, and up to half more where that costs nothing.
const mostTrial = 1.5

func (m *PeakAdvice) leastTrial() units.Bytes { return max(roundUp(m.Least+m.Least/4), m.AtLeast) }

// trial says what size to try where kills leave no bound.
func (a *arena) trial(m *PeakAdvice) {
	if m.Request > 0 || m.Least == 0 {
		return
	}
	m.Trial = m.leastTrial()
}

// mostRoom is how far above the most that was seen a bound is raised where that costs
// nothing.
const mostRoom = 1.25

// grow raises the best memory and disk as far as leaves as many agents on a node: CPU
// or another resource fills it first, and what lies idle beside it protects from kills
// for nothing. A trial grows to half more than what killed runs reached, a bound to a
// quarter more than the most that was seen.
func (a *arena) grow(ad *Advice) {
	b := &ad.Best
	a.raise(b, &b.Memory, &ad.Memory, "memory")
	a.raise(b, &b.Disk, &ad.Disk, "disk")
}

// raise raises one amount of a point in steps of the grain.
func (a *arena) raise(b *Point, amount *units.Bytes, m *PeakAdvice, what string) {
	top := mostRoom * float64(m.Most)
	switch {
	case m.Trial > 0:
		top = mostTrial * float64(m.Least)
	case m.Request == 0:
		return // it stays as it was, or at what was seen
	}
	from := *amount
	for float64(*amount+grain) <= top {
		*amount += grain
		if a.holds(b.CPU, b.Memory, b.Disk) < b.Agents {
			*amount -= grain
			break
		}
	}
	need := a.need(b.CPU, b.Memory, b.Disk)
	b.Pod = fleet.Amounts{CPU: need.CPU, Memory: need.Memory, Disk: need.Disk}
	switch {
	case m.Trial > 0:
		m.Trial = *amount
		m.Words = append(m.Words, fmt.Sprintf("%s is a size to try: %.0f %% more than what they reached, and no more than leaves "+
			"%d agents on a node. After %s runs without a kill a bound can be told.",
			m.Trial.Short(), 100*(float64(m.Trial)/float64(m.Least)-1), b.Agents, units.Count(int64(m.Needs))))
	case *amount > from:
		m.Roomy = *amount
		m.Words = append(m.Words, fmt.Sprintf("%s of %s costs no more, %d agents go on a node either way: that is %s the most that was seen, %s.",
			m.Roomy.Short(), what, b.Agents, above(float64(m.Roomy)/float64(m.Most)), m.Most.Short()))
	}
}

// above says how one amount lies beside another.
func above(ratio float64) string {
	if ratio < 1 {
		return fmt.Sprintf("%.0f %% below", 100*(1-ratio))
	}
	return fmt.Sprintf("%.0f %% above", 100*(ratio-1))
}

// oldDays is the age in days from which on evidence is said to be old.
const oldDays = 30

// tell puts the advice into sentences.
func (a *Advice) tell(own corev1.Container, here *arena, now float64) {
	b, n := a.Best, a.Now
	var cpu []string
	cpu = append(cpu, fmt.Sprintf("Runs use %.2g cores on average and at most %.2g over a minute.", here.mean, here.most))
	if a.Met {
		cpu = append(cpu, fmt.Sprintf("With %s of CPU %d agents go on a node of %s; when all are at work, work takes %s times as "+
			"long%s, and %s with nothing but the request. It is the cheapest that stays within %s.",
			b.CPU, b.Agents, a.NodeType, ratioText(b.Expected), slowest(b), ratioText(b.Guaranteed), ratioText(a.Allowed)))
	} else {
		cpu = append(cpu, fmt.Sprintf("No request keeps within %s on a full node of %s; %s stretches least, to %s%s.", ratioText(a.Allowed),
			a.NodeType, b.CPU, ratioText(b.Expected), slowest(b)))
	}
	if next := a.cheaper(); next != nil {
		cpu = append(cpu, fmt.Sprintf("%s would be %.0f %% cheaper and takes %s times as long%s.", next.CPU, 100*(1-next.PerRun/b.PerRun),
			ratioText(next.Expected), slowest(*next)))
	}
	if _, limited := own.Resources.Limits[corev1.ResourceCPU]; limited {
		cpu = append(cpu, "The limit of CPU goes: it holds work up even when the node is idle, and the request alone keeps neighbours apart.")
	} else {
		cpu = append(cpu, "No limit of CPU: it would hold work up even when the node is idle, and the request alone keeps neighbours apart.")
	}
	if a.Evidence.Slowed > 0 {
		cpu = append(cpu, fmt.Sprintf("%s of the runs were throttled; what they would have used without is not seen, so these "+
			"figures are low.", units.Count(int64(a.Evidence.Slowed))))
	}
	if a.Evidence.Interval > 0 {
		cpu = append(cpu, fmt.Sprintf("CPU was seen every %.3g s; bursts shorter than that stretch more than is told.", a.Evidence.Interval))
	}
	a.CPU = cpu
	a.Words = []string{a.headline(n, b)}
	if age := (now - a.Evidence.To) / 86400; age > oldDays {
		a.Words = append(a.Words, fmt.Sprintf("The newest run is %.0f days old; what was built since may need more or less.", age))
	}
	a.Note = a.note()
}

// slowest names the class that a point holds up most, where it is held up more than
// the others.
func slowest(p Point) string {
	if p.SlowClass == "" || p.Slow < p.Expected+0.005 {
		return ""
	}
	return fmt.Sprintf(" (%s %s)", p.SlowClass, ratioText(p.Slow))
}

// cheaper is the next request that costs less than the best, by stretching more than
// is allowed; nil where none does.
func (a *Advice) cheaper() *Point {
	for i, p := range a.Curve {
		if p.CPU < a.Best.CPU && p.Agents > 0 && p.PerRun < 0.98*a.Best.PerRun {
			return &a.Curve[i]
		}
	}
	return nil
}

// headline is the advice in one sentence.
func (a *Advice) headline(n, b Point) string {
	says := fmt.Sprintf("Request %s of CPU and %s of memory", b.CPU, b.Memory.Short())
	if n.CPU == b.CPU && n.Memory == b.Memory {
		return fmt.Sprintf("Today's %s of CPU and %s of memory are right.", n.CPU, n.Memory.Short())
	}
	says += fmt.Sprintf(" instead of %s and %s", n.CPU, n.Memory.Short())
	if n.Agents == 0 {
		return says + fmt.Sprintf(": %d on %s instead of none.", b.Agents, a.NodeType)
	}
	change := 1 - b.PerRun/n.PerRun
	switch {
	case change > 0.005:
		says += fmt.Sprintf(": %d on %s instead of %d, %.0f %% less for a run", b.Agents, a.NodeType, n.Agents, 100*change)
	case change < -0.005:
		says += fmt.Sprintf(": %d on %s instead of %d, %.0f %% more for a run", b.Agents, a.NodeType, n.Agents, -100*change)
	default:
		says += fmt.Sprintf(": %d on %s as before, for the same money", b.Agents, a.NodeType)
	}
	if a.Evidence.Killed > 0 && b.Memory > n.Memory {
		says += fmt.Sprintf(", and without most of the kills (%.1f %% of runs today)", 100*float64(a.Evidence.Killed)/float64(a.Evidence.Runs))
	}
	return says + "."
}

func ratioText(x float64) string { return fmt.Sprintf("%.2f", x) }

// note is the evidence in one line.
func (a *Advice) note() string {
	var parts []string
	parts = append(parts, fmt.Sprintf("%s runs", units.Count(int64(a.Evidence.Runs))))
	switch m := a.Memory; {
	case m.Request > 0:
		parts = append(parts, fmt.Sprintf("%s below %s memory with %s confidence", percent(m.Share), m.Bound.Short(), percent(m.Sure)))
		if m.Roomy > 0 {
			parts = append(parts, fmt.Sprintf("%s costs no more", m.Roomy.Short()))
		}
	case m.Trial > 0:
		parts = append(parts, fmt.Sprintf("%d killed for memory at %s, %s is a trial", m.Killed, m.Least.Short(), m.Trial.Short()))
	case a.Best.Memory != a.Now.Memory:
		parts = append(parts, fmt.Sprintf("too few for memory, %d more are needed; %s was seen", m.Needs-m.Counted, m.AtLeast.Short()))
	default:
		parts = append(parts, "too few for memory, left as it was")
	}
	parts = append(parts, fmt.Sprintf("%s CPU stretches %s on a full %s", a.Best.CPU, ratioText(a.Best.Expected), a.NodeType))
	if a.Disk.Request > 0 {
		parts = append(parts, fmt.Sprintf("%s below %s disk", percent(a.Disk.Share), a.Disk.Bound.Short()))
	}
	return strings.Join(parts, "; ")
}

// SetsMemory reports whether the advice asks for some memory, rather than leaving it.
func (a *Advice) SetsMemory() bool {
	return a.Memory.Request > 0 || a.Memory.Trial > 0 || a.Best.Memory != a.Now.Memory
}

// SizedAnnotation is where a template notes what its requests rest on.
const SizedAnnotation = "tachyphor/sized"

// edits are the changes that make a template ask for the best point.
func (a *Advice) edits(at int, own corev1.Container) []document.Edit {
	out := []document.Edit{}
	path := func(list, name string) string {
		return document.Pointer("template", "spec", "containers", at, "resources", list, name)
	}
	set := func(list string, have corev1.ResourceList, name corev1.ResourceName, value string, same bool) {
		if _, there := have[name]; there && same {
			return
		}
		out = append(out, document.Edit{Op: "add", Path: path(list, string(name)), Value: value})
	}
	r := own.Resources
	b := a.Best
	set("requests", r.Requests, corev1.ResourceCPU, b.CPU.String(), a.Now.CPU == b.CPU)
	if a.SetsMemory() {
		set("requests", r.Requests, corev1.ResourceMemory, b.Memory.String(), a.Now.Memory == b.Memory)
		set("limits", r.Limits, corev1.ResourceMemory, b.Memory.String(), a.NowLimit.Memory == b.Memory)
	}
	if a.Disk.Request > 0 || a.Now.Disk != b.Disk {
		set("requests", r.Requests, corev1.ResourceEphemeralStorage, b.Disk.String(), a.Now.Disk == b.Disk)
		set("limits", r.Limits, corev1.ResourceEphemeralStorage, b.Disk.String(), a.NowLimit.Disk == b.Disk)
	}
	if _, there := r.Limits[corev1.ResourceCPU]; there {
		out = append(out, document.Edit{Op: "remove", Path: path("limits", "cpu")})
	}
	if len(out) == 0 {
		return out
	}
	return append(out, document.Edit{Op: "add", Path: document.Pointer("metadata", "annotations", SizedAnnotation), Value: a.Note})
}
