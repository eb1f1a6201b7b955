package document

import (
	"fmt"
	"net/netip"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"tachyphor/core/units"

	corev1 "k8s.io/api/core/v1"
	"k8s.io/apimachinery/pkg/util/validation"
)

// Limits on what may be simulated.
const (
	maxAgents  = 100_000
	maxNodesOf = 10_000 // in one pool
	maxSpan    = 400 * units.Day
	maxRepeats = 1000
)

// kind checks the values of one document.
func (c checker) kind(value any) {
	switch v := value.(type) {
	case *PodTemplate:
		c.podTemplate(v)
	case *Cluster:
		c.cluster(&v.Spec)
	case *Workload:
		c.workload(&v.Spec)
	case *Scenario:
		c.scenario(&v.Spec)
	}
}

// unique faults the second use of a name in a list.
func (c checker) unique(path string, n int, name func(int) string) {
	seen := map[string]int{}
	for i := range n {
		if first, twice := seen[name(i)]; twice {
			c.at(fmt.Sprintf("%s[%d].name", path, i), strconv.Quote(name(i)), fmt.Sprintf("the name stands at %s[%d] already; names must differ", path, first))
			continue
		}
		seen[name(i)] = i
	}
}

// within faults a whole number out of range.
func (c checker) within(path string, n, lo, hi int) {
	if n < lo || n > hi {
		c.at(path, strconv.Itoa(n), fmt.Sprintf("expected a whole number from %d to %d", lo, hi))
	}
}

// drawn checks a distribution; example says how its values are written.
func drawn[Q ~int64](c checker, path string, t Drawn[Q], write string) {
	forms := 0
	for _, given := range []bool{t.Fixed != nil, t.Median != nil || t.P95 != nil, t.Mean != nil || t.Shape != nil, t.Min != nil || t.Max != nil, len(t.Samples) > 0} {
		if given {
			forms++
		}
	}
	switch {
	case forms > 1:
		c.at(path, "more than one form", write)
	case (t.Median == nil) != (t.P95 == nil), (t.Min == nil) != (t.Max == nil), t.Shape != nil && t.Mean == nil:
		c.at(path, "half of a form", write)
	case t.Median != nil && !(0 < *t.Median && *t.Median <= *t.P95):
		c.at(path, fmt.Sprintf("median %v, p95 %v", *t.Median, *t.P95), "expected 0 < median ≤ p95")
	case t.Min != nil && *t.Min > *t.Max:
		c.at(path, fmt.Sprintf("min %v, max %v", *t.Min, *t.Max), "expected min ≤ max")
	case t.Shape != nil && !(*t.Shape >= 0.05 && *t.Shape <= 1000):
		c.at(path+".shape", fmt.Sprint(*t.Shape), "expected a number from 0.05 to 1000")
	case len(t.Samples) > 10_000:
		c.at(path+".samples", fmt.Sprint(len(t.Samples), " values"), "expected at most 10000")
	}
}

func (c checker) times(path string, t Times) {
	drawn(c, path, t, "write one of 40s, {fixed: 40s}, {median: 42s, p95: 110s}, {mean: 5m}, {mean: 5m, shape: 3}, {min: 1s, max: 4s}, {samples: [..]}")
}

func (c checker) sizes(path string, t Sizes) {
	drawn(c, path, t, "write one of 3Gi, {fixed: 3Gi}, {median: 3Gi, p95: 5Gi}, {mean: 3Gi}, {mean: 3Gi, shape: 3}, {min: 1Gi, max: 4Gi}, {samples: [..]}")
}

// chance faults a number that is not a probability.
func (c checker) chance(path string, p float64) {
	if !(p >= 0 && p <= 1) {
		c.at(path, fmt.Sprint(p), "expected a number from 0 to 1")
	}
}

func (c checker) podTemplate(p *PodTemplate) {
	spec := p.Template.Spec
	if p.Namespace != "" && len(validation.IsDNS1123Label(p.Namespace)) > 0 {
		c.at("metadata.namespace", strconv.Quote(clip(p.Namespace)), "expected the name of a namespace: small letters, digits and dashes, at most 63")
	}
	if name := spec.ServiceAccountName; name != "" && len(validation.IsDNS1123Subdomain(name)) > 0 {
		c.at("template.spec.serviceAccountName", strconv.Quote(clip(name)), "expected the name of a service account: small letters, digits, dashes and dots")
	}
	c.secrets(&spec)
	if len(spec.Containers) == 0 {
		c.at("template.spec.containers", "none", "a template needs at least one container, its agent")
	}
	c.unique("template.spec.containers", len(spec.Containers), func(i int) string { return spec.Containers[i].Name })
	for i, k := range spec.Containers {
		path := fmt.Sprintf("template.spec.containers[%d]", i)
		for r, q := range k.Resources.Requests {
			if q.Sign() < 0 {
				c.at(path+".resources.requests."+string(r), q.String(), "must not be negative")
			}
		}
		if k.Image == "" {
			c.at(path+".image", "none", "a container needs an image")
		}
	}
}

