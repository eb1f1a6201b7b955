package learn

import (
	"cmp"
	"fmt"
	"maps"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"

	"tachyphor/core/document"
	"tachyphor/core/template"
	"tachyphor/core/units"

	corev1 "k8s.io/api/core/v1"
)

// daemonSets tells what runs on every node of a pool and takes room before agents: pods that
// a DaemonSet owns, and those that nodes run by themselves.
func (g *gatherer) daemonSets() {
	type set struct {
		nodes map[string]bool
		need  template.Request
		pools map[int]int
	}
	sets := map[string]*set{}
	for i := range g.Pods {
		p := &g.Pods[i]
		kind, owner := p.Metadata.owner()
		if kind != "DaemonSet" && kind != "Node" || p.Spec.NodeName == "" {
			continue
		}
		if kind == "Node" { // its name ends with that of its node
			owner = strings.TrimSuffix(p.Metadata.Name, "-"+p.Spec.NodeName)
		}
		s := sets[owner]
		if s == nil {
			s = &set{nodes: map[string]bool{}, pools: map[int]int{}}
			sets[owner] = s
		}
		if pool, ok := g.on[p.Spec.NodeName]; ok && !s.nodes[p.Spec.NodeName] {
			s.pools[pool]++
		}
		s.nodes[p.Spec.NodeName] = true
		s.need = template.Effective(&corev1.PodSpec{Containers: p.Spec.Containers, InitContainers: p.Spec.InitContainers}, template.Request{})
	}
	for _, name := range slices.Sorted(maps.Keys(sets)) {
		s := sets[name]
		d := document.DaemonSet{Name: name, CPU: s.need.CPU, Memory: s.need.Memory, Disk: s.need.Disk}
		for i := range g.pools {
			if n := s.pools[i]; 10*n >= 9*len(g.pools[i].nodes) && n > 0 {
				d.Pools = append(d.Pools, g.pools[i].name)
			}
		}
		if len(d.Pools) == 0 {
			continue // it is on a few nodes only
		}
		if len(d.Pools) == len(g.pools) {
			d.Pools = nil
		}
		g.out.spec.DaemonSets = append(g.out.spec.DaemonSets, d)
		g.fact("daemonSets."+name, fmt.Sprintf("%s CPU, %s", d.CPU, d.Memory.Short()), fmt.Sprintf("its pods on %s",
			counted(len(s.nodes), "node", "nodes")),
			len(s.nodes), nil)
	}
}

// leastTimes is how many times there must be for a distribution to be told.
const leastTimes = 3

// wholeSeconds fits times that are told in whole seconds: each is somewhere in the second
// around, and bounds are a second wider on either side.
func wholeSeconds(list []float64) *Sampled {
	spread := make([]float64, len(list))
	slices.Sort(list)
	for i, x := range list {
		turn := float64(float64(i) * 0.6180339887498949) // evenly, however many are alike
		spread[i] = max(0.1, x+turn-float64(int(turn))-0.5)
	}
	f := fitted(spread)
	f.MedianLow, f.MedianHigh = max(0, f.MedianLow-1), f.MedianHigh+1
	f.P95Low, f.P95High = max(0, f.P95Low-1), f.P95High+1
	return f
}

