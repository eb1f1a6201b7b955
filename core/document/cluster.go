package document

import (
	"slices"

	"tachyphor/core/units"

	corev1 "k8s.io/api/core/v1"
)

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

	DaemonSets      []DaemonSet      `json:"daemonSets,omitempty" doc:"Pods that run on every node and take room before agents."`
	Store           Store            `json:"store,omitempty" doc:"The store that archives of the workspace cache are kept in."`
	Volumes         Volumes          `json:"volumes,omitempty" doc:"Volumes that workspaces are kept on."`
	Claims          []Claim          `json:"claims,omitempty" doc:"Persistent volume claims that templates name."`
	Controller      Controller       `json:"controller,omitempty" doc:"The controller that gives jobs to agents: where it is reached, and what it takes of the cluster."`
	WaysOut         []WayOut         `json:"waysOut,omitempty" doc:"Where agents must get to beside the controller and name lookup; everything else may be closed to them."`
	Scheduler       Scheduler        `json:"scheduler,omitempty" doc:"How the scheduler goes on with pods that fit nowhere."`
	PriorityClasses map[string]int32 `json:"priorityClasses,omitempty" doc:"Values of the priority classes that templates name."`
	Measured        []Measured       `json:"measured,omitempty" doc:"Where facts come from that were measured, and how old they are."`
}

// A Scheduler says what becomes of pods that fit nowhere.
type Scheduler struct {
	Backoff    *Backoff `json:"backoff,omitempty" doc:"Pods that were tried in vain are left alone for a while; absent: they are tried as soon as there may be room."`
	Preemption bool     `json:"preemption,omitempty" doc:"Pods push those of lower priority off nodes where that makes room, unless their template has preemptionPolicy: Never; jobs on them are cut short."`
}

// A Backoff is how long a pod is left alone that was tried in vain.
type Backoff struct {
	Initial units.Duration `json:"initial,omitempty" doc:"After the first try; twice as long after each more."`
	Max     units.Duration `json:"max,omitempty" doc:"The longest."`
}

// Defaults fills what a backoff may leave out.
func (b *Backoff) Defaults() { b.Initial, b.Max = units.Second, 10*units.Second }

// Measured says where a fact comes from.
type Measured struct {
	Fact  string        `json:"fact" doc:"Field that it is about, as in store.pack."`
	Value string        `json:"value" doc:"What was measured, as the field has it."`
	At    units.Instant `json:"at" doc:"When, RFC 3339."`
	Where string        `json:"where,omitempty" doc:"On what machine, against what."`
	How   string        `json:"how,omitempty" doc:"How, in a few words."`
	Count int           `json:"count,omitempty" doc:"How many observations it rests on."`
	Low   string        `json:"low,omitempty" doc:"Its median is above this, at 99.9 %."`
	High  string        `json:"high,omitempty" doc:"Its median is below this, at 99.9 %."`

	Spread []units.Duration `json:"spread,omitempty" doc:"Of times, what was measured: the 5th, 25th, 50th, 75th and 95th percentile."`
}

// SpreadAt are the shares below the values of a spread.
var SpreadAt = [5]float64{0.05, 0.25, 0.5, 0.75, 0.95}

// Remeasured is a list in which a fact is measured anew; list stays as it is.
func Remeasured(list []Measured, m Measured) []Measured {
	out := slices.DeleteFunc(slices.Clone(list), func(x Measured) bool { return x.Fact == m.Fact })
	return append(out, m)
}

// Defaults fills what a cluster may leave out.
func (c *ClusterSpec) Defaults() { c.Currency = "EUR" }