// secrets holds the names of the Secrets that a pod names against what Kubernetes takes.
func (c checker) secrets(spec *corev1.PodSpec) {
	named := func(path, name string) {
		if name != "" && len(validation.IsDNS1123Subdomain(name)) > 0 {
			c.at("template.spec."+path, strconv.Quote(clip(name)), "expected the name of a Secret: small letters, digits, dashes and dots")
		}
	}
	for i, s := range spec.ImagePullSecrets {
		named(fmt.Sprintf("imagePullSecrets[%d].name", i), s.Name)
	}
	for i, v := range spec.Volumes {
		if v.Secret != nil {
			named(fmt.Sprintf("volumes[%d].secret.secretName", i), v.Secret.SecretName)
		}
		if v.Projected != nil {
			for j, s := range v.Projected.Sources {
				if s.Secret != nil {
					named(fmt.Sprintf("volumes[%d].projected.sources[%d].secret.name", i, j), s.Secret.Name)
				}
			}
		}
	}
	for _, list := range []struct {
		path       string
		containers []corev1.Container
	}{{"initContainers", spec.InitContainers}, {"containers", spec.Containers}} {
		for i, k := range list.containers {
			for j, e := range k.EnvFrom {
				if e.SecretRef != nil {
					named(fmt.Sprintf("%s[%d].envFrom[%d].secretRef.name", list.path, i, j), e.SecretRef.Name)
				}
			}
			for j, e := range k.Env {
				if e.ValueFrom != nil && e.ValueFrom.SecretKeyRef != nil {
					named(fmt.Sprintf("%s[%d].env[%d].valueFrom.secretKeyRef.name", list.path, i, j), e.ValueFrom.SecretKeyRef.Name)
				}
			}
		}
	}
}

func (c checker) cluster(s *ClusterSpec) {
	if len(s.NodeTypes) == 0 {
		c.at("spec.nodeTypes", "none", "a cluster needs at least one node type")
	}
	if len(s.Pools) == 0 {
		c.at("spec.pools", "none", "a cluster needs at least one pool")
	}
	c.unique("spec.nodeTypes", len(s.NodeTypes), func(i int) string { return s.NodeTypes[i].Name })
	c.unique("spec.pools", len(s.Pools), func(i int) string { return s.Pools[i].Name })
	c.unique("spec.images", len(s.Images), func(i int) string { return s.Images[i].Name })
	var types []string
	for i, n := range s.NodeTypes {
		path := fmt.Sprintf("spec.nodeTypes[%d]", i)
		types = append(types, n.Name)
		if n.CPU <= n.Reserved.CPU {
			c.at(path+".reserved.cpu", n.Reserved.CPU.String(), "must leave something of the node's "+n.CPU.String())
		}
		if n.Memory <= n.Reserved.Memory {
			c.at(path+".reserved.memory", n.Reserved.Memory.String(), "must leave something of the node's "+n.Memory.String())
		}
		if n.Disk > 0 && n.Disk <= n.Reserved.Disk {
			c.at(path+".reserved.disk", n.Reserved.Disk.String(), "must leave something of the node's "+n.Disk.String())
		}
		for name, count := range n.Extended {
			if !strings.Contains(name, "/") {
				c.at(join(path+".extended", name), name, "an extended resource has a domain, as in example.org/card")
			}
			c.within(join(path+".extended", name), count, 0, 1_000_000)
		}
		c.within(path+".pods", n.Pods, 1, 10_000)
		c.within(path+".reserved.pods", n.Reserved.Pods, 0, n.Pods)
	}
	c.facts(s)
	spotPrice := func(name string) bool {
		i := slices.IndexFunc(s.NodeTypes, func(n NodeType) bool { return n.Name == name })
		return i < 0 || s.NodeTypes[i].SpotPrice != nil
	}
	for i, p := range s.Pools {
		path := fmt.Sprintf("spec.pools[%d]", i)
		if !slices.Contains(types, p.NodeType) {
			c.at(path+".nodeType", strconv.Quote(p.NodeType), "no such node type in this cluster"+meant(p.NodeType, types))
		}
		c.within(path+".max", p.Max, 0, maxNodesOf)
		c.within(path+".min", p.Min, 0, p.Max)
		c.times(path+".boot", p.Boot)
		c.chance(path+".bootFails", p.BootFails)
		c.chance(path+".noCapacity", p.NoCapacity)
		if (p.BootFails > 0 || p.NoCapacity > 0) && p.RetryAfter < units.Second {
			c.at(path+".retryAfter", p.RetryAfter.String(), "expected at least 1s, so that a pool that gives no nodes is not asked without end")
		}
		c.within(path+".pulls", p.Pulls, 1, 100)
		if p.Spot == nil {
			continue
		}
		if !(p.Spot.PerHour >= 0 && p.Spot.PerHour <= 1000) {
			c.at(path+".spot.perHour", fmt.Sprint(p.Spot.PerHour), "expected a number from 0 to 1000")
		}
		if !spotPrice(p.NodeType) {
			c.at(path+".spot", "a spot pool", "node type "+p.NodeType+" needs a spotPrice")
		}
	}
	c.times("spec.agents.start", s.Agents.Start)
	c.times("spec.agents.join", s.Agents.Join)
	c.times("spec.agents.wipe", s.Agents.Wipe)
}

