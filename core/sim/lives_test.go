package sim_test

import (
	"fmt"
	"reflect"
	"strings"
	"testing"

	"tachyphor/core/sim"
	"tachyphor/core/units"
	"tachyphor/test/worlds"
)

// jobsEvery is a log of n jobs of a class, so many seconds apart.
func jobsEvery(n, seconds int) string {
	var b strings.Builder
	b.WriteString("id,submitted,class\n")
	for i := range n {
		fmt.Fprintf(&b, "j%d,%d,k\n", i, i*seconds)
	}
	return b.String()
}

// Jobs of 100 s, one every 200 s, on agents that take 3 s to join: after its second job an agent goes, and
// the third job waits for a fresh one, which is agent 2.
func TestMostJobsByHand(t *testing.T) {
	b := bench{agents: "linger: 1h, mostJobs: 2", cluster: "  agents: {join: 3s}", jobs: jobsEvery(6, 200)}
	trace := b.run(t)
	for j, want := range []struct {
		agent int32
		story string
	}{
		{1, "join 3, work 100"},
		{1, "work 100"},
		{2, "join 3, work 100"},
		{2, "work 100"},
		{3, "join 3, work 100"},
		{3, "work 100"},
	} {
		if got := story(trace, j); got != want.story || trace.Records[j].Agent != want.agent {
			t.Errorf("job %d on agent %d: %s; want agent %d: %s", j, trace.Records[j].Agent, got, want.agent, want.story)
		}
	}
	if l := trace.Lives[0]; l.Agents != 3 || l.Jobs != 6 || l.ByJobs != 3 || l.ByAge != 0 || l.Age != units.SumOf(3*297*units.Second) {
		t.Errorf("%+v", l)
	}
}

// An agent of most age 250 s joins at 3 s. At 253 s it is idle in vain: it goes, and the floor makes another
// at once. One at work then goes when its job is done.
func TestMostAgeByHand(t *testing.T) {
	b := bench{agents: "floor: 1, mostAge: 250s", cluster: "  agents: {join: 3s}", jobs: "id,submitted,class\na,0,k\nb,110,k\nc,254,k\nd,450,k\ne,700,k\n"}
	trace := b.run(t)
	// The second joins at 256 s and works for c until 356 s; d begins at 450 s and ends at 550 s, past 506 s.
	for j, want := range []struct {
		agent int32
		story string
	}{{1, "join 3, work 100"}, {1, "work 100"}, {2, "join 2, work 100"}, {2, "work 100"}, {3, "work 100"}} {
		if got := story(trace, j); trace.Records[j].Agent != want.agent || got != want.story {
			t.Errorf("job %d on agent %d: %s; want agent %d: %s", j, trace.Records[j].Agent, got, want.agent, want.story)
		}
	}
	if l := trace.Lives[0]; l.ByAge < 2 || l.ByJobs != 0 {
		t.Errorf("%+v", l)
	}
}

// One job for each agent is the extreme of most jobs: the same run, but for its name.
func TestOneJobIsNeverReused(t *testing.T) {
	tried := 0
	for seed := range uint64(40) {
		text := worlds.WildText(seed)
		const never = "agents: {reuse: never, "
		if !strings.Contains(text, never) {
			continue
		}
		run := func(text string) *sim.Trace {
			w, err := worlds.Parse(text, "")
			if err != nil {
				return nil
			}
			trace, err := sim.Run(w, seed, 0, nil)
			if err != nil {
				t.Fatal(err)
			}
			return trace
		}
		a, b := run(text), run(strings.ReplaceAll(text, never, "agents: {reuse: while-idle, mostJobs: 1, "))
		if a == nil {
			continue
		}
		tried++
		if !reflect.DeepEqual(a.Records, b.Records) || a.AgentsMade != b.AgentsMade {
			t.Fatalf("seed %d: one job for each agent is not what reuse: never is", seed)
		}
	}
	if tried < 10 {
		t.Errorf("only %d worlds", tried)
	}
}

