package outcome_test

import (
	"bytes"
	"encoding/json"
	"strings"
	"testing"

	"tachyphor/core/outcome"
	"tachyphor/core/sim"
	"tachyphor/core/stats"
	"tachyphor/core/units"
	"tachyphor/core/world"
	"tachyphor/test/worlds"
)

func simulate(t *testing.T, w *world.World, workers int) (*outcome.Outcome, *sim.Trace) {
	t.Helper()
	o, trace, err := outcome.Simulate(w, workers, nil)
	if err != nil {
		t.Fatal(err)
	}
	return o, trace
}

// The figures of each repeat add up to the nanosecond and to the smallest unit
// of money.
func addsUp(t *testing.T, name string, o *outcome.Outcome) {
	t.Helper()
	for _, s := range o.Samples {
		var classes, templates outcome.GroupSample
		for i, g := range s.Groups {
			if ribbon, causes := units.TotalOf(g.RibbonNs...), units.TotalOf(g.CausesNs...); ribbon != g.LeadNs || causes != g.LeadNs {
				t.Errorf("%s: ribbon %v, causes %v, lead %v", name, ribbon, causes, g.LeadNs)
			}
			switch o.Groups[i].By {
			case "class":
				classes.LeadNs = classes.LeadNs.Plus(g.LeadNs)
				classes.Jobs += g.Jobs
			case "template":
				templates.LeadNs = templates.LeadNs.Plus(g.LeadNs)
				templates.Jobs += g.Jobs
			}
		}
		all := s.Groups[0]
		if classes.LeadNs != all.LeadNs || templates.LeadNs != all.LeadNs || classes.Jobs != all.Jobs ||
			templates.Jobs != all.Jobs-all.Unmatched {
			t.Errorf("%s: classes and templates do not add up to all jobs", name)
		}
		var given, shared units.Sum[units.Money]
		for _, p := range s.Cost.Pools {
			if uses := units.TotalOf(p.Uses...); uses != p.Nano {
				t.Errorf("%s: uses add up to %v, the pool costs %v", name, uses, p.Nano)
			}
			given, shared = given.Plus(p.Nano), units.TotalOf(shared, p.Uses[sim.UseWork], p.Uses[sim.UseStart])
		}
		for _, p := range s.Cost.Parts {
			given = given.Plus(p.Nano)
		}
		if given != s.Cost.TotalNano {
			t.Errorf("%s: pools and parts are %v, the bill %v", name, given, s.Cost.TotalNano)
		}
		if s.Cost.JobsNano.Compare(shared) > 0 || s.Cost.FloorNano.Compare(s.Cost.TotalNano) > 0 {
			t.Errorf("%s: jobs' shares %v of %v, floor %v of %v", name, s.Cost.JobsNano, shared, s.Cost.FloorNano, s.Cost.TotalNano)
		}
	}
}

func TestEverythingAddsUp(t *testing.T) {
	for seed := range uint64(25) {
		w, err := worlds.Random(seed)
		if err != nil {
			t.Fatal(err)
		}
		o, _ := simulate(t, w, 2)
		addsUp(t, "random", o)
	}
}

// The outcome is the same bytes with any number of workers.
func TestSameBytesOnAnyNumberOfWorkers(t *testing.T) {
	w, err := worlds.Demo("weekday-lean")
	if err != nil {
		t.Fatal(err)
	}
	var first []byte
	for _, workers := range []int{1, 3, 50} {
		o, _ := simulate(t, w, workers)
		b, err := json.Marshal(o)
		if err != nil {
			t.Fatal(err)
		}
		if first == nil {
			first = b
		} else if !bytes.Equal(first, b) {
			t.Errorf("%d workers give another outcome", workers)
		}
	}
}

// The demo's story: fixed agents are slow, agents on demand cheap, a lean design
// starts jobs soonest at a visible price; a slip is named.
func TestDemoStory(t *testing.T) {
	found := map[string]*outcome.Outcome{}
	for _, s := range []string{"fixed-six", "on-demand", "weekday-lean"} {
		w, err := worlds.Demo(s)
		if err != nil {
			t.Fatal(err)
		}
		o, trace := simulate(t, w, 2)
		addsUp(t, s, o)
		found[s] = o
		if len(o.Unmatched) != 1 || !strings.Contains(o.Unmatched[0].Sentence(), "compile-wide offers arm-cross: is arm-corss a slip?") {
			t.Errorf("%s: unmatched %+v", s, o.Unmatched)
		}
		for _, brief := range o.Slowest {
			j, ok := trace.Jobs.Find(brief.ID)
			if !ok {
				t.Fatalf("%s: no job %s", s, brief.ID)
			}
			e := outcome.Explain(trace, j)
			at := int64(0)
			for _, stay := range e.Stays {
				if stay.FromNs != at || stay.Text == "" {
					t.Errorf("%s: job %s has a gap at %d", s, brief.ID, at)
				}
				at = stay.ToNs
			}
			if at != e.LeadNs || !strings.Contains(e.Summary, e.Reason) {
				t.Errorf("%s: job %s: %+v", s, brief.ID, e)
			}
		}
	}
	p95 := func(s string) float64 { return found[s].Groups[0].Delay.P95.Mean }
	cost := func(s string) float64 { return found[s].Cost.PerMonth.Mean }
	if !(p95("weekday-lean") < p95("on-demand") && p95("on-demand") < p95("fixed-six")) {
		t.Error("the order of delays is another")
	}
	if !(cost("on-demand") < cost("fixed-six") && cost("fixed-six") < cost("weekday-lean")) {
		t.Error("the order of costs is another")
	}
}

