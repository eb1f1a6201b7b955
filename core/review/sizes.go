package review

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"tachyphor/core/document"
	"tachyphor/core/template"
	"tachyphor/core/units"

	corev1 "k8s.io/api/core/v1"
)

// sizeRules look at CPU and memory.
var sizeRules = []Rule{
	{
		ID: "nothing-requested", Severity: Risky, Title: "The agent reserves nothing",
		Why: "The scheduler counts requests, not use. An agent that requests no CPU or no memory fits on a node that is full, and " +
			"then takes from the agents beside it; when memory runs out it is the first to be evicted.",
		Bad: `template: {spec: {containers: [{name: agent, resources: {requests: {cpu: null}, limits: {cpu: null}}}]}}
`,
		Good: `template: {spec: {containers: [{name: agent, resources: {requests: {cpu: "2", memory: 6Gi}}}]}}
`,
		find: nothingRequested,
	},
	{
		ID: "memory-unlimited", Severity: Risky, Title: "No bound on the agent's memory",
		Why: "Without a limit one leaking job takes the node's memory, and the kernel or the kubelet then kills whoever it finds, " +
			"other teams' agents among them. With a limit the one that leaks is the one that ends.",
		Bad: `template: {spec: {containers: [{name: agent, resources: {limits: {memory: null}}}]}}
`,
		Good: `template: {spec: {containers: [{name: agent, resources: {limits: {memory: 6Gi}}}]}}
`,
		find: memoryUnlimited,
	},
	{
		ID: "limit-below-request", Severity: WillNotWork, Title: "A limit below its request",
		Why: "A container cannot be promised more than it may have. The API server refuses the pod.",
		Bad: `template: {spec: {containers: [{name: agent, resources: {requests: {memory: 6Gi}, limits: {memory: 4Gi}}}]}}
`,
		Good: `template: {spec: {containers: [{name: agent, resources: {requests: {memory: 6Gi}, limits: {memory: 6Gi}}}]}}
`,
		find: limitBelowRequest,
	},
	{
		ID: "cpu-throttled", Severity: Wasteful, Title: "A CPU limit that slows work on an idle node",
		Why: "A CPU limit stops a container for the rest of each tenth of a second once it has had its share, even when nobody " +
			"else wants the CPU. The request already protects the neighbours; the limit only makes the job longer, and the node is paid for longer.",
		Bad: `template: {spec: {containers: [{name: agent, resources: {limits: {cpu: "1"}}}]}}
`,
		Good: `template: {spec: {containers: [{name: agent, resources: {requests: {cpu: "2"}}}]}}
`,
		find: cpuThrottled,
	},
	{
		ID: "fits-nowhere", Severity: WillNotWork, Title: "The agent fits on no node",
		Why: "Requests larger than what any node has for agents are never placed, and no new node of the same kind can help. A " +
			"node has less for agents than its size says: system, kubelet and DaemonSets take their part first.",
		Bad: `template: {spec: {containers: [{name: agent, resources: {requests: {cpu: "8"}}}]}}
`,
		Good: `template: {spec: {containers: [{name: agent, resources: {requests: {cpu: "7"}}}]}}
`,
		find: fitsNowhere,
	},
	{
		ID: "strands-nodes", Severity: Wasteful, Title: "Much of every node is left over",
		Why: "Agents go on a node whole. A request just above a half or a third of a node leaves the rest of it to nobody, and it " +
			"is paid for all the same.",
		Bad: `template: {spec: {containers: [{name: agent, resources: {requests: {cpu: "5"}}}]}}
`,
		Good: `template: {spec: {containers: [{name: agent, resources: {requests: {cpu: 3800m}}}]}}
`,
		find: strandsNodes,
	},
}

