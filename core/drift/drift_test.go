package drift_test

import (
	"fmt"
	"math/rand/v2"
	"os"
	"testing"
	"time"

	"tachyphor/core/drift"
)

var first = time.Date(2026, 3, 2, 0, 0, 0, 0, time.UTC)

// day is a day of some classes: what runs say is alike in all, and what is observed is drawn as they
// are, and then changed.
func day(r *rand.Rand, n, classes int, change func(class int, x float64) float64) drift.HeldDay {
	d := drift.HeldDay{Day: first.AddDate(0, 0, n)}
	shared := r.NormFloat64() // classes wait for the same nodes
	draw := func() float64 { return 1e9 * (100 + 30*(0.8*shared+0.6*r.NormFloat64())) }
	for c := range classes {
		runs := make([]float64, 40)
		for i := range runs {
			runs[i] = draw()
		}
		d.Looked = append(d.Looked, drift.Look(fmt.Sprint("class ", c), 50, 100, change(c, draw()), runs))
	}
	return d
}

func same(_ int, x float64) float64 { return x }

// A simulation that is right is called wrong once in a thousand days at most, on average.
func TestFalseAlarmsAreSeldom(t *testing.T) {
	const nights = 400
	tries := 150
	if os.Getenv("TACHYPHOR_VALIDATE") != "" {
		tries = 3000
	}
	r := rand.New(rand.NewPCG(1, 2))
	for _, classes := range []int{1, 6} {
		alarms := 0
		for range tries {
			var days []drift.HeldDay
			for n := range nights {
				days = append(days, day(r, n, classes, same))
			}
			drift.Follow(days, func(_ time.Time, s drift.Course) {
				if s.Drifted != nil {
					alarms++
				}
			})
		}
		t.Logf("%d classes: %d false alarms in %d days", classes, alarms, tries*nights)
		if alarms*drift.Nights > tries*nights*2 {
			t.Error("more than twice what is stated")
		}
	}
}

// What drifts is found within days, named, and told to be back within days.
func TestDriftIsFound(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 4))
	slowest, late, dated := 0, 0, 0
	for try := range 60 {
		var days []drift.HeldDay
		began := 5 + try
		for n := range began + 30 {
			days = append(days, day(r, n, 6, func(c int, x float64) float64 {
				if c == 3 && n >= began {
					if try%2 == 0 {
						return x * 2.5
					}
					return x / 4
				}
				return x
			}))
		}
		for n := began + 30; n < began+60; n++ {
			days = append(days, day(r, n, 6, same))
		}
		var found, over time.Time
		s := drift.Follow(days, func(day time.Time, s drift.Course) {
			switch {
			case s.Drifted != nil && found.IsZero():
				found = day
				if s.Drifted.Of != "class 3" || s.Drifted.Longer != (try%2 == 0) {
					t.Errorf("try %d: %+v", try, s.Drifted)
				}
				if off := int(s.Drifted.Since.Sub(first)/(24*time.Hour)) - began; off >= -2 && off <= 2 {
					dated++
				}
			case s.Over != nil && over.IsZero():
				over = day
			}
		})
		if found.IsZero() || over.IsZero() {
			t.Errorf("try %d: found %v, over %v; %+v", try, found, over, s)
			continue
		}
		slowest = max(slowest, int(found.Sub(first)/(24*time.Hour))-began+1)
		late = max(late, int(over.Sub(first)/(24*time.Hour))-began-30+1)
	}
	t.Logf("found after %d days at most, dated within two in %d of 60, and told to be back after %d", slowest, dated, late)
	if slowest > 12 || late > 15 || dated < 50 {
		t.Error("too slow, or not dated")
	}
}

// What is a little off is let pass for ever; so are waits that are all alike.
func TestLittleIsLetPass(t *testing.T) {
	for name, observed := range map[string]float64{"a twentieth longer": 104e9, "a twentieth shorter": 96e9, "alike": 100e9} {
		var days []drift.HeldDay
		for n := range 400 {
			runs := make([]float64, 40)
			for i := range runs {
				runs[i] = 100e9
			}
			days = append(days, drift.HeldDay{Day: first.AddDate(0, 0, n), Looked: []drift.Looked{drift.Look("", 50, 100, observed, runs)}})
		}
		if s := drift.Follow(days, nil); s.Drifted != nil || s.Days != 400 {
			t.Errorf("%s: %+v", name, s)
		}
	}
}

// Where what is simulated changes, the test begins anew; days without jobs change nothing.
func TestBeginsAnew(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 6))
	var days []drift.HeldDay
	for n := range 20 {
		d := day(r, n, 2, func(_ int, x float64) float64 { return 3 * x })
		if d.Design = "old"; n >= 12 {
			d = day(r, n, 2, same)
			d.Design = "new"
		}
		days = append(days, d, drift.HeldDay{Day: d.Day.Add(12 * time.Hour), Design: d.Design})
	}
	if s := drift.Follow(days[:20], nil); s.Drifted == nil || s.Empty != 10 || s.Days != 10 {
		t.Errorf("not found: %+v", s)
	}
	if s := drift.Follow(days, nil); s.Drifted != nil || !s.Anew.Equal(first.AddDate(0, 0, 12)) || s.Evidence >= 100 {
		t.Errorf("not begun anew: %+v", s)
	}
	if s := drift.Follow(nil, nil); s.Days != 0 || s.Drifted != nil {
		t.Errorf("of no days: %+v", s)
	}
}