func TestCompareIsPaired(t *testing.T) {
	w, err := worlds.Random(4)
	if err != nil {
		t.Fatal(err)
	}
	a, _ := simulate(t, w, 2)
	same := outcome.Compare([]*outcome.Outcome{a, a}, [][]byte{[]byte(`{"spec":{"x":1}}`), []byte(`{"spec":{"x":1}}`)}, []string{"w", "w"})
	for _, m := range same.Metrics {
		if m.Differences[1].Mean != 0 || m.Sure[1] {
			t.Errorf("an outcome differs from itself in %s", m.Key)
		}
	}
	if len(same.Design) != 0 || !same.Paired {
		t.Errorf("comparison %+v", same)
	}
	w.Plan.Seed++
	b, _ := simulate(t, w, 2)
	other := outcome.Compare([]*outcome.Outcome{a, b},
		[][]byte{
			[]byte(`{"spec":{"templates":[{"template":"t","agents":{"spare":1}}]}}`),
			[]byte(`{"spec":{"templates":[{"template":"t","agents":{"spare":2}}]}}`),
		}, []string{"w", "w"})
	if other.Paired || other.Note == "" || len(other.Design) != 1 || other.Design[0].Path != "templates[t].agents.spare" {
		t.Errorf("comparison %+v", other)
	}
	for _, m := range other.Metrics {
		if d := m.Differences[1]; m.Key == "delay-mean" && (d.Half == 0 || m.Sure[1] && d.Mean == 0) {
			t.Errorf("two seeds: %+v", d)
		}
	}
}

// People who are kept waiting ask for less: where two bills are not of the same work, it is
// said.
func TestCompareSaysWhatIsAskedFor(t *testing.T) {
	var list []*outcome.Outcome
	for _, agents := range []int{1, 5} {
		w, err := (worlds.Repair{People: 50, Agents: agents, Think: "{mean: 100s}", Hours: 4, Repeats: 4}).Build()
		if err != nil {
			t.Fatal(err)
		}
		o, _ := simulate(t, w, 2)
		list = append(list, o)
	}
	designs := [][]byte{[]byte(`{"spec":{"x":1}}`), []byte(`{"spec":{"x":2}}`)}
	if says := outcome.Compare(list, designs, []string{"w", "w"}).Headline; !strings.Contains(says, "jobs start instead of 1,4") ||
		!strings.Contains(says, "each") {
		t.Error(says)
	}
	if says := outcome.Compare([]*outcome.Outcome{list[0], list[0]}, designs, []string{"w", "w"}).Headline; strings.Contains(says,
		"jobs start instead of") {
		t.Error(says)
	}
}

func TestFiguresAreWritten(t *testing.T) {
	const s = 1e9
	for _, c := range []struct {
		f    stats.Figure
		want string
	}{
		{stats.Figure{Mean: 51.8 * s, Half: 0.189 * s}, "51.8 ± 0.2 s"},
		{stats.Figure{Mean: 182 * s, Half: 0.65 * s}, "3 min 02 s ± 0.7 s"},
		{stats.Figure{Mean: 42 * s}, "42 s"},
		{stats.Figure{Mean: 7200 * s, Half: 300 * s}, "2 h 00 min ± 5 min"},
		{stats.Figure{Mean: 7200 * s, Half: 8000 * s}, "2.0 ± 2.2 h"},
		{stats.Figure{Mean: 1316 * s, Half: 9 * s, Alike: 347 * s}, "21.9 ± 5.8 min"},
		{stats.Figure{Mean: 298 * s, Half: 3 * s, Alike: 2200 * s}, "5 ± 37 min"},
		{stats.Figure{Mean: 182 * s, Half: 26 * s}, "182 ± 26 s"},
		{stats.Figure{Mean: 1182 * s, Half: 26 * s}, "19 min 42 s ± 26 s"},
		{stats.Figure{Mean: 0.2 * s, Half: 0.01 * s}, "200 ± 10 ms"},
	} {
		if got := outcome.Time(c.f); got != c.want {
			t.Errorf("%+v is written %q, want %q", c.f, got, c.want)
		}
	}
	if got := outcome.Money(stats.Figure{Mean: 1205.3, Half: 3.87}, "EUR"); got != "EUR 1,205 ± 4" {
		t.Errorf("money %q", got)
	}
}
