package outcome_test

import (
	"fmt"
	"strings"
	"testing"

	"tachyphor/core/outcome"
	"tachyphor/test/worlds"
)

// failing is a world whose design is to fail in one way or another.
const failing = `
apiVersion: tachyphor/v1
kind: Cluster
metadata: {name: c}
spec:
  nodeTypes: [{name: n, cpu: 4, memory: 16Gi, price: 0.2/h, spotPrice: 0.1/h}]
  pools: [POOL]
  images: [{name: "i:1", size: 1}]
  agents: {tools: [{name: jq, install: 5s, fails: 1}]}
---
apiVersion: tachyphor/v1
kind: Workload
metadata: {name: w}
spec:
  start: 2026-01-05T00:00:00Z
  classes: [{name: thin, wants: [x], work: 100s, memory: 1Gi}, {name: fat, wants: [y], work: 100s, memory: 3Gi}, {name: odd, wants: [z], work: 1s}, {name: hasty, wants: [x], work: 1s, giveUpAfter: 2m}]
  jobs: {file: jobs.csv}
---
apiVersion: tachyphor/v1
kind: Scenario
metadata: {name: s}
spec:
  cluster: c
  workload: w
  templates: [{template: small, agents: {every: 0s, AGENTS}}, {template: large, agents: {every: 0s}}]
  run: {span: 4h, repeats: 2}
SCENARIO
` + `---
apiVersion: v1
kind: PodTemplate
metadata: {name: small, annotations: {tachyphor/offers: x TOOLS}}
template: {spec: {containers: [{name: agent, image: "i:1", resources: {requests: {cpu: "1", memory: 1Gi}}}]}}
---
apiVersion: v1
kind: PodTemplate
metadata: {name: large, annotations: {tachyphor/offers: y}}
template: {spec: {containers: [{name: agent, image: "i:1", resources: {requests: {cpu: "1", memory: 1Gi}, limits: {memory: 2Gi}}}]}}
`

