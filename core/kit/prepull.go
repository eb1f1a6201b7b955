package kit

import (
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"

	"tachyphor/core/document"

	appsv1 "k8s.io/api/apps/v1"
	corev1 "k8s.io/api/core/v1"
	metav1 "k8s.io/apimachinery/pkg/apis/meta/v1"
	"k8s.io/apimachinery/pkg/util/validation"
)

// prepull is what nodes are to have before agents need it.
type prepull struct {
	images      []string
	baked       bool
	pools       []document.Pool // nil: all
	known       []document.Pool // all pools of the cluster
	pullSecrets []corev1.LocalObjectReference
}

// prepullOf reads what a scenario has nodes have.
func prepullOf(in Input) (out []prepull, err error) {
	if in.Scenario == nil {
		return nil, nil
	}
	var used []string
	var secrets []corev1.LocalObjectReference
	for _, d := range in.Templates {
		spec := &d.Value.(*document.PodTemplate).Template.Spec
		for _, c := range slices.Concat(spec.InitContainers, spec.Containers) {
			if !slices.Contains(used, c.Image) {
				used = append(used, c.Image)
			}
		}
		for _, s := range spec.ImagePullSecrets {
			if !slices.Contains(secrets, s) {
				secrets = append(secrets, s)
			}
		}
	}
	for i, x := range in.Scenario.Value.(*document.Scenario).Spec.Nodes.Prepull {
		p := prepull{images: x.Images, baked: x.By == document.ByNodeImage, pullSecrets: secrets}
		if len(p.images) == 0 {
			p.images = used
		}
		if in.Cluster != nil {
			p.known = in.Cluster.Value.(*document.Cluster).Spec.Pools
		}
		for _, name := range x.Pools {
			at := slices.IndexFunc(p.known, func(p document.Pool) bool { return p.Name == name })
			if at < 0 {
				return nil, fmt.Errorf("scenario %s: spec.nodes.prepull[%d].pools: pool %s is not known; give the cluster's document too",
					in.Scenario.Name, i, name)
			}
			if len(p.known[at].Labels) == 0 && !p.baked {
				return nil, fmt.Errorf("scenario %s: spec.nodes.prepull[%d].pools: the nodes of pool %s have no label by which a pod could be "+
					"sent to them; give it one in the cluster's document, as the nodes have it", in.Scenario.Name, i, name)
			}
			p.pools = append(p.pools, p.known[at])
		}
		out = append(out, p)
	}
	return out, nil
}

// prepullSpace is the namespace of the pods that hold images: the agents' own has a quota for agents.
func (f *facts) prepullSpace() string {
	name := f.Namespace + "-images"
	if len(validation.IsDNS1123Label(name)) > 0 {
		return f.Namespace
	}
	return name
}

func prepullOfFacts(f *facts) []object {
	var out []object
	first := true
	for i, p := range f.Prepull {
		if p.baked {
			says := []string{"What nodes" + p.where() + " boot from is to have these images, and to be made anew whenever one of them is:"}
			for _, image := range p.images {
				says = append(says, "  "+image)
			}
			out = append(out, object{append(says, "Nothing in the cluster does that: it is done where nodes' images are made."), nil})
			continue
		}
		if first && f.prepullSpace() != f.Namespace {
			out = append(out, object{
				[]string{
					"A place for the pods that hold images on nodes: the agents' own has a quota, which",
					"is for agents. Secrets to pull with have to be here too.",
				},
				corev1.Namespace{TypeMeta: kind("v1", "Namespace"), ObjectMeta: metav1.ObjectMeta{
					Name: f.prepullSpace(), Labels: map[string]string{"pod-security.kubernetes.io/enforce": "restricted"},
				}},
			})
		}
		first = false
		out = append(out, object{
			[]string{
				"A pod on every node" + p.where() + " that is made of the agents' images and does nothing: a new",
				"node pulls them as soon as it is ready, and they are not taken off it for want of use.",
				"When an image changes, change it here first.",
			},
			p.daemonSet(f, i),
		})
	}
	return out
}

// where says which nodes are meant.
func (p *prepull) where() string {
	var names []string
	for _, x := range p.pools {
		names = append(names, x.Name)
	}
	switch len(names) {
	case 0:
		return ""
	case 1:
		return " of pool " + names[0]
	}
	return " of pools " + strings.Join(names, ", ")
}

func (p *prepull) daemonSet(f *facts, n int) appsv1.DaemonSet {
	name := f.rule("images")
	if n > 0 {
		name = f.rule("images-" + strconv.Itoa(n+1))
	}
	const nobody = 65534
	pod, container := Restricted(nobody)
	pod.RunAsGroup, container.ReadOnlyRootFilesystem = new(int64(nobody)), new(true)
	labels := map[string]string{"app.kubernetes.io/name": name}
	spec := corev1.PodSpec{
		AutomountServiceAccountToken: new(false), EnableServiceLinks: new(false), ImagePullSecrets: p.pullSecrets, TerminationGracePeriodSeconds: new(int64),
		SecurityContext: pod,
	}
	// What the pod requests is shared by its containers; the first has what is left over.
	cpu, memory := int64(document.PrepullCPU), int64(document.PrepullMemory)
	each := int64(len(p.images))
	for i, image := range p.images {
		c, m := cpu/each, memory/each
		if i == 0 {
			c, m = cpu-c*(each-1), memory-m*(each-1)
		}
		requests := corev1.ResourceList{
			corev1.ResourceCPU: quantityOf(strconv.FormatInt(c, 10) + "m"), corev1.ResourceMemory: quantityOf(strconv.FormatInt(m, 10)),
		}
		spec.Containers = append(spec.Containers, corev1.Container{
			Name: "image-" + strconv.Itoa(i+1), Image: image, ImagePullPolicy: corev1.PullIfNotPresent,
			Command:         []string{"/bin/sh", "-c", "while :; do sleep 3600; done"},
			Resources:       corev1.ResourceRequirements{Requests: requests, Limits: corev1.ResourceList{corev1.ResourceMemory: quantityOf("64Mi")}},
			SecurityContext: container,
		})
	}
	pools := p.pools
	if len(pools) == 0 {
		pools = p.known
	}
	for _, x := range pools {
		for _, toleration := range tolerated(x.Taints) {
			if !slices.Contains(spec.Tolerations, toleration) {
				spec.Tolerations = append(spec.Tolerations, toleration)
			}
		}
	}
	if len(p.pools) > 0 {
		var terms []corev1.NodeSelectorTerm
		for _, x := range p.pools {
			var term corev1.NodeSelectorTerm
			for _, key := range slices.Sorted(maps.Keys(x.Labels)) {
				term.MatchExpressions = append(term.MatchExpressions, corev1.NodeSelectorRequirement{
					Key: key, Operator: corev1.NodeSelectorOpIn,
					Values: []string{x.Labels[key]},
				})
			}
			terms = append(terms, term)
		}
		spec.Affinity = &corev1.Affinity{NodeAffinity: &corev1.NodeAffinity{
			RequiredDuringSchedulingIgnoredDuringExecution: &corev1.NodeSelector{NodeSelectorTerms: terms},
		}}
	}
	return appsv1.DaemonSet{
		TypeMeta: kind("apps/v1", "DaemonSet"), ObjectMeta: metav1.ObjectMeta{Name: name, Namespace: f.prepullSpace()},
		Spec: appsv1.DaemonSetSpec{
			Selector: &metav1.LabelSelector{MatchLabels: labels},
			Template: corev1.PodTemplateSpec{ObjectMeta: metav1.ObjectMeta{Labels: labels}, Spec: spec},
		},
	}
}
