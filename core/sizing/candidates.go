package sizing

import (
	"math"
	"slices"

	"tachyphor/core/chance"
	"tachyphor/core/document"
	"tachyphor/core/fleet"
	"tachyphor/core/template"
	"tachyphor/core/units"

	corev1 "k8s.io/api/core/v1"
	"k8s.io/apimachinery/pkg/api/resource"
)

// A Point is what one choice of requests comes to on nodes that are full of these
// agents, all of them at work.
type Point struct {
	CPU    units.MilliCPU `json:"cpu" doc:"Request of CPU of the agent's container."`
	Memory units.Bytes    `json:"memory" doc:"Request of memory."`
	Disk   units.Bytes    `json:"disk" doc:"Request of ephemeral storage."`
	Agents int            `json:"agents" doc:"Agents on a node."`
	Binds  string         `json:"binds" doc:"What keeps more from it; empty when none fits."`
	Pod    fleet.Amounts  `json:"pod" doc:"What a whole pod asks for, its other containers included."`
	Left   fleet.Amounts  `json:"left" doc:"What a node full of them has left over: stranded, where nobody else can use it."`
	// Guaranteed is the stretch with no more CPU than is requested.
	Guaranteed float64 `json:"guaranteed" doc:"How many times as long work takes with no more CPU than requested; 0: nothing is guaranteed."`
	Worst      float64 `json:"worst" doc:"The same for the run in twenty that it holds up most; 0: nothing is guaranteed."`
	Expected   float64 `json:"expected" doc:"How many times as long work takes on a full node, on average; 0: none fits."`
	Low        float64 `json:"expectedLow" doc:"Lower end of its 95 % interval."`
	High       float64 `json:"expectedHigh" doc:"Upper end of its 95 % interval."`
	Slow       float64 `json:"slow" doc:"The same for the class that is held up most."`
	SlowClass  string  `json:"slowClass,omitempty" doc:"Name of that class; absent where classes are not known."`
	PerHour    float64 `json:"perHour" doc:"What an agent costs an hour on a full node, in the currency's main unit."`
	PerRun     float64 `json:"perRun" doc:"What a run costs while it runs, stretch included."`
}

// An arena is where requests are weighed: a template's pods, the nodes of a pool, and
// what runs used.
type arena struct {
	spec  *corev1.PodSpec
	at    int // the agent's container
	site  fleet.Site
	room  fleet.Amounts // of a node, for agents
	names []string      // extended resources
	agent template.Agent

	curves  []Curve
	groups  []int // each run's class, as an index into classes
	classes []string
	weights []float64
	wall    float64 // mean time of a run, seconds
	most    float64 // most cores of any run
	mean    float64 // mean cores
	seed    chance.Key
}

// mostGroups bounds how many classes' stretch is told apart; those seen later count
// with the first.
const mostGroups = 64

// with returns the arena with other runs.
func (a arena) with(runs []Run, w Wish, now float64) *arena {
	a.curves, a.weights, a.groups, a.classes = nil, nil, nil, nil
	a.wall, a.most, a.mean = 0, 0, 0
	sum, cpu, busy := 0.0, 0.0, 0.0
	for i := range runs {
		r := &runs[i]
		weight := w.weight(r, now)
		class := slices.Index(a.classes, r.Class)
		if class < 0 && len(a.classes) < mostGroups {
			class = len(a.classes)
			a.classes = append(a.classes, r.Class)
		}
		a.groups = append(a.groups, max(class, 0))
		a.curves, a.weights = append(a.curves, r.Curve), append(a.weights, weight)
		sum, a.wall = sum+weight, a.wall+float64(weight*r.Wall.Seconds())
		cpu, busy = cpu+float64(weight*r.CPU.Seconds()), busy+float64(weight*r.Curve.Seconds())
		a.most = max(a.most, r.PeakCores)
	}
	if sum > 0 {
		a.wall /= sum
	}
	if busy > 0 {
		a.mean = cpu / busy
	}
	return &a
}

// need is what one agent asks of a node with other requests of its container.
func (a *arena) need(cpu units.MilliCPU, memory, disk units.Bytes) fleet.Need {
	spec := *a.spec
	spec.Containers = slices.Clone(spec.Containers)
	c := &spec.Containers[a.at]
	c.Resources.Requests = corev1.ResourceList{}
	for name, q := range a.spec.Containers[a.at].Resources.Requests {
		c.Resources.Requests[name] = q
	}
	set := func(name corev1.ResourceName, q *resource.Quantity, n int64) {
		if n > 0 {
			c.Resources.Requests[name] = *q
		} else {
			delete(c.Resources.Requests, name)
		}
	}
	set(corev1.ResourceCPU, resource.NewMilliQuantity(int64(cpu), resource.DecimalSI), int64(cpu))
	set(corev1.ResourceMemory, resource.NewQuantity(int64(memory), resource.BinarySI), int64(memory))
	set(corev1.ResourceEphemeralStorage, resource.NewQuantity(int64(disk), resource.BinarySI), int64(disk))
	agent := a.agent
	agent.Request = template.Effective(&spec, template.Request{})
	return a.site.Need(agent, a.names)
}

// holds is how many agents with such requests go on a node.
func (a *arena) holds(cpu units.MilliCPU, memory, disk units.Bytes) int {
	need := a.need(cpu, memory, disk)
	n, _, _ := a.site.Room.Holds(&need)
	return n
}

// perHour is what one of so many agents on a node costs an hour.
func (a *arena) perHour(agents float64) float64 {
	return a.site.Price.For(units.Hour).Float() / agents
}

