package main

import (
	"fmt"
	"math/rand/v2"

	v1 "k8s.io/api/core/v1"
	"k8s.io/apimachinery/pkg/api/resource"
	metav1 "k8s.io/apimachinery/pkg/apis/meta/v1"
)

// draw makes a cluster and the shapes of its pods.
func draw(r *rand.Rand) Cluster {
	c := Cluster{Images: map[string]int64{}}
	open := r.IntN(2) == 0 // nothing but room and neighbours keeps pods off nodes
	var images []string
	for i := range 1 + r.IntN(5) {
		name := fmt.Sprintf("image-%d:1", i)
		images = append(images, name)
		c.Images[name] = int64(r.ExpFloat64() * 700e6)
	}
	sizes := []int64{2000, 3920, 4000, 7910, 8000, 15890, 16000}
	for i := range 1 + r.IntN(30) {
		n := Node{
			Name: fmt.Sprintf("node-%03d", i), CPU: sizes[r.IntN(len(sizes))], Memory: int64(2+r.IntN(62))<<30 + int64(r.IntN(1<<20)),
			Pods: int64(3 + r.IntN(20)),
		}
		n.Disk = int64(10+r.IntN(90)) << 30
		n.Labels = map[string]string{
			"kubernetes.io/os": "linux", "kubernetes.io/arch": pick(r, "amd64", "amd64", "arm64"),
			"tier": pick(r, "core", "burst", "spot"), "gen": fmt.Sprint(1 + r.IntN(4)),
		}
		n.Labels[v1.LabelHostname] = n.Name
		if r.IntN(8) > 0 {
			n.Labels[v1.LabelTopologyZone] = pick(r, "north", "south", "quay")
		}
		if r.IntN(4) == 0 {
			n.Extended = map[string]int64{pick(r, cards...): int64(1 + r.IntN(4))}
		}
		for range r.IntN(3) {
			if r.IntN(2) == 0 && !open {
				n.Taints = append(n.Taints, v1.Taint{
					Key: pick(r, "spot", "dedicated"), Value: pick(r, "", "builds", "charts"),
					Effect: v1.TaintEffect(pick(r, "NoSchedule", "NoExecute", "PreferNoSchedule", "PreferNoSchedule")),
				})
			}
		}
		for _, image := range images {
			if r.IntN(3) == 0 {
				n.Images = append(n.Images, image)
			}
		}
		c.Nodes = append(c.Nodes, n)
	}
	for range 1 + r.IntN(6) {
		c.Shapes = append(c.Shapes, Shape{Spec: shape(r, images)})
		if s := &c.Shapes[len(c.Shapes)-1].Spec; open {
			s.Affinity = nil
		}
	}
	if r.IntN(3) > 0 {
		for i := range c.Shapes {
			meet(r, &c.Shapes[i])
		}
	}
	for range podsEach {
		c.Steps = append(c.Steps, Step{Shape: r.IntN(len(c.Shapes))})
	}
	return c
}

// cards are made-up extended resources.
var cards = []string{"brinewell.example/sonar-card", "brinewell.example/arm-board"}

func pick(r *rand.Rand, list ...string) string { return list[r.IntN(len(list))] }

