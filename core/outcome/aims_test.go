package outcome_test

import (
	"fmt"
	"math"
	"strings"
	"testing"
	"time"

	"tachyphor/core/aim"
	"tachyphor/core/outcome"
	"tachyphor/core/sim"
	"tachyphor/core/world"
	"tachyphor/test/worlds"
)

// aimed is a text of a world whose one scenario has aims.
func aimed(t *testing.T, text string, aims ...string) *world.World {
	t.Helper()
	at := strings.LastIndex(text, "\n  workload: w\n")
	if at < 0 {
		t.Fatal("the scenario has no place for aims")
	}
	w, err := worlds.Parse(text[:at]+fmt.Sprintf("\n  aims: [%s]", strings.Join(aims, ", "))+text[at:], "")
	if err != nil {
		t.Fatal(err)
	}
	return w
}

// What an outcome says of aims is what its rows, its delays, its results and its bill say, counted otherwise, in
// worlds of all kinds: too small for their demand, with jobs that fail and such that never start.
func TestAimsAreWhatTheRunsSay(t *testing.T) {
	verdicts := map[aim.Verdict]int{}
	for seed := range uint64(16) {
		w := aimed(t, worlds.WildText(seed), "90 % of all jobs start within 40s", "nobody waits over 3m", "mean start delay at most 1m",
			"bill at most 900 a month", "no job fails", "80 % of jobs end within 6m")
		o, trace := simulate(t, w, 2)
		rower := outcome.NewRower(trace)
		var in, of, ends, ofEnds, late float64
		for j := range rower.Len() {
			row := rower.Row(j)
			if job := trace.Jobs.List[j]; row.Warmup || job.Submitted >= w.Plan.Span || trace.Records[j].Result == sim.Dropped {
				continue
			}
			least := w.Start.Add(time.Duration(w.Plan.Span)).Sub(row.Submitted) // that it has waited or taken, where it is not over
			never := trace.Records[j].Result.Never()
			began, over := row.DelayNs >= 0, row.LeadNs >= 0
			if began || never || least > 40e9 {
				if of++; began && row.DelayNs <= 40e9 {
					in++
				}
			}
			if over || never || least > 360e9 {
				if ofEnds++; over && row.LeadNs <= 360e9 {
					ends++
				}
			}
			if began && row.DelayNs > 180e9 || !began && least > 180e9 {
				late++
			}
		}
		s := o.Samples[0]
		all := &s.Groups[0]
		wrong := 0
		for r := sim.Succeeded + 1; r < sim.Results; r++ {
			wrong += all.Results[r]
		}
		want := []aim.Tally{
			{N: of, X: in},
			{N: s.Aims[1].N, X: late},
			{N: float64(all.Delay.Count), X: all.Delay.Mean * float64(all.Delay.Count)},
			{N: 1, X: outcome.AMonth(w, s.Cost.TotalNano)},
			{N: float64(all.Jobs), X: float64(wrong)},
			{N: ofEnds, X: ends},
		}
		for i, x := range want {
			if got := s.Aims[i]; got.N != x.N || math.Abs(got.X-x.X) > 1e-9*math.Abs(x.X) {
				t.Errorf("seed %d, %s: %+v, counted otherwise %+v", seed, o.Aims[i].Says, got, x)
			}
		}
		if is := o.Aims[3].Is; math.Abs(is-o.Cost.PerMonth.Mean) > 1e-9*is {
			t.Errorf("seed %d: the bill is %g, the aim is told of %g", seed, o.Cost.PerMonth.Mean, is)
		}
		for i, x := range o.Aims {
			verdicts[x.Verdict]++
			why, ok := o.WhyOf(fmt.Sprintf("aim/%d", i+1))
			if !ok || !strings.Contains(why.Value, x.Reads) || why.How == "" || why.Interval == "" || x.Runs != o.Repeats {
				t.Errorf("seed %d, %s: %+v", seed, x.Says, why)
			}
		}
		for _, of := range []string{"aim/0", "aim/7", "aim/x", "aim/"} {
			if why, ok := o.WhyOf(of); ok {
				t.Errorf("%s: %+v", of, why)
			}
		}
	}
	for _, v := range []aim.Verdict{aim.Kept, aim.Missed, aim.Undecided} {
		if verdicts[v] == 0 {
			t.Errorf("no aim of any world is %s: %v", v, verdicts)
		}
	}
}

