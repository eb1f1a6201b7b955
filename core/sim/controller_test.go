package sim_test

import (
	"strings"
	"testing"

	"tachyphor/core/sim"
	"tachyphor/core/units"
	"tachyphor/test/worlds"
)

// small is a template whose agents all find room.
func small(name, offers string) string { return worlds.Template(name, offers, "100m", "64Mi", "i:1") }

func agentSeconds(trace *sim.Trace) float64 { return trace.AgentTime.Float() / float64(units.Second) }

// One job, and three spare ones that are idle from the start: when the job's agent
// becomes the fourth, the oldest goes at the first round at which it has lingered, at
// 301 s; the other three stay for the four hours.
func TestOldestIdleAgentGoes(t *testing.T) {
	trace := bench{agents: "spare: 3, linger: 300s, every: 7s", template: small("t", "x"), jobs: "id,submitted,class\na,0,k\n"}.run(t)
	if got, want := agentSeconds(trace), 301+3*14400.0; got != want {
		t.Errorf("agents were there for %v s, want %v", got, want)
	}
}

// t's job has the only agent that may be. u's floor is made good as soon as that goes,
// at 100 s, so that u's job finds an agent.
func TestFloorIsMadeGoodWhenAnotherTemplatesAgentGoes(t *testing.T) {
	for _, limit := range []string{"  agentCeiling: 1", "  quota: {pods: 1}", "  quota: {cpu: 150m}", "  quota: {memory: 100Mi}"} {
		b := bench{
			cluster: "  agents: {start: 30s}", classes: "[{name: k, wants: [x], work: 100s}, {name: m, wants: [y], work: 100s}]",
			agents: "reuse: never", more: ", {template: u, agents: {every: 0s, floor: 1}}", scenario: limit,
			template: small("t", "x") + small("u", "y"), jobs: "id,submitted,class\na,0,k\nb,200,m\n",
		}
		tells(t, b.run(t), map[string]string{"a": "start 30, work 100", "b": "work 100"})
	}
}

// t's agents never come up. Its job gives up at 60 s; when the second of its agents has
// failed, at 100 s, nothing wants another, and u's floor is made good.
func TestFailedAgentMakesRoomForOthers(t *testing.T) {
	b := bench{
		cluster: "  agents: {tools: [{name: jq, install: 50s, fails: 1}]}",
		classes: "[{name: k, wants: [x], work: 100s, giveUpAfter: 60s}, {name: m, wants: [y], work: 100s}]",
		agents:  "reuse: never", more: ", {template: u, agents: {every: 0s, floor: 1}}", scenario: "  agentCeiling: 1",
		template: strings.Replace(small("t", "x"), "tachyphor/offers", "tachyphor/boot-tools: jq, tachyphor/offers", 1) + small("u", "y"),
		jobs:     "id,submitted,class\na,0,k\nb,100,m\n",
	}
	trace := b.run(t)
	tells(t, trace, map[string]string{"b": "work 100"})
	if trace.FailedStarts != 2 {
		t.Errorf("%d agents failed, want 2", trace.FailedStarts)
	}
}

// The first boot tool fails after its 5 s: what is behind it is not begun, and another
// agent is made at once. Failures come 6 s after each other until the job gives up.
func TestBootToolsFailWhereTheyFail(t *testing.T) {
	b := bench{
		cluster:  "  agents: {start: 1s, tools: [{name: jq, install: 5s, fails: 1}, {name: cmake, install: 60s}]}",
		classes:  "[{name: k, wants: [x], work: 100s, giveUpAfter: 20s}]",
		template: strings.Replace(small("t", "x"), "tachyphor/offers", "tachyphor/boot-tools: 'jq, cmake', tachyphor/offers", 1),
		jobs:     "id,submitted,class\na,0,k\n",
	}
	trace := b.run(t)
	if trace.FailedStarts != 4 || agentSeconds(trace) != 24 {
		t.Errorf("%d agents failed in %v s, want 4 in 24", trace.FailedStarts, agentSeconds(trace))
	}
}

