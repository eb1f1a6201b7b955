// Command oracle records what the real Kubernetes scheduler's own plugins say of
// generated clusters and pods, as test data for placement:
//
//	cd test/oracle && go run . > ../../core/sim/testdata/scheduler.json.gz
//
// For each pod in turn it notes the nodes that score best, or the words of the
// refusal, and places the pod on the first of the best by name. Clusters and
// pods are drawn from a fixed seed.
package main

import (
	"compress/gzip"
	"context"
	"encoding/json"
	"math/rand/v2"
	"os"

	v1 "k8s.io/api/core/v1"
	fwk "k8s.io/kube-scheduler/framework"
	"k8s.io/kubernetes/pkg/scheduler/metrics"
)

// How much is recorded.
const (
	clusters = 520
	podsEach = 40
)

// Recording is the whole of the test data.
type Recording struct {
	Version  string
	Clusters []Cluster
}

// Cluster is a generated cluster and what happened to its pods in turn.
type Cluster struct {
	Images map[string]int64 // sizes
	Nodes  []Node
	Shapes []Shape
	Steps  []Step
}

// Shape is what pods are made of.
type Shape struct {
	Labels map[string]string `json:",omitempty"`
	Spec   v1.PodSpec
}

// Node is a generated node.
type Node struct {
	Name   string
	CPU    int64 // thousandths
	Memory int64
	Pods   int64
	Disk   int64
	// Extended are counts of extended resources by name.
	Extended map[string]int64 `json:",omitempty"`
	Labels   map[string]string
	Taints   []v1.Taint `json:",omitempty"`
	Images   []string
}

// Step is one pod: its shape, the best nodes or the refusal.
type Step struct {
	Shape   int
	Best    []string `json:",omitempty"`
	Refusal string   `json:",omitempty"`
}

// lister lets the plugins see the present state.
type lister struct{ fwk.SharedLister }

func main() {
	metrics.Register()
	r := rand.New(rand.NewPCG(7, 37))
	out := Recording{Version: "k8s.io/kubernetes v1.37.2"}
	ctx := context.Background()
	see := &lister{}
	f := newFramework(ctx, see)
	for range clusters {
		c := draw(r)
		play(ctx, f, see, &c)
		out.Clusters = append(out.Clusters, c)
	}
	z, _ := gzip.NewWriterLevel(os.Stdout, gzip.BestCompression)
	if err := json.NewEncoder(z).Encode(out); err != nil {
		panic(err)
	}
	if err := z.Close(); err != nil {
		panic(err)
	}
}