// boots tells how long nodes take: from the event that asked for one, or else from the first
// refusal of a pod that a new node took, to the node's being ready; and of that the end in
// which the cluster knows the node.
func (g *gatherer) boots() {
	asked := map[string]time.Time{} // by pod: when a node was asked for
	waited := map[string]time.Time{}
	for i := range g.Events {
		e := &g.Events[i]
		who := e.about()
		if who.Kind != "Pod" {
			continue
		}
		key := who.Namespace + "/" + who.Name
		switch reason := letters(e.Reason); {
		case strings.Contains(reason, "triggeredscaleup"), strings.Contains(reason, "nominated"), strings.Contains(reason, "provision"):
			if _, ok := asked[key]; !ok {
				asked[key] = e.at()
			}
		case reason == "failedscheduling":
			if _, ok := waited[key]; !ok {
				waited[key] = e.at()
			}
		}
	}
	first := map[string]time.Time{} // by node: when it was asked for, as far as pods on it tell
	sure := map[string]bool{}
	for key, p := range g.pods {
		node := p.Spec.NodeName
		at, ok := asked[key]
		if !ok {
			if at, ok = waited[key]; !ok || sure[node] {
				continue
			}
		} else if !sure[node] {
			sure[node] = true
			delete(first, node)
		}
		if had, ok := first[node]; node != "" && (!ok || at.Before(had)) {
			first[node] = at
		}
	}
	for i := range g.pools {
		p := &g.pools[i]
		var known, whole []float64
		refused, notYet := 0, 0
		for _, n := range p.nodes {
			ready, since := n.ready()
			took := since.Sub(n.Metadata.CreationTimestamp)
			switch {
			case !ready:
				notYet++
				continue
			case took < 0 || took > time.Hour: // it was ready before, and not in between
				continue
			}
			known = append(known, took.Seconds())
			at, ok := first[n.Metadata.Name]
			if !ok || at.After(n.Metadata.CreationTimestamp) || since.Sub(at) > 2*time.Hour {
				continue // the pod came to a node that was there already
			}
			if whole = append(whole, since.Sub(at).Seconds()); !sure[n.Metadata.Name] {
				refused++
			}
		}
		spec := &g.out.spec.Pools[i]
		if len(known) >= leastTimes {
			f := wholeSeconds(known)
			spec.NotReady = f.times()
			g.fact("pools."+p.name+".notReady", says(spec.NotReady), "from a node's creation to its being ready", len(known), f)
		}
		if len(whole) < leastTimes {
			spec.NotReady = document.Times{} // nothing that it is the end of
			guess := units.Duration(90) * units.Second
			spec.Boot = document.Times{Fixed: &guess}
			g.out.Lacks = append(g.out.Lacks,
				fmt.Sprintf("how long a node of %s takes to boot: 90 s is assumed (%s with the events of pods that waited "+
					"for one; nodes were known for %s before they were ready)", p.name, counted(len(whole), "node", "nodes"), medianOf(known)))
			continue
		}
		f := wholeSeconds(whole)
		spec.Boot = f.times()
		how := "from asking for a node to its being ready"
		if refused > 0 {
			how = fmt.Sprintf("from the first refusal of a pod to its node's being ready, for %d of them, so that what asks for nodes is in it", refused)
		}
		if notYet > 0 {
			how += fmt.Sprintf("; %d not ready yet are left out", notYet)
		}
		g.fact("pools."+p.name+".boot", says(spec.Boot), how, len(whole), f)
		if f.Median < fitted(known).Median {
			spec.NotReady = document.Times{}
		}
	}
}

func medianOf(list []float64) string {
	if len(list) == 0 {
		return "an unknown time"
	}
	slices.Sort(list)
	return units.Duration(list[len(list)/2] * 1e9).Short()
}

// says writes times in a line.
func says(t document.Times) string {
	switch {
	case t.Fixed != nil:
		return t.Fixed.String()
	case t.Median != nil:
		return fmt.Sprintf("median %s, p95 %s", *t.Median, *t.P95)
	case t.Mean != nil:
		return fmt.Sprintf("mean %s, shape %g", *t.Mean, *t.Shape)
	case len(t.Samples) > 0:
		return fmt.Sprintf("%d samples, %s to %s", len(t.Samples), t.Samples[0], t.Samples[len(t.Samples)-1])
	}
	return "nothing"
}

// ready tells whether a node is ready, and since when.
func (n *nodeRecord) ready() (bool, time.Time) {
	for _, c := range n.Status.Conditions {
		if c.Type == string(corev1.NodeReady) {
			return c.Status == string(corev1.ConditionTrue), c.LastTransitionTime
		}
	}
	return false, time.Time{}
}

// mostImages is how many images a cluster is learned with.
const mostImages = 200

// agents are the pods that may be agents: those that are not started again.
func (g *gatherer) agents() (out []*podRecord) {
	for i := range g.Pods {
		if p := &g.Pods[i]; p.Spec.RestartPolicy == string(corev1.RestartPolicyNever) {
			out = append(out, p)
		}
	}
	return out
}

