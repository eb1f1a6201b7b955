package sim_test

import (
	"fmt"
	"math"
	"slices"
	"strings"
	"testing"

	"tachyphor/core/demand"
	"tachyphor/core/outcome"
	"tachyphor/core/sim"
	"tachyphor/core/units"
	"tachyphor/test/worlds"
)

// People who wait for their own results are machine repair, whatever the form of their
// thinking.
func TestTheoryMachineRepair(t *testing.T) {
	repeats, scale := size()
	for _, q := range []worlds.Repair{
		{People: 5, Agents: 1, Think: "{mean: 100s}"},
		{People: 12, Agents: 1, Think: "{mean: 100s}"},
		{People: 30, Agents: 3, Think: "{mean: 100s}"},
		{People: 30, Agents: 3, Think: "{fixed: 100s}"},
	} {
		t.Run(fmt.Sprintf("%d people, %d agents, think %s", q.People, q.Agents, q.Think), func(t *testing.T) {
			t.Parallel()
			q.Hours, q.Repeats = int(200*scale), repeats
			w, err := q.Build()
			if err != nil {
				t.Fatal(err)
			}
			var means []float64
			for r := range q.Repeats {
				trace, err := sim.Run(w, w.Plan.Seed, r, nil)
				if err != nil {
					t.Fatal(err)
				}
				means = append(means, outcome.Measure(trace, r).Groups[0].Delay.Mean/float64(units.Second))
			}
			agrees(t, "mean wait, s", means, q.Wait(), 0.03)
		})
	}
}