// where draws what a pod says of the nodes it may go to.
func where(r *rand.Rand, s *v1.PodSpec) {
	if r.IntN(4) == 0 {
		s.NodeSelector = map[string]string{pick(r, "tier", "kubernetes.io/arch"): pick(r, "core", "burst", "amd64", "amd64")}
	}
	for range r.IntN(3) {
		t := v1.Toleration{
			Key: pick(r, "", "spot", "dedicated"), Operator: v1.TolerationOperator(pick(r, "", "Equal", "Exists")),
			Value: pick(r, "", "builds"), Effect: v1.TaintEffect(pick(r, "", "NoSchedule", "PreferNoSchedule")),
		}
		if t.Key == "" || t.Operator == v1.TolerationOpExists {
			t.Operator, t.Value = v1.TolerationOpExists, ""
		}
		s.Tolerations = append(s.Tolerations, t)
	}
	if r.IntN(2) == 0 {
		return
	}
	expression := func() v1.NodeSelectorRequirement {
		e := v1.NodeSelectorRequirement{
			Key:      pick(r, "tier", "gen", "kubernetes.io/arch", "absent"),
			Operator: v1.NodeSelectorOperator(pick(r, "In", "NotIn", "Exists", "DoesNotExist")),
		}
		if e.Key == "gen" && r.IntN(2) == 0 {
			e.Operator = v1.NodeSelectorOperator(pick(r, "Gt", "Lt"))
			e.Values = []string{fmt.Sprint(1 + r.IntN(4))}
		} else if e.Operator == v1.NodeSelectorOpIn || e.Operator == v1.NodeSelectorOpNotIn {
			e.Values = []string{pick(r, "core", "amd64", "2"), pick(r, "burst", "arm64", "3")}
		}
		return e
	}
	term := func() v1.NodeSelectorTerm {
		var t v1.NodeSelectorTerm
		for range 1 + r.IntN(2) {
			t.MatchExpressions = append(t.MatchExpressions, expression())
		}
		return t
	}
	a := &v1.NodeAffinity{}
	if r.IntN(3) == 0 {
		a.RequiredDuringSchedulingIgnoredDuringExecution = &v1.NodeSelector{}
		for range 1 + r.IntN(2) {
			q := a.RequiredDuringSchedulingIgnoredDuringExecution
			q.NodeSelectorTerms = append(q.NodeSelectorTerms, term())
		}
	}
	for range r.IntN(3) {
		a.PreferredDuringSchedulingIgnoredDuringExecution = append(a.PreferredDuringSchedulingIgnoredDuringExecution,
			v1.PreferredSchedulingTerm{Weight: int32(1 + r.IntN(100)), Preference: term()})
	}
	s.Affinity = &v1.Affinity{NodeAffinity: a}
}

