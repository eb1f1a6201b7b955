package cluster

import (
	"tachyphor/core/document"
	"tachyphor/core/kit"
	"tachyphor/demo"
)

// StartDemo starts the cluster of the demo world with the access kit of its
// templates applied, the controller and the agents' Secret beside it, and writes a
// kubeconfig for it.
func StartDemo(kubeconfig string, speed float64) (*Cluster, error) {
	read := func(path string) (*document.Document, error) {
		b, err := demo.World.ReadFile(path)
		if err != nil {
			return nil, err
		}
		docs, faults := document.Parse(path, b)
		if len(faults) > 0 {
			return nil, faults
		}
		return docs[0], nil
	}
	facts, err := read("cluster.yaml")
	if err != nil {
		return nil, err
	}
	in := kit.Input{Cluster: facts}
	if in.Scenario, err = read("scenarios/weekday-lean.yaml"); err != nil {
		return nil, err
	}
	for _, use := range in.Scenario.Value.(*document.Scenario).Spec.Templates {
		d, err := read("templates/" + use.Template + ".yaml")
		if err != nil {
			return nil, err
		}
		in.Templates = append(in.Templates, d)
	}
	list, err := kit.Kit(in)
	if err != nil {
		return nil, err
	}
	c, err := Start(Options{Facts: &facts.Value.(*document.Cluster).Spec, Name: facts.Name, Speed: speed})
	if err != nil {
		return nil, err
	}
	if err = c.Put(kit.Stream(list) + "---\n" + demo.Beside); err == nil {
		err = c.Kubeconfig(kubeconfig)
	}
	if err != nil {
		_ = c.Close()
		return nil, err
	}
	return c, nil
}
