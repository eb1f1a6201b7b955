package learn

import (
	"cmp"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	corev1 "k8s.io/api/core/v1"
)

// volumes tells how long a volume takes to be attached, and whether volumes stay in the zone
// they were made in.
func (g *gatherer) volumes() {
	g.attaching()
	zonal, classes := 0, map[string]bool{}
	for i := range g.Volumes {
		v := &g.Volumes[i]
		if v.Spec.NodeAffinity == nil || v.Spec.NodeAffinity.Required == nil {
			continue
		}
		for _, t := range v.Spec.NodeAffinity.Required.NodeSelectorTerms {
			for _, x := range t.MatchExpressions {
				if x.Key == corev1.LabelTopologyZone || x.Key == corev1.LabelFailureDomainBetaZone {
					zonal++
					classes[cmp.Or(v.Spec.StorageClassName, "none")] = true
				}
			}
		}
	}
	for i := range g.Classes {
		c := &g.Classes[i]
		for _, t := range c.AllowedTopologies {
			for _, x := range t.MatchLabelExpressions {
				if x.Key == corev1.LabelTopologyZone && !classes[c.Metadata.Name] {
					zonal++
					classes[c.Metadata.Name] = true
				}
			}
		}
	}
	switch {
	case len(g.Volumes)+len(g.Classes) == 0 && len(g.Claims) > 0:
		g.out.Lacks = append(g.out.Lacks, "whether volumes stay in the zone they were made in (volumes.zonal): no persistent volumes "+
			"and storage classes are in the records")
	case zonal == 0:
	default:
		for _, p := range g.out.spec.Pools {
			if p.Labels[corev1.LabelTopologyZone] == "" {
				g.out.Lacks = append(g.out.Lacks, fmt.Sprintf("which zone the nodes of %s are in: %s (class %s) may be used only in the zone they were "+
					"made in, and volumes.zonal says so once every pool has a zone of its own (the label %s; --pool-label may part pools by it)",
					p.Name, counted(zonal, "volume", "volumes"), strings.Join(slices.Sorted(maps.Keys(classes)), ", "), corev1.LabelTopologyZone))
				return
			}
		}
		g.out.spec.Volumes.Zonal = true
		g.fact("volumes.zonal", "true", "persistent volumes or their storage classes say which zone they can be used in", zonal, nil)
	}
}

// attaching tells how long a volume takes to be attached: from the pod's being placed to the
// event that says so, of pods whose volume was on no other node then.
func (g *gatherer) attaching() {
	attached, other := map[string]time.Time{}, map[string]bool{}
	for i := range g.Events {
		e := &g.Events[i]
		who := e.about()
		if who.Kind != "Pod" {
			continue
		}
		key := who.Namespace + "/" + who.Name
		switch e.Reason {
		case "FailedAttachVolume":
			other[key] = true
		case "SuccessfulAttachVolume":
			if e.at().After(attached[key]) {
				attached[key] = e.at()
			}
		}
	}
	var took []float64
	for key, at := range attached {
		p := g.pods[key]
		if p == nil || other[key] {
			continue
		}
		if placed := p.placed(); !placed.IsZero() && !at.Before(placed) && at.Sub(placed) < 10*time.Minute {
			took = append(took, at.Sub(placed).Seconds())
		}
	}
	if len(took) < leastTimes {
		if len(g.Claims) > 0 {
			g.out.Lacks = append(g.out.Lacks, fmt.Sprintf("how long a volume takes to be attached (volumes.attach): %s with the event that says so",
				counted(len(took), "pod", "pods")))
		}
		return
	}
	f := wholeSeconds(took)
	g.out.spec.Volumes.Attach = f.times()
	g.fact("volumes.attach", says(g.out.spec.Volumes.Attach), "from a pod's placing to its last volume's being attached, of volumes that no "+
		"other node had; the records have whole seconds", len(took), f)
}

// placed is when a pod was given a node; zero: it was not, or its record does not tell.
func (p *podRecord) placed() time.Time {
	for _, c := range p.Status.Conditions {
		if c.Type == string(corev1.PodScheduled) && c.Status == string(corev1.ConditionTrue) {
			return c.LastTransitionTime
		}
	}
	return time.Time{}
}
