// Package template reads a Kubernetes PodTemplate as an agent: what it offers,
// what it reserves on a node, which images it needs.
package template

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"tachyphor/core/document"
	"tachyphor/core/units"

	corev1 "k8s.io/api/core/v1"
	"k8s.io/apimachinery/pkg/api/resource"
	resources "k8s.io/component-helpers/resource"
)

// Annotations in which a PodTemplate says what Kubernetes has no field for.
const (
	OffersAnnotation    = "tachyphor/offers"
	TakesAnnotation     = "tachyphor/takes"
	ContainerAnnotation = "tachyphor/agent-container"
	ToolsAnnotation     = "tachyphor/boot-tools"
	JoinsAnnotation     = "tachyphor/joins"
	WithoutAnnotation   = "tachyphor/without-tool"
)

// A Request is what one agent reserves on a node while it lives.
// The zero Request reserves nothing and fits wherever there is room for a pod.
// Requests are comparable.
type Request struct {
	CPU    units.MilliCPU // ≥ 0
	Memory units.Bytes    // ≥ 0
	Disk   units.Bytes    // ephemeral storage, ≥ 0
}

// An Agent is a pod template as the simulation sees it.
type Agent struct {
	Name      string
	Offers    []string // sorted, each once
	Named     bool     // it takes only jobs that want something it offers
	Container string   // name of the container that runs jobs
	Request   Request  // effective request, as the scheduler charges it
	// Scoring is the request by which nodes are scored: a container that names
	// no CPU counts as 100m, one that names no memory as 200 MiB.
	Scoring Request
	// Extended are effective requests of extended resources, by name; only those
	// above 0.
	Extended   map[string]int64
	Where      Where
	Near       Neighbours
	Images     []string // of all containers, each once, in the order they are pulled
	Containers []int    // for each init and ordinary container, its image as an index into Images
	// Always says of each image whether a container asks the registry for it even
	// when the node has it.
	Always []bool
	// Limit is what the agent's own container may have; amounts that are not
	// limited are 0.
	Limit    Request
	Weight   units.MilliCPU // CPU that its container requests: its weight when CPU is short
	Tools    []string       // installed at boot
	Early    bool           // it joins while they are still being installed
	Gropes   bool           // a job of an early one fails that needs a tool which is not there yet; otherwise it waits
	Claims   []string       // persistent volume claims that it mounts
	Class    string         // priority class; empty when none is named
	Priority int32          // the pod's own, where it says
	// StandsBack says that its pods push no others off nodes (preemptionPolicy: Never).
	StandsBack bool
}

// What a template takes of the jobs that want nothing it does not offer.
const (
	TakesAny   = "any"   // all; where it says nothing
	TakesNamed = "named" // those that want something
)

// When agents join whose boot installs tools, and what becomes of a job that needs one which is not there.
const (
	AfterTools  = "after-tools"  // once all are there; where it says nothing
	BeforeTools = "before-tools" // while they are being installed
	JobWaits    = "job-waits"    // until it is there; where it says nothing
	JobFails    = "job-fails"    // at once
)

// What a container without a request counts as when nodes are scored.
// Source: k8s.io/kubernetes/pkg/scheduler/util (DefaultMilliCPURequest).
const (
	scoringCPU    = 100
	scoringMemory = 200 << 20
)

