package learn

import (
	"errors"
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"

	"tachyphor/core/demand"
	"tachyphor/core/document"
	"tachyphor/core/template"
	"tachyphor/core/units"
)

// A Beginning is documents with which a workload can be simulated at once, by templates that somebody has.
type Beginning struct {
	Text      string         `json:"text" doc:"The documents, as a stream: templates, a cluster, a scenario."`
	Templates []BegunAgent   `json:"templates" doc:"The templates, in order of preference."`
	Cluster   string         `json:"cluster" doc:"Name of the cluster."`
	Scenario  string         `json:"scenario" doc:"Name of the scenario."`
	CPU       units.MilliCPU `json:"cpu" doc:"CPU of a node."`
	Memory    units.Bytes    `json:"memory" doc:"Memory of a node."`
	Price     string         `json:"price" doc:"Price of a node an hour."`
	Assumed   []string       `json:"assumed" doc:"What is assumed, for nobody said it."`
	Unmatched []string       `json:"unmatched" doc:"Classes that no template takes, with what the nearest lacks."`

	Documents []*document.Document `json:"-"` // of the text
}

// BegunAgent is a template to begin with.
type BegunAgent struct {
	Name    string   `json:"name" doc:"Its name."`
	From    string   `json:"from" doc:"Kind of the object that it was taken out of."`
	Offers  []string `json:"offers" doc:"Words that it offers."`
	Given   bool     `json:"given" doc:"Its offers were not in the manifest: it was given all that jobs want."`
	Request string   `json:"request" doc:"What one agent requests."`
	Left    []string `json:"left" doc:"Fields of the manifest that were left behind."`
}

// shapes are nodes to choose from where nobody names one, the smallest first: cores, and 4 GiB for each.
var shapes = []units.MilliCPU{4000, 8000, 16_000, 32_000, 64_000, 96_000}

const (
	// beginPrice is assumed for an hour of a core.
	beginPrice = 0.05
	// beginTogether is how many agents of the largest kind an assumed node holds at least, where there is one that does.
	beginTogether = 2
)

// BeginWith writes documents with which a workload can be simulated at once: templates as they are, or out of the
// objects that hold them, with offers where they have none; a cluster whose nodes hold them; a scenario. What nobody
// measured is assumed, and said to be where it stands. node is nil where nobody names one. existing names a cluster that
// is there already, and then none is made.
func BeginWith(name string, workload *document.WorkloadSpec, templates []*document.Document, node *Node, currency, existing string) (*Beginning, error) {
	if len(templates) == 0 {
		return nil, errors.New("there is no pod template in it: give a PodTemplate, or a Pod, Deployment, Job or the like")
	}
	if len(name) > 50 {
		return nil, errors.New("the name is too long to name others after it; give a shorter one")
	}
	var wants []string
	for _, c := range workload.Classes {
		wants = append(wants, c.Wants...)
	}
	wanted := wordsOffered(wants)
	out := &Beginning{Cluster: existing, Scenario: name + "-first", Assumed: []string{}, Unmatched: []string{}}
	var texts []string
	var agents []template.Agent
	for _, d := range templates {
		text, b := d.Text, BegunAgent{Name: d.Name, From: d.Lift.From, Left: d.Lift.Left}
		if template.Annotated(d.Value.(*document.PodTemplate), template.OffersAnnotation) == "" {
			var err error
			if text, err = document.Apply(text, []document.Edit{{
				Op: "add", Path: document.Pointer("metadata", "annotations", template.OffersAnnotation), Value: wanted,
			}}); err != nil {
				return nil, err
			}
			read, faults := document.Parse(d.File, []byte(text))
			if len(faults) > 0 {
				return nil, faults
			}
			d, b.Given = read[0], true
		}
		a, faults := template.Read(d)
		if len(faults) > 0 {
			return nil, faults
		}
		b.Offers, b.Request = a.Offers, a.Request.CPU.String()+" CPU, "+a.Request.Memory.Short()
		if b.Left == nil {
			b.Left = []string{}
		}
		texts, agents, out.Templates = append(texts, text), append(agents, a), append(out.Templates, b)
	}
	offers := make([]demand.Offer, len(agents))
	for i, a := range agents {
		offers[i] = demand.Offer{Words: a.Offers, Named: a.Named}
	}
	for _, c := range workload.Classes {
		switch m := demand.Matching(c.Wants, offers); {
		case m.Template >= 0:
		case len(m.Missing) == 0:
			out.Unmatched = append(out.Unmatched, c.Name+" wants nothing, and every template takes only jobs that name something it offers")
		default:
			out.Unmatched = append(out.Unmatched, c.Name+": no template offers "+strings.Join(m.Missing, ", "))
		}
	}
	if existing == "" {
		cluster, err := out.cluster(name, agents, templates, node, currency)
		if err != nil {
			return nil, err
		}
		texts = append(texts, cluster)
	}
	out.Text = strings.Join(append(texts, out.scenario(name)), "---\n")
	var faults document.Faults
	if out.Documents, faults = document.Parse("", []byte(out.Text)); len(faults) > 0 {
		return nil, faults
	}
	return out, nil
}

