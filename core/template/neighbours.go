package template

import (
	"cmp"
	"fmt"
	"slices"

	corev1 "k8s.io/api/core/v1"
	metav1 "k8s.io/apimachinery/pkg/apis/meta/v1"
	"k8s.io/apimachinery/pkg/labels"
)

// Neighbours is what a pod says of the pods that it may be beside, and what others
// know it by. The zero Neighbours cares for nobody.
type Neighbours struct {
	Namespace string // empty: the one that everything else is in
	Labels    labels.Set
	Ports     []HostPort
	Beside    []Beside // it goes only where one pod that all of them mean is near
	Apart     []Beside // it goes nowhere near a pod that any of them means
	Likes     []Liking
	Spread    []Spread
}

// A HostPort is a port of the node that a pod takes for itself.
type HostPort struct {
	Address  string // 0.0.0.0: all of the node's
	Protocol corev1.Protocol
	Number   int32
}

// Beside means pods that are near: on nodes that have the same value of a label.
type Beside struct {
	Topology   string // the label
	Selector   labels.Selector
	Namespaces []string // any of them
	Anywhere   bool     // in every namespace
}

// A Liking counts for (above 0) or against nodes that are near the pods it means.
type Liking struct {
	Beside
	Weight int64 // −100 to 100
}

// A Spread keeps pods evenly over the values of a label of their nodes.
type Spread struct {
	Topology string
	Selector labels.Selector
	MaxSkew  int64
	Least    int  // values there should be; with fewer, the emptiest counts as empty
	Must     bool // otherwise it only counts
	// Which nodes count: those that the pod's selector and required affinity allow;
	// those whose taints it tolerates.
	Allowed, Tolerated bool
}

// Hostname is the label by which every node is a place of its own.
const Hostname = corev1.LabelHostname

// HasPlace reports whether a node with some labels has a place by one of them.
func HasPlace(node map[string]string, label string) bool {
	_, has := node[label]
	return has || label == Hostname
}

// A WrongRule is a rule on neighbours that Kubernetes would refuse, or that is not
// known here.
type WrongRule struct{ Field, Value, Reason string }

// NeighboursOf reads what a pod with these labels, in this namespace, says of its
// neighbours.
// Source: k8s.io/kubernetes/pkg/scheduler/framework/plugins, nodeports,
// podtopologyspread, interpodaffinity; for matchLabelKeys pkg/registry/core/pod.
func NeighboursOf(namespace string, set map[string]string, spec *corev1.PodSpec) (Neighbours, []WrongRule) {
	r := reading{of: Neighbours{Namespace: namespace, Labels: set}}
	r.ports(spec)
	if a := spec.Affinity; a != nil && a.PodAffinity != nil {
		r.of.Beside = r.required("affinity.podAffinity", a.PodAffinity.RequiredDuringSchedulingIgnoredDuringExecution)
		r.preferred("affinity.podAffinity", a.PodAffinity.PreferredDuringSchedulingIgnoredDuringExecution, 1)
	}
	if a := spec.Affinity; a != nil && a.PodAntiAffinity != nil {
		r.of.Apart = r.required("affinity.podAntiAffinity", a.PodAntiAffinity.RequiredDuringSchedulingIgnoredDuringExecution)
		r.preferred("affinity.podAntiAffinity", a.PodAntiAffinity.PreferredDuringSchedulingIgnoredDuringExecution, -1)
	}
	r.spread(spec.TopologySpreadConstraints)
	return r.of, r.wrong
}

// None reports whether the pod takes no port and says nothing of other pods.
func (n *Neighbours) None() bool {
	return len(n.Ports) == 0 && len(n.Beside) == 0 && len(n.Apart) == 0 && len(n.Likes) == 0 && len(n.Spread) == 0
}

// Clashes reports whether two pods take the same port of a node.
func (n *Neighbours) Clashes(o *Neighbours) bool {
	return slices.ContainsFunc(n.Ports, func(p HostPort) bool {
		return slices.ContainsFunc(o.Ports, func(q HostPort) bool {
			return p.Number == q.Number && p.Protocol == q.Protocol && (p.Address == q.Address || p.Address == anyAddress || q.Address == anyAddress)
		})
	})
}