// Read reads the PodTemplate in d. The faults name what keeps it from being an
// agent.
func Read(d *document.Document) (Agent, document.Faults) {
	p := d.Value.(*document.PodTemplate)
	a := Agent{Name: d.Name}
	var faults document.Faults
	a.Offers = Words(Annotated(p, OffersAnnotation))
	slices.Sort(a.Offers)
	a.Offers = slices.Compact(a.Offers)
	if len(a.Offers) == 0 {
		faults = append(faults, d.Fault("metadata.annotations", "no offers",
			"say what the agent can do, as in "+OffersAnnotation+": linux, go"))
	}
	a.Container, faults = container(d, p, faults)
	spec := &p.Template.Spec
	for _, x := range notPlaced(spec) {
		faults = append(faults, d.Fault("template.spec."+x, x,
			"is not simulated yet, and would change where agents go; leave it out of this template for now"))
	}
	for i, c := range spec.Containers {
		for _, b := range BelowRequest(c) {
			faults = append(faults, d.Fault(fmt.Sprintf("template.spec.containers[%d].resources.limits.%s", i, b.Resource), b.Limit.String(),
				"must not be below the request of "+b.Request.String()))
		}
	}
	bare := FromSpec(a.Name, spec)
	var wrong []WrongRule
	bare.Near, wrong = NeighboursOf(cmp.Or(p.Template.Namespace, p.Namespace), p.Template.Labels, spec)
	for _, w := range wrong {
		faults = append(faults, d.Fault("template.spec."+w.Field, w.Value, w.Reason))
	}
	// either reports which of two words an annotation says; where it says nothing, it is the usual one.
	either := func(key, usual, other, expected string) bool {
		says := strings.TrimSpace(Annotated(p, key))
		if says != "" && says != usual && says != other {
			faults = append(faults, d.Fault("metadata.annotations", key+": "+says, "expected "+expected))
		}
		return says == other
	}
	bare.Named = either(TakesAnnotation, TakesAny, TakesNamed,
		TakesNamed+" (only jobs that want something it offers) or "+TakesAny+" (also those that want nothing)")
	bare.Early = either(JoinsAnnotation, AfterTools, BeforeTools,
		AfterTools+" (agents join once the boot tools are there) or "+BeforeTools+" (while they are being installed)")
	bare.Gropes = either(WithoutAnnotation, JobWaits, JobFails,
		JobWaits+" (a job waits for the boot tool that it needs) or "+JobFails+" (it fails at once)")
	bare.Offers, bare.Container, bare.Tools = a.Offers, a.Container, Words(Annotated(p, ToolsAnnotation))
	bare.limits(spec)
	a = bare
	return a, faults
}

// A Below is a limit that is below its request, which the API server refuses.
type Below struct {
	Resource       corev1.ResourceName
	Request, Limit resource.Quantity
}

// BelowRequest lists a container's limits that are below their requests, by the
// resources' names.
func BelowRequest(c corev1.Container) []Below {
	var out []Below
	for name, q := range c.Resources.Requests {
		if limit, ok := c.Resources.Limits[name]; ok && limit.Cmp(q) < 0 {
			out = append(out, Below{name, q, limit})
		}
	}
	slices.SortFunc(out, func(a, b Below) int { return strings.Compare(string(a.Resource), string(b.Resource)) })
	return out
}

// Words cuts the words of an annotation apart, at commas and blanks.
func Words(s string) []string {
	return strings.FieldsFunc(s, func(r rune) bool { return r == ',' || r == ' ' })
}

// limits reads what the agent's container may have. What the container does not
// limit the pod may, and a container that limits CPU without requesting it
// requests as much.
func (a *Agent) limits(spec *corev1.PodSpec) {
	for _, c := range spec.Containers {
		if c.Name != a.Container {
			continue
		}
		a.Limit = of(c.Resources.Limits, Request{})
		a.Weight = of(c.Resources.Requests, Request{CPU: a.Limit.CPU}).CPU
	}
	if spec.Resources != nil {
		a.Limit = of(spec.Resources.Limits, a.Limit)
	}
}

// readImages lists the images that a pod's containers need.
func (a *Agent) readImages(spec *corev1.PodSpec) {
	for _, list := range [][]corev1.Container{spec.InitContainers, spec.Containers} {
		for _, c := range list {
			at := slices.Index(a.Images, c.Image)
			if at < 0 {
				at = len(a.Images)
				a.Images, a.Always = append(a.Images, c.Image), append(a.Always, false)
			}
			a.Always[at] = a.Always[at] || always(c)
			a.Containers = append(a.Containers, at)
		}
	}
}

// always reports whether a container's image is asked for even when the node has
// it: said so, or left out for an image without a tag or with the tag latest.
func always(c corev1.Container) bool {
	if c.ImagePullPolicy != "" {
		return c.ImagePullPolicy == corev1.PullAlways
	}
	if strings.Contains(c.Image, "@") {
		return false
	}
	_, tag, _ := strings.Cut(c.Image[strings.LastIndexByte(c.Image, '/')+1:], ":")
	return tag == "" || tag == "latest"
}

