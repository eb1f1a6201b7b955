package fleet

import (
	"cmp"
	"fmt"
	"slices"

	"tachyphor/core/document"
	"tachyphor/core/template"
	"tachyphor/core/units"

	corev1 "k8s.io/api/core/v1"
)

// A Site is a pool's nodes as agents find them: what one has for agents, what it
// costs, and what its labels and taints keep off.
type Site struct {
	Name, Type string // of the pool, and of its nodes
	Room       Room   // of an empty node
	Price      units.Price
	Labels     map[string]string
	Taints     []corev1.Taint
}

// SiteOf is a pool of a cluster as agents find it. names numbers the extended resources.
func SiteOf(c *document.ClusterSpec, p *document.Pool, names []string) Site {
	t := TypeOf(c, p)
	s := Site{
		Name: p.Name, Type: t.Name, Room: Allocatable(*t, p.Name, c.DaemonSets, names), Price: t.Price, Labels: Labels(*p),
		Taints: Taints(*p),
	}
	if p.Spot != nil && t.SpotPrice != nil {
		s.Price = *t.SpotPrice
	}
	return s
}

// TypeOf is the type of a pool's nodes; a cluster has those that its pools name.
func TypeOf(c *document.ClusterSpec, p *document.Pool) *document.NodeType {
	return &c.NodeTypes[slices.IndexFunc(c.NodeTypes, func(t document.NodeType) bool { return t.Name == p.NodeType })]
}

// Sites lists the pools of a cluster that may have nodes. names numbers the extended
// resources.
func Sites(c *document.ClusterSpec, names []string) []Site {
	var out []Site
	for i := range c.Pools {
		if p := &c.Pools[i]; p.Max > 0 {
			out = append(out, SiteOf(c, p, names))
		}
	}
	return out
}

// ExtendedNames lists the extended resources that agents ask for, at most as many as
// a world may have.
func ExtendedNames(agents ...template.Agent) []string {
	var names []string
	for _, a := range agents {
		for name := range a.Extended {
			if !slices.Contains(names, name) {
				names = append(names, name)
			}
		}
	}
	slices.Sort(names)
	return names[:min(len(names), MostExtended)]
}

// Need returns what one agent asks of a node of the site.
func (s *Site) Need(a template.Agent, names []string) Need {
	n := Need{Request: a.Request, Single: a.Near.Single(s.Labels)}
	for i, name := range names {
		n.Extended[i] = a.Extended[name]
	}
	return n
}

// Open reports whether agents may go to the site as far as labels and taints decide.
func (s *Site) Open(a template.Agent) bool { return len(s.shuts(a)) == 0 }

// shuts lists in words which labels and taints keep agents off the site.
func (s *Site) shuts(a template.Agent) []string {
	var out []string
	x := s.Stance(&a, &Need{})
	if x.Tainted {
		out = append(out, "a taint it does not tolerate")
	}
	if x.Unwanted {
		out = append(out, "not the labels it wants")
	}
	for _, label := range a.Near.Missing(s.Labels) {
		out = append(out, "no label "+label+", which its rules on neighbours need")
	}
	return out
}

// Short lists in words what an empty node lacks for one agent.
func (s *Site) Short(need *Need) []string {
	lack := s.Room.Lacks(need)
	var out []string
	if lack.CPU {
		out = append(out, (need.CPU-s.Room.CPU).String()+" CPU")
	}
	if lack.Memory {
		out = append(out, (need.Memory-s.Room.Memory).Short()+" of memory")
	}
	if lack.Disk {
		out = append(out, (need.Disk-s.Room.Disk).Short()+" of disk")
	}
	if lack.Pods {
		out = append(out, "room for any pod")
	}
	if lack.Extended != ([MostExtended]bool{}) {
		out = append(out, "a device that it asks for")
	}
	return out
}

// perAgent is a node's price shared by its agents, in the currency's main unit an hour.
func perAgent(p units.Price, agents int) float64 {
	return p.For(units.Hour).Float() / float64(agents)
}