func nothingRequested(x *subject) {
	if x.c == nil || x.spec.Resources != nil && len(x.spec.Resources.Requests) > 0 {
		return
	}
	var missing []string
	for _, r := range []corev1.ResourceName{corev1.ResourceCPU, corev1.ResourceMemory} {
		_, asked := x.c.Resources.Requests[r]
		_, limited := x.c.Resources.Limits[r] // which stands for a request that is not given
		if !asked && !limited {
			missing = append(missing, map[corev1.ResourceName]string{corev1.ResourceCPU: "CPU", corev1.ResourceMemory: "memory"}[r])
		}
	}
	if len(missing) == 0 {
		return
	}
	x.say(x.path+".resources", "The agent requests no "+strings.Join(missing, " and no ")+
		": the scheduler puts it on nodes that have none left.",
		"Request what a job uses; when that is not known, begin with what the jobs' own figures say and correct it after a week.")
}

func memoryUnlimited(x *subject) {
	if x.c == nil {
		return
	}
	if _, ok := x.c.Resources.Limits[corev1.ResourceMemory]; ok {
		return
	}
	if x.spec.Resources != nil {
		if _, ok := x.spec.Resources.Limits[corev1.ResourceMemory]; ok {
			return
		}
	}
	request, ok := x.c.Resources.Requests[corev1.ResourceMemory]
	if !ok {
		x.say(x.path+".resources", "A job on this agent may take all the memory that its node has.",
			"Set resources.limits.memory, the same as the request.")
		return
	}
	x.say(x.path+".resources", "The agent requests "+request.String()+" and may take all that its node has.",
		"Set the limit to the request: what is promised is then what is there.", set(request.String(), x.ptr, "resources", "limits", "memory"))
}

func limitBelowRequest(x *subject) {
	x.each(func(c *corev1.Container, path string, ptr []any) {
		for _, b := range template.BelowRequest(*c) {
			x.say(path+".resources.limits."+string(b.Resource),
				fmt.Sprintf("%s requests %s of %s and is limited to %s; the API server refuses such a pod.", c.Name, b.Request.String(), b.Resource,
					b.Limit.String()),
				"Raise the limit to the request, or lower the request.", set(b.Request.String(), ptr, "resources", "limits", string(b.Resource)))
		}
	})
}

func cpuThrottled(x *subject) {
	if x.c == nil {
		return
	}
	limit, ok := x.c.Resources.Limits[corev1.ResourceCPU]
	if !ok {
		return
	}
	cores := float64(limit.MilliValue()) / 1000
	var most *document.JobClass
	known := true
	classes := x.classes()
	for _, k := range classes {
		known = known && k.Cores > 0
		if most == nil || k.Cores > most.Cores {
			most = k
		}
	}
	says := ""
	switch {
	case most != nil && most.Cores > cores:
		parallel := 1.0
		if most.Parallel != nil {
			parallel = *most.Parallel
		}
		longer := parallel*most.Cores/cores + (1-parallel)/min(1, cores)
		says = fmt.Sprintf("Jobs of class %s keep %g cores busy and get %g at most: their work takes %.1f times as long, even on "+
			"a node with nothing else to do.", most.Name, most.Cores, cores, longer)
	case most != nil && known:
		return // every job that comes here stays below it
	default:
		says = "The agent is held to " + units.MilliCPU(limit.MilliValue()).String() + " CPU even on a node with nothing else to do."
	}
	fix := []document.Edit{remove(x.ptr, "resources", "limits", "cpu")}
	if _, asked := x.c.Resources.Requests[corev1.ResourceCPU]; !asked { // the limit stood for it
		fix = append([]document.Edit{set(limit.String(), x.ptr, "resources", "requests", "cpu")}, fix...)
	}
	x.say(x.path+".resources.limits.cpu", says, "Leave the CPU limit out and keep the request.", fix...)
}