// A NodeType is the size and price of one node.
type NodeType struct {
	Name        string         `json:"name" doc:"Name of the node type."`
	CPU         units.MilliCPU `json:"cpu" doc:"CPU of the node."`
	Memory      units.Bytes    `json:"memory" doc:"Memory of the node."`
	Pods        int            `json:"pods,omitempty" doc:"Most pods on a node."`
	Price       units.Price    `json:"price" doc:"Price of a node."`
	Disk        units.Bytes    `json:"disk,omitempty" doc:"Ephemeral storage of the node; absent: not looked at."`
	Extended    map[string]int `json:"extended,omitempty" doc:"Extended resources by name, as in example.org/card: 2."`
	Reserved    Amounts        `json:"reserved,omitempty" doc:"Kept from agents: system and kubelet reservations, eviction threshold, what DaemonSets ask for."`
	ImageStore  units.Bytes    `json:"imageStore,omitempty" doc:"Room for images; above it those unused for longest go. Absent: without limit."`
	CacheDisk   units.Bytes    `json:"cacheDisk,omitempty" doc:"Room for workspaces kept on the node (cache plan node-disk); absent: without limit."`
	LeastCharge units.Duration `json:"leastCharge,omitempty" doc:"Time that is paid for at least."`
	BilledBy    units.Duration `json:"billedBy,omitempty" doc:"Time that is paid for whole once it has begun, as in 1h; absent: none, nodes are billed by the second."`
	Speed       float64        `json:"speed,omitempty" doc:"Speed of its cores beside those that work times were measured on: with 1.2 work takes 1/1.2 of them. Absent: 1."`
	SpotPrice   *units.Price   `json:"spotPrice,omitempty" doc:"Price of a node in a spot pool."`
	Unpack      units.Rate     `json:"unpack,omitempty" doc:"Speed at which a node unpacks what it pulled, in bytes of the compressed image; absent: at once."`
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
	Name        string            `json:"name" doc:"Name of the pool."`
	NodeType    string            `json:"nodeType" doc:"Node type of its nodes."`
	Min         int               `json:"min,omitempty" doc:"Fewest nodes."`
	Max         int               `json:"max" doc:"Most nodes."`
	Boot        Times             `json:"boot,omitempty" doc:"From asking for a node to its being ready."`
	BootsAtOnce int               `json:"bootsAtOnce,omitempty" doc:"Nodes that boot side by side at full speed; one that is asked for while more do takes longer in proportion, with twice as many twice as long. Absent: any number."`
	NotReady    Times             `json:"notReady,omitempty" doc:"The end of the boot in which the cluster knows the node and it is not ready: pods that wait are tried in vain once it is known, and left alone longer where the scheduler has a backoff. Absent: nobody tries before the node is ready."`
	Going       Times             `json:"going,omitempty" doc:"From a node's going to its being gone, which is paid for as well."`
	BootFails   float64           `json:"bootFails,omitempty" doc:"Chance that a node does not come up, 0 to 1; it is paid for until that is seen."`
	NoCapacity  float64           `json:"noCapacity,omitempty" doc:"Chance that asking for a node is refused because there is none to be had, 0 to 1."`
	Outages     *Outages          `json:"outages,omitempty" doc:"Times in which there is no node to be had."`
	RetryAfter  units.Duration    `json:"retryAfter,omitempty" doc:"How long the pool is not asked again after a failed boot or a refusal."`
	Pulls       int               `json:"pulls,omitempty" doc:"Images that a node pulls at the same time."`
	Spot        *Spot             `json:"spot,omitempty" doc:"Its nodes may be taken back, and cost the node type's spot price."`
	Drains      []Window          `json:"drains,omitempty" doc:"Parts of the week in which the pool takes no new agents and does not grow; agents at work finish."`
	Labels      map[string]string `json:"labels,omitempty" doc:"Labels of its nodes, beside kubernetes.io/os: linux and kubernetes.io/arch: amd64, which they can replace."`
	Taints      []Taint           `json:"taints,omitempty" doc:"Taints of its nodes."`
}

// Defaults fills what a pool may leave out.
func (p *Pool) Defaults() { p.Pulls, p.RetryAfter = 1, 2*units.Minute }

// Outages are times in which a pool gives no node: capacity that is short for hours, where
// noCapacity is chance at each asking.
type Outages struct {
	Share  float64 `json:"share" doc:"Share of the time in which there is none, above 0 and below 1."`
	Length Times   `json:"length" doc:"Length of one; the times between are exponential."`
}

// Spot says how nodes are taken back.
type Spot struct {
	PerHour float64        `json:"perHour" doc:"Nodes taken back, per node and hour, on average (exponential)."`
	Bulk    *Bulk          `json:"bulk,omitempty" doc:"Nodes taken back many at once."`
	Notice  units.Duration `json:"notice,omitempty" doc:"Time between the warning and the end; a job that ends within it is saved."`
}

// Bulk says how nodes are taken back many at once, beside those that go by themselves.
type Bulk struct {
	PerWeek float64 `json:"perWeek" doc:"How often in a week, on average (exponential)."`
	Share   float64 `json:"share" doc:"Chance of each node that is ready then to be among them, above 0 and at most 1."`
}

// A Window is a part of the week.
type Window struct {
	When units.Period `json:"when" doc:"Part of the week, as in Sun 02:00-04:00."`
	Zone units.Zone   `json:"zone,omitzero" doc:"Time zone; absent: the workload's."`
}

// A DaemonSet is what one pod on every node asks for.
type DaemonSet struct {
	Name   string         `json:"name" doc:"Name of the DaemonSet."`
	CPU    units.MilliCPU `json:"cpu,omitempty" doc:"CPU that its pod requests."`
	Memory units.Bytes    `json:"memory,omitempty" doc:"Memory that its pod requests."`
	Disk   units.Bytes    `json:"disk,omitempty" doc:"Ephemeral storage that its pod requests."`
	Pools  []string       `json:"pools,omitempty" doc:"Pools on whose nodes it runs; absent: all."`
	Image  string         `json:"image,omitempty" doc:"Image that a new node pulls for it first, before those of agents; absent: nothing is pulled."`
}