// perRun is what a mean run costs with so many agents on a node, stretched.
func (a *arena) perRun(agents int, stretch float64) float64 {
	return a.perHour(float64(agents)) * a.wall / 3600 * stretch
}

// weigh says what a choice comes to.
func (a *arena) weigh(cpu units.MilliCPU, memory, disk units.Bytes) Point {
	p := Point{CPU: cpu, Memory: memory, Disk: disk}
	need := a.need(cpu, memory, disk)
	p.Pod = fleet.Amounts{CPU: need.CPU, Memory: need.Memory, Disk: need.Disk}
	n, binds, _ := a.site.Room.Holds(&need)
	p.Left = a.left(&need, n)
	if cpu > 0 {
		p.Guaranteed, p.Worst = a.guaranteed(cpu.Cores())
	}
	if n == 0 || a.site.Room.Lacks(&need).Short() {
		return p
	}
	p.Agents, p.Binds = n, binds
	p.PerHour = a.perHour(float64(n))
	beside := a.need(0, memory, disk).CPU * units.MilliCPU(n) // other containers of the pods
	s := Contend(a.curves, a.weights, a.groups, (a.site.Room.CPU - beside).Cores(), n, a.seed)
	p.Expected, p.Low, p.High = s.Mean, s.Low, s.High
	for g, x := range s.Groups {
		if x > p.Slow {
			p.Slow, p.SlowClass = x, a.classes[g]
		}
	}
	p.PerRun = a.perRun(n, p.Expected)
	return p
}

// left is what a node has left over of what agents can have, with n of them on it.
func (a *arena) left(need *fleet.Need, n int) fleet.Amounts {
	return fleet.Amounts{
		CPU: max(0, a.room.CPU-need.CPU*units.MilliCPU(n)), Memory: max(0, a.room.Memory-need.Memory*units.Bytes(n)),
		Disk: max(0, a.room.Disk-need.Disk*units.Bytes(n)),
	}
}

// guaranteed is the stretch of all runs together, and the 95th percentile of runs,
// with no more than the given cores.
func (a *arena) guaranteed(cores float64) (mean, p95 float64) {
	had, takes := 0.0, 0.0
	each := make([]float64, 0, len(a.curves))
	for i, c := range a.curves {
		s, t := c.Under(cores), float64(c.Seconds()*a.weights[i])
		had, takes = had+t, takes+float64(t*s)
		each = append(each, s)
	}
	if had == 0 {
		return 1, 1
	}
	slices.Sort(each)
	return takes / had, each[(95*len(each)+99)/100-1]
}

// cpuGrain is what requests of CPU are rounded down to.
const cpuGrain = 10 // thousandths of a core

// mostCandidates bounds how many requests of CPU are weighed.
const mostCandidates = 40

// candidates are the requests of CPU worth weighing, from the largest: for each number
// of agents on a node the largest that allows it, no more than any run used, down to
// what half of the mean use would need and to where something else binds.
func (a *arena) candidates(memory, disk units.Bytes) []units.MilliCPU {
	free := a.need(0, memory, disk)
	others := free.CPU
	free.CPU = 0
	limit, _, _ := a.site.Room.Holds(&free)
	most := units.MilliCPU(math.Ceil(a.most*10)) * 100
	var out []units.MilliCPU
	for k := 1; k <= limit && len(out) < mostCandidates; k++ {
		cpu := min((a.site.Room.CPU/units.MilliCPU(k)-others)/cpuGrain*cpuGrain, max(most, cpuGrain))
		if cpu < cpuGrain || len(out) > 0 && cpu.Cores() < a.mean/2 {
			break
		}
		if len(out) > 0 && out[len(out)-1] == cpu {
			continue
		}
		out = append(out, cpu)
	}
	return out
}

// enough is the stretch beyond which no more is to be learned.
const enough = 1.6

// curve weighs the candidates, from the largest on, until one stretches work of some
// class more than that.
func (a *arena) curve(memory, disk units.Bytes, until float64) []Point {
	var out []Point
	for _, cpu := range a.candidates(memory, disk) {
		p := a.weigh(cpu, memory, disk)
		out = append(out, p)
		if p.Slow > until {
			break
		}
	}
	return out
}

// cheapest finds the least dear point that stretches no class more than is allowed;
// of equal ones the first. ok is false when none is allowed: then it is the one that
// stretches least.
func cheapest(points []Point, allowed float64) (best Point, ok bool) {
	for _, p := range points {
		if p.Agents == 0 {
			continue
		}
		fine := p.Slow <= allowed
		switch {
		case best.Agents == 0,
			fine && !ok,
			fine == ok && fine && p.PerRun < best.PerRun*(1-1e-9),
			fine == ok && !fine && p.Slow < best.Slow:
			best, ok = p, fine
		}
	}
	return best, ok
}

// openSite chooses the pool that requests are weighed on: the named one, or of those
// that take the agents the one that can have most nodes, the cheaper of equals.
func openSite(spec *document.ClusterSpec, agent template.Agent, names []string, pool string) (site fleet.Site, found bool) {
	most := -1
	for _, s := range fleet.Sites(spec, names) {
		nodes := 0
		for _, p := range spec.Pools {
			if p.Name == s.Name {
				nodes = p.Max
			}
		}
		if pool != "" && s.Name != pool || pool == "" && !s.Open(agent) {
			continue
		}
		if nodes > most || nodes == most && s.Price < site.Price {
			site, most, found = s, nodes, true
		}
	}
	return site, found
}