// facts checks what a cluster says of images, tools, claims and the store.
func (c checker) facts(s *ClusterSpec) {
	var pools []string
	for _, p := range s.Pools {
		pools = append(pools, p.Name)
	}
	c.unique("spec.daemonSets", len(s.DaemonSets), func(i int) string { return s.DaemonSets[i].Name })
	for i, d := range s.DaemonSets {
		for j, p := range d.Pools {
			if !slices.Contains(pools, p) {
				c.at(fmt.Sprintf("spec.daemonSets[%d].pools[%d]", i, j), strconv.Quote(p), "no such pool in this cluster"+meant(p, pools))
			}
		}
	}
	c.unique("spec.links.others", len(s.Links.Others), func(i int) string { return s.Links.Others[i].Name })
	var links []string
	for _, l := range s.Links.Others {
		links = append(links, l.Name)
	}
	sizes := map[string]units.Bytes{}
	for i, image := range s.Images {
		path := fmt.Sprintf("spec.images[%d]", i)
		if (image.Size == 0) == (len(image.Layers) == 0) {
			c.at(path+".size", image.Name, "give either size or layers")
		}
		for j, l := range image.Layers {
			if size, known := sizes[l.Name]; known && size != l.Size {
				c.at(fmt.Sprintf("%s.layers[%d].size", path, j), l.Size.String(), "the layer "+l.Name+" is "+size.String()+" elsewhere; the same name is the same layer")
			}
			sizes[l.Name] = l.Size
		}
		c.times(path+".makeTime", image.MakeTime)
		if image.Link != "" && !slices.Contains(links, image.Link) {
			c.at(path+".link", strconv.Quote(image.Link), "no such link in spec.links.others"+meant(image.Link, links))
		}
	}
	c.unique("spec.agents.tools", len(s.Agents.Tools), func(i int) string { return s.Agents.Tools[i].Name })
	for i, t := range s.Agents.Tools {
		path := fmt.Sprintf("spec.agents.tools[%d]", i)
		c.times(path+".install", t.Install)
		c.chance(path+".fails", t.Fails)
	}
	for i, w := range s.WaysOut {
		if _, err := netip.ParsePrefix(w.CIDR); err != nil {
			c.at(fmt.Sprintf("spec.waysOut[%d].cidr", i), strconv.Quote(w.CIDR), "expected addresses such as 10.40.0.0/16")
		}
		for j, port := range w.Ports {
			c.within(fmt.Sprintf("spec.waysOut[%d].ports[%d]", i, j), port, 1, 65535)
		}
	}
	for path, address := range map[string]string{"spec.controller.inside": s.Controller.Inside, "spec.controller.outside": s.Controller.Outside} {
		if u, err := url.Parse(address); address != "" && (err != nil || u.Scheme == "" || u.Hostname() == "") {
			c.at(path, strconv.Quote(clip(address)), "expected an address such as http://dispatch.slipway.svc:8080")
		}
	}
	c.times("spec.agents.update", s.Agents.Update)
	c.unique("spec.claims", len(s.Claims), func(i int) string { return s.Claims[i].Name })
	c.times("spec.volumes.attach", s.Volumes.Attach)
	c.chance("spec.store.saveFails", s.Store.SaveFails)
}