// On reports whether the DaemonSet has a pod on each node of a pool.
func (d *DaemonSet) On(pool string) bool { return len(d.Pools) == 0 || slices.Contains(d.Pools, pool) }

// A Store keeps archives of workspaces.
type Store struct {
	Address   string           `json:"address,omitempty" doc:"Address of the store's bucket as agents reach it, as in http://10.41.8.4:9000/workspaces."`
	Size      units.Bytes      `json:"size,omitempty" doc:"Room of the store; above it the entries unused for longest go. Absent: without limit."`
	Pack      units.Rate       `json:"pack,omitempty" doc:"Speed of packing an archive, in bytes of the archive; absent: at once."`
	Unpack    units.Rate       `json:"unpack,omitempty" doc:"Speed of unpacking an archive, in bytes of the archive; absent: at once."`
	SaveFails float64          `json:"saveFails,omitempty" doc:"Chance that a save fails, 0 to 1; the job still succeeds."`
	Price     units.PerGBMonth `json:"price,omitempty" doc:"Price of what is kept."`
	Request   units.PerRequest `json:"request,omitempty" doc:"Price of one restore or save."`
}

// Volumes are disks of their own that are attached where they are needed.
type Volumes struct {
	Attach Times            `json:"attach,omitempty" doc:"Time to attach a volume to a node that did not have it."`
	Detach Times            `json:"detach,omitempty" doc:"Time until a volume is off the node that had it, before another can have it."`
	Price  units.PerGBMonth `json:"price,omitempty" doc:"Price of the volume's size, used or not."`
	Zonal  bool             `json:"zonal,omitempty" doc:"A volume stays in the zone in which it was first attached (label topology.kubernetes.io/zone of the pools, which all must have it then): pods with its claim, if it is for one node, go nowhere else, and a job elsewhere has no workspace of it."`
}

// A Claim is a persistent volume claim that templates may name.
type Claim struct {
	Name  string      `json:"name" doc:"Name of the claim, as templates have it."`
	Nodes ClaimNodes  `json:"nodes,omitempty" doc:"one: pods that use it at the same time are held to one node; many: they may run anywhere."`
	Size  units.Bytes `json:"size,omitempty" doc:"Size, which is paid for at the price of volumes."`
}

// Defaults fills what a claim may leave out.
func (c *Claim) Defaults() { c.Nodes = OneNode }

// ClaimNodes says how many nodes a volume can be attached to.
type ClaimNodes string

// The ways to attach a claim's volume.
const (
	OneNode   ClaimNodes = "one"
	ManyNodes ClaimNodes = "many"
)

// Values lists what a document may say.
func (ClaimNodes) Values() []string { return []string{string(OneNode), string(ManyNodes)} }

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
	Name     string      `json:"name" doc:"Image reference as templates name it."`
	Size     units.Bytes `json:"size,omitempty" doc:"Bytes to pull, compressed; absent where layers are named."`
	Layers   []Layer     `json:"layers,omitempty" doc:"Layers; those that images share are pulled once."`
	Link     string      `json:"link,omitempty" doc:"Name of the link it comes over; absent: the registry's."`
	Agent    string      `json:"agent,omitempty" doc:"Version of the agent in the image, as in 4.2; one older than agents.version updates itself when it joins."`
	MakeTime Times       `json:"makeTime,omitempty" doc:"Time to make the image when an agent starts, for agents described beside the source."`

	Tools     []string `json:"tools,omitempty" doc:"Tools that are in the image; absent: not known."`
	Platforms []string `json:"platforms,omitempty" doc:"Operating systems and architectures it is made for, as in linux/amd64; absent: not known."`
	User      *int64   `json:"user,omitempty" doc:"User id that the image runs as; 0 is root. Absent: not known."`
}

// A Controller is reached at one address by agents in the cluster, at another by
// people outside it.
type Controller struct {
	Inside  string `json:"inside,omitempty" doc:"Address inside the cluster, as in http://dispatch.slipway.svc:8080."`
	Outside string `json:"outside,omitempty" doc:"Address for people outside the cluster."`
	// Where it lives in the cluster itself.
	Pool   string            `json:"pool,omitempty" doc:"Pool on one of whose nodes it runs, which has to have one that stays; absent: it takes no room of agents."`
	CPU    units.MilliCPU    `json:"cpu,omitempty" doc:"CPU that its pod requests."`
	Memory units.Bytes       `json:"memory,omitempty" doc:"Memory that its pod requests."`
	Image  string            `json:"image,omitempty" doc:"Image that it is made of, for the access kit to render it; absent: it is not rendered."`
	Volume *ControllerVolume `json:"volume,omitempty" doc:"Where it keeps its jobs, their history and its settings; absent: in its pod, and nothing is left of them when that goes."`
}