func fitsNowhere(x *subject) {
	all := x.sites(true)
	if len(all) == 0 {
		return
	}
	var why []string
	told := map[string]bool{}
	for _, s := range all {
		short := s.Short(&s.need)
		open, stance := s.Open(x.agent), s.Stance(&x.agent, &s.need)
		var what string
		switch {
		case open && len(short) == 0:
			return
		case len(short) > 0:
			what = fmt.Sprintf("%s is short of %s", s.Type, listed(short))
		case stance.Tainted:
			what = "pool " + s.pool.Name + " has a taint that it does not tolerate"
		case stance.Unwanted:
			what = "pool " + s.pool.Name + " has not the labels that it wants"
		default:
			what = "pool " + s.pool.Name + " has no label " + listed(x.agent.Near.Missing(s.Labels)) + ", by which its neighbours are told"
		}
		if !told[what] {
			told[what] = true
			why = append(why, what)
		}
	}
	x.say(x.path+".resources.requests", fmt.Sprintf("The pod asks for %s CPU and %s in all, and no node takes it: %s.",
		x.agent.Request.CPU, x.agent.Request.Memory.Short(), strings.Join(why, "; ")),
		"Lower the request to what a node has for agents, or add a pool of larger nodes.")
}

// mostLeft is the share of a node's scarcest resource that may be left over.
const mostLeft = 1.0 / 3

func strandsNodes(x *subject) {
	var best site
	least, count, binds := 1.0, 0, ""
	for _, s := range x.sites(false) {
		n, what, left := s.Room.Holds(&s.need)
		if n == 0 {
			continue
		}
		if left < least {
			best, least, count, binds = s, left, n, what
		}
	}
	if count == 0 || least <= mostLeft {
		return
	}
	if binds == "neighbours" {
		x.say("template.spec", fmt.Sprintf("Only one goes on a node (%s), because of a port of the node that it takes or the pods "+
			"that it keeps apart from, which leaves %.0f %% of the node to nobody.", best.Type, 100*least),
			"Leave the host port or the rule out, or use nodes as small as one agent.")
		return
	}
	scarce := cmp.Or(map[string]string{"cpu": "CPU", "memory": "memory", "disk": "disk"}[binds], "room")
	says := fmt.Sprintf("At best %d %s on a node (%s), which leaves %.0f %% of its %s to nobody", count, several(count, "goes", "go"),
		best.Type, 100*least, scarce)
	do := "Choose a request that divides a node, or node types that it divides."
	switch binds {
	case "cpu":
		says += fmt.Sprintf("; with %v less CPU one more would fit.", x.agent.Request.CPU-best.Room.CPU/units.MilliCPU(count+1))
	case "memory":
		says += fmt.Sprintf("; with %v less memory one more would fit.", (x.agent.Request.Memory - best.Room.Memory/units.Bytes(count+1)).Short())
	default:
		says += "."
	}
	x.say(x.path+".resources.requests", says, do)
}

// diskRules look at ephemeral storage and volumes.
var diskRules = []Rule{
	{
		ID: "disk-unrequested", Severity: Risky, Title: "A large workspace that the scheduler does not know of",
		Why: "Workspaces on the node's disk count only when ephemeral storage is requested. Without it the scheduler packs agents " +
			"until the disk is full, and the kubelet then evicts them in the middle of their jobs.",
		Bad: `template: {spec: {containers: [{name: agent, resources: {requests: {ephemeral-storage: null}}}]}}
`,
		Good: `template: {spec: {containers: [{name: agent, resources: {requests: {ephemeral-storage: 8Gi}}}]}}
`,
		find: diskUnrequested,
	},
	{
		ID: "scratch-unbounded", Severity: Risky, Title: "A volume that may fill the node",
		Why: "An emptyDir without a size limit may grow until the node's disk, or with medium Memory its memory, is used up. " +
			"Everything on the node suffers for one job that writes without end.",
		Bad: `template: {spec: {volumes: [{name: workspace, emptyDir: {sizeLimit: null}}]}}
`,
		Good: `template: {spec: {volumes: [{name: workspace, emptyDir: {sizeLimit: 8Gi}}]}}
`,
		find: scratchUnbounded,
	},
	{
		ID: "volume-one-node", Severity: Risky, Title: "Agents share a volume that goes to one node at a time",
		Why: "A volume that attaches to one node holds every pod that uses it to that node. What the node cannot hold waits, " +
			"whatever other nodes are free, and when the node goes everything stops.",
		Bad: `template: {spec: {volumes: [{name: deps, persistentVolumeClaim: {claimName: shared-deps}}]}}
---
kind: Cluster
spec: {claims: [{name: shared-deps, nodes: one}]}
`,
		Good: `template: {spec: {volumes: [{name: deps, persistentVolumeClaim: {claimName: shared-deps}}]}}
---
kind: Cluster
spec: {claims: [{name: shared-deps, nodes: many}]}
`,
		find: volumeOneNode,
	},
}