// cluster writes a cluster whose nodes hold the agents.
func (out *Beginning) cluster(name string, agents []template.Agent, templates []*document.Document, node *Node, currency string) (string, error) {
	var most template.Request
	extended := map[string]int64{}
	for _, a := range agents {
		most.CPU, most.Memory = max(most.CPU, a.Request.CPU), max(most.Memory, a.Request.Memory)
		for r, n := range a.Extended {
			extended[r] = max(extended[r], n*beginTogether)
		}
	}
	if currency == "" {
		currency = "EUR"
	}
	n := Node{Currency: currency}
	if node != nil {
		n = *node
		if !holds(n, most, 1) {
			return "", fmt.Errorf("an agent asks for %s CPU and %s, and a node of %s CPU and %s does not have enough; name a larger node", most.CPU,
				most.Memory.Short(), n.CPU, n.Memory.Short())
		}
	} else {
		for _, n.CPU = range shapes {
			if n.Memory = units.Bytes(n.CPU/1000) << 32; holds(n, most, beginTogether) {
				break
			}
		}
		for !holds(n, most, 1) {
			n.CPU, n.Memory = 2*n.CPU, 2*n.Memory
		}
		n.Price = strconv.FormatFloat(float64(n.CPU)/1000*beginPrice, 'f', 2, 64)
		out.Assumed = append(out.Assumed, fmt.Sprintf("nodes of %s CPU and %s at %s %s an hour (%.2f a core)", n.CPU, n.Memory.Short(), n.Currency, n.Price, beginPrice))
	}
	out.Cluster, out.CPU, out.Memory, out.Price = name+"-cluster", n.CPU, n.Memory, n.Price
	out.Assumed = append(out.Assumed, clusterAssumes...)
	var images []string
	for _, a := range agents {
		for _, image := range a.Images {
			if !slices.Contains(images, image) {
				images = append(images, image)
			}
		}
	}
	return n.cluster(out.Cluster, selectors(templates), images, extended), nil
}

// holds reports whether a node has room for so many agents.
func holds(n Node, one template.Request, many int) bool {
	cpu, memory := n.usable()
	return one.CPU*units.MilliCPU(many) <= cpu && one.Memory*units.Bytes(many) <= memory
}

// selectors are the labels that templates want of their nodes, each set once.
func selectors(templates []*document.Document) []map[string]string {
	var out []map[string]string
	for _, d := range templates {
		s := d.Value.(*document.PodTemplate).Template.Spec.NodeSelector
		if !slices.ContainsFunc(out, func(o map[string]string) bool { return maps.Equal(o, s) }) {
			out = append(out, s)
		}
	}
	return out
}

func (out *Beginning) scenario(workload string) string {
	var b strings.Builder
	fmt.Fprintf(&b, `# The templates as they are, with as many agents as there are jobs: a first look at what waits for what.
apiVersion: tachyphor/v1
kind: Scenario
metadata: {name: %s}
spec:
  cluster: %s
  workload: %s
  templates:
`, out.Scenario, out.Cluster, workload)
	for _, t := range out.Templates {
		fmt.Fprintf(&b, "    - template: %s\n", t.Name)
	}
	b.WriteString("  run: {repeats: 8, seed: 1}\n")
	return b.String()
}
