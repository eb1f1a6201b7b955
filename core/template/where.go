package template

import (
	"slices"

	corev1 "k8s.io/api/core/v1"
	metav1 "k8s.io/apimachinery/pkg/apis/meta/v1"
	"k8s.io/component-helpers/scheduling/corev1/nodeaffinity"
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

// Matches reports whether a node with these labels meets the selector and the required
// affinity. A term that cannot be read holds for none.
func (w Where) Matches(labels map[string]string) bool {
	needs := nodeaffinity.NewRequiredNodeAffinity(w.Selector, &corev1.Affinity{
		NodeAffinity: &corev1.NodeAffinity{RequiredDuringSchedulingIgnoredDuringExecution: w.Required},
	})
	ok, _ := needs.Match(labelled(labels))
	return ok
}

// Liked adds up the weights of the preferred terms that hold for the labels. An empty term
// holds for no node; with a term that cannot be read none does.
func (w Where) Liked(labels map[string]string) int64 {
	terms, err := nodeaffinity.NewPreferredSchedulingTerms(w.Preferred)
	if err != nil {
		return 0
	}
	return terms.Score(labelled(labels))
}

// labelled is a node of which only the labels are known.
func labelled(labels map[string]string) *corev1.Node {
	return &corev1.Node{ObjectMeta: metav1.ObjectMeta{Labels: labels}}
}