// circle faults classes that follow each other round and round.
func (c checker) circle(path string, k *JobClass, all []JobClass) {
	at := k
	for range all {
		i := slices.IndexFunc(all, func(x JobClass) bool { return at.Follows != nil && x.Name == at.Follows.Class })
		if i < 0 {
			return
		}
		if at = &all[i]; at.Name == k.Name && at.Follows.Class != k.Name {
			c.at(path+".follows.class", strconv.Quote(k.Follows.Class), "the classes follow each other in a circle")
			return
		}
	}
}

// class checks what a job class may say beyond its work.
func (c checker) class(path string, k *JobClass, all []JobClass, names []string) {
	c.sizes(path+".memory", k.Memory)
	c.sizes(path+".disk", k.Disk)
	c.times(path+".workspace.cold", k.Workspace.Cold)
	c.sizes(path+".workspace.size", k.Workspace.Size)
	c.chance(path+".workspace.changeRate", k.Workspace.ChangeRate)
	for name, p := range map[string]*float64{".parallel": k.Parallel, ".trunkShare": k.TrunkShare, ".workspace.partial": k.Workspace.Partial} {
		if p != nil {
			c.chance(path+name, *p)
		}
	}
	c.within(path+".priority", k.Priority, -1000, 1000)
	c.within(path+".retries", k.Retries, 0, 100)
	if k.Follows == nil {
		return
	}
	c.within(path+".follows.count", k.Follows.Count, 1, 1000)
	c.circle(path, k, all)
	if i := slices.Index(names, k.Follows.Class); i < 0 {
		c.at(path+".follows.class", strconv.Quote(k.Follows.Class), "no such class in this workload"+meant(k.Follows.Class, names))
	} else if names[i] == k.Name {
		c.at(path+".follows.class", strconv.Quote(k.Name), "a class cannot follow itself")
	}
	if len(k.Arrivals.Hours) > 0 || len(k.Arrivals.Bursts) > 0 {
		c.at(path+".arrivals", "arrivals", "a class that follows another has no arrivals of its own")
	}
}

func (c checker) workload(s *WorkloadSpec) {
	if len(s.Classes) == 0 {
		c.at("spec.classes", "none", "a workload needs at least one job class")
	}
	if s.Start.IsZero() {
		c.at("spec.start", "nothing", "expected a time such as 2026-09-14T00:00:00+02:00")
	}
	c.unique("spec.classes", len(s.Classes), func(i int) string { return s.Classes[i].Name })
	var names []string
	for _, k := range s.Classes {
		names = append(names, k.Name)
	}
	for i, k := range s.Classes {
		path := fmt.Sprintf("spec.classes[%d]", i)
		c.class(path, &k, s.Classes, names)
		c.times(path+".work", k.Work)
		if k.Work.IsZero() && s.Jobs == nil {
			c.at(path+".work", "nothing", "say how long a job works, as in {median: 8m, p95: 14m}")
		}
		if !(k.Cores >= 0 && k.Cores <= 10_000) {
			c.at(path+".cores", fmt.Sprint(k.Cores), "expected a number from 0 to 10000")
		}
		for j, h := range k.Arrivals.Hours {
			if !(h.PerHour >= 0 && h.PerHour <= 1e6) {
				c.at(fmt.Sprintf("%s.arrivals.hours[%d].perHour", path, j), fmt.Sprint(h.PerHour), "expected a number from 0 to 1000000")
			}
		}
		for j, b := range k.Arrivals.Bursts {
			c.within(fmt.Sprintf("%s.arrivals.bursts[%d].count", path, j), b.Count, 1, 1_000_000)
		}
	}
	if s.Jobs != nil {
		for ours := range s.Jobs.Columns {
			if !slices.Contains(RecordedColumns(), ours) {
				c.at(join("spec.jobs.columns", ours), strconv.Quote(clip(ours)), "not a column of ours"+meant(ours, RecordedColumns()))
			}
		}
	}
	if s.Jobs != nil && s.Jobs.Cold != nil {
		if !(*s.Jobs.Cold >= 0 && *s.Jobs.Cold <= 1) {
			c.at("spec.jobs.cold", fmt.Sprint(*s.Jobs.Cold), "expected a share from 0 to 1")
		} else if s.Jobs.Cache != RecordedMixed {
			c.at("spec.jobs.cold", fmt.Sprint(*s.Jobs.Cold), "a share of cold jobs goes with cache: mixed")
		}
	}
	if s.Jobs != nil && (s.Jobs.File == "" || len(s.Jobs.File) > 255) {
		c.at("spec.jobs.file", strconv.Quote(clip(s.Jobs.File)), "expected the name of a CSV file beside this document")
	}
}

