package outcome

import (
	"encoding/json"
	"fmt"
	"math"
	"math/big"
	"strings"
	"testing"

	"tachyphor/core/sim"
	"tachyphor/core/units"
	"tachyphor/core/world"
	"tachyphor/test/worlds"
)

// starved is a world whose jobs wait at a ceiling for as long as it lasts.
const starved = `
apiVersion: tachyphor/v1
kind: Cluster
metadata: {name: c}
spec:
  nodeTypes: [{name: n, cpu: 4, memory: 16Gi, price: 9999/h}]
  pools: [{name: p, nodeType: n, min: 40, max: 40}]
  images: [{name: "i:1", size: 1}]
---
apiVersion: tachyphor/v1
kind: Workload
metadata: {name: w}
spec:
  start: 2026-01-05T00:00:00Z
  classes: [{name: k, wants: [x], work: WORK}]
  jobs: {file: jobs.csv}
---
apiVersion: tachyphor/v1
kind: Scenario
metadata: {name: s}
spec:
  cluster: c
  workload: w
  templates: [{template: t, agents: {every: 0s, floor: 2, ceiling: 2, linger: 400d}}]
  waiting: 9500/h
  run: {span: SPAN, repeats: 1}
`

func starve(t *testing.T, work, span string, jobs int) *world.World {
	t.Helper()
	var csv strings.Builder
	csv.WriteString("id,submitted,class\n")
	for j := range jobs {
		fmt.Fprintf(&csv, "j%d,0,k\n", j)
	}
	text := strings.Replace(strings.Replace(starved, "WORK", work, 1), "SPAN", span, 1)
	w, err := worlds.Parse(text+worlds.Template("t", "x", "1", "1Gi", "i:1"), csv.String())
	if err != nil {
		t.Fatal(err)
	}
	w.Plan.Span, err = units.ParseDuration(span) // though no job comes after the first moment
	if err != nil {
		t.Fatal(err)
	}
	return w
}

// 13,000 jobs under a ceiling of two wait for more than 2^64 ns together. By hand: the
// two agents take two jobs every 500 s, so that jobs 2i and 2i+1 wait i · 500 s each; the
// mean wait is 6,499/2 · 500 s, 18.8 days, and the worth of it at 9,500 an hour follows.
func TestLongWaitsAddUp(t *testing.T) {
	const jobs, work = 13_000, 500
	w := starve(t, "500s", "7d", jobs)
	o, _, err := Simulate(w, 1, nil)
	if err != nil {
		t.Fatal(err)
	}
	mean := (jobs/2 - 1) / 2.0 * work
	all, s := &o.Groups[0], &o.Samples[0]
	if got := all.Ribbon[sim.Held].Mean / 1e9; math.Abs(got-mean) > 1e-3 {
		t.Errorf("the ribbon says that jobs are held for %.1f s on average, want %.1f", got, mean)
	}
	if got := all.Delay.Mean.Mean / 1e9; math.Abs(got-mean) > 1e-3 {
		t.Errorf("the mean delay is %.1f s, want %.1f", got, mean)
	}
	if sum := units.TotalOf(s.Groups[0].RibbonNs...); sum != s.Groups[0].LeadNs || sum.Float() < math.MaxUint64 {
		t.Errorf("phases add up to %v, lead times to %v", sum, s.Groups[0].LeadNs)
	}
	if got, want := float64(units.AmountOf(s.Cost.WaitingNano)), mean*jobs/3600*9500; math.Abs(got/want-1) > 1e-9 {
		t.Errorf("waiting is worth %.0f, want %.0f", got, want)
	}
	if l := o.Limits[0]; math.Abs(l.JobHours/(mean*jobs/3600)-1) > 1e-9 {
		t.Errorf("jobs waited %.0f hours at the ceiling, want %.0f", l.JobHours, mean*jobs/3600)
	}
	// Two agents for the span; 40 nodes for a week at 9,999 an hour.
	if got, want := float64(units.AmountOf(s.Cost.TotalNano)), 40*168*9999.0; got != want {
		t.Errorf("the bill is %.2f, want %.2f", got, want)
	}
	// To the wire and back nothing is lost, and no float is written where it would be.
	raw, err := json.Marshal(o)
	if err != nil {
		t.Fatal(err)
	}
	var again Outcome
	if err := json.Unmarshal(raw, &again); err != nil {
		t.Fatal(err)
	}
	if again.Samples[0].Groups[0].LeadNs != s.Groups[0].LeadNs ||
		!strings.Contains(string(raw), fmt.Sprintf(`"leadNs":"%v"`, s.Groups[0].LeadNs)) {
		t.Errorf("lead times of %v come back as %v", s.Groups[0].LeadNs, again.Samples[0].Groups[0].LeadNs)
	}
}

// At the limits of what may be asked: ten million jobs, 400 days, all waiting, held
// against big integers.
func TestSumsAtTheLimits(t *testing.T) {
	const most = 10_000_000
	w := starve(t, "400d", "400d", 3) // the third waits 400 days for one of the first two
	trace, err := sim.Run(w, 1, 0, nil)
	if err != nil {
		t.Fatal(err)
	}
	if r := trace.Records[2]; r.Started != 400*units.Day || r.Ended != 800*units.Day {
		t.Fatalf("the last job runs from %v to %v", r.Started, r.Ended)
	}
	g := gather{GroupSample: GroupSample{Results: make([]int, sim.Results)}}
	for range most {
		g.add(trace, 2)
	}
	s := g.close(100)
	want := new(big.Int).Mul(big.NewInt(most), big.NewInt(int64(400*units.Day)))
	if got := s.RibbonNs[sim.Held].String(); got != want.String() {
		t.Errorf("held %s ns, want %s", got, want)
	}
	if got := s.CausesNs[sim.AtCeiling].String(); got != want.String() {
		t.Errorf("at the ceiling %s ns, want %s", got, want)
	}
	if got := s.LeadNs.String(); got != want.Lsh(want, 1).String() {
		t.Errorf("lead times %s ns, want %s", got, want)
	}
	if float64(s.Delay.Mean) != float64(400*units.Day) {
		t.Errorf("mean delay %v", s.Delay.Mean)
	}
	if units.TotalOf(s.RibbonNs...) != s.LeadNs || units.TotalOf(s.CausesNs...) != s.LeadNs {
		t.Errorf("phases %v and causes %v do not add up to %v", s.RibbonNs, s.CausesNs, s.LeadNs)
	}
	trace.AgentTime.AddTimes(400*units.Day, most)
	s.Jobs = most
	c := costOf(trace, s, nil)
	if got, want := float64(units.AmountOf(c.WaitingNano)), most*9600.0*9500; got != want {
		t.Errorf("waiting is worth %v, want %v", got, want)
	}
	if got, want := float64(units.AmountOf(c.TotalNano)), 40*9600*9999.0; got != want {
		t.Errorf("the bill is %v, want %v", got, want)
	}
}
