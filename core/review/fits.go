package review

import (
	"errors"
	"fmt"
	"strings"

	"tachyphor/core/document"
	"tachyphor/core/fleet"
	"tachyphor/core/template"
	"tachyphor/core/units"
)

// Fits say how agents of some templates go on the nodes of a cluster.
type Fits struct {
	Cluster   string      `json:"cluster" doc:"Name of the cluster."`
	Currency  string      `json:"currency" doc:"Currency of prices."`
	Templates []string    `json:"templates" doc:"Templates, in the order in which they were named."`
	Fits      []fleet.Fit `json:"fits" doc:"Each template on each pool."`
	// Mixes are there for several templates: for each pool the agents that are worth
	// most together on one node.
	Mixes []fleet.Mix `json:"mixes" doc:"For several templates: for each pool the agents on one node that are worth most together."`
}

// mostMixed is how many templates a mix is looked for.
const mostMixed = 6

// Fit says how agents of templates on the shelf go on the nodes of a cluster, the
// only one on the shelf where none is named.
func (s *Shelf) Fit(docs []*document.Document, cluster string) (Fits, error) {
	facts, err := s.Facts(cluster)
	if err != nil {
		return Fits{}, err
	}
	spec := &facts.Value.(*document.Cluster).Spec
	out := Fits{Cluster: facts.Name, Currency: spec.Currency, Templates: []string{}, Fits: []fleet.Fit{}, Mixes: []fleet.Mix{}}
	var agents []template.Agent
	for _, d := range docs {
		a, _ := template.Read(d)
		agents, out.Templates = append(agents, a), append(out.Templates, d.Name)
	}
	names := fleet.ExtendedNames(agents...)
	sites := fleet.Sites(spec, names)
	worth := make([]float64, len(agents))
	for i, a := range agents {
		for j := range sites {
			f := sites[j].FitOn(a, names)
			if f.Agents > 0 && f.PerHour > 0 && (worth[i] == 0 || f.PerHour < worth[i]) {
				worth[i] = f.PerHour
			}
			out.Fits = append(out.Fits, f)
		}
	}
	if len(agents) > 1 && len(agents) <= mostMixed {
		for j := range sites {
			out.Mixes = append(out.Mixes, sites[j].BestMix(agents, names, worth))
		}
	}
	return out, nil
}

// Runs says what a mean run costs on each pool, by how long one of each template takes.
func (f *Fits) Runs(means map[string]units.Duration) {
	for i := range f.Fits {
		x := &f.Fits[i]
		x.PerRun = float64(x.PerHour * means[x.Template].Hours())
	}
}

// Facts returns the cluster of a name, the only one on the shelf where none is named.
func (s *Shelf) Facts(cluster string) (*document.Document, error) {
	facts := s.Lone(document.KindCluster)
	if cluster != "" {
		if facts = s.Find(document.KindCluster, cluster); facts == nil {
			return nil, fmt.Errorf("there is no cluster %s; %s", cluster, s.clusters())
		}
	}
	if facts == nil {
		return nil, errors.New("name the cluster whose nodes are meant; " + s.clusters())
	}
	return facts, nil
}

// clusters says which clusters there are.
func (s *Shelf) clusters() string {
	var names []string
	for _, d := range s.OfKind(document.KindCluster) {
		names = append(names, d.Name)
	}
	if len(names) == 0 {
		return "there is none"
	}
	return "there are " + strings.Join(names, ", ")
}
