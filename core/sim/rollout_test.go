package sim_test

import (
	"reflect"
	"strings"
	"testing"

	"tachyphor/core/sim"
	"tachyphor/core/units"
	"tachyphor/test/worlds"
)

// next is the bench's template with another image, boot tools and requests, under another name.
func next() string {
	return strings.Replace(worlds.Template("t2", "x", "1", "1Gi", "new:2"), "tachyphor/offers", "tachyphor/boot-tools: jq, tachyphor/offers", 1)
}

// Three agents are there at 250 s: one at work until 300 s, two idle. What jobs come afterwards run on them
// for as long as they are there; a new one is of the new template, with its image (10 s) and tool (5 s).
func TestRolloutByHand(t *testing.T) {
	b := bench{
		images:  `[{name: "i:1", size: 1}, {name: "new:2", size: 10GB}]`,
		cluster: "  links: {registry: {down: 1GB/s}}\n  agents: {join: 3s, tools: [{name: jq, install: 5s}]}",
		agents:  "linger: 400s", template: worlds.Template("t", "x", "1", "1Gi", "i:1") + next(),
		jobs: "id,submitted,class\na,0,k\nb,0,k\nc,200,k\nd,260,k\ne,310,k\nf,311,k\ng,312,k\nlate,3000,k\n",
	}
	rollout := func(recycle string) *sim.Trace {
		b.scenario = `  changes: [{at: "2026-01-05T00:04:10Z", template: t, becomes: t2, recycle: ` + recycle + "}]\n"
		return b.run(t)
	}
	// None: a and b have made two agents; c is on one of them at 250 s, the other is idle. d and e take them
	// as they come free; f and g get new ones, which are of the new template.
	trace := rollout("none")
	tells(t, trace, map[string]string{
		"c": "work 100", "d": "work 100", "e": "work 100", "f": "pull 10, install 5, join 3, work 100",
	})
	r := trace.Rollouts[0]
	if r.Idle != 1 || r.Busy != 1 || r.Coming != 0 || r.Jobs != 2 || r.LastJob != 310*units.Second {
		t.Errorf("%+v", r)
	}
	// Idle: d finds none idle.
	trace = rollout("idle")
	tells(t, trace, map[string]string{"d": "pull 10, install 5, join 3, work 100", "e": "work 100"})
	if r := trace.Rollouts[0]; r.Idle != 1 || r.Jobs != 1 || r.LastJob != 310*units.Second {
		t.Errorf("%+v", r)
	}
	// All: the one of c goes with it at 300 s.
	trace = rollout("all")
	tells(t, trace, map[string]string{"d": "pull 10, install 5, join 3, work 100", "e": "install 5, join 3, work 100"})
	if r := trace.Rollouts[0]; r.Idle != 1 || r.Jobs != 0 || r.Gone != 300*units.Second {
		t.Errorf("%+v", r)
	}
	if j, _ := trace.Jobs.Find("late"); trace.Records[j].Form != 1 || trace.Records[j].Template != 0 {
		t.Errorf("%+v", trace.Records[j])
	}
}

// A template that becomes the same one under another name changes nothing, whatever else goes on.
func TestRolloutOfTheSame(t *testing.T) {
	tried := 0
	for seed := range uint64(60) {
		text := worlds.WildText(seed)
		at := strings.Index(text, "---\napiVersion: v1\nkind: PodTemplate\nmetadata: {name: one,")
		if strings.Contains(text, "  changes:") || strings.Contains(text, "spareRoom") || strings.Contains(text, "baked") {
			continue
		}
		same := strings.Replace(text[at:at+4+strings.Index(text[at+4:], "---\n")], "name: one,", "name: one-same,", 1)
		run := func(text string) *sim.Trace {
			w, err := worlds.Parse(text, "")
			if err != nil {
				return nil
			}
			trace, err := sim.Run(w, seed, 0, nil)
			if err != nil {
				t.Fatal(err)
			}
			for j := range trace.Records {
				trace.Records[j].Form = 0
			}
			return trace
		}
		a := run(text)
		b := run(strings.Replace(text, "  run: {span:", "  changes: [{at: \"2026-03-30T09:20:00+02:00\", template: one, becomes: one-same}]\n  run: {span:", 1) + same)
		if a == nil || b == nil {
			continue
		}
		tried++
		if !reflect.DeepEqual(a.Records, b.Records) || a.AgentsMade != b.AgentsMade || !reflect.DeepEqual(a.Nodes, b.Nodes) {
			t.Errorf("seed %d: another run", seed)
		}
	}
	if tried < 10 {
		t.Errorf("only %d worlds", tried)
	}
}