// images tells the sizes of images: of the agents' where there are any, else of all that pods
// other than a DaemonSet's have.
func (g *gatherer) images() {
	wanted := map[string]bool{}
	add := func(p *podRecord) {
		for _, list := range [][]corev1.Container{p.Spec.InitContainers, p.Spec.Containers} {
			for _, c := range list {
				wanted[c.Image] = true
			}
		}
	}
	for _, p := range g.agents() {
		add(p)
	}
	if len(wanted) == 0 {
		for i := range g.Pods {
			if kind, _ := g.Pods[i].Metadata.owner(); kind != "DaemonSet" && kind != "Node" {
				add(&g.Pods[i])
			}
		}
	}
	size := map[string]int64{}
	for i := range g.Nodes {
		for _, x := range g.Nodes[i].Status.Images {
			for _, name := range x.Names {
				size[name] = x.SizeBytes
			}
		}
	}
	for i := range g.Events {
		if p, ok := pulled(&g.Events[i]); ok {
			if g.pulled = append(g.pulled, p); p.bytes > 0 {
				size[p.image] = p.bytes
			}
		}
	}
	unknown := 0
	for _, name := range slices.Sorted(maps.Keys(wanted)) {
		n := size[name]
		if n == 0 {
			unknown++
			continue
		}
		if len(g.out.spec.Images) < mostImages {
			g.out.spec.Images = append(g.out.spec.Images, document.Image{Name: name, Size: roundSize(float64(n))})
			g.fact("images."+name, roundSize(float64(n)).Short(), "as nodes and pulls tell it", 1, nil)
		}
	}
	if unknown > 0 {
		g.out.Lacks = append(g.out.Lacks, fmt.Sprintf("the sizes of %s that pods have, which no node has and no pull tells",
			counted(unknown, "image", "images")))
	}
}

// A pull is an image that a node pulled.
type pull struct {
	image       string
	began, took time.Duration // since 1970; without waiting for others
	bytes       int64
	pod         string
}

// pulledForm is how kubelets tell a pull.
var pulledForm = regexp.MustCompile(`^Successfully pulled image "([^"]+)" in ([0-9hmsµn.]+)(?: \(([0-9hmsµn.]+) including waiting\))?(?:\. Image size: ([0-9]+) bytes\.?)?`)

// pulled reads an event that tells a pull.
func pulled(e *eventRecord) (p pull, ok bool) {
	if e.Reason != "Pulled" {
		return p, false
	}
	if !strings.HasPrefix(e.says(), "Successfully pulled") {
		return p, false
	}
	m := pulledForm.FindStringSubmatch(e.says())
	if m == nil {
		return p, false
	}
	took, err := time.ParseDuration(m[2])
	if err != nil || took <= 0 {
		return p, false
	}
	who := e.about()
	p.image, p.took, p.pod = m[1], took, who.Namespace+"/"+who.Name
	p.began = time.Duration(e.at().UnixNano()) - took
	if m[4] != "" {
		p.bytes, _ = strconv.ParseInt(m[4], 10, 64)
	}
	return p, true
}

// leastPull is the smallest image whose pull tells a rate, not only how long it takes to ask.
const leastPull = 20 << 20

// A busyness is how many pulls there are at a time, summed up over time.
type busyness struct {
	at   []time.Duration
	sum  []float64 // seconds of pulls before each of these moments
	many []int     // pulls from there on
}

func busyOf(list []pull) *busyness {
	type edge struct {
		at   time.Duration
		more int
	}
	edges := make([]edge, 0, 2*len(list))
	for _, p := range list {
		edges = append(edges, edge{p.began, 1}, edge{p.began + p.took, -1})
	}
	slices.SortFunc(edges, func(a, b edge) int { return cmp.Compare(a.at, b.at) })
	b := &busyness{}
	now, sum := 0, 0.0
	for i, e := range edges {
		if i > 0 {
			sum += float64(float64(now) * (e.at - edges[i-1].at).Seconds())
		}
		now += e.more
		b.at, b.sum, b.many = append(b.at, e.at), append(b.sum, sum), append(b.many, now)
	}
	return b
}

// before is the seconds of pulls before a moment.
func (b *busyness) before(t time.Duration) float64 {
	i, _ := slices.BinarySearch(b.at, t)
	if i == 0 {
		return 0
	}
	return b.sum[i-1] + float64(float64(b.many[i-1])*(t-b.at[i-1]).Seconds())
}

func (b *busyness) between(from, to time.Duration) float64 { return b.before(to) - b.before(from) }