// What goes wrong for good comes first in the sentence, with how many of how many, of
// which class and why; a delay is told of the jobs that start. It stands in the limits
// and in every job's explanation by the same name.
func TestFailureComesFirst(t *testing.T) {
	always := "{name: p, nodeType: n, min: 1, max: 1}"
	for _, c := range []struct {
		name, pool, agents, scenario, tools, jobs string
		says                                      []string
		never                                     string // what never-started jobs are told to have waited for
	}{
		{
			name: "a ceiling of 0, and the rest killed for memory", pool: always, agents: "ceiling: 0", jobs: "a,0,thin\nb,0,thin\nc,0,fat\n",
			says: []string{"2 of 3 jobs never start: the ceiling of small is 0 (2 of thin). 1 of 3 jobs fails for good: killed for " +
				"memory (1 of fat). The 1 that start do so after 0 s"},
			never: "the ceiling of small is 0",
		},
		{
			name: "nothing starts", pool: always, agents: "ceiling: 0", jobs: "a,0,thin\nb,0,thin\n",
			says:  []string{"2 of 2 jobs never start: the ceiling of small is 0 (2 of thin). None starts; the bill is"},
			never: "the ceiling of small is 0",
		},
		{
			name: "a ceiling of all of 0", pool: always, scenario: "  agentCeiling: 0", jobs: "a,0,thin\n",
			says: []string{"1 of 1 jobs never starts: the ceiling of all agents is 0 (1 of thin)."}, never: "the ceiling of all agents is 0",
		},
		{
			name: "a quota below one agent", pool: always, scenario: "  quota: {cpu: 500m}", jobs: "a,0,thin\n",
			says: []string{"the namespace's quota of requested CPU has no room for one agent of small"}, never: "quota of requested CPU has no room",
		},
		{
			name: "an agent that must be seen, and a floor of 0", pool: always, agents: "needsOneAgent: true", jobs: "a,0,thin\n",
			says: []string{"no job of small is taken before an agent of it is seen, and its floor is 0"}, never: "its floor is 0",
		},
		{
			name: "a pool without capacity", pool: "{name: dry, nodeType: n, max: 2, noCapacity: 1, retryAfter: 30m}", jobs: "a,0,thin\n",
			says: []string{"1 of 1 jobs never starts: pool dry has no node to give (1 of thin)."}, never: "pool dry has no node to give",
		},
		{
			name: "a drain", pool: `{name: wet, nodeType: n, max: 2, drains: [{when: "Mon-Sun 00:00-24:00"}]}`, jobs: "a,0,thin\n",
			says: []string{"never starts: pool wet is drained (1 of thin)"}, never: "pool wet is drained",
		},
		{
			name: "agents that do not come up", pool: always, tools: ", tachyphor/boot-tools: jq", jobs: "a,0,thin\n",
			says: []string{"never starts: agents of small do not come up (1 of thin)"}, never: "agents of small do not come up",
		},
		{
			name: "given up", pool: always, agents: "ceiling: 1", jobs: "a,0,thin\na2,0,thin\nb,0,hasty\nc,0,hasty\n",
			says: []string{"given up after 2 min 00 s: the ceiling of small (2 of hasty)"}, never: "",
		},
		{
			name: "no template", pool: always, jobs: "a,0,odd\nb,0,thin\n",
			says: []string{"1 of 2 jobs never starts: no template offers z (1 of odd). The 1 that start"},
		},
		{
			name: "spot", pool: "{name: p, nodeType: n, max: 9, spot: {perHour: 20, notice: 0s}}", jobs: many("thin", 300),
			says: []string{"of 300 jobs fail for good: lost with a spot node that was taken back (", "95 % of jobs start within"},
		},
		{name: "all is well", pool: always, jobs: many("thin", 40), says: []string{"Jobs start after "}},
	} {
		text := strings.NewReplacer("POOL", c.pool, "AGENTS", c.agents, "SCENARIO", c.scenario, "TOOLS", c.tools).Replace(failing)
		w, err := worlds.Parse(text, "id,submitted,class\n"+c.jobs)
		if err != nil {
			t.Fatalf("%s: %v", c.name, err)
		}
		o, trace := simulate(t, w, 1)
		for _, want := range c.says {
			if !strings.Contains(o.Headline, want) {
				t.Errorf("%s:\n%s\nwant in it: %s", c.name, o.Headline, want)
			}
		}
		wrong := 0.0
		for _, f := range o.Failures {
			wrong += f.Jobs.Mean
			if f.Label == "" || f.Jobs.Mean > f.Of.Mean {
				t.Errorf("%s: %+v", c.name, f)
			}
		}
		if wrong != o.Groups[0].Wrong.Mean {
			t.Errorf("%s: %v jobs in the table, %v in all", c.name, wrong, o.Groups[0].Wrong.Mean)
		}
		if c.never == "" {
			continue
		}
		if e := outcome.Explain(trace, 0); !strings.Contains(e.Summary, c.never) || !strings.HasPrefix(e.Summary, "It never started") ||
			len(e.Stays) == 0 {
			t.Errorf("%s: explained as %q with %v", c.name, e.Summary, e.Stays)
		}
		if len(o.Limits) == 0 || !strings.Contains(o.Limits[0].Label, c.never) || o.Limits[0].Hours > 4 {
			t.Errorf("%s: limits %+v", c.name, o.Limits)
		}
		if strings.Contains(o.Headline, "more than this design can serve") {
			t.Errorf("%s is told as demand: %s", c.name, o.Headline)
		}
	}
}

// many are jobs of a class, 20 s apart.
func many(class string, n int) string {
	var b strings.Builder
	for i := range n {
		fmt.Fprintf(&b, "j%d,%d,%s\n", i, 20*i, class)
	}
	return b.String()
}

// What demand alone brings about is told as that.
func TestOverloadIsDemand(t *testing.T) {
	text := strings.NewReplacer("POOL", "{name: p, nodeType: n, min: 1, max: 1}", "AGENTS", "ceiling: 1", "SCENARIO", "", "TOOLS",
		"").Replace(failing)
	w, err := worlds.Parse(strings.Replace(text, "work: 100s", "work: 2d", 1), "id,submitted,class\n"+many("thin", 40))
	if err != nil {
		t.Fatal(err)
	}
	o, _ := simulate(t, w, 1)
	for _, want := range []string{"never start: the ceiling of small (24 of thin).", "Demand is more than this design can serve."} {
		if !strings.Contains(o.Headline, want) {
			t.Errorf("%s\nwant in it: %s", o.Headline, want)
		}
	}
	// A limit counts jobs, not how often they waited at it.
	if l := o.Limits[0]; l.Jobs > 40 {
		t.Errorf("%d of 40 jobs wait at %s", l.Jobs, l.Label)
	}
}