// FromSpec reads the parts of an agent that placement looks at from a bare pod.
func FromSpec(name string, spec *corev1.PodSpec) Agent {
	a := Agent{
		Name: name, Request: Effective(spec, Request{}), Scoring: Effective(spec, Request{CPU: scoringCPU, Memory: scoringMemory}),
		Extended: extended(spec), Where: whereOf(spec), Class: spec.PriorityClassName,
	}
	a.StandsBack = spec.PreemptionPolicy != nil && *spec.PreemptionPolicy == corev1.PreemptNever
	if spec.Priority != nil {
		a.Priority = *spec.Priority
	}
	for _, v := range spec.Volumes {
		if v.PersistentVolumeClaim != nil {
			a.Claims = append(a.Claims, v.PersistentVolumeClaim.ClaimName)
		}
	}
	a.readImages(spec)
	return a
}

// Annotated returns what a template says in one of its annotations: in its own
// metadata, or in that of its pods.
func Annotated(p *document.PodTemplate, key string) string {
	if v, ok := p.Annotations[key]; ok {
		return v
	}
	return p.Template.Annotations[key]
}

// AgentContainer finds the container that runs jobs: the one that the annotation
// names, the only one, or the one called agent. at is its index, −1 when it
// cannot be told; named is what the annotation says.
func AgentContainer(p *document.PodTemplate) (at int, named string) {
	list := p.Template.Spec.Containers
	named = Annotated(p, ContainerAnnotation)
	is := func(name string) int {
		return slices.IndexFunc(list, func(c corev1.Container) bool { return c.Name == name })
	}
	switch {
	case named != "":
		return is(named), named
	case len(list) == 1:
		return 0, named
	default:
		return is("agent"), named
	}
}

// container names the agent's container, or faults the template.
func container(d *document.Document, p *document.PodTemplate, faults document.Faults) (string, document.Faults) {
	at, named := AgentContainer(p)
	if at >= 0 {
		return p.Template.Spec.Containers[at].Name, faults
	}
	var names []string
	for _, c := range p.Template.Spec.Containers {
		names = append(names, c.Name)
	}
	if named != "" {
		return "", append(faults, d.Fault("metadata.annotations", fmt.Sprintf("%s: %s", ContainerAnnotation, named),
			"no container of that name; there are "+strings.Join(names, ", ")))
	}
	return "", append(faults, d.Fault("template.spec.containers", strings.Join(names, ", "),
		"cannot tell which container is the agent; name it with the annotation "+ContainerAnnotation))
}

// Effective returns the request that the scheduler charges a pod with: of its containers,
// its init containers where they want more, its own where it has them, and its overhead. A
// container that names no CPU, memory or disk counts as unnamed says.
func Effective(spec *corev1.PodSpec, unnamed Request) Request {
	return of(requests(spec, corev1.ResourceList{
		corev1.ResourceCPU:              *resource.NewMilliQuantity(int64(unnamed.CPU), resource.DecimalSI),
		corev1.ResourceMemory:           *resource.NewQuantity(int64(unnamed.Memory), resource.BinarySI),
		corev1.ResourceEphemeralStorage: *resource.NewQuantity(int64(unnamed.Disk), resource.BinarySI),
	}), Request{})
}

// requests are a pod's effective requests, as Kubernetes itself adds them up.
func requests(spec *corev1.PodSpec, unnamed corev1.ResourceList) corev1.ResourceList {
	return resources.PodRequests(&corev1.Pod{Spec: *spec}, resources.PodResourcesOptions{NonMissingContainerRequests: unnamed})
}

// extended returns a pod's effective requests of extended resources.
func extended(spec *corev1.PodSpec) map[string]int64 {
	out := map[string]int64{}
	for name, q := range requests(spec, nil) {
		if n := scaled(q, 0); n > 0 && strings.Contains(string(name), "/") {
			out[string(name)] = n
		}
	}
	return out
}

// of reads a list of requests; what it does not name is as unnamed says.
func of(list corev1.ResourceList, unnamed Request) Request {
	r := unnamed
	if q, ok := list[corev1.ResourceCPU]; ok {
		r.CPU = units.MilliCPU(scaled(q, resource.Milli))
	}
	if q, ok := list[corev1.ResourceMemory]; ok {
		r.Memory = units.Bytes(scaled(q, 0))
	}
	if q, ok := list[corev1.ResourceEphemeralStorage]; ok {
		r.Disk = units.Bytes(scaled(q, 0))
	}
	return r
}

// scaled rounds up, and stays far enough from the largest integer to be added.
func scaled(q resource.Quantity, scale resource.Scale) int64 {
	return min(q.ScaledValue(scale), 1<<56)
}