// pulls tells the rate at which images come: of pulls beside no other, what one gets; and
// where many at once get less each, what they share.
func (g *gatherer) pulls() {
	size := map[string]int64{}
	for _, i := range g.out.spec.Images {
		size[i.Name] = int64(i.Size)
	}
	var list []pull
	for _, p := range g.pulled {
		if p.bytes == 0 {
			p.bytes = size[p.image]
		}
		if p.bytes >= leastPull {
			list = append(list, p)
		}
	}
	busy := busyOf(list)
	var alone, many, shared []float64
	for _, p := range list {
		beside := busy.between(p.began, p.began+p.took)/p.took.Seconds() - 1 // others at the same time, on average
		rate := float64(p.bytes) / p.took.Seconds()
		switch {
		case beside < 0.1:
			alone = append(alone, rate)
		case beside >= 2:
			many, shared = append(many, rate), append(shared, rate*(1+beside))
		}
	}
	switch {
	case len(alone) >= leastTimes:
		f := fitted(alone)
		flow := units.Rate(rounded(f.Median, 3))
		g.out.spec.Links.Registry.PerFlow = flow
		g.fact("links.registry.perFlow", flow.String(), "pulls beside no other: size over time, so that unpacking is in it", len(alone), nil)
		if len(many) >= leastTimes {
			slices.Sort(many)
			slices.Sort(shared)
			if m := many[len(many)/2]; m < 0.8*f.Median {
				total := units.Rate(rounded(shared[len(shared)/2], 3))
				g.out.spec.Links.Registry.Down = max(total, flow)
				g.fact("links.registry.down", g.out.spec.Links.Registry.Down.String(),
					"pulls beside at least two others, which get less each", len(many), nil)
			}
		}
	case len(list) > 0:
		g.out.Lacks = append(g.out.Lacks,
			fmt.Sprintf("how fast images come: only %s of at least 20 MiB beside no other; without a limit they come at once",
				counted(len(alone), "pull", "pulls")))
	default:
		g.out.Lacks = append(g.out.Lacks, "how fast images come: no event tells a pull; without a limit they come at once")
	}
}

// starts tells how long containers take once their images are there: from the pod's being
// placed to the last of its containers' start, without its pulls.
func (g *gatherer) starts() {
	pulls := map[string]time.Duration{}
	for _, p := range g.pulled {
		pulls[p.pod] += p.took
	}
	list := g.agents()
	whose := "pods that are not started again"
	if len(list) < leastTimes {
		list, whose = nil, "all pods"
		for i := range g.Pods {
			if kind, _ := g.Pods[i].Metadata.owner(); kind != "DaemonSet" && kind != "Node" {
				list = append(list, &g.Pods[i])
			}
		}
	}
	var took []float64
	for _, p := range list {
		var placed, last time.Time
		for _, c := range p.Status.Conditions {
			if c.Type == string(corev1.PodScheduled) && c.Status == string(corev1.ConditionTrue) {
				placed = c.LastTransitionTime
			}
		}
		all := len(p.Status.ContainerStatuses) > 0
		for i := range p.Status.ContainerStatuses {
			began := p.Status.ContainerStatuses[i].began()
			all = all && !began.IsZero()
			if began.After(last) {
				last = began
			}
		}
		if !all || placed.IsZero() {
			continue
		}
		if d := last.Sub(placed) - pulls[p.Metadata.Namespace+"/"+p.Metadata.Name]; d > -time.Second && d < 10*time.Minute {
			took = append(took, d.Seconds())
		}
	}
	if len(took) < leastTimes {
		g.out.Lacks = append(g.out.Lacks, "how long containers take to start: no pod tells when it was placed and when it began")
		return
	}
	f := wholeSeconds(took)
	g.out.spec.Agents.Start = f.times()
	g.fact("agents.start", says(g.out.spec.Agents.Start), "from a pod's placing to its last container's start, without pulls, of "+whose+
		"; the records have whole seconds", len(took), f)
}

// rest takes over claims and priority classes, and says what no record tells.
func (g *gatherer) rest() {
	for i := range g.Claims {
		c := &g.Claims[i]
		d := document.Claim{Name: c.Metadata.Name, Nodes: document.OneNode, Size: units.Bytes(amount(c.Spec.Resources.Requests,
			corev1.ResourceStorage, 0))}
		if slices.Contains(c.Spec.AccessModes, string(corev1.ReadWriteMany)) || slices.Contains(c.Spec.AccessModes, string(corev1.ReadOnlyMany)) {
			d.Nodes = document.ManyNodes
		}
		if !slices.ContainsFunc(g.out.spec.Claims, func(x document.Claim) bool { return x.Name == d.Name }) {
			g.out.spec.Claims = append(g.out.spec.Claims, d)
		}
	}
	for i := range g.Pods {
		if s := &g.Pods[i].Spec; s.PriorityClassName != "" && s.Priority != nil && !strings.HasPrefix(s.PriorityClassName, "system-") {
			if g.out.spec.PriorityClasses == nil {
				g.out.spec.PriorityClasses = map[string]int32{}
			}
			g.out.spec.PriorityClasses[s.PriorityClassName] = *s.Priority
		}
	}
	g.out.Lacks = append(g.out.Lacks,
		"how long an agent takes to reach the controller (agents.join), and to be cleaned and go (agents.wipe): only job "+
			"events or a rehearsal tell", "the rates of a cache store: `tachyphor probe` measures them")
}
