package outcome_test

import (
	"fmt"
	"strings"
	"testing"

	"tachyphor/core/outcome"
	"tachyphor/test/worlds"
)

// A warm-up that is too short for the load is said to be, and one that is long enough is
// not: a queue at 95 % takes hours to fill, one at half of that minutes.
func TestWarmupTooShort(t *testing.T) {
	for _, c := range []struct {
		load   float64
		warmup string
		note   string
	}{
		{0.95, "0s", "Without a warm-up the run begins with nothing running, and the load shows it: begun 6h earlier, jobs of the " +
			"first 6h wait "},
		{0.95, "5m", "The warm-up of 5m is too short for the load: begun 6h earlier, jobs of the first 6h wait "},
		{0.95, "1d", ""},
		{0.5, "30m", ""},
		{1.2, "12h", "where that never ends, demand is more than the design can serve."},
	} {
		q := worlds.Queue{Agents: 1, Load: c.load, Work: worlds.Exponential, Hours: 48, Repeats: 8}
		w, err := worlds.Parse(strings.Replace(q.Text(), "warmup: 288m", "warmup: "+c.warmup, 1), "")
		if err != nil {
			t.Fatal(err)
		}
		workers := []int{3}
		if c.warmup == "5m" { // any number of them says the same
			workers = append(workers, 1)
		}
		for _, workers := range workers {
			o, _, err := outcome.Simulate(w, workers, nil)
			if err != nil {
				t.Fatal(err)
			}
			if notes := strings.Join(o.Notes, " "); notes != "" && c.note == "" || !strings.Contains(notes, c.note) {
				t.Errorf("load %v, warm-up %s: %q, want %q", c.load, c.warmup, notes, c.note)
			}
		}
	}
}

// Of a log it is looked at with the jobs of the same hours before it, and of some hours of
// jobs, which have none, it is not.
func TestWarmupTooShortOfALog(t *testing.T) {
	log := func(hours int) string {
		var csv strings.Builder
		csv.WriteString("id,submitted,class,work\n")
		for i := range hours * 60 { // of the work of 62 s a minute
			fmt.Fprintf(&csv, "j%d,%d,job,62\n", i, 60*i)
		}
		return csv.String()
	}
	text := strings.Replace(worlds.Queue{Agents: 1, Load: 0.5, Work: worlds.Fixed, Hours: 0, Repeats: 2}.Text(), "  classes:",
		"  jobs: {file: jobs.csv}\n  classes:", 1)
	text = strings.Replace(text, "span: 0h, warmup: 0m, ", "", 1)
	for hours, want := range map[int]bool{20: false, 48: true} {
		w, err := worlds.Parse(text, log(hours))
		if err != nil {
			t.Fatal(err)
		}
		o, _, err := outcome.Simulate(w, 2, nil)
		if err != nil {
			t.Fatal(err)
		}
		if got := strings.Contains(strings.Join(o.Notes, " "), "Without a warm-up"); got != want {
			t.Errorf("a log of %d h: %q", hours, o.Notes)
		}
	}
}

// A world that was changed is not held against the one that it was made from, which its
// documents describe.
func TestWarmupOfAChangedWorld(t *testing.T) {
	w, err := worlds.Queue{Agents: 2, Load: 0.95, Work: worlds.Exponential, Hours: 24, Repeats: 8}.Build()
	if err != nil {
		t.Fatal(err)
	}
	o, _, err := outcome.Simulate(w.WithCeiling(0, 40), 2, nil)
	if err != nil || len(o.Notes) > 0 {
		t.Errorf("%q, %v", o.Notes, err)
	}
}