func TestPeopleByHand(t *testing.T) {
	for _, c := range []struct{ name, classes, agents, run, want string }{
		{ // thinks 50 s, work 100 s, then thinks again while the workspace is wiped
			"one person", "{name: k, wants: [x], work: 100s, arrivals: {people: [{count: 1, think: 50s}]}}", "floor: 1, ceiling: 1",
			"span: 6m, warmup: 0s, repeats: 1", "k:1:1 50 0 107, k:1:2 200 0 107, k:1:3 350 0 107",
		},
		{ // the second waits for the agent: 50 to 157, and comes back 50 s after its work
			"two at one agent", "{name: k, wants: [x], work: 100s, arrivals: {people: [{count: 2, think: 50s}]}}", "floor: 1, ceiling: 1",
			"span: 6m, warmup: 0s, repeats: 1", "k:1:1 50 0 107, k:2:1 50 107 214, k:1:2 200 64 171, k:2:2 307 64 171",
		},
		{ // thinking time counts from 01:00 to 01:02 alone: 50 s from 01:00, then ten seconds of that day and 40 s of the next
			"office hours", "{name: k, wants: [x], work: 60s, arrivals: {people: [{count: 1, think: 50s, when: 'Mon-Fri 01:00-01:02'}]}}",
			"floor: 1, ceiling: 1",
			"span: 2d, warmup: 0s, repeats: 1", "k:1:1 3650 0 67, k:1:2 90040 0 67",
		},
		{ // they are not there at all within the span
			"weekend", "{name: k, wants: [x], work: 60s, arrivals: {people: [{count: 1, think: 50s, when: 'Sat,Sun 09:00-17:00'}]}}",
			"floor: 1, ceiling: 1",
			"span: 2d, warmup: 0s, repeats: 1", "",
		},
		{ // a turn is over when the last of two that follow is
			"followers", "{name: k, wants: [x], work: 100s, arrivals: {people: [{count: 1, think: 50s}]}}, {name: after, wants: [x], " +
				"work: 30s, follows: {class: k, count: 2}}",
			"floor: 1, ceiling: 1", "span: 5m, warmup: 0s, repeats: 1",
			"k:1:1 50 0 107, after:1:1 150 7 44, after:1:2 150 44 81, k:1:2 274 0 107, after:1:3 374 7 44, after:1:4 374 44 81",
		},
		{ // one that nobody starts is given up, and its person thinks again
			"given up", "{name: k, wants: [x], work: 100s, giveUpAfter: 20s, arrivals: {people: [{count: 2, think: 50s}]}}", "floor: 1, ceiling: 1",
			"span: 4m, warmup: 0s, repeats: 1", "k:1:1 50 0 107, k:2:1 50 gave-up, k:2:2 120 gave-up, k:2:3 190 0 107, k:1:2 200 gave-up",
		},
		{ // what fails drops what follows, and both are over
			"failed", "{name: k, wants: [x], work: 100s, limit: 40s, arrivals: {people: [{count: 1, think: 50s}]}}, {name: after, " +
				"wants: [x], work: 30s, follows: {class: k}}",
			"floor: 1, ceiling: 1", "span: 3m, warmup: 0s, repeats: 1", "k:1:1 50 0 47, after:1:1 50 dropped, k:1:2 140 0 47, after:1:2 140 dropped",
		},
		{ // beside jobs that come by themselves, in the order of coming
			"beside a burst", "{name: k, wants: [x], work: 100s, arrivals: {people: [{count: 1, think: 50s}], bursts: [{when: 'Mon " +
				"00:01', count: 1}]}}", "ceiling: 9, reuse: never",
			"span: 4m, warmup: 0s, repeats: 1", "k:1:1 50 0 107, k-1 60 0 107, k:1:2 200 0 107",
		},
	} {
		w, err := worlds.Parse(bench{cluster: "  agents: {wipe: {fixed: 7s}}", classes: "[" + c.classes + "]", agents: c.agents}.made(c.run), "")
		if err != nil {
			t.Fatal(c.name, err)
		}
		trace, err := sim.Run(w, 1, 0, nil)
		if err != nil {
			t.Fatal(c.name, err)
		}
		if err := trace.Check(); err != nil {
			t.Error(c.name, err)
		}
		var got []string
		for j, r := range trace.Records {
			s := fmt.Sprintf("%s %.0f ", trace.Jobs.ID(j), trace.From(j).Seconds())
			if r.Started < 0 {
				s += r.Result.String()
			} else {
				s += fmt.Sprintf("%.0f %.0f", (r.Started - trace.From(j)).Seconds(), (r.Ended - trace.From(j)).Seconds())
			}
			got = append(got, s)
			if at, ok := trace.Jobs.Find(trace.Jobs.ID(j)); !ok || at != j {
				t.Errorf("%s: %s is found at %d, %v", c.name, trace.Jobs.ID(j), at, ok)
			}
		}
		if all := strings.Join(got, ", "); all != c.want {
			t.Errorf("%s:\n%s, want\n%s", c.name, all, c.want)
		}
	}
}

// With many agents people never wait, with few they are slowed down to what those can do;
// the open queue of as many jobs would not end.
func TestPeopleSlowDown(t *testing.T) {
	for _, agents := range []int{1, 50} {
		w, err := (worlds.Repair{People: 50, Agents: agents, Think: "{mean: 100s}", Hours: 20, Repeats: 1}).Build()
		if err != nil {
			t.Fatal(err)
		}
		trace, err := sim.Run(w, 1, 0, nil)
		if err != nil {
			t.Fatal(err)
		}
		perHour := float64(len(trace.Records)) / 22
		if want := map[int]float64{1: 360, 50: 50 * 3600 / 110.0}[agents]; math.Abs(perHour-want) > want/20 {
			t.Errorf("%d agents: %v jobs an hour, want about %v", agents, perHour, want)
		}
		if n := float64(len(trace.Records)); w.ExpectedJobs() < 0.9*n || w.ExpectedJobs() > 1.2*n {
			t.Errorf("%d agents: %v jobs, about %v are expected", agents, n, w.ExpectedJobs())
		}
		if !slices.IsSortedFunc(trace.Jobs.List, func(a, b demand.Job) int { return int(a.Submitted - b.Submitted) }) {
			t.Error("jobs are not in the order of submission")
		}
	}
}