// large is the size from which a workspace should be requested.
const large = units.Bytes(1 << 30)

func diskUnrequested(x *subject) {
	if x.c == nil || x.agent.Request.Disk > 0 {
		return
	}
	total := units.Bytes(0)
	for _, v := range x.spec.Volumes {
		if v.EmptyDir != nil && v.EmptyDir.Medium != corev1.StorageMediumMemory && v.EmptyDir.SizeLimit != nil {
			total += units.Bytes(v.EmptyDir.SizeLimit.Value())
		}
	}
	if total < large {
		return
	}
	x.say(x.path+".resources", "Volumes on the node's disk may take "+total.Short()+
		", and the pod requests no ephemeral storage: agents are packed as if they wrote nothing, and evicted when the disk is full.",
		"Request ephemeral-storage for what a workspace takes.", set(total.String(), x.ptr, "resources", "requests", "ephemeral-storage"))
}

func scratchUnbounded(x *subject) {
	unbounded := 0
	for _, v := range x.spec.Volumes {
		if v.EmptyDir != nil && v.EmptyDir.SizeLimit == nil {
			unbounded++
		}
	}
	for i, v := range x.spec.Volumes {
		if v.EmptyDir == nil || v.EmptyDir.SizeLimit != nil {
			continue
		}
		what, fix := "disk", []document.Edit(nil)
		if v.EmptyDir.Medium == corev1.StorageMediumMemory {
			what = "memory"
		} else if x.agent.Request.Disk > 0 && unbounded == 1 {
			fix = append(fix, set(x.agent.Request.Disk.String(), []any{"template", "spec", "volumes", i, "emptyDir", "sizeLimit"}))
		}
		x.say(index("template.spec.volumes", i)+".emptyDir", "The volume "+v.Name+" may grow until the node's "+what+" is used up.",
			"Give it a sizeLimit, for the workspace the same as the request of ephemeral storage.", fix...)
	}
}

func volumeOneNode(x *subject) {
	if x.facts == nil {
		return
	}
	for i, v := range x.spec.Volumes {
		if v.PersistentVolumeClaim == nil {
			continue
		}
		at := slices.IndexFunc(x.facts.Claims, func(c document.Claim) bool { return c.Name == v.PersistentVolumeClaim.ClaimName })
		if at < 0 || x.facts.Claims[at].Nodes != document.OneNode {
			continue
		}
		room := 0
		for _, s := range x.sites(false) {
			n, _, _ := s.Room.Holds(&s.need)
			room = max(room, n)
		}
		ceiling := -1
		for _, u := range x.uses {
			if u.numbers.Ceiling == nil {
				ceiling = -1
				break
			}
			ceiling = max(ceiling, *u.numbers.Ceiling)
		}
		if ceiling >= 0 && ceiling <= room {
			continue
		}
		x.say(index("template.spec.volumes", i)+".persistentVolumeClaim",
			fmt.Sprintf("All agents mount the claim %s, whose volume goes to one node at a time: at most %d of them run, and the "+
				"others wait for that node.", v.PersistentVolumeClaim.ClaimName, room),
			"Use a volume that many nodes can mount, one claim for each agent (ephemeral), or a cache that is copied.")
	}
}
