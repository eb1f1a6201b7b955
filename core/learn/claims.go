package learn

import (
	"slices"
	"strings"

	"tachyphor/core/document"
	"tachyphor/core/units"

	corev1 "k8s.io/api/core/v1"
)

// claims takes over the claims on volumes.
func (g *gatherer) claims() {
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
}

// priorityClasses tells the priority classes that pods have.
func (g *gatherer) priorityClasses() {
	for i := range g.Pods {
		if s := &g.Pods[i].Spec; s.PriorityClassName != "" && s.Priority != nil && !strings.HasPrefix(s.PriorityClassName, "system-") {
			if g.out.spec.PriorityClasses == nil {
				g.out.spec.PriorityClasses = map[string]int32{}
			}
			g.out.spec.PriorityClasses[s.PriorityClassName] = *s.Priority
		}
	}
}
