package kit

import (
	"cmp"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"tachyphor/core/document"
	agents "tachyphor/core/template"
	"tachyphor/core/units"

	corev1 "k8s.io/api/core/v1"
	"k8s.io/apimachinery/pkg/api/resource"
)

// bounds are the amounts of the quota and the limit range.
type bounds struct {
	Pods              int
	CPU, Memory, Disk string   // requests
	Sum               []string // how they come about
	DefaultMemory     string
	MostMemory        string
}

// spareAgents are agents on their way out that still count while others start.
const spareAgents = 2

// boundsOf adds up what the scenario's agents may request at most; nil when the
// scenario gives no ceiling to some of them.
func boundsOf(in Input, same bool) (*bounds, error) {
	if in.Scenario == nil {
		return nil, nil
	}
	spec := &in.Scenario.Value.(*document.Scenario).Spec
	type share struct {
		name string
		each agents.Request
		most int // −1: no ceiling of its own
	}
	var shares []share
	var sum []string
	b := &bounds{}
	var mostMemory, unlimited units.Bytes
	for _, d := range in.Templates {
		use := slices.IndexFunc(spec.Templates, func(t document.TemplateUse) bool { return t.Template == d.Name })
		if use < 0 {
			return nil, fmt.Errorf("scenario %s does not use template %s; it uses %s", in.Scenario.Name, d.Name, strings.Join(names(spec), ", "))
		}
		numbers := spec.Templates[use].Agents
		most := -1
		if numbers.Ceiling != nil {
			most = *numbers.Ceiling
			for _, p := range numbers.Calendar {
				if _, _, c := numbers.In(p); c != nil {
					most = max(most, *c)
				}
			}
		}
		pod := &d.Value.(*document.PodTemplate).Template.Spec
		shares = append(shares, share{d.Name, agents.Effective(pod,
			agents.Request{CPU: defaultCPU, Memory: defaultMemory, Disk: defaultDisk}), most})
		for _, c := range slices.Concat(pod.InitContainers, pod.Containers) {
			for _, r := range []corev1.ResourceList{c.Resources.Requests, c.Resources.Limits} {
				mostMemory = max(mostMemory, units.Bytes(whole(r[corev1.ResourceMemory])))
			}
			if _, limited := c.Resources.Limits[corev1.ResourceMemory]; !limited {
				unlimited = max(unlimited, units.Bytes(whole(c.Resources.Requests[corev1.ResourceMemory])))
			}
		}
	}
	together := -1
	if spec.AgentCeiling != nil {
		together = *spec.AgentCeiling
	}
	for i := range shares {
		switch {
		case shares[i].most < 0 && together < 0:
			return nil, nil
		case shares[i].most < 0 || together >= 0 && together < shares[i].most:
			shares[i].most = together
		}
		sum = append(sum, fmt.Sprintf("%d of %s at %s CPU and %s", shares[i].most, shares[i].name, shares[i].each.CPU,
			shares[i].each.Memory.Short()))
		b.Pods += shares[i].most
	}
	if together >= 0 && b.Pods > together {
		sum = append(sum, fmt.Sprintf("no more than %d together, and those the largest", together))
		b.Pods = together
	}
	// worst adds up one amount over as many agents as there may be, the largest first,
	// and a few more of the largest.
	worst := func(amount func(agents.Request) int64) int64 {
		slices.SortStableFunc(shares, func(a, b share) int { return cmp.Compare(amount(b.each), amount(a.each)) })
		n, left := amount(shares[0].each)*spareAgents, b.Pods
		for _, s := range shares {
			take := min(s.most, left)
			n, left = n+amount(s.each)*int64(take), left-take
		}
		return n
	}
	total := agents.Request{
		CPU:    units.MilliCPU(worst(func(r agents.Request) int64 { return int64(r.CPU) })),
		Memory: units.Bytes(worst(func(r agents.Request) int64 { return int64(r.Memory) })),
		Disk:   units.Bytes(worst(func(r agents.Request) int64 { return int64(r.Disk) })),
	}
	b.Pods += spareAgents
	sum = append(sum, fmt.Sprintf("%d more for agents on their way out", spareAgents))
	if same {
		b.Pods, total.CPU, total.Memory = b.Pods+2, total.CPU+2000, total.Memory+4<<30
		sum = append(sum, "2 pods with 2 CPU and 4 GiB for the controller, which lives here too")
	}
	b.Sum = sum
	b.CPU, b.Memory, b.MostMemory = total.CPU.String(), quantity(total.Memory), quantity(max(mostMemory, defaultMemory))
	b.Disk = quantity(total.Disk)
	b.DefaultMemory = quantity(max(unlimited, defaultMemory))
	return b, nil
}

// What the limit range gives containers that say nothing.
const (
	defaultCPU    = units.MilliCPU(100)
	defaultMemory = units.Bytes(256 << 20)
	defaultDisk   = units.Bytes(64 << 20)
)

func whole(q resource.Quantity) int64 { return q.Value() }

// quantity writes bytes as Kubernetes does, rounded up to a mebibyte.
func quantity(b units.Bytes) string {
	mebi := (int64(b) + 1<<20 - 1) >> 20
	if mebi%1024 == 0 {
		return strconv.FormatInt(mebi/1024, 10) + "Gi"
	}
	return strconv.FormatInt(mebi, 10) + "Mi"
}

func names(spec *document.ScenarioSpec) []string {
	var out []string
	for _, t := range spec.Templates {
		out = append(out, t.Template)
	}
	return out
}