// One that fails at the moment it is made is made again a second later, so that time
// goes on.
func TestAgentsThatFailAtOnce(t *testing.T) {
	b := bench{
		cluster:  "  agents: {tools: [{name: jq, install: 0s, fails: 1}]}",
		classes:  "[{name: k, wants: [x], work: 100s, giveUpAfter: 20s}]",
		template: strings.Replace(small("t", "x"), "tachyphor/offers", "tachyphor/boot-tools: 'jq', tachyphor/offers", 1),
		jobs:     "id,submitted,class\na,0,k\n",
	}
	if trace := b.run(t); trace.FailedStarts != 20 {
		t.Errorf("%d agents failed, want 20", trace.FailedStarts)
	}
}

// The ceiling is 0 until 06:00, two hours after the end of the span: a job of 03:00
// starts then.
func TestCalendarsGoOnAfterTheSpan(t *testing.T) {
	trace := bench{agents: `calendar: [{when: "Mon 00:00-06:00", ceiling: 0}]`, jobs: "id,submitted,class\na,10800,k\n"}.run(t)
	tells(t, trace, map[string]string{"a": "ceiling 10800, work 100"})
	trace = bench{
		pools: `[{name: p, nodeType: n, max: 1, drains: [{when: "Mon 00:00-06:00"}]}]`, jobs: "id,submitted,class\na,10800,k\n",
	}.run(t)
	if r := trace.Records[0]; r.Started != 6*units.Hour {
		t.Errorf("a waits for the end of the drain and starts at %v", r.Started)
	}
}

// x has the agent of the floor when a comes, so that a is taken in and an agent is
// started for it. x's agent goes, and b comes while none is there to be seen; when a's
// joins, b is taken in, and not only when a ends.
func TestAgentThatJoinsForAJobIsSeen(t *testing.T) {
	b := bench{
		cluster: "  agents: {start: 300s}", agents: "reuse: never, floor: 1, needsOneAgent: true", template: small("t", "x"),
		jobs: "id,submitted,class\nx,400,k\na,450,k\nb,600,k\n",
	}
	tells(t, b.run(t), map[string]string{
		"x": "work 100", "a": "start 300, work 100", "b": "no-agent-yet 150, start 300, work 100",
	})
}

// Demand settles from the moment at which the last job got its agent, at 300 s, not
// from the round that began to start one.
func TestSettleCountsFromTheLastJobsAgent(t *testing.T) {
	trace := bench{
		cluster: "  agents: {start: 300s}", agents: "settle: 300s", template: small("t", "x"),
		jobs: "id,submitted,class\na,0,k\n",
	}.run(t)
	if got := agentSeconds(trace); got != 600 {
		t.Errorf("the agent was there for %v s, want 600", got)
	}
}

// A pool's min rises to 3 during a drain; when that ends, three nodes stand.
func TestMinIsRestoredAfterADrain(t *testing.T) {
	b := bench{
		pools:    `[{name: p, nodeType: n, max: 3, boot: 60s, drains: [{when: "Mon 00:30-02:00"}]}]`,
		scenario: `  nodes: {pools: {p: {min: 0, calendar: [{when: "Mon 01:00-04:00", min: 3}]}}}`, jobs: "id,submitted,class\na,0,k\n",
	}
	trace := b.run(t)
	standing := 0
	for _, n := range trace.Nodes {
		if n.Asked == 2*units.Hour && n.Ready == 2*units.Hour+units.Minute && n.Gone == 4*units.Hour {
			standing++
		}
	}
	if standing != 3 {
		t.Errorf("%d nodes stand after the drain, want 3: %+v", standing, trace.Nodes)
	}
}

// Of two drains that overlap the first to end does not open the pool: a job of 00:15
// waits until 01:00.
func TestDrainsThatOverlap(t *testing.T) {
	b := bench{
		pools: `[{name: p, nodeType: n, max: 2, drains: [{when: "Mon 00:10-00:30"}, {when: "Mon 00:20-01:00"}]}]`,
		jobs:  "id,submitted,class\na,900,k\n",
	}
	trace := b.run(t)
	if r := trace.Records[0]; r.Started != units.Hour {
		t.Errorf("the job starts at %v, want 1h", r.Started)
	}
}
