package learn

import (
	"errors"
	"fmt"
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
	bad := fmt.Errorf("%q is no node; write its CPU, memory and price an hour, as in 8,32Gi,0.40", s)
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
	slices.Sort(offers)
	offers = slices.Compact(offers)
	if len(offers) == 0 {
		offers = []string{"any"}
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
		return "", fmt.Errorf("an agent would ask for %s CPU and %s, of which a node of %s CPU and %s has not enough; name a larger node", cpu,
			request.Short(), n.CPU, n.Memory.Short())
	}
	name := out.Name
	if len(name) > 50 {
		return "", errors.New("the name of the workload is too long to name others after it; give a shorter one")
	}
	text := fmt.Sprintf(`# To begin with: what the log does not tell is assumed, and said to be. Measure it and write
# it here, or take your own cluster and templates instead.
apiVersion: tachyphor/v1
kind: Cluster
metadata: {name: %[1]s-cluster}
spec:
  currency: %[2]s
  nodeTypes:
    - {name: node, cpu: %[3]s, memory: %[4]s, price: %[5]s/h, reserved: {cpu: %[6]s, memory: %[7]s, pods: 6}} # reserved: assumed
  pools:
    - {name: agents, nodeType: node, max: 100, boot: {median: 90s, p95: 120s}} # assumed
  images:
    - {name: "registry.example/agent:1", size: 1GB} # assumed
  links: {registry: {down: 100MB/s}} # assumed
  agents: {start: 3s, join: 4s, wipe: 4s} # assumed
---
apiVersion: v1
kind: PodTemplate
metadata:
  name: %[1]s-agent
  namespace: agents
  annotations: {tachyphor/offers: %[8]q}
template:
  spec:
    restartPolicy: Never
    containers:
      - name: agent
        image: registry.example/agent:1
        resources:
          requests:
            cpu: %[9]s # %[10]s
            memory: %[11]s # %[12]s
          limits: {memory: %[11]s}
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
`, name, n.Currency, n.CPU, n.Memory, n.Price, n.CPU-usableCPU, (n.Memory-usable)>>20<<20, strings.Join(offers, ", "),
		cpu, whyCPU, request, whyMemory)
	if _, faults := document.Parse("begin", []byte(text)); len(faults) > 0 {
		return "", faults
	}
	return text, nil
}