// How a design stands is said in a sentence: of none, of one repeat, of an empty world, of one that keeps and misses.
func TestVerdictsInWords(t *testing.T) {
	small := func(arrivals, run, aims string) *outcome.Outcome {
		text := strings.Replace(worlds.Small("", arrivals, run), "templates: [{template: t}]", "templates: [{template: t}], aims: "+aims, 1)
		w, err := worlds.Parse(text, "")
		if err != nil {
			t.Fatal(err)
		}
		o, _ := simulate(t, w, 1)
		return o
	}
	const arrivals = ", arrivals: {hours: [{when: \"Mon-Sun 00:00-24:00\", perHour: 6}]}"
	const run = "{span: 2d, warmup: 1h, repeats: 4, seed: 3}"
	for _, x := range []struct{ arrivals, run, aims, says string }{
		{arrivals, run, "[]", ""},
		{arrivals, run, "[bill at most 90000 a month]", "It keeps its aim."},
		{arrivals, run, "[bill at most 90000 a month, 50 % of k start within 1h]", "It keeps both its aims."},
		{arrivals, run, "[bill at most 1 a month, 50 % of k start within 1h]", "It misses 1 of its 2 aims: bill at most 1 a month (it is "},
		{arrivals, "{span: 2d, warmup: 1h, repeats: 1, seed: 3}", "[bill at most 1 a month]", "In one run, which decides nothing: bill at most 1 a month: it is "},
		{", arrivals: {hours: [{when: \"Mon-Sun 00:00-24:00\", perHour: 0}]}", run, "[95 % of all jobs start within 1m, nobody waits over 1m]", "It keeps both its aims. No job came that this is about: 95 % of all jobs start within 1m; nobody waits over 1m."},
	} {
		o := small(x.arrivals, x.run, x.aims)
		if !strings.HasPrefix(o.Judged, x.says) || (x.says == "") != (o.Judged == "") || strings.Contains(o.Judged, "NaN") {
			t.Errorf("%s: %q", x.aims, o.Judged)
		}
		for i := range o.Aims {
			if why, ok := o.WhyOf(fmt.Sprintf("aim/%d", i+1)); !ok || strings.Contains(fmt.Sprint(why), "NaN") {
				t.Errorf("%s: %+v", x.aims, why)
			}
		}
	}
}

// Of one recorded week it is that very one that is judged; an aim of a class that the workload does not have is refused where it stands.
func TestAimsOfRecordedJobs(t *testing.T) {
	w, err := worlds.Demo("fixed-six")
	if err != nil {
		t.Fatal(err)
	}
	w.Plan.Repeats = 2
	o, _ := simulate(t, w, 2)
	if len(o.Aims) != 2 || o.Aims[0].Verdict != aim.Missed || o.Aims[1].Verdict != aim.Kept || o.Aims[0].Weeks != nil {
		t.Errorf("%+v", o.Aims)
	}
	var csv strings.Builder
	csv.WriteString("id,submitted,class,work\n")
	for i := range 4 * 7 * 24 {
		fmt.Fprintf(&csv, "j%d,%d,k,%d\n", i, 3600*i, 60+i%90)
	}
	several := strings.Replace(worlds.Small("  jobs: {file: jobs.csv}\n", "", "{warmup: 1h, repeats: 3}"), "templates: [{template: t}]",
		"templates: [{template: t}], aims: [bill at most 9000 a month]", 1)
	if w, err = worlds.Parse(several, csv.String()); err != nil {
		t.Fatal(err)
	}
	if o, _ = simulate(t, w, 2); o.Weeks < 3 || o.Aims[0].Weeks == nil || o.Aims[0].Weeks.Runs < 2 || o.Aims[0].Weeks.Verdict != aim.Kept {
		t.Errorf("of %d weeks: %+v", o.Weeks, o.Aims)
	}
	text := strings.Replace(worlds.Small("", ", arrivals: {hours: [{when: \"Mon-Sun 00:00-24:00\", perHour: 1}]}", "{span: 1d}"), "templates: [{template: t}]",
		"templates: [{template: t}], aims: [bill at most 5, mean lead time of kk at most 5m]", 1)
	if _, err := worlds.Parse(text, ""); err == nil || !strings.Contains(err.Error(), "spec.aims[1]") || !strings.Contains(err.Error(), "no class kk; it has k") {
		t.Error(err)
	}
	if _, err := worlds.Parse(strings.Replace(text, "mean lead time of kk at most 5m", "bill at most 5", 1), ""); err == nil || !strings.Contains(err.Error(), "already in the list") {
		t.Error(err)
	}
	if _, err := worlds.Parse(strings.Replace(text, "mean lead time of kk at most 5m", "mean laed time at most 5m", 1), ""); err == nil ||
		!strings.Contains(err.Error(), "spec.aims[1]") || !strings.Contains(err.Error(), `expected "start delay" or "lead time"`) {
		t.Error(err)
	}
}