// ControllerVolume is where a controller keeps what it knows.
type ControllerVolume struct {
	Size       units.Bytes `json:"size" doc:"Size, which is paid for at the price of volumes where it is persistent."`
	Persistent bool        `json:"persistent,omitempty" doc:"It stays when the pod or its node goes; otherwise it is the node's disk, and what it knows goes with the node."`
	Path       string      `json:"path,omitempty" doc:"Where it is mounted, as in /var/lib/dispatch."`
}

// Keeps reports whether what the controller knows is there after its node has gone.
func (c *Controller) Keeps() bool { return c.Volume != nil && c.Volume.Persistent }

// A WayOut is a network that agents must reach.
type WayOut struct {
	For   string `json:"for" doc:"What it is for, as in source and packages."`
	CIDR  string `json:"cidr" doc:"Addresses, as in 10.40.0.0/16."`
	Ports []int  `json:"ports,omitempty" doc:"TCP ports; absent: all."`
}

// A Layer is a part of an image.
type Layer struct {
	Name string      `json:"name" doc:"Name of the layer; the same name is the same layer."`
	Size units.Bytes `json:"size" doc:"Bytes to pull, compressed."`
}

// Links are the network links of a cluster.
type Links struct {
	Registry Link        `json:"registry,omitempty" doc:"From the image registry to the nodes."`
	Store    Link        `json:"store,omitempty" doc:"Between the nodes and the cache store."`
	Others   []NamedLink `json:"others,omitempty" doc:"Other links, as to a second registry or out of the cluster; images name theirs, and what jobs fetch and send names its own."`
}

// A NamedLink is a link by name.
type NamedLink struct {
	Name string `json:"name" doc:"Name of the link."`
	Link
	Fee units.Price `json:"fee,omitempty" doc:"Price of the link for the time, used or not, as of a gateway."`
}

// A Link carries data to the cluster and from it; the two ways do not share.
type Link struct {
	Down      units.Rate     `json:"down,omitempty" doc:"Total rate towards the cluster, shared fairly by what flows; absent: without limit."`
	Up        units.Rate     `json:"up,omitempty" doc:"Total rate from the cluster, shared fairly; absent: without limit."`
	PerFlow   units.Rate     `json:"perFlow,omitempty" doc:"Most that one flow towards the cluster gets; absent: the whole link."`
	PerFlowUp units.Rate     `json:"perFlowUp,omitempty" doc:"Most that one flow from the cluster gets; absent: the whole link."`
	Latency   units.Duration `json:"latency,omitempty" doc:"Time before the first byte."`
	Fails     float64        `json:"fails,omitempty" doc:"Chance that a pull of an image over it fails, 0 to 1: what it carried is lost, and it is tried again after 10 s, then 20 s, up to 5 min."`
	Price     units.PerGB    `json:"price,omitempty" doc:"Price of what flows, either way."`
}

// Alone is what one flow gets each way with nobody else on the link; 0: no limit.
func (l *Link) Alone() (down, up units.Rate) {
	alone := func(total, flow units.Rate) units.Rate {
		if total > 0 && (flow == 0 || total < flow) {
			return total
		}
		return flow
	}
	return alone(l.Down, l.PerFlow), alone(l.Up, l.PerFlowUp)
}

// AgentTimes are the steps of an agent's life that do not depend on its job.
type AgentTimes struct {
	Start Times `json:"start,omitempty" doc:"From images present to containers started."`
	Join  Times `json:"join,omitempty" doc:"From containers started to the agent known to the controller."`
	Wipe  Times `json:"wipe,omitempty" doc:"Cleaning the workspace after a job, and the pod's going where it goes."`

	Tools   []Tool      `json:"tools,omitempty" doc:"Tools that templates may install at boot, named in their annotation tachyphor/boot-tools."`
	Version string      `json:"version,omitempty" doc:"Version of the agent that the controller has."`
	Update  Times       `json:"update,omitempty" doc:"Time an agent older than that takes to update itself."`
	Fee     units.Price `json:"fee,omitempty" doc:"Licence fee of an agent for the time it is there."`
}

// A Tool is installed when an agent boots.
type Tool struct {
	Name    string  `json:"name" doc:"Name of the tool."`
	Install Times   `json:"install" doc:"Time to install it."`
	Fails   float64 `json:"fails,omitempty" doc:"Chance that installing fails, 0 to 1; the agent is given up then."`
}