// Means reports whether a pod is one of those meant.
func (b *Beside) Means(o *Neighbours) bool {
	return (b.Anywhere || slices.Contains(b.Namespaces, o.Namespace)) && b.Selector.Matches(o.Labels)
}

// Means reports whether a pod is one of those that are spread, for pods of a namespace.
// A selector that holds for everything counts nobody.
func (s *Spread) Means(namespace string, o *Neighbours) bool {
	return o.Namespace == namespace && !s.Selector.Empty() && s.Selector.Matches(o.Labels)
}

const anyAddress = "0.0.0.0"

// reading collects what a pod says and what is wrong with it.
type reading struct {
	of    Neighbours
	wrong []WrongRule
}

func (r *reading) refuse(field, value, reason string) {
	r.wrong = append(r.wrong, WrongRule{field, value, reason})
}

// ports lists the ports of the node that containers take which run as long as the pod.
// On the node's own network every port is one of the node's.
func (r *reading) ports(spec *corev1.PodSpec) {
	read := func(field string, list []corev1.ContainerPort) {
		for i, p := range list {
			if spec.HostNetwork && p.HostPort == 0 {
				p.HostPort = p.ContainerPort
			}
			switch {
			case p.HostPort == 0:
				continue
			case p.HostPort < 0 || p.HostPort > 65535:
				r.refuse(fmt.Sprintf("%s.ports[%d].hostPort", field, i), fmt.Sprint(p.HostPort), "must be from 1 to 65535")
				continue
			case spec.HostNetwork && p.HostPort != p.ContainerPort:
				r.refuse(fmt.Sprintf("%s.ports[%d].hostPort", field, i), fmt.Sprint(p.HostPort), "must be the containerPort where hostNetwork is true")
				continue
			}
			r.of.Ports = append(r.of.Ports, HostPort{cmp.Or(p.HostIP, anyAddress), cmp.Or(p.Protocol, corev1.ProtocolTCP), p.HostPort})
		}
	}
	for i, c := range spec.InitContainers {
		if c.RestartPolicy != nil && *c.RestartPolicy == corev1.ContainerRestartPolicyAlways {
			read(fmt.Sprintf("initContainers[%d]", i), c.Ports)
		}
	}
	for i, c := range spec.Containers {
		read(fmt.Sprintf("containers[%d]", i), c.Ports)
	}
}

func (r *reading) required(field string, terms []corev1.PodAffinityTerm) (out []Beside) {
	for i := range terms {
		if b, ok := r.beside(fmt.Sprintf("%s.requiredDuringSchedulingIgnoredDuringExecution[%d]", field, i), &terms[i]); ok {
			out = append(out, b)
		}
	}
	return out
}

func (r *reading) preferred(field string, terms []corev1.WeightedPodAffinityTerm, sign int64) {
	for i := range terms {
		at := fmt.Sprintf("%s.preferredDuringSchedulingIgnoredDuringExecution[%d]", field, i)
		w := terms[i].Weight
		if w < 1 || w > 100 {
			r.refuse(at+".weight", fmt.Sprint(w), "must be from 1 to 100")
			continue
		}
		if b, ok := r.beside(at+".podAffinityTerm", &terms[i].PodAffinityTerm); ok {
			r.of.Likes = append(r.of.Likes, Liking{b, sign * int64(w)})
		}
	}
}

func (r *reading) beside(field string, t *corev1.PodAffinityTerm) (b Beside, ok bool) {
	if t.TopologyKey == "" {
		r.refuse(field+".topologyKey", "", "must name a label of nodes, as in "+Hostname)
		return b, false
	}
	b = Beside{Topology: t.TopologyKey, Namespaces: t.Namespaces}
	switch s := t.NamespaceSelector; {
	case s == nil && len(t.Namespaces) == 0:
		b.Namespaces = []string{r.of.Namespace}
	case s != nil && len(s.MatchLabels)+len(s.MatchExpressions) > 0:
		r.refuse(field+".namespaceSelector", metav1.FormatLabelSelector(s),
			"is not simulated, because the labels of namespaces are not known here; name the namespaces, or leave it out")
		return b, false
	case s != nil:
		b.Anywhere = true
	}
	b.Selector, ok = r.selector(field, t.LabelSelector, t.MatchLabelKeys, t.MismatchLabelKeys)
	return b, ok
}

