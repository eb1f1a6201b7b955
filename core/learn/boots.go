package learn

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"tachyphor/core/document"
	"tachyphor/core/units"

	corev1 "k8s.io/api/core/v1"
)

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
		if len(whole) < leastTimes {
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
		if end := wholeSeconds(known); end.Median <= f.Median { // of every boot, its end is known
			spec.NotReady = end.times()
			g.fact("pools."+p.name+".notReady", says(spec.NotReady), "from a node's creation to its being ready", len(known), end)
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
