package sim_test

import (
	"fmt"
	"strings"
	"testing"

	"tachyphor/core/sim"
	"tachyphor/core/units"
	"tachyphor/test/worlds"
)

// coldRecord is a world of recorded jobs with 60 s of cold work each.
func coldRecord(t *testing.T, jobs, csv, caching string) *sim.Trace {
	t.Helper()
	b := bench{classes: "[{name: k, wants: [x], work: 100s, workspace: {cold: 60s, size: 1GB, partial: 0.5}}, {name: plain, " +
		"wants: [x], work: 1s}]", scenario: caching, template: worlds.Template("t", "x", "100m", "64Mi", "i:1")}
	b.jobs = csv
	text := b.text()
	w, err := worlds.Parse(strings.Replace(text, "jobs: {file: jobs.csv}", "jobs: {file: jobs.csv"+jobs+"}", 1), csv)
	if err != nil {
		t.Fatal(err)
	}
	trace, err := sim.Run(w, 1, 0, nil)
	if err != nil {
		t.Fatal(err)
	}
	return trace
}

// Recorded times hold the cold work that the jobs did: it is taken out, and comes back
// as far as the run's own cache leaves it. Without a cache a job that found none takes
// as long as it was recorded.
func TestRecordedTimesHoldColdWork(t *testing.T) {
	csv := "id,submitted,class,work\na,0,k,100\nshort,1000,k,50\nplain,2000,plain,100\n"
	for _, c := range []struct {
		jobs, caching string
		want          map[string]string
	}{
		{"", "", map[string]string{"a": "work 40, cold 60", "short": "cold 50", "plain": "work 100"}},
		{", cache: none", "", map[string]string{"a": "work 40, cold 60", "short": "cold 50"}},
		{", cache: warm", "", map[string]string{"a": "work 100, cold 60", "short": "work 50, cold 60"}},
		{", cache: mixed, cold: 0", "", map[string]string{"a": "work 100, cold 60"}},
		{", cache: mixed, cold: 1", "", map[string]string{"a": "work 40, cold 60"}},
		// The second finds what the first left, and only its own work is left of it.
		{"", "  caching: [{plan: node-disk}]", map[string]string{"a": "work 40, cold 60", "short": ""}},
	} {
		tells(t, coldRecord(t, c.jobs, csv, c.caching), c.want)
	}
	// Jobs say it themselves: of one that found an outdated cache half is in its time.
	tells(t, coldRecord(t, ", cache: warm", "id,submitted,class,work,cache\na,0,k,100,none\nb,1000,k,100,stale\nc,2000,k,100,warm\nd,3000,k,100,\n", ""), map[string]string{
		"a": "work 40, cold 60", "b": "work 70, cold 60", "c": "work 100, cold 60", "d": "work 100, cold 60",
	})
}

// Of a mixed record the share that is told holds its cold work, and which jobs do does
// not depend on the design.
func TestMixedRecords(t *testing.T) {
	csv := "id,submitted,class,work\n"
	for i := range 400 {
		csv += fmt.Sprintf("j%d,%d,k,100\n", i, 20*i)
	}
	trace := coldRecord(t, ", cache: mixed, cold: 0.3", csv, "")
	held, sum := 0, units.Duration(0)
	for j := range trace.Records {
		trace.EachStay(j, func(s sim.Stay) {
			if s.Cause == sim.Working {
				sum += s.To - s.From
				if s.To-s.From == 40*units.Second {
					held++
				}
			}
		})
	}
	if held < 90 || held > 150 || sum != units.Duration(held*40+(400-held)*100)*units.Second {
		t.Errorf("%d of 400 jobs hold their cold work, %v of own work", held, sum)
	}
	if r := trace.World.Records(); r.Jobs != 400 || r.Told != 0 || r.Share != 0.3 || r.TooCold != 0 {
		t.Errorf("%+v", r)
	}
}

// Times in seconds are read to the nanosecond.
func TestSecondsAreReadExactly(t *testing.T) {
	trace := bench{jobs: "id,submitted,class,work\na,1.001,k,1.001\n"}.run(t)
	if r := trace.Records[0]; r.Started != 1001*units.Millisecond || r.Ended != 2002*units.Millisecond {
		t.Errorf("from %d to %d ns", r.Started, r.Ended)
	}
}
