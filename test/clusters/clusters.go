// Package clusters makes records of clusters whose facts are known, as the API of Kubernetes
// gives them, for what reads them to be tried on.
package clusters

import (
	"encoding/json"
	"fmt"
	"math"
	"math/rand/v2"
	"time"
)

// Truth is what a made cluster does.
type Truth struct {
	Pools  []Pool
	Rate   float64 // bytes a second that one pull gets
	Start  float64 // median seconds from images to started containers
	Attach float64 // median seconds from a pod's placing to its volume's being attached
}

// A Pool is nodes made alike.
type Pool struct {
	Name, Type  string
	CPU, Memory int64 // whole cores, bytes
	Nodes       int
	Boot        float64 // median seconds from asking to ready
	Known       float64 // share of it in which the cluster knows the node
	Tainted     bool
}

type object = map[string]any

// Image is the one that agents are made of, and ImageSize its bytes.
const (
	Image     = "images.brinewell.example/agents/wide:2026.9"
	ImageSize = 2_300_000_000
)

// Make draws a cluster and what its API tells of it.
func Make(seed uint64) (Truth, []byte) {
	r := rand.New(rand.NewPCG(seed, 4))
	normal := func(median, sigma float64) float64 { return median * math.Exp(sigma*r.NormFloat64()) }
	truth := Truth{Rate: (20 + 200*r.Float64()) * 1e6, Start: 2 + 6*r.Float64(), Attach: 6 + 30*r.Float64()}
	for i := range 1 + r.IntN(3) {
		cores := int64(4) << r.IntN(3)
		truth.Pools = append(truth.Pools, Pool{
			Name: []string{"core", "burst", "spot"}[i], Type: fmt.Sprintf("cores-%d", cores), CPU: cores, Memory: cores * 4 << 30,
			Nodes: 8 + r.IntN(30), Boot: 50 + 100*r.Float64(), Known: 0.1 + 0.3*r.Float64(), Tainted: i == 2,
		})
	}
	var items []object
	add := func(kind string, o object) {
		o["kind"], o["apiVersion"] = kind, "v1"
		items = append(items, o)
	}
	clock := time.Date(2026, 9, 14, 6, 0, 0, 0, time.UTC)
	stamp := func(t time.Time) string { return t.UTC().Format(time.RFC3339) }
	event := func(pod, reason, says, host string, at time.Time) {
		add("Event", object{
			"metadata": object{
				"name": fmt.Sprintf("%s.%d", pod, len(items)), "namespace": "slipway",
				"creationTimestamp": stamp(at),
			}, "reason": reason,
			"message": says, "involvedObject": object{"kind": "Pod", "namespace": "slipway", "name": pod}, "firstTimestamp": stamp(at),
			"source": object{"host": host},
		})
	}
	for _, p := range truth.Pools {
		for n := range p.Nodes {
			clock = clock.Add(5 * time.Minute)
			node, pod := fmt.Sprintf("%s-%03d", p.Name, n), fmt.Sprintf("compile-%s-%03d", p.Name, n)
			asked := clock.Add(time.Duration(r.IntN(1000)) * time.Millisecond)
			boot := time.Duration(normal(p.Boot, 0.15) * float64(time.Second))
			ready := asked.Add(boot)
			known := ready.Add(-time.Duration(p.Known * float64(boot)))
			labels := object{
				"kubernetes.io/hostname": node, "kubernetes.io/os": "linux", "kubernetes.io/arch": "amd64", "node.kubernetes.io/instance-type": p.Type,
				"brinewell.example/node-pool": p.Name, "tier": p.Name,
			}
			spec := object{}
			if p.Tainted {
				spec["taints"] = []object{{"key": "brinewell.example/spot", "effect": "NoSchedule"}}
			}
			add("Node", object{
				"metadata": object{"name": node, "creationTimestamp": stamp(known), "labels": labels}, "spec": spec,
				"status": object{
					"capacity": object{
						"cpu": fmt.Sprint(p.CPU), "memory": fmt.Sprintf("%dKi", p.Memory>>10-int64(r.IntN(8))), "pods": "110",
						"ephemeral-storage": "120Gi",
					},
					"allocatable": object{
						"cpu": fmt.Sprintf("%dm", p.CPU*1000-250), "memory": fmt.Sprintf("%dKi", p.Memory>>10-1600<<10),
						"pods": "110", "ephemeral-storage": "108Gi",
					},
					"conditions": []object{{"type": "Ready", "status": "True", "lastTransitionTime": stamp(ready)}},
					"images":     []object{{"names": []string{Image}, "sizeBytes": ImageSize}},
				},
			})
			event(pod, "FailedScheduling", "0/3 nodes are available: 3 Insufficient cpu.", "", asked.Add(-time.Second))
			event(pod, "TriggeredScaleUp", "pod triggered scale-up", "", asked)
			took := time.Duration(ImageSize / normal(truth.Rate, 0.05) * float64(time.Second))
			placed := ready.Add(time.Duration(r.IntN(3000)) * time.Millisecond)
			waited := time.Duration(max(0, 20*r.Float64()-10) * float64(time.Second)) // of half of them, for what else the node pulls
			event(pod, "Pulled", fmt.Sprintf("Successfully pulled image %q in %v (%v including waiting). Image size: %d bytes.", Image,
				took.Round(time.Millisecond), (waited+took).Round(time.Millisecond), ImageSize), node, placed.Add(waited+took))
			started := placed.Add(waited + took).Add(time.Duration(normal(truth.Start, 0.3) * float64(time.Second)))
			add("Pod", object{
				"metadata": object{"name": pod, "namespace": "slipway", "creationTimestamp": stamp(asked.Add(-2 * time.Second))},
				"spec": object{
					"nodeName": node, "restartPolicy": "Never", "priorityClassName": "builds", "priority": 100,
					"containers": []object{{"name": "agent", "image": Image, "resources": object{"requests": object{"cpu": "2", "memory": "4Gi"}}}},
				},
				"status": object{
					"phase": "Running", "conditions": []object{{"type": "PodScheduled", "status": "True", "lastTransitionTime": stamp(placed)}},
					"containerStatuses": []object{{"name": "agent", "state": object{"running": object{"startedAt": stamp(started)}}}},
				},
			})
			volume := time.Duration(normal(truth.Attach, 0.2) * float64(time.Second))
			if n%5 == 4 { // another node had it
				event(pod, "FailedAttachVolume", "Multi-Attach error for volume", node, placed.Add(time.Second))
				volume += 3 * time.Minute
			}
			event(pod, "SuccessfulAttachVolume", `AttachVolume.Attach succeeded for volume "pv-workspace"`, node, placed.Add(volume))
			add("Pod", object{
				"metadata": object{
					"name": "log-tail-" + node, "namespace": "kube-system", "creationTimestamp": stamp(known),
					"ownerReferences": []object{{"kind": "DaemonSet", "name": "log-tail"}},
				},
				"spec": object{"nodeName": node, "restartPolicy": "Always", "containers": []object{
					{
						"name": "tail", "image": "images.brinewell.example/tools/log-tail:1.4",
						"resources": object{"requests": object{"cpu": "50m", "memory": "64Mi"}},
					},
				}},
				"status": object{"phase": "Running"},
			})
		}
	}
	add("PersistentVolumeClaim", object{
		"metadata": object{"name": "workspace", "namespace": "slipway"},
		"spec":     object{"accessModes": []string{"ReadWriteOnce"}, "resources": object{"requests": object{"storage": "20Gi"}}},
	})
	zone := "brinewell-north-" + string(rune('a'+r.IntN(3)))
	add("PersistentVolume", object{
		"metadata": object{"name": "pv-workspace"},
		"spec": object{"storageClassName": "ledge", "nodeAffinity": object{"required": object{"nodeSelectorTerms": []object{
			{"matchExpressions": []object{{"key": "topology.kubernetes.io/zone", "operator": "In", "values": []string{zone}}}},
		}}}},
	})
	for _, q := range []object{
		{"hard": object{"pods": "60", "requests.cpu": "120", "limits.memory": "1Ti"}},
		{"hard": object{"count/pods": "54", "memory": "512Gi"}},
		{"hard": object{"pods": "3"}, "scopes": []string{"BestEffort"}},
	} {
		add("ResourceQuota", object{"metadata": object{"name": fmt.Sprintf("agents-%d", len(items)), "namespace": "slipway"}, "spec": q})
	}
	add("LimitRange", object{"metadata": object{"name": "usual", "namespace": "slipway"}, "spec": object{"limits": []object{
		{"type": "Container", "defaultRequest": object{"cpu": "500m", "memory": "256Mi"}, "max": object{"memory": "24Gi"}},
	}}})
	add("ConfigMap", object{"metadata": object{"name": "x", "namespace": "slipway"}})
	out, err := json.Marshal(object{"kind": "List", "apiVersion": "v1", "items": items})
	if err != nil {
		panic(err)
	}
	return truth, out
}