// selector reads a selector of pods, to which keys of labels add that others have the
// pod's own values, or not.
func (r *reading) selector(field string, s *metav1.LabelSelector, same, other []string) (labels.Selector, bool) {
	if s != nil {
		s = s.DeepCopy()
		add := func(keys []string, op metav1.LabelSelectorOperator) {
			for _, key := range keys {
				if v, ok := r.of.Labels[key]; ok {
					s.MatchExpressions = append(s.MatchExpressions, metav1.LabelSelectorRequirement{Key: key, Operator: op, Values: []string{v}})
				}
			}
		}
		add(same, metav1.LabelSelectorOpIn)
		add(other, metav1.LabelSelectorOpNotIn)
	}
	out, err := metav1.LabelSelectorAsSelector(s)
	if err != nil {
		r.refuse(field+".labelSelector", "", err.Error())
		return nil, false
	}
	return out, true
}

func (r *reading) spread(list []corev1.TopologySpreadConstraint) {
	for i := range list {
		c, field := &list[i], fmt.Sprintf("topologySpreadConstraints[%d]", i)
		s := Spread{
			Topology: c.TopologyKey, MaxSkew: int64(c.MaxSkew), Least: 1,
			Must:      c.WhenUnsatisfiable == corev1.DoNotSchedule,
			Allowed:   c.NodeAffinityPolicy == nil || *c.NodeAffinityPolicy == corev1.NodeInclusionPolicyHonor,
			Tolerated: c.NodeTaintsPolicy != nil && *c.NodeTaintsPolicy == corev1.NodeInclusionPolicyHonor,
		}
		before := len(r.wrong)
		if c.TopologyKey == "" {
			r.refuse(field+".topologyKey", "", "must name a label of nodes, as in "+Hostname)
		}
		if c.MaxSkew < 1 {
			r.refuse(field+".maxSkew", fmt.Sprint(c.MaxSkew), "must be at least 1")
		}
		if !s.Must && c.WhenUnsatisfiable != corev1.ScheduleAnyway {
			r.refuse(field+".whenUnsatisfiable", string(c.WhenUnsatisfiable), "must be DoNotSchedule or ScheduleAnyway")
		}
		if c.MinDomains != nil {
			s.Least = int(*c.MinDomains)
			if s.Least < 1 || !s.Must {
				r.refuse(field+".minDomains", fmt.Sprint(s.Least), "must be at least 1, with whenUnsatisfiable: DoNotSchedule")
			}
		}
		ok := false
		if s.Selector, ok = r.selector(field, c.LabelSelector, c.MatchLabelKeys, nil); ok && len(r.wrong) == before {
			r.of.Spread = append(r.of.Spread, s)
		}
	}
}

// MeantByAll reports whether a pod is meant by every one of some terms, of which there is
// one.
func (n *Neighbours) MeantByAll(terms []Beside) bool {
	for i := range terms {
		if !terms[i].Means(n) {
			return false
		}
	}
	return len(terms) > 0
}

// Missing names the labels that a node must have for the pod to go there, because of
// whom it must be beside or how it must be spread, and that these labels do not have.
func (n *Neighbours) Missing(node map[string]string) (names []string) {
	need := func(label string) {
		if !HasPlace(node, label) && !slices.Contains(names, label) {
			names = append(names, label)
		}
	}
	for _, s := range n.Spread {
		if s.Must {
			need(s.Topology)
		}
	}
	for _, b := range n.Beside {
		need(b.Topology)
	}
	return names
}

// Single reports whether only one such pod can be on a node with these labels.
func (n *Neighbours) Single(node map[string]string) bool { return n.Clashes(n) || n.keeps(n, node) }

// Alone reports whether two pods can never be on one node with these labels: they take
// the same port, or one keeps apart from the other there.
func (n *Neighbours) Alone(o *Neighbours, node map[string]string) bool {
	return n.Clashes(o) || n.keeps(o, node) || o.keeps(n, node)
}

// keeps reports whether the pod keeps apart from another on a node with these labels.
func (n *Neighbours) keeps(o *Neighbours, node map[string]string) bool {
	return slices.ContainsFunc(n.Apart, func(b Beside) bool { return HasPlace(node, b.Topology) && b.Means(o) })
}
