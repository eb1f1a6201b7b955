package backtest_test

import (
	"strings"
	"testing"

	"tachyphor/core/backtest"
	"tachyphor/core/demand"
	"tachyphor/core/document"
	"tachyphor/core/sim"
	"tachyphor/core/units"
	"tachyphor/core/world"
	"tachyphor/test/worlds"
)

// told are what happened to the jobs of a world, with what they waited for.
func told(t *testing.T, in world.Input, seed uint64) map[string]demand.Observed {
	t.Helper()
	w, faults := world.Assemble(in)
	if err := faults.Err(); err != nil {
		t.Fatal(err)
	}
	trace, err := sim.Run(w.AsTaken(), seed, 1000, nil)
	if err != nil {
		t.Fatal(err)
	}
	out := map[string]demand.Observed{}
	for j := range trace.Records {
		r := &trace.Records[j]
		if r.Started < 0 {
			continue
		}
		phases := trace.PhaseTimes(j)
		is, err := demand.ParsePhases(demand.WritePhases(func(p int) units.Duration { return phases[p] }))
		if err != nil {
			t.Fatal(err)
		}
		out[trace.Jobs.ID(j)] = demand.Observed{Waited: r.Started - trace.From(j), Took: -1, Phases: is}
	}
	return out
}

// Where a log tells what jobs waited for, the phase is named that another boot time makes longer, and
// none of a run like the others.
func TestPhases(t *testing.T) {
	text, jobs, err := worlds.DemoText("weekday-lean")
	if err != nil {
		t.Fatal(err)
	}
	in, err := worlds.Read(text, jobs)
	if err != nil {
		t.Fatal(err)
	}
	try := func(truth world.Input) *backtest.Backtest {
		q, err := backtest.Ask([]backtest.Design{{In: in}}, told(t, truth, 4), backtest.Options{Now: now})
		if err != nil {
			t.Fatal(err)
		}
		b, err := q.Try(2, nil)
		if err != nil {
			t.Fatal(err)
		}
		if n := askEvery(t, b); n < 60 {
			t.Errorf("%d numbers", n)
		}
		return b
	}
	for p, name := range demand.DelayPhases {
		if is := sim.Phase(p).String(); is != name {
			t.Errorf("phase %d is %s in the engine, %s in a log", p, is, name)
		}
	}
	b := try(in)
	if len(b.Phases) != 6 || b.Phases[2].Phase != "node" || b.Phases[2].Jobs != b.Jobs {
		t.Fatalf("%+v", b.Phases)
	}
	for _, x := range b.Phases {
		if x.Off {
			t.Errorf("a run like the others: %+v", x)
		}
	}
	b = try(changed(t, in, "/spec/pools/1/boot", document.Plain(170*units.Second)))
	if x := b.Phases[2]; !x.Off || x.Observed < 1.4*x.Predicted || !strings.Contains(b.Verdict.Says, "Most of it is in the phase node") {
		t.Errorf("%+v; %s", b.Phases, b.Verdict.Says)
	}
}
