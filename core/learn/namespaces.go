package learn

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"tachyphor/core/document"
	"tachyphor/core/units"

	corev1 "k8s.io/api/core/v1"
)

// NamespaceSeen is what bounds the pods of a namespace.
type NamespaceSeen struct {
	Name string `json:"name" doc:"Name of the namespace."`
	// Quota is the tightest of all its quotas that count every pod.
	Quota document.Quota `json:"quota,omitzero" doc:"What its agents may request together: the field quota of a scenario."`
	Says  []string       `json:"says" doc:"The same in words, with what containers get that say nothing, and what no scenario can say."`
}

// namespaces tells the quotas and limit ranges of namespaces. A quota is a scenario's field,
// not the cluster's, for it bounds the agents of one namespace.
func (g *gatherer) namespaces() {
	seen := map[string]*NamespaceSeen{}
	of := func(name string) *NamespaceSeen {
		if seen[name] == nil {
			seen[name] = &NamespaceSeen{Name: name}
		}
		return seen[name]
	}
	for i := range g.Quotas {
		q := &g.Quotas[i]
		of(q.Metadata.Namespace).quota(q)
	}
	for i := range g.Limits {
		l := &g.Limits[i]
		for _, x := range l.Spec.Limits {
			of(l.Metadata.Namespace).limits(l.Metadata.Name, x)
		}
	}
	g.out.Namespaces = []NamespaceSeen{}
	for _, name := range slices.Sorted(maps.Keys(seen)) {
		n := seen[name]
		if q := n.Quota.String(); q != "" {
			n.Says = slices.Insert(n.Says, 0, "quota: "+q+" in a scenario whose agents run there")
		}
		g.out.Namespaces = append(g.out.Namespaces, *n)
	}
}

// quota takes over what one quota bounds.
func (n *NamespaceSeen) quota(q *quotaRecord) {
	if len(q.Spec.Scopes) > 0 || q.Spec.ScopeSelector != nil {
		n.Says = append(n.Says, fmt.Sprintf("quota %s counts only some pods (%s): no scenario can say that", q.Metadata.Name, scopes(&q.Spec)))
		return
	}
	var others []string
	for _, name := range slices.Sorted(maps.Keys(q.Spec.Hard)) {
		hard := q.Spec.Hard[name]
		switch name {
		case corev1.ResourcePods, "count/pods":
			least(&n.Quota.Pods, int(hard.Value()))
		case corev1.ResourceCPU, corev1.ResourceRequestsCPU:
			least(&n.Quota.CPU, units.MilliCPU(hard.MilliValue()))
		case corev1.ResourceMemory, corev1.ResourceRequestsMemory:
			least(&n.Quota.Memory, units.Bytes(hard.Value()))
		default:
			others = append(others, fmt.Sprintf("%s %s", name, hard.String()))
		}
	}
	if len(others) > 0 {
		n.Says = append(n.Says, fmt.Sprintf("quota %s bounds %s as well: no scenario can say that", q.Metadata.Name, strings.Join(others, ", ")))
	}
}

// least keeps the lesser of what was there and x.
func least[N int | units.MilliCPU | units.Bytes](to **N, x N) {
	if *to == nil || x < **to {
		*to = &x
	}
}

// scopes names what a quota counts.
func scopes(s *corev1.ResourceQuotaSpec) string {
	var out []string
	for _, x := range s.Scopes {
		out = append(out, string(x))
	}
	if s.ScopeSelector != nil {
		for _, x := range s.ScopeSelector.MatchExpressions {
			out = append(out, strings.TrimSpace(fmt.Sprintf("%s %s %s", x.ScopeName, x.Operator, strings.Join(x.Values, " "))))
		}
	}
	return strings.Join(out, ", ")
}

// limits tells what a limit range gives and bounds.
func (n *NamespaceSeen) limits(name string, x corev1.LimitRangeItem) {
	var says []string
	for _, part := range []struct {
		word string
		list corev1.ResourceList
	}{
		{"requests", x.DefaultRequest},
		{"may use", x.Default},
		{"must request", x.Min},
		{"is refused above", x.Max},
		{"is refused where its limit is more times its request than", x.MaxLimitRequestRatio},
	} {
		if len(part.list) == 0 {
			continue
		}
		var amounts []string
		for _, r := range slices.Sorted(maps.Keys(part.list)) {
			q := part.list[r]
			amounts = append(amounts, fmt.Sprintf("%s %s", q.String(), r))
		}
		words := part.word + " " + strings.Join(amounts, " and ")
		switch part.word {
		case "requests", "may use":
			words += " where it says nothing"
		case "must request":
			words += " at least"
		}
		says = append(says, words)
	}
	if len(says) > 0 {
		n.Says = append(n.Says, fmt.Sprintf("by the limit range %s a %s %s", name, strings.ToLower(string(x.Type)), strings.Join(says, ", ")))
	}
}
