package learn

import (
	"errors"
	"fmt"
	"maps"
	"math"
	"slices"
	"strings"

	"tachyphor/core/document"
	"tachyphor/core/units"
)

// A Node is a node to begin with: as a person says it, CPU, memory and price an hour.
type Node struct {
	CPU      units.MilliCPU
	Memory   units.Bytes
	Price    string // an hour, as in 0.40
	Currency string
}

// ParseNode reads "8,32Gi,0.40".
func ParseNode(s, currency string) (n Node, err error) {
	bad := fmt.Errorf("%q is not a node; write its CPU, memory and price an hour, as in 8,32Gi,0.40", s)
	parts := strings.Split(s, ",")
	if len(parts) != 3 {
		return n, bad
	}
	if n.CPU, err = units.ParseMilliCPU(strings.TrimSpace(parts[0])); err != nil || n.CPU < 500 {
		return n, bad
	}
	if n.Memory, err = units.ParseBytes(strings.TrimSpace(parts[1])); err != nil || n.Memory < 1<<30 {
		return n, bad
	}
	n.Price = strings.TrimSuffix(strings.TrimSpace(parts[2]), "/h")
	if x, ok := decimalPoint.number(n.Price); !ok || x < 0 || x > 1e6 {
		return n, bad
	}
	n.Currency = currency
	return n, nil
}

// beginImage is the image of agents of which nothing is known.
const beginImage = "registry.example/agent:1"

// agentsOnNode is how many agents go on a node to begin with, where the log does not say
// what jobs need.
const agentsOnNode = 4

// Begin writes documents to begin with, so that the workload can be simulated at once: a
// cluster of one type of node, a template whose agents offer everything that is wanted, and
// a scenario with an agent for each job. What nobody measured is said to be assumed where
// it stands.
func (out *LearnedJobs) Begin(n Node) (string, error) {
	var offers []string
	var cores float64
	memory := 0.0
	for _, c := range out.Classes {
		offers = append(offers, c.Wants...)
		if c.Memory != nil {
			memory = max(memory, c.Memory.P95High)
		}
	}
	docs, faults := document.Parse(out.File, []byte(out.Workload))
	if len(faults) > 0 {
		return "", faults
	}
	for _, k := range docs[0].Value.(*document.Workload).Spec.Classes {
		cores = max(cores, k.Cores)
	}
	usableCPU, usable := n.usable()
	cpu, whyCPU := usableCPU/agentsOnNode/50*50, fmt.Sprintf("assumed: %d agents on a node", agentsOnNode)
	if cores > 0 {
		cpu, whyCPU = units.MilliCPU(math.Ceil(cores*20))*50, "what the busiest class keeps busy"
	}
	request, whyMemory := usable/agentsOnNode>>20<<20, fmt.Sprintf("assumed: %d agents on a node", agentsOnNode)
	if memory > 0 {
		request, whyMemory = units.Bytes(math.Ceil(memory*1.1/(64<<20)))*(64<<20), "95 % of the jobs of every class, and a tenth"
	}
	if cpu > usableCPU || request > usable {
		return "", fmt.Errorf("an agent would ask for %s CPU and %s, and a node of %s CPU and %s does not have enough; name a larger node", cpu,
			request.Short(), n.CPU, n.Memory.Short())
	}
	name := out.Name
	if len(name) > 50 {
		return "", errors.New("the name of the workload is too long to name others after it; give a shorter one")
	}
	text := n.cluster(name+"-cluster", []map[string]string{nil}, []string{beginImage}, nil) + fmt.Sprintf(`---
apiVersion: v1
kind: PodTemplate
metadata:
  name: %[1]s-agent
  namespace: agents
  annotations: {tachyphor/offers: %[2]q}
template:
  spec:
    restartPolicy: Never
    containers:
      - name: agent
        image: %[7]s
        resources:
          requests:
            cpu: %[3]s # %[4]s
            memory: %[5]s # %[6]s
          limits: {memory: %[5]s}
---
# One agent for each job, from nothing: what waiting costs least, and delays most.
apiVersion: tachyphor/v1
kind: Scenario
metadata: {name: %[1]s-first}
spec:
  cluster: %[1]s-cluster
  workload: %[1]s
  templates:
    - template: %[1]s-agent
      agents: {reuse: never}
  run: {repeats: 8, seed: 1}
`, name, wordsOffered(offers), cpu, whyCPU, request, whyMemory, beginImage)
	if _, faults := document.Parse("begin", []byte(text)); len(faults) > 0 {
		return "", faults
	}
	return text, nil
}

// wordsOffered writes what a template offers that is to take all jobs, by what they want.
func wordsOffered(wants []string) string {
	words := slices.Compact(slices.Sorted(slices.Values(wants)))
	if len(words) == 0 {
		return "any"
	}
	return strings.Join(words, ", ")
}

// usable is what of a node agents can use, where nobody measured it.
func (n Node) usable() (units.MilliCPU, units.Bytes) { return n.CPU * 94 / 100, n.Memory * 92 / 100 }

// clusterAssumes says what cluster assumes.
var clusterAssumes = []string{
	"a node is ready 90 s after it was asked for (95 % within 120 s), and there are at most 100",
	"each image has 1 GB, the registry gives 100 MB/s to a node", "containers start in 3 s, an agent joins in 4 s and goes in 4 s",
}

// cluster writes a cluster of such nodes to begin with: a pool for each set of labels, the images that agents are made
// of, extended resources where there are some. What nobody measured is said to be assumed where it stands.
func (n Node) cluster(name string, pools []map[string]string, images []string, extended map[string]int64) string {
	usableCPU, usable := n.usable()
	var b strings.Builder
	fmt.Fprintf(&b, `# To begin with: what nobody said is assumed, and said to be. Measure it and write it here
# (tachyphor learn cluster, tachyphor rehearse), or take a cluster of your own instead.
apiVersion: tachyphor/v1
kind: Cluster
metadata: {name: %s}
spec:
  currency: %s
  nodeTypes:
    - name: node
      cpu: %s
      memory: %s
      price: %s/h
      reserved: {cpu: %s, memory: %s, pods: 6} # assumed
`, name, n.Currency, n.CPU, n.Memory, n.Price, n.CPU-usableCPU, (n.Memory-usable)>>20<<20)
	if len(extended) > 0 {
		b.WriteString("      extended: # assumed\n")
		for _, r := range slices.Sorted(maps.Keys(extended)) {
			fmt.Fprintf(&b, "        %q: %d\n", r, extended[r])
		}
	}
	b.WriteString("  pools:\n")
	for i, labels := range pools {
		pool := "agents"
		if i > 0 {
			pool = fmt.Sprintf("agents-%d", i+1)
		}
		fmt.Fprintf(&b, "    - name: %s\n      nodeType: node\n      max: 100\n      boot: {median: 90s, p95: 120s} # assumed\n", pool)
		if len(labels) > 0 {
			b.WriteString("      labels:\n")
			for _, k := range slices.Sorted(maps.Keys(labels)) {
				fmt.Fprintf(&b, "        %q: %q\n", k, labels[k])
			}
		}
	}
	b.WriteString("  images: # sizes: assumed\n")
	for _, image := range images {
		fmt.Fprintf(&b, "    - {name: %q, size: 1GB}\n", image)
	}
	b.WriteString("  links: {registry: {down: 100MB/s}} # assumed\n  agents: {start: 3s, join: 4s, wipe: 4s} # assumed\n")
	return b.String()
}
