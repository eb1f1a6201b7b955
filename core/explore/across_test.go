package explore_test

import (
	"fmt"
	"math"
	"strconv"
	"strings"
	"testing"

	"tachyphor/core/aim"
	"tachyphor/core/document"
	"tachyphor/core/explore"
	"tachyphor/core/world"
)

// across is a queue with workloads that bring so many jobs an hour.
func across(t testing.TB, perHour ...float64) []world.Input {
	t.Helper()
	own := input(t, strings.Replace(queue(30, 8, 8, 4, 1), "floor: 8", "floor: 0", 1))
	var out []world.Input
	for i, rate := range perHour {
		other := input(t, queue(rate, 8, 8, 4, 1))
		text, err := document.Apply(other.Workload.Text, []document.Edit{{Op: "replace", Path: "/metadata/name", Value: fmt.Sprintf("week-%d", i)}})
		if err != nil {
			t.Fatal(err)
		}
		docs, faults := document.Parse("w", []byte(text))
		if len(faults) > 0 {
			t.Fatal(faults)
		}
		in, err := explore.With(own, docs[0], nil)
		if err != nil {
			t.Fatal(err)
		}
		out = append(out, in)
	}
	return out
}

const ceilings = "  knobs: [{at: Scenario/spec/templates/t/agents/ceiling, values: [4, 6, 8, 10]}]\n  aims: [80 % of all jobs start within 5m]\n"

// Across workloads an aim is kept where it is on each: what is recommended is what the hardest
// needs. Bills are their mean, and the order of workloads changes no verdict.
func TestAcross(t *testing.T) {
	ask := func(ins ...world.Input) *explore.Answer {
		t.Helper()
		text := ceilings
		if len(ins) > 1 {
			text += "  across: [a, b]\n"
		}
		q, err := explore.Ask("x", spec(t, text), ins...)
		if err != nil {
			t.Fatal(err)
		}
		a, err := q.Answer(explore.Way{Workers: 2})
		if err != nil {
			t.Fatal(err)
		}
		return a
	}
	has := func(a *explore.Answer) string {
		if a.Best < 0 {
			t.Fatal(a.Sentence)
		}
		return a.Variants[a.Best].Change
	}
	ins := across(t, 15, 40)
	light, heavy, both := ask(ins[0]), ask(ins[1]), ask(ins...)
	if has(light) == has(heavy) || has(both) != has(heavy) {
		t.Errorf("light %s, heavy %s, both %s", has(light), has(heavy), has(both))
	}
	for i, v := range both.Variants {
		mean := (light.Variants[i].Bill.Mean + heavy.Variants[i].Bill.Mean) / 2
		// Of those with as many repeats it is the mean of the two.
		if n := v.Runs; n == light.Variants[i].Runs && n == heavy.Variants[i].Runs && math.Abs(v.Bill.Mean/mean-1) > 1e-12 {
			t.Errorf("%s: a bill of %v, the mean is %v", v.Change, v.Bill.Mean, mean)
		}
		r := v.Aims[0]
		if r.On != "week-1" || r.Verdict == aim.Kept && heavy.Variants[i].Aims[0].Verdict == aim.Missed {
			t.Errorf("%s: %+v, of the heavy one %+v", v.Change, r, heavy.Variants[i].Aims[0])
		}
	}
	if len(both.Notes) == 0 || !strings.Contains(both.Notes[0], "week-0 and week-1 together") ||
		!strings.Contains(both.Aims[0].Reads(both.Variants[0].Aims[0], ""), "with week-1") {
		t.Errorf("%v", both.Notes)
	}
	turned := ask(ins[1], ins[0])
	if has(turned) != has(both) || turned.Confirm.Best.Aims[0] != both.Confirm.Best.Aims[0] {
		t.Errorf("%+v, turned %+v", both.Confirm.Best.Aims[0], turned.Confirm.Best.Aims[0])
	}
}

// What goes wrong across workloads is told: a knob of one of them, a class that none has.
func TestAcrossFaults(t *testing.T) {
	ins := across(t, 15, 40)
	for text, want := range map[string]string{
		"  knobs: [{at: Workload/spec/classes/k/work, values: [5m]}]\n  across: [a, b]\n":          "is of one workload",
		strings.Replace(ceilings, "80 % of all jobs", "80 % of nobodys", 1) + "  across: [a, b]\n": "there is no class nobodys",
	} {
		if _, err := explore.Ask("x", spec(t, text), ins...); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("not %q: %v", want, err)
		}
	}
	if _, faults := document.Parse("x", []byte("apiVersion: tachyphor/v1\nkind: Sweep\nmetadata: {name: x}\nspec:\n  scenario: s\n"+ceilings+"  across: [a, a]\n")); !strings.Contains(
		fmt.Sprint(faults), "each once") {
		t.Errorf("%v", faults)
	}
}

// A scenario's own ceilings go as far as the busiest of the workloads asks for.
func TestOwnKnobsAcross(t *testing.T) {
	most := func(ins ...world.Input) int {
		t.Helper()
		name, s := explore.Improving("s")
		q, err := explore.AskOwn(name, s, ins...)
		if err != nil {
			t.Fatal(err)
		}
		for _, k := range q.Spec.Knobs {
			if k.Called() == "t ceiling" {
				n := 0
				for _, v := range k.Plain() {
					x, err := strconv.Atoi(fmt.Sprint(v))
					if err != nil {
						t.Fatal(err)
					}
					n = max(n, x)
				}
				return n
			}
		}
		t.Fatalf("no ceiling among %+v", q.Spec.Knobs)
		return 0
	}
	calm, busy := across(t, 8)[0], across(t, 120)[0]
	if a, b, both, turned := most(calm), most(busy), most(calm, busy), most(busy, calm); a >= b || both != b || turned != b {
		t.Errorf("%d and %d alone, %d and %d together", a, b, both, turned)
	}
}
