package world_test

import (
	"reflect"
	"slices"
	"strings"
	"testing"

	"tachyphor/core/document"
	"tachyphor/core/world"
	"tachyphor/test/worlds"
)

// north is a cluster of two types of nodes, a made workload and a scenario of one
// template.
const north = `
apiVersion: tachyphor/v1
kind: Cluster
metadata: {name: c}
spec:
  currency: EUR
  nodeTypes: [{name: small, cpu: 4, memory: 16Gi, price: 0.2/h}, {name: large, cpu: 16, memory: 64Gi, price: 0.7/h, spotPrice: 0.3/h}]
  pools:
    - {name: steady, nodeType: small, max: 3}
    - {name: spare, nodeType: large, max: 2, spot: {perHour: 0.01}, taints: [{key: spot, effect: NoSchedule}], labels: {zone: b}}
  images: [{name: i, size: 1Gi}]
---
apiVersion: tachyphor/v1
kind: Workload
metadata: {name: w}
spec: {start: 2026-09-14T00:00:00Z, classes: [{name: k, wants: [x], work: 60s, workspace: {cold: 30s, size: 1Gi, changeRate: 0.1}, arrivals: {hours: [{when: "Mon-Sun 00:00-24:00", perHour: 10}]}}]}
---
apiVersion: tachyphor/v1
kind: Scenario
metadata: {name: s}
spec: {cluster: c, workload: w, templates: [{template: t, agents: {ceiling: 5}}], run: {span: 1d, repeats: 2}}
`

// A template whose pods fit no node of any pool is refused before the run.
func TestImpossibleTemplateIsRefused(t *testing.T) {
	recorded := strings.Replace(north, "classes: [", "jobs: {file: jobs.csv}, classes: [", 1)
	recorded = strings.Replace(recorded, `, arrivals: {hours: [{when: "Mon-Sun 00:00-24:00", perHour: 10}]}`, "", 1)
	for name, c := range map[string]struct{ docs, template string }{
		"fits no node":             {north, worlds.Template("t", "x", "9", "2Gi", "i")},
		"does not know its size":   {north, worlds.Template("t", "x", "1", "2Gi", "other")},
		"no PodTemplate":           {north, worlds.Template("u", "x", "1", "2Gi", "i")},
		"say what the agent can":   {north, worlds.Template("t", "", "1", "2Gi", "i")},
		"recorded jobs are missin": {recorded, worlds.Template("t", "x", "1", "2Gi", "i")},
	} {
		if _, err := worlds.Parse(c.docs+c.template, ""); err == nil || !strings.Contains(err.Error(), name) {
			t.Errorf("want %q: %v", name, err)
		}
	}
}

func parsed(t *testing.T, text string) *world.World {
	t.Helper()
	w, err := worlds.Parse(text, "")
	if err != nil {
		t.Fatal(err)
	}
	return w
}

// Which pools take a template's agents: by taints, labels and room; at the price of spot
// nodes where they are such.
func TestTakers(t *testing.T) {
	text := north + worlds.Template("t", "x", "2", "4Gi", "i")
	if w := parsed(t, text); !slices.Equal(w.Takers(0), []int{0}) || w.Pools[1].Price.String() != "0.3/h" ||
		w.Pools[0].Price.String() != "0.2/h" {
		t.Errorf("%v, %v", w.Takers(0), w.Pools[1].Price)
	}
	tolerant := strings.Replace(text, "    containers:", "    tolerations: [{key: spot, operator: Exists}]\n    containers:", 1)
	if w := parsed(t, tolerant); !slices.Equal(w.Takers(0), []int{0, 1}) {
		t.Error(w.Takers(0))
	}
	large := strings.Replace(tolerant, `cpu: "2"`, `cpu: "9"`, 1)
	if w := parsed(t, large); !slices.Equal(w.Takers(0), []int{1}) {
		t.Error(w.Takers(0))
	}
	spread := strings.Replace(tolerant, "    containers:",
		"    topologySpreadConstraints: [{maxSkew: 1, topologyKey: zone, whenUnsatisfiable: DoNotSchedule}]\n    containers:", 1)
	if w := parsed(t, spread); !slices.Equal(w.Takers(0), []int{1}) {
		t.Error(w.Takers(0))
	}
}

// Worlds that are made from one leave it as it is.
func TestMadeFromAnother(t *testing.T) {
	w := parsed(t, north+worlds.Template("t", "x", "2", "4Gi", "i"))
	again := parsed(t, north+worlds.Template("t", "x", "2", "4Gi", "i"))
	jobs, err := w.Jobs(1, 0)
	if err != nil {
		t.Fatal(err)
	}
	higher := w.WithCeiling(0, 3)
	if low, high := higher.Templates[0].Ceilings(); low != 8 || high != 8 {
		t.Errorf("a ceiling of %d to %d", low, high)
	}
	grown, pool := w.Grown(0, 2)
	if pool != 0 || grown.Pools[0].Max != 5 {
		t.Errorf("pool %d has at most %d", pool, grown.Pools[pool].Max)
	}
	cached := w.WithCaching([]document.CacheRule{{Plan: document.Archive, Classes: []string{"k"}}})
	if len(cached.Scopes) != 1 || cached.Classes[0].Rule != 0 {
		t.Errorf("%+v", cached.Scopes)
	}
	terms, _ := w.Terms(0, jobs)
	alone := w.Alone(0, terms, 1, nil)
	if len(alone.Pools) != 1 || len(alone.Layers) != 1 || alone.AgentCeiling != -1 {
		t.Errorf("%+v", alone.Pools)
	}
	w.WithAgents(2)
	w.WithQuota()
	if !reflect.DeepEqual(w.Templates, again.Templates) || !reflect.DeepEqual(w.Pools, again.Pools) ||
		!reflect.DeepEqual(w.Classes, again.Classes) || len(w.Scopes) != 0 {
		t.Error("the world has changed")
	}
}
