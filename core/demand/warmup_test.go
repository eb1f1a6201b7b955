package demand_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"tachyphor/core/chance"
	"tachyphor/core/demand"
	"tachyphor/core/units"
)

// Made jobs of the span are the same however long it takes to warm up, and those before
// come at the rates of their own hours.
func TestWarmupMovesNoMadeJob(t *testing.T) {
	spec := workload(t, `
  start: 2026-03-30T00:00:00+02:00
  zone: Europe/Oslo
  classes:
    - name: k
      wants: []
      work: {fixed: 1s}
      arrivals:
        hours: [{when: "Mon-Fri 08:00-16:00", perHour: 40}, {when: "Sun 20:05-20:10", perHour: 6000}]
        bursts: [{when: "Sun,Mon 12:00", count: 7, over: 30s}]
    - {name: after, wants: [], work: {fixed: 1s}, follows: {class: k}}
`)
	const span = 7 * units.Day
	plain, err := demand.Make(spec, 0, span, chance.Root(1, 0))
	if err != nil {
		t.Fatal(err)
	}
	for _, warm := range []units.Duration{
		1, units.Minute, 7 * units.Minute, 15 * units.Minute, 6 * units.Hour, 36 * units.Hour,
		9 * units.Day,
	} {
		jobs, err := demand.Make(spec, warm, span+warm, chance.Root(1, 0))
		if err != nil {
			t.Fatal(err)
		}
		var before []units.Duration
		k := 0
		for _, j := range jobs.List {
			if j.Submitted < warm {
				before = append(before, j.Submitted-warm)
				continue
			}
			p := plain.List[k]
			if p.Submitted += warm; p != j {
				t.Fatalf("%v: job %d is %v, want %v", warm, k, j, p)
			}
			k++
		}
		if k != len(plain.List) {
			t.Errorf("%v: %d jobs within the span, want %d", warm, k, len(plain.List))
		}
		// The Sunday before, which summer time began on, has its burst at 12:00 and its
		// five minutes of 500 jobs; each job has its follower.
		want := 0.0
		for _, at := range before {
			if at > -12*units.Hour {
				want++
			}
		}
		if warm == 36*units.Hour && (want < 2*(507-90) || want > 2*(507+90)) {
			t.Errorf("%v jobs on the afternoon before", want)
		}
		if warm < 4*units.Hour && len(before) > 0 {
			t.Errorf("%v: jobs at %v before the start", warm, before)
		}
	}
}

// The jobs before a log are those of the same hours a period later, with names, draws and
// chains of their own; nothing of the log changes but that its times count from earlier.
func TestWarmupOfALog(t *testing.T) {
	const csv = `id,submitted,class,work,memory,after
a,0,a,10,1Gi,
b,86000,a,20,,a
c,86300,a,30,2Gi,b
d,90000,a,40,,c
`
	r, err := demand.Parse([]byte(csv), nil)
	if err != nil {
		t.Fatal(err)
	}
	log, bad := r.Bind(workload(t, recordedSpec))
	if len(bad) > 0 {
		t.Fatal(bad)
	}
	describe := func(j *demand.Jobs) (out []string) {
		for i, job := range j.List {
			var after []string
			for _, a := range j.After(i) {
				after = append(after, j.ID(int(a)))
			}
			out = append(out, fmt.Sprintf("%s %v %v %d %v", j.ID(i), job.Submitted.Seconds(), job.Work.Seconds(), max(0, j.Memory[i]>>30), after))
		}
		return out
	}
	for _, c := range []struct {
		warm units.Duration
		want string
	}{
		{1000 * units.Second, "before:b 600 20 0 [], before:c 900 30 2 [before:b], a 1000 10 1 [], b 87000 20 0 [a], c 87300 30 2 " +
			"[b], d 91000 40 0 [c]"},
		// A day and a tenth of an hour: the last minutes of the day before that one too.
		{units.Day + 360*units.Second, "before-2:c 260 30 2 [], before:a 360 10 1 [], before:b 86360 20 0 [before:a], before:c " +
			"86660 30 2 [before:b], a 86760 10 1 [], b 172760 20 0 [a], c 173060 30 2 [b], d 176760 40 0 [c]"},
		{50 * units.Second, "a 50 10 1 [], b 86050 20 0 [a], c 86350 30 2 [b], d 90050 40 0 [c]"},
	} {
		got := log.WithWarmup(c.warm, units.Day)
		if text := strings.Join(describe(got), ", "); text != c.want {
			t.Errorf("%v:\n%s\nwant\n%s", c.warm, text, c.want)
		}
		var keys []uint64
		for _, j := range got.List {
			keys = append(keys, j.Key)
		}
		slices.Sort(keys)
		if len(slices.Compact(keys)) != len(got.List) {
			t.Error("two jobs have the same draws")
		}
		for i := range log.List {
			at, ok := got.Find(log.ID(i))
			if want := log.List[i]; !ok || got.List[at].Key != want.Key || got.List[at].Submitted != want.Submitted+c.warm {
				t.Errorf("%v: %s became %v", c.warm, log.ID(i), got.List[at])
			}
		}
	}
}
