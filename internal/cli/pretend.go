package cli

import (
	"path/filepath"

	"tachyphor/core/document"
	"tachyphor/core/kit"
	"tachyphor/demo"
	"tachyphor/internal/kube"
	"tachyphor/internal/standin/cluster"
)

// pretendedCluster is the file in the demo's state folder by which its pretended
// cluster is reached.
const pretendedCluster = "cluster.yaml"

// pretend starts the demo's pretended cluster, with the access kit applied, and
// returns how it is reached.
func (p *program) pretend() (*cluster.Cluster, kube.Options, error) {
	o := kube.Options{Kubeconfig: filepath.Join(p.state, pretendedCluster)}
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
		return nil, o, err
	}
	in := kit.Input{Cluster: facts}
	if in.Scenario, err = read("scenarios/weekday-lean.yaml"); err != nil {
		return nil, o, err
	}
	for _, name := range []string{"compile-wide", "small-steady", "image-maker"} {
		d, err := read("templates/" + name + ".yaml")
		if err != nil {
			return nil, o, err
		}
		in.Templates = append(in.Templates, d)
	}
	list, err := kit.Kit(in)
	if err != nil {
		return nil, o, err
	}
	c, err := cluster.Start(cluster.Options{Facts: &facts.Value.(*document.Cluster).Spec, Name: facts.Name})
	if err != nil {
		return nil, o, err
	}
	if err = c.Put(kit.Stream(list) + "---\n" + demo.Beside); err == nil {
		err = c.Kubeconfig(o.Kubeconfig)
	}
	if err != nil {
		_ = c.Close()
		return nil, o, err
	}
	return c, o, nil
}