// Each job before it on its agent makes a job of 100 s longer by 10 s; after three an agent goes. With
// chance 1 every job but an agent's first fails, at its end.
func TestLeftoversByHand(t *testing.T) {
	b := bench{
		agents: "linger: 1h, mostJobs: 3", jobs: jobsEvery(5, 200),
		classes: "[{name: k, wants: [x], work: 100s, workspace: {leftovers: {slower: 0.1}}}]",
	}
	tells(t, b.run(t), map[string]string{
		"j0": "work 100", "j1": "work 100, leftovers 10", "j2": "work 100, leftovers 20", "j3": "work 100", "j4": "work 100, leftovers 10",
	})
	b.classes = "[{name: k, wants: [x], work: 100s, workspace: {leftovers: {fails: 1}}}]"
	trace := b.run(t)
	for j, want := range []sim.Result{sim.Succeeded, sim.Spoiled, sim.Spoiled, sim.Succeeded, sim.Spoiled} {
		if r := trace.Records[j].Result; r != want || story(trace, j) != "work 100" {
			t.Errorf("job %d: %v, want %v", j, r, want)
		}
	}
}

// What each of the jobs before leaves spoils a job by itself: of those that are the third on their agent
// 1 - 0.9 * 0.9 = 19 % fail, of those that are the second 10 %.
func TestLeftoversInTheLongRun(t *testing.T) {
	b := bench{
		agents: "linger: 2h, mostJobs: 3", jobs: jobsEvery(14_000, 1),
		classes: "[{name: k, wants: [x], work: 1s, workspace: {leftovers: {fails: 0.1}}}]",
		pools:   "[{name: p, nodeType: n, min: 1, max: 1}]",
	}
	trace := b.run(t)
	var n, failed [3]float64
	before := map[int32]int{}
	for j := range trace.Records {
		r := &trace.Records[j]
		k := before[r.Agent]
		before[r.Agent]++
		n[k]++
		if r.Result == sim.Spoiled {
			failed[k]++
		}
	}
	for k, want := range []float64{0, 0.1, 0.19} {
		if got := failed[k] / n[k]; n[k] < 3000 || got < want-0.025 || got > want+0.025 {
			t.Errorf("of %v jobs that are number %d on their agent %.3f fail, expected %.3f", n[k], k+1, got, want)
		}
	}
}

// Tools take 20 s and then 30 s. Agents join before, at 3 s. A job that needs the second waits until 50 s
// after the containers have started, or fails at once; one that needs none begins. Tools that are in the
// image are there.
func TestToolsAfterJoiningByHand(t *testing.T) {
	b := bench{
		images:  `[{name: "i:1", size: 1}]`,
		cluster: `  agents: {join: 3s, tools: [{name: jq, install: 20s}, {name: cmake, install: 30s}]}`,
		classes: "[{name: k, wants: [x], work: 100s, tools: [cmake]}, {name: m, wants: [x], work: 100s}, {name: n, wants: [x], work: 100s, tools: [jq, git]}]",
		agents:  "linger: 1h",
		template: strings.Replace(worlds.Template("t", "x", "1", "1Gi", "i:1"), "tachyphor/offers",
			"tachyphor/boot-tools: 'jq, cmake', tachyphor/joins: before-tools, tachyphor/offers", 1),
		jobs: "id,submitted,class\na,0,k\nb,0,m\nc,0,n\nlater,500,k\n",
	}
	tells(t, b.run(t), map[string]string{
		"a": "join 3, tool 47, work 100", "b": "join 3, work 100", "c": "join 3, tool 17, work 100", "later": "work 100",
	})

	failing := b
	failing.template = strings.Replace(b.template, "before-tools", "before-tools, tachyphor/without-tool: job-fails", 1)
	trace := failing.run(t)
	tells(t, trace, map[string]string{"a": "join 3", "b": "join 3, work 100", "c": "join 3", "later": "work 100"})
	for j, want := range []sim.Result{sim.NoTool, sim.Succeeded, sim.NoTool, sim.Succeeded} {
		if got := trace.Records[j].Result; got != want {
			t.Errorf("job %d: %v, want %v", j, got, want)
		}
	}

	// What cannot be installed never is: who waits for it, or for one behind it, fails too.
	broken := b
	broken.cluster = strings.Replace(b.cluster, "install: 20s", "install: 20s, fails: 1", 1)
	trace = broken.run(t)
	for j, want := range []sim.Result{sim.NoTool, sim.Succeeded, sim.NoTool, sim.NoTool} {
		if got := trace.Records[j].Result; got != want {
			t.Errorf("broken: job %d: %v, want %v", j, got, want)
		}
	}
	if trace.ToolsFailed == 0 || trace.FailedStarts != 0 {
		t.Errorf("%d tools failed, %d starts", trace.ToolsFailed, trace.FailedStarts)
	}

	inImage := b
	inImage.images = `[{name: "i:1", size: 1, tools: [cmake]}]`
	tells(t, inImage.run(t), map[string]string{"a": "join 3, work 100", "c": "join 3, tool 17, work 100"})
}
