package template

import (
	"slices"
	"strconv"

	corev1 "k8s.io/api/core/v1"
)

// Where is what a pod says of the nodes it may go to. The zero Where goes
// anywhere that has no taint.
type Where struct {
	Selector    map[string]string
	Required    *corev1.NodeSelector             // terms of which one must hold; nil: none
	Preferred   []corev1.PreferredSchedulingTerm // terms that count by their weights
	Tolerations []corev1.Toleration
}

func whereOf(spec *corev1.PodSpec) Where {
	w := Where{Selector: spec.NodeSelector, Tolerations: spec.Tolerations}
	if spec.Affinity != nil && spec.Affinity.NodeAffinity != nil {
		w.Required = spec.Affinity.NodeAffinity.RequiredDuringSchedulingIgnoredDuringExecution
		w.Preferred = spec.Affinity.NodeAffinity.PreferredDuringSchedulingIgnoredDuringExecution
	}
	return w
}

// notPlaced lists the fields of a pod that decide where it goes and that neither Where
// nor Neighbours knows.
func notPlaced(spec *corev1.PodSpec) []string {
	var out []string
	if spec.NodeName != "" {
		out = append(out, "nodeName")
	}
	w := whereOf(spec)
	terms := []corev1.NodeSelectorTerm{}
	if w.Required != nil {
		terms = append(terms, w.Required.NodeSelectorTerms...)
	}
	for _, p := range w.Preferred {
		terms = append(terms, p.Preference)
	}
	if slices.ContainsFunc(terms, func(t corev1.NodeSelectorTerm) bool { return len(t.MatchFields) > 0 }) {
		out = append(out, "affinity.nodeAffinity")
	}
	return out
}

// Tolerated reports whether the pod may be placed on a node with these taints:
// every one that keeps pods off must be tolerated.
func (w Where) Tolerated(taints []corev1.Taint) bool {
	return !slices.ContainsFunc(taints, func(t corev1.Taint) bool {
		return t.Effect != corev1.TaintEffectPreferNoSchedule && !tolerates(w.Tolerations, t)
	})
}

// Disliked counts the taints of effect PreferNoSchedule that are not tolerated.
func (w Where) Disliked(taints []corev1.Taint) int64 {
	n := int64(0)
	for _, t := range taints {
		if t.Effect == corev1.TaintEffectPreferNoSchedule && !tolerates(w.Tolerations, t) {
			n++
		}
	}
	return n
}

// tolerates reports whether one toleration matches a taint: by key (none matches
// all), effect (none matches all), and value unless the operator is Exists.
// Source: k8s.io/api/core/v1, Toleration.ToleratesTaint.
func tolerates(list []corev1.Toleration, t corev1.Taint) bool {
	return slices.ContainsFunc(list, func(x corev1.Toleration) bool {
		if x.Effect != "" && x.Effect != t.Effect || x.Key != "" && x.Key != t.Key {
			return false
		}
		switch x.Operator {
		case "", corev1.TolerationOpEqual:
			return x.Value == t.Value
		default:
			return x.Operator == corev1.TolerationOpExists
		}
	})
}

// Matches reports whether a node with these labels meets the selector and the
// required affinity.
func (w Where) Matches(labels map[string]string) bool {
	for k, v := range w.Selector {
		if got, ok := labels[k]; !ok || got != v {
			return false
		}
	}
	if w.Required == nil {
		return true
	}
	return slices.ContainsFunc(w.Required.NodeSelectorTerms, func(t corev1.NodeSelectorTerm) bool { return holds(t, labels) })
}

// Liked adds up the weights of the preferred terms that hold for the labels. An
// empty term holds for no node.
func (w Where) Liked(labels map[string]string) int64 {
	n := int64(0)
	for _, p := range w.Preferred {
		if holds(p.Preference, labels) {
			n += int64(p.Weight)
		}
	}
	return n
}

// holds reports whether every expression of a term holds.
func holds(t corev1.NodeSelectorTerm, labels map[string]string) bool {
	if len(t.MatchExpressions) == 0 {
		return false
	}
	for _, e := range t.MatchExpressions {
		if !expression(e, labels) {
			return false
		}
	}
	return true
}

// expression evaluates one requirement. As in Kubernetes, NotIn and DoesNotExist
// hold where the label is absent, Gt and Lt compare whole numbers and hold
// nowhere else.
func expression(e corev1.NodeSelectorRequirement, labels map[string]string) bool {
	v, there := labels[e.Key]
	switch e.Operator {
	case corev1.NodeSelectorOpIn:
		return there && slices.Contains(e.Values, v)
	case corev1.NodeSelectorOpNotIn:
		return !there || !slices.Contains(e.Values, v)
	case corev1.NodeSelectorOpExists:
		return there
	case corev1.NodeSelectorOpDoesNotExist:
		return !there
	case corev1.NodeSelectorOpGt, corev1.NodeSelectorOpLt:
		if !there || len(e.Values) != 1 {
			return false
		}
		got, err1 := strconv.ParseInt(v, 10, 64)
		than, err2 := strconv.ParseInt(e.Values[0], 10, 64)
		if err1 != nil || err2 != nil {
			return false
		}
		return e.Operator == corev1.NodeSelectorOpGt && got > than || e.Operator == corev1.NodeSelectorOpLt && got < than
	default:
		return false
	}
}
