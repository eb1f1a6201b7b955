package explore

import (
	"encoding/json"
	"slices"
	"strings"

	"tachyphor/core/document"
	"tachyphor/core/weigh"
	"tachyphor/core/world"
)

// nodeTypes are knobs for the node types of pools that grow: those on which every template still
// fits that a pool takes today.
func nodeTypes(in world.Input, today *world.World) (out []document.Knob) {
	c := &in.Cluster.Value.(*document.Cluster).Spec
	in.Jobless, in.Recording = true, nil
	for p, pool := range c.Pools {
		if pool.Max <= pool.Min || len(c.NodeTypes) < 2 {
			continue
		}
		at := "pools" + document.Pointer(pool.Name) + "/nodeType"
		k := document.Knob{Name: "pool " + pool.Name + " nodes", At: "Cluster/spec/" + at}
		pointer, _, err := in.Cluster.Field(document.Steps("spec/" + at))
		if err != nil {
			continue
		}
		for _, t := range c.NodeTypes {
			if t.Name == pool.NodeType {
				k.Values = append(k.Values, document.Value{Plain: t.Name})
				continue
			}
			edit := document.Edit{Op: "replace", Path: pointer, Value: t.Name}
			named, faults, err := in.Named.With([]document.Changes{{Kind: document.KindCluster, Name: in.Cluster.Name, Edits: []document.Edit{edit}}})
			if err != nil || len(faults) > 0 {
				continue
			}
			other := in
			other.Named = named
			if w, faults := world.Assemble(other); len(faults) == 0 && takesAll(today, w, p) {
				k.Values = append(k.Values, document.Value{Plain: t.Name})
			}
		}
		if len(k.Values) > 1 {
			out = append(out, k)
		}
	}
	return out
}

// takesAll reports whether a pool takes in one world every template that it takes in another.
func takesAll(before, then *world.World, pool int) bool {
	for t := range before.Templates {
		if slices.Contains(before.Takers(t), pool) && !slices.Contains(then.Takers(t), pool) {
			return false
		}
	}
	return true
}

// cachePlans is the knob for what becomes of workspaces: plain plans of each kind for which the
// cluster says all that they rest on, and none where the scenario has one. ok is false where there
// is nothing to choose.
func cachePlans(w *world.World, has bool) (k document.Knob, ok bool) {
	k = document.Knob{Name: "cache plan", At: "Scenario/spec/caching"}
	for _, p := range weigh.Plain(w) {
		if len(w.Missing(p.Rules)) > 0 || len(p.Rules) == 0 && !has {
			continue
		}
		var plain any
		b, err := json.Marshal(p.Rules)
		if err != nil || json.Unmarshal(b, &plain) != nil {
			continue
		}
		k.Values = append(k.Values, document.Value{Plain: plain})
	}
	return k, len(k.Values) > 0
}

// saidRules writes cache rules as their plan is called; ok is false where a value is none that has
// a name.
func saidRules(value any) (text string, ok bool) {
	list, ok := value.([]any)
	if !ok {
		return "", false
	}
	rules := make([]document.CacheRule, len(list))
	for i, x := range list {
		rules[i].Defaults()
		b, err := json.Marshal(x)
		if err != nil || json.Unmarshal(b, &rules[i]) != nil {
			return "", false
		}
	}
	label, ok := weigh.Called(rules)
	return strings.ReplaceAll(label, ", ", " "), ok // settings stand in a line, parted by commas
}