// A Fit is how agents of one template go on the nodes of one pool.
type Fit struct {
	Template string         `json:"template" doc:"Name of the template."`
	Pool     string         `json:"pool" doc:"Name of the pool."`
	NodeType string         `json:"nodeType" doc:"Type of its nodes."`
	CPU      units.MilliCPU `json:"cpu" doc:"What one of its pods asks of CPU."`
	Memory   units.Bytes    `json:"memory" doc:"What it asks of memory."`
	Agents   int            `json:"agents" doc:"Agents that go on one empty node; 0: none."`
	Binds    string         `json:"binds" doc:"What keeps more from it: cpu, memory, disk, pods, an extended resource; neighbours, where a host port or its rules on other pods let only one on a node; empty when none fits."`
	Why      []string       `json:"why" doc:"Where none fits: why."`
	Left     Amounts        `json:"left" doc:"What a full node has left over: stranded, where no other agent can use it."`
	Stranded float64        `json:"stranded" doc:"Share of the binding resource that is left over, 0 to 1."`
	PerHour  float64        `json:"perHour" doc:"What an agent costs an hour on a full node, in the currency's main unit; 0 for one that reserves nothing."`
	PerRun   float64        `json:"perRun" doc:"What a mean run costs while it runs, by what is known of usage; 0: nothing is known."`
	OneMore  *Step          `json:"oneMore,omitempty" doc:"The request a little smaller with which one more would fit; absent when it would have to be much smaller."`
	Steps    []Step         `json:"steps" doc:"Price by request of CPU and memory together: for each number of agents on a node, the largest request that allows it."`
}

// Amounts are CPU, memory and disk.
type Amounts struct {
	CPU    units.MilliCPU `json:"cpu" doc:"CPU."`
	Memory units.Bytes    `json:"memory" doc:"Memory."`
	Disk   units.Bytes    `json:"disk" doc:"Ephemeral storage; of a node type that does not say, without limit."`
}

// A Step is a number of agents on a node with the largest request that allows it.
type Step struct {
	Agents  int            `json:"agents" doc:"Agents on a node."`
	CPU     units.MilliCPU `json:"cpu" doc:"Largest request of CPU."`
	Memory  units.Bytes    `json:"memory" doc:"Largest request of memory."`
	LessCPU units.MilliCPU `json:"lessCpu" doc:"How much less CPU than now; 0: not more than now is asked."`
	LessMem units.Bytes    `json:"lessMemory" doc:"How much less memory than now."`
	PerHour float64        `json:"perHour" doc:"What an agent costs an hour then."`
	Cheaper float64        `json:"cheaper" doc:"Share by which an agent is cheaper than now; below 0: dearer."`
}

// mostLess is the share of a request by which one more agent may ask to lower it.
const mostLess = 0.25

// mostSteps bounds how many agents on a node are looked at.
const mostSteps = 64

// FitOn says how agents of a template go on a site.
func (s *Site) FitOn(a template.Agent, names []string) Fit {
	need := s.Need(a, names)
	f := Fit{
		Template: a.Name, Pool: s.Name, NodeType: s.Type, CPU: need.CPU, Memory: need.Memory, Why: append([]string{}, s.shuts(a)...),
		Steps: []Step{},
	}
	if short := s.Short(&need); len(short) > 0 {
		for _, x := range short {
			f.Why = append(f.Why, "short of "+x)
		}
	}
	f.Steps = s.steps(&need)
	if len(f.Why) > 0 {
		return f
	}
	n, binds, left := s.Room.Holds(&need)
	f.Agents, f.Binds, f.Stranded = n, named(binds, names), left
	f.Left = Amounts{
		s.Room.CPU - need.CPU*units.MilliCPU(n), s.Room.Memory - need.Memory*units.Bytes(n),
		s.Room.Disk - need.Disk*units.Bytes(n),
	}
	if need.CPU == 0 && need.Memory == 0 {
		return f
	}
	f.PerHour = perAgent(s.Price, n)
	for i := range f.Steps {
		x := &f.Steps[i]
		x.Cheaper = 1 - x.PerHour/f.PerHour
		if x.Agents == n+1 && float64(x.LessCPU) <= mostLess*float64(need.CPU) && float64(x.LessMem) <= mostLess*float64(need.Memory) {
			f.OneMore = x
		}
	}
	return f
}

// named gives an extended resource its name.
func named(binds string, names []string) string {
	var i int
	if _, err := fmt.Sscanf(binds, "extended%d", &i); err == nil && i < len(names) {
		return names[i]
	}
	return binds
}

// steps lists for each number of agents on an empty node the largest request of CPU
// and memory that allows it. What else the agent asks for (disk, devices, pods) is
// kept, and ends the list.
func (s *Site) steps(need *Need) []Step {
	most := *need
	most.CPU, most.Memory = 0, 0
	limit, _, _ := s.Room.Holds(&most)
	out := []Step{}
	for k := 1; k <= min(limit, mostSteps); k++ {
		x := Step{Agents: k, CPU: s.Room.CPU / units.MilliCPU(k), Memory: s.Room.Memory / units.Bytes(k), PerHour: perAgent(s.Price, k)}
		if x.CPU <= 0 || x.Memory <= 0 {
			break
		}
		x.LessCPU, x.LessMem = max(need.CPU-x.CPU, 0), max(need.Memory-x.Memory, 0)
		out = append(out, x)
	}
	return out
}

