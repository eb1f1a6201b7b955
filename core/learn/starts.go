package learn

import (
	"time"

	corev1 "k8s.io/api/core/v1"
)

// agents are the pods that may be agents: those that are not started again.
func (g *gatherer) agents() (out []*podRecord) {
	for i := range g.Pods {
		if p := &g.Pods[i]; p.Spec.RestartPolicy == string(corev1.RestartPolicyNever) {
			out = append(out, p)
		}
	}
	return out
}

// starts tells how long containers take once their images are there: from the pod's being
// placed to the last of its containers' start, without its pulls.
func (g *gatherer) starts() {
	pulls := map[string]time.Duration{}
	for _, p := range g.pulled {
		pulls[p.pod] += p.waited + p.took
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
		placed, last := p.placed(), time.Time{}
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