// meet draws what a pod says of its neighbours: labels, ports of the node, affinity and
// spreading. Most terms hold to nodes or zones, some to a label that few nodes have.
func meet(r *rand.Rand, s *Shape) {
	s.Labels = map[string]string{"job": pick(r, "build", "test", "chart"), "tide": pick(r, "ebb", "flood")}
	selector := func() *metav1.LabelSelector {
		switch r.IntN(8) {
		case 0:
			return nil
		case 1:
			return &metav1.LabelSelector{}
		case 2:
			return &metav1.LabelSelector{MatchExpressions: []metav1.LabelSelectorRequirement{{
				Key: "job", Operator: metav1.LabelSelectorOpNotIn,
				Values: []string{"chart"},
			}}}
		case 3:
			return &metav1.LabelSelector{MatchLabels: map[string]string{"tide": pick(r, "ebb", "flood")}}
		default:
			return &metav1.LabelSelector{MatchLabels: map[string]string{"job": pick(r, "build", "test", "chart")}}
		}
	}
	key := func() string {
		return pick(r, v1.LabelHostname, v1.LabelHostname, v1.LabelTopologyZone, v1.LabelTopologyZone, "gen", "rack")
	}
	term := func() v1.PodAffinityTerm {
		t := v1.PodAffinityTerm{LabelSelector: selector(), TopologyKey: key()}
		switch r.IntN(8) {
		case 0:
			t.Namespaces = []string{"elsewhere"}
		case 1:
			t.NamespaceSelector = &metav1.LabelSelector{}
		}
		return t
	}
	terms := func() (required []v1.PodAffinityTerm, preferred []v1.WeightedPodAffinityTerm) {
		if r.IntN(3) == 0 {
			for range 1 + r.IntN(2) {
				required = append(required, term())
			}
		}
		for range r.IntN(3) {
			preferred = append(preferred, v1.WeightedPodAffinityTerm{Weight: int32(1 + r.IntN(100)), PodAffinityTerm: term()})
		}
		return required, preferred
	}
	spec := &s.Spec
	if r.IntN(3) == 0 {
		port := v1.ContainerPort{
			ContainerPort: 8080, HostPort: int32(9000 + r.IntN(2)), Protocol: v1.Protocol(pick(r, "TCP", "TCP", "UDP")),
			HostIP: pick(r, "", "", "10.0.0.1", "10.0.0.2"),
		}
		spec.Containers[0].Ports = append(spec.Containers[0].Ports, port)
	}
	if spec.Affinity == nil {
		spec.Affinity = &v1.Affinity{}
	}
	if r.IntN(3) == 0 {
		a := &v1.PodAffinity{}
		a.RequiredDuringSchedulingIgnoredDuringExecution, a.PreferredDuringSchedulingIgnoredDuringExecution = terms()
		spec.Affinity.PodAffinity = a
	}
	if r.IntN(3) == 0 {
		a := &v1.PodAntiAffinity{}
		a.RequiredDuringSchedulingIgnoredDuringExecution, a.PreferredDuringSchedulingIgnoredDuringExecution = terms()
		spec.Affinity.PodAntiAffinity = a
	}
	for range r.IntN(3) {
		c := v1.TopologySpreadConstraint{
			MaxSkew: int32(1 + r.IntN(3)), TopologyKey: key(),
			WhenUnsatisfiable: v1.UnsatisfiableConstraintAction(pick(r, "DoNotSchedule", "ScheduleAnyway")), LabelSelector: selector(),
		}
		if c.WhenUnsatisfiable == v1.DoNotSchedule && r.IntN(3) == 0 {
			least := int32(1 + r.IntN(4))
			c.MinDomains = &least
		}
		policy := func() *v1.NodeInclusionPolicy {
			p := v1.NodeInclusionPolicy(pick(r, "Honor", "Ignore", ""))
			if p == "" {
				return nil
			}
			return &p
		}
		c.NodeAffinityPolicy, c.NodeTaintsPolicy = policy(), policy()
		if c.LabelSelector != nil && r.IntN(4) == 0 {
			c.MatchLabelKeys = []string{pick(r, "tide", "absent")}
		}
		spec.TopologySpreadConstraints = append(spec.TopologySpreadConstraints, c)
	}
}

// shape draws a pod: containers, init containers, sidecars, some that ask for
// nothing, and overhead.
func shape(r *rand.Rand, images []string) v1.PodSpec {
	box := func(name string) v1.Container {
		k := v1.Container{Name: name, Image: images[r.IntN(len(images))], Resources: v1.ResourceRequirements{Requests: v1.ResourceList{}}}
		if r.IntN(5) > 0 {
			k.Resources.Requests["cpu"] = *resource.NewMilliQuantity(int64(r.IntN(3000)), resource.DecimalSI)
		}
		if r.IntN(5) > 0 {
			k.Resources.Requests["memory"] = *resource.NewQuantity(int64(r.IntN(6000))<<20+int64(r.IntN(1000)), resource.BinarySI)
		}
		if r.IntN(4) == 0 {
			k.Resources.Requests["ephemeral-storage"] = *resource.NewQuantity(int64(r.IntN(20))<<30+int64(r.IntN(9)), resource.BinarySI)
		}
		if r.IntN(12) == 0 {
			k.Resources.Requests[v1.ResourceName(pick(r, cards...))] = *resource.NewQuantity(int64(r.IntN(3)), resource.DecimalSI)
		}
		return k
	}
	var s v1.PodSpec
	where(r, &s)
	for i := range 1 + r.IntN(3) {
		s.Containers = append(s.Containers, box(fmt.Sprint("c", i)))
	}
	for i := range r.IntN(3) {
		k := box(fmt.Sprint("i", i))
		if always := v1.ContainerRestartPolicyAlways; r.IntN(2) == 0 {
			k.RestartPolicy = &always
		}
		s.InitContainers = append(s.InitContainers, k)
	}
	if r.IntN(6) == 0 {
		s.Overhead = v1.ResourceList{"cpu": resource.MustParse("50m"), "memory": resource.MustParse("32Mi")}
	}
	return s
}