// A Mix is the agents of several templates on one node.
type Mix struct {
	Pool     string  `json:"pool" doc:"Name of the pool."`
	NodeType string  `json:"nodeType" doc:"Type of its nodes."`
	Agents   []int   `json:"agents" doc:"Agents of each template on one node, in the order in which they were named."`
	Worth    float64 `json:"worth" doc:"What these agents would cost an hour each where it costs least alone, in the currency's main unit."`
	Price    float64 `json:"price" doc:"Price of the node an hour."`
	Left     Amounts `json:"left" doc:"What is left over."`
	Proven   bool    `json:"proven" doc:"No mix is worth more; false when the search was cut short."`
}

// mostTried bounds the search for a mix.
const mostTried = 200_000

// BestMix finds the agents on one empty node that are worth most together. worth is
// what an agent of each template is worth an hour, > 0. Of equal mixes it takes the
// one with most agents of the templates named first.
func (s *Site) BestMix(agents []template.Agent, names []string, worth []float64) Mix {
	m := mixing{site: s, room: s.Room, now: make([]int, len(agents)), best: make([]int, len(agents))}
	for i, a := range agents {
		if s.Open(a) && worth[i] > 0 {
			m.items = append(m.items, item{at: i, need: s.Need(a, names), worth: worth[i]})
		}
	}
	slices.SortStableFunc(m.items, func(a, b item) int { return cmp.Compare(m.density(b), m.density(a)) })
	for i := range m.items {
		for j := range m.items[:i] {
			x, y := &agents[m.items[i].at].Near, &agents[m.items[j].at].Near
			if x.Alone(y, s.Labels) {
				m.items[i].apart = append(m.items[i].apart, m.items[j].at)
			}
		}
	}
	m.search(0, 0)
	out := Mix{
		Pool: s.Name, NodeType: s.Type, Agents: m.best, Worth: m.worth, Price: s.Price.For(units.Hour).Float(),
		Proven: m.tried < mostTried,
	}
	left := s.Room
	for _, x := range m.items {
		for range m.best[x.at] {
			left.Take(&x.need, 1)
		}
	}
	out.Left = Amounts{left.CPU, left.Memory, left.Disk}
	return out
}

type item struct {
	at    int
	need  Need
	worth float64
	apart []int // of the items before it, those that are never on one node with it
}

// mixing is a search by branch and bound.
type mixing struct {
	site  *Site
	items []item
	room  Room
	now   []int
	best  []int
	worth float64
	tried int
}

// density is what an item is worth for the largest share of the node that it takes.
func (m *mixing) density(x item) float64 {
	share := max(float64(x.need.CPU)/max(float64(m.site.Room.CPU), 1), float64(x.need.Memory)/max(float64(m.site.Room.Memory), 1),
		1/float64(max(m.site.Room.Pods, 1)))
	return x.worth / share
}

// bound is more than any filling of what is left with the items from one on is
// worth: each resource alone filled with what is worth most for it.
func (m *mixing) bound(from int) float64 {
	cpu, memory, pods := 0.0, 0.0, 0.0
	for _, x := range m.items[from:] {
		cpu = max(cpu, ratio(x.worth, int64(x.need.CPU), int64(m.room.CPU)))
		memory = max(memory, ratio(x.worth, int64(x.need.Memory), int64(m.room.Memory)))
		pods = max(pods, x.worth*float64(max(m.room.Pods, 0)))
	}
	return min(cpu, memory, pods)
}

// ratio is what filling a resource with one item is worth; without end for an item
// that asks for none of it.
func ratio(worth float64, need, room int64) float64 {
	if need <= 0 {
		return 1e18
	}
	return worth * float64(max(room, 0)) / float64(need)
}

func (m *mixing) search(from int, worth float64) {
	m.tried++
	if worth > m.worth+1e-12 {
		m.worth = worth
		copy(m.best, m.now)
	}
	if from == len(m.items) || m.tried >= mostTried || worth+m.bound(from) <= m.worth+1e-12 {
		return
	}
	x := m.items[from]
	n, _, _ := m.room.Holds(&x.need)
	if slices.ContainsFunc(x.apart, func(at int) bool { return m.now[at] > 0 }) {
		n = 0
	}
	before := m.room
	for k := n; k >= 0; k-- {
		m.room = before
		for range k {
			m.room.Take(&x.need, 1)
		}
		m.now[x.at] = k
		m.search(from+1, worth+float64(float64(k)*x.worth))
	}
	m.room, m.now[x.at] = before, 0
}
