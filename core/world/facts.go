package world

import (
	"fmt"
	"slices"

	"tachyphor/core/document"
)

// missing lists, for each cache plan, the facts of a cluster that it rests on and that
// the document does not say: without them what it costs, how long it takes or how much
// it holds counts as nothing, at once or endless.
func missing(d *document.Document, c *document.ClusterSpec, pools []Pool) map[document.CachePlan][]string {
	out := map[document.CachePlan][]string{}
	need := func(plan document.CachePlan, paths ...string) { // any of them will do
		if !slices.ContainsFunc(paths, d.Says) {
			out[plan] = append(out[plan], paths[0])
		}
	}
	need(document.Archive, "spec.links.store.perFlow", "spec.links.store.down")
	need(document.Archive, "spec.links.store.perFlowUp", "spec.links.store.up")
	need(document.Archive, "spec.store.pack")
	need(document.Archive, "spec.store.unpack")
	need(document.Archive, "spec.store.price")
	need(document.Volume, "spec.volumes.attach")
	need(document.Volume, "spec.volumes.price")
	need(document.Baked, "spec.links.registry.down", "spec.links.registry.perFlow")
	for i, t := range c.NodeTypes {
		if !slices.ContainsFunc(pools, func(p Pool) bool { return p.Type == t.Name && p.Max > 0 }) {
			continue
		}
		for plan, field := range map[document.CachePlan]string{document.NodeDisk: "cacheDisk", document.Baked: "unpack"} {
			if !d.Says(fmt.Sprintf("spec.nodeTypes[%d].%s", i, field)) {
				out[plan] = append(out[plan], fmt.Sprintf("spec.nodeTypes[%s].%s", t.Name, field))
			}
		}
	}
	return out
}

// Missing lists the facts that some rules' plans rest on and that the cluster does not
// say.
func (w *World) Missing(rules []document.CacheRule) (fields []string) {
	for _, r := range rules {
		for _, f := range w.missing[r.Plan] {
			if !slices.Contains(fields, f) {
				fields = append(fields, f)
			}
		}
	}
	return fields
}
