package main

import (
	"context"
	"fmt"
	"slices"
	"sort"

	v1 "k8s.io/api/core/v1"
	"k8s.io/apimachinery/pkg/api/resource"
	metav1 "k8s.io/apimachinery/pkg/apis/meta/v1"
	"k8s.io/client-go/informers"
	"k8s.io/client-go/kubernetes/fake"
	fwk "k8s.io/kube-scheduler/framework"
	"k8s.io/kubernetes/pkg/scheduler/apis/config"
	"k8s.io/kubernetes/pkg/scheduler/apis/config/testing/defaults"
	"k8s.io/kubernetes/pkg/scheduler/backend/cache"
	"k8s.io/kubernetes/pkg/scheduler/framework"
	"k8s.io/kubernetes/pkg/scheduler/framework/plugins"
	"k8s.io/kubernetes/pkg/scheduler/framework/plugins/names"
	"k8s.io/kubernetes/pkg/scheduler/framework/runtime"
)

// newFramework sets the plugins that matter for such pods up as the default
// profile does, with its weights.
func newFramework(ctx context.Context, see *lister) framework.Framework {
	set := func(list ...config.Plugin) config.PluginSet { return config.PluginSet{Enabled: list} }
	profile := &config.KubeSchedulerProfile{
		SchedulerName: "default-scheduler",
		Plugins: &config.Plugins{
			QueueSort: set(config.Plugin{Name: names.PrioritySort}),
			Bind:      set(config.Plugin{Name: names.DefaultBinder}),
			PreFilter: set(config.Plugin{Name: names.NodeAffinity}, config.Plugin{Name: names.NodePorts},
				config.Plugin{Name: names.NodeResourcesFit}, config.Plugin{Name: names.PodTopologySpread}, config.Plugin{Name: names.InterPodAffinity}),
			Filter: set(config.Plugin{Name: names.NodeUnschedulable}, config.Plugin{Name: names.TaintToleration},
				config.Plugin{Name: names.NodeAffinity}, config.Plugin{Name: names.NodePorts},
				config.Plugin{Name: names.NodeResourcesFit}, config.Plugin{Name: names.PodTopologySpread}, config.Plugin{Name: names.InterPodAffinity}),
			PreScore: set(config.Plugin{Name: names.TaintToleration}, config.Plugin{Name: names.NodeAffinity},
				config.Plugin{Name: names.NodeResourcesFit}, config.Plugin{Name: names.NodeResourcesBalancedAllocation},
				config.Plugin{Name: names.PodTopologySpread}, config.Plugin{Name: names.InterPodAffinity}),
			Score: set(config.Plugin{Name: names.TaintToleration, Weight: 3}, config.Plugin{Name: names.NodeAffinity, Weight: 2},
				config.Plugin{Name: names.NodeResourcesFit, Weight: 1},
				config.Plugin{Name: names.NodeResourcesBalancedAllocation, Weight: 1}, config.Plugin{Name: names.ImageLocality, Weight: 1},
				config.Plugin{Name: names.PodTopologySpread, Weight: 2}, config.Plugin{Name: names.InterPodAffinity, Weight: 2}),
		},
		PluginConfig: defaults.PluginConfigsV1,
	}
	client := fake.NewClientset()
	f, err := runtime.NewFramework(ctx, plugins.NewInTreeRegistry(), profile,
		runtime.WithClientSet(client), runtime.WithInformerFactory(informers.NewSharedInformerFactory(client, 0)),
		runtime.WithSnapshotSharedLister(see))
	if err != nil {
		panic(err)
	}
	return f
}

// play lets the plugins judge each pod in turn.
func play(ctx context.Context, f framework.Framework, see *lister, c *Cluster) {
	var nodes []*v1.Node
	for _, n := range c.Nodes {
		list := v1.ResourceList{
			"cpu": *resource.NewMilliQuantity(n.CPU, resource.DecimalSI), "memory": *resource.NewQuantity(n.Memory, resource.BinarySI),
			"pods":              *resource.NewQuantity(n.Pods, resource.DecimalSI),
			"ephemeral-storage": *resource.NewQuantity(n.Disk, resource.BinarySI),
		}
		for name, count := range n.Extended {
			list[v1.ResourceName(name)] = *resource.NewQuantity(count, resource.DecimalSI)
		}
		node := &v1.Node{
			ObjectMeta: metav1.ObjectMeta{Name: n.Name, Labels: n.Labels}, Spec: v1.NodeSpec{Taints: n.Taints},
			Status: v1.NodeStatus{Capacity: list, Allocatable: list},
		}
		for _, image := range n.Images {
			node.Status.Images = append(node.Status.Images, v1.ContainerImage{Names: []string{image}, SizeBytes: c.Images[image]})
		}
		nodes = append(nodes, node)
	}
	var pods []*v1.Pod
	for i := range c.Steps {
		step := &c.Steps[i]
		pod := &v1.Pod{
			ObjectMeta: metav1.ObjectMeta{Name: fmt.Sprint("pod-", i), Namespace: "slipway", Labels: c.Shapes[step.Shape].Labels},
			Spec:       *c.Shapes[step.Shape].Spec.DeepCopy(),
		}
		see.SharedLister = cache.NewSnapshot(pods, nodes)
		step.Best, step.Refusal = judge(ctx, f, see, pod)
		if len(step.Best) > 0 {
			pod.Spec.NodeName = step.Best[0]
			pods = append(pods, pod)
		}
	}
}

// judge returns the nodes that score best, by name, or why there is none.
func judge(ctx context.Context, f framework.Framework, see *lister, pod *v1.Pod) ([]string, string) {
	state := framework.NewCycleState()
	if _, status, _ := f.RunPreFilterPlugins(ctx, state, pod); !status.IsSuccess() {
		panic(status.Message())
	}
	all, err := see.NodeInfos().List()
	if err != nil {
		panic(err)
	}
	var fit []fwk.NodeInfo
	reasons := map[string]int{}
	for _, n := range all {
		if status := f.RunFilterPlugins(ctx, state, pod, n); status.IsSuccess() {
			fit = append(fit, n)
		} else {
			for _, reason := range status.Reasons() {
				reasons[reason]++
			}
		}
	}
	if len(fit) == 0 {
		var words []string
		for reason, n := range reasons {
			words = append(words, fmt.Sprintf("%d %s", n, reason))
		}
		sort.Strings(words)
		text := fmt.Sprintf(framework.NoNodeAvailableMsg+":", len(all))
		for i, w := range words {
			if i > 0 {
				text += ","
			}
			text += " " + w
		}
		return nil, text + "."
	}
	if status := f.RunPreScorePlugins(ctx, state, pod, fit); !status.IsSuccess() {
		panic(status.Message())
	}
	scores, status := f.RunScorePlugins(ctx, state, pod, fit)
	if !status.IsSuccess() {
		panic(status.Message())
	}
	var best []string
	top := int64(-1)
	for _, s := range scores {
		if s.TotalScore > top {
			top, best = s.TotalScore, nil
		}
		if s.TotalScore == top {
			best = append(best, s.Name)
		}
	}
	slices.Sort(best)
	return best, ""
}