func (c checker) scenario(s *ScenarioSpec) {
	if len(s.Templates) == 0 {
		c.at("spec.templates", "none", "a scenario needs at least one template")
	}
	seen := map[string]bool{}
	for i, t := range s.Templates {
		path := fmt.Sprintf("spec.templates[%d]", i)
		if seen[t.Template] {
			c.at(path+".template", strconv.Quote(t.Template), "the template is used already; name each once")
		}
		seen[t.Template] = true
		c.agents(path+".agents", t.Agents)
	}
	if s.AgentCeiling != nil {
		c.within("spec.agentCeiling", *s.AgentCeiling, 0, maxAgents)
	}
	for name, p := range s.Nodes.Pools {
		path := join("spec.nodes.pools", name)
		if p.Min != nil {
			c.within(path+".min", *p.Min, 0, maxNodesOf)
		}
		if p.Max != nil {
			c.within(path+".max", *p.Max, 0, maxNodesOf)
		}
		if p.Min != nil && p.Max != nil && *p.Min > *p.Max {
			c.at(path+".min", strconv.Itoa(*p.Min), "must not be above max "+strconv.Itoa(*p.Max))
		}
	}
	c.limits(s)
	for i, r := range s.Caching {
		path := fmt.Sprintf("spec.caching[%d]", i)
		c.within(path+".copies", r.Copies, 1, 10_000)
		switch {
		case r.Plan == Baked:
			if r.Every != 0 && r.Every < units.Hour {
				c.at(path+".every", r.Every.String(), "expected at least 1h")
			}
		case (r.Save == SaveEvery) != (r.Every > 0):
			c.at(path+".every", r.Every.String(), "give every, as in 24h, together with save: every")
		}
	}
	if s.Nodes.Growth.Scan < units.Millisecond {
		c.at("spec.nodes.growth.scan", s.Nodes.Growth.Scan.String(), "expected at least 1ms")
	}
	r := s.Run
	if r.Span != 0 && !(r.Span >= units.Second && r.Span <= maxSpan) {
		c.at("spec.run.span", r.Span.String(), "expected 1s to 400d")
	}
	if r.Span != 0 && r.Warmup >= r.Span {
		c.at("spec.run.warmup", r.Warmup.String(), "must be shorter than the span of "+r.Span.String())
	}
	c.within("spec.run.repeats", r.Repeats, 1, maxRepeats)
}

// limits checks the quota, the pools' calendars and spare room.
func (c checker) limits(s *ScenarioSpec) {
	if s.Quota.Pods != nil {
		c.within("spec.quota.pods", *s.Quota.Pods, 0, maxAgents)
	}
	for name, p := range s.Nodes.Pools {
		for i, x := range p.Calendar {
			path := fmt.Sprintf("%s.calendar[%d].min", join("spec.nodes.pools", name), i)
			c.within(path, x.Min, 0, maxNodesOf)
			if p.Max != nil && x.Min > *p.Max {
				c.at(path, strconv.Itoa(x.Min), "must not be above max "+strconv.Itoa(*p.Max))
			}
		}
	}
	var names []string
	for _, t := range s.Templates {
		names = append(names, t.Template)
	}
	for name, n := range s.Nodes.Growth.SpareRoom {
		path := join("spec.nodes.growth.spareRoom", name)
		if !slices.Contains(names, name) {
			c.at(path, strconv.Quote(name), "the scenario uses no such template"+meant(name, names))
		}
		c.within(path, n, 0, maxAgents)
	}
}

func (c checker) agents(path string, a AgentNumbers) {
	numbers := func(path string, floor, spare int, ceiling *int) {
		c.within(path+".floor", floor, 0, maxAgents)
		c.within(path+".spare", spare, 0, maxAgents)
		if ceiling != nil {
			c.within(path+".ceiling", *ceiling, 0, maxAgents)
			if floor > *ceiling {
				c.at(path+".floor", strconv.Itoa(floor), "must not be above the ceiling of "+strconv.Itoa(*ceiling))
			}
		}
	}
	numbers(path, a.Floor, a.Spare, a.Ceiling)
	for i, p := range a.Calendar {
		floor, spare, ceiling := a.In(p)
		numbers(fmt.Sprintf("%s.calendar[%d]", path, i), floor, spare, ceiling)
	}
	c.within(path+".step", a.Step, 0, maxAgents)
	if a.Every == 0 && a.Step > 0 {
		c.at(path+".step", strconv.Itoa(a.Step), "a step is for each round, and with every: 0s there are no rounds; give every, as in 5s, or leave step out")
	}
	if a.Every > 0 && a.Every < units.Millisecond {
		c.at(path+".every", a.Every.String(), "expected 0s, or at least 1ms")
	}
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
